"""Earlier builds of a pack: logs of another count of cells, read as those of today's cells.

Where a cell was taken out, the others went on as they were: without its column an older log is one
of the same pack. Where a cell was put in, or nobody knows which one left, older logs stand aside.
"""

import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace
from typing import Annotated

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from nipper.core.errors import RangeError
from nipper.core.logs.model import Log

KIND = "cells-changed"  # of bench events
MOST_CELLS = 200
OneCell = Annotated[int, Field(ge=1, le=MOST_CELLS)]


class CellsChanged(BaseModel):
    """Cells that left a pack, numbered from 1 as they were counted before."""

    model_config = ConfigDict(frozen=True, extra="ignore", defer_build=True)

    before: Annotated[int, Field(ge=2, le=MOST_CELLS)]
    left: tuple[OneCell, ...] = Field(min_length=1, max_length=MOST_CELLS)

    @model_validator(mode="after")
    def _of_that_pack(self) -> "CellsChanged":
        if len(set(self.left)) != len(self.left) or max(self.left) > self.before:
            raise ValueError("each cell once, of those there were")
        if len(self.left) >= self.before:
            raise ValueError("one cell at least stays")
        return self

    @property
    def now(self) -> int:
        """Cells that stayed."""
        return self.before - len(self.left)

    @property
    def words(self) -> str:
        """What was done, in words."""
        which = ", ".join(str(cell) for cell in sorted(self.left))
        cells = "cell" if len(self.left) == 1 else "cells"
        return f"{cells} {which} of {self.before} taken out: {self.now} stay"


def typed_cells(text: str, cells: int, count: int) -> tuple[int, ...]:
    """So many cells' numbers as typed, from 1.

    Raises
    ------
    RangeError
        Another count, a cell twice, or one the pack did not have.
    """
    words = re.split(r"[\s,;]+", text.strip())
    numbers = [int(word) for word in words if word.isdecimal() and len(word) < 5]
    of = f"from 1 to {cells}"
    expected = f"expected a cell {of}" if count == 1 else f"expected {count} cells {of}"
    if len(numbers) != len(words) or len(numbers) != count:
        raise RangeError(f"“{text.strip()[:20]}”: {expected}")
    if len(set(numbers)) != count or not all(1 <= n <= cells for n in numbers):
        raise RangeError(f"“{text.strip()[:20]}”: {expected}, each once")
    return tuple(sorted(numbers))


def parse(note: str) -> CellsChanged | None:
    """What left, from an event's note; None where it cannot be read."""
    try:
        return CellsChanged.model_validate_json(note)
    except ValidationError:
        return None


def kept(
    events: Iterable[tuple[float, int | None, str, str]], pack: int
) -> list[tuple[float, CellsChanged]]:
    """What left a pack and when, oldest first, from events (time_s, pack, kind, note)."""
    found = [(at, parse(note)) for at, of, kind, note in events if kind == KIND and of == pack]
    return [(at, c) for at, c in sorted(found, key=lambda pair: pair[0]) if c is not None]


def as_built_now(log: Log, changes: Sequence[tuple[float, CellsChanged]], cells: int) -> Log | None:
    """A log as one of the pack as it is built now; None where it is of another build.

    Parameters
    ----------
    changes : what left and when, Unix s, oldest first; only what came after the log counts
    cells : cells the pack has now
    """
    for change in since(log.cells, float(log.time_s[-1]), changes):
        log = without(log, change.left)
    return log if log.cells == cells else None


def since(
    cells: int, last_s: float, changes: Sequence[tuple[float, CellsChanged]]
) -> Iterator[CellsChanged]:
    """What left a pack of so many cells after a moment, one after another."""
    for at_s, change in changes:
        if change.before == cells and last_s <= at_s:
            yield change
            cells = change.now


def without(log: Log, left: Sequence[int]) -> Log:
    """A log without some of its cells, numbered from 1, and their share of the pack's voltage."""
    gone = np.array(sorted(left)) - 1
    theirs_v = log.cell_v[:, gone].sum(axis=1, dtype=np.float64)
    balancing = log.balancing
    return replace(
        log,
        cell_v=np.delete(log.cell_v, gone, axis=1),
        pack_v=log.pack_v - theirs_v,
        balancing=None if balancing is None else np.delete(balancing, gone, axis=1),
    )
