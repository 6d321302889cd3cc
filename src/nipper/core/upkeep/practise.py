"""Faults to practise on: one is hidden in this bank, each reading costs minutes, and the learner
names it.

Seeded: the same number gives two people the same case.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from math import log2
from random import Random

from nipper.core.setup import Setup
from nipper.core.upkeep.meter import Fault, Probe, Walk, stand
from nipper.core.upkeep.walks import walks


class Level(StrEnum):
    """How hard a case is."""

    EASY = "easy"
    USUAL = "usual"
    HARD = "hard"


NOISE = {Level.EASY: 0.05, Level.USUAL: 0.3, Level.HARD: 0.6}  # of what a reading may be off by
MOST_SEED = 999_999


@dataclass(frozen=True, slots=True)
class PractiseCase:
    """A symptom of this bank with a fault behind it."""

    seed: int
    level: Level
    walk: Walk
    hidden: Fault

    def read(self, probe: str) -> float:
        """What the meter shows there: the same each time it is asked."""
        reads = self.walk.reads(self.hidden, probe)
        noise = Random(f"{self.seed} {probe}").gauss(0.0, NOISE[self.level] * reads.around)
        if self.walk.probe(probe).unit == "":
            return float(round(reads.value))  # a yes or no
        return round(reads.value + noise, 1 if abs(reads.value) >= 10 else 2)


@dataclass(frozen=True, slots=True)
class Score:
    """How it went: whether the fault was named, the minutes it took and those of the shortest way
    known here, what each reading told, bits, and the cautions that were not heeded.
    """

    right: bool
    hidden: Fault
    minutes: float
    way: tuple[Probe, ...]
    way_minutes: float
    told: tuple[tuple[Probe, float], ...]
    forgotten: tuple[Probe, ...] = field(default=())


def make_case(
    setup: Setup, seed: int, level: Level, of: Sequence[Walk] | None = None
) -> PractiseCase:
    """The case of that number. Easy ones hide what is common, hard ones what is rare too.

    ``of``: the walks it may be of; left out, those with a meter of this bank.
    """
    chance = Random(f"case {seed} {level}")
    found = walks(setup) if of is None else of
    walk = found[chance.randrange(len(found))]
    if level == Level.EASY:
        weights = [f.prior**2 for f in walk.faults]
    elif level == Level.USUAL:
        weights = [f.prior for f in walk.faults]
    else:
        weights = [1.0] * len(walk.faults)
    return PractiseCase(seed, level, walk, chance.choices(walk.faults, weights)[0])


def judge(
    case: PractiseCase,
    readings: Mapping[str, float],
    answer: str,
    heeded: frozenset[str] = frozenset(),
) -> Score:
    """Judge an answer.

    Parameters
    ----------
    readings : what was read, by probe, in its order
    answer : the id of the fault that was named
    heeded : the probes before which one made safe
    """
    walk = case.walk
    probes = [walk.probe(p) for p in readings]
    way = _way(case)
    return Score(
        right=answer == case.hidden.id,
        hidden=case.hidden,
        minutes=sum(p.minutes for p in probes),
        way=way,
        way_minutes=sum(p.minutes for p in way),
        told=tuple(zip(probes, _bits(walk, case.hidden, readings), strict=True)),
        forgotten=tuple(p for p in probes if p.caution and p.id not in heeded),
    )


def _way(case: PractiseCase) -> tuple[Probe, ...]:
    """The readings that the walk itself would ask for."""
    readings: dict[str, float] = {}
    way: list[Probe] = []
    while (probe := stand(case.walk, readings).ask) is not None:
        readings[probe.id] = case.read(probe.id)
        way.append(probe)
    return tuple(way)


def _bits(walk: Walk, hidden: Fault, readings: Mapping[str, float]) -> list[float]:
    """What each reading told of the hidden fault: by how much it made it likelier, bits; below 0
    it misled.
    """
    out: list[float] = []
    before = _share(walk, hidden, {})
    so_far: dict[str, float] = {}
    for probe, value in readings.items():
        so_far[probe] = value
        now = _share(walk, hidden, so_far)
        out.append(log2(now / before))
        before = now
    return out


def _share(walk: Walk, fault: Fault, readings: Mapping[str, float]) -> float:
    return max(1e-9, next(s for f, s in stand(walk, readings).likely if f is fault))
