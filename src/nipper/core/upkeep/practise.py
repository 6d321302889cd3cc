"""Faults to practise on: one, two or none is hidden in this bank, each reading costs minutes, and
the learner names fault, cell and cure.

Seeded: the same number gives two people the same case.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from math import log2
from random import Random

from nipper.core.setup import Setup
from nipper.core.upkeep.meter import Cells, Fault, Probe, Walk, stand
from nipper.core.upkeep.walks import walks


class Level(StrEnum):
    """How hard a case is."""

    EASY = "easy"
    USUAL = "usual"
    HARD = "hard"


NOISE = {Level.EASY: 0.05, Level.USUAL: 0.3, Level.HARD: 0.6}  # of what a reading may be off by
PLAIN = 0.6  # a fault much smaller than usual cannot be told from the spread of healthy cells
MOST_SEED = 999_999
NOTHING = "none"  # the id of a fault that is none


@dataclass(frozen=True, slots=True)
class Taken:
    """A reading that was taken: one value, or one of each cell where a screen shows them all.

    ``cell``: the one the probes were at, from 1; 0 where no cell is chosen.
    """

    probe: str
    values: tuple[float, ...]
    cell: int = 0


@dataclass(frozen=True, slots=True)
class Named:
    """What the learner says it is: the fault's id, the cell from 1 (0: none), and what is done."""

    fault: str
    cell: int = 0
    cure: str = ""


@dataclass(frozen=True, slots=True)
class PractiseCase:
    """A symptom of this bank with a fault behind it, in one of its cells or in none."""

    seed: int
    level: Level
    walk: Walk
    hidden: Fault
    cells: int = 0  # of the pack in which one strays; 0 where none does
    cell: int = 0
    size: float = 1.0  # of the fault, of what the walk tells of it

    def read(self, probe: str, cell: int = 0) -> Taken:
        """What is seen there: the same each time it is asked. ``cell``: where the probes are."""
        if self.walk.probe(probe).cells == Cells.ALL:
            each = range(1, self.cells + 1)
            return Taken(probe, tuple(self._value(probe, number) for number in each))
        if self.walk.probe(probe).cells == Cells.ONE:
            return Taken(probe, (self._value(probe, cell),), cell)
        return Taken(probe, (self._value(probe, 0),))

    def of_stray(self, taken: Taken) -> float | None:
        """What that reading says of the cell that strays; None where it is of another."""
        if self.walk.probe(taken.probe).cells == Cells.ALL:
            return taken.values[self.cell - 1]
        return taken.values[0] if taken.cell in (0, self.cell) else None

    def _value(self, probe: str, cell: int) -> float:
        strays = cell == self.cell
        normal = self.walk.normal[probe]
        reads = self.walk.reads(self.hidden, probe, self.size) if strays else normal
        if self.walk.probe(probe).unit == "":
            return float(round(reads.value))  # a yes or no
        whose = "" if strays else f" {cell}"
        noise = Random(f"{self.seed} {probe}{whose}").gauss(0.0, NOISE[self.level] * reads.around)
        return round(reads.value + noise, 1 if abs(reads.value) >= 10 else 2)

    def is_cell(self, named: Named) -> bool:
        """Whether that cell is the one: where nothing strays, no cell need be named."""
        return self.cells == 0 or not self.strays or named.cell == self.cell

    @property
    def strays(self) -> bool:
        """Whether a cell does at all: a case may hide nothing."""
        return self.hidden.id != NOTHING


@dataclass(frozen=True, slots=True)
class Score:
    """How it went: whether the fault, its cell and its cure were named, the minutes it took and
    those of the shortest way known here, what each reading told, bits, and the cautions that were
    not heeded.
    """

    right: bool
    right_cell: bool
    right_cure: bool
    hidden: Fault
    cell: int  # in which it was hidden; 0 where in none
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
    hidden = chance.choices(walk.faults, weights)[0]
    cells = setup.cells if any(p.cells for p in walk.probes) else 0
    cell = chance.randrange(cells) + 1 if cells else 0
    sizes = [size for size in hidden.sizes if abs(size) >= PLAIN] if level != Level.EASY else [1.0]
    return PractiseCase(seed, level, walk, hidden, cells, cell, chance.choice(sizes))


def cures(case: PractiseCase) -> list[str]:
    """What could be done, of all faults of the walk, in an order that tells nothing."""
    return sorted({fault.cure for fault in case.walk.faults})


def judge(
    case: PractiseCase,
    readings: Sequence[Taken],
    answer: Named,
    heeded: frozenset[str] = frozenset(),
) -> Score:
    """Judge an answer.

    Parameters
    ----------
    readings : what was read, in its order
    answer : the fault that was named, its cell, and what is done about it
    heeded : the probes before which one made safe
    """
    walk = case.walk
    probes = [walk.probe(taken.probe) for taken in readings]
    way = _way(case)
    first = {p.id: p for p in probes}
    return Score(
        right=answer.fault == case.hidden.id and case.is_cell(answer),
        right_cell=case.is_cell(answer),
        right_cure=answer.cure == case.hidden.cure,
        hidden=case.hidden,
        cell=case.cell if case.strays else 0,
        minutes=sum(p.minutes for p in probes),
        way=way,
        way_minutes=sum(p.minutes for p in way),
        told=tuple(zip(probes, _bits(case, readings), strict=True)),
        forgotten=tuple(p for p in first.values() if p.caution and p.id not in heeded),
    )


def _way(case: PractiseCase) -> tuple[Probe, ...]:
    """The readings that the walk itself would ask for, at the cell that strays."""
    readings: dict[str, float] = {}
    way: list[Probe] = []
    while (probe := stand(case.walk, readings).ask) is not None:
        told = case.of_stray(case.read(probe.id, case.cell))
        assert told is not None
        readings[probe.id] = told
        way.append(probe)
    return tuple(way)


def _bits(case: PractiseCase, readings: Sequence[Taken]) -> list[float]:
    """What each reading told of the hidden fault: by how much it made it likelier, bits; below 0
    it misled. One at another cell told nothing of it.
    """
    out: list[float] = []
    so_far: dict[str, float] = {}
    before = _share(case.walk, case.hidden, so_far)
    for taken in readings:
        value = case.of_stray(taken)
        if value is not None:
            so_far[taken.probe] = value
        now = _share(case.walk, case.hidden, so_far)
        out.append(log2(now / before))
        before = now
    return out


def _share(walk: Walk, fault: Fault, readings: Mapping[str, float]) -> float:
    return max(1e-9, next(s for f, s in stand(walk, readings).likely if f is fault))
