"""Whether a log's balancing column can be what it says.

Charge that the balancer is said to have moved is taken out of what a cell gains and loses. A column
that numbers the cells otherwise, or means that balancing is allowed, makes a sound cell leak at
0.98, and hides the one that does.
"""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from nipper.core.imbalance.causes_base import names
from nipper.core.logs.model import Log
from nipper.core.setup import Balancer, Setup

Flags = NDArray[np.bool_]
Rows = NDArray[np.intp]

LOOKED_AT = 20_000  # rows with some cells flagged
FEW = 20  # rows, or times at which a cell begins to be bled
ALWAYS = 0.95  # of all rows: of a day's cycle no balancer runs so long
LEAST_DAYS = 2.0
LOW_SHARE = 0.1  # of the rows, with all cells below the start voltage: else it is no day's cycle
# of the rows bled cells stand lower than the others: with the right numbers at most 0.12 on 106
# logs of four simulators, with those of the cells beside or from the other end mostly a third to
# all
LOWER = 0.2
# and when they begin to be bled, the row before: a bleed pulls its own reading down, so that alone
# is no proof. With the right numbers at most 0.17
LOWER_BEFORE = 0.15


def without_flags(log: Log, setup: Setup) -> tuple[Log, str]:
    """The log without what its balancing column cannot mean, and why; the same and nothing where
    there is no reason to doubt it.
    """
    flags, busy, balancer = log.balancing, log.bled_rows, setup.leveller
    if flags is None or balancer is None or log.cells < 3 or busy.size < FEW:
        return log, ""
    some = busy[~flags[busy].all(axis=1)]
    if not some.size:
        return replace(log, balancing=None), (
            "The balancing column says the same of all cells at all times: that the pack is "
            "balanced, not which cell. It is not used."
        )
    stuck = np.flatnonzero(flags[busy].sum(axis=0) > ALWAYS * log.rows)
    if stuck.size and log.days >= LEAST_DAYS and _goes_low(log, balancer):
        return replace(log, balancing=None), (
            f"{names(stuck.tolist())}: said to be balanced at all times. The balancing column is "
            "not used; if a bleed really is on all the while, its resistor is warm, and the cell "
            "falls."
        )
    if balancer.kind != "passive":
        return log, ""
    share = _lower(log, flags, _some(some))
    if share < LOWER or _lower_before(log, flags, busy) < LOWER_BEFORE:
        return log, ""
    return replace(log, balancing=None), (
        f"The cells that the balancing column names stood lower than the others {share:.0%} of the "
        "time: it counts the cells otherwise, or means something else. It is not used."
    )


def _goes_low(log: Log, balancer: Balancer) -> bool:
    """Whether the log holds hours in which nothing is to be bled: one of the top alone does not."""
    rows = np.arange(0, log.rows, max(1, log.rows // LOOKED_AT))
    highest_v = np.fmax.reduce(log.cell_v[rows], axis=1)
    return int(np.count_nonzero(highest_v < balancer.start_v)) > LOW_SHARE * rows.size


def _lower(log: Log, flags: Flags, rows: Rows) -> float:
    """How often cells that are bled stand lower than those that are not, 0 to 1."""
    return _share(log.cell_v[rows], flags[rows], ~flags[rows], 0.0)


def _lower_before(log: Log, flags: Flags, busy: Rows) -> float:
    """The same of the rows before some begin to be bled; 1 where there are few."""
    after = busy[(busy > 0) & (log.steps_s[busy] > 0.0)]
    rows = _some(after[(flags[after] & ~flags[after - 1]).any(axis=1)])
    now, before = flags[rows], flags[rows - 1]
    return _share(log.cell_v[rows - 1], now & ~before, ~now & ~before, 1.0)


def _some(rows: Rows) -> Rows:
    return rows[:: max(1, rows.size // LOOKED_AT)]


def _share(cell_v: NDArray[np.floating], bled: Flags, others: Flags, few: float) -> float:
    """In which share of the rows the mean of the bled is lower; ``few`` where too few tell."""
    read = np.isfinite(cell_v)
    ones, rest = bled & read, others & read
    tells = np.asarray(ones.any(axis=1) & rest.any(axis=1))
    if tells.sum() < FEW:
        return few
    own, beside = (_mean(cell_v[tells], of[tells]) for of in (ones, rest))
    return float(np.mean(own < beside - 1e-6))


def _mean(cell_v: NDArray[np.floating], of: Flags) -> NDArray[np.floating]:
    return np.asarray(np.sum(cell_v, axis=1, where=of, dtype=np.float64) / of.sum(axis=1))
