"""Logs written on change: a value stands until the next one, for a sensible while."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from nipper.core.logs.model import Log

Floats = NDArray[np.floating]


def held(log: Log, hold_s: float) -> Log:
    """A log with its values held for at most ``hold_s``, and a row for each round of readings.

    Rows between two rounds, in which one cell was written after another, are left out.
    """
    order = np.argsort(log.time_s, kind="stable")
    log = log.select(order)
    written = np.isfinite(log.cell_v)
    waits = [np.median(np.diff(log.time_s[w])) for w in written.T if np.count_nonzero(w) > 1]
    round_s = max(1.0, float(np.median(waits)) if waits else 1.0)
    time_s = log.time_s
    log = replace(
        log,
        cell_v=_held(log.cell_v, time_s, hold_s),
        current_a=_held(log.current_a, time_s, hold_s),
        pack_v=_held(log.pack_v, time_s, hold_s),
        temp_c=_held(log.temp_c, time_s, hold_s),
        soc_pct=None if log.soc_pct is None else _held(log.soc_pct, time_s, hold_s),
    )
    rounds = np.floor(time_s / round_s)
    last = np.append(np.diff(rounds) > 0, True)
    return log.select(last)


def _held(values: Floats, time_s: Floats, hold_s: float) -> Floats:
    table = values.reshape(time_s.size, -1)
    rows = np.arange(time_s.size)[:, None]
    at = np.maximum.accumulate(np.where(np.isfinite(table), rows, -1), axis=0)
    safe = np.maximum(at, 0)
    out = np.take_along_axis(table, safe, axis=0)
    stale = (at < 0) | (time_s[:, None] - time_s[safe] > hold_s)
    return np.where(stale, np.nan, out).astype(values.dtype).reshape(values.shape)
