"""What a cycle at steady currents tells: at the same charge every cell is seen on charge and on
discharge.

A bench cycle has a handful of steps of current, most of them at the knees, and no calm plateau.
But it walks the plateau both ways under strong currents, and there a cell's difference to the herd
is

    d = bias + slope (offset + drawn deficit) + R I

with the slope of the rest voltage over charge. What follows the current is resistance, the slow
part in it; what stands on both ways and at every charge is the reading; what follows the slope is
charge. Fitted by least squares, twice re-weighted against outliers, then once more without the
rows at which the cell itself has left the plateau.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nipper.core.chemistry import chemistry
from nipper.core.imbalance.bias import USUAL_BIAS_V
from nipper.core.imbalance.fitting import robust
from nipper.core.imbalance.herd import USUALLY_ABOVE_V
from nipper.core.imbalance.resistance import Resistances, evened, meter_noise_v
from nipper.core.logs.drawn import moved_ah
from nipper.core.logs.model import Log, nanmedian
from nipper.core.setup import Setup

Floats = NDArray[np.floating]
Flags = NDArray[np.bool_]

STRONG_RATE = 0.05  # of capacity per hour: from here on a current plainly flows
LEAST_ROWS = 60  # each way
LEAST_SHARED_PCT = 15.0  # of capacity that is walked both ways
BETWEEN_PCT = {"lfp": (20.0, 92.0), "nmc": (15.0, 95.0), "lto": (15.0, 95.0)}
GRID = 41
MOST_ROWS = 4000
INDEPENDENT = 60  # what the model leaves out lasts for hours
OFFSET_PCT, DEFICIT_PCT = 8.0, 20.0  # how far cells may well be apart: keeps short logs honest
# columns of a polynomial in charge: what a cell's own curve leaves is the same both ways, and no
# resistance
BY_CHARGE = 6
CURRENT = 3  # its column of the design
OFF_V = 0.025  # from what fits: there a cell has left the plateau before the herd
FAR_PCT = tuple(float(s) for s in range(-42, 43, 2) if abs(s) >= 8)  # further than a slope tells
# V, what two cells' curves differ by beyond charge and capacity; tried on packs of two simulators
BIAS_FLOOR_V = {"lfp": 1.2e-3, "nmc": 2.5e-3, "lto": 2.5e-3}
AS_GOOD = 2.0  # times what is left with a wrong reading: so much worse charge alone must explain it
# of a wrong reading: it must stand on each way and in each half, and well in one
SEEN_SHARE, PLAIN_SHARE = 0.5, 0.67


@dataclass(frozen=True, eq=False, slots=True)
class Swing:
    """Against the median cell, float64[cells]: resistance with its slow part, and the part of the
    reading that is the same at every state; a bias is NaN where charge explains the cell as well.
    """

    herd_ohm: float
    excess_ohm: Floats
    sd_ohm: Floats
    bias_v: Floats
    bias_sd_v: Floats
    time_s: Floats  # [rows]
    amps: Floats  # [rows]
    own_v: Floats  # [rows, cells], freed of what is not resistance
    moved_ah: Floats  # [rows], charge counted
    left_v: Floats
    meter_v: float  # what the meter's own steps make of a difference

    @property
    def resistances(self) -> Resistances:
        """The same as steps of current would tell it, each row taken for a step from nothing."""
        usual_v = max(float(np.nanmedian(self.left_v)), self.meter_v)
        return Resistances(
            herd_ohm=self.herd_ohm,
            excess_ohm=self.excess_ohm,
            sd_ohm=self.sd_ohm,
            steps=0,
            wander=self.left_v / usual_v,
            time_s=self.time_s,
            step_a=self.amps,
            own_v=self.own_v,
            moved_ah=self.moved_ah,
            beside=np.vander(evened(self.moved_ah), BY_CHARGE),
            usual_v=usual_v,
            whole=True,
        )


@dataclass(frozen=True, eq=False, slots=True)
class _Rows:
    """The rows looked at: herd's volts, amperes, charge in %, and slope in V per %."""

    at: NDArray[np.intp]
    amps: Floats
    pct: Floats
    slope: Floats
    apart_v: Floats  # [shifts, rows], what a cell so far along the herd's curve reads against it

    @property
    def design(self) -> Floats:
        """One column each for bias, offset, deficit and resistance."""
        drawn = (self.pct - np.median(self.pct)) / 100.0
        return np.column_stack([np.ones(drawn.size), self.slope, self.slope * drawn, self.amps])

    def shifted_left_v(self, own_v: Floats) -> float:
        """What the best of the shifts leaves of a cell, with a resistance of its own, V."""
        good = np.isfinite(own_v)
        amps, nothing = self.amps[good, None], np.zeros((1, 1))
        fits = (robust(amps, own_v[good] - apart_v[good], nothing) for apart_v in self.apart_v)
        return min((fit.left_v for fit in fits), default=np.inf)


def swing(log: Log, setup: Setup) -> Swing | None:
    """Fit every cell of a log; None where the plateau was not walked both ways."""
    read = np.isfinite(log.cell_v).any(axis=1)
    herd_v = np.full(log.rows, np.nan)
    herd_v[read] = nanmedian(log.cell_v[read].T)
    amps = np.nan_to_num(log.current_a)
    moved = moved_ah(log, setup)
    pct = 100.0 + 100.0 * (moved - moved.max(initial=0.0)) / setup.capacity_ah
    low, high = BETWEEN_PCT[setup.chemistry]
    strong = np.abs(amps) > STRONG_RATE * setup.capacity_ah
    rows = np.flatnonzero((pct > low) & (pct < high) & strong & np.isfinite(herd_v))
    herd_ohm = _herd_ohm(setup, pct[rows], amps[rows], herd_v[rows])
    if herd_ohm is None:
        return None
    rows = rows[:: max(1, rows.size // MOST_ROWS)]
    rest_v = herd_v[rows] - herd_ohm * amps[rows]
    apart_v = _shifted(setup, pct[rows], rest_v)
    seen = _Rows(rows, amps[rows], pct[rows], _slope(setup, pct[rows], rest_v), apart_v)
    own_v = log.cell_v[rows].astype(float) - herd_v[rows, None]
    fits = [_fit(setup, seen, own_v[:, i]) for i in range(log.cells)]
    if not any(np.isfinite(f.left_v) for f in fits):
        return None
    beta = np.array([f.beta for f in fits])
    bias = np.array([f.bias_v for f in fits])
    beta[:, CURRENT] -= np.nanmedian(beta[:, CURRENT])
    not_current = np.delete(seen.design, CURRENT, axis=1) @ np.delete(beta, CURRENT, axis=1).T
    return Swing(
        herd_ohm=herd_ohm,
        excess_ohm=beta[:, CURRENT],
        sd_ohm=np.array([f.sd_ohm for f in fits]),
        bias_v=bias - np.nanmedian(bias) if np.isfinite(bias).any() else bias,
        bias_sd_v=np.array([f.bias_sd_v for f in fits]),
        time_s=log.time_s[rows],
        amps=amps[rows],
        own_v=own_v - not_current,
        moved_ah=moved[rows],
        left_v=np.array([f.left_v for f in fits]),
        meter_v=meter_noise_v(np.diff(log.cell_v[rows], axis=0)),
    )


def _herd_ohm(setup: Setup, pct: Floats, amps: Floats, herd_v: Floats) -> float | None:
    """The median cell's resistance, ohm, from its voltages both ways at the same charges."""
    up, down = amps > 0, amps < 0
    if up.sum() < LEAST_ROWS or down.sum() < LEAST_ROWS:
        return None
    low, high = max(pct[up].min(), pct[down].min()), min(pct[up].max(), pct[down].max())
    if high - low < LEAST_SHARED_PCT:
        return None
    at: Floats = np.linspace(float(low), float(high), GRID)

    def walked(way: Flags, what: Floats) -> Floats:
        order = np.argsort(pct[way], kind="stable")
        return np.interp(at, pct[way][order], what[way][order])

    between_a = walked(up, amps) - walked(down, amps)
    between_v = walked(up, herd_v) - walked(down, herd_v)
    branches_v = 2.0 * USUALLY_ABOVE_V if setup.flat else 0.0
    herd_ohm = float(np.median((between_v - branches_v) / between_a))
    return herd_ohm if herd_ohm > 0 else None


def _slope(setup: Setup, pct: Floats, rest_v: Floats) -> Floats:
    """How the rest voltage rises with charge, V per %: by the chemistry's curve, or on sloped ones
    as the pack shows it, since published ones differ by a third.
    """
    assumed = 1e-3 * chemistry(setup.chemistry).curve.slope(pct)
    if setup.flat:
        return assumed
    own = np.polynomial.Polynomial.fit(pct, rest_v, 4).deriv()(pct)
    usual = float(np.median(assumed))
    return np.clip(own, 0.4 * usual, 2.0 * usual)


def _shifted(setup: Setup, pct: Floats, rest_v: Floats) -> Floats:
    """What cells far along the herd's curve read against it, float64[shifts, rows] V: LFP's has a
    step, which no slope at the herd's place foretells.
    """
    if not setup.flat:
        return np.empty((0, pct.size))
    assumed = chemistry(setup.chemistry).curve.ocv
    bins = np.round(pct).astype(int)
    at, of = np.unique(bins, return_inverse=True)
    herd_v = np.bincount(of, rest_v) / np.bincount(of)
    first, last = float(herd_v[0] - assumed(at[0])), float(herd_v[-1] - assumed(at[-1]))
    own_v = np.interp(pct, at, herd_v)
    out: list[Floats] = []
    for shift in FAR_PCT:
        there = pct + shift
        beyond: Floats = assumed(np.clip(there, -20.0, 105.0))
        beyond = beyond + np.where(there < at[0], first, last)
        walked = (there >= at[0]) & (there <= at[-1])
        out.append(np.where(walked, np.interp(there, at, herd_v), beyond) - own_v)
    return np.array(out)


@dataclass(frozen=True, eq=False, slots=True)
class _Fit:
    """One cell's fit: the columns' coefficients, and what is told of resistance and bias."""

    beta: Floats
    left_v: float
    sd_ohm: float
    bias_v: float
    bias_sd_v: float


def _fit(setup: Setup, seen: _Rows, own_v: Floats) -> _Fit:
    x = seen.design
    # charge may differ by some per cent, capacity by some more, resistance by anything
    ridge = np.diag(4e-6 / np.array([np.inf, OFFSET_PCT, DEFICIT_PCT, np.inf]) ** 2)
    nothing = float("nan")
    untold = _Fit(np.full(CURRENT + 1, nothing), nothing, nothing, nothing, nothing)
    good = np.isfinite(own_v)
    if not _both_ways(seen, good):
        return untold
    first = robust(x[good], own_v[good], ridge)
    # a weak cell leaves the plateau before the herd: far below all that fits
    good &= np.abs(own_v - x @ first.beta) < max(OFF_V, 4.0 * first.left_v)
    if not _both_ways(seen, good):
        return untold
    fit = robust(x[good], own_v[good], ridge)
    beta, left_v = fit.beta, fit.left_v
    wide: Floats = np.sqrt(np.diag(np.linalg.inv(fit.gram)) * good.sum() / INDEPENDENT) * left_v
    bias, bias_sd = float(beta[0]), float(wide[0]) + BIAS_FLOOR_V[setup.chemistry]
    if setup.flat and AS_GOOD * seen.shifted_left_v(own_v) < first.left_v:
        bias, bias_sd = np.nan, np.nan  # so far along the curve no slope tells charge
    elif not _everywhere(seen, good, own_v - x[:, CURRENT] * beta[CURRENT], bias):
        small = abs(bias) < 2.0 * BIAS_FLOOR_V[setup.chemistry]
        bias, bias_sd = (bias, max(bias_sd, abs(bias))) if small else (np.nan, np.nan)
    elif not setup.flat:
        by_charge = robust(x[good, 1:], own_v[good], ridge[1:, 1:])
        if by_charge.left_v < AS_GOOD * left_v or abs(bias) > USUAL_BIAS_V:
            bias_sd = abs(bias)  # charge alone explains it nearly as well: then it is charge
    return _Fit(beta, left_v, float(wide[CURRENT]), bias, bias_sd)


def _both_ways(seen: _Rows, good: Flags) -> bool:
    """Whether a cell was read on charge and on discharge: else its bias and its resistance, under
    one and the same current, cannot be told apart.
    """
    up = seen.amps > 0
    return min((good & up).sum(), (good & ~up).sum()) >= LEAST_ROWS


def _everywhere(seen: _Rows, good: Flags, rest_v: Floats, bias: float) -> bool:
    """Whether a wrong reading stands on charge and on discharge, in the upper half and the lower:
    else the fit made it, not the meter.
    """
    upper, up = seen.pct >= np.median(seen.pct), seen.amps > 0
    parts = [good & a & b for a in (upper, ~upper) for b in (up, ~up)]
    stands = [np.sign(bias) * float(np.median(rest_v[p])) for p in parts if p.sum() >= 10]
    if not stands:
        return False
    return min(stands) > SEEN_SHARE * abs(bias) and max(stands) > PLAIN_SHARE * abs(bias)
