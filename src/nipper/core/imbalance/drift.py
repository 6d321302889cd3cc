"""Offsets over time: what a cell gains or loses by itself, apart from what the balancer moved."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nipper.core.imbalance.offsets import Offsets
from nipper.core.logs.model import Log, nanmedian
from nipper.core.logs.resets import leaps
from nipper.core.setup import Balancer

Floats = NDArray[np.floating]

LEAST_CHARGES = 4
LEAST_DAYS = 5.0
# errors of neighbouring charges go together (same sky, same taper): the plain standard error is too
# good
SERIAL_FACTOR = 1.6
TOLD_PCT = 0.5  # of capacity: an offset whose standard deviation is larger stands on the flat
# most of a reading's uncertainty (curve, resistance) is the same at every charge and moves no
# slope: the scatter about the line may speak for it, down to this share of the variance
SHARED = 0.06
LEAST_DOUBT = 0.0006  # of capacity, of any offset read at a knee
NINE_IN_TEN = 1.645  # standard deviations to either side
SCALE_SHARE = 0.15  # of a drift: how well the knee's millivolts are known as charge


@dataclass(frozen=True, eq=False, slots=True)
class Drift:
    """A straight line through each cell's offsets, with the balancer's part taken out first.

    Parameters
    ----------
    time_s : float64[charges], of the full charges used
    offset_ah : float64[charges, cells], as read
    sd_ah : float64[charges, cells]
    low_ah, high_ah : float64[charges, cells], nine in ten lie between
    moved_ah : float64[charges, cells], by the balancer since the first charge, against the median
        cell; zeros where unknown
    moved_known : whether the log tells what was balanced
    ah_per_day, sd_ah_per_day : float64[cells], against the median; NaN where there are too few
        charges or days
    start_ah : float64[cells], the line at the first charge
    """

    time_s: Floats
    offset_ah: Floats
    sd_ah: Floats
    low_ah: Floats
    high_ah: Floats
    moved_ah: Floats
    moved_known: bool
    ah_per_day: Floats
    sd_ah_per_day: Floats
    start_ah: Floats

    @property
    def days(self) -> float:
        """Over which full charges tell of a drift: between the first and the last, without leaps
        of the clock.
        """
        return _days(self.time_s, legs(self.time_s)) if self.time_s.size else 0.0

    @property
    def error_ah_per_day(self) -> Floats:
        """Standard deviation of each drift with what the curve's scale leaves open, as it is told:
        :attr:`sd_ah_per_day` says only whether there is one.
        """
        return np.hypot(self.sd_ah_per_day, SCALE_SHARE * np.abs(self.ah_per_day))

    @property
    def last_ah(self) -> Floats:
        """The newest offset of each cell, median of the last three charges; NaN where none could be
        read.
        """
        return _known(self._sure_rows(self.offset_ah), self.offset_ah.shape[1])

    @property
    def last_sd_ah(self) -> Floats:
        """Standard deviation that goes with :attr:`last_ah`."""
        return _known(self._sure_rows(self.sd_ah), self.sd_ah.shape[1])

    @property
    def last_range_ah(self) -> tuple[Floats, Floats]:
        """Between what the newest offset of each cell lies, nine times in ten."""
        cells = self.offset_ah.shape[1]
        return _known(self._sure_rows(self.low_ah), cells), _known(
            self._sure_rows(self.high_ah), cells
        )

    def _sure_rows(self, table: Floats) -> Floats:
        """The last three charges that tell: of the last eight, those not much less sure than
        usual.
        """
        if len(table) <= 3:
            return table
        worst = np.nanmax(np.where(np.isfinite(self.sd_ah), self.sd_ah, np.inf), axis=1)[-8:]
        return table[-worst.size :][worst <= 2.0 * np.median(worst)][-3:]


def _known(table: Floats, cells: int) -> Floats:
    return nanmedian(table) if table.size else np.full(cells, np.nan)


def balanced_ah(log: Log, balancer: Balancer | None, rows: NDArray[np.intp]) -> Floats | None:
    """Charge the balancer moved in each cell from the start of the log up to each row,
    float64[rows, cells]; None if not recorded.

    Passive bleeds every cell named; active takes from the higher and gives to the lower of the two
    named.
    """
    if log.balancing is None or balancer is None or not rows.size:
        return None
    busy = log.bled_rows
    if not busy.size:
        return np.zeros((rows.size, log.cells))
    moved = balancer.current_a * log.steps_s[busy] / 3600.0
    at = log.balancing[busy]
    if balancer.kind == "passive":
        flow = at * -moved[:, None]
    else:
        v = np.where(at, np.nan_to_num(log.cell_v[busy]), np.nan)
        flow = np.zeros(at.shape)
        np.put_along_axis(flow, np.nanargmax(v, axis=1)[:, None], -moved[:, None], axis=1)
        np.put_along_axis(flow, np.nanargmin(v, axis=1)[:, None], moved[:, None], axis=1)
    total = np.vstack([np.zeros((1, log.cells)), np.cumsum(flow, axis=0)])
    return total[np.searchsorted(busy, rows, side="right")]


def fit(
    offsets: list[Offsets],
    moved_ah: Floats | None,
    cells: int,
    capacity_ah: float,
    tops: list[Offsets] | None = None,
) -> Drift:
    """Weighted least squares per cell; the scatter about the line widens its uncertainty where the
    readings' own is too small.

    Lines go through what the tops of the charges tell by themselves: what a low end adds to
    ``offsets`` is one reading for all charges, and moves no slope.

    LEAST_DOUBT is added to each reading's uncertainty for the weights: most of the error of a large
    offset is of scale, the same in all charges, and readings near zero must not outweigh the rest
    for lacking it.
    """
    time_s = np.array([o.time_s for o in offsets])
    table = np.array([o.offset_ah for o in offsets]).reshape(-1, cells)
    sd = np.array([o.sd_ah for o in offsets]).reshape(-1, cells)
    known = moved_ah is not None
    moved = np.zeros_like(table) if moved_ah is None else moved_ah - moved_ah[:1]
    moved = moved - np.median(moved, axis=1, keepdims=True) if moved.size else moved
    slope, slope_sd, start = np.full(cells, np.nan), np.full(cells, np.nan), np.full(cells, np.nan)
    leg = legs(time_s)
    long_d = _days(time_s, leg)
    if time_s.size >= LEAST_CHARGES and long_d >= LEAST_DAYS:
        days = (time_s - time_s[0]) / 86400.0
        tops = tops or offsets
        own = np.array([o.offset_ah for o in tops]) - moved
        own_sd = np.hypot(np.array([o.sd_ah for o in tops]), LEAST_DOUBT * capacity_ah)
        for i in range(cells):
            slope[i], slope_sd[i], start[i] = straight_line(days, own[:, i], own_sd[:, i], leg)
        slope -= np.nanmedian(slope) if np.isfinite(slope).any() else 0.0
        slope_sd = np.hypot(slope_sd, _open_ah(tops, slope, capacity_ah) / long_d)
    low = np.array([o.low_ah for o in offsets]).reshape(-1, cells)
    high = np.array([o.high_ah for o in offsets]).reshape(-1, cells)
    return Drift(time_s, table, sd, low, high, moved, known, slope, slope_sd, start)


def _open_ah(tops: list[Offsets], slope: Floats, capacity_ah: float) -> Floats:
    """What is open of the way from the first charges to the last, float64[cells] Ah: one standard
    deviation.

    A cell on the flat is told to be far off, not how far. One that began further down than it
    seemed has lost less since than it seems; what it lost beyond what is seen at the end is no
    doubt of that it did.
    """
    some = max(1, len(tops) // 4)
    value, low, high = (
        np.array([getattr(o, name) for o in tops]) for name in ("offset_ah", "low_ah", "high_ah")
    )
    down, up = np.nan_to_num(value - low), np.nan_to_num(high - value)
    losing = slope < 0.0
    first = np.where(losing, down[:some], up[:some])
    last = np.where(losing, up[-some:], down[-some:])
    told_ah = NINE_IN_TEN * TOLD_PCT / 100.0 * capacity_ah + max(o.place_ah for o in tops)
    beyond = [np.maximum(0.0, np.median(side, axis=0) - told_ah) for side in (first, last)]
    return np.hypot(*beyond) / NINE_IN_TEN


def legs(time_s: Floats) -> NDArray[np.intp]:
    """Which of the stretches between leaps of the clock each full charge lies in, int[charges].

    What became of the cells in a leap is not known, nor whether it was one: each stretch has a
    level of its own. One for all where none of them tells of a drift by itself.
    """
    leg = np.cumsum(leaps(time_s), dtype=np.intp)
    for number in range(int(leg[-1]) + 1 if leg.size else 0):
        own = time_s[leg == number]
        if own.size >= LEAST_CHARGES and np.ptp(own) >= LEAST_DAYS * 86400.0:
            return leg
    return np.zeros(time_s.size, np.intp)


def _days(time_s: Floats, leg: NDArray[np.intp]) -> float:
    return sum(float(np.ptp(time_s[leg == number])) for number in set(leg.tolist())) / 86400.0


def straight_line(
    days: Floats, y: Floats, sd: Floats, leg: NDArray[np.intp] | None = None
) -> tuple[float, float, float]:
    """Weighted straight line, outliers damped: slope a day, its standard deviation, value at day 0;
    NaN with too few charges or days. With ``leg`` each of those has a level of its own.
    """
    good = np.isfinite(y) & np.isfinite(sd)
    of = np.zeros(days.size, np.intp)[good] if leg is None else leg[good]
    if good.sum() < LEAST_CHARGES or _days(86400.0 * days[good], of) < LEAST_DAYS:
        return float("nan"), float("nan"), float("nan")
    x, y, w = days[good], y[good], 1.0 / sd[good] ** 2
    slope, sxx, mean_x, mean_y = 0.0, 0.0, x, y
    residual = np.zeros_like(y)
    for _ in range(
        3
    ):  # re-weighted once or twice, so that a charge read amiss does not steer the line
        mean_x, mean_y = (_level(values, w, of) for values in (x, y))
        sxx = np.sum(w * (x - mean_x) ** 2)
        slope = np.sum(w * (x - mean_x) * (y - mean_y)) / sxx
        residual = y - mean_y - slope * (x - mean_x)
        usual = 1.4826 * np.median(np.abs(residual)) + 1e-9
        w = np.minimum(1.0, 2.5 * usual / np.maximum(np.abs(residual), 1e-12)) / sd[good] ** 2
    free = x.size - 1 - np.unique(of).size
    scatter = max(SHARED, float(np.sum(w * residual**2) / max(1, free)))
    return (
        float(slope),
        float(SERIAL_FACTOR * np.sqrt(scatter / sxx)),
        float(mean_y[0] - slope * mean_x[0]),
    )


def _level(values: Floats, weight: Floats, of: NDArray[np.intp]) -> Floats:
    """The weighted mean of those of the same leg, for each."""
    total = np.bincount(of, weight)
    return (np.bincount(of, weight * values) / np.where(total > 0.0, total, 1.0))[of]


def side_line(days: Floats, y: Floats, sd: Floats, capacity_ah: float) -> tuple[float, float]:
    """The same for one side of a moment: slope a day and its standard deviation.

    A cell that stands on the flat is told to be far off, not how far, charge after charge alike:
    there a line seems to stand still while the cell goes on. What is open at either end of it is
    open of its slope.
    """
    slope, slope_sd, _ = straight_line(days, y, sd)
    good = np.isfinite(y) & np.isfinite(sd)
    if not np.isfinite(slope):
        return slope, slope_sd
    left_ah = np.maximum(0.0, sd[good] - TOLD_PCT / 100.0 * capacity_ah)
    some = max(1, left_ah.size // 4)
    open_ah = np.hypot(np.median(left_ah[:some]), np.median(left_ah[-some:]))
    return slope, float(np.hypot(slope_sd, open_ah / np.ptp(days[good])))
