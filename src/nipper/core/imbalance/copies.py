"""Columns of a log that are no cell's own: one reading under several names.

A table that was put together by hand, a map of registers with one address twice, or a BMS that
shows the pack's voltage divided by the cells: who is not read looks as healthy as its neighbour.
"""

from dataclasses import replace

import numpy as np

from nipper.core.imbalance.causes_base import names
from nipper.core.logs.alike import moves, same
from nipper.core.logs.model import Log


def without_copies(log: Log) -> tuple[Log, list[list[int]]]:
    """The log with each reading once, under the first of its cells, the others taken as not read;
    and the cells (indices) that share one. Where all do it comes back as it is.
    """
    groups: list[list[int]] = []
    for i in range(log.cells):
        mine = next((g for g in groups if same(log.cell_v[:, g[0]], log.cell_v[:, i])), None)
        mine.append(i) if mine is not None else groups.append([i])
    groups = [g for g in groups if len(g) > 1 and moves(log.cell_v[:, g[0]])]
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
