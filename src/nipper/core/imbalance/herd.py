"""The herd's curve: voltage and current of the median cell against charge counted, and how it goes
on beyond its ends.

Beyond its end only the chemistry's curve speaks, from the charge the herd had there. On the knee
its voltage tells that charge to a fraction of a per cent. On the flat it does not: 10 mV are then
40 %, and a curve that lies 20 mV beside this chemistry's (as published ones do) would put a herd at
95 % down to 61 %. So that charge is an unknown with its own weights, and whoever uses the curve
beyond its end has to weigh all of its ends.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nipper.core.chemistry import chemistry
from nipper.core.monotone import pchip, rising
from nipper.core.setup import Setup

Floats = NDArray[np.floating]

KNOT_SHARE = 0.0002  # of capacity: the curve is learnt in steps this fine, some 2 mV at the knee
# above rest on charge, LFP: hysteresis of 10 to 20 mV between the branches, from memory
USUALLY_ABOVE_V = 0.006
# of a rest voltage: published curves of one chemistry lie that far apart on the flat, and the
# hysteresis is not known either
CURVE_DOUBT_V = 0.012
KNEE_DOUBT_V = 0.060  # and that far around their knees
RESISTANCE_LEFT = 0.3  # of the drop freed at the end of the charge
# of the herd's charge counted down from full, one standard deviation upwards and the e-folding
# downwards: where a pack's low knee lies beside the usual one; an aged pack holds less than its
# name says (common practice; tried on packs with 100, 93 and 85 % of theirs)
COUNTED_DOUBT_PCT, AGED_PCT = 4.0, 4.5
# published LFP curves lie so far apart below 30 %, in level and in where they fall
LEVEL_DOUBT_V, PLACE_DOUBT_PCT = 0.03, 4.0
KNEE_PCT = 5.0  # the herd's charge known this well: it is on its knee
FOOT_PCT = 95.0  # of LFP's upper knee
MOST_ENDS = 15  # how many charges at the herd's end are weighed
END_SPREAD_PCT = 0.4  # closer together than this they are one
TABLE = 4000
# of the usual slope: between 80 and 95 % two published 4.2 V curves rise by 3 to 5 and by 10 to
# 11 mV a per cent
SLOPE_DOUBT = 0.45
# of the fall below the lower end, KNEE_DOUBT_V at most: where it begins is weighed by the ends
# (LFP), how steep it is differs as well between published curves
FALL_DOUBT = 0.25
# published LFP curves take 0.53, 0.56 and 0.71 % of charge from 3.42 to 3.54 V, cells of two other
# simulators 0.67 and more, the assumed curve 0.52: how much longer the way is, and one standard
# deviation of a rise
KNEE_STRETCH, RISE_DOUBT = 1.15, 0.3
BETWEEN_SHARE = 0.15  # of the rise from knot to knot, half way
BEYOND_PCT = np.linspace(0.0, 60.0, 1201)  # as far as shifts are tried


@dataclass(frozen=True, eq=False, slots=True)
class Place:
    """Where charges lie in a curve's table: found once, and asked of all that it tells."""

    below: NDArray[np.intp]
    share: Floats  # of the way to the next point

    def of(self, table: Floats) -> Floats:
        """What the table says there, on straight lines between its points."""
        return table[self.below] + self.share * np.diff(table)[self.below]


@dataclass(frozen=True, eq=False, slots=True)
class HerdCurve:
    """The median cell's curve over one walk, tabled: it is asked by the hundred thousand.

    Parameters
    ----------
    end_pct : float64[ends], charges the herd may have had at its open end, %: the last knot of a
        charge, the first of a discharge (``down``)
    end_weight : float64[ends], how likely each is from the herd's voltage alone; sums to 1
    table_ah : float64[points], charge counted, rising, from below the first knot to beyond the last
    table_a : float64[points], current of the herd when it had counted that charge
    table_v : float64[ends, points], one row for each charge the herd may have had at the end
    doubt_v : float64[points], one standard deviation of what lies between the knots: the fewer rows
        pass the knee, the less is known of its shape
    """

    end_pct: Floats
    end_weight: Floats
    down: bool
    table_ah: Floats
    table_a: Floats
    table_v: Floats
    doubt_v: Floats

    @property
    def on_knee(self) -> bool:
        """Whether the herd's own charge is known at its open end."""
        return bool(np.ptp(self.end_pct) < KNEE_PCT)

    def place(self, ah: Floats) -> Place:
        """Where the herd had counted that charge."""
        last = self.table_ah.size - 1
        at = np.interp(ah, self.table_ah, np.arange(last + 1.0))
        below = np.minimum(at.astype(np.intp), last - 1)
        return Place(below, at - below)

    def amps(self, place: Place) -> Floats:
        """Current of the herd there."""
        return place.of(self.table_a)

    def volts(self, place: Place, end: int = 0) -> Floats:
        """Voltage of the herd there, had its walk ended at that charge."""
        return place.of(self.table_v[end])

    def doubt(self, place: Place) -> Floats:
        """One standard deviation of that voltage, V."""
        return place.of(self.doubt_v)


@dataclass(frozen=True, slots=True)
class Counted:
    """Charge of the herd at the low end of a discharge by counting from full, %, and how much more
    may have been drawn while nothing was written, % of capacity.
    """

    pct: float
    unseen_pct: float = 0.0


def learn(
    herd_v: Floats,
    counted_ah: Floats,
    current_a: Floats,
    setup: Setup,
    herd_ohm: float,
    bottom: Counted | None = None,
) -> HerdCurve:
    """Learn the curve from the rows of a walk.

    Means over bins of charge: where charge stands still (a held voltage), many readings make one
    knot. Freed of the current's drop the best rising curve is taken.

    Parameters
    ----------
    herd_v, counted_ah, current_a : float64[rows]
    bottom : of the herd at the least charge counted, where counting tells it
    """
    order = np.argsort(counted_ah, kind="stable")
    ah = counted_ah[order]
    bins = np.floor((ah - ah[0]) / (KNOT_SHARE * setup.capacity_ah)).astype(int)
    _, first, count = np.unique(bins, return_index=True, return_counts=True)
    ah, v, amps = (np.add.reduceat(x, first) / count for x in (ah, herd_v[order], current_a[order]))
    freed = rising(v - amps * herd_ohm, count.astype(float))
    ocv = chemistry(setup.chemistry).curve
    drops_v = np.abs(amps[[0, -1]]) * herd_ohm
    if bottom is None:
        high_pct, weight = ends(setup, float(freed[-1]), float(drops_v[1]))
        low_pct = np.full(weight.size, float(ocv.soc(freed[0])))
        if setup.flat and low_pct[0] < FOOT_PCT:  # counted down: voltage tells none
            counted_pct = 100.0 * (ah[-1] - ah[0]) / setup.capacity_ah
            low_pct = np.clip(high_pct - counted_pct, 0.0, FOOT_PCT)
    else:
        high_pct = np.array([float(ocv.soc(freed[-1]))])
        low_pct, weight = bottoms(setup, float(freed[0]), float(drops_v[0]), bottom)
    rise = _rise(setup, high_pct[:, None])
    # from the flat on the ends say where the knee is; its shape is what tells them apart
    steep = np.ptp(high_pct) < KNEE_PCT
    fall = ocv.ocv(low_pct[:, None] - BEYOND_PCT[::-1]) - ocv.ocv(low_pct)[:, None]
    per_pct = setup.capacity_ah / 100.0
    inside_ah, inside_v = _between(ah, freed)
    inside_v = inside_v + np.interp(inside_ah, ah, amps) * herd_ohm
    volts = [inside_v[0] + fall[:, :-1], inside_v[None, :], inside_v[-1] + rise[:, 1:]]
    sides = [np.broadcast_to(v, (weight.size, v.shape[1])) for v in volts]
    table_ah = np.concatenate(
        [ah[0] - BEYOND_PCT[:0:-1] * per_pct, inside_ah, ah[-1] + BEYOND_PCT[1:] * per_pct]
    )
    return HerdCurve(
        end_pct=high_pct if bottom is None else low_pct,
        end_weight=weight,
        down=bottom is not None,
        table_ah=table_ah,
        table_a=np.interp(table_ah, ah, amps),
        table_v=np.concatenate(sides, axis=1),
        doubt_v=_doubt_v(setup, fall.mean(axis=0), steep * rise.mean(axis=0), ah, freed, inside_ah),
    )


def ends(setup: Setup, freed_v: float, drop_v: float) -> tuple[Floats, Floats]:
    """Charges the herd may have at a voltage on charge, %, and how likely each is.

    Parameters
    ----------
    freed_v : of the median cell, freed of the current's drop
    drop_v : that drop, which is known to some tenths only

    Returns
    -------
    float64[ends], float64[ends]
        One charge where the curve is steep, up to MOST_ENDS equally likely ones where it is flat.
    """
    ocv = chemistry(setup.chemistry).curve
    if not setup.flat:  # sloped: tells within a few per cent, and goes on at about that slope
        return np.array([float(ocv.soc(freed_v))]), np.ones(1)
    pct = np.linspace(10.0, 100.0, 1801)
    sd_v = np.hypot(CURVE_DOUBT_V, RESISTANCE_LEFT * drop_v)
    weight = np.exp(-0.5 * ((ocv.ocv(pct) - (freed_v - USUALLY_ABOVE_V)) / sd_v) ** 2)
    if weight.sum() < 1e-9:  # above the curve's end
        return np.array([float(ocv.soc(freed_v - USUALLY_ABOVE_V))]), np.ones(1)
    return _quantiles(pct, weight)


def bottoms(setup: Setup, freed_v: float, drop_v: float, counted: Counted) -> tuple[Floats, Floats]:
    """Charges the herd may have at the low end of a discharge, %, and how likely each is.

    Counting from full tells it, to what the name of an aged pack says too much and where this
    pack's knee lies beside the usual one; on the knee the voltage tells it as well.

    Parameters
    ----------
    freed_v, drop_v : of the median cell, as for :func:`ends`
    counted : from full, with the name's capacity

    Returns
    -------
    float64[ends], float64[ends]
        Equally likely charges; the counted one alone where the curve is sloped.
    """
    ocv = chemistry(setup.chemistry).curve
    if not setup.flat:
        return np.array([counted.pct]), np.ones(1)
    pct = np.linspace(0.0, 60.0, 1201)
    rest_v = ocv.ocv(pct)
    place_v = PLACE_DOUBT_PCT * np.gradient(rest_v, pct)
    sd_v = np.hypot(np.hypot(LEVEL_DOUBT_V, RESISTANCE_LEFT * drop_v), place_v)
    off = pct - counted.pct
    below = -off / (AGED_PCT + counted.unseen_pct)
    unlikely = np.where(off > 0.0, 0.5 * (off / COUNTED_DOUBT_PCT) ** 2, below)
    told = 0.5 * ((rest_v - freed_v - USUALLY_ABOVE_V) / sd_v) ** 2 + np.log(sd_v)
    unlikely = unlikely + told
    return _quantiles(pct, np.exp(unlikely.min() - unlikely))


def _quantiles(pct: Floats, weight: Floats) -> tuple[Floats, Floats]:
    """A few equally likely charges; one, where they are close together."""
    below = np.cumsum(weight) / weight.sum()
    shares = (np.arange(MOST_ENDS) + 0.5) / MOST_ENDS
    found = np.interp(shares, below, pct)
    if np.ptp(found) < END_SPREAD_PCT:
        return np.array([float(np.mean(found))]), np.ones(1)
    return found, np.full(MOST_ENDS, 1.0 / MOST_ENDS)


def _between(ah: Floats, v: Floats) -> tuple[Floats, Floats]:
    """Charges and volts, smooth and rising between knots: a straight line would cut the corner of
    the knee.
    """
    if ah.size < 2:
        return ah, v
    fine: Floats = np.union1d(ah, np.linspace(float(ah[0]), float(ah[-1]), TABLE))
    return fine, pchip(ah, v, fine)


def _rise(setup: Setup, end_pct: Floats) -> Floats:
    """From these charges on upwards, V: float64[ends, points] of BEYOND_PCT."""
    chem = chemistry(setup.chemistry)
    pct = end_pct + BEYOND_PCT
    if setup.flat:
        foot = np.maximum(end_pct, float(chem.curve.soc(chem.knee_v)))
        pct = np.where(pct > foot, foot + (pct - foot) / KNEE_STRETCH, pct)
    return chem.curve.ocv(pct) - chem.curve.ocv(end_pct)


def _doubt_v(
    setup: Setup, fall: Floats, rise: Floats, ah: Floats, v: Floats, inside_ah: Floats
) -> Floats:
    """Doubt of the whole table. Beyond the upper end of a sloped curve it grows with the way; that
    of LFP is a part of the rise from a knee, and below the lower end a part of the fall.
    """
    below_v = np.minimum(FALL_DOUBT * -fall[:-1], KNEE_DOUBT_V)
    above_v = np.minimum(RISE_DOUBT * rise[1:], KNEE_DOUBT_V)
    if not setup.flat:
        curve = chemistry(setup.chemistry).curve
        usual_v = float(curve.ocv(90.0) - curve.ocv(30.0)) / 60.0
        above_v = SLOPE_DOUBT * usual_v * BEYOND_PCT[1:]
    return np.concatenate([below_v, _between_doubt(ah, v, inside_ah), above_v])


def _between_doubt(ah: Floats, v: Floats, at_ah: Floats) -> Floats:
    """Doubt of a voltage between two knots: none at them, most half way."""
    if ah.size < 2:
        return np.zeros(at_ah.size)
    knot = np.clip(np.searchsorted(ah, at_ah, side="right") - 1, 0, ah.size - 2)
    gone = (at_ah - ah[knot]) / (ah[knot + 1] - ah[knot])
    return BETWEEN_SHARE * 4.0 * gone * (1.0 - gone) * (v[knot + 1] - v[knot])
