"""Means of neighbouring rows, for what is too long to be held at once: a year of seconds.

Voltages and currents are averaged over the same rows, so that a resistance, and the charge that is
counted, stay what they were; what lasts shorter than the width is blurred.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from nipper.core.logs.ends import with_ends
from nipper.core.logs.model import Floats, Log

MOST_READINGS = 64_000_000  # of cells, held at once: 46 days of seconds of 16 cells
WIDTHS_S = (2.0, 5.0, 10.0, 15.0, 30.0, 60.0, 120.0, 300.0, 900.0, 3600.0)
LONGEST_S = 1e9  # thirty years: a stranger's bench may hold anything


@dataclass(frozen=True, slots=True)
class Span:
    """A stretch of samples: its first and last moment, Unix s, and its rows."""

    first_s: float
    last_s: float
    rows: int

    def rows_of(self, width_s: float) -> float:
        """How many rows remain of it at most."""
        return min(self.rows, (self.last_s - self.first_s) / width_s + 2.0)


def fitting_width_s(spans: Sequence[Span], cells: int) -> float:
    """The least width, s, by which the stretches of a pack can be held at once; 0 where they can as
    they are.
    """
    most = MOST_READINGS / max(1, cells)
    if sum(span.rows for span in spans) <= most:
        return 0.0
    fits = (w for w in WIDTHS_S if sum(span.rows_of(w) for span in spans) <= most)
    return next(fits, LONGEST_S)


def held_together(logs: Sequence[Log]) -> list[Log]:
    """The logs of a pack so that all can be held at once: as they are, or as means."""
    spans = [Span(float(x.time_s[0]), float(x.time_s[-1]), x.rows) for x in logs if x.rows]
    width_s = fitting_width_s(spans, max((x.cells for x in logs), default=0))
    return [averaged(log, width_s) for log in logs]


def averaged(log: Log, width_s: float) -> Log:
    """The log with one row for each so many seconds in which it has any, their mean.

    Rows further apart stay as they are. A cell counts as balanced where it was for half of the
    rows; what was not read is left out of a mean.
    """
    log = with_ends(log)
    if not width_s or not log.rows:
        return log
    moments = np.floor(log.time_s / width_s)
    starts = np.flatnonzero(np.r_[True, moments[1:] != moments[:-1]])
    if starts.size == log.rows:
        return replace(log, averaged_s=width_s)
    counts = np.diff(np.r_[starts, log.rows])

    def of(values: Floats) -> Floats:
        return _means(values, starts, counts).astype(values.dtype)

    def of_each(table: Floats) -> Floats:
        out = np.empty((starts.size, table.shape[1]), table.dtype, order="F")
        for i in range(table.shape[1]):
            out[:, i] = _means(table[:, i], starts, counts)
        return out

    balanced = log.balancing
    return replace(
        log,
        time_s=log.time_s[0] + of(log.time_s - log.time_s[0]),
        current_a=of(log.current_a),
        pack_v=of(log.pack_v),
        cell_v=of_each(log.cell_v),
        temp_c=of_each(log.temp_c),
        soc_pct=None if log.soc_pct is None else of(log.soc_pct),
        balancing=None if balanced is None else _mostly(balanced, starts, counts),
        averaged_s=width_s,
    )


def _mostly(
    flags: NDArray[np.bool_], starts: NDArray[np.intp], counts: NDArray[np.intp]
) -> NDArray[np.bool_]:
    out = np.zeros((starts.size, flags.shape[1]), bool)
    for i in np.flatnonzero(flags.any(axis=0)):
        out[:, i] = 2 * np.add.reduceat(flags[:, i], starts, dtype=np.intp) >= counts
    return out


def _means(values: Floats, starts: NDArray[np.intp], counts: NDArray[np.intp]) -> Floats:
    """Mean of each group of rows, float64; NaN where nothing of it was read."""
    sums = np.add.reduceat(values, starts, dtype=np.float64)
    if np.isfinite(sums).all():
        return sums / counts
    read = np.isfinite(values)
    some = np.add.reduceat(read, starts, dtype=np.intp)
    sums = np.add.reduceat(np.where(read, values, 0.0), starts, dtype=np.float64)
    return np.where(some > 0, sums / np.maximum(some, 1), np.nan)
