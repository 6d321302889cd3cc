"""The shift along the herd's curve that explains a cell's readings best, with its interval.

Resistances are integrated out in closed form; the shift, the charge the herd had at its end (where
no reading tells it) and, on sloped curves, the cell's own capacity are weighed on a grid.
"""

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from nipper.core.imbalance.herd import HerdCurve, Place
from nipper.core.logs.model import nanmedian

Floats = NDArray[np.floating]
Flags = NDArray[np.bool_]

# of a reading about the fit: meters' steps and noise, and what two cells' curves differ by
FIT_SD_V = 0.003
# so many readings at most count as independent: what the model leaves out is the same for
# neighbours
INDEPENDENT = 16
RESISTANCE_DOUBT = 0.5  # of R: pulse tables differ that much over state of charge
USUAL_OFFSET_PCT = 4.0  # of capacity, of cells that were never levelled: common practice
# put in at any other charge (from memory), and how likely each of those is against the usual ones'
# likeliest: 13.1 (their integral) of 120 %
FAR_SHARE, FAR_DENSITY = 0.1, 0.109
SHAPE_DOUBT_V = 0.060  # published curves of one chemistry differ by that much around their knee
APART_V = 0.030  # from the median at the end: from here on the sign of an offset is plain
WRONG_V = 0.030  # of a reading that may be wrong: seldom further (from memory)
IMPOSSIBLE = 1e6  # of misfit
ON_KNEE_PCT = 8.0  # behind at most, of a cell on the knee: published knees take 3 % of charge

# trial shifts, % of capacity: fine near zero, to 32 % either way (a cell with two thirds of its
# capacity left is that far off at the low end)
SHIFTS_PCT = np.sinh(np.linspace(-6.6, 6.6, 265)) / np.sinh(6.6) * 32.0

# capacities against the median cell that are tried on sloped curves, and how usual each is: cells
# of one batch differ by 1 to 2 % (common practice), one in ten of those looked at is a weak one
SCALES = np.r_[
    np.arange(0.60, 0.90, 0.02), 0.92, 0.94, 0.96, 0.975, 0.99, 1.0, 1.01, 1.025, 1.04, 1.07, 1.12
]
FAR_SCALES = np.r_[np.arange(0.44, 0.60, 0.04), SCALES]
SCALE_SPREAD, WEAK_SHARE = 0.015, 0.1
ALIKE = np.ones(1)


@dataclass(frozen=True, eq=False, slots=True)
class Prior:
    """What is known before a charge is looked at: resistance of the herd and each cell's own part,
    ohm, and how far a cell's surface is ahead of its charge, hours of current.
    """

    herd_ohm: float
    excess_ohm: Floats
    excess_sd_ohm: Floats
    lead_h: float = 0.0

    @property
    def herd_sd_ohm(self) -> float:
        """Doubt of the herd's resistance."""
        return RESISTANCE_DOUBT * self.herd_ohm


@dataclass(frozen=True, eq=False, slots=True)
class Shifts:
    """What a walk tells of each cell, float64[cells].

    Parameters
    ----------
    ah, sd_ah, low_ah, high_ah : the shift at the walk's pivot, + = fuller; nine in ten within
    scale, scale_sd : capacity against the median cell's; 1 and 0 where it was not asked
    left_v : what the best shift leaves unexplained
    apart : +1 where the cell stands plainly above the median at the end, -1 below, else 0
    herd_pct : charge of the median cell at the end
    """

    ah: Floats
    sd_ah: Floats
    low_ah: Floats
    high_ah: Floats
    scale: Floats
    scale_sd: Floats
    left_v: Floats
    apart: Floats
    herd_pct: float

    def about(self, middle_ah: float) -> "Shifts":
        """The same against another zero."""
        ah, low, high = (x - middle_ah for x in (self.ah, self.low_ah, self.high_ah))
        return replace(self, ah=ah, low_ah=low, high_ah=high)

    def but(self, cells: Flags, other: "Shifts") -> "Shifts":
        """The same, with what the other tells of these cells, bool[cells]."""
        return replace(
            self,
            ah=np.where(cells, other.ah, self.ah),
            sd_ah=np.where(cells, other.sd_ah, self.sd_ah),
            low_ah=np.where(cells, other.low_ah, self.low_ah),
            high_ah=np.where(cells, other.high_ah, self.high_ah),
            scale=np.where(cells, other.scale, self.scale),
            scale_sd=np.where(cells, other.scale_sd, self.scale_sd),
            left_v=np.where(cells, other.left_v, self.left_v),
        )


@dataclass(frozen=True, eq=False, slots=True)
class Walk:
    """The telling part of a charge or discharge: readings [rows, cells], current and charge [rows].

    ``pivot_ah`` is the charge counted where shifts are told; ``scales`` the capacities to try;
    ``seen`` which cells were read at all, bool[cells]; ``uncounted_ah`` what may have flowed unseen
    while the herd rose most; ``standing`` which cells end so far up LFP's knee that no wrong
    reading puts them there, bool[cells]. With ``reading_free`` each cell may be read wrongly by the
    same all along, and stand anywhere: what is usual of charges is of cells that are read rightly.
    """

    cell_v: Floats
    current_a: Floats
    counted_ah: Floats
    curve: HerdCurve
    interval_s: float
    uncounted_ah: float
    pivot_ah: float
    scales: Floats
    seen: Flags
    standing: Flags
    reading_free: bool = False

    @property
    def independent(self) -> int:
        """How many readings count."""
        return min(INDEPENDENT, self.current_a.size)

    def apart(self, prior: Prior) -> Floats:
        """+1 where a cell stands plainly above the median at the end, -1 where below, else 0."""
        last = slice(-min(5, self.current_a.size), None)
        amps = self.current_a[last, None]
        own_v = self.cell_v[last] - np.median(self.cell_v[last], axis=1)[:, None]
        own_v = np.median(own_v - amps * prior.excess_ohm, axis=0)
        room_v = APART_V + 2.0 * prior.excess_sd_ohm * float(np.median(np.abs(amps)))
        return np.sign(own_v) * (np.abs(own_v) > room_v)

    def best_shifts(self, shifts_ah: Floats, prior: Prior, capacity_ah: float) -> Shifts:
        """The most likely shift of each cell with its interval, over everything that is open."""
        tried = [(end, c) for end in range(self.curve.end_pct.size) for c in self.scales]
        misfit, left = self._fits(shifts_ah, prior, tried)
        left_v = self._unexplained_v(left)
        # what even the best shift leaves is the model's error, and counts as such for all shifts:
        # else two bad fits 30 % apart would be told apart by a millivolt
        misfit = misfit / np.maximum(1.0, left_v / FIT_SD_V)[:, None] ** 2
        usual = _usual(100.0 * shifts_ah / capacity_ah, behind=not self.curve.down)
        usual = np.zeros_like(usual) if self.reading_free else usual
        # a cell high at the end of a charge is not the emptier one, however well another shift fits
        apart = self.apart(prior)
        at_end_ah = self._at_end(shifts_ah, np.array([c for _, c in tried]))[:, None, :]
        # nor is one that stands on the knee far behind, however badly all that is near it fits
        far = shifts_ah < -ON_KNEE_PCT / 100.0 * capacity_ah
        misfit = misfit + usual + IMPOSSIBLE * (apart[:, None] * at_end_ah < 0.0)
        misfit = misfit + IMPOSSIBLE * (self.standing[:, None] & far)
        beyond = apart < 0 if self.curve.down else apart > 0
        step = np.gradient(shifts_ah)
        weight = np.exp(-0.5 * (misfit - misfit.min(axis=(0, 2), keepdims=True))) * step
        share, herd_pct = self._shares(misfit, usual, beyond, weight.sum(axis=2))
        by_scale = share * weight.sum(axis=2)
        by_scale /= by_scale.sum(axis=0)
        weight = (share[:, :, None] * weight).sum(axis=0)
        weight /= weight.sum(axis=1, keepdims=True)
        below = np.cumsum(weight, axis=1)
        low, middle, high = (
            np.array([np.interp(q, row, shifts_ah) for row in below]) for q in (0.05, 0.5, 0.95)
        )
        best = np.clip(np.argmin(misfit.min(axis=0), axis=1), 1, shifts_ah.size - 2)
        likely = middle if len(tried) > 1 else _vertex(shifts_ah, misfit[0], best)
        spread = weight @ shifts_ah**2 - 2.0 * likely * (weight @ shifts_ah) + likely**2
        sd = np.sqrt(np.maximum(spread, (0.3 * step[best]) ** 2))
        low, high = np.minimum(low, likely), np.maximum(high, likely)
        scale, scale_sd = self._scale(by_scale, np.array([c for _, c in tried]))
        return Shifts(likely, sd, low, high, scale, scale_sd, left_v, apart, herd_pct)

    def left_v(self, shifts_ah: Floats, prior: Prior) -> Floats:
        """What the best of the shifts leaves unexplained of each cell, float64[cells]."""
        tried = [(end, c) for end in range(self.curve.end_pct.size) for c in self.scales]
        return self._unexplained_v(self._fits(shifts_ah, prior, tried)[1])

    def _fits(
        self, shifts_ah: Floats, prior: Prior, tried: list[tuple[int, float]]
    ) -> tuple[Floats, Floats]:
        """The misfit and what is left, [tried, cells, shifts] each."""
        trials = {c: self._trial(shifts_ah, c, prior) for c in self.scales}
        fits = [trials[c].misfit(self.curve, end) for end, c in tried]
        misfit, left = (np.array(f) for f in zip(*fits, strict=True))
        return misfit, left

    def _unexplained_v(self, left: Floats) -> Floats:
        return FIT_SD_V * np.sqrt(np.maximum(left.min(axis=(0, 2)), 0.0) / self.independent)

    def _at_end(self, shifts_ah: Floats, scales: Floats) -> Floats:
        """What a shift at the pivot is at the walk's last row, [scales, shifts] Ah."""
        gone_ah = self.counted_ah[-1] - self.pivot_ah
        return shifts_ah + gone_ah * (1.0 / scales - 1.0)[:, None]

    def _shares(
        self, misfit: Floats, usual: Floats, beyond: Flags, evidence: Floats
    ) -> tuple[Floats, float]:
        """How likely each trial is before its shifts are weighed, [tried, cells], and the herd's
        charge, %.

        The end is one for all cells, and told by none of the herd's own: so each cell's evidence is
        taken out again. A capacity is the cell's own: there the evidence speaks.
        """
        if self.scales.size > 1:
            widths = np.gradient(self.scales)
            usually = np.exp(-0.5 * ((self.scales - 1.0) / SCALE_SPREAD) ** 2)
            usually = (1.0 - WEAK_SHARE) * usually / (usually @ widths)
            share = (usually + WEAK_SHARE / np.ptp(self.scales)) * widths
            return share[:, None] * np.ones_like(evidence), float(self.curve.end_pct[0])
        end = self._end_weight(misfit, usual, beyond)
        return end[:, None] / (evidence + 1e-300), float(
            np.average(self.curve.end_pct, weights=end)
        )

    def _end_weight(self, misfit: Floats, usual: Floats, beyond: Flags) -> Floats:
        """How likely each end of the herd is, float64[ends], from the cells that went on beyond it.

        Their way only rules out ends from which no shift leads there: curves of one chemistry
        differ more in shape than readings scatter, so its misfit counts as at SHAPE_DOUBT_V.
        """
        log_weight = np.log(self.curve.end_weight)
        if log_weight.size > 1 and beyond.any():
            best = np.argmin(misfit[:, beyond], axis=2)[:, :, None]
            far = usual[best[:, :, 0]]
            fit = np.take_along_axis(misfit[:, beyond], best, axis=2)[:, :, 0] - far
            log_weight = log_weight - 0.5 * (FIT_SD_V / SHAPE_DOUBT_V) ** 2 * fit.sum(axis=1)
            if not self.curve.down:
                log_weight = log_weight - 0.5 * far.sum(axis=1)
        weight = np.exp(log_weight - log_weight.max())
        return weight / weight.sum()

    def _scale(self, share: Floats, scales: Floats) -> tuple[Floats, Floats]:
        """Mean and standard deviation of each cell's capacity against the median's."""
        mean = scales @ share
        return mean, np.sqrt(np.maximum(0.0, scales**2 @ share - mean**2))

    def _trial(self, shifts_ah: Floats, capacity: float, prior: Prior) -> "_Trial":
        """A cell of that capacity at each of the shifts."""
        own_ah = self.pivot_ah + (self.counted_ah - self.pivot_ah) / capacity
        place = self.curve.place(own_ah[:, None] + shifts_ah)
        sure = 1.0 / (1.0 + (self.curve.doubt(place) / FIT_SD_V) ** 2)
        base_v = nanmedian(self.cell_v.T)[:, None]
        x1 = self.current_a[:, None] - self.curve.amps(place)
        return _Trial(
            y=self.cell_v - base_v,  # small numbers: squares of 3.4 V would eat the digits
            base_v=base_v,
            x1=x1,
            x1_w=x1 * sure,
            x2=self.current_a,
            x2_w=self.current_a[:, None] * sure,
            sure=sure,
            place=place,
            prior=prior,
            free_v=WRONG_V if self.reading_free else 0.0,
        )


def _usual(shifts_pct: Floats, behind: bool) -> Floats:
    """Twice the negative logarithm of how usual a shift is: few cells are off by many per cent,
    level about nothing, straight further out; ``behind`` one in ten was put in at any charge.
    """
    near = np.exp(1.0 - np.hypot(1.0, shifts_pct / USUAL_OFFSET_PCT))
    far = FAR_SHARE * FAR_DENSITY * (behind & (shifts_pct < 0.0))
    return -2.0 * np.log((1.0 - FAR_SHARE) * near + far)


@dataclass(frozen=True, eq=False)
class _Trial:
    """Cells of one capacity at all shifts: what is the same wherever the herd's curve ends.

    ``y`` are the readings above the median cell's ``base_v``; ``x1`` = I - I_h and ``x2`` = I,
    those with ``_w`` weighed; ``sure`` says how much each reading counts, [rows, shifts], 1 where
    the herd's curve is known.
    """

    y: Floats
    base_v: Floats
    x1: Floats
    x1_w: Floats
    x2: Floats
    x2_w: Floats
    sure: Floats
    place: Place
    prior: Prior
    free_v: float

    @cached_property
    def of_y(self) -> tuple[Floats, Floats, Floats, Floats]:
        """Sums over the rows of the readings with themselves, x1, x2 and one, [cells, shifts]."""
        y = self.y
        return (y**2).T @ self.sure, y.T @ self.x1_w, y.T @ self.x2_w, y.T @ self.sure

    @cached_property
    def of_x(self) -> tuple[Floats, Floats, Floats]:
        """Those of x1 with itself, of x1 and x2, and of x2 with itself, [shifts]."""
        return np.sum(self.x1 * self.x1_w, axis=0), self.x2 @ self.x1_w, self.x2 @ self.x2_w

    @cached_property
    def of_one(self) -> tuple[Floats, Floats, Floats]:
        """Those of one with itself, x1 and x2, [shifts]."""
        return np.sum(self.sure, axis=0), np.sum(self.x1_w, axis=0), np.sum(self.x2_w, axis=0)

    @cached_property
    def log_sure(self) -> Floats:
        """The sum of the logarithms of how much each reading counts, [shifts]."""
        return np.sum(np.log(self.sure), axis=0)

    def misfit(self, curve: HerdCurve, end: int) -> tuple[Floats, Floats]:
        """Twice the negative log likelihood with both resistances integrated out, and its part from
        what is left unexplained, [cells, shifts] each.

        For each shift the residual e is linear in R and r; with x1 and x2 the minimum over both is
        a 2 x 2 system whose sums are matrix products over the rows, so that all cells and shifts
        cost a few of them.
        """
        y, prior = self.y, self.prior
        h = curve.volts(self.place, end) - self.base_v
        h_w = h * self.sure
        counts = min(1.0, INDEPENDENT / y.shape[0])
        scale = counts / FIT_SD_V**2
        y_y, y_1, y_2, y_s = self.of_y
        e_e = y_y - 2.0 * y.T @ h_w + np.sum(h * h_w, axis=0)
        e_1 = y_1 - np.sum(h * self.x1_w, axis=0)
        e_2 = y_2 - np.sum(h * self.x2_w, axis=0)
        # a reading that may be wrong takes its share of every mean
        free = counts * (self.free_v / FIT_SD_V) ** 2
        ones, s_1, s_2 = self.of_one
        weight = 1.0 + free * ones
        kept, s_e = free / weight, y_s - np.sum(h_w, axis=0)
        e_e, e_1, e_2 = e_e - kept * s_e**2, e_1 - kept * s_e * s_1, e_2 - kept * s_e * s_2
        w1, w2 = 1.0 / prior.herd_sd_ohm**2, (1.0 / prior.excess_sd_ohm**2)[:, None]
        own = prior.excess_ohm[:, None]
        x11, x12, x22 = self.of_x
        a11 = scale * (x11 - kept * s_1**2) + w1
        a12 = scale * (x12 - kept * s_1 * s_2)
        a22 = scale * (x22 - kept * s_2**2) + w2
        b1 = scale * e_1 + prior.herd_ohm * w1
        b2 = scale * e_2 + own * w2
        det = a11 * a22 - a12**2
        explained = (a22 * b1**2 - 2.0 * a12 * b1 * b2 + a11 * b2**2) / det
        left = scale * e_e - explained + prior.herd_ohm**2 * w1 + own**2 * w2
        return left + np.log(det * weight) - counts * self.log_sure, left


def _vertex(x: Floats, y: Floats, best: NDArray[np.intp]) -> Floats:
    """Where the parabola through the best trial and its neighbours is lowest, float64[cells]."""
    rows = np.arange(best.size)
    x0, x1, x2 = x[best - 1], x[best], x[best + 1]
    d0, d2 = y[rows, best - 1] - y[rows, best], y[rows, best + 1] - y[rows, best]
    num = d2 * (x1 - x0) ** 2 - d0 * (x2 - x1) ** 2
    den = d2 * (x1 - x0) + d0 * (x2 - x1)
    shift = np.where(den > 0, -0.5 * num / np.where(den > 0, den, 1.0), 0.0)
    return np.clip(x1 + shift, x0, x2)
