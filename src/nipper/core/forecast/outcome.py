"""What a rehearsal came to: trips, hours, ampere-hours, energy, and the lanes of who did what
when.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from nipper.core.chemistry import chemistry
from nipper.core.setup import pack_setups
from nipper.core.simulate.layout import LIMITERS, PROTECTIONS

# the compiler behind it takes most of a second to load, and the sentences here are wanted without
# it
if TYPE_CHECKING:
    from nipper.core.simulate.trial import BmsEvent, Trial

Floats = NDArray[np.floating]
SHORTEST_SHARE = 0.002  # of the time shown: a shorter span is not drawn by itself

TITLES = {
    "cell_over_voltage": "cell over-voltage",
    "pack_over_voltage": "pack over-voltage",
    "charge_over_current": "charge over-current",
    "charge_over_temperature": "too hot to charge",
    "charge_under_temperature": "too cold to charge",
    "cell_under_voltage": "cell under-voltage",
    "pack_under_voltage": "pack under-voltage",
    "discharge_over_current": "discharge over-current",
    "discharge_over_temperature": "too hot to discharge",
    "discharge_under_temperature": "too cold to discharge",
    "short_circuit": "short circuit",
    "mosfet_over_temperature": "switches too hot",
}
assert set(TITLES) == set(PROTECTIONS)


@dataclass(frozen=True, slots=True)
class Outcome:
    """A rehearsal in numbers.

    High voltage: above the knee by half of the way to the sheet's highest.
    """

    trips: int
    first: "BmsEvent | None"
    top_h: float  # with a cell above the balancer's start
    balancing_h: float
    levelled_ah: float  # moved by the balancer in all packs
    high_v: float
    high_voltage_h: float
    not_taken_kwh: float
    not_served_kwh: float
    dark_h: float
    apart_start_ah: float  # between the fullest and the emptiest cell of the worst pack
    apart_end_ah: float
    full_days: int
    days: float


@dataclass(frozen=True, slots=True)
class Span:
    """Something that lasted: in the lane ``limit``, ``balance`` or ``trip``."""

    lane: str
    kind: str
    start_s: float
    end_s: float
    text: str


def apart_ah(trial: "Trial") -> Floats:
    """Charge between the cell that is nearest to full and the one that is farthest, float64[rows,
    packs], Ah.
    """
    capacity = _capacity_ah(trial)
    missing = capacity * (1.0 - trial.true_pct.astype(float) / 100.0)
    return missing.max(axis=2) - missing.min(axis=2)


def _capacity_ah(trial: "Trial") -> Floats:
    own_ah = [pack.capacity_ah for pack in pack_setups(trial.setup)]
    out = np.repeat(np.array(own_ah, float)[:, None], trial.setup.cells, axis=1)
    for fault in trial.scenario.cells:
        if fault.pack and fault.cell:
            out[fault.pack - 1, fault.cell - 1] = (
                own_ah[fault.pack - 1] * fault.capacity_pct / 100.0
            )
    return out


def outcome(trial: "Trial") -> Outcome:
    """Sum up a run."""
    chem = chemistry(trial.setup.chemistry)
    high_v = chem.knee_v + 0.5 * (chem.max_v - chem.knee_v)
    log = trial.logs[0]
    hours = log.interval_s / 3600.0
    highest = np.max([one.cell_v.max(axis=1) for one in trial.logs], axis=0)
    start_v = trial.setup.leveller.start_v if trial.setup.leveller else chem.knee_v
    apart = apart_ah(trial).max(axis=1)
    trips = trial.trips
    day = ((log.time_s - trial.start_s) // 86400.0).astype(int)
    full = np.isin(trial.limiter, [LIMITERS.index("absorption"), LIMITERS.index("float")])
    return Outcome(
        trips=len(trips),
        first=trips[0] if trips else None,
        top_h=float((highest >= start_v).sum()) * hours,
        balancing_h=trial.balancing_h,
        levelled_ah=float(np.abs(np.minimum(trial.moved_ah, 0.0)).sum()),
        high_v=high_v,
        high_voltage_h=float((highest >= high_v).sum()) * hours,
        not_taken_kwh=trial.not_taken_wh / 1e3,
        not_served_kwh=trial.not_served_wh / 1e3,
        dark_h=trial.dark_h,
        apart_start_ah=float(apart[0]),
        apart_end_ah=float(apart[-1]),
        full_days=int(np.unique(day[full]).size),
        days=trial.scenario.days,
    )


def lanes(trial: "Trial", pack: int = 1) -> list[Span]:
    """Who limited the charge, when the balancer ran, what tripped: runs of the log's rows, the
    shortest left out.
    """
    log = trial.logs[pack - 1]
    length_s = trial.scenario.days * 86400.0
    out = [
        Span("limit", LIMITERS[int(kind)], start, end, LIMITERS[int(kind)])
        for kind, start, end in _runs(log.time_s, trial.limiter, log.interval_s)
        if kind != 0 and end - start >= SHORTEST_SHARE * length_s
    ]
    if log.balancing is not None:
        out += _balanced(log.time_s, log.balancing, log.interval_s)
    return out + _tripped(trial, pack, SHORTEST_SHARE * length_s)


def _balanced(time_s: Floats, balancing: NDArray[np.bool_], interval_s: float) -> list[Span]:
    """When the balancer ran, and on which cells for a fifth of that time or more."""
    out: list[Span] = []
    for runs, start, end in _runs(time_s, np.any(balancing, axis=1), interval_s):
        if runs:
            rows = slice(*np.searchsorted(time_s, (start, end)))
            which = np.flatnonzero(balancing[rows].mean(axis=0) > 0.2) + 1
            text = "balancing " + _cells(which.tolist())
            out.append(Span("balance", "balance", start, end, text))
    return out


def _tripped(trial: "Trial", pack: int, shortest_s: float) -> list[Span]:
    """Trips until their release; a protection that chatters is one span, with the count."""
    out: list[Span] = []
    counts: list[int] = []
    last: dict[str, int] = {}
    for event, end in _released(trial, pack):
        i = last.get(event.protection)
        if i is not None and event.time_s - out[i].end_s < shortest_s:
            counts[i] += 1
            out[i] = replace(out[i], end_s=max(end, out[i].end_s))
            continue
        last[event.protection] = len(out)
        out.append(Span("trip", event.protection, event.time_s, end, trip_text(event)))
        counts.append(1)
    return [
        replace(span, text=f"{span.text}, {n} times") if n > 1 else span
        for span, n in zip(out, counts, strict=True)
    ]


def _runs(time_s: Floats, value: NDArray[Any], interval_s: float) -> list[tuple[int, float, float]]:
    starts = np.flatnonzero(np.r_[True, value[1:] != value[:-1]])
    ends = np.r_[time_s[starts[1:]], time_s[-1] + interval_s]
    return [(int(value[i]), float(time_s[i]), float(e)) for i, e in zip(starts, ends, strict=True)]


def _released(trial: "Trial", pack: int) -> list[tuple["BmsEvent", float]]:
    """The trips of a pack in order, each with the time of its release, or the end of the run."""
    run_end_s = trial.start_s + trial.scenario.days * 86400.0
    next_s: dict[str, float] = {}
    out: list[tuple[BmsEvent, float]] = []
    for event in reversed(trial.events):
        if event.pack != pack:
            continue
        if event.kind == "release":
            next_s[event.protection] = event.time_s
        elif event.kind == "trip":
            out.append((event, next_s.get(event.protection, run_end_s)))
    return out[::-1]


def _cells(cells: Sequence[int]) -> str:
    if not cells:
        return ""
    return ", ".join(str(c) for c in cells[:3]) + (" …" if len(cells) > 3 else "")


def trip_text(event: "BmsEvent") -> str:
    """A trip in a few words: which cell, and at what value."""
    if "current" in event.protection or event.protection == "short_circuit":
        unit = "A"
    elif "voltage" in event.protection:
        unit = "V"
    else:
        unit = "°C"
    digits = 3 if event.cell else 1
    title = TITLES[event.protection]
    what = f"cell {event.cell}, {title.removeprefix('cell ')}" if event.cell else title
    return f"{what} at {event.value:.{digits}f} {unit}"


def moment(trial: "Trial", time_s: float) -> str:
    """A moment as said of a rehearsal: the day and the time of its own sun."""
    day = int((time_s - trial.start_s) // 86400.0) + 1
    at = datetime.fromtimestamp(time_s, UTC)
    return f"day {day}, {at:%H:%M}"
