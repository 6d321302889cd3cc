"""What the taper of a charge hides: how far the surface of the cells is ahead of their charge, and
what flowed between the two rows where the current fell most.

At the knee a per cent of charge is a hundred millivolts, so that either hides most of what a cell
shows. All cells of a pack went through the same: what lets all of them fit the herd's curve best is
taken.
"""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from nipper.core.imbalance.shifts import SHIFTS_PCT, Prior, Walk
from nipper.core.imbalance.walked import LEAST_ROWS, Read
from nipper.core.setup import Setup

# hours of current that are tried for what the surface is ahead, and how much less one has to leave
# unexplained
LEADS_H = (0.0, 0.02, 0.04, 0.06, 0.08, 0.10, 0.13)
BETTER_SHARE = 0.95
LEAST_FIT_V = 0.020  # what is worse than this counts no more
# of what may have flowed unseen: what is tried, from how much on, % of capacity, and how much less
# it has to leave unexplained (at 1 level cells whose knee lies between two rows were told 2 % off)
LATE_SHARE, LATE_PCT, LATE_BETTER_SHARE = 0.7, 0.1, 0.85
SLOW_ROWS_S = 120.0  # at faster ones it is little, and the meter's noise would decide
FEW_SHIFTS_PCT = SHIFTS_PCT[::3]  # coarser than those a cell is told by


def lead_h(reads: Sequence[Read], setup: Setup, prior: Prior) -> float:
    """How far the surface of these cells runs ahead of their charge, hours of the slow current.

    While current flows the outside of a particle is fuller than its inside, by so much times the
    current, and it dies away through the taper. The lead is the cells' own: none, where none fits
    plainly better. Charges that end with the herd on the flat tell little, by the cells that went
    on alone: they are asked where no other is.

    Parameters
    ----------
    reads : of some charges of LFP
    """
    # the taper tells it: a knee that lies between two rows fits any lead
    asked = [read for read in reads if read.flowing >= LEAST_ROWS]
    on_knee = [read for read in asked if read.walk(setup, prior).curve.on_knee]
    left = [_left(on_knee or asked, setup, replace(prior, lead_h=h)) for h in LEADS_H]
    best = int(np.argmin(left))
    return LEADS_H[best] if left[best] < BETTER_SHARE * left[0] else 0.0


def _left(reads: Sequence[Read], setup: Setup, prior: Prior) -> float:
    """What the best shifts of all cells leave at these charges, V squared."""
    return sum(_left_by(best_walk(read, setup, prior), setup, prior) for read in reads)


def best_walk(read: Read, setup: Setup, prior: Prior) -> Walk:
    """The walk with the current kept up for a good part of the interval in which it fell most,
    where that lets the cells fit plainly better; as it was read, where the herd does not pass
    LFP's knee, rows are fast or little flowed.
    """
    plain = read.walk(setup, prior)
    open_pct = 100.0 * float(read.late_ah.max()) / setup.capacity_ah
    asked = setup.flat and read.interval_s >= SLOW_ROWS_S and open_pct >= LATE_PCT
    if not asked or not plain.curve.on_knee:
        return plain
    late = read.walk(setup, prior, late=LATE_SHARE)
    left = _left_by(late, setup, prior)
    return late if left < LATE_BETTER_SHARE * _left_by(plain, setup, prior) else plain


def _left_by(walk: Walk, setup: Setup, prior: Prior) -> float:
    """What the best shifts of its cells leave, V squared."""
    left_v = walk.left_v(FEW_SHIFTS_PCT / 100.0 * setup.capacity_ah, prior)
    return float(np.sum(np.minimum(left_v, LEAST_FIT_V) ** 2))
