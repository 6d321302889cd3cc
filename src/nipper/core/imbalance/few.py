"""Logs that hold the highest and the lowest cell of each row only, the others at the mean that is
left for them (:mod:`nipper.core.logs.extremes`): what may be judged by them, and how surely.

A cell that stands out is the highest or the lowest where it does, so its charge, drift, capacity
and resistance show. Steps of neighbours against each other, single jumps and warmth do not: a cell
leaps to the mean and back. Which causes hold was tried on 72 logs with known answers, cut down so.
"""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from nipper.core.imbalance.causes_base import Cause
from nipper.core.logs.model import Log

Floats = NDArray[np.floating]

TOLD_BY_ENDS = frozenset(
    {"soc_offset", "self_discharge", "low_capacity", "high_resistance", "sense_bias"}
)
MOST_SURE = 0.65  # of 44 that were named on these 72, 29 were right
LEAST_CELLS, MANY_CELLS = 4, 6  # of many, all but two show one voltage on no meter that is of use
LOOKED_AT = 4000  # rows, over the whole log
SHARE = 0.98  # of the rows
STEP_V, OFF_STEP, BETWEEN = 1e-3, 0.05, 0.01
ADVICE = (
    "Only the highest and the lowest cell of each row are in this log, the others stand at the "
    "mean of the rest: what one cell holds, loses or resists shows, leads, joints, warmth and "
    "several cells at once do not, and that all is well cannot be told. Record every cell."
)


def ends_only(log: Log) -> bool:
    """Whether in nearly every row all cells but two show one voltage: of a few cells, one that
    falls between the steps of their meter as well.
    """
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
    return log.cells >= MANY_CELLS or _between(mean[alike]) > _between(some.max(axis=1)) + BETWEEN


def _between(volts: Floats) -> float:
    """The share of readings that fall between the steps of a meter."""
    steps: Floats = volts / STEP_V
    off: Floats = np.abs(steps - np.round(steps))
    return float(np.mean(off > OFF_STEP))


def of_the_ends(causes: Sequence[Cause]) -> list[Cause]:
    """The findings that such a log can tell, none surer than it may be."""
    told = (c for c in causes if c.cause in TOLD_BY_ENDS)
    return [replace(c, confidence=min(c.confidence, MOST_SURE)) for c in told]
