"""Columns of a log that are no cell's own: one reading under several names, or sorted by height.

A table that was put together by hand, a map of registers with one address twice, or a BMS that
shows the pack's voltage divided by the cells: who is not read looks as healthy as its neighbour.
"""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from nipper.core.imbalance.causes_base import names
from nipper.core.logs.model import Log

MANY_CELLS = 6  # ordered by chance in one pack of 360
FINE_V, TOUCH_SHARE = 0.0015, 0.01  # of a meter's step, and of the rows in which they are level
LEAST_CHANGES = 200  # of a reading, all of them at once: no two cells on the coarsest meter do that
BLOCK_ROWS = 20_000


def all_alike(log: Log) -> bool:
    """Whether all cells show one voltage in every row."""
    first = log.cell_v[:, 0] if log.cells > 1 else np.empty(0)
    return _moves(first) and all(_same(first, log.cell_v[:, i]) for i in range(1, log.cells))


def by_height(log: Log) -> bool:
    """Whether in every row the cells stand in order of height, so that no column is of one cell.

    Cells whose charge falls from one end of the pack to the other stand so as well, and far apart:
    of sorted ones most come level with their neighbours at times. A few may stand so by chance: of
    them all must, on a meter so fine that true ones would then be beyond each other.
    """
    if log.cells < 3:
        return False
    ups, downs, least_v = np.zeros(log.cells - 1), np.zeros(log.cells - 1), np.inf
    for first in range(0, log.rows, BLOCK_ROWS):
        steps = np.diff(log.cell_v[first : first + BLOCK_ROWS], axis=1)
        ups += (steps > 0.0).sum(axis=0)
        downs += (steps < 0.0).sum(axis=0)
        if ups.any() and downs.any():
            return False
        least_v = min(least_v, np.abs(steps[steps != 0.0]).min(initial=np.inf))
    apart = ups + downs
    if np.count_nonzero(apart >= LEAST_CHANGES) < max(3, (log.cells - 1) // 2):
        return False
    level = apart < (1.0 - TOUCH_SHARE) * log.rows
    if log.cells >= MANY_CELLS:
        return 2 * int(np.count_nonzero(level)) > level.size
    return bool(least_v < FINE_V and level.all())


def without_copies(log: Log) -> tuple[Log, list[list[int]]]:
    """The log with each reading once, under the first of its cells, the others taken as not read;
    and the cells (indices) that share one. Where all do it comes back as it is.
    """
    groups: list[list[int]] = []
    for i in range(log.cells):
        mine = next((g for g in groups if _same(log.cell_v[:, g[0]], log.cell_v[:, i])), None)
        mine.append(i) if mine is not None else groups.append([i])
    groups = [g for g in groups if len(g) > 1 and _moves(log.cell_v[:, g[0]])]
    again = [i for g in groups for i in g[1:]]
    if not again or len(again) == log.cells - 1:
        return log, []
    cell_v = log.cell_v.copy()
    cell_v[:, again] = np.nan
    return replace(log, cell_v=cell_v), groups


def told_copies(groups: list[list[int]]) -> list[str]:
    """What is to be said of them."""
    return [
        f"{names(cells)} show one and the same voltage in every row: only one of them is read. "
        f"What is said of cell {cells[0] + 1} may be true of another of these. Look at how the "
        "columns were taken, and at the sense leads."
        for cells in groups
    ]


def _same(one: NDArray[np.floating], other: NDArray[np.floating]) -> bool:
    """Whether two readings are one in every row; soon told where they are not."""
    some = slice(None, None, max(1, one.size // 500))
    return _equal(one[some], other[some]) and _equal(one, other)


def _equal(one: NDArray[np.floating], other: NDArray[np.floating]) -> bool:
    return bool(np.array_equal(one, other, equal_nan=True))


def _moves(own_v: NDArray[np.floating]) -> bool:
    known = own_v[np.isfinite(own_v)]
    return int(np.count_nonzero(np.diff(known))) >= LEAST_CHANGES
