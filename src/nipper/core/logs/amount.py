"""How much a current moves: one read ten times too large fills the cells several times over."""

import numpy as np

from nipper.core.logs.column import Floats
from nipper.core.logs.signs import WILD_A

GAP_TIMES = 20.0  # the usual step: nothing is counted across
STRONG_RATE = 0.02  # of capacity an hour: a meter's offset adds up over weeks of float
MOST_WAY = 1.4  # of a capacity, in one go: none of 150 logs of five simulators is above 1.0


def too_much_ah(amps: Floats, time_s: Floats, capacity_ah: float) -> float:
    """What a current moves in one go and cells of that capacity cannot hold, Ah; 0 where they can.

    Parameters
    ----------
    amps : float64[rows] A, charging positive or not; 0 where none is read
    time_s : of the same rows, Unix s; not a number where it is not read
    """
    strong = np.abs(amps) > STRONG_RATE * capacity_ah
    way_ah = one_way_ah(np.where(strong, amps, 0.0), time_s)
    return way_ah if way_ah > MOST_WAY * capacity_ah else 0.0


def one_way_ah(amps: Floats, time_s: Floats) -> float:
    """The most that flows one way without a gap and without a row of the other, Ah."""
    step_s = np.abs(np.diff(time_s, prepend=time_s[:1]))
    known = step_s[np.isfinite(step_s) & (step_s > 0.0)]
    if not known.size:
        return 0.0
    counts = step_s <= GAP_TIMES * np.median(known)  # none of unknown ones
    flow = np.where(counts, np.clip(amps, -WILD_A, WILD_A) * step_s / 3600.0, 0.0)
    return max(_largest(flow, counts), _largest(-flow, counts))


def _largest(flow: Floats, counts: np.ndarray) -> float:
    ends = ~counts | (flow < 0.0)
    starts = np.r_[0, np.flatnonzero(ends)]
    return float(np.max(np.add.reduceat(np.maximum(flow, 0.0), starts)))
