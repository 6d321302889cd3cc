"""Logs written on change: a value stands until the next one, for a sensible while."""

import numpy as np
import polars as pl
from numpy.typing import NDArray

from nipper.core.logs.model import Log

Floats = NDArray[np.floating]


def stands(values: Floats, failed: NDArray[np.bool_], time_s: Floats, hold_s: float) -> Floats:
    """Values with each blank as the one before it, where that is no older than ``hold_s``.

    Parameters
    ----------
    values : float[n]
    failed : bool[n], where it is written that nothing could be read: no value stands from there
    time_s : float64[n], rising
    """
    told = np.isfinite(values) | failed
    at = np.maximum.accumulate(np.where(told, np.arange(values.size), -1))
    safe = np.maximum(at, 0)
    stale = (at < 0) | (time_s - time_s[safe] > hold_s)
    return np.where(stale, np.nan, values[safe]).astype(values.dtype)


def words_stand(texts: pl.Series) -> pl.Series:
    """A state stands until another one is written, however long that takes."""
    return texts.str.strip_chars().replace("", None).forward_fill()


def in_rounds(log: Log, written: NDArray[np.bool_]) -> Log:
    """A row for each round of readings: of rows in which one cell was written after another only
    the last is whole.

    Parameters
    ----------
    log : values held, rows in order of time
    written : bool[n, cells], where a cell's value stands in the table itself
    """
    waits = [np.median(np.diff(log.time_s[w])) for w in written.T if np.count_nonzero(w) > 1]
    round_s = max(1.0, float(np.median(waits)) if waits else 1.0)
    rounds = np.floor(log.time_s / round_s)
    return log.select(np.append(np.diff(rounds) > 0, True))
