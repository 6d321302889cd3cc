"""Offsets over time: what a cell gains or loses by itself, apart from what the balancer moved."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from nipper.core.imbalance.lines import Lines, Moved, Place, told_days
from nipper.core.imbalance.offsets import Offsets
from nipper.core.logs.model import Log, nanmedian
from nipper.core.setup import Balancer

Floats = NDArray[np.floating]

NAMES = ("offset_ah", "sd_ah", "low_ah", "high_ah")  # of what a reading tells of each cell
VAGUE_TIMES = 4.0  # the doubt of the surest: what is vaguer is not held beside it


@dataclass(frozen=True, eq=False, slots=True)
class Elsewhere:
    """Charge in each cell against the median where the tops do not tell it: at the low ends of
    discharges, or where charges pass the step in the middle of the plateau.

    Parameters
    ----------
    time_s : float64[readings]
    left_ah, sd_ah : float64[readings, cells]
    """

    place: Place
    time_s: Floats
    left_ah: Floats
    sd_ah: Floats


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
    scale_share : of a drift, one standard deviation: what is open of its scale
    further_ah_per_day : float64[cells], how much more a drift may be, nine times in ten: where a
        cell ends far on the flat
    elsewhere : what the lines go through, where the tops of the charges tell of too few cells;
        None: they go through the tops
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
    scale_share: float
    further_ah_per_day: Floats
    elsewhere: Elsewhere | None = None

    @property
    def line_s(self) -> Floats:
        """When what the lines go through was read."""
        return self.elsewhere.time_s if self.elsewhere else self.time_s

    @property
    def days(self) -> float:
        """Over which a drift is told: between the first reading and the last, without leaps of the
        clock.
        """
        return told_days(self.line_s)

    @property
    def tells(self) -> bool:
        """Whether most cells have a line."""
        return 2 * int(np.isfinite(self.ah_per_day).sum()) > self.ah_per_day.size

    @property
    def error_ah_per_day(self) -> Floats:
        """Standard deviation of each drift with what the curve's scale leaves open, as it is told:
        :attr:`sd_ah_per_day` says only whether there is one.
        """
        return np.hypot(self.sd_ah_per_day, self.scale_share * np.abs(self.ah_per_day))

    @property
    def place(self) -> Place:
        """Where the cells were told that the lines go through."""
        return self.elsewhere.place if self.elsewhere else "top"

    @property
    def moved_on_ah(self) -> Floats:
        """What each cell's line comes to at its last reading."""
        return self.start_ah + self.ah_per_day * self.days

    @property
    def last_ah(self) -> Floats:
        """The newest offset of each cell, median of the last three charges; NaN where none could be
        read.
        """
        return self._newest(self.offset_ah)

    @property
    def last_sd_ah(self) -> Floats:
        """Standard deviation that goes with :attr:`last_ah`."""
        return self._newest(self.sd_ah)

    @property
    def last_range_ah(self) -> tuple[Floats, Floats]:
        """Between what the newest offset of each cell lies, nine times in ten."""
        return self._newest(self.low_ah), self._newest(self.high_ah)

    def _newest(self, table: Floats) -> Floats:
        """Median of the last three charges that tell; a cell's reading that hardly tells has no
        voice beside one that does.
        """
        some, sd = self._sure_rows(table), self._sure_rows(self.sd_ah)
        surest = np.min(np.where(np.isfinite(sd), sd, np.inf), axis=0, initial=np.inf)
        tells = np.nan_to_num(sd, nan=np.inf) <= VAGUE_TIMES * surest
        return nanmedian(np.where(tells, some, np.nan))

    def _sure_rows(self, table: Floats) -> Floats:
        """The last three charges that tell: of the last eight, those not much less sure than
        usual.
        """
        if len(table) <= 3:
            return table
        worst = np.nanmax(np.where(np.isfinite(self.sd_ah), self.sd_ah, np.inf), axis=1)[-8:]
        return table[-worst.size :][worst <= 2.0 * np.median(worst)][-3:]


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


def moved_of(log: Log, balancer: Balancer | None, readings: list[Offsets]) -> Moved:
    """What the balancer moved by the log's own word, until each reading."""
    rows = np.searchsorted(log.time_s, [o.time_s for o in readings])
    moved_ah = balanced_ah(log, balancer, rows)
    if moved_ah is None:
        return Moved.nothing(rows.size, log.cells)
    moved_ah = moved_ah - moved_ah[:1]
    apart_ah = moved_ah - np.median(moved_ah, axis=1, keepdims=True)
    return Moved(apart_ah, moved_ah[-1], True)


def drift_of(offsets: list[Offsets], moved: Moved, lines: Lines) -> Drift:
    """Offsets over time with the lines that tell how they move.

    Lines go through what the tops of the charges tell by themselves: what a low end adds to
    ``offsets`` is one reading for all charges, and moves no slope.
    """
    offset, sd, low, high = (
        np.array([getattr(o, name) for o in offsets]).reshape(moved.apart_ah.shape)
        for name in NAMES
    )
    return Drift(
        time_s=np.array([o.time_s for o in offsets]),
        offset_ah=offset,
        sd_ah=sd,
        low_ah=low,
        high_ah=high,
        moved_ah=moved.apart_ah,
        moved_known=moved.known,
        ah_per_day=lines.ah_per_day,
        sd_ah_per_day=lines.sd_ah_per_day,
        start_ah=lines.start_ah,
        scale_share=lines.scale_share,
        further_ah_per_day=lines.further_ah_per_day,
    )


def told_elsewhere(drift: Drift, place: Place, readings: list[Offsets], lines: Lines) -> Drift:
    """The same with lines through other readings than the tops.

    One cell that ends all charges leaves the others on the flat there, and a leak behind it would
    not show. Where all pass the step of the plateau it does, and at the low ends: what cells have
    left when the first is empty falls with what they lose.
    """
    left, sd = (np.array([getattr(o, name) for o in readings]) for name in NAMES[:2])
    return replace(
        drift,
        ah_per_day=lines.ah_per_day,
        sd_ah_per_day=lines.sd_ah_per_day,
        start_ah=lines.start_ah,
        scale_share=lines.scale_share,
        further_ah_per_day=lines.further_ah_per_day,
        elsewhere=Elsewhere(place, lines.time_s, left, sd),
    )
