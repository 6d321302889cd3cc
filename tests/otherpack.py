"""Packs of another physics than the project's own simulator, for judging what is judged nowhere
else.

Nothing is shared with ``nipper.core.simulate``: the rest curve is any table (the published ones lie
in ``tests/reference``), one branch of diffusion that is slow in proportion to charge, hysteresis
after Plett's one-state model, a charger that holds the pack's voltage, a house by the hour, a meter
with an offset. What is the matter with the cells is given, so the truth is known.
"""

import csv
from dataclasses import dataclass, field

import numpy as np

from nipper.core.logs.model import Log
from nipper.core.setup import Setup
from tests.conftest import REFERENCE

Floats = np.ndarray
START_S = 1.75e9


def published_curve(file: str, column: str) -> tuple[Floats, Floats]:
    """A published curve of rest voltage: charge in %, volts."""
    with (REFERENCE / file).open(encoding="utf-8") as text:
        rows = [r for r in csv.DictReader(text) if r[column]]
    key = next(k for k in rows[0] if k.startswith("soc"))
    pct, volts = np.array([(float(r[key]), float(r[column])) for r in rows]).T
    return pct, volts


@dataclass
class Cells:
    """What the cells are: one value each, or one for all."""

    curve: tuple[Floats, Floats]
    offset_pct: Floats | float = 0.0  # charge missing to its own full, + = fuller
    capacity: Floats | float = 1.0  # of the setup's
    resistance: Floats | float = 1.0  # of the setup's
    leak_mah_day: Floats | float = 0.0
    bias_mv: Floats | float = 0.0
    hysteresis_mv: float = 10.0
    slow_share: float = 0.8  # of the ohmic resistance, with the time below
    slow_s: float = 1500.0


@dataclass
class Use:
    """How the pack is used and read."""

    days: float = 8.0
    step_s: float = 60.0
    start_pct: float = 55.0
    sun_c: float = 0.22  # of capacity an hour, at noon
    house_c: float = 0.035  # of capacity an hour, mean; the evening takes three times that
    dark_days: tuple[int, ...] = ()
    noise_mv: float = 0.5
    step_mv: float = 1.0
    current_offset_a: float = 0.05
    seed: int = 1
    balance: bool = True  # by the setup's own balancer, if it has one
    hours: list[tuple[float, float, float]] = field(
        default_factory=list
    )  # from, to (hours since the start), C: instead of sun and house


def make(setup: Setup, cells: Cells, use: Use) -> tuple[Log, Floats]:
    """The log, and each cell's charge at the last row as % of the setup's capacity missing to its
    own full, less the median's.
    """
    rng = np.random.default_rng(use.seed)
    n, ah = setup.cells, setup.capacity_ah
    wide = np.ones(n)
    capacity = ah * cells.capacity * wide
    r_ohm = (
        1e-3
        * (setup.cell.resistance_mohm or 0.3)
        / setup.cells_in_parallel
        * cells.resistance
        * wide
    )
    fast_ohm, slow_ohm = 0.7 * r_ohm, 0.7 * cells.slow_share * r_ohm
    missing = (100.0 - use.start_pct - cells.offset_pct * wide) / 100.0 * ah
    charge = capacity - missing
    slow_v, swing = np.zeros(n), np.zeros(n)
    kept = np.exp(-use.step_s / cells.slow_s)
    hours = use.step_s / 3600.0
    charger, trip = setup.charging, setup.protection.cell_over_voltage
    low = setup.protection.cell_under_voltage
    held_s, floating, tripped, dark = 0.0, False, False, False
    rows = int(use.days * 86400 / use.step_s)
    out_v, out_a = np.empty((rows, n)), np.empty(rows)
    flags = np.zeros((rows, n), bool)
    amps = 0.0
    for k in range(rows):
        since_h = k * hours
        wanted, source = _wanted(use, since_h, ah, rng)
        rest = np.interp(100.0 * charge / capacity, *cells.curve, left=None, right=None)
        over = 100.0 * charge / capacity - 100.0
        # beyond its ends the voltage runs away
        rest = rest + np.maximum(over, 0.0) * 0.25 - np.maximum(-100.0 - over, 0.0) * 0.15
        rest = rest + 1e-3 * cells.hysteresis_mv * swing
        source_v, ohms = rest + kept * slow_v, fast_ohm + (1.0 - kept) * slow_ohm
        amps = wanted
        if charger and wanted > 0.0:
            target_v = (charger.float_v or 0.0) if floating else charger.absorption_v
            most = (target_v - source_v.sum()) / ohms.sum()
            if most < amps:
                amps = max(most, 0.0 if source else min(wanted, 0.0))
                if not floating and amps >= 0.0:
                    held_s += use.step_s
                    floating = held_s > 60.0 * charger.absorption_min
        if since_h % 24.0 < 0.5 * hours or wanted < -0.02 * ah:
            held_s, floating = 0.0, False
        if tripped and amps > 0.0:
            amps = 0.0
        if dark and amps < 0.0:
            amps = 0.0
        v = source_v + amps * ohms
        out_v[k], out_a[k] = v, amps
        read_v = v + 1e-3 * cells.bias_mv * wide
        tripped = read_v.max() >= trip.trip_v or (tripped and read_v.max() > trip.release_v)
        dark = read_v.min() <= low.trip_v or (dark and read_v.min() < low.release_v)
        slow_v = kept * slow_v + (1.0 - kept) * slow_ohm * amps
        charge = charge + amps * hours - cells.leak_mah_day * wide / 24e3 * hours
        swing = swing + (np.sign(amps) - swing) * (1.0 - np.exp(-12.0 * abs(amps) * hours / ah))
        balancer = setup.balancer if use.balance else None
        if balancer and balancer.kind == "passive":
            allowed = {"charging": amps > 0.2, "rest": abs(amps) < 0.2, "always": True}[
                balancer.when
            ]
            busy = (
                (read_v > balancer.start_v)
                & (read_v - read_v.min() > 1e-3 * balancer.delta_mv)
                & allowed
            )
            charge = charge - busy * balancer.current_a * hours
            flags[k] = busy
    read = out_v + 1e-3 * cells.bias_mv * wide + rng.normal(0.0, 1e-3 * use.noise_mv, out_v.shape)
    step = 1e-3 * use.step_mv
    cell_v = (np.round(read / step) * step).astype(np.float32)
    current = np.round(out_a + use.current_offset_a, 1)
    log = Log(
        time_s=START_S + np.arange(rows) * use.step_s,
        current_a=current,
        pack_v=cell_v.sum(axis=1).astype(float).round(2),
        cell_v=cell_v,
        temp_c=np.full((rows, 1), 20.0, np.float32),
        balancing=flags if setup.balancer and use.balance else None,
    )
    missing = 100.0 * (capacity - charge) / ah
    return log, np.median(missing) - missing


def _wanted(use: Use, since_h: float, ah: float, rng: np.random.Generator) -> tuple[float, bool]:
    """What source less load would give the pack, A, and whether there is a source."""
    if use.hours:
        c = next((c for a, b, c in use.hours if a <= since_h < b), 0.0)
        return c * ah, c > 0.0
    hour, day = since_h % 24.0, int(since_h // 24)
    sun = max(0.0, np.sin(np.pi * (hour - 7.0) / 11.0)) * use.sun_c if 7.0 < hour < 18.0 else 0.0
    sun *= (0.15 if day in use.dark_days else 1.0) * (1.0 - 0.5 * float(rng.random() < 0.1))
    house = use.house_c * (3.0 if 17.5 < hour < 22.5 else 0.7) * rng.uniform(0.6, 1.4)
    house += 0.2 * float(rng.random() < 0.01)
    return float((sun - house) * ah), sun > 0.0
