"""Cells that were level, and stand far lower ever since.

On the flat of the curve voltage says that much is missing, and not how much: a straight line
through such readings has no slope that is sure. A cell that loses some per cent a day is there
after a day or two, and was told as one that never was level, to be fed. It may short inside.
"""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nipper.core.imbalance.causes_base import Cause, has, names, sure
from nipper.core.imbalance.drift import Drift
from nipper.core.imbalance.estimate import Estimate
from nipper.core.imbalance.remedies import CAUTION
from nipper.core.setup import Setup

LEAST_FALL_PCT = 1.0  # of capacity, between the ends of what either reading leaves open
LEAST_AFTER = 2  # charges since, all of which see it lower
BEGINS = 3  # one of the first so many charges that know the cell must have seen it level
LINE_SDS = 3.0  # from there on the straight line tells the loss
LEVEL_PCT = 1.6  # of capacity: beside the others as healthy cells are
MOST_SURE = 0.85  # charge may have been taken from it by hand
SHORTS_PCT_DAY = 0.15  # of capacity: ordinary cells lose some hundredths (from memory)
DAY_S = 86400.0


@dataclass(frozen=True, slots=True)
class _Fall:
    """What a cell (index) was seen to lose between two charges, ``days`` apart: at least, most
    likely and at most, Ah; and where it stood at either, Ah.
    """

    cell: int
    days: float
    least_ah: float
    likely_ah: float
    most_ah: float
    ends_ah: tuple[float, float]


def fallen(known: Estimate, setup: Setup) -> NDArray[np.bool_]:
    """Which cells fell from level to far below, bool[cells]."""
    out = np.zeros(known.drift.offset_ah.shape[1], bool)
    out[[fall.cell for fall in _falls(known.drift, setup)]] = True
    return out


def falling(known: Estimate, setup: Setup) -> Iterator[Cause]:
    """Each of them as a cell that loses charge by itself, where no straight line tells its loss."""
    for fall in _falls(known.drift, setup):
        yield _losing_fast(known, setup, fall)


def _falls(drift: Drift, setup: Setup) -> list[_Fall]:
    found = (_fall(drift, setup, cell) for cell in range(drift.offset_ah.shape[1]))
    return [fall for fall in found if fall]


def _fall(drift: Drift, setup: Setup, cell: int) -> _Fall | None:
    with np.errstate(invalid="ignore"):
        line_tells = abs(drift.ah_per_day[cell]) > LINE_SDS * drift.sd_ah_per_day[cell]
    if line_tells:
        return None
    own = drift.moved_ah[:, cell]
    at, low, high = (t[:, cell] - own for t in (drift.offset_ah, drift.low_ah, drift.high_ah))
    read = np.flatnonzero(np.isfinite(at + low + high))
    least, level = (0.01 * pct * setup.capacity_ah for pct in (LEAST_FALL_PCT, LEVEL_PCT))
    for first in read[:BEGINS]:
        if low[first] < -level or high[first] > level:
            continue
        later = read[read > first]
        still = np.flatnonzero(high[later] >= low[first] - least)  # as high as it was
        since = later[still[-1] + 1 :] if still.size else later
        if since.size >= LEAST_AFTER:
            after = since[0]
            return _Fall(
                cell,
                days=float(drift.time_s[after] - drift.time_s[first]) / DAY_S,
                least_ah=float(low[first] - high[after]),
                likely_ah=float(at[first] - at[after]),
                most_ah=float(high[first] - low[after]),
                ends_ah=(float(at[first]), float(at[after])),
            )
    return None


def _losing_fast(known: Estimate, setup: Setup, fall: _Fall) -> Cause:
    pct, who = 100.0 / setup.capacity_ah, names([fall.cell])
    least, likely, most = (
        -1e3 * ah / fall.days for ah in (fall.least_ah, fall.likely_ah, fall.most_ah)
    )
    before, after = (pct * ah for ah in fall.ends_ah)
    return Cause(
        cause="self_discharge",
        cells=(fall.cell + 1,),
        confidence=min(MOST_SURE, sure(pct * fall.least_ah / LEAST_FALL_PCT)),
        quantity="drift",
        value=likely,
        low=most,
        high=least,
        unit="mAh/day",
        summary=f"{has([fall.cell], 'was', 'were')} level and fell: about {-likely:.0f} mAh a day "
        "against the others.",
        evidence=(
            f"It stood at {before:+.1f} % of capacity, {fall.days:.0f} days later at {after:+.1f} "
            f"%, at least {pct * fall.least_ah:.1f} % lower, and has not come back since.",
            "So far down voltage says that much is missing, and hardly how much: the loss may be "
            f"anything from {-least:.0f} to {-most:.0f} mAh a day.",
        ),
        actions=(short_inside(who), CAUTION),
        confirm=f"Leave the pack disconnected at rest for two days: {who[0].lower()}{who[1:]} "
        "sinks against the others if it loses so much. If charge was taken from it by hand in "
        "between, level it once and record on.",
        serious=True,
    )


def short_inside(who: str) -> str:
    """What a cell that loses charge so fast may be, and what is done about it."""
    return (
        f"{who} may short inside, and such a short can grow: let nothing charge while nobody is "
        "beside the pack, feel at rest whether it is warmer than its neighbours, and replace it."
    )
