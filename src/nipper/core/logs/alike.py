"""Logs of which no column is of one cell: one reading for all of them, or sorted by height."""

import numpy as np
from numpy.typing import NDArray

from nipper.core.logs.doubt import Doubt
from nipper.core.logs.model import Log

MANY_CELLS = 6  # ordered by chance in one pack of 360
FINE_V, TOUCH_SHARE = 0.0015, 0.01  # of a meter's step, and of the rows in which they are level
LEAST_CHANGES = 200  # of a reading, all of them at once: no two cells on the coarsest meter do that
BLOCK_ROWS = 20_000


def all_alike(log: Log) -> bool:
    """Whether all cells show one voltage in every row."""
    first = log.cell_v[:, 0] if log.cells > 1 else np.empty(0)
    return moves(first) and all(same(first, log.cell_v[:, i]) for i in range(1, log.cells))


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


def alike_doubts(log: Log) -> list[Doubt]:
    """Why these may not be the cells of a pack; the diagnosis judges nothing by them."""
    if all_alike(log):
        return [Doubt("all cells read the same in every row: is it one value for all?")]
    if by_height(log):
        text = "in every row the cells stand in the order of their voltages: are they sorted?"
        return [Doubt(text, "--map")]
    return []


def same(one: NDArray[np.floating], other: NDArray[np.floating]) -> bool:
    """Whether two readings are one in every row; soon told where they are not."""
    some = slice(None, None, max(1, one.size // 500))
    return _equal(one[some], other[some]) and _equal(one, other)


def _equal(one: NDArray[np.floating], other: NDArray[np.floating]) -> bool:
    return bool(np.array_equal(one, other, equal_nan=True))


def moves(own_v: NDArray[np.floating]) -> bool:
    """Whether a reading changes often enough to be told from a copy of it."""
    known = own_v[np.isfinite(own_v)]
    return int(np.count_nonzero(np.diff(known))) >= LEAST_CHANGES
