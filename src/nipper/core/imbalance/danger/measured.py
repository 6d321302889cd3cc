"""Readings that a meter disproved.

A meter that shows a sound cell while the BMS shows one that is ruined disproves that reading, and
those like it until the BMS reads the cell soundly again. That a cell is well *now* disproves
nothing: one that came back from far below its sheet reads like any other.
"""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from nipper.core.errors import RangeError
from nipper.core.imbalance.danger.model import DAY_S, PAST_S, Danger, spell
from nipper.core.imbalance.danger.volts import ABOVE_V, BELOW_V, LEAST_S, bears_v, sheet_v
from nipper.core.logs.looked import CellMeasured, Looked
from nipper.core.logs.model import Log
from nipper.core.setup import Setup

MISREAD = (
    "Mend its sense lead, or what reads it; till then nothing ends a charge or a discharge that "
    "harms this cell: use the pack only with someone beside it and a meter on the cell.",
    "A sense lead carries the pack's current into a short: cover what is bare, and unplug the BMS "
    "in the order its maker gives before a lead is touched.",
)


def checked(found: CellMeasured, setup: Setup) -> CellMeasured:
    """The same, where it disproves a reading of the BMS.

    Raises
    ------
    RangeError
        It does not: such a cell is not of this pack, the meter agrees, or the BMS reads it soundly.
    """
    (ruin_low_v, ruin_high_v), (low_v, high_v) = bears_v(setup), _sound_v(setup)
    if found.cell > setup.cells:
        raise RangeError(f"cell {found.cell}: expected one from 1 to {setup.cells}")
    if not ruin_low_v <= found.meter_v <= ruin_high_v:
        raise RangeError(
            f"{found.meter_v:.2f} V by the meter: then the cell is what the log says. Do as it is "
            "told here."
        )
    if not low_v <= found.meter_v <= high_v:
        raise RangeError(
            f"{found.meter_v:.2f} V by the meter is beyond the sheet too: that clears no cell."
        )
    if low_v <= found.bms_v <= high_v:
        raise RangeError(
            "Now the BMS reads it soundly too: what it was before, no meter tells any more. A cell "
            "that came back reads like any other."
        )
    return found


def disproved(log: Log, setup: Setup, looked: Looked) -> tuple[Log, tuple[Danger, ...]]:
    """A log without the readings that a meter disproved, and what is left of the danger: no limit
    guards such a cell until its reading is mended.
    """
    rows_of: dict[int, NDArray[np.intp]] = {}
    meter_v: dict[int, float] = {}
    for at_s, found in looked.cells:
        if found.cell <= log.cells and _clears(found, setup):
            cell = found.cell - 1
            rows = _wrong(log, setup, at_s, found)
            rows_of[cell] = np.union1d(rows_of.get(cell, rows), rows)
            meter_v[cell] = found.meter_v
    if not any(rows.size for rows in rows_of.values()):
        return log, ()
    cell_v = log.cell_v.copy()
    for cell, rows in rows_of.items():
        cell_v[rows, cell] = np.nan
    left = [_misread(log, cell, rows, meter_v[cell]) for cell, rows in rows_of.items()]
    return replace(log, cell_v=cell_v), tuple(danger for danger in left if danger is not None)


def _clears(found: CellMeasured, setup: Setup) -> bool:
    try:
        return bool(checked(found, setup))
    except RangeError:
        return False


def _sound_v(setup: Setup) -> tuple[float, float]:
    low_v, high_v = sheet_v(setup)
    return low_v - BELOW_V, high_v + ABOVE_V


def _wrong(log: Log, setup: Setup, at_s: float, found: CellMeasured) -> NDArray[np.intp]:
    """Rows that read as the BMS did when it was measured: those of the days before it, as far as
    the log goes, to the first sound one after it.
    """
    own_v, (low_v, high_v) = log.cell_v[:, found.cell - 1], _sound_v(setup)
    with np.errstate(invalid="ignore"):
        wrong = own_v < low_v if found.bms_v < low_v else own_v > high_v
        ruin_low_v, ruin_high_v = bears_v(setup)
        if ruin_low_v <= found.bms_v <= ruin_high_v:  # then one that ruins is not disproved by it
            wrong &= (own_v >= ruin_low_v) & (own_v <= ruin_high_v)
        sound = (own_v >= low_v) & (own_v <= high_v)
    sound_after = np.flatnonzero((log.time_s > at_s) & sound)
    behind = sound_after[0] if sound_after.size else log.rows
    wrong[behind:] = False
    from_s = min(at_s, float(log.time_s[-1])) - PAST_S
    return np.flatnonzero(wrong & (log.time_s >= from_s))


def _misread(log: Log, cell: int, rows: NDArray[np.intp], meter_v: float) -> Danger | None:
    seen = spell(log, rows, LEAST_S)
    if seen is None or seen.ago_s >= PAST_S:
        return None
    values = log.cell_v[rows, cell].astype(float)
    worst_v = float(values[np.argmax(np.abs(values - meter_v))])
    who = f"cell {cell + 1} at {worst_v:.2f} V where a meter showed {meter_v:.2f} V"
    when = f"Wrong {seen.words}."
    if seen.ago_s < DAY_S:
        summary, actions = f"The BMS reads {who}: no limit guards it.", (when, *MISREAD)
    else:
        summary, actions = f"The BMS read {who}: look at its lead.", (when,)
    return Danger("misread", (cell,), worst_v, meter_v, "V", seen, summary, actions)
