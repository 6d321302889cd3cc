"""Charge counted by a log's current, as a measure of where the cells stand."""

import numpy as np
from numpy.typing import NDArray

from nipper.core.logs.charges import IDLE_RATE
from nipper.core.logs.model import Floats, Log
from nipper.core.setup import Setup


def moved_ah(log: Log, setup: Setup) -> Floats:
    """Charge counted while a current plainly flows, float64[rows] Ah: at rest a meter's offset
    counts on, and days of it would pass for another state of charge.
    """
    amps = np.where(_flows(log, setup), np.nan_to_num(log.current_a), 0.0)
    return np.cumsum(amps * log.steps_s) / 3600.0


def anchored_ah(log: Log, setup: Setup, tops_s: Floats) -> Floats:
    """The same from full to full, float64[rows] Ah: 0 at the end of each full charge.

    Over weeks a meter's offset of a thousandth of the capacity an hour adds up to all of it, and
    one count no longer tells one state. What a count is off by from one full charge to the next is
    spread over the time in which a current flowed; across what was not read the rows are counted
    back from the next, with the usual offset.

    Parameters
    ----------
    tops_s : float64[charges], when the full charges ended; may be of a log with more rows
    """
    counted = moved_ah(log, setup)
    tops = np.clip(np.searchsorted(log.time_s, tops_s), 0, log.rows - 1)
    if not tops.size:
        return counted
    flow_s = np.cumsum(np.where(_flows(log, setup), log.steps_s, 0.0))
    unseen = unseen_stretches(log)
    off_ah, over_s = np.diff(counted[tops]), np.diff(flow_s[tops])
    whole = (np.diff(unseen[tops]) == 0) & (over_s > 0.0)
    each_a_s = off_ah[whole] / over_s[whole]
    usual = float(np.median(each_a_s)) if each_a_s.size else 0.0
    rate = np.full(tops.size + 1, usual)  # before the first, between two, after the last
    rate[1:-1][whole] = each_a_s

    past = np.searchsorted(tops, np.arange(log.rows), side="right")
    last, later = np.maximum(past - 1, 0), np.minimum(past, tops.size - 1)
    from_later = (unseen != unseen[tops[last]]) & (unseen == unseen[tops[later]])
    anchor = tops[np.where(from_later, later, last)]
    return counted - counted[anchor] - rate[past] * (flow_s - flow_s[anchor])


def unseen_stretches(log: Log) -> NDArray[np.intp]:
    """How many stretches of each row's past were not counted, int[rows]: gaps, and currents not
    read.
    """
    return np.cumsum((log.steps_s == 0.0) | ~np.isfinite(log.current_a))


def _flows(log: Log, setup: Setup) -> NDArray[np.bool_]:
    return np.abs(np.nan_to_num(log.current_a)) > IDLE_RATE * setup.capacity_ah
