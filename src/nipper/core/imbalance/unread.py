"""Cells that a log does not read: never, not where it counts, by a number that stands still, or by
one that no cell can have.

Who does not see a cell cannot call it healthy, and a reading that stands still looks like charge: a
cell held at 3.33 V among others at 3.45 V was told to be fed.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from nipper.core.chemistry import chemistry
from nipper.core.imbalance.causes_base import names
from nipper.core.imbalance.copies import told_copies, without_copies
from nipper.core.imbalance.flags import without_flags
from nipper.core.logs.charges import Charge
from nipper.core.logs.ends import ends_only
from nipper.core.logs.model import Log, nanmedian
from nipper.core.setup import Setup

Floats = NDArray[np.floating]

LOOKED_AT = 20_000  # rows, evenly over the log
STILL_ROWS, STILL_S = 20, 3 * 3600.0  # so long a stretch of one and the same number
# V that the median cell moves meanwhile, and meter steps: a cell of low resistance on a coarse
# meter keeps its number for long, but not through this (from memory)
MOVES_V, MOVES_STEPS = 0.03, 5.0
FLAT_FROM_PCT = 18.0
LAST_ROWS = 20
# V, in one row and back: a joint of 10 mohm does no more, and is hot by then
SPIKE_V, SPIKE_OHM, BACK_V = 0.5, 0.010, 0.1
OVER_FULL_V, LEAST_V = 1.0, 0.5  # above the rest voltage of a full cell, and of any cell
FEW_ROWS = 3
BLOCK_ROWS = 20_000


@dataclass(frozen=True, eq=False, slots=True)
class Still:
    """Where readings stand still: bool[cells], for how long, s, the number each showed last, V, and
    how far the median cell moved meanwhile, V.
    """

    cells: NDArray[np.bool_]
    lasted_s: Floats
    shown_v: Floats
    moved_v: Floats


@dataclass(frozen=True, eq=False, slots=True)
class LeftOut:
    """Readings that are none: how many of each cell no cell can have, where they stood still,
    cells (indices) that share one reading, and what is wrong with the balancing column, in words.
    """

    spikes: NDArray[np.intp]
    still: Still
    copies: list[list[int]]
    flags: str


def readings_only(log: Log, setup: Setup) -> tuple[Log, LeftOut]:
    """The log with what is no cell's reading taken as none, and what that was."""
    means = ends_only(log)  # of which many are one value, and no copy
    log, spikes = without_spikes(log, setup)
    log, still = without_still(log, setup)
    log, copies = (log, list[list[int]]()) if means else without_copies(log)
    log, flags = without_flags(log, setup)
    return log, LeftOut(spikes, still, copies, flags)


def without_spikes(log: Log, setup: Setup) -> tuple[Log, NDArray[np.intp]]:
    """The log with readings that no cell can have taken as none, and how many of each cell: from
    a BMS's bus that stumbles.

    A jump of one row and back, beyond what any joint makes of its current, with no neighbour
    jumping the other way (which is a sense lead's); and what lies outside of all cells.
    """
    highest_v = float(chemistry(setup.chemistry).curve.ocv(100.0)) + OVER_FULL_V
    spikes = np.zeros(log.cells, np.intp)
    cell_v = log.cell_v
    for i in _suspects(log.cell_v, highest_v):
        own_v = log.cell_v[:, i]
        rows = np.flatnonzero((own_v > highest_v) | (own_v < LEAST_V))
        rows = np.union1d(rows, _jumps(log, i))
        spikes[i] = rows.size
        if rows.size:
            cell_v = cell_v.copy() if cell_v is log.cell_v else cell_v
            cell_v[rows, i] = np.nan
    return (log, spikes) if cell_v is log.cell_v else (replace(log, cell_v=cell_v), spikes)


def _suspects(cell_v: Floats, highest_v: float) -> list[int]:
    """Cells (indices) with a jump or a reading out of bounds: seldom any, and then few."""
    found = np.zeros(cell_v.shape[1], bool)
    for first in range(0, len(cell_v), BLOCK_ROWS):  # so that the steps of a month need no memory
        block = cell_v[first : first + BLOCK_ROWS + 1]
        with np.errstate(invalid="ignore"):  # what is infinite is out of bounds
            found |= (np.abs(np.diff(block, axis=0)) > SPIKE_V).any(axis=0)
        found |= ((block > highest_v) | (block < LEAST_V)).any(axis=0)
    return [int(i) for i in np.flatnonzero(found)]


def _jumps(log: Log, cell: int) -> NDArray[np.intp]:
    """Rows in which a cell jumps alone, and is back in the next."""
    with np.errstate(invalid="ignore"):
        steps = np.diff(log.cell_v[:, cell])
    rows = np.flatnonzero(np.abs(steps[:-1]) > SPIKE_V) + 1
    if not rows.size:
        return rows
    before, after = steps[rows - 1], steps[rows]
    amps = np.nan_to_num(np.abs(log.current_a))
    most_a = np.maximum(np.maximum(amps[rows - 1], amps[rows]), amps[rows + 1])
    size = np.minimum(np.abs(before), np.abs(after))
    alone = np.abs(before + after) < BACK_V
    alone &= size > np.maximum(SPIKE_V, SPIKE_OHM * most_a)
    for beside in (cell - 1, cell + 1):
        if 0 <= beside < log.cells:
            alone &= ~(np.abs(log.cell_v[rows, beside] - log.cell_v[rows - 1, beside]) > BACK_V)
    return rows[alone]


def without_still(log: Log, setup: Setup) -> tuple[Log, Still]:
    """The log with readings that stand still taken as none; the same where there are none.

    On LFP only what the median cell moves between its knees counts: a cell that lies on the flat,
    while the others are at a knee, keeps its number rightly.
    """
    cells = log.cells
    still = Still(
        np.zeros(cells, bool), np.zeros(cells), np.full(cells, np.nan), np.full(cells, np.nan)
    )
    rows = np.arange(0, log.rows, max(1, log.rows // LOOKED_AT))
    if rows.size < STILL_ROWS or cells < 2:
        return log, still
    sample = log.cell_v[rows].astype(float)
    herd, time_s = nanmedian(sample.T), log.time_s[rows]
    if setup.flat:
        chem = chemistry(setup.chemistry)
        herd = np.clip(herd, float(chem.curve.ocv(FLAT_FROM_PCT)), chem.knee_v)
    least_v = max(MOVES_V, MOVES_STEPS * _step_v(sample))
    cell_v = log.cell_v
    for i in range(cells):
        for first, last, moved_v in _stretches(sample[:, i], herd, time_s, least_v):
            cell_v = cell_v.copy() if cell_v is log.cell_v else cell_v
            cell_v[(log.time_s >= time_s[first]) & (log.time_s <= time_s[last]), i] = np.nan
            still.cells[i], still.shown_v[i] = True, sample[first, i]
            still.lasted_s[i] += time_s[last] - time_s[first]
            still.moved_v[i] = np.fmax(still.moved_v[i], moved_v)
    return (log, still) if cell_v is log.cell_v else (replace(log, cell_v=cell_v), still)


def _stretches(
    own_v: Floats, herd_v: Floats, time_s: Floats, least_v: float
) -> list[tuple[int, int, float]]:
    """First and last row of each stretch of one number, and how far the herd moves in it, V."""
    starts = np.flatnonzero(np.r_[True, own_v[1:] != own_v[:-1]])  # no reading is like no other
    known = np.where(np.isfinite(herd_v), herd_v, np.nan)
    moved = np.fmax.reduceat(known, starts) - np.fmin.reduceat(known, starts)
    ends = np.r_[starts[1:], own_v.size] - 1
    long = (ends - starts >= STILL_ROWS) & (time_s[ends] - time_s[starts] >= STILL_S)
    return [
        (int(starts[j]), int(ends[j]), float(moved[j]))
        for j in np.flatnonzero(long & (moved >= least_v))
    ]


def _step_v(sample: Floats) -> float:
    """The meter's least step, V."""
    steps = np.abs(np.diff(sample, axis=0))
    steps = steps[np.isfinite(steps) & (steps > 1e-5)]
    return float(np.percentile(steps, 2)) if steps.size else 0.0


def unread(log: Log, full: Sequence[Charge]) -> list[int]:
    """Cells (indices) without a reading in the whole log, at the end of its last full charge, or at
    its own end.
    """
    ends = [log.rows, *([full[-1].top + 1] if full else [])]
    missed = np.array([not np.isfinite(log.cell_v[:, i]).any() for i in range(log.cells)], bool)
    for end in ends:
        rows = log.cell_v[max(0, end - BLOCK_ROWS) : end]
        seen = np.flatnonzero(2 * np.isfinite(rows).sum(axis=1) >= log.cells)[-LAST_ROWS:]
        if seen.size:
            missed |= ~np.isfinite(rows[seen]).any(axis=0)
    return [int(i) for i in np.flatnonzero(missed)]


def told_unread(log: Log, missed: Sequence[int], left: LeftOut) -> list[str]:
    """What to look at before anything else; empty where every cell is read. ``missed`` are those
    cells (indices) that :func:`unread` names.
    """
    still, spikes = left.still, left.spikes
    jumpy = np.flatnonzero((spikes >= FEW_ROWS) & (spikes < log.rows // 2))
    out = told_copies(left.copies)
    out += [
        f"{names([int(i)])}: {spikes[i]} readings of this log are no sound cell's (out of all "
        "bounds, or away and back in one row) and were left out. Look at the sense lead and at the "
        "BMS's bus."
        for i in jumpy
    ]
    out += [_told_still(int(i), still) for i in np.flatnonzero(still.cells)]
    told = {i for cells in left.copies for i in cells} | set(np.flatnonzero(still.cells).tolist())
    missed = [i for i in missed if i not in told]
    never = [i for i in missed if not np.isfinite(log.cell_v[:, i]).any()]
    at_times = [i for i in missed if i not in never]
    if left.flags:
        out.append(left.flags)
    if never:
        out.append(
            f"{names(never)} gave no reading in this log: look at the sense lead, and at how the "
            "table's columns were taken. A shorted cell reads nothing too: measure it before you "
            "charge. No cell is judged unseen, and no pack is healthy with one."
        )
    if at_times:
        out.append(
            f"{names(at_times)} gave no reading at the end of the log or of its last full charge: "
            "look at the sense lead. A shorted cell reads nothing too: measure it before you "
            "charge. No cell is judged unseen, and no pack is healthy with one."
        )
    return out


def _told_still(cell: int, still: Still) -> str:
    return (
        f"{names([cell])} showed {still.shown_v[cell]:.3f} V for "
        f"{still.lasted_s[cell] / 3600.0:.0f} h while the others moved by "
        f"{1e3 * still.moved_v[cell]:.0f} mV: its reading stood still and was left out. Look at "
        "the sense lead and at the BMS, and feed or bleed nothing on account of that number."
    )
