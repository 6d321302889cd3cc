"""Straight lines through what each cell holds against the others, over time."""

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from nipper.core.imbalance.doubt import NINE_IN_TEN
from nipper.core.imbalance.offsets import Offsets
from nipper.core.logs.model import solved
from nipper.core.logs.resets import leaps

Floats = NDArray[np.floating]

LEAST_CHARGES = 4
FURTHER_SHARE = 0.3  # of a drift, at most, that what the flat hides at the end makes it larger
HARDLY = 3.0  # times the error of other readings
LEAST_DAYS = 5.0
# errors of neighbouring charges go together (same sky, same taper): the plain standard error is too
# good
SERIAL_FACTOR = 1.6
TOLD_PCT = 0.5  # of capacity: an offset whose standard deviation is larger stands on the flat
LEAST_DOUBT = 0.0006  # of capacity, of any offset read at a knee
# of what the balancer moved in a cell, one standard deviation: its current goes with the voltage,
# and a log says at some moments which cells it bled (common practice; tried on other simulators)
MOVED_SHARE = 0.02
# of capacity: a low end less sure than this moves no line, of fuller cells and of emptier ones
VAGUE_SHARE, PAST_SHARE = 0.007, 0.012
VAGUE_TIMES = 4.0  # the usual doubt of a slope: such a cell has no voice in what is usual
# how much what is read at a low end may go with the herd's charge there, Ah an Ah: a cell that
# holds a fifth less passes its knee at a fifth less charge
DEPTH_OPEN = 0.2


# where a cell is told, and of a drift, how well its millivolts are known there as charge. At low
# ends a cell goes on below all the herd has walked: 0.6 to 1.4 of the true loss on 25 packs of the
# other physics; at the step 0.94 to 1.06 on 80 of three physics
Place = Literal["top", "low end", "step"]
SCALE_SHARE: dict[Place, float] = {"top": 0.15, "low end": 0.2, "step": 0.06}
# most of a reading's uncertainty (curve, resistance) is the same at every charge and moves no
# slope: the scatter about the line may speak for it, down to this share of the variance. At low
# ends it is less alike, for loads and cold differ from one to the next; at the step noise is most
SHARED: dict[Place, float] = {"top": 0.06, "low end": 0.12, "step": 0.17}


@dataclass(frozen=True, eq=False, slots=True)
class Moved:
    """What the balancer moved until each reading; zeros where the log does not tell.

    Parameters
    ----------
    apart_ah : float64[readings, cells], since the first reading, against the median cell
    whole_ah : float64[cells], out of each or into it, in all
    known : whether the log tells
    """

    apart_ah: Floats
    whole_ah: Floats
    known: bool

    @classmethod
    def nothing(cls, readings: int, cells: int) -> "Moved":
        """A log that does not tell."""
        return cls(np.zeros((readings, cells)), np.zeros(cells), False)


@dataclass(frozen=True, eq=False, slots=True)
class Lines:
    """A line for each cell, against the median one.

    Parameters
    ----------
    time_s : float64[readings], of what they go through, Unix seconds
    ah_per_day, sd_ah_per_day : float64[cells]; NaN where there are too few readings or days
    start_ah : float64[cells], at the first reading
    scale_share : of a drift, one standard deviation: what is open of its scale
    further_ah_per_day : float64[cells], how much more it may be, nine times in ten: a cell far on
        the flat at the end is told to be there, not how far
    """

    time_s: Floats
    ah_per_day: Floats
    sd_ah_per_day: Floats
    start_ah: Floats
    scale_share: float
    further_ah_per_day: Floats

    @property
    def tells(self) -> bool:
        """Whether most cells have a line."""
        return 2 * int(np.isfinite(self.ah_per_day).sum()) > self.ah_per_day.size

    def with_other(self, other: "Lines") -> "Lines":
        """The same, each slope weighed with that of lines through other readings.

        What the scale leaves open of a slope counts for its size, not for whether there is one.
        """
        if not other.tells:
            return self
        both = np.stack([self.ah_per_day, other.ah_per_day])
        sd = np.stack([self.sd_ah_per_day, other.sd_ah_per_day])
        shares = np.array([[self.scale_share], [other.scale_share]])
        told = np.isfinite(both)
        with np.errstate(invalid="ignore"):
            error = np.hypot(sd, shares * np.fmax.reduce(np.abs(both), axis=0))
        weight = np.where(told, error**-2, 0.0)
        total = np.where(told.any(axis=0), weight.sum(axis=0), np.nan)
        slope = np.sum(weight * np.where(told, both, 0.0), axis=0) / total
        apart = np.abs(np.diff(both, axis=0)[0]) / np.hypot(*error)
        wider = np.fmax(1.0, 0.5 * np.nan_to_num(apart))
        own = np.where(told, sd**-2, 0.0).sum(axis=0)
        own = np.where(told.any(axis=0), own, np.nan)
        # a cell that hardly shows in its own readings began where the others saw it
        start = self.start_ah + (self.ah_per_day - slope) * 0.5 * told_days(self.time_s)
        start = np.where(error[0] > HARDLY * error[1], other.start_ah, start)
        return replace(
            self,
            ah_per_day=slope,
            sd_ah_per_day=wider / np.sqrt(own),
            start_ah=start,
            scale_share=float(np.sum(shares**-2) ** -0.5),
            further_ah_per_day=self.further_ah_per_day * np.nan_to_num(weight[0] / total),
        )


def through(
    readings: list[Offsets],
    moved: Moved,
    capacity_ah: float,
    place: Place = "top",
    depth_ah: Floats | None = None,
) -> Lines:
    """Weighted least squares per cell; the scatter about the line widens its uncertainty where the
    readings' own is too small.

    LEAST_DOUBT is added to each reading's uncertainty for the weights: most of the error of a large
    offset is of scale, the same in all charges, and readings near zero must not outweigh the rest
    for lacking it.

    Parameters
    ----------
    readings : in order of time
    moved : by the balancer
    depth_ah : float64[readings], charge left in the herd at low ends; None for tops
    """
    time_s = np.array([o.time_s for o in readings])
    slope, slope_sd, start = (np.full(moved.whole_ah.size, np.nan) for _ in range(3))
    further = np.zeros(slope.size)
    leg = legs(time_s)
    long_d = told_days(time_s)
    if time_s.size >= LEAST_CHARGES and long_d >= LEAST_DAYS:
        days = (time_s - time_s[0]) / 86400.0
        own = np.array([o.offset_ah for o in readings]) - moved.apart_ah
        own_sd = np.hypot(np.array([o.sd_ah for o in readings]), LEAST_DOUBT * capacity_ah)
        for i in range(slope.size):
            line = straight_line(days, own[:, i], own_sd[:, i], leg, depth_ah, SHARED[place])
            slope[i], slope_sd[i], start[i] = line
        open_ah, further_ah = _open_ah(readings, slope, capacity_ah)
        open_ah = np.hypot(open_ah, MOVED_SHARE * np.abs(moved.whole_ah))
        slope_sd = np.hypot(slope_sd, open_ah / long_d)
        slope -= _usual(slope, slope_sd)
        # the line goes through the charges before as well, that told how far the cell was
        further = np.fmin(further_ah / long_d, FURTHER_SHARE * np.abs(slope))
    return Lines(time_s, slope, slope_sd, start, SCALE_SHARE[place], further)


def _usual(slope: Floats, sd: Floats) -> float:
    """The median of the cells that tell it: one far on the flat seems to go anywhere."""
    told = np.isfinite(slope)
    if not told.any():
        return 0.0
    return float(np.median(slope[told & (sd <= VAGUE_TIMES * np.median(sd[told]))]))


def near_the_knee(low: Offsets, capacity_ah: float) -> Offsets:
    """Without the cells that were far from their knee at a low end: how far they stood off is
    vague, and goes with load and cold. That is the side of the fuller ones; emptier ones are past
    it.
    """
    with np.errstate(invalid="ignore"):
        most = np.where(low.offset_ah > 0.0, VAGUE_SHARE, PAST_SHARE) * capacity_ah
        vague = low.sd_ah > most
    return replace(low, offset_ah=np.where(vague, np.nan, low.offset_ah))


def _open_ah(readings: list[Offsets], slope: Floats, capacity_ah: float) -> tuple[Floats, Floats]:
    """What is open of the way from the first charges to the last, float64[cells] Ah: one standard
    deviation, and how much further it may lead, nine times in ten.

    A cell on the flat is told to be far off, not how far. One that began further down than it
    seemed has lost less since than it seems; what it lost beyond what is seen at the end is no
    doubt of that it did.
    """
    some = max(1, len(readings) // 4)
    value, low, high = (
        np.array([getattr(o, name) for o in readings])
        for name in ("offset_ah", "low_ah", "high_ah")
    )
    down, up = np.nan_to_num(value - low), np.nan_to_num(high - value)
    losing = slope < 0.0
    first = np.where(losing, down[:some], up[:some])
    last = np.where(losing, up[-some:], down[-some:])
    told_ah = NINE_IN_TEN * TOLD_PCT / 100.0 * capacity_ah + max(o.place_ah for o in readings)
    further = np.where(losing, down[-some:], up[-some:])
    first, last, further = (
        np.maximum(0.0, np.median(side, axis=0) - told_ah) for side in (first, last, further)
    )
    return np.hypot(first, last) / NINE_IN_TEN, further


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


def told_days(time_s: Floats) -> float:
    """Between the first reading and the last, without leaps of the clock."""
    return _days(time_s, legs(time_s)) if time_s.size else 0.0


def _days(time_s: Floats, leg: NDArray[np.intp]) -> float:
    return sum(float(np.ptp(time_s[leg == number])) for number in set(leg.tolist())) / 86400.0


def straight_line(
    days: Floats,
    y: Floats,
    sd: Floats,
    leg: NDArray[np.intp] | None = None,
    depth_ah: Floats | None = None,
    shared: float = SHARED["top"],
) -> tuple[float, float, float]:
    """Weighted straight line, outliers damped: slope a day, its standard deviation, value at day 0;
    NaN with too few charges or days. With ``leg`` each of those has a level of its own; with
    ``depth_ah`` what goes with that is no slope.
    """
    good = np.isfinite(y) & np.isfinite(sd)
    of = np.zeros(days.size, np.intp)[good] if leg is None else leg[good]
    columns = [days[good]] if depth_ah is None else [days[good], depth_ah[good]]
    least = LEAST_CHARGES - 1 + len(columns)
    if good.sum() < least or _days(86400.0 * days[good], of) < LEAST_DAYS:
        return float("nan"), float("nan"), float("nan")
    open_ = np.diag([0.0, DEPTH_OPEN**-2][: len(columns)])
    y, plain = y[good], 1.0 / sd[good] ** 2
    w, gram, slopes, level = plain, open_, np.zeros(len(columns)), y
    x, residual = np.stack(columns), y
    for _ in range(3):  # re-weighted, so that a charge read amiss does not steer the line
        x = np.stack([column - _level(column, w, of) for column in columns])
        level = _level(y, w, of)
        gram = x * w @ x.T + open_
        slopes = solved(gram, x * w @ (y - level))
        residual = y - level - slopes @ x
        usual = 1.4826 * np.median(np.abs(residual)) + 1e-9
        w = np.minimum(1.0, 2.5 * usual / np.maximum(np.abs(residual), 1e-12)) * plain
    free = y.size - len(columns) - np.unique(of).size
    scatter = max(shared, float(np.sum(w * residual**2) / max(1, free)))
    slope, own = float(slopes[0]), float(np.linalg.inv(gram)[0, 0])
    start = float(level[0]) - slope * float(columns[0][0] - x[0, 0])
    return slope, float(SERIAL_FACTOR * np.sqrt(scatter * own)), start


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
