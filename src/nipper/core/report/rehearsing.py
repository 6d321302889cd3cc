"""What follows from a rehearsal, the sentence of its stage and its figures."""

from collections import Counter
from dataclasses import dataclass
from typing import TYPE_CHECKING

from nipper.core.forecast.outcome import TITLES, Outcome, moment, trip_text
from nipper.core.forecast.rehearsal import Rehearsal
from nipper.core.report.consequence import Consequence, Status, count

if TYPE_CHECKING:
    from nipper.core.simulate.trial import BmsEvent, Trial

MOST_TRIPS_TOLD = 3


def rehearse_sentence(rehearsal: Rehearsal | None) -> tuple[Status, str]:
    """What the last rehearsal came to, in a few words."""
    if rehearsal is None:
        return Status.NONE, "not rehearsed yet"
    result = rehearsal.main.outcome
    days = f"{rehearsal.plan.days:g} day{'' if rehearsal.plan.days == 1 else 's'}"
    if result.first is None:
        return Status.OK, f"{days} without a trip"
    where = (
        f"cell {result.first.cell} trips"
        if result.first.cell
        else f"{TITLES[result.first.protection]} trips"
    )
    return _how_bad(result.first), f"{where} on {moment(rehearsal.main.trial, result.first.time_s)}"


def _how_bad(trip: "BmsEvent") -> Status:
    """The cold cutoff doing its work is no trouble; a trip of voltage or current is."""
    return Status.OK if trip.protection == "charge_under_temperature" else Status.ACT


def of_rehearsal(rehearsal: Rehearsal) -> list[Consequence]:
    """Trips first, with the change that was tried; then balancing, cold, energy, and the other
    settings beside.
    """
    trial, result = rehearsal.main.trial, rehearsal.main.outcome
    out = _trips(rehearsal)
    if not out:
        out.append(
            Consequence(Status.OK, f"Nothing trips in {result.days:g} days.", _highest(trial))
        )
    out += _balancing(trial, result)
    out += _cold(trial)
    out += _house(result)
    if result.not_taken_kwh > 0.1:
        after = (
            "after the trips and "
            if any("over_voltage" in t.protection for t in trial.trips)
            else ""
        )
        full = f"{result.full_days} full days of {result.days:g}"
        out.append(
            Consequence(
                Status.OK,
                f"{result.not_taken_kwh:.1f} kWh of sun were not taken,",
                f"{after}when the bank was full.",
                place=full,
            )
        )
    if rehearsal.other is not None:
        out.append(_beside(result, rehearsal.other.name, rehearsal.other.outcome))
    out.append(
        Consequence(
            Status.NONE,
            "A copy of this bank, with its measured differences."
            if rehearsal.measured
            else "Equal cells: no log says yet how these differ.",
            "Made-up sky, your loads. Nothing is sent anywhere.",
            why="Charge, capacity, resistance and drift of each cell come from the last full "
            "charges in the log; what is not measured is taken as equal.",
        )
    )
    return out


def _highest(trial: "Trial") -> str:
    pack = max(range(len(trial.logs)), key=lambda p: float(trial.logs[p].cell_v.max()))
    log = trial.logs[pack]
    row, cell = divmod(int(log.cell_v.argmax()), log.cells)
    return (
        f"The highest reading is {log.cell_v[row, cell]:.3f} V: cell {cell + 1} on "
        f"{moment(trial, float(log.time_s[row]))}."
    )


def _trips(rehearsal: Rehearsal) -> list[Consequence]:
    trial = rehearsal.main.trial
    counts = Counter(t.protection for t in trial.trips)
    firsts = [
        next(t for t in trial.trips if t.protection == name)
        for name in counts
        if name != "charge_under_temperature"
    ]
    out: list[Consequence] = []
    for trip in firsts[:MOST_TRIPS_TOLD]:
        cure = rehearsal.cure if trip is rehearsal.main.outcome.first else None
        many = f" {counts[trip.protection]} times in all." if counts[trip.protection] > 1 else ""
        out.append(
            Consequence(
                _how_bad(trip),
                f"{moment(trial, trip.time_s).capitalize()}: {trip_text(trip)}"
                + (f" (pack {trip.pack})." if len(trial.logs) > 1 else "."),
                _around(trial, trip) + many,
                place="tried: the same days then go without it" if cure else "simulated",
                why=_WHY.get(trip.protection, "Find the cause before the limit is moved."),
                suggestion=tuple(cure.changes.items()) if cure else (),
                label=cure.text if cure else "",
            )
        )
    return out


_WHY = {
    "cell_over_voltage": "The charger holds the mean; the fullest cell is above it by its offset. "
    "A lower target, or levelled cells, keep it off the trip.",
    "pack_over_voltage": "The pack's own limit is nearer to the charger's target than the "
    "cells' limit.",
    "cell_under_voltage": "The emptiest cell ends the discharge for all: levelled cells, a smaller "
    "load or more sun.",
    "discharge_over_current": "Loads together pass the limit for longer than its delay. Compare "
    "with fuse and leads before it is raised.",
    "short_circuit": "A motor's start can pass it: the delay must be longer than the start, and "
    "the switches must bear it. The BMS maker's sheet decides.",
}


def _around(trial: "Trial", trip: "BmsEvent") -> str:
    """Mean cell voltage and current at the row before the trip, and who carries on."""
    log, text = trial.logs[trip.pack - 1], ""
    if log.interval_s <= 60.0:  # rows further apart would tell of another moment
        row = max(0, int(log.time_s.searchsorted(trip.time_s)) - 1)
        text = (
            f"The mean cell stands at {log.mean_cell_v[row]:.3f} V, {log.current_a[row]:+.0f} A."
        ).replace("-", "−")
    others = [p for p in range(len(trial.logs)) if p != trip.pack - 1]
    if others:
        text += (
            " The other pack carries the house."
            if len(others) == 1
            else " The other packs carry the house."
        )
    return text.strip()


def _balancing(trial: "Trial", result: Outcome) -> list[Consequence]:
    balancer = trial.setup.leveller
    if balancer is None:
        return []
    phase = {"charging": "while charging", "rest": "at rest", "always": "at any time"}[
        balancer.when
    ]
    lead = (
        f"Balancing ran {_time(result.balancing_h)} in {result.days:g} days and moved "
        f"{result.levelled_ah:.2f} Ah."
    )
    text = (
        f"The cells stand {result.apart_start_ah:.2f} Ah apart at first, "
        f"{result.apart_end_ah:.2f} Ah at the end."
    )
    grows = result.apart_end_ah > result.apart_start_ah + 0.02
    return [
        Consequence(
            Status.WATCH if grows else Status.OK,
            lead,
            text,
            place=f"{balancer.current_a:g} A from {balancer.start_v:.2f} V {phase}",
            goto="level",
            label="Look at Level",
        )
    ]


def _cold(trial: "Trial") -> list[Consequence]:
    cold = [
        e for e in trial.events if e.protection == "charge_under_temperature" and e.kind != "alarm"
    ]
    if not cold:
        return []
    hours, since = 0.0, None
    for event in (e for e in cold if e.pack == cold[0].pack):
        if event.kind == "trip":
            since = event.time_s
        elif since is not None:
            hours, since = hours + (event.time_s - since) / 3600.0, None
    if since is not None:
        hours += (trial.start_s + trial.scenario.days * 86400.0 - since) / 3600.0
    limit = trial.setup.protection.charge_under_temperature
    return [
        Consequence(
            Status.OK,
            f"Cold: charging waited {_time(hours)} in all.",
            f"Stops below {limit.trip_c:g} °C, goes on at {limit.release_c:g} °C." if limit else "",
            place="at the coldest sensor",
            why="Nothing charges below freezing. The cell maker's sheet overrides this limit.",
        )
    ]


def _house(result: Outcome) -> list[Consequence]:
    if result.dark_h < 0.02:
        return []
    return [
        Consequence(
            Status.ACT,
            f"The house is without full power for {_time(result.dark_h)}.",
            f"{result.not_served_kwh:.1f} kWh were not served.",
            place="simulated",
        )
    ]


def _beside(here: Outcome, name: str, there: Outcome) -> Consequence:
    return Consequence(
        Status.NONE,
        f"Same sky, {name}:",
        f"{count(there.trips, 'trip')} against {here.trips}; {_time(there.top_h)} at the "
        f"top against {_time(here.top_h)}; "
        f"{there.levelled_ah:.2f} Ah levelled against {here.levelled_ah:.2f}; "
        f"{_time(there.high_voltage_h)} above {here.high_v:.2f} V against "
        f"{_time(here.high_voltage_h)}.",
        place="both run",
    )


def _time(hours: float) -> str:
    """Hours as a builder says them."""
    if hours >= 48:
        return f"{hours:.0f} h"
    minutes = round(60 * hours)
    return f"{minutes} min" if minutes < 90 else f"{minutes // 60} h {minutes % 60:02d}"


@dataclass(frozen=True, slots=True)
class Figure:
    """A number on a card: what it is, its value, and what belongs to it."""

    name: str
    value: str
    text: str


def figures(rehearsal: Rehearsal) -> list[Figure]:
    """Trips, hours at the top, what was levelled, what was not taken, time at high voltage; beside
    them those of the other settings.
    """
    here, other = rehearsal.main.outcome, rehearsal.other.outcome if rehearsal.other else None

    def beside(text: str, value: str) -> str:
        return f"beside: {value}" if other is not None and value else text

    first = here.first
    if first is None:
        named = "none"
    elif first.cell:
        named = f"first: cell {first.cell}"
    else:
        named = TITLES[first.protection]
    return [
        Figure("trips", str(here.trips), beside(named, str(other.trips) if other else "")),
        Figure(
            "time at the top",
            _time(here.top_h),
            beside(f"balancer ran {_time(here.balancing_h)}", _time(other.top_h) if other else ""),
        ),
        Figure(
            "levelled",
            f"{here.levelled_ah:.2f} Ah",
            beside(
                f"cells {here.apart_end_ah:.1f} Ah apart",
                f"{other.levelled_ah:.2f} Ah" if other else "",
            ),
        ),
        Figure(
            "sun not taken",
            f"{here.not_taken_kwh:.1f} kWh",
            beside(
                f"{here.full_days} full days", f"{other.not_taken_kwh:.1f} kWh" if other else ""
            ),
        ),
        Figure(
            f"above {here.high_v:.2f} V",
            _time(here.high_voltage_h),
            beside("highest cell", _time(other.high_voltage_h) if other else ""),
        ),
    ]


def telling_moment(rehearsal: Rehearsal) -> float:
    """What to look at first: the first trip, else where a cell is highest."""
    if rehearsal.main.outcome.first is not None:
        return rehearsal.main.outcome.first.time_s
    trial = rehearsal.main.trial
    return float(
        trial.logs[0].time_s[
            int(
                max(trial.logs, key=lambda log: float(log.cell_v.max())).cell_v.max(axis=1).argmax()
            )
        ]
    )


def now_at(
    trial: "Trial", pack: int, row: int, coloured: tuple[int, int]
) -> list[tuple[str, str, str]]:
    """Readings at a row: name, value, and the role of its colour."""
    log = trial.logs[min(pack, len(trial.logs)) - 1]
    high, low = coloured
    moment_text = moment(trial, float(log.time_s[row]))
    out = [
        (moment_text.partition(", ")[0], moment_text.partition(", ")[2], ""),
        ("battery", f"{round(float(log.current_a[row])) + 0:+d} A".replace("-", "−"), ""),
        ("pack", f"{log.pack_v[row]:.2f} V", ""),
        ("charge", f"{log.soc_pct[row]:.0f} %" if log.soc_pct is not None else "–", ""),
        (f"cell {high + 1}, highest", f"{log.cell_v[row, high]:.3f} V", "highest"),
        (f"cell {low + 1}, lowest", f"{log.cell_v[row, low]:.3f} V", "lowest"),
    ]
    if log.temp_c.shape[1]:
        out.append(("coldest", f"{log.temp_c[row].min():.0f} °C".replace("-", "−"), ""))
    return [*out, ("who limits", LIMITER_WORDS[int(trial.limiter[row])], "")]


LIMITER_WORDS = ("night", "sun", "charger", "full", "float", "BMS", "BMS asks", "inverter", "cold")
