"""Charges as tables and curves to be looked at: the heat table cell by charge, and one charge's
cells over time.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nipper.core.imbalance.estimate import Estimate
from nipper.core.logs.charges import Charge
from nipper.core.logs.model import Log, nanmedian
from nipper.core.logs.moments import cells_at_each
from nipper.core.setup import Setup

Floats = NDArray[np.floating]
MOST_POINTS = 900  # more than a screen's width in one picture only costs time
BEFORE_S = 75 * 60.0  # shown before absorption begins


@dataclass(frozen=True, eq=False, slots=True)
class HeatTable:
    """Each full charge a column, each cell a row.

    Parameters
    ----------
    charges : tuple of the full charges, oldest first
    time_s : float64[charges], end of each
    mv : float64[cells, charges], against the median cell at the end of absorption
    pct : float64[cells, charges], the same as charge, % of capacity; NaN where it cannot be told
    """

    charges: tuple[Charge, ...]
    time_s: Floats
    mv: Floats
    pct: Floats


def heat_table(log: Log, setup: Setup, known: Estimate) -> HeatTable:
    """The heat table of a log."""
    full = tuple(known.full)
    tops = np.array([c.top for c in full], np.intp)
    time_s = log.time_s[tops]
    cell_v = cells_at_each(log, tops).T
    mv = 1e3 * (cell_v - nanmedian(cell_v))
    pct = np.full((log.cells, len(full)), np.nan)
    if len(full) and known.drift.time_s.size:
        at = np.searchsorted(time_s, known.drift.time_s)
        pct[:, at] = 100.0 * known.drift.offset_ah.T / setup.capacity_ah
    return HeatTable(full, time_s, mv, pct)


@dataclass(frozen=True, eq=False, slots=True)
class ChargeCurves:
    """The cells over one charge, from a little before absorption to its end.

    Parameters
    ----------
    minutes : float64[n], 0 where absorption begins
    cell_v : float64[n, cells]
    current_a : float64[n]
    end_min : when absorption ends
    """

    minutes: Floats
    cell_v: Floats
    current_a: Floats
    end_min: float


def charge_curves(log: Log, charge: Charge) -> ChargeCurves:
    """One charge's curves, thinned to what a screen shows."""
    begin = charge.absorption[0] if charge.absorption else charge.start
    first = max(charge.start, int(np.searchsorted(log.time_s, float(log.time_s[begin]) - BEFORE_S)))
    last = min(log.rows, int(np.searchsorted(log.time_s, float(log.time_s[charge.top]) + 900.0)))
    rows = np.unique(
        np.linspace(first, max(first, last - 1), min(MOST_POINTS, max(1, last - first))).astype(int)
    )
    return ChargeCurves(
        (log.time_s[rows] - log.time_s[begin]) / 60.0,
        log.cell_v[rows].astype(float),
        log.current_a[rows],
        float(log.time_s[charge.top] - log.time_s[begin]) / 60.0,
    )


def nearest(charges: tuple[Charge, ...] | list[Charge], log: Log, time_s: float) -> Charge | None:
    """The charge that ended nearest to a moment: the same day's charge of another pack."""
    return min(charges, key=lambda c: abs(float(log.time_s[c.top]) - time_s), default=None)
