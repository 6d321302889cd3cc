"""Behind a fuller cell: ``python -m tests.bench.behind [FROM [TO]]``.

The pack nobody levelled: one LFP cell is 4 to 9 % fuller and ends every charge by its trip, with
the others on the flat of the curve. Whatever else is the matter shows at the step of the plateau
and at the low ends alone, where the pack comes so low.
"""

import sys
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass

import numpy as np

from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.presets import new_setup
from nipper.core.setup import put
from tests.bench.lives import bicycle, night_rate
from tests.bench.others import LEVELS_V, OtherPack, fault, finished, usual_cells
from tests.bench.packs import Truth
from tests.bench.pairs import STEP_S
from tests.otherpack import Cells, Use

BOTH_ENDS = "full and empty first"  # assembled at half charge, and weak: no fuller cell beside it
CAUSES = ("", "self_discharge", "low_capacity", "soc_offset", "group_drain", BOTH_ENDS)
LIVES = (bicycle, night_rate)  # nearly empty at times, and seldom below a fifth


@dataclass(frozen=True)
class Judged:
    """What was found of the fuller cell and of the fault behind it, what else was named, whether
    drifts were told elsewhere than at the tops, and in which words.
    """

    cause: str
    number: int
    fuller: bool
    behind: bool
    others: int
    elsewhere: bool
    words: str


def behind(cause: str, n: int) -> tuple[OtherPack, int]:
    """Case ``n`` of a cause, "" is none, and the fuller cell, counted from 1."""
    rng = np.random.default_rng([191, n, CAUSES.index(cause)])
    cells = int(rng.choice([8, 13, 16]))
    setup = new_setup("lfp", cells, float(rng.choice([20.0, 100.0, 280.0])), balancer="none")
    level = round(cells * float(rng.uniform(*LEVELS_V["lfp"])), 2)
    setup = put(setup, {"charging.absorption_v": level, "charging.tail_a": None})
    days = float(rng.uniform(25, 35))
    hours = np.arange(int(days * 86400 / STEP_S)) * STEP_S / 3600.0
    use = Use(
        days=days,
        step_s=STEP_S,
        start_pct=float(rng.uniform(45, 75)),
        rows_c=LIVES[n % 2](hours, rng),
        noise_mv=float(rng.uniform(0.3, 1.2)),
        current_offset_a=float(rng.uniform(-0.0005, 0.0005)) * setup.capacity_ah,
        seed=int(rng.integers(1 << 30)),
    )
    made = usual_cells(setup, rng)
    if cause == BOTH_ENDS:
        truth = _assembled_at_half(made, rng)
        return finished(setup, use, made, truth), truth.cells[0]
    truth = fault(cause, rng, setup, made, use)
    fuller = int(rng.choice([i for i in range(cells) if i + 1 not in truth.cells]))
    made.offset_pct[fuller] += float(rng.uniform(4, 9))
    return finished(setup, use, made, truth), fuller + 1


def _assembled_at_half(made: Cells, rng: np.random.Generator) -> Truth:
    """All cells at half charge when they were joined, and one holds less."""
    cell = int(rng.integers(made.capacity.size))
    made.capacity[cell] = share = float(rng.uniform(0.84, 0.95))
    made.offset_pct[:] = 50.0 * (np.median(made.capacity) - made.capacity)
    return Truth("low_capacity", (cell + 1,), 100 * share - 2.0, 100 * share + 2.0)


def judge(case: tuple[str, int]) -> Judged:
    """Make a case and diagnose it."""
    pack, fuller = behind(*case)
    found = diagnose(pack.log, pack.setup)
    said = [f for f in found.findings if f.confidence > 0.5]
    named = {(f.cause, cell) for f in said for cell in f.cells}
    true = {(pack.truth.cause, cell) for cell in pack.truth.cells}
    words = "; ".join(f"{f.cause} {f.cells} {f.confidence:.2f} {f.value:.3g}" for f in said)
    return Judged(
        *case,
        fuller=("soc_offset", fuller) in named or case[0] == BOTH_ENDS,
        behind=true <= named,
        others=len(named - true - {("soc_offset", fuller)}),
        elsewhere=found.estimate.drift.elsewhere is not None,
        words=f"fuller {fuller}, true {pack.truth.cause} {pack.truth.cells}: {words or 'nothing'}",
    )


if __name__ == "__main__":
    first, last = [int(a) for a in sys.argv[1:3]] or [0, 8]
    cases = [(cause, n) for cause in CAUSES for n in range(first, last)]
    with ProcessPoolExecutor(2) as pool:
        judged = list(pool.map(judge, cases, chunksize=2))
    print("| behind it | packs | fuller cell named | fault named | of these elsewhere | else |")
    print("|---|---|---|---|---|---|")
    for cause in CAUSES:
        own = [d for d in judged if d.cause == cause]
        told = [d for d in own if d.elsewhere]
        print(
            f"| {cause or 'nothing'} | {len(own)} | {sum(d.fuller for d in own)} | "
            f"{sum(d.behind for d in own) if cause else '–'} | "
            f"{f'{sum(d.behind for d in told)} of {len(told)}' if cause else '–'} | "
            f"{sum(d.others > 0 for d in own)} |"
        )
    for d in judged:
        if not (d.fuller and d.behind) or d.others:
            print(f"{d.number}: {d.words}")
