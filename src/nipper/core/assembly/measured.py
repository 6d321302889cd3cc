"""How the packs of a bank really shared, by their logs."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from nipper.core.logs.model import GAP_FLOOR_S, Log

SMALL = 0.03  # of the capacity an hour: below it, sharing is between the packs themselves
LEAST_SAMPLES, MOST_SAMPLES = 50, 40_000


def measured_shares(logs: Sequence[Log], capacity_ah: Sequence[float]) -> tuple[float, ...] | None:
    """Each pack's share of the bank's current, over the time all logs have in common.

    Currents are read at the samples of the first log, the others between theirs; only where the
    whole bank's current is well above nothing. None where the logs have too little in common.
    """
    first = max(float(log.time_s[0]) for log in logs)
    last = min(float(log.time_s[-1]) for log in logs)
    times = logs[0].time_s
    times = times[(times >= first) & (times <= last)]
    if times.size < LEAST_SAMPLES:
        return None
    times = times[:: max(1, times.size // MOST_SAMPLES)]
    amps = np.array([_at(log, times) for log in logs])
    total = amps.sum(axis=0)
    large = np.isfinite(total) & (np.abs(total) > SMALL * sum(capacity_ah))
    if int(large.sum()) < LEAST_SAMPLES:
        return None
    # what each carried of all that flowed, by amount: a regression through nothing
    weight = total[large] / float((total[large] ** 2).sum())
    return tuple(float(own[large] @ weight) for own in amps)


def _at(log: Log, times: NDArray[np.floating]) -> NDArray[np.floating]:
    """A log's current at these times; NaN in its gaps."""
    after = np.clip(np.searchsorted(log.time_s, times), 1, log.rows - 1)
    gap = log.time_s[after] - log.time_s[after - 1]
    read = np.interp(times, log.time_s, log.current_a)
    return np.where(gap > max(GAP_FLOOR_S, 5.0 * log.interval_s), np.nan, read)
