"""How much fuller or emptier each cell is than the herd, read from one full charge.

On charge every cell walks the same curve; a cell that holds less charge is simply later on it. So the herd's median cell *is* the
curve: its voltage against charge counted. For each cell the shift along that curve is sought that explains its readings best:

    v_cell(t) = h(q(t) + s) + R (I(t) - I_h(q(t) + s)) + r I(t) + noise

h and I_h are the herd's voltage and current when it had counted that charge, R the resistance of the long charge (the current may
have been another when the herd was there), r what the cell has above the herd. R and r are nuisances with a prior each, from the
steps of current in the log, and are integrated out in closed form; s is searched on a grid, so that the flat part of the curve, where
anything fits, comes out as a wide interval and not as a wrong number. Steep stretches decide by themselves.

Only where a cell is above all the herd ever reached does the chemistry's curve help out, from the herd's top on.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import PchipInterpolator
from scipy.optimize import isotonic_regression

from nipper.core.chemistry import chemistry
from nipper.core.logs.charges import Charge, cell_resistance_ohm
from nipper.core.logs.model import Log
from nipper.core.setup import Setup

Floats = NDArray[np.floating]

READING_SD_V = (
    0.0012  # one reading of one cell: 1 mV steps and the noise usual meters have (common practice)
)
INDEPENDENT = 16  # so many readings at most count as independent: what the model leaves out is the same for neighbours
RESISTANCE_DOUBT = 0.5  # of R: pulse tables differ that much over state of charge
OWN_SHARE = 0.08  # of R: healthy cells differ by that much in resistance
MODEL_SHARE = 0.08  # of the shift itself: two cells' curves are not quite the same
SLOW_SHARE = (
    0.10  # more of it at a row every three minutes: the knee is passed in a handful of rows
)
LONG_FACTOR = 1.5  # R of a long charge against a step within a minute, from pulse tables; against the sheet's value 2
KNOT_SHARE = (
    0.0002  # of capacity: the herd's curve is learnt in steps this fine, some 2 mV at the knee
)
SLOPED_TOP_V = 0.06  # below the end of the charge, where the curve has no knee
LOW_KNEE_PCT = (
    14.0  # below it the curve falls steeply enough to tell charge, in all chemistries here
)
USUALLY_ABOVE_V = 0.006
USUAL_OFFSET_PCT = 8.0  # of capacity, of cells that were never levelled: common practice
ABOVE_REST_V = np.linspace(
    0.0, 0.020, 21
)  # from memory: 10 to 20 mV between the branches of LFP, and some mV of curve
SLOW_S, SLOW_PART = 600.0, 0.35  # how late, and how much of a long drop
LEAST_ROWS = 4
MOST_ROWS = 600  # more only repeat each other

# trial shifts, % of capacity: fine near zero, to 32 % either way (a cell with two thirds of its capacity left is that far off at the low end)
SHIFTS_PCT = np.sinh(np.linspace(-6.6, 6.6, 265)) / np.sinh(6.6) * 32.0


@dataclass(frozen=True, eq=False, slots=True)
class Offsets:
    """Charge of each cell against the median cell at one full charge.

    Parameters
    ----------
    time_s : when (end of the charge), Unix seconds
    offset_ah : float64[cells], + = fuller; NaN where it cannot be told
    sd_ah : float64[cells], one standard deviation
    low_ah, high_ah : float64[cells], nine in ten lie between; lopsided where one side is the flat of the curve
    """

    time_s: float
    offset_ah: Floats
    sd_ah: Floats
    low_ah: Floats
    high_ah: Floats


@dataclass(frozen=True, eq=False, slots=True)
class Prior:
    """What is known of resistance before a charge is looked at: herd and each cell's own part, with standard deviations, ohm."""

    herd_ohm: float
    excess_ohm: Floats
    excess_sd_ohm: Floats

    @property
    def herd_sd_ohm(self) -> float:
        """Doubt of the herd's resistance."""
        return RESISTANCE_DOUBT * self.herd_ohm


def resistance_prior(
    setup: Setup, step_ohm: float, excess_ohm: Floats, excess_sd_ohm: Floats
) -> Prior:
    """The prior from steps of current (NaN where the log has none): a long charge drops more than a step shows."""
    known = np.isfinite(step_ohm) and step_ohm > 0
    herd = LONG_FACTOR * step_ohm if known else 2.0 * cell_resistance_ohm(setup)
    own = np.nan_to_num(excess_ohm)
    # the slow part of a resistive cell may be larger in proportion, or not at all: half of the excess is open
    sd = np.sqrt((OWN_SHARE * herd) ** 2 + (0.5 * own) ** 2 + np.nan_to_num(excess_sd_ohm) ** 2)
    return Prior(float(herd), own, sd)


def offsets_at(log: Log, setup: Setup, charge: Charge, prior: Prior | None = None) -> Offsets:
    """Offsets of all cells from one charge.

    Parameters
    ----------
    log, setup, charge : the charge must have reached the knee
    prior : of resistance; from the setup alone where not given
    """
    nothing = np.full(log.cells, np.nan)
    prior = prior or resistance_prior(setup, float("nan"), nothing, nothing)
    time_s = float(log.time_s[charge.top])
    return _offsets(_Walk.up(log, setup, charge, prior), time_s, setup, prior)


def low_offsets_at(log: Log, setup: Setup, rows: NDArray[np.intp], prior: Prior) -> Offsets:
    """Charge left in each cell against the median cell at the low end of a discharge; NaN where it does not leave the plateau."""
    return _offsets(_Walk.down(log, setup, rows, prior), float(log.time_s[rows[-1]]), setup, prior)


def _offsets(walk: "_Walk | None", time_s: float, setup: Setup, prior: Prior) -> Offsets:
    if walk is None:
        nothing = np.full(prior.excess_ohm.size, np.nan)
        return Offsets(time_s, nothing, nothing, nothing, nothing)
    offset, sd, low, high = walk.best_shifts(SHIFTS_PCT / 100.0 * setup.capacity_ah, prior)
    middle = np.nanmedian(offset)
    offset, low, high = offset - middle, low - middle, high - middle
    share = MODEL_SHARE + SLOW_SHARE * min(1.0, walk.interval_s / 180.0)
    model = share * np.abs(offset)
    return Offsets(
        time_s,
        offset,
        np.hypot(sd, model),
        offset - np.hypot(offset - low, 1.645 * model),
        offset + np.hypot(high - offset, 1.645 * model),
    )


@dataclass(frozen=True, eq=False, slots=True)
class _Walk:
    """The upper part of a charge: readings [rows, cells], current and counted charge [rows], and the herd's curve."""

    cell_v: Floats
    current_a: Floats
    counted_ah: Floats
    curve: "_HerdCurve"
    interval_s: float

    @classmethod
    def up(cls, log: Log, setup: Setup, charge: Charge, prior: Prior) -> "_Walk | None":
        """The upper knee of a charge."""
        if charge.absorption is None:
            return None
        rows = np.arange(charge.start, charge.stop)
        chem = chemistry(setup.chemistry)

        def steep(freed: Floats) -> NDArray[np.bool_]:
            herd = np.median(freed, axis=1)
            top_v = float(herd.max())
            # on a sloped curve only the end: further down a cell of other capacity stands elsewhere without being off at the top
            least = (
                chem.knee_v - 0.04
                if setup.chemistry == "lfp"
                else max(chem.knee_v - 0.04, top_v - SLOPED_TOP_V)
            )
            return herd > min(least, top_v - 0.03)

        return cls._of(
            log, setup, rows[log.current_a[rows] > -0.01 * setup.capacity_ah], prior, steep
        )

    @classmethod
    def down(cls, log: Log, setup: Setup, rows: NDArray[np.intp], prior: Prior) -> "_Walk | None":
        """The lower knee of a discharge: from where the first cell leaves the plateau."""
        low_v = float(chemistry(setup.chemistry).curve.ocv(LOW_KNEE_PCT))
        # the rows begin at a full charge, so counting tells how far down the herd is; its voltage under load would tell it badly
        drawn_ah = float(log.charge_ah[rows[0]] - log.charge_ah[rows].min())
        left_pct = max(0.0, 100.0 * (1.0 - drawn_ah / setup.capacity_ah))
        loaded = rows[log.current_a[rows] < 0.01 * setup.capacity_ah]
        return cls._of(log, setup, loaded, prior, lambda freed: freed.min(axis=1) < low_v, left_pct)

    @classmethod
    def _of(
        cls,
        log: Log,
        setup: Setup,
        rows: NDArray[np.intp],
        prior: Prior,
        steep: Callable[[Floats], NDArray[np.bool_]],
        bottom_pct: float | None = None,
    ) -> "_Walk | None":
        rows = rows[np.isfinite(log.cell_v[rows]).all(axis=1)]
        if rows.size < LEAST_ROWS:
            return None
        # each row's current taken as that of the interval before it: in a taper a trapezoid would count too much (tried on slow logs)
        flow = (
            np.nan_to_num(log.current_a[rows[0] : rows[-1] + 1])
            * log.steps_s[rows[0] : rows[-1] + 1]
        )
        span = slice(rows[0], rows[-1] + 1)
        felt = _felt_current(np.nan_to_num(log.current_a[span]), log.steps_s[span])
        current, counted = felt[rows - rows[0]], np.cumsum(flow)[rows - rows[0]] / 3600.0
        cell_v = log.cell_v[rows].astype(float)
        curve = _HerdCurve.of(
            np.median(cell_v, axis=1), counted, current, setup, prior.herd_ohm, bottom_pct
        )
        telling = np.flatnonzero(steep(cell_v - current[:, None] * prior.herd_ohm))
        telling = telling[:: max(1, telling.size // MOST_ROWS)]
        if telling.size < LEAST_ROWS:
            return None
        return cls(cell_v[telling], current[telling], counted[telling], curve, log.interval_s)

    def best_shifts(self, shifts_ah: Floats, prior: Prior) -> tuple[Floats, Floats, Floats, Floats]:
        """Most likely shift of each cell, its standard deviation, and the ends of its 90 % interval, Ah: float64[cells] each."""
        misfit = self._misfit(shifts_ah, prior)  # [cells, shifts]
        best = np.clip(np.argmin(misfit, axis=1), 1, shifts_ah.size - 2)
        likely = _vertex(shifts_ah, misfit, best)
        # the width from the whole likelihood over the grid: on the flat part of the curve it is no parabola but a long tail
        step = np.gradient(shifts_ah)
        weight = np.exp(-0.5 * (misfit - misfit.min(axis=1, keepdims=True))) * step
        weight /= weight.sum(axis=1, keepdims=True)
        spread = weight @ shifts_ah**2 - 2.0 * likely * (weight @ shifts_ah) + likely**2
        below = np.cumsum(weight, axis=1)
        low, high = (
            np.array([np.interp(q, row, shifts_ah) for row in below]) for q in (0.05, 0.95)
        )
        sd = np.sqrt(np.maximum(spread, (0.3 * step[best]) ** 2))
        # a cell that was further up than the herd ever came: from there on only the chemistry's curve speaks
        beyond = self.counted_ah.max() + likely > self.curve.ah[-1] + 0.003 * (
            shifts_ah[-1] - shifts_ah[0]
        )
        least, mean, most = (np.where(beyond, ah, 0.0) for ah in self.curve.farther_ah)
        return (
            likely + mean,
            np.hypot(sd, 0.5 * (most - least)),
            np.minimum(low, likely) + least,
            np.maximum(high, likely) + most,
        )

    def _misfit(self, shifts_ah: Floats, prior: Prior) -> Floats:
        """Twice the negative log likelihood, [cells, shifts], with both resistances integrated out.

        For each shift the residual e is linear in R and r; with x1 = I - I_h and x2 = I the minimum over both is a 2 x 2 system whose
        sums are matrix products over the rows, so that all cells and shifts cost a few of them.
        """
        at = self.counted_ah[:, None] + shifts_ah  # [rows, shifts]
        h, herd_a = self.curve.at(at)
        base = np.median(self.cell_v, axis=1)[:, None]
        y, h = self.cell_v - base, h - base  # small numbers: squares of 3.4 V would eat the digits
        x1, x2 = self.current_a[:, None] - herd_a, self.current_a
        scale = min(1.0, INDEPENDENT / y.shape[0]) / READING_SD_V**2
        e_e = np.sum(y**2, axis=0)[:, None] - 2.0 * y.T @ h + np.sum(h**2, axis=0)
        e_1 = y.T @ x1 - np.sum(h * x1, axis=0)
        e_2 = (y.T @ x2)[:, None] - x2 @ h
        a11 = scale * np.sum(x1**2, axis=0) + 1.0 / prior.herd_sd_ohm**2
        a12 = scale * (x2 @ x1)
        a22 = scale * float(x2 @ x2) + 1.0 / prior.excess_sd_ohm[:, None] ** 2
        b1 = scale * e_1 + prior.herd_ohm / prior.herd_sd_ohm**2
        b2 = scale * e_2 + (prior.excess_ohm / prior.excess_sd_ohm**2)[:, None]
        det = a11 * a22 - a12**2
        explained = (a22 * b1**2 - 2.0 * a12 * b1 * b2 + a11 * b2**2) / det
        return scale * e_e - explained + np.log(det)


def _felt_current(amps: Floats, steps_s: Floats) -> Floats:
    """The current a cell's drop follows: part at once, part as slowly as charge spreads inside it. In a taper the difference is large.

    The slow part is that of a first-order lag, SLOW_S; both are of the order pulse tables show (from memory).
    """
    age = np.cumsum(steps_s) / SLOW_S
    slow, value = np.empty_like(amps), float(amps[0])
    for block in np.split(
        np.arange(amps.size), np.flatnonzero(np.diff(np.floor(age / 200.0))) + 1
    ):  # exp of more than that would overflow
        since = age[block] - (age[block[0]] - steps_s[block[0]] / SLOW_S)
        gained = (1.0 - np.exp(-steps_s[block] / SLOW_S)) * amps[block] * np.exp(since)
        slow[block] = np.exp(-since) * (value + np.cumsum(gained))
        value = float(slow[block[-1]])
    return (1.0 - SLOW_PART) * amps + SLOW_PART * slow


def _vertex(x: Floats, y: Floats, best: NDArray[np.intp]) -> Floats:
    """Where the parabola through the best trial and its neighbours is lowest, float64[cells]."""
    rows = np.arange(best.size)
    x0, x1, x2 = x[best - 1], x[best], x[best + 1]
    d0, d2 = y[rows, best - 1] - y[rows, best], y[rows, best + 1] - y[rows, best]
    num = d2 * (x1 - x0) ** 2 - d0 * (x2 - x1) ** 2
    den = d2 * (x1 - x0) + d0 * (x2 - x1)
    shift = np.where(den > 0, -0.5 * num / np.where(den > 0, den, 1.0), 0.0)
    return np.clip(x1 + shift, x0, x2)


@dataclass(frozen=True, eq=False, slots=True)
class _HerdCurve:
    """The median cell's voltage and current against charge counted, made monotone, and how it goes on above its end."""

    ah: Floats
    between: Callable[[Floats], Floats]
    current_a: Floats
    herd_ohm: float
    beyond_ah: Floats
    beyond_v: Floats
    below_ah: Floats
    below_v: Floats
    farther_ah: tuple[
        float, float, float
    ]  # how much farther from full the herd may have been at its end: least, mean, most

    @classmethod
    def of(
        cls,
        herd: Floats,
        counted: Floats,
        current: Floats,
        setup: Setup,
        herd_ohm: float,
        bottom_pct: float | None = None,
    ) -> "_HerdCurve":
        """Means over bins of charge: where charge stands still (a held voltage), many readings make one knot.

        Freed of the current's drop the best rising curve is taken; with the drop added again it is the voltage that was seen.
        """
        order = np.argsort(counted, kind="stable")
        ah = counted[order]
        bins = np.floor((ah - ah[0]) / (KNOT_SHARE * setup.capacity_ah)).astype(int)
        _, first, count = np.unique(bins, return_index=True, return_counts=True)
        ah, v, amps = (np.add.reduceat(x, first) / count for x in (ah, herd[order], current[order]))
        freed = isotonic_regression(v - amps * herd_ohm, weights=count.astype(float)).x
        ocv = chemistry(setup.chemistry).curve
        # on charge a cell stands above its rest by what hysteresis and the slow part of its resistance add: on the flat that is many per cent
        flat = 1.0 if setup.chemistry == "lfp" else 0.0
        could_be = ocv.soc(freed[-1] - flat * ABOVE_REST_V)
        top_pct = float(ocv.soc(freed[-1] - flat * USUALLY_ABOVE_V))
        bottom_pct = float(ocv.soc(freed[0])) if bottom_pct is None else bottom_pct
        more_pct = np.linspace(0.0, 36.0, 721)
        rise, fall = (
            ocv.ocv(top_pct + more_pct) - ocv.ocv(top_pct),
            ocv.ocv(bottom_pct - more_pct[::-1]) - ocv.ocv(bottom_pct),
        )
        below_ah = ah[0] - more_pct[::-1] / 100.0 * setup.capacity_ah
        return cls(
            ah,
            _between(ah, freed),
            amps,
            herd_ohm,
            ah[-1] + more_pct / 100.0 * setup.capacity_ah,
            freed[-1] + amps[-1] * herd_ohm + rise,
            below_ah,
            freed[0] + amps[0] * herd_ohm + fall,
            _farther(top_pct - could_be, setup.capacity_ah),
        )

    def at(self, ah: Floats) -> tuple[Floats, Floats]:
        """Voltage and current of the herd when it had counted that charge."""
        current = np.interp(ah, self.ah, self.current_a)
        inside = np.clip(ah, self.ah[0], self.ah[-1])
        v = self.between(inside) + current * self.herd_ohm
        v = np.where(ah > self.ah[-1], np.interp(ah, self.beyond_ah, self.beyond_v), v)
        return np.where(ah < self.ah[0], np.interp(ah, self.below_ah, self.below_v), v), current


def _farther(pct: Floats, capacity_ah: float) -> tuple[float, float, float]:
    """Least, mean and most of the distances that could be; the farther, the less likely: few cells are off by many per cent."""
    weight = np.exp(-(pct - pct.min()) / USUAL_OFFSET_PCT)
    mean = float(np.average(pct, weights=weight))
    sd = float(np.sqrt(np.average((pct - mean) ** 2, weights=weight)))
    return (
        pct.min() / 100.0 * capacity_ah,
        mean / 100.0 * capacity_ah,
        (mean + 1.645 * sd) / 100.0 * capacity_ah,
    )


def _between(ah: Floats, v: Floats) -> Callable[[Floats], Floats]:
    """Smooth and rising between knots: at slow logs a straight line would cut the corner of the knee."""
    return PchipInterpolator(ah, v) if ah.size > 1 else lambda x: np.full_like(x, v[0])
