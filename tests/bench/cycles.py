"""Bench cycles of the other physics (``tests/otherpack``) with known answers:
``python -m tests.bench.cycles [FROM [TO]]`` judges them.

Charge, rest, discharge at steady currents: few steps of current, no calm plateau, now and then the
discharge first. What a pack is tested with before it is built in.
"""

import sys
from collections import Counter
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace

import numpy as np

from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.logs.model import Log
from nipper.core.presets import new_setup
from nipper.core.setup import Setup, put
from tests.bench.others import CURVES
from tests.bench.packs import Truth
from tests.otherpack import Cells, Use, make, published_curve

CAUSES = (
    "",
    "soc_offset",
    "low_capacity",
    "high_resistance",
    "sense_bias",
    "loose_joint",
    "temperature_gradient",
)
PER_KELVIN = 0.036  # of resistance, at 25 kJ/mol


def cycled(cause: str, n: int) -> tuple[Log, Setup, Truth]:
    """Case ``n`` of a cause; "" is healthy."""
    rng = np.random.default_rng([91, n, CAUSES.index(cause)])
    chemistry = "lfp" if rng.random() < 0.65 else "nmc"
    cells = int(rng.choice([4, 8, 14, 16]))
    cells = max(cells, 8) if cause == "temperature_gradient" else cells
    setup = new_setup(chemistry, cells, float(rng.choice([50.0, 100.0, 280.0])), balancer="none")
    level = float(rng.uniform(3.45, 3.55)) if chemistry == "lfp" else float(rng.uniform(4.08, 4.16))
    setup = put(setup, {"charging.absorption_v": round(cells * level, 2), "charging.tail_a": None})
    made = Cells(
        published_curve(*CURVES[chemistry][int(rng.integers(len(CURVES[chemistry])))]),
        offset_pct=rng.normal(0.0, float(rng.uniform(0.05, 0.3)), cells),
        capacity=1.0 + rng.normal(0.0, 0.006, cells),
        resistance=1.0 + np.abs(rng.normal(0.0, 0.05, cells)),
        bias_mv=np.zeros(cells),
        hysteresis_mv=float(rng.uniform(2.0, 14.0)) if chemistry == "lfp" else 0.0,
        slow_share=float(rng.uniform(0.4, 1.2)),
        slow_s=float(rng.uniform(400.0, 2500.0)),
    )
    use = _use(rng)
    truth = _fault(cause, rng, setup, made)
    log, _ = make(setup, made, use)
    if cause == "loose_joint":
        log, truth = _joint(log, setup, rng)
    if cause == "temperature_gradient":
        log, truth = _gradient(setup, made, use, rng)
    return log, setup, truth


def _use(rng: np.random.Generator) -> Use:
    up, down = float(rng.uniform(0.1, 0.4)), float(rng.uniform(0.15, 0.6))
    charge, rest = (1.1 / up + 1.0, up), (float(rng.uniform(0.2, 1.5)), 0.0)
    steps = [charge, rest, (1.1 / down, -down), rest] * int(rng.integers(1, 3))
    start = 15.0
    if rng.random() < 0.4:
        steps, start = [rest, *steps[2:]], 99.0
    steps += [charge, rest]
    at = 0.0
    hours: list[tuple[float, float, float]] = []
    for length, rate in steps:
        hours.append((at, at + length, rate))
        at += length
    return Use(
        days=at / 24.0,
        step_s=float(rng.choice([5.0, 10.0, 30.0, 60.0])),
        start_pct=start,
        hours=hours,
        noise_mv=float(rng.uniform(0.3, 1.2)),
        seed=int(rng.integers(1 << 30)),
    )


def _fault(cause: str, rng: np.random.Generator, setup: Setup, made: Cells) -> Truth:
    cell = int(rng.integers(setup.cells))
    if cause == "soc_offset":
        size = float(rng.uniform(2.5, 8.0)) * float(rng.choice([-1, 1]))
        np.asarray(made.offset_pct)[cell] += size
        return Truth(cause, (cell + 1,), size - 0.2 * abs(size) - 0.4, size + 0.2 * abs(size) + 0.4)
    if cause == "low_capacity":
        share = float(rng.uniform(0.80, 0.94))
        np.asarray(made.capacity)[cell] = share
        return Truth(cause, (cell + 1,), 100 * share - 2.0, 100 * share + 2.0)
    if cause == "high_resistance":
        more = float(rng.uniform(0.6, 1.6))
        np.asarray(made.resistance)[cell] += more
        size = more * (setup.cell.resistance_mohm or 1.0)
        return Truth(cause, (cell + 1,), 0.6 * size, 1.4 * size)
    if cause == "sense_bias":
        bias = float(rng.uniform(9, 25)) * float(rng.choice([-1, 1]))
        np.asarray(made.bias_mv)[cell] += bias
        return Truth(cause, (cell + 1,), bias - 2.5, bias + 2.5)
    return Truth("")


def _joint(log: Log, setup: Setup, rng: np.random.Generator) -> tuple[Log, Truth]:
    """A resistance in one reading that comes and goes while current flows."""
    cell = int(rng.integers(setup.cells))
    ohm = float(rng.uniform(0.6, 1.8)) * 1e-3 * (setup.cell.resistance_mohm or 1.0)
    turns = np.sort(rng.uniform(0, log.rows, int(rng.integers(16, 50)))).astype(int)
    loose = (np.searchsorted(turns, np.arange(log.rows)) % 2).astype(bool)
    cell_v = log.cell_v.copy()
    cell_v[:, cell] += np.where(loose, ohm * log.current_a, 0.0).round(3).astype(np.float32)
    size = 1e3 * ohm
    return replace(log, cell_v=cell_v), Truth("loose_joint", (cell + 1,), 0.6 * size, 1.4 * size)


def _gradient(setup: Setup, made: Cells, use: Use, rng: np.random.Generator) -> tuple[Log, Truth]:
    """One end of the string stands elsewhere, colder or warmer, and a sensor sits at either end."""
    size = int(rng.integers(2, setup.cells // 2))
    apart = float(rng.uniform(7.0, 14.0)) * float(rng.choice([-1, 1]))
    cells = np.arange(size) if rng.random() < 0.5 else np.arange(setup.cells - size, setup.cells)
    factor = np.ones(setup.cells)
    factor[cells] = np.exp(-PER_KELVIN * apart)
    made.resistance = np.asarray(made.resistance) * factor
    log, _ = make(setup, made, use)
    here = 20.0 + apart * (np.isin([0, setup.cells - 1], cells))
    temp_c = np.tile(here, (log.rows, 1)) + rng.normal(0.0, 0.3, (log.rows, 2))
    return replace(log, temp_c=temp_c.round().astype(np.float32)), Truth(
        "temperature_gradient", tuple(int(i) + 1 for i in cells), apart - 3.0, apart + 3.0
    )


def judge(case: tuple[str, int]) -> tuple[str, int, str, bool, str]:
    """Cause, number, what was named first, whether for the right cells, and words."""
    log, setup, truth = cycled(*case)
    strong = [f for f in diagnose(log, setup).findings if f.confidence > 0.5]
    top = strong[0] if strong else None
    cells = bool(top) and set(top.cells) == set(truth.cells)
    words = "; ".join(f"{f.cause} {f.cells} {f.confidence:.2f} {f.value:.3g}" for f in strong)
    what = f"{setup.chemistry} {setup.cells} cells, true {truth.cells} {truth.low:.3g}…"
    return *case, top.cause if top else "", cells, f"{what}: {words or 'nothing'}"


def main(arguments: Sequence[str]) -> None:
    """Judge some of each cause and print a table."""
    first, last = (int(a) for a in (*arguments, "0", "12")[:2])
    cases = [(cause, n) for cause in CAUSES for n in range(first, last)]
    with ProcessPoolExecutor() as pool:
        judged = list(pool.map(judge, cases))
    print(
        "| cause | cycles | first finding right | cells right | taken for |\n|---|---|---|---|---|"
    )
    for cause in CAUSES:
        mine = [j for j in judged if j[0] == cause]
        right = [j for j in mine if j[2] == cause]
        wrong = Counter(j[2] or "nothing" for j in mine if j[2] != cause)
        other = ", ".join(f"{name} {count}" for name, count in wrong.items())
        cells = f"{sum(j[3] for j in right)} of {len(right)}" if cause else "–"
        print(f"| {cause or 'healthy'} | {len(mine)} | {len(right)} | {cells} | {other} |")
    for cause, n, _, right, words in judged:
        if words.endswith("nothing") == bool(cause) or (cause and not right):
            print(f"{cause or 'healthy'} {n}: {words}")


if __name__ == "__main__":
    main(sys.argv[1:])
