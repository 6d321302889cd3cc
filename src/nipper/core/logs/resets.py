"""Clocks that began anew: a BMS that was without power counts from the start of its calendar until
it is set. The order of the rows tells where such a stretch belongs.
"""

from dataclasses import dataclass
from itertools import groupby, pairwise

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.floating]

DAY_S = 86400.0
LEAP_S = 200.0 * DAY_S  # no log pauses as long
FAR_S = 1.5 * 365.25 * DAY_S  # a log may begin on New Year's day, and pause: not for as long
NEW_YEAR_S = 1.6 * DAY_S  # either side of it, in any zone: a clock begins there; common practice
BACK_S = 3600.0
MOST_LEAPS = 400  # more are of two clocks in one table


@dataclass(frozen=True, slots=True)
class _Run:
    """Rows over which the clock goes on, from ``start`` up to ``stop``."""

    start: int
    stop: int
    first_s: float
    last_s: float

    @property
    def begins_a_year(self) -> bool:
        """Whether it begins where the clock of a device does."""
        return bool(_at_new_year(np.array([self.first_s]))[0])

    @property
    def long_s(self) -> float:
        """How long it is."""
        return self.last_s - self.first_s


def leaps(time_s: Floats) -> NDArray[np.bool_]:
    """Where a time is more than LEAP_S away from the one before, bool[n]."""
    return np.abs(np.diff(time_s, prepend=time_s[:1])) > LEAP_S


def days_gone(time_s: Floats) -> float:
    """Days from the first to the last of rising times, leaps left out."""
    steps = np.diff(time_s)
    return float(np.sum(steps[steps <= LEAP_S])) / DAY_S


def longest_leap_years(time_s: Floats) -> float:
    """How long the longest leap of rising times is; 0 where there is none."""
    longest_s = float(np.max(np.diff(time_s), initial=0.0))
    return longest_s / 86400.0 / 365.25 if longest_s > LEAP_S else 0.0


def put_right(time_s: Floats) -> tuple[Floats, int]:
    """Times in the order of the file, with stretches of a clock that began anew moved to where they
    stand in it; and how many rows were moved.

    A stretch is one where it lies years before all else and begins with a year; or where it lies
    far from what stands before and behind it, which go on past it with room for it between. It ends
    where the clock was set again. One at the start of a file stays, for a file in order of time has
    it there whenever it was written; and so does one after which the clock never was set: a longer
    log of the same days would put it elsewhere, and the same rows would be there twice.
    """
    if time_s.size < 3 or not 0 < leaps(time_s).sum() <= MOST_LEAPS:
        return time_s, 0
    if np.sum(np.sign(np.diff(time_s))) < 0:  # newest first
        out, moved = put_right(time_s[::-1])
        return out[::-1], moved
    runs = _runs(time_s)
    odd = _odd(runs)
    out, usual_s, moved = time_s.copy(), float(np.median(np.abs(np.diff(time_s)))), 0
    for is_odd, places in groupby(range(len(runs)), key=lambda i: odd[i]):
        at = list(places)
        before = runs[at[0] - 1].last_s if at[0] else None
        behind = runs[at[-1] + 1].first_s if at[-1] + 1 < len(runs) else None
        group = [runs[i] for i in at]
        begin_s = _begin_s(group, before, behind, usual_s) if is_odd else None
        if begin_s is None:
            continue
        for run in group:
            out[run.start : run.stop] += begin_s - run.first_s
            begin_s += run.long_s + usual_s
            moved += run.stop - run.start
    return out, moved


def _at_new_year(time_s: Floats) -> NDArray[np.bool_]:
    years = (time_s + NEW_YEAR_S).astype("M8[s]").astype("M8[Y]").astype("M8[s]")
    return np.abs(time_s - years.astype(np.float64)) <= NEW_YEAR_S


def _runs(time_s: Floats) -> list[_Run]:
    """Cut at each leap, and where the clock begins a year again."""
    steps = np.diff(time_s, prepend=time_s[:1])
    again = (steps < -BACK_S) & _at_new_year(time_s)
    cuts = [0, *np.flatnonzero(leaps(time_s) | again).tolist(), time_s.size]
    spans = [(a, b) for a, b in pairwise(cuts) if b > a]
    return [_Run(a, b, float(time_s[a]), float(time_s[b - 1])) for a, b in spans]


def _odd(runs: list[_Run]) -> list[bool]:
    """Which of them are of a clock that began anew."""
    others = [run.first_s for run in runs if not run.begins_a_year]
    first_s = min(others, default=-np.inf)
    odd = [run.begins_a_year and run.last_s < first_s - FAR_S for run in runs]
    for i in range(1, len(runs) - 1):
        before, run, behind = runs[i - 1 : i + 2]
        room_s = behind.first_s - before.last_s
        away = run.last_s < before.last_s - LEAP_S or run.first_s > behind.first_s + LEAP_S
        if not (odd[i - 1] or odd[i] or odd[i + 1]):
            odd[i] = away and 0.0 <= run.long_s <= room_s < LEAP_S
    return odd


def _begin_s(
    group: list[_Run], before: float | None, behind: float | None, usual_s: float
) -> float | None:
    """When the first of some stretches in a row begins; None where they do not fit between what
    stands before and behind them.
    """
    if before is None or behind is None:
        return None
    begin_s = behind - sum(run.long_s for run in group) - usual_s * len(group)
    return begin_s if begin_s > before else None
