"""Finding the charges in a log: bulk, absorption, float, rest; full ones, and those that did not
get there.

A charge is a run of charging current, short interruptions forgiven. It is full when the pack was
held at the top and its current tapered, when a cell ended it at its trip, or when its voltage,
freed of the current's drop, is that of a full pack: reaching a voltage under current alone does not
count, because on the way there the current's own drop looks the same. Filling up again after a
small draw from the top is a top-up, counted with neither.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal, Self

import numpy as np
from numpy.typing import NDArray

from nipper.core.chemistry import Chemistry, chemistry
from nipper.core.chemistry.cell import cell_resistance_ohm
from nipper.core.logs.model import Floats, Log
from nipper.core.setup import Setup

# of capacity per hour: a current below this neither charges nor discharges (sensor offset, standby)
IDLE_RATE = 0.004
FORGIVEN_S = 2400.0  # an interruption shorter than this (cloud, kettle) does not end a charge
FORGIVEN_AH = 0.02  # of capacity: a longer draw-down in the interruption does
SMALLEST_AH = 0.03  # of capacity: a run that moved less and never saw the top is no charge
HELD_BAND_V = 0.012  # per cell: within this of the level counts as held there
HELD_S = 180.0  # at least so long at the level, to be full
TRIP_BAND_V = 0.012  # a cell this near its trip ended the charge
RISE_BAND_V = 0.006  # absorption starts when the mean comes within this of the level
FULL_PCT = 98.9  # by the rest curve; LFP only stands there on its knee
TOP_UP_AH = 0.10  # of capacity: less than this drawn since the last full charge, and
TOP_UP_S = 5 * 3600.0  # less time than this since then, makes the next one a top-up
REST_AFTER_S = (600.0, 4 * 3600.0)  # the deviation at rest is read in this window after the charge


Ending = Literal["held", "trip", "knee", "short", "top-up"]


@dataclass(frozen=True, slots=True)
class Charge:
    """One charge.

    Rows are half-open ranges of the log: ``bulk`` begins at ``start``, ``absorption`` ends at
    ``stop``.
    """

    start: int
    stop: int  # one past the last row of the charge
    absorption: tuple[int, int] | None  # rows held at the top; None when it was not reached
    float_stop: int  # one past the last row of float, = stop when there was none
    rest: tuple[int, int] | None  # rows of rest afterwards
    full: bool
    ended_by: Ending
    level_v: float  # mean cell voltage held at the top, or the highest reached
    charged_ah: float

    @property
    def top(self) -> int:
        """The row at which the charge is read at its end: the last of absorption, else the
        highest.
        """
        return self.stop - 1


def find_charges(log: Log, setup: Setup) -> list[Charge]:
    """All charges of a log, oldest first.

    Parameters
    ----------
    log : of one pack
    setup : its chemistry says where the knee is, its capacity what a small current is, its trips
        what ended a charge
    """
    if log.rows < 10 or not np.isfinite(log.current_a).any():
        return []
    watched = _Watched.of(log, setup)
    judged = (watched.judged(first, last) for first, last in watched.runs())
    found = watched.without_top_ups([charge for charge in judged if charge is not None])
    ends = [*(c.start for c in found[1:]), log.rows]  # one more than charges where there is none
    return [watched.with_rest(c, until) for c, until in zip(found, ends, strict=False)]


def full(charges: Sequence[Charge]) -> list[Charge]:
    """The full ones."""
    return [c for c in charges if c.full]


@dataclass(frozen=True, eq=False, slots=True)
class _Watched:
    """A pack's log with what all its charges are judged by, float64[rows] each: the current, A, 0
    where it is not known; the cells' mean, V; the charge counted, Ah. ``breaks`` are the rows that
    end a hold at the top: below the knee, drawn from, or after a pause.
    """

    log: Log
    setup: Setup
    chem: Chemistry
    amps: Floats
    mean_v: Floats
    counted_ah: Floats
    breaks: NDArray[np.intp]

    @classmethod
    def of(cls, log: Log, setup: Setup) -> Self:
        chem, mean_v = chemistry(setup.chemistry), log.mean_cell_v
        amps = np.nan_to_num(log.current_a)
        drawn = amps <= -IDLE_RATE * setup.capacity_ah
        pause = np.diff(log.time_s, prepend=log.time_s[0]) >= FORGIVEN_S
        breaks = np.flatnonzero((mean_v < chem.knee_v) | drawn | pause)
        return cls(log, setup, chem, amps, mean_v, log.charge_ah, breaks)

    @property
    def trip_v(self) -> float:
        """From here on a cell is at its trip."""
        return self.setup.protection.cell_over_voltage.trip_v - TRIP_BAND_V

    def runs(self) -> list[tuple[int, int]]:
        """Runs of charging current, merged across what is forgiven: (first row, one past the
        last).
        """
        log, capacity_ah = self.log, self.setup.capacity_ah
        charging = self.amps > IDLE_RATE * capacity_ah
        unseen = (log.steps_s == 0.0) & (np.diff(log.time_s, prepend=log.time_s[:1]) > FORGIVEN_S)
        begins = charging & (unseen | ~np.r_[False, charging[:-1]])
        ends = charging & np.r_[unseen[1:] | ~charging[1:], True]
        starts, stops = np.flatnonzero(begins), np.flatnonzero(ends) + 1
        if not starts.size:
            return []
        pause_s = log.time_s[starts[1:]] - log.time_s[stops[:-1] - 1]
        fell_ah = self.counted_ah[stops[:-1] - 1] - self.counted_ah[starts[1:]]
        apart = (pause_s > FORGIVEN_S) | (fell_ah > FORGIVEN_AH * capacity_ah)
        firsts, lasts = starts[np.r_[True, apart]], stops[np.r_[apart, True]]
        return list(zip(firsts.tolist(), lasts.tolist(), strict=True))

    def judged(self, first: int, last: int) -> Charge | None:
        """What a run of charging current was; None for one that was not watched, or no charge."""
        if not np.isfinite(self.mean_v[first:last]).any():
            return None  # a charge that was not seen ends nowhere
        if not self.log.steps_s[first:last].any():
            return None  # single readings with nothing around them
        moved_ah = float(self.counted_ah[last - 1] - self.counted_ah[first])
        # between rows far apart the whole knee may lie after the last current that was seen
        last = self._extended(last)
        if float(np.nanmax(self.mean_v[first:last])) < self.chem.knee_v:
            return self._below_the_knee(first, last, moved_ah)
        v = _smooth(self.mean_v[first:last])
        if not np.isfinite(v).any():
            return None
        level_v = _level(self.log.time_s[first:last], v, float(np.nanmax(v)))
        near = np.flatnonzero(v >= level_v - HELD_BAND_V)
        reached = np.flatnonzero(v >= level_v - RISE_BAND_V)
        begin, end = first + int(reached[0]), first + int(near[-1]) + 1
        held = v[begin + 1 - first : end - first] >= level_v - HELD_BAND_V
        held_s = float(np.sum(self.log.steps_s[begin + 1 : end][held]))
        charge = Charge(
            start=first,
            stop=end,
            absorption=(begin, end),
            float_stop=end,
            rest=None,
            full=False,
            ended_by="short",
            level_v=level_v,
            charged_ah=moved_ah,
        )
        ended_by = self._ending(charge, v, held_s)
        return replace(charge, full=ended_by != "short", ended_by=ended_by)

    def _below_the_knee(self, first: int, last: int, moved_ah: float) -> Charge | None:
        """A charge that did not bring the pack to its knee: full all the same where one cell was
        full long before the rest, since it gets no further.
        """
        short = Charge(
            start=first,
            stop=last,
            absorption=None,
            float_stop=last,
            rest=None,
            full=False,
            ended_by="short",
            level_v=float(np.nanmax(self.mean_v[first:last])),
            charged_ah=moved_ah,
        )
        stopped = self._stopped_by_a_cell(first, last) if moved_ah > 0.0 else None
        if stopped is not None:
            end = stopped + 1
            top = (max(first, stopped - 2), end)
            return replace(
                short, stop=end, absorption=top, float_stop=end, full=True, ended_by="trip"
            )
        return short if moved_ah >= SMALLEST_AH * self.setup.capacity_ah else None

    def _stopped_by_a_cell(self, first: int, last: int) -> int | None:
        """The row at which a cell at its trip ended the charge; None where none did."""
        last = min(last + 1, self.log.rows)  # the reading that tripped may be without current
        highest = np.fmax.reduce(self.log.cell_v[first:last], axis=1)
        row = int(np.nanargmax(highest))
        return first + row if highest[row] >= self.trip_v else None

    def _ending(self, charge: Charge, v: Floats, held_s: float) -> Ending:
        """How a charge that saw the knee ended; ``v`` from its start on, V."""
        assert charge.absorption
        begin, end = charge.absorption
        if np.nanmax(self.log.cell_v[begin:end]) >= self.trip_v:
            return "trip"
        if charge.level_v < self.chem.knee_v + 0.02:
            return "short"
        if held_s >= HELD_S and self._tapered(charge.start, end):
            return "held"
        amps = self.amps[charge.start : charge.start + v.size]
        freed_v = float(np.max(v - amps * cell_resistance_ohm(self.setup)))
        return "knee" if self.chem.curve.soc(freed_v) >= FULL_PCT else "short"

    def _extended(self, end: int) -> int:
        """Absorption often outlasts the last visible charging current: go on while the pack is high
        and nothing is drawn.
        """
        next_break = int(np.searchsorted(self.breaks, end))
        return int(self.breaks[next_break]) if next_break < self.breaks.size else self.log.rows

    def _tapered(self, first: int, end: int) -> bool:
        """A held pack takes less and less; one that only rides high on a strong current does
        not.
        """
        current = self.log.current_a[first:end]
        bulk_a = float(np.nanpercentile(current, 90))
        last_a = float(np.nanmedian(current[-5:]))
        return last_a <= max(0.6 * bulk_a, 0.05 * self.setup.capacity_ah)

    def without_top_ups(self, charges: list[Charge]) -> list[Charge]:
        """The charges, with those that only filled up again soon after a full one as such."""
        out: list[Charge] = []
        full_at: int | None = None
        for charge in charges:
            if charge.full and full_at is not None and self._tops_up(full_at, charge):
                out.append(replace(charge, full=False, ended_by="top-up"))
                continue
            full_at = charge.stop - 1 if charge.full else full_at
            out.append(charge)
        return out

    def _tops_up(self, full_at: int, charge: Charge) -> bool:
        # a hold may outlast the next run of current: that run then lies within it
        since_ah = self.counted_ah[full_at]
        lowest_ah = np.min(self.counted_ah[full_at : charge.stop], initial=since_ah)
        soon = self.log.time_s[charge.start] - self.log.time_s[full_at] < TOP_UP_S
        return bool(soon and since_ah - lowest_ah < TOP_UP_AH * self.setup.capacity_ah)

    def with_rest(self, charge: Charge, until: int) -> Charge:
        """With float (held below the level, next to no current) and the rest that follows."""
        idle_a = 2.5 * IDLE_RATE * self.setup.capacity_ah
        after_s = self.log.time_s[charge.stop : until] - self.log.time_s[charge.stop - 1]
        still = np.abs(self.log.current_a[charge.stop : until]) <= idle_a
        window = np.flatnonzero(still & (after_s >= REST_AFTER_S[0]) & (after_s <= REST_AFTER_S[1]))
        runs = np.split(window, np.flatnonzero(np.diff(window) > 1) + 1)
        longest = max(runs, key=len)  # loads come and go: the longest stretch without any
        rest = None
        if longest.size >= 3:
            rest = (charge.stop + int(longest[0]), charge.stop + int(longest[-1]) + 1)
        float_stop = charge.stop
        charging = self.setup.charging
        if charge.full and charging and charging.float_v:
            above = self.mean_v[charge.stop : until] - charging.float_v / self.setup.cells
            held = (above > -HELD_BAND_V) & (self.amps[charge.stop : until] > -idle_a)
            broken = np.flatnonzero(~held)
            float_stop = charge.stop + int(broken[0]) if broken.size else until
        return replace(charge, float_stop=float_stop, rest=rest)


def _smooth(v: Floats, width: int = 5) -> Floats:
    """Running median: single readings that jump must not make a level."""
    if v.size < width:
        return v
    padded = np.pad(v, width // 2, mode="edge")
    return np.median(np.lib.stride_tricks.sliding_window_view(padded, width), axis=1)


def _level(time_s: Floats, v: Floats, peak: float) -> float:
    """The voltage held: the highest at which much of the time near the peak is spent; the peak
    itself when nothing was held.
    """
    steps = np.minimum(np.diff(time_s, prepend=time_s[0]), 600.0)
    near = v >= peak - 0.04
    bins = np.arange(peak - 0.04, peak + 0.004, 0.004)
    spent, edges = np.histogram(v[near], bins, weights=steps[near])
    much = np.flatnonzero(spent >= max(HELD_S / 2, 0.5 * float(spent.max())))
    return peak if not much.size else float(min(peak, edges[much[-1] + 1]))
