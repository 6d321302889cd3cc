"""Whether a cell comes to the knee as one that only reads wrongly would.

LFP's plateau is two flats a few ten millivolts apart, and a cell that stands a third of its charge
behind the others lies on the lower one while they are on the upper: on the plateau that is a
reading some 40 mV too low at every state. At the knee it is not. There the others rise by a tenth
of a volt and more; a wrong reading rises with them, a cell that lies so far behind stays where it
was. One that fills up while the others are far from it stands the other way.

A cell that reads wrongly and is some per cent behind stays below as well: so both are left open.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from nipper.core.chemistry import chemistry
from nipper.core.imbalance.doubt import NINE_IN_TEN
from nipper.core.imbalance.offsets import Offsets
from nipper.core.logs.charges import Charge
from nipper.core.logs.model import Log, nanmedian
from nipper.core.setup import Setup

Floats = NDArray[np.floating]
Flags = NDArray[np.bool_]

# V: a smaller reading is told beside the charge, a larger one is none (between 95 and 25 %
# published curves fall by 25 to 60 mV)
LEAST_APART_V, MOST_APART_V = 0.010, 0.070
LEAST_RISE_V = 0.030  # over the knee: a flat is less
# of that rise, by which a cell stays away from where its reading would be; one per cent of charge
# is half of it
STAYS_SHARE = 0.8
FELL_V = 0.030  # beyond it: a cell on its low knee, not on the other flat
DOUBTED_SHARE = 0.3  # of the charges that reach the knee
LAST_ROWS = 5  # at the top of a charge, against the meter's noise


@dataclass(frozen=True, eq=False, slots=True)
class Knee:
    """What full charges say of wrong readings of LFP, as the plateau tells them.

    Parameters
    ----------
    apart_v : float64[cells], what cells read beside the others on the plateau that charge explains
        as well, since at the knee they are not where a wrong reading would have them; 0: nothing
    unproven : bool[cells], of those that may be so and are on no charge that tells
    doubted : bool[cells], no such reading is told, and at the knee it does not follow the curve
    """

    apart_v: Floats
    unproven: Flags
    doubted: Flags

    def with_doubts(self, tops: Sequence[Offsets]) -> "Knee":
        """The same with what the tops of the charges doubt."""
        return replace(self, doubted=np.any([self.doubted, *(t.doubts for t in tops)], axis=0))

    def but(self, below_v: Sequence[Floats]) -> "Knee":
        """The same without cells that fell away from the others at the low end of a discharge by
        more than they stand apart: those are far behind. ``below_v``: float64[cells] of each, V.
        """
        fell = [v > np.abs(self.apart_v) + FELL_V for v in below_v]
        apart_v = np.where(np.any(fell, axis=0), 0.0, self.apart_v) if fell else self.apart_v
        return replace(self, apart_v=apart_v)


def at_knee(log: Log, setup: Setup, full: Sequence[Charge], bias_v: Floats) -> Knee:
    """Hold wrong readings, float64[cells] V with NaN where none is told, against full charges: one
    that shows a cell where its reading would be is enough to clear it.
    """
    size_v = np.abs(np.nan_to_num(bias_v))
    asked = (size_v > LEAST_APART_V) & (size_v < MOST_APART_V) & (setup.flat)
    away = np.full((1, bias_v.size), np.nan)
    if asked.any() and full:
        away = np.array([_away(log, setup, charge, bias_v) for charge in full])
    with np.errstate(invalid="ignore"):
        came, stayed = (away < STAYS_SHARE).any(axis=0), (away >= STAYS_SHARE).any(axis=0)
    apart_v = np.where(asked & stayed & ~came, bias_v, 0.0)
    return Knee(apart_v, asked & ~came & ~stayed, np.zeros(bias_v.size, bool))


def _away(log: Log, setup: Setup, charge: Charge, bias_v: Floats) -> Floats:
    """How far each cell stays from where its reading would be, as a share of the rise over the
    knee, float64[cells]; NaN where that tells nothing.
    """
    rows = np.arange(max(charge.start, charge.stop - LAST_ROWS), charge.stop)
    own_v, knee_v = nanmedian(log.cell_v[rows]).astype(float), chemistry(setup.chemistry).knee_v
    herd_v = float(nanmedian(own_v[:, None])[0])
    # the one that is behind misses the others' rise; the one that is ahead is on the knee alone
    rise_v = np.where(bias_v < 0.0, herd_v, own_v - bias_v) - knee_v
    tells = (rise_v > LEAST_RISE_V) & ((bias_v < 0.0) | (herd_v < knee_v))
    return np.sign(bias_v) * (own_v - herd_v - bias_v) / np.where(tells, rise_v, np.nan)


def doubted_alike(tops: Sequence[Offsets]) -> list[Offsets]:
    """Tops with the cells doubted at all of them that are doubted at a good part: the reading is
    the same, and of one it was not seen at no more is known.
    """
    told = [t for t in tops if t.on_knee]
    doubted = np.array([t.doubts for t in told])
    if not doubted.any():
        return list(tops)
    often = doubted.mean(axis=0) >= DOUBTED_SHARE
    low_ah = nanmedian(np.where(doubted, [t.low_ah for t in told], np.nan))
    high_ah = nanmedian(np.where(doubted, [t.high_ah for t in told], np.nan))
    return [t.between(low_ah, high_ah, often) for t in tops]


def either(by_charge: Offsets, by_reading: Offsets, helped: Offsets, apart_v: Floats) -> Offsets:
    """A top as other readings help it, but for cells with an ``apart_v``: those may lie anywhere
    between what charge alone makes of them and what is left beside a wrong reading, and none of the
    others tells which.
    """
    open_ = (apart_v != 0.0) & np.isfinite(by_charge.offset_ah) & np.isfinite(by_reading.offset_ah)
    low = np.fmin(by_charge.low_ah, by_reading.low_ah)
    high = np.fmax(by_charge.high_ah, by_reading.high_ah)
    return replace(
        helped,
        offset_ah=np.where(open_, by_charge.offset_ah, helped.offset_ah),
        sd_ah=np.where(
            open_, np.fmax(by_charge.sd_ah, 0.5 * (high - low) / NINE_IN_TEN), helped.sd_ah
        ),
        low_ah=np.where(open_, low, helped.low_ah),
        high_ah=np.where(open_, high, helped.high_ah),
    )
