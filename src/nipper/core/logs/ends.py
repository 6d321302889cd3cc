"""Whether a log holds the highest and the lowest cell of each row only, the others at one mean
(:mod:`.extremes`): a bench keeps it as it keeps any other, and by this it is known again.
"""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from nipper.core.logs.model import Log

Floats = NDArray[np.floating]
LEAST_CELLS, MANY_CELLS = 4, 6  # of many, all but two show one voltage on no meter that is of use
LOOKED_AT = 4000  # rows, over the whole log
SHARE = 0.98  # of the rows
STEP_V, OFF_STEP, BETWEEN = 1e-3, 0.05, 0.01
LEAST_ROWS = 200  # of a stretch that tells by itself


def ends_only(log: Log, sure: bool = False) -> bool:
    """Whether in nearly every row all cells but two show one voltage: of a few cells, or to be
    ``sure``, one that falls between the steps of their meter as well.
    """
    if log.ends:
        return True
    if log.cells < LEAST_CELLS or log.rows < 2:
        return False
    some = log.cell_v[:: max(1, log.rows // LOOKED_AT)].astype(np.float64)
    some = some[np.isfinite(some).all(axis=1)]
    if not len(some):
        return False
    mean: Floats = np.median(some, axis=1)
    alike: NDArray[np.bool_] = (some == mean[:, None]).sum(axis=1) >= log.cells - 2
    if float(np.mean(alike)) < SHARE or not np.ptp(some, axis=1).any():
        return False
    many = log.cells >= MANY_CELLS and not sure
    return many or _between(mean[alike]) > _between(some.max(axis=1)) + BETWEEN


def _between(volts: Floats) -> float:
    """The share of readings that fall between the steps of a meter."""
    steps: Floats = volts / STEP_V
    off: Floats = np.abs(steps - np.round(steps))
    return float(np.mean(off > OFF_STEP))


def with_ends(log: Log) -> Log:
    """A stretch with what its rows tell of that: means over some of them, or of another stretch
    beside it, tell it no more.
    """
    told = log.rows >= LEAST_ROWS and ends_only(log, sure=True)
    return replace(log, ends=True) if told and not log.ends else log
