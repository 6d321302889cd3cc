"""How much a current moves: one read ten times too large fills the cells several times over."""

import numpy as np

from nipper.core.logs.doubt import Doubt
from nipper.core.logs.model import Floats, Log

GAP_TIMES = 20.0  # the usual step: nothing is counted across
STRONG_RATE = 0.02  # of capacity an hour: a meter's offset adds up over weeks of float
MOST_WAY = 1.4  # of a capacity, in one go: none of 150 logs of five simulators is above 1.0


def amount_doubts(log: Log, current: str | None, capacity_ah: float | None) -> list[Doubt]:
    """That the current of a log, of the column ``current``, cannot be of cells of that capacity."""
    if not current or not capacity_ah:
        return []
    amps = np.nan_to_num(log.current_a)
    strong = np.abs(amps) > STRONG_RATE * capacity_ah
    much_ah = in_one_go_ah(np.where(strong, amps, 0.0), log.time_s)
    if much_ah <= MOST_WAY * capacity_ah:
        return []
    text = (
        f"by {current} {much_ah:.3g} Ah flow one way in one go, through cells of "
        f"{capacity_ah:g} Ah: is its unit another, is it of more packs, or is the capacity wrong?"
    )
    return [Doubt(text, "--map")]


def in_one_go_ah(amps: Floats, time_s: Floats) -> float:
    """The most that flows one way without a gap and without a row of the other, Ah.

    Parameters
    ----------
    amps : float64[rows] A, finite
    time_s : of the same rows, Unix s, rising
    """
    step_s = np.diff(time_s, prepend=time_s[:1])
    known = step_s[step_s > 0.0]
    if not known.size:
        return 0.0
    counts = step_s <= GAP_TIMES * np.median(known)
    flow = np.where(counts, amps * step_s / 3600.0, 0.0)
    return max(_largest(flow, counts), _largest(-flow, counts))


def _largest(flow: Floats, counts: np.ndarray) -> float:
    ends = ~counts | (flow < 0.0)
    starts = np.r_[0, np.flatnonzero(ends)]
    return float(np.max(np.add.reduceat(np.maximum(flow, 0.0), starts)))
