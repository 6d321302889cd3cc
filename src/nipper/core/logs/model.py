"""A log in memory: columns as arrays, in volts, amperes, Unix seconds; charging current
positive.
"""

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from nipper.core.logs.resets import days_gone

Floats = NDArray[np.floating]

LEAST_ALIKE = 4  # cells that show one value
LEAST_TIMES = 3  # a value that stands for none comes
FAR_V = 1.0  # from the middle: a full or an empty pack is nearer
FEW_ROWS = 500
GAP_FLOOR_S = (
    600.0  # a pause this long is a gap whatever the interval; nothing is integrated across it
)


@dataclass(frozen=True, eq=False)  # no slots: the cached properties live in the instance
class Log:
    """Samples of one pack, oldest first.

    Parameters
    ----------
    time_s : float64[n]
        Unix seconds, strictly rising.
    current_a : float64[n]
        Pack current; charging is positive. NaN where not read.
    pack_v : float64[n]
        Pack voltage; the sum of the cells where the log has none.
    cell_v : float32[n, cells]
        Cell voltages. NaN where not read or impossible.
    temp_c : float32[n, sensors]
        May have no columns.
    soc_pct : float32[n] or None
        As the BMS counts it.
    balancing : bool[n, cells] or None
        True where that cell is being balanced.
    unreadable : int
        Rows that were left out because no cell could be read in them.
    averaged_s : float
        Rows are means of so many seconds; 0 where they are as they were recorded.
    redated : int
        Rows of a clock that had begun anew, moved to where they stand in the file.
    ends : bool
        Some of it is known to hold the highest and the lowest cell only.
    """

    time_s: NDArray[np.floating]
    current_a: NDArray[np.floating]
    pack_v: NDArray[np.floating]
    cell_v: NDArray[np.floating]
    temp_c: NDArray[np.floating]
    soc_pct: NDArray[np.floating] | None = None
    balancing: NDArray[np.bool_] | None = None
    unreadable: int = 0
    averaged_s: float = 0.0
    redated: int = 0
    ends: bool = False

    @property
    def rows(self) -> int:
        """Number of samples."""
        return self.time_s.size

    @property
    def cells(self) -> int:
        """Cells in series."""
        return self.cell_v.shape[1]

    @cached_property
    def days(self) -> float:
        """Time from first to last sample, without leaps of the clock, days."""
        return days_gone(self.time_s)

    @cached_property
    def interval_s(self) -> float:
        """Usual time between samples (median), s."""
        return float(np.median(np.diff(self.time_s))) if self.rows > 1 else 0.0

    @cached_property
    def steps_s(self) -> NDArray[np.floating]:
        """Time each sample stands for, float64[n] s; 0 at the start of the log and across gaps."""
        steps = np.diff(self.time_s, prepend=self.time_s[:1])
        return np.where(steps > max(GAP_FLOOR_S, 5.0 * self.interval_s), 0.0, steps)

    @cached_property
    def charge_ah(self) -> NDArray[np.floating]:
        """Charge counted since the first sample, float64[n] Ah (trapezoid); stands still across
        gaps and unread currents.
        """
        current = np.nan_to_num(self.current_a)
        mean = 0.5 * (current + np.concatenate([current[:1], current[:-1]]))
        return np.cumsum(mean * self.steps_s) / 3600.0

    @cached_property
    def mean_cell_v(self) -> NDArray[np.floating]:
        """Mean of the cells at each sample, float64[n] V, from the cells themselves (a pack reading
        is coarser).
        """
        mean = np.asarray(np.mean(self.cell_v, axis=1, dtype=np.float64))
        gaps = np.flatnonzero(~np.isfinite(mean))
        some = gaps[np.isfinite(self.cell_v[gaps]).any(axis=1)]
        if some.size:
            mean[some] = np.nanmean(self.cell_v[some], axis=1, dtype=np.float64)
        return mean

    @cached_property
    def bled_rows(self) -> NDArray[np.intp]:
        """Rows in which some cell is balanced; none where the log does not say."""
        if self.balancing is None:
            return np.empty(0, np.intp)
        return np.flatnonzero(self.balancing.any(axis=1))

    def select(self, rows: slice | NDArray[np.bool_] | NDArray[np.intp]) -> "Log":
        """The samples of a slice, mask or index."""
        return replace(
            self,
            time_s=self.time_s[rows],
            current_a=self.current_a[rows],
            pack_v=self.pack_v[rows],
            cell_v=self.cell_v[rows],
            temp_c=self.temp_c[rows],
            soc_pct=None if self.soc_pct is None else self.soc_pct[rows],
            balancing=None if self.balancing is None else self.balancing[rows],
        )


def solved(gram: Floats, right: Floats) -> Floats:
    """The solution of a system of linear equations."""
    answer: Any = np.linalg.solve(gram, right)
    return answer


def nanmedian(table: Floats) -> Floats:
    """Median of each column without what is not known; NaN, in silence, where nothing is."""
    out = np.full(table.shape[1], np.nan)
    if 0 < table.shape[0] <= FEW_ROWS:  # NumPy's own goes column by column, a hundredfold slower
        ordered = np.sort(table, axis=0)  # what is not known stands last
        if not np.isnan(ordered[-1]).any():
            return ordered[[(len(table) - 1) // 2, len(table) // 2]].mean(axis=0)
        known = table.shape[0] - np.isnan(table).sum(axis=0)
        middle = np.stack([np.maximum(known - 1, 0) // 2, np.minimum(known // 2, len(table) - 1)])
        pair = np.take_along_axis(ordered, middle, axis=0)
        return np.where(known > 0, pair.mean(axis=0), out)
    read = np.isfinite(table).any(axis=0)
    out[read] = np.nanmedian(table[:, read], axis=0)
    return out


def without_placeholder(cell_v: Floats) -> tuple[Floats, int]:
    """Without the rows in which all cells show one and the same value that stands far from all
    others, again and again: it says that none was read. And how many these are.
    """
    if cell_v.shape[1] < LEAST_ALIKE or not cell_v.shape[0]:
        return cell_v, 0
    first = cell_v[:, 0]
    with np.errstate(invalid="ignore"):
        far = np.abs(first - np.nanmedian(first)) > FAR_V if np.isfinite(first).any() else first > 9
        alike = np.flatnonzero(far)
    alike = alike[(cell_v[alike] == first[alike, None]).all(axis=1)]
    values, counts = np.unique(first[alike], return_counts=True)
    rows = alike[np.isin(first[alike], values[counts >= LEAST_TIMES])]
    if not rows.size or rows.size > 0.5 * first.size:
        return cell_v, 0
    cell_v = cell_v.copy(order="F")
    cell_v[rows] = np.nan
    return cell_v, int(rows.size)


def summed_v(cell_v: Floats) -> Floats:
    """Sum of the cells of each row, V; those that are not read taken as the mean of the others."""
    total = np.asarray(np.sum(cell_v, axis=1, dtype=np.float64))
    some = np.flatnonzero(~np.isfinite(total))
    if some.size:
        read = np.isfinite(cell_v[some]).sum(axis=1)
        share = np.where(read, cell_v.shape[1] / np.maximum(read, 1), np.nan)
        total[some] = np.nansum(cell_v[some], axis=1, dtype=np.float64) * share
    return total


def join(logs: list[Log]) -> Log:
    """One log of several of the same pack, in order of time, each moment once (the first given
    wins).
    """
    if len(logs) == 1:
        return logs[0]
    whole = Log(
        time_s=np.concatenate([log.time_s for log in logs]),
        current_a=np.concatenate([log.current_a for log in logs]),
        pack_v=np.concatenate([log.pack_v for log in logs]),
        cell_v=np.concatenate([log.cell_v for log in logs]),
        temp_c=_same_width([log.temp_c for log in logs]),
        soc_pct=np.concatenate([_column(log.soc_pct, log.rows) for log in logs])
        if any(log.soc_pct is not None for log in logs)
        else None,
        balancing=np.concatenate(
            [
                np.zeros(log.cell_v.shape, bool) if log.balancing is None else log.balancing
                for log in logs
            ]
        )
        if any(log.balancing is not None for log in logs)
        else None,
        averaged_s=max(log.averaged_s for log in logs),
        ends=any(log.ends for log in logs),
    )
    return in_order(whole)


def in_order(log: Log) -> Log:
    """Sorted by time, each moment once; a log that already is comes back as it stands."""
    if log.rows < 2 or np.all(np.diff(log.time_s) > 0):
        return log
    _, first = np.unique(log.time_s, return_index=True)
    return log.select(first)


def _same_width(tables: list[NDArray[np.floating]]) -> NDArray[np.floating]:
    width = max(table.shape[1] for table in tables)
    return np.concatenate(
        [np.pad(t, ((0, 0), (0, width - t.shape[1])), constant_values=np.nan) for t in tables]
    )


def _column(values: NDArray[np.floating] | None, rows: int) -> NDArray[np.floating]:
    return np.full(rows, np.nan, np.float32) if values is None else values
