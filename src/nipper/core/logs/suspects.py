"""What the numbers of a family of cells say against it: a mean among them."""

import numpy as np

from nipper.core.logs.column import Floats
from nipper.core.logs.doubt import Doubt
from nipper.core.logs.families import Family

LEAST_TOGETHER = 20  # rows that tell
LEAST_MEAN = 4  # cells, before one is asked whether it is the mean of the others
SPREAD_V, ROUNDED_V = 2e-3, 6e-4
FILLED_SHARE = 0.9  # of the rows


def suspicions(family: Family) -> list[Doubt]:
    """Why these may not be the cells of a pack."""
    volts = family.volts()
    whole = volts[np.isfinite(volts).all(axis=1)]
    if len(whole) < LEAST_TOGETHER:
        return []
    at = _mean_among(whole)
    if at is None:
        return []
    text = f"{family.names[at]} is the mean of the others in every row: is it a cell?"
    return [Doubt(text, "--map")]


def _mean_among(whole: Floats) -> int | None:
    """The first or the last column, where it is the mean of the others; not where all but two show
    it, as in a table of the highest and the lowest cell.
    """
    for at in (0, -1) if whole.shape[1] >= LEAST_MEAN else ():
        others = np.delete(whole, at, axis=1)
        if np.median(np.ptp(others, axis=1)) < SPREAD_V:
            continue
        filled = (others == whole[:, [at]]).sum(axis=1) >= others.shape[1] - 2
        if np.mean(filled) > FILLED_SHARE:
            continue
        if np.max(np.abs(whole[:, at] - others.mean(axis=1))) < ROUNDED_V:
            return at
    return None
