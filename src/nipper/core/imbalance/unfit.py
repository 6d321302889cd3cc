"""Why a log cannot be of the cells that the settings speak of, or cannot be right in itself.

Of another chemistry curve, knee and targets would be wrong, of a current without its sign or of
another scale every charge would be, and what follows from them dangerous.
"""

from collections.abc import Iterator

import numpy as np

from nipper.core.chemistry import chemistry
from nipper.core.imbalance.counted import MOST_COUNTED, one_way_ah
from nipper.core.imbalance.estimate import Estimate
from nipper.core.logs.alike import all_alike, by_height
from nipper.core.logs.amount import MOST_WAY
from nipper.core.logs.guess import other_chemistry
from nipper.core.logs.model import Log
from nipper.core.setup import Setup

LOOKED_AT = 5000  # rows
ABOVE_V = 0.1  # the sheet's highest


def unfit(known: Estimate, log: Log, setup: Setup, counted: float | None) -> str:
    """Why nothing is to be judged by this log; empty where it is. ``counted`` is the share of the
    charge that it counts, by :func:`counted_share`.
    """
    return next(_reasons(known, log, setup, counted), "")


def _if_right(log: Log, setup: Setup) -> str:
    """What it would mean if the settings were right all the same: a whole pack can be ruined."""
    chem, usual_v = chemistry(setup.chemistry), float(np.nanmedian(log.cell_v[:: _every(log)]))
    if usual_v < chem.min_v:
        return (
            f" If they are {chem.title} cells all the same, they are far below their sheet: then "
            "charge none of them, and ask their maker."
        )
    if usual_v > chem.max_v + ABOVE_V:
        return (
            f" If they are {chem.title} cells all the same, they are far above their sheet: then "
            "let nothing charge, stay clear of them, and call for help if any is warm or swollen."
        )
    return ""


def _every(log: Log) -> int:
    return max(1, log.rows // LOOKED_AT)


def _reasons(known: Estimate, log: Log, setup: Setup, counted: float | None) -> Iterator[str]:
    other = other_chemistry(log, setup.chemistry, setup.capacity_ah)
    if other is not None:
        told = (
            f"By their voltages these are {chemistry(other).title} cells, and the settings say "
            f"{chemistry(setup.chemistry).title}: nothing is judged until that is put right. "
            "Do not charge by these settings."
        )
        yield f"{told}{_if_right(log, setup)}"
    if all_alike(log):
        yield (
            "All cells of this log show the same voltage in every row: that is the pack's, divided "
            "by their number, and no reading of any cell. Nothing can be judged by it. Record the "
            "cells themselves."
        )
    if by_height(log):
        yield (
            "In every row of this log the cells stand in order of their voltage: they were sorted, "
            "and no column is of one cell. Nothing can be judged by it. Record each cell under its "
            "own name."
        )
    went_ah = one_way_ah(log, setup)
    if abs(went_ah) > MOST_WAY * setup.capacity_ah:
        yield (
            f"In one stretch of this log {abs(went_ah):.0f} Ah went one way through cells of "
            f"{setup.capacity_ah:g} Ah, and hardly any the other: its current has no sign, or one "
            "direction is missing. Nothing is judged until that is put right."
        )
    if known.turned:
        yield (
            "Voltages fall where, by this log, more current charges: its current has the wrong "
            "sign. Take the log in again with the sign turned; until then nothing is judged."
        )
    most_ah = max((c.charged_ah for c in known.charges), default=0.0)
    if most_ah > MOST_WAY * setup.capacity_ah:
        yield (
            f"One charge put {most_ah:.0f} Ah into cells of {setup.capacity_ah:g} Ah: the unit or "
            "the scale of the log's current is wrong, or the capacity of the settings. Nothing is "
            "judged until that is put right, for every size would be wrong by as much."
        )
    if counted is not None and counted > MOST_COUNTED:
        yield (
            f"By their voltages the cells went through {100.0 / counted:.0f} % of the charge that "
            "the log counts: the unit or the scale of its current is wrong, or the capacity of the "
            "settings. Nothing is judged until that is put right, for every size would be wrong by "
            "as much."
        )
