"""Where each cell passes the step in the middle of LFP's plateau, against the herd.

Between two stages of graphite the voltage climbs by 15 to 30 mV within some per cent of charge; the
flats to either side tell nothing. All cells of a pack pass that step, however far from full and
from empty it stays, and a cell that holds less charge passes it later on charge and earlier on
discharge. A reading that is wrong by the same, or a resistance, lifts a cell on both sides of the
step: *where* it passes is told by neither.

The herd's own step is the measure: its height, its shape and its place are learnt from each charge.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nipper.core.imbalance.lines import NINE_IN_TEN
from nipper.core.imbalance.offsets import Offsets
from nipper.core.imbalance.shifts import Prior
from nipper.core.imbalance.walked import Flags, Floats, Read, read_rows
from nipper.core.logs.charges import Charge
from nipper.core.logs.model import Log, solved
from nipper.core.monotone import pchip, rising
from nipper.core.setup import Setup

# a herd's voltage, freed of the current's drop: published curves have the step between 3.25 and
# 3.34 V, and lie 20 mV apart
FROM_V, TO_V = 3.22, 3.37
KNOT_SHARE = 0.01  # of capacity: the herd's curve is learnt in steps this fine
FINE_SHARE = 0.002
# of capacity: a step and half of a flat beside it, for finding the step
STEP_SHARE, FLAT_SHARE = 0.06, 0.07
LEAST_STEP_V = 0.006  # more than the flats beside it rise
# of capacity: what is looked at to either side of the step, the shifts that are tried there, and
# the furthest that is told, for beyond it the true one may lie further out; then again for those
# that do, with the next
REACHES = ((0.19, 0.16, 0.13), (0.27, 0.24, 0.20))
VAGUE_SHARE = 0.015  # of capacity: one less sure is not told
SEEN_SHARE = 0.03  # of capacity: a cell's own step must lie so far inside of what was walked
# of capacity, from the beginning of a charge: hysteresis and what is slow in a cell settle
START_SHARE = 0.06
LEAST_ROWS = 16
MOST_CHARGES = 60  # more only repeat each other
INDEPENDENT = 40
FIT_SD_V = 0.001
ABOVE_V = 0.004
NO_FIT_V, NO_FIT_TIMES = 0.0025, 3.0  # left of a cell's readings, and of the usual cell's
BEYOND_SD_V = 0.012
AGAINST_V = 0.003  # of a cell's mean reading beside the herd's, the other way than its shift
READING_SD_V = 0.010  # of a reading that is wrong by the same
OWN_SD_V = 0.02  # of what a cell's own resistance makes of the swing of the current
IDLE_SHARE = -0.01  # of capacity an hour: what charges, and short rests
MODEL_SHARE, MODEL_PCT = 0.12, 0.2


@dataclass(frozen=True, eq=False, slots=True)
class _Step:
    """The herd's curve about its step: charges counted and volts, freed of the current's drop.

    ``at_ah`` is the middle of the step, ``top_v`` where the flat above it ends: a cell that is
    higher is on its way to full. ``fine_ah`` is how finely charge is told apart.
    """

    knots_ah: Floats
    freed_v: Floats
    at_ah: float
    top_v: float
    fine_ah: float

    def volts(self, ah: Floats) -> Floats:
        """The herd's voltage at a charge; the flat goes on beyond its ends."""
        return pchip(self.knots_ah, self.freed_v, np.clip(ah, self.knots_ah[0], self.knots_ah[-1]))

    def known(self, ah: Floats) -> Floats:
        """How much a reading counts there: beyond what the herd has walked the curve is guessed."""
        walked = (ah >= self.knots_ah[0]) & (ah <= self.knots_ah[-1])
        return np.where(walked, 1.0, (FIT_SD_V / BEYOND_SD_V) ** 2)


def middles(log: Log, setup: Setup, charges: Sequence[Charge], prior: Prior) -> list[Offsets]:
    """Charge of each cell against the median where it passes the step, from each charge that does;
    whether it was full does not matter.
    """
    if not setup.flat:
        return []
    charges = charges[:: -(-len(charges) // MOST_CHARGES) or 1]
    found = (middle_of(log, setup, charge, prior) for charge in charges)
    return [offsets for offsets in found if offsets is not None]


def middle_of(log: Log, setup: Setup, charge: Charge, prior: Prior) -> Offsets | None:
    """The same from one charge; None where the herd passes no step that can be told."""
    rows = np.arange(charge.start, charge.stop)
    rows = rows[log.current_a[rows] > IDLE_SHARE * setup.capacity_ah]
    begun = log.charge_ah[rows] - log.charge_ah[rows[:1]] > START_SHARE * setup.capacity_ah
    read = read_rows(log, rows[begun], prior, _on_plateau)
    step = read and _step(read, setup, prior)
    if not read or not step:
        return None
    shift, sd = _told(read, step, setup.capacity_ah)
    if 2 * np.isfinite(shift).sum() <= shift.size:
        return None
    shift = shift - np.nanmedian(shift)
    sd = np.hypot(sd, np.hypot(MODEL_SHARE * shift, MODEL_PCT / 100.0 * setup.capacity_ah))
    passed_s = float(read.time_s[np.argmin(np.abs(read.counted_ah - step.at_ah))])
    return Offsets(passed_s, shift, sd, shift - NINE_IN_TEN * sd, shift + NINE_IN_TEN * sd)


def _told(read: Read, step: _Step, capacity_ah: float) -> tuple[Floats, Floats]:
    """The shift of each cell and its standard deviation, float64[cells] Ah; NaN where it is not
    told.
    """
    shift, sd = (np.full(read.seen.size, np.nan) for _ in range(2))
    least_ah = 0.0
    for window, most, told in REACHES:
        way_ah = np.abs(read.counted_ah[read.telling] - step.at_ah)
        near = read.telling[way_ah < window * capacity_ah]
        if near.size < LEAST_ROWS:
            break
        tried, tried_sd = _shifts(read, near, step, most * capacity_ah)
        good = _inside(read.counted_ah[near], step.at_ah - tried, SEEN_SHARE * capacity_ah)
        good &= (np.abs(tried) >= least_ah) & (np.abs(tried) < told * capacity_ah)
        good &= read.seen & np.isnan(shift) & (tried_sd < VAGUE_SHARE * capacity_ah)
        # one that reads lower all in all is not far the fuller one, whatever looks like its step
        above_v = np.mean(read.cell_v[near] - read.herd_v[near][:, None], axis=0)
        far = np.abs(tried) > STEP_SHARE * capacity_ah
        good &= ~far | (np.sign(tried) * above_v > -AGAINST_V)
        shift, sd = np.where(good, tried, shift), np.where(good, tried_sd, sd)
        least_ah = told * capacity_ah
        if not np.any(read.seen & np.isnan(shift) & (tried < -least_ah)):
            break
    return shift, sd


def _on_plateau(_freed: Floats, herd_v: Floats) -> Flags:
    return (herd_v > FROM_V) & (herd_v < TO_V)


def _step(read: Read, setup: Setup, prior: Prior) -> _Step | None:
    """The herd's step; None where none is seen with a flat to either side."""
    rows, fine_ah = read.telling, FINE_SHARE * setup.capacity_ah
    knots_ah, freed_v = _herd(read, rows, KNOT_SHARE * setup.capacity_ah, prior.herd_ohm)
    if knots_ah.size < 2:
        return None
    at_ah = np.arange(knots_ah[0], knots_ah[-1], fine_ah)
    half, flat = round(0.5 * STEP_SHARE / FINE_SHARE), round(FLAT_SHARE / FINE_SHARE)
    middle = np.arange(half + flat, at_ah.size - half - flat)
    if not middle.size:
        return None
    volts = pchip(knots_ah, freed_v, at_ah)
    climbs = volts[middle + half] - volts[middle - half]
    below = volts[middle - half] - volts[middle - half - flat]
    above = volts[middle + half + flat] - volts[middle + half]
    beyond = climbs - STEP_SHARE / FLAT_SHARE * np.maximum(below, above)
    best = int(np.argmax(beyond))
    if beyond[best] < LEAST_STEP_V:
        return None
    top_v = float(volts[middle[best] + half + flat]) + ABOVE_V
    return _Step(knots_ah, freed_v, float(at_ah[middle[best]]), top_v, fine_ah)


def _herd(
    read: Read, rows: NDArray[np.intp], wide_ah: float, herd_ohm: float
) -> tuple[Floats, Floats]:
    """Charges counted and volts of the herd, freed of the drop that its own readings tell."""
    ah, volts, amps = (x[rows] for x in (read.counted_ah, read.herd_v, read.current_a))
    _, bins, count = np.unique(
        np.floor((ah - ah.min()) / wide_ah), return_inverse=True, return_counts=True
    )

    def mean(x: Floats) -> Floats:
        return np.bincount(bins, x) / count

    apart_v, apart_a, apart_ah = (x - mean(x)[bins] for x in (volts, amps, ah))
    usual = FIT_SD_V**2 / max(herd_ohm, 1e-9) ** 2
    columns = np.stack([apart_a, apart_ah])
    gram = columns @ columns.T + np.diag([usual, 1e-12])
    own = columns @ apart_v + np.array([usual * herd_ohm, 0.0])
    ohm = float(solved(gram, own)[0])
    return mean(ah), rising(mean(volts - ohm * amps), count.astype(float))


def _shifts(
    read: Read, near: NDArray[np.intp], step: _Step, most_ah: float
) -> tuple[Floats, Floats]:
    """The shift of each cell along the herd's step and its standard deviation, float64[cells] Ah.

    Readings are taken together in bins of charge as wide as the shifts that are tried lie apart: a
    shift is then a place in one table. What a cell's reading is off by, and its own resistance, are
    integrated out for each.
    """
    fine_ah, most = step.fine_ah, round(most_ah / step.fine_ah)
    ah = read.counted_ah[near]
    bins = np.floor((ah - ah.min()) / fine_ah).astype(np.intp)
    some = np.unique(bins)
    places = ah.min() + fine_ah * (np.arange(-most, int(bins.max()) + most + 1) + 0.5)
    h, known = (
        np.lib.stride_tricks.sliding_window_view(x, 2 * most + 1)[some]
        for x in (step.volts(places), step.known(places))
    )
    above_v = (read.cell_v[near] - read.herd_v[near][:, None]).T
    plain = above_v + step.volts(ah) < step.top_v
    count = _sums(bins, plain)[:, some]
    y = _sums(bins, above_v * plain)[:, some] / np.maximum(count, 1.0)
    amps = _sums(bins, read.current_a[near][None])[0, some] / np.bincount(bins)[some]
    left, open_ = _left(y, h - h[:, [most]], amps, _Counts(count, known))
    rows = np.maximum(count.sum(axis=1, keepdims=True), 1.0)
    best_v = np.sqrt(np.maximum(left.min(axis=1, keepdims=True), 0.0) / rows)
    independent = np.minimum(1.0, INDEPENDENT / rows)
    misfit = left / np.maximum(FIT_SD_V, best_v) ** 2 - count @ np.log(known)
    mean, sd = _likely(independent * misfit + open_, fine_ah * np.arange(-most, most + 1))
    # what comes and goes (a loose joint) can look like a step
    unlike = best_v > np.maximum(NO_FIT_V, NO_FIT_TIMES * np.median(best_v))
    return mean, np.where(unlike[:, 0] | (rows[:, 0] < LEAST_ROWS), np.inf, sd)


def _sums(bins: NDArray[np.intp], rows: NDArray[np.generic]) -> Floats:
    """Sums of each cell's readings in each bin, float64[cells, bins]."""
    return np.array([np.bincount(bins, own) for own in rows]).astype(float)


def _likely(misfit: Floats, shifts_ah: Floats) -> tuple[Floats, Floats]:
    """Mean and standard deviation over the shifts, float64[cells], of a misfit that is twice a
    negative log likelihood.
    """
    weight = np.exp(-0.5 * (misfit - misfit.min(axis=1, keepdims=True)))
    weight /= weight.sum(axis=1, keepdims=True)
    mean = weight @ shifts_ah
    return mean, np.sqrt(np.maximum(weight @ shifts_ah**2 - mean**2, 0.0))


@dataclass(frozen=True, eq=False, slots=True)
class _Counts:
    """How many readings of each cell lie in each bin, [cells, bins], and how much each counts for
    each shift, float64[bins, shifts].
    """

    count: Floats
    known: Floats

    def sums(self, of_cells: Floats, of_shifts: Floats | None = None) -> Floats:
        """Over all bins, float64[cells, shifts], of what is [cells, bins] or [bins]; and of what is
        [bins, shifts].
        """
        known = self.known if of_shifts is None else self.known * of_shifts
        return (self.count * of_cells) @ known


def _left(y: Floats, h: Floats, amps: Floats, counts: _Counts) -> tuple[Floats, Floats]:
    """What each shift leaves of each cell's readings, V squared, with a constant and a resistance
    fitted away; and what those leave open: float64[cells, shifts] each.

    Parameters
    ----------
    y : float64[cells, bins], above the herd
    h : float64[bins, shifts], what the shift makes of that
    amps : float64[bins]
    """
    swing_a = float(np.ptp(amps)) + 1e-9
    one, sums = np.ones(amps.size), counts.sums
    a11 = sums(one) + (FIT_SD_V / READING_SD_V) ** 2
    a12 = sums(amps)
    a22 = sums(amps**2) + (FIT_SD_V * swing_a / OWN_SD_V) ** 2
    b1 = sums(y) - sums(one, h)
    b2 = sums(y * amps) - sums(amps, h)
    e_e = sums(y**2) - 2.0 * sums(y, h) + sums(one, h**2)
    det = a11 * a22 - a12**2
    fitted = (a22 * b1**2 - 2.0 * a12 * b1 * b2 + a11 * b2**2) / det
    return e_e - fitted, np.log(det)


def _inside(walked_ah: Floats, own_step_ah: Floats, room_ah: float) -> Flags:
    """Whether each cell's own step lies well inside of what was walked."""
    return (own_step_ah > walked_ah.min() + room_ah) & (own_step_ah < walked_ah.max() - room_ah)
