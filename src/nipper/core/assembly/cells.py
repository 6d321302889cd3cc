"""The cells at delivery: which stand out, and which go together so that groups are even."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import product

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from nipper.core.setup import Setup

# of the median: new cells of one batch keep within these (common practice)
CAPACITY_APART, RESISTANCE_APART, VOLTS_APART_MV = 0.02, 0.15, 10.0
MOST_CELLS = 5000


class CellEntry(BaseModel):
    """One cell as it was delivered: what its label or the user calls it, and what was measured."""

    model_config = ConfigDict(frozen=True, extra="ignore", allow_inf_nan=False, defer_build=True)

    label: str = Field(default="", max_length=100)
    made: str = Field(default="", max_length=100)
    capacity_ah: float | None = Field(default=None, gt=0, le=100_000)
    rest_v: float | None = Field(default=None, gt=0, le=100)
    resistance_mohm: float | None = Field(default=None, gt=0, le=10_000)


@dataclass(frozen=True, slots=True)
class Stray:
    """A cell that stands out: its number from 1, in what, and by how much of which unit."""

    cell: int
    quantity: str
    value: float
    median: float
    unit: str


def strays(cells: Sequence[CellEntry]) -> list[Stray]:
    """Cells that stand out of the others, the farthest first; nothing of fewer than three."""
    out: list[tuple[float, Stray]] = []
    for quantity, unit, share, floor in (
        ("capacity_ah", "Ah", CAPACITY_APART, 0.0),
        ("resistance_mohm", "mΩ", RESISTANCE_APART, 0.02),
        ("rest_v", "V", 0.0, 1e-3 * VOLTS_APART_MV),
    ):
        read = [(i, getattr(c, quantity)) for i, c in enumerate(cells, 1)]
        known = [(i, float(v)) for i, v in read if v is not None]
        if len(known) < 3:
            continue
        median = float(np.median([v for _, v in known]))
        room = max(share * median, floor)
        for i, value in known:
            beyond = abs(value - median) / room
            if beyond > 1.0 + 1e-9:
                out.append((beyond, Stray(i, quantity, value, median, unit)))
    return [stray for _, stray in sorted(out, key=lambda pair: -pair[0])]


def kinds_made(cells: Sequence[CellEntry]) -> list[str]:
    """The makes and ages that were entered, each once; more than one is not one batch."""
    return list(dict.fromkeys(c.made.strip() for c in cells if c.made.strip()))


@dataclass(frozen=True, slots=True)
class Matching:
    """Groups in the order of the string, cells numbered from 1; those left over; the capacity of
    each group, Ah; the pack's (its smallest group); the same had they gone in as they lie.
    """

    groups: tuple[tuple[int, ...], ...]
    spare: tuple[int, ...]
    group_ah: tuple[float, ...]
    pack_ah: float
    as_they_lie_ah: float

    @property
    def spread_pct(self) -> float:
        """Largest less smallest group, % of their mean."""
        return 100.0 * (max(self.group_ah) - min(self.group_ah)) / float(np.mean(self.group_ah))


def match(setup: Setup, cells: Sequence[CellEntry]) -> Matching | None:
    """Which cells go in parallel, and in which order the groups stand in the string.

    Cells without a measured capacity cannot be placed; None while fewer are measured than the pack
    holds. Of more cells than places the smallest are left over: the smallest group is what the
    pack holds. Groups are filled largest cell first into the group that is behind, then pairs are
    exchanged while that makes the capacities more even. In the string the strongest groups stand
    in the middle, where it is warmest (common practice).
    """
    series, parallel = setup.cells_in_series, setup.cells_in_parallel
    known = [(i, float(c.capacity_ah)) for i, c in enumerate(cells, 1) if c.capacity_ah]
    places = series * parallel
    if len(known) < places or places > MOST_CELLS:
        return None
    ranked = sorted(known, key=lambda pair: (-pair[1], pair[0]))
    chosen, ah = ranked[:places], dict(known)
    groups = _filled(chosen, series, parallel)
    if parallel > 1:
        _even_out(groups, ah)
    ordered = _strongest_in_the_middle(groups, ah)
    as_they_lie = [known[i * parallel : (i + 1) * parallel] for i in range(series)]
    sums = tuple(round(sum(ah[c] for c in g), 6) for g in ordered)
    return Matching(
        tuple(tuple(sorted(g)) for g in ordered),
        tuple(sorted(i for i, _ in ranked[places:])),
        sums,
        min(sums),
        min(sum(v for _, v in g) for g in as_they_lie),
    )


def _filled(chosen: Sequence[tuple[int, float]], series: int, parallel: int) -> list[list[int]]:
    groups: list[list[int]] = [[] for _ in range(series)]
    sums = [0.0] * series
    for cell, ah in chosen:
        free = [g for g in range(series) if len(groups[g]) < parallel]
        behind = min(free, key=lambda g: (sums[g], g))
        groups[behind].append(cell)
        sums[behind] += ah
    return groups


def _even_out(groups: list[list[int]], ah: dict[int, float]) -> None:
    """Exchange cells between the largest group and each other while the worse of the two comes
    closer to the middle.
    """
    for _ in range(20 * len(groups)):
        sums = [sum(ah[c] for c in g) for g in groups]
        ends = (int(np.argmax(sums)), int(np.argmin(sums)))
        if not any(_exchange(groups, sums, end, ah) for end in ends):
            return


def _exchange(groups: list[list[int]], sums: list[float], one: int, ah: dict[int, float]) -> bool:
    middle = sum(sums) / len(sums)
    best: tuple[float, int, int, int] | None = None
    for other in range(len(groups)):
        if other == one:
            continue
        worst = max(abs(sums[one] - middle), abs(sums[other] - middle))
        for a, b in product(range(len(groups[one])), range(len(groups[other]))):
            moved = ah[groups[other][b]] - ah[groups[one][a]]
            new = max(abs(sums[one] + moved - middle), abs(sums[other] - moved - middle))
            gain = worst - new
            if gain > 1e-9 and (best is None or gain > best[0]):
                best = gain, other, a, b
    if best is None:
        return False
    _, other, a, b = best
    groups[one][a], groups[other][b] = groups[other][b], groups[one][a]
    return True


def _strongest_in_the_middle(groups: list[list[int]], ah: dict[int, float]) -> list[list[int]]:
    ranked = sorted(groups, key=lambda g: sum(ah[c] for c in g))
    return ranked[0::2] + ranked[1::2][::-1]
