"""Two faults in one pack of the other physics: ``python -m tests.bench.pairs [FROM [TO]]``.

In different cells, in packs that are ridden nearly empty and charged afterwards: the one life of
``lives`` in which any of the faults can be seen.
"""

import sys
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass

import numpy as np

from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.presets import new_setup
from nipper.core.setup import Setup, put
from tests.bench.lives import bicycle
from tests.bench.others import LEVELS_V, OtherPack, fault, finished, usual_cells
from tests.bench.packs import Truth
from tests.otherpack import Use

PAIRS = (
    ("soc_offset", "self_discharge"),
    ("soc_offset", "low_capacity"),
    ("soc_offset", "high_resistance"),
    ("soc_offset", "sense_bias"),
    ("self_discharge", "low_capacity"),
    ("self_discharge", "high_resistance"),
    ("low_capacity", "high_resistance"),
    ("high_resistance", "sense_bias"),
)
STEP_S = 60.0


@dataclass(frozen=True)
class Judged:
    """What was found of two faults, what else was named, and in which words."""

    pair: tuple[str, str]
    number: int
    found: int
    others: int
    words: str


def ridden(setup: Setup, days: float, rng: np.random.Generator) -> Use:
    """So many days of a pack that is ridden nearly empty and charged afterwards."""
    hours = np.arange(int(days * 86400 / STEP_S)) * STEP_S / 3600.0
    return Use(
        days=days,
        step_s=STEP_S,
        start_pct=float(rng.uniform(45, 75)),
        rows_c=bicycle(hours, rng),
        noise_mv=float(rng.uniform(0.3, 1.2)),
        current_offset_a=float(rng.uniform(-0.0005, 0.0005)) * setup.capacity_ah,
        seed=int(rng.integers(1 << 30)),
    )


def two(which: int, n: int, attempt: int = 0) -> tuple[OtherPack, list[Truth]]:
    """Case ``n`` of a pair, and both faults."""
    rng = np.random.default_rng([91, n, which, attempt])
    chemistry = "lfp" if rng.random() < 0.6 else "nmc"
    cells = int(rng.choice([8, 13, 16]))
    setup = new_setup(chemistry, cells, float(rng.choice([20.0, 100.0, 280.0])), balancer="none")
    level = float(rng.uniform(*LEVELS_V[chemistry]))
    setup = put(setup, {"charging.absorption_v": round(cells * level, 2), "charging.tail_a": None})
    use = ridden(setup, float(rng.uniform(25, 35)), rng)
    made = usual_cells(setup, rng)
    first, second = (fault(cause, rng, setup, made, use) for cause in PAIRS[which])
    if first.cells == second.cells:
        return two(which, n, attempt + 1)
    return finished(setup, use, made, first), [first, second]


def judge(case: tuple[int, int]) -> Judged:
    """Make a case and diagnose it."""
    pack, truths = two(*case)
    said = [f for f in diagnose(pack.log, pack.setup).findings if f.confidence > 0.5]
    right = {(t.cause, t.cells) for t in truths} & {(f.cause, tuple(f.cells)) for f in said}
    words = "; ".join(f"{f.cause} {f.cells} {f.confidence:.2f} {f.value:.3g}" for f in said)
    true = ", ".join(f"{t.cause} {t.cells} {(t.low + t.high) / 2:.3g}" for t in truths)
    kind = f"{pack.setup.chemistry} {pack.setup.cells} cells"
    told = f"{kind}, true {true}: {words or 'nothing'}"
    return Judged(PAIRS[case[0]], case[1], len(right), len(said) - len(right), told)


if __name__ == "__main__":
    first, last = [int(a) for a in sys.argv[1:3]] or [0, 6]
    cases = [(which, n) for which in range(len(PAIRS)) for n in range(first, last)]
    with ProcessPoolExecutor(2) as pool:
        judged = list(pool.map(judge, cases, chunksize=2))
    print("| two faults | packs | both named | one | none | something else beside |")
    print("|---|---|---|---|---|---|")
    for pair in PAIRS:
        own = [d for d in judged if d.pair == pair]
        found = Counter(d.found for d in own)
        beside = sum(d.others > 0 for d in own)
        print(
            f"| {', '.join(pair)} | {len(own)} | {found[2]} | {found[1]} | {found[0]} | {beside} |"
        )
    print(f"\nBoth named in {sum(d.found == 2 for d in judged)} of {len(judged)}.")
    for d in judged:
        if d.found < 2 or d.others:
            print(f"{d.number}: {d.words}")
