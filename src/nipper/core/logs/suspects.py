"""What the numbers of a family of cells say against it: a mean among them, sorted values, one value
written for all.
"""

import numpy as np

from nipper.core.logs.column import Floats
from nipper.core.logs.doubt import Doubt
from nipper.core.logs.families import Family

LEAST_TOGETHER = 20  # rows that tell
LEAST_MEAN = 4  # cells, before one is asked whether it is the mean of the others
LEAST_SORTED = 5  # cells: in the order of their voltages four stand by chance
SPREAD_V, ROUNDED_V = 2e-3, 6e-4


def suspicions(family: Family) -> list[Doubt]:
    """Why these may not be the cells of a pack."""
    volts = family.volts()
    whole = volts[np.isfinite(volts).all(axis=1)]
    if len(whole) < LEAST_TOGETHER:
        return []
    out: list[Doubt] = []
    if (at := _mean_among(whole)) is not None:
        text = f"{family.names[at]} is the mean of the others in every row: is it a cell?"
        out.append(Doubt(text, "--map"))
    if _sorted(whole):
        text = "in every row the cells stand in the order of their voltages: are they sorted?"
        out.append(Doubt(text, "--map"))
    if whole.shape[1] > 2 and not np.ptp(whole, axis=1).any():
        out.append(Doubt("all cells read the same in every row: is it one value for all?"))
    return out


def _mean_among(whole: Floats) -> int | None:
    """The first or the last column, where it is the mean of the others."""
    for at in (0, -1) if whole.shape[1] >= LEAST_MEAN else ():
        others = np.delete(whole, at, axis=1)
        if np.median(np.ptp(others, axis=1)) < SPREAD_V:
            continue
        if np.max(np.abs(whole[:, at] - others.mean(axis=1))) < ROUNDED_V:
            return at
    return None


def _sorted(whole: Floats) -> bool:
    """Whether every row rises, or every row falls, from cell to cell."""
    if whole.shape[1] < LEAST_SORTED or np.median(np.ptp(whole, axis=1)) < SPREAD_V:
        return False
    steps = np.diff(whole, axis=1)
    return bool((steps >= 0).all() or (steps <= 0).all())
