"""Logs and packs made for tests: small, with a known answer."""

from collections.abc import Callable
from functools import cache

import numpy as np

from nipper.core.chemistry import chemistry
from nipper.core.logs.model import Log
from nipper.core.setup import Setup


@cache
def rest_curve(name: str) -> Callable[[np.ndarray], np.ndarray]:
    """A chemistry's rest voltage read off a fine table: a row at a time, it is asked often."""
    pct = np.linspace(-40.0, 160.0, 40_001)
    volts = chemistry(name).curve.ocv(pct)
    return lambda at: np.interp(at, pct, volts)


def charge_log(
    setup: Setup,
    offset_pct: list[float] | np.ndarray,
    charges: int = 1,
    drift_pct: list[float] | np.ndarray | None = None,
    interval_s: float = 60.0,
    noise_mv: float = 0.5,
    hold_min: float = 60.0,
    depth_pct: float = 40.0,
    rate: float = 0.2,
    seed: int = 7,
) -> Log:
    """Plain charges to the setup's absorption, one a day, by a cell that is its rest curve and one
    resistance.

    Independent of the simulator and of the estimator: constant current to the target, then a taper
    that holds it, then rest, then a discharge at the same rate. ``offset_pct`` is charge against
    the others, ``drift_pct`` what is added to it each day.
    """
    rng = np.random.default_rng(seed)
    rest, n = rest_curve(setup.chemistry), setup.cells
    offset = np.asarray(offset_pct, float)
    drift = np.zeros(n) if drift_pct is None else np.asarray(drift_pct, float)
    r_ohm = 1e-3 * (setup.cell.resistance_mohm or 0.3)
    target_v = setup.charging.absorption_v / n if setup.charging else 3.45
    amps = rate * setup.capacity_ah
    pct_per_as = 100.0 / 3600.0 / setup.capacity_ah
    times, currents, volts = [], [], []
    clock, base = 1.75e9, 100.0 - depth_pct
    for day in range(charges):
        here = offset + day * drift
        held_s, rows = 0.0, []
        while held_s < hold_min * 60.0:
            rest_v = rest(base + here)
            i = min(amps, max(0.0, (target_v - float(np.mean(rest_v))) / r_ohm))
            rows.append((i, rest_v + i * r_ohm))
            # within an interval the taper is followed finely, where it is near
            parts = 30 if i * r_ohm + float(np.max(rest_v)) > target_v - 0.06 else 1
            for _ in range(parts):
                i = min(amps, max(0.0, (target_v - float(np.mean(rest(base + here)))) / r_ohm))
                held_s += interval_s / parts if i < amps else 0.0
                base += i * interval_s / parts * pct_per_as
        # a full cell comes to rest well below where it was held; the discharge goes on from there
        full, settled = base, min(base - 1.5, 97.0)
        for step in range(int(3600 / interval_s)):
            left = np.exp(-step * interval_s / 400.0)
            rows.append((0.0, left * rest(full + here) + (1.0 - left) * rest(settled + here)))
        base = settled
        while base > settled - depth_pct:
            rows.append((-amps, rest(base + here) - amps * r_ohm))
            base -= amps * interval_s * pct_per_as
        for k, (current, v) in enumerate(rows):
            times.append(clock + k * interval_s)
            currents.append(current)
            volts.append(v)
        clock += max(86400.0, (len(rows) + 1) * interval_s)
    cell_v = np.array(volts) + rng.normal(0, noise_mv * 1e-3, (len(volts), n))
    cell_v = np.round(cell_v, 3).astype(np.float32)
    return Log(
        time_s=np.array(times),
        current_a=np.round(np.array(currents), 1),
        pack_v=cell_v.sum(axis=1).astype(float),
        cell_v=cell_v,
        temp_c=np.full((len(times), 1), 20.0, np.float32),
    )
