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
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from nipper.core.chemistry import chemistry
from nipper.core.chemistry.cell import cell_resistance_ohm
from nipper.core.logs.model import Floats, Log, nanmedian
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
    mean_v = log.mean_cell_v
    counted_ah = log.charge_ah
    charges = [
        _judge(log, setup, mean_v, counted_ah, first, last)
        for first, last in _runs(log, setup, counted_ah)
        if np.isfinite(mean_v[first:last]).any()  # a charge that was not seen ends nowhere
    ]
    found = _top_ups([c for c in charges if c is not None], setup, log.time_s, counted_ah)
    ends = [*(c.start for c in found[1:]), log.rows]  # one more than charges where there is none
    return [_with_rest(log, setup, mean_v, c, until) for c, until in zip(found, ends, strict=False)]


def _top_ups(
    charges: list[Charge],
    setup: Setup,
    time_s: NDArray[np.floating],
    counted_ah: NDArray[np.floating],
) -> list[Charge]:
    def drawn_ah(since: int, charge: Charge) -> float:
        # a hold may outlast the next run of current: that run then lies within it
        lowest = np.min(counted_ah[since : charge.stop], initial=counted_ah[since])
        return float(counted_ah[since] - lowest)

    out: list[Charge] = []
    full_at: int | None = None
    for charge in charges:
        c = charge
        if (
            c.full
            and full_at is not None
            and time_s[c.start] - time_s[full_at] < TOP_UP_S
            and drawn_ah(full_at, c) < TOP_UP_AH * setup.capacity_ah
        ):
            c = replace(c, full=False, ended_by="top-up")
        if c.full:
            full_at = c.stop - 1
        out.append(c)
    return out


def _runs(log: Log, setup: Setup, counted_ah: NDArray[np.floating]) -> list[tuple[int, int]]:
    """Runs of charging current, merged across what is forgiven: (first row, one past the last)."""
    charging = np.nan_to_num(log.current_a) > IDLE_RATE * setup.capacity_ah
    unseen = (log.steps_s == 0.0) & (np.diff(log.time_s, prepend=log.time_s[:1]) > FORGIVEN_S)
    begins = charging & (unseen | ~np.r_[False, charging[:-1]])
    ends = charging & np.r_[unseen[1:] | ~charging[1:], True]
    starts, stops = np.flatnonzero(begins), np.flatnonzero(ends) + 1
    if not starts.size:
        return []
    pause_s = log.time_s[starts[1:]] - log.time_s[stops[:-1] - 1]
    fell_ah = counted_ah[stops[:-1] - 1] - counted_ah[starts[1:]]
    apart = (pause_s > FORGIVEN_S) | (fell_ah > FORGIVEN_AH * setup.capacity_ah)
    return list(
        zip(starts[np.r_[True, apart]].tolist(), stops[np.r_[apart, True]].tolist(), strict=True)
    )


def _judge(
    log: Log,
    setup: Setup,
    mean_v: NDArray[np.floating],
    counted_ah: NDArray[np.floating],
    first: int,
    last: int,
) -> Charge | None:
    if not log.steps_s[first:last].any():
        return None  # single readings with nothing around them: no charge was watched
    chem = chemistry(setup.chemistry)
    moved_ah = float(counted_ah[last - 1] - counted_ah[first])
    # between rows far apart the whole knee may lie after the last current that was seen
    last = _extend(mean_v, log, last, chem.knee_v, setup)
    peak = float(np.nanmax(mean_v[first:last]))
    if peak < chem.knee_v:
        stopped = _stopped_by_a_cell(log, setup, first, last)
        if (
            stopped is not None and moved_ah > 0.0
        ):  # one cell was full long before the rest: this charge gets no further
            return Charge(
                first,
                stopped + 1,
                (max(first, stopped - 2), stopped + 1),
                stopped + 1,
                None,
                True,
                "trip",
                peak,
                moved_ah,
            )
        if moved_ah < SMALLEST_AH * setup.capacity_ah:
            return None
        return Charge(first, last, None, last, None, False, "short", peak, moved_ah)
    v = _smooth(mean_v[first:last])
    if not np.isfinite(v).any():
        return None
    peak = float(np.nanmax(v))
    level = _level(log.time_s[first:last], v, peak)
    near = np.flatnonzero(v >= level - HELD_BAND_V)
    reached = np.flatnonzero(v >= level - RISE_BAND_V)
    begin, end = first + int(reached[0]), first + int(near[-1]) + 1
    held = v[begin + 1 - first : end - first] >= level - HELD_BAND_V
    held_s = float(np.sum(log.steps_s[begin + 1 : end][held]))
    ended_by = _ending(log, setup, v, level, held_s, first, begin, end)
    return Charge(
        first, end, (begin, end), end, None, ended_by != "short", ended_by, level, moved_ah
    )


def _stopped_by_a_cell(log: Log, setup: Setup, first: int, last: int) -> int | None:
    """The row at which a cell at its trip ended the charge; None where none did."""
    last = min(last + 1, log.rows)  # the reading that tripped may be the first without current
    highest = np.fmax.reduce(log.cell_v[first:last], axis=1)
    row = first + int(np.nanargmax(highest))
    return (
        row
        if highest[row - first] >= setup.protection.cell_over_voltage.trip_v - TRIP_BAND_V
        else None
    )


def _ending(
    log: Log,
    setup: Setup,
    v: NDArray[np.floating],
    level: float,
    held_s: float,
    first: int,
    begin: int,
    end: int,
) -> Ending:
    """How a charge that saw the knee ended."""
    chem = chemistry(setup.chemistry)
    if np.nanmax(log.cell_v[begin:end]) >= setup.protection.cell_over_voltage.trip_v - TRIP_BAND_V:
        return "trip"
    if level >= chem.knee_v + 0.02 and held_s >= HELD_S and _tapered(log, first, end, setup):
        return "held"
    if level >= chem.knee_v + 0.02:
        freed = v - np.nan_to_num(log.current_a[first : first + v.size]) * cell_resistance_ohm(
            setup
        )
        if chem.curve.soc(float(np.max(freed))) >= FULL_PCT:
            return "knee"
    return "short"


def _smooth(v: NDArray[np.floating], width: int = 5) -> NDArray[np.floating]:
    """Running median: single readings that jump must not make a level."""
    if v.size < width:
        return v
    padded = np.pad(v, width // 2, mode="edge")
    return np.median(np.lib.stride_tricks.sliding_window_view(padded, width), axis=1)


def _level(time_s: NDArray[np.floating], v: NDArray[np.floating], peak: float) -> float:
    """The voltage held: the highest at which much of the time near the peak is spent; the peak
    itself when nothing was held.
    """
    steps = np.minimum(np.diff(time_s, prepend=time_s[0]), 600.0)
    near = v >= peak - 0.04
    bins = np.arange(peak - 0.04, peak + 0.004, 0.004)
    spent, edges = np.histogram(v[near], bins, weights=steps[near])
    much = np.flatnonzero(spent >= max(HELD_S / 2, 0.5 * float(spent.max())))
    return peak if not much.size else float(min(peak, edges[much[-1] + 1]))


def _extend(mean_v: NDArray[np.floating], log: Log, end: int, above_v: float, setup: Setup) -> int:
    """Absorption often outlasts the last visible charging current: go on while the pack is high and
    nothing is drawn.
    """
    if end < log.rows and mean_v[end] < above_v:
        return end  # as most do: a year has thousands
    idle_a = IDLE_RATE * setup.capacity_ah
    ahead = slice(end, min(log.rows, end + 100_000))
    pause = np.diff(log.time_s[max(0, end - 1) : ahead.stop]) >= FORGIVEN_S
    over = (
        (mean_v[ahead] < above_v)
        | (np.nan_to_num(log.current_a[ahead]) <= -idle_a)
        | pause[: ahead.stop - end]
    )
    stops = np.flatnonzero(over)
    return end + int(stops[0]) if stops.size else ahead.stop


def _tapered(log: Log, first: int, end: int, setup: Setup) -> bool:
    """A held pack takes less and less; one that only rides high on a strong current does not."""
    current = log.current_a[first:end]
    bulk_a = float(np.nanpercentile(current, 90))
    last_a = float(np.nanmedian(current[-5:]))
    return last_a <= max(0.6 * bulk_a, 0.05 * setup.capacity_ah)


def _with_rest(
    log: Log, setup: Setup, mean_v: NDArray[np.floating], charge: Charge, until: int
) -> Charge:
    """Add float (held below the level, next to no current) and the rest that follows."""
    idle_a = 2.5 * IDLE_RATE * setup.capacity_ah
    after_s = log.time_s[charge.stop : until] - log.time_s[charge.stop - 1]
    still = np.abs(np.nan_to_num(log.current_a[charge.stop : until], nan=np.inf)) <= idle_a
    window = np.flatnonzero(still & (after_s >= REST_AFTER_S[0]) & (after_s <= REST_AFTER_S[1]))
    runs = np.split(window, np.flatnonzero(np.diff(window) > 1) + 1)
    longest = max(runs, key=len)  # loads come and go: the longest stretch without any is the rest
    rest = (
        (charge.stop + int(longest[0]), charge.stop + int(longest[-1]) + 1)
        if longest.size >= 3
        else None
    )
    float_stop = charge.stop
    if charge.full and setup.charging and setup.charging.float_v:
        float_v = setup.charging.float_v / setup.cells
        held = (np.abs(mean_v[charge.stop : until] - float_v) < HELD_BAND_V) | (
            mean_v[charge.stop : until] > float_v
        )
        broken = np.flatnonzero(
            ~(held & (np.nan_to_num(log.current_a[charge.stop : until]) > -idle_a))
        )
        float_stop = charge.stop + (int(broken[0]) if broken.size else until - charge.stop)
    return replace(charge, float_stop=float_stop, rest=rest)


@dataclass(frozen=True, slots=True)
class Reading:
    """The cells at one moment of a charge, with the condition under which they were read."""

    time_s: float
    pack_v: float
    current_a: float
    temp_c: float  # NaN where the log has none
    cell_v: NDArray[np.floating]  # float64[cells], median of a few samples
    deviation_mv: float
    deviation_pct: float  # the same difference as charge, % of capacity
    highest: int  # cell number, from 1
    lowest: int

    @property
    def mean_v(self) -> float:
        """Mean cell voltage, V."""
        return float(np.nanmean(self.cell_v))


HALF_WIDTH = 2  # rows on either side of the one that is read


def _around(log: Log, row: int, half_width: int) -> slice:
    return slice(max(0, row - half_width), min(log.rows, row + half_width + 1))


def cells_at(log: Log, row: int, half_width: int = HALF_WIDTH) -> Floats:
    """The cells around a row, the median of up to five samples, float64[cells] V."""
    return nanmedian(log.cell_v[_around(log, row, half_width)]).astype(float)


def cells_at_each(log: Log, rows: NDArray[np.intp]) -> Floats:
    """The same around each of many rows, float64[rows, cells] V."""
    around = rows + np.arange(-HALF_WIDTH, HALF_WIDTH + 1)[:, None]
    read = log.cell_v[np.clip(around, 0, log.rows - 1)].astype(float)
    read[(around < 0) | (around >= log.rows)] = np.nan
    return nanmedian(read.reshape(around.shape[0], -1)).reshape(-1, log.cells)


def read_at(log: Log, setup: Setup, row: int, half_width: int = HALF_WIDTH) -> Reading:
    """Read the cells around a row: the median of up to five samples, and what their difference
    means as charge.

    Notes
    -----
    Each voltage is freed of the current's drop with the setup's cell resistance and turned into
    charge by the chemistry's curve:
    100 mV at 3.45 V is under 1 %, 5 mV at 3.30 V can be 5 %.
    """
    if not np.isfinite(log.cell_v[_around(log, row, half_width)]).any():
        read = np.flatnonzero(np.isfinite(log.cell_v).any(axis=1))
        row = int(
            read[np.argmin(np.abs(read - row))]
        )  # a silent stretch: the nearest that was read
    rows, cell_v = _around(log, row, half_width), cells_at(log, row, half_width)
    current_a, pack_v = nanmedian(np.column_stack([log.current_a[rows], log.pack_v[rows]]))
    chem = chemistry(setup.chemistry)
    high, low = int(np.nanargmax(cell_v)), int(np.nanargmin(cell_v))
    soc = chem.curve.soc(
        np.array([cell_v[high], cell_v[low]]) - current_a * cell_resistance_ohm(setup)
    )
    return Reading(
        time_s=float(log.time_s[row]),
        pack_v=float(pack_v),
        current_a=float(current_a),
        temp_c=float(nanmedian(log.temp_c[rows].reshape(-1, 1))[0]),
        cell_v=cell_v,
        deviation_mv=1e3 * float(cell_v[high] - cell_v[low]),
        deviation_pct=float(soc[0] - soc[1]),
        highest=high + 1,
        lowest=low + 1,
    )


@dataclass(frozen=True, slots=True)
class ChargeReadings:
    """The moments at which a builder compares charges; None where the charge did not get so far."""

    begin: Reading | None
    half_hour: Reading | None
    end: Reading
    rest: Reading | None


def readings(log: Log, setup: Setup, charge: Charge) -> ChargeReadings:
    """The cells at the start of absorption, half an hour later, at the end, and at rest
    afterwards.
    """
    begin = half = None
    if charge.absorption:
        first, stop = charge.absorption
        begin = read_at(log, setup, first)
        later = int(np.searchsorted(log.time_s, float(log.time_s[first]) + 1800.0))
        half = read_at(log, setup, later) if later < stop else None
    rest = (
        read_at(log, setup, (charge.rest[0] + charge.rest[1]) // 2, half_width=5)
        if charge.rest
        else None
    )
    return ChargeReadings(begin, half, read_at(log, setup, charge.top), rest)


def full(charges: Sequence[Charge]) -> list[Charge]:
    """The full ones."""
    return [c for c in charges if c.full]
