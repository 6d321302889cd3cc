"""How often a told range holds the truth: ``python -m tests.bench.ranges FROM TO [JSON]``.

Packs of all worlds whose first finding is right; a range claims nine in ten. Beside that, the
factor with which the ranges of a kind would hold nine in ten. JSON is a file for every single one.
"""

import json
import sys
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import asdict, dataclass
from functools import partial
from pathlib import Path

import numpy as np

from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.logs.model import Log
from nipper.core.setup import Setup
from tests.bench import cycles, others, packs, spm
from tests.bench.lives import LIVES, lived
from tests.bench.meters import METERS
from tests.bench.others import OtherPack, other
from tests.bench.packs import Truth

# healthy; of the whole pack; of which another range is told, by what is seen alone
UNSIZED = ("", "balancer_starved", "plateau_balancing", "sense_lead", "temperature_gradient")
FAST = 0.7  # of their resistance is there at once in the other physics (tests/otherpack.py)
Made = tuple[Log, Setup, Truth]


@dataclass(frozen=True)
class Told:
    """The size that was told of one fault, and the true one."""

    world: str
    chemistry: str
    cause: str
    number: int
    value: float
    low: float
    high: float
    true: float

    @property
    def off(self) -> float:
        """By how many of its half range the truth is off, on that side."""
        half = self.high - self.value if self.true > self.value else self.value - self.low
        return abs(self.true - self.value) / max(half, 1e-9)


def _of(pack: OtherPack, log: Log | None = None) -> Made:
    """An offset is where the cell stands at the end; resistance is what a step of current shows."""
    truth = _by_step(pack.truth)
    if truth.cause == "soc_offset":
        stands = float(np.mean([pack.offset_pct[c - 1] for c in truth.cells]))
        truth = Truth(truth.cause, truth.cells, stands, stands)
    return (log or pack.log), pack.setup, truth


def _lived(cause: str, number: int) -> Made:
    return _of(lived(number % len(LIVES), cause, number))


def _other(cause: str, number: int) -> Made:
    return _of(other(cause, number))


def _metered(cause: str, number: int) -> Made:
    which, pack = number % len(METERS), other(cause, number)
    return _of(pack, METERS[which](pack.log, np.random.default_rng([7, number, which])))


def _cycled(cause: str, number: int) -> Made:
    log, setup, truth = cycles.cycled(cause, number)
    return log, setup, _by_step(truth)


def _by_step(truth: Truth) -> Truth:
    if truth.cause != "high_resistance":
        return truth
    return Truth(truth.cause, truth.cells, FAST * truth.low, FAST * truth.high)


def _third(chemistry: str, cause: str, number: int) -> Made:
    made = spm.pack(chemistry, cause, number)
    return made.log, made.setup, Truth(cause, made.cells, made.size, made.size)


def _own(cause: str, number: int) -> Made:
    made = packs.make(cause, number)
    return made.log, made.setup, made.truth


WORLDS: dict[str, tuple[Callable[[str, int], Made], tuple[str, ...]]] = {
    "kernel": (_own, packs.CAUSES),
    "other physics": (_other, others.CAUSES),
    "lives": (_lived, others.CAUSES),
    "meters": (_metered, others.CAUSES),
    "cycles": (_cycled, cycles.CAUSES),
    "third, lfp": (partial(_third, "lfp"), spm.CAUSES),
    "third, 4.2 V": (partial(_third, "nmc"), spm.CAUSES),
}


def judge(case: tuple[str, str, int]) -> Told | None:
    """What is told of a fault's size, where the fault is found."""
    world, cause, number = case
    log, setup, truth = WORLDS[world][0](cause, number)
    found = [f for f in diagnose(log, setup).findings if f.confidence > 0.5]
    if not found or (found[0].cause, tuple(found[0].cells)) != (cause, truth.cells):
        return None
    true, first = 0.5 * (truth.low + truth.high), found[0]
    size = first.value, first.low, first.high
    return Told(world, setup.chemistry, cause, number, *(float(s) for s in (*size, true)))


def table(done: list[Told]) -> str:
    """As Markdown: a row for each cause and chemistry, a column for each world."""
    lines = [
        "| | | " + " | ".join(WORLDS) + " | all | nine in ten at |",
        "|---|---|" + "---|" * (len(WORLDS) + 2),
    ]
    for cause, chemistry in sorted({(t.cause, t.chemistry) for t in done}):
        own = [t for t in done if (t.cause, t.chemistry) == (cause, chemistry)]
        fields = [_share([t for t in own if t.world == world]) for world in WORLDS]
        nine = float(np.quantile([t.off for t in own], 0.9))
        lines.append(
            f"| {cause} | {chemistry} | {' | '.join(fields)} | {_share(own)} | × {nine:.2f} |"
        )
    return "\n".join([*lines, "", f"All: {_share(done)}."])


def _share(told: list[Told]) -> str:
    """How many hold the truth; nothing where there are none."""
    return f"{sum(t.off <= 1.0 for t in told)} of {len(told)}" if told else ""


def main() -> None:
    """Judge them and print how it went."""
    first, last = int(sys.argv[1]), int(sys.argv[2])
    cases = [
        (world, cause, number)
        for world, (_, causes) in WORLDS.items()
        for cause in causes
        for number in range(first, last)
        if cause not in UNSIZED
    ]
    with ProcessPoolExecutor(2) as pool:
        done = [told for told in pool.map(judge, cases, chunksize=2) if told]
    print(table(done))
    if len(sys.argv) > 3:
        Path(sys.argv[3]).write_text(json.dumps([asdict(t) for t in done], indent=1))


if __name__ == "__main__":
    main()
