"""How a pack's cells stood in charge, and when: by its full charges, by readings of a screen, and
by somebody who levelled them.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import Enum

import numpy as np
from numpy.typing import NDArray

from nipper.core.imbalance.drift import Drift
from nipper.core.imbalance.lines import LEAST_CHARGES, LEAST_DAYS, side_line
from nipper.core.imbalance.snapshot import Snapshot
from nipper.core.setup import Setup

Floats = NDArray[np.floating]
LEVELLED = "levelled"  # the kind of a bench event: all cells were level then
LEVEL_SD_PCT = 0.1  # of capacity: what a levelling by hand leaves (from memory)
NINE_IN_TEN = 3.29  # standard deviations between the ends of an interval
FAR_DAYS = 14.0  # two states so far apart tell a drift
DRIFT_FLOOR_PCT_MONTH = (
    0.1  # of capacity: drifts wander by that much from month to month (common practice)
)


class Source(Enum):
    """By what it is known how the cells stood."""

    CHARGE, READING, LEVELLED = range(3)


@dataclass(frozen=True, eq=False, slots=True)
class States:
    """Charge of each cell against the median, oldest first.

    Parameters
    ----------
    time_s : float64[n], Unix s
    offset_ah, sd_ah : float64[n, cells]
    moved_ah : float64[n, cells], by the balancer since the first, as far as it is known
    charges : bool[n], by a full charge of the log
    levelled : bool[n], as somebody levelled them
    moved_known : whether all that moves charge is known: the log tells it, or nothing levels
    """

    time_s: Floats
    offset_ah: Floats
    sd_ah: Floats
    moved_ah: Floats
    charges: NDArray[np.bool_]
    levelled: NDArray[np.bool_]
    moved_known: bool

    @property
    def cells(self) -> int:
        """Cells of the pack."""
        return self.offset_ah.shape[1]


@dataclass(frozen=True, eq=False, slots=True)
class Pattern:
    """Drift of each cell against the median and its error, mAh a day; ``sure`` where many charges
    tell it, not two states.
    """

    drift: Floats
    sd: Floats
    sure: bool


def states(
    drift: Drift, setup: Setup, shots: Sequence[Snapshot] = (), levelled_s: Sequence[float] = ()
) -> States:
    """All that is known of how the cells stood; a reading that cannot tell charge is left out."""
    cells, capacity = drift.offset_ah.shape[1], setup.capacity_ah
    rows = [
        (float(t), drift.offset_ah[i], drift.sd_ah[i], Source.CHARGE)
        for i, t in enumerate(drift.time_s)
    ]
    rows += [row for shot in shots if (row := _of_reading(shot, cells, capacity)) is not None]
    level_sd = np.full(cells, LEVEL_SD_PCT / 100.0 * capacity)
    rows += [(t, np.zeros(cells), level_sd, Source.LEVELLED) for t in levelled_s]
    rows.sort(key=lambda row: row[0])
    time_s = np.array([row[0] for row in rows])
    return States(
        time_s,
        np.array([row[1] for row in rows]).reshape(-1, cells),
        np.array([row[2] for row in rows]).reshape(-1, cells),
        _moved(drift, time_s),
        np.array([row[3] is Source.CHARGE for row in rows], bool),
        np.array([row[3] is Source.LEVELLED for row in rows], bool),
        setup.leveller is None or (drift.moved_known and bool(drift.time_s.size)),
    )


def _of_reading(
    shot: Snapshot, cells: int, capacity_ah: float
) -> tuple[float, Floats, Floats, Source] | None:
    charge = np.array(shot.charge_pct)
    if shot.low is None or shot.high is None or charge.size != cells:
        return None
    if not np.isfinite(charge).all():
        return None
    offset_ah = (charge - np.median(charge)) / 100.0 * capacity_ah
    sd_ah = (shot.high - shot.low) / NINE_IN_TEN / 100.0 * capacity_ah
    return shot.time_s, offset_ah, np.full(cells, sd_ah), Source.READING


def _moved(drift: Drift, time_s: Floats) -> Floats:
    """What the balancer had moved at each moment; between charges as between its two."""
    if not drift.time_s.size:
        return np.zeros((time_s.size, drift.offset_ah.shape[1]))
    out = np.empty((time_s.size, drift.offset_ah.shape[1]))
    for i in range(out.shape[1]):
        out[:, i] = np.interp(time_s, drift.time_s, drift.moved_ah[:, i])
    return out


def pattern(known: States, setup: Setup, from_s: float, to_s: float) -> Pattern | None:
    """The drift of each cell in a span of time; by a line through full charges where there are
    enough, else by the first and the last state where they are far enough apart. None where
    neither is known.
    """
    inside = _since_levelled(known, (known.time_s >= from_s) & (known.time_s < to_s))
    line = _by_charges(known, inside & known.charges, setup)
    return line if line is not None else _by_two(known, inside, setup)


def _since_levelled(known: States, rows: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Of those rows the ones since somebody levelled the cells last, that state among them; a
    levelling that nothing follows ends what was before.
    """
    for at in np.flatnonzero(rows & known.levelled)[::-1]:
        since = rows & (np.arange(rows.size) >= at)
        if since.sum() > 1:
            return since
        rows = rows & (np.arange(rows.size) < at)
    return rows


def _by_charges(known: States, rows: NDArray[np.bool_], setup: Setup) -> Pattern | None:
    if rows.sum() < LEAST_CHARGES or np.ptp(known.time_s[rows]) < LEAST_DAYS * 86400.0:
        return None
    days = (known.time_s[rows] - known.time_s[0]) / 86400.0
    own = known.offset_ah - known.moved_ah
    lines = [
        side_line(
            days,
            own[rows, i],
            np.hypot(known.sd_ah[rows, i], 1e-3 * setup.capacity_ah),
            setup.capacity_ah,
        )
        for i in range(known.cells)
    ]
    slope, sd = 1e3 * np.array([x[0] for x in lines]), 1e3 * np.array([x[1] for x in lines])
    return _pattern(slope, sd, setup, sure=True) if np.isfinite(slope).all() else None


def _by_two(known: States, rows: NDArray[np.bool_], setup: Setup) -> Pattern | None:
    found = np.flatnonzero(rows & np.isfinite(known.offset_ah).all(axis=1))
    if found.size < 2:
        return None
    first, last = found[0], found[-1]
    days = float(known.time_s[last] - known.time_s[first]) / 86400.0
    if days < FAR_DAYS:
        return None
    own = known.offset_ah - known.moved_ah
    sd = np.hypot(known.sd_ah[first], known.sd_ah[last]) / days
    return _pattern(1e3 * (own[last] - own[first]) / days, 1e3 * sd, setup, sure=False)


def _pattern(slope: Floats, sd: Floats, setup: Setup, sure: bool) -> Pattern:
    floor = 10.0 * DRIFT_FLOOR_PCT_MONTH / 30.4 * setup.capacity_ah
    return Pattern(slope - np.median(slope), np.hypot(sd, floor), sure)
