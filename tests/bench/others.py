"""Packs of the other physics (``tests/otherpack``) with known answers: a second world for the
diagnosis.

Curves are published ones, so the pack's is not the one that the diagnosis assumes. Seeded: case
``n`` of a cause is the same for everybody.
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from nipper.core.chemistry import chemistry
from nipper.core.logs.model import Log
from nipper.core.presets import new_setup
from nipper.core.setup import Setup, put
from tests.bench.packs import Truth
from tests.otherpack import Cells, Use, make, published_curve

CAUSES = (
    "",
    "soc_offset",
    "low_capacity",
    "high_resistance",
    "self_discharge",
    "group_drain",
    "sense_bias",
)
CURVES = {
    "lfp": [
        ("ocv_lfp_constructed.csv", "ocv_ecker_v"),
        ("ocv_lfp_constructed.csv", "ocv_mohtat_v"),
        ("ocv_lfp.csv", "ocv_v"),
    ],
    "nmc": [("ocv_nmc.csv", "ocv_v"), ("ocv_nca.csv", "ocv_v")],
}
KEPT = 12  # packs: a test spoils one in many ways, and does not change the one it was given
LEVELS_V = {"lfp": (3.45, 3.55), "nmc": (4.08, 4.16), "lto": (2.60, 2.70)}  # of absorption


@dataclass(frozen=True)
class OtherPack:
    """A case: its log and setup, the truth, and what each cell really is against the median."""

    log: Log
    setup: Setup
    truth: Truth
    offset_pct: np.ndarray
    capacity_pct: np.ndarray


@lru_cache(maxsize=KEPT)
def other(cause: str, n: int, id_: str = "") -> OtherPack:
    """Case ``n`` of a cause; "" is healthy. Without a chemistry it is LFP or 4.2 V by chance."""
    rng = np.random.default_rng([77, n, CAUSES.index(cause)])
    lfp_only = cause in ("sense_bias", "group_drain")
    drawn = "lfp" if lfp_only or rng.random() < 0.65 else "nmc"
    id_ = id_ or drawn
    cells = int(rng.choice([4, 8, 14, 16]))
    cells = max(cells, 8) if cause == "group_drain" else cells
    balancer = (
        "none" if cause in ("soc_offset", "low_capacity") else str(rng.choice(["passive", "none"]))
    )
    setup = new_setup(id_, cells, float(rng.choice([50.0, 100.0, 280.0])), balancer=balancer)  # pyright: ignore[reportArgumentType]
    level = float(rng.uniform(*LEVELS_V[id_]))
    setup = put(setup, {"charging.absorption_v": round(cells * level, 2), "charging.tail_a": None})
    slow = cause in ("self_discharge", "group_drain")
    deep = cause == "low_capacity" or (cause == "" and rng.random() < 0.3)
    use = (
        _bench(rng)
        if deep
        else _solar(rng, float(rng.uniform(25, 45)) if slow else float(rng.uniform(6, 12)))
    )
    return of_use(cause, setup, use, rng)


def of_use(cause: str, setup: Setup, use: Use, rng: np.random.Generator) -> OtherPack:
    """A pack that is used so, its cells drawn, with the fault in them."""
    made = usual_cells(setup, rng)
    return finished(setup, use, made, fault(cause, rng, setup, made, use))


def usual_cells(setup: Setup, rng: np.random.Generator) -> Cells:
    """Cells of one batch with nothing the matter."""
    id_, cells = setup.chemistry, setup.cells
    return Cells(
        _curve(id_, rng),
        offset_pct=rng.normal(0.0, float(rng.uniform(0.05, 0.3)), cells),
        capacity=1.0 + rng.normal(0.0, 0.006, cells),
        resistance=1.0 + np.abs(rng.normal(0.0, 0.05, cells)),
        leak_mah_day=np.abs(rng.normal(0.0, 0.004, cells)) * setup.capacity_ah,
        bias_mv=np.zeros(cells),
        hysteresis_mv=float(rng.uniform(2.0, 14.0)) if id_ == "lfp" else 0.0,
        slow_share=float(rng.uniform(0.4, 1.2)),
        slow_s=float(rng.uniform(400.0, 2500.0)),
    )


def finished(setup: Setup, use: Use, made: Cells, truth: Truth) -> OtherPack:
    """The pack once it has been used so."""
    log, offset_pct = make(setup, made, use)
    capacity = 100.0 * np.asarray(made.capacity)
    return OtherPack(log, setup, truth, offset_pct, capacity - np.median(capacity))


def _curve(id_: str, rng: np.random.Generator) -> tuple[np.ndarray, np.ndarray]:
    """A published curve; of titanate none lies here: the assumed one, bent by some millivolts."""
    if id_ in CURVES:
        return published_curve(*CURVES[id_][int(rng.integers(len(CURVES[id_])))])
    pct = np.linspace(0.0, 100.0, 201)
    waves = [
        (a, k, p) for a, k, p in zip((6.0, 4.0), (0.8, 1.7), rng.uniform(0, 7, 2), strict=True)
    ]
    bent_mv = sum(a * np.sin(2.0 * np.pi * k * pct / 100.0 + p) for a, k, p in waves)
    return pct, chemistry(id_).curve.ocv(pct) + 1e-3 * bent_mv


def _solar(rng: np.random.Generator, days: float) -> Use:
    dark = tuple(int(d) for d in np.flatnonzero(rng.random(int(days) + 1) < 0.2))
    return Use(
        days=days,
        step_s=float(rng.choice([60.0, 120.0])),
        start_pct=float(rng.uniform(45, 75)),
        sun_c=float(rng.uniform(0.18, 0.3)),
        house_c=float(rng.uniform(0.02, 0.04)),
        dark_days=dark,
        noise_mv=float(rng.uniform(0.3, 1.2)),
        current_offset_a=float(rng.uniform(-0.1, 0.15)),
        seed=int(rng.integers(1 << 30)),
    )


def _bench(rng: np.random.Generator) -> Use:
    rate = float(rng.uniform(0.18, 0.3))
    first, out = 0.45 / rate + 1.5, 1.15 / rate
    again = first + 0.7 + out + 0.7
    hours = [
        (0.0, first, rate),
        (first + 0.7, first + 0.7 + out, -rate),
        (again, again + 1.2 / rate + 1.5, rate),
    ]
    return Use(
        days=(again + 1.2 / rate + 2.5) / 24.0,
        step_s=float(rng.choice([10.0, 30.0])),
        start_pct=60.0,
        hours=hours,
        noise_mv=float(rng.uniform(0.3, 1.2)),
        seed=int(rng.integers(1 << 30)),
    )


def fault(cause: str, rng: np.random.Generator, setup: Setup, made: Cells, use: Use) -> Truth:
    """Put a fault into one cell, or a block; "" is none."""
    cell, ah = int(rng.integers(setup.cells)), setup.capacity_ah
    if cause == "soc_offset":
        size = float(rng.uniform(2.5, 8.0)) * float(rng.choice([-1, 1]))
        made.offset_pct[cell] += size
        return Truth(cause, (cell + 1,), size - 0.2 * abs(size) - 0.4, size + 0.2 * abs(size) + 0.4)
    if cause == "low_capacity":
        share = float(rng.uniform(0.80, 0.94))
        made.capacity[cell] = share
        return Truth(cause, (cell + 1,), 100 * share - 2.0, 100 * share + 2.0)
    if cause == "high_resistance":
        more = float(rng.uniform(0.6, 1.6))
        made.resistance[cell] += more
        size = more * 1e3 * 1e-3 * (setup.cell.resistance_mohm or 1.0)
        return Truth(cause, (cell + 1,), 0.6 * size, 1.4 * size)
    if cause == "self_discharge":
        rate = float(rng.uniform(1.2, 3.0)) / 100.0 * ah * 1e3 / use.days
        made.leak_mah_day[cell] += rate
        return Truth(cause, (cell + 1,), -1.2 * rate - 3.0, -0.8 * rate + 3.0)
    if cause == "group_drain":
        size = int(rng.integers(3, setup.cells // 2 + 1))
        first = int(rng.integers(0, setup.cells - size + 1))
        rate = float(rng.uniform(1.2, 3.0)) / 100.0 * ah * 1e3 / use.days
        made.leak_mah_day[first : first + size] += rate
        return Truth(
            cause, tuple(range(first + 1, first + size + 1)), -1.2 * rate - 3.0, -0.8 * rate + 3.0
        )
    if cause == "sense_bias":
        bias = float(rng.uniform(9, 25)) * float(rng.choice([-1, 1]))
        made.bias_mv[cell] += bias
        return Truth(cause, (cell + 1,), bias - 2.5, bias + 2.5)
    return Truth("")
