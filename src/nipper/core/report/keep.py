"""Keeping in words: what is due from all that is known, storage, the walk, trips, the report."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime, tzinfo
from html import escape
from typing import TYPE_CHECKING

from nipper.core.quantities import with_minus
from nipper.core.report.consequence import Consequence, Status
from nipper.core.setup import Setup
from nipper.core.upkeep.ageing import LONGEST_YEARS, Way
from nipper.core.upkeep.due import Due, Facts
from nipper.core.upkeep.followup import Case, Outcome
from nipper.core.upkeep.meter import Stand, Walk
from nipper.core.upkeep.storage import TARGET_PCT, WAKE_DAYS, Rest, Stored
from nipper.core.upkeep.story import Entry
from nipper.core.upkeep.trips import MEANS, Growth

if TYPE_CHECKING:
    from nipper.core.imbalance.diagnosis import Diagnosis
    from nipper.core.logs.model import Log

DAY_S = 86400.0
SURE = 0.5  # a finding above this confidence asks for its remedy
EQUALISED_V = 0.3  # of the pack: a charge held within this of the equalise voltage was one
SOON_DAYS = 14.0


@dataclass(frozen=True, slots=True)
class Kept:
    """One pack as its log stands: its settings, name, log and diagnosis."""

    setup: Setup
    name: str
    log: "Log"
    diagnosis: "Diagnosis"


@dataclass(frozen=True, slots=True)
class Dates:
    """When things were last done, Unix seconds; None: never."""

    cold_s: float | None = None
    cold_is_of_cutoff: bool = True
    torques_s: tuple[float, ...] = ()
    capacity_s: float | None = None
    typed_s: float | None = None
    read_back_s: float | None = None
    loss_proven: bool = False
    trips_s: float | None = None
    charger_to_set_back: bool = False
    errors: int = field(default=0)


def measured(zone: tzinfo, packs: Sequence[Kept]) -> Facts:
    """What the logs say of the duties; of several packs the one that is worst."""
    out = Facts(now_s=0.0, zone=zone)
    for kept in packs:
        out = _with(out, kept, len(packs) > 1)
    return out


def facts(bank: Setup, now_s: float, dates: Dates, logs: Facts) -> Facts:
    """All that the duties go by: what the logs say, and when things were last done."""
    return replace(
        logs,
        now_s=now_s,
        last_cold_s=dates.cold_s,
        cold_is_of_cutoff=dates.cold_is_of_cutoff,
        last_torque_s=max(dates.torques_s, default=None),
        torques=len(dates.torques_s),
        last_capacity_s=dates.capacity_s,
        last_typed_s=dates.typed_s,
        last_read_back_s=dates.read_back_s,
        loss_proven=dates.loss_proven,
        last_trips_s=dates.trips_s,
        charger_to_set_back=dates.charger_to_set_back,
        errors=dates.errors,
        latitude_deg=bank.solar.latitude_deg if bank.solar else None,
    )


def _with(out: Facts, kept: Kept, several: bool) -> Facts:
    import numpy as np

    from nipper.core.forecast.levelling import from_log
    from nipper.core.forecast.plan import Known

    known, log = kept.diagnosis.now, kept.log
    full = known.full
    last_full = float(log.time_s[full[-1].stop - 1]) if full else None
    offsets = known.drift.last_ah
    apart = float(np.nanmax(offsets) - np.nanmin(offsets)) if np.isfinite(offsets).any() else None
    told = from_log(kept.setup, Known(log, known))
    before = f"{kept.name}: " if several else ""
    judged = kept.diagnosis
    pressing = (d.summary.rstrip(".") for d in judged.dangers if d.pressing)
    asks = [f"{before}{with_minus(summary)}" for summary in pressing]
    asks += [
        f"{before}{_in_short(judged.asks(c)[0])}"
        for c in judged.findings
        if c.confidence > SURE and not c.mended and judged.asks(c)
    ]
    worse = apart is not None and apart > (out.apart_ah or 0.0)
    return replace(
        out,
        last_log_s=_later(out.last_log_s, float(log.time_s[-1])),
        last_full_s=_later(out.last_full_s, last_full),
        last_equalise_s=_later(out.last_equalise_s, _equalised(kept)),
        apart_ah=apart if worse else out.apart_ah,
        drifts_ah_per_day=(told.need_ah or 0.0) / 7.0 if worse else out.drifts_ah_per_day,
        levels_ah_per_day=(told.can_ah or 0.0) / 7.0 if worse else out.levels_ah_per_day,
        remedies=(*out.remedies, *asks),
    )


def _in_short(text: str) -> str:
    """An action up to its first stop: how it is done stands in Diagnose."""
    return re.split(r"[:;] |\. ", text, maxsplit=1)[0].removesuffix(".")


def _later(one: float | None, other: float | None) -> float | None:
    return max((t for t in (one, other) if t is not None), default=None)


def _equalised(kept: Kept) -> float | None:
    charging = kept.setup.charging
    if charging is None or charging.equalise_v is None:
        return None
    level = (charging.equalise_v - EQUALISED_V) / kept.setup.cells
    held = [c for c in kept.diagnosis.estimate.full if c.level_v >= level]
    return float(kept.log.time_s[held[-1].stop - 1]) if held else None


# what is due


def when_words(due: Due, now_s: float) -> str:
    """``now``, ``in 6 days``, ``3 weeks over``."""
    days = due.days_from(now_s)
    if days <= -1.0:
        return f"{_span(-days)} over"
    if days < 1.0:
        return "now"
    return f"in {_span(days)}"


def _span(days: float) -> str:
    for size, word in ((365.0, "years"), (30.4, "months"), (7.0, "weeks")):
        if days >= 2 * size or (size == 7.0 and days >= 14):
            return f"{days / size:.0f} {word}"
    return f"{days:.0f} day{'' if round(days) == 1 else 's'}"


def takes_words(due: Due) -> str:
    """How long it takes, and with what."""
    waits = f", then {due.waits_h:g} h of waiting" if due.waits_h else ""
    tools = f"; {due.tools}" if due.tools else ""
    return f"{due.minutes:.0f} min{waits}{tools}"


def keep_sentence(dues: Sequence[Due], now_s: float) -> tuple[Status, str]:
    """What is due next, for the rail."""
    over = [d for d in dues if d.days_from(now_s) < 1.0]
    if over:
        first = max(over, key=lambda d: d.worth)
        more = f"; {len(over) - 1} more" if len(over) > 1 else ""
        status = Status.ACT if first.worth >= 9 else Status.WATCH
        return status, f"due: {first.title}{more}"
    if not dues:
        return Status.NONE, "nothing is known to be due"
    return Status.OK, f"{dues[0].title} {when_words(dues[0], now_s)}"


def of_keep(dues: Sequence[Due], now_s: float) -> list[Consequence]:
    """What is due now or soon, most worth first."""
    near = [d for d in dues if d.days_from(now_s) <= SOON_DAYS]
    out = [
        Consequence(
            Status.WATCH if d.days_from(now_s) < 1.0 else Status.NONE,
            f"{d.title}: {when_words(d, now_s)}.",
            d.why,
            place=takes_words(d),
            label="Go there" if d.stage and d.stage != "keep" else "",
            goto=d.stage if d.stage != "keep" else "",
        )
        for d in sorted(near, key=lambda d: -d.worth)
    ]
    if not out:
        out.append(Consequence(Status.OK, "Nothing is due in the next two weeks."))
    return out


# storage


def storage_words(found: Stored, rest: Rest) -> list[tuple[Status, str]]:
    """What happens to a pack that is put away, and what is done about it."""
    out: list[tuple[Status, str]] = []
    for stage in found.stages:
        if stage.days is None:
            out.append((Status.OK, f"{stage.what} ({stage.cell_v:.2f} V): not within ten years."))
            continue
        status = Status.NONE
        if stage.days < (60 if stage.what == "damage" else WAKE_DAYS):
            status = Status.ACT
        elif stage.what == "damage" and stage.days < 365:
            status = Status.WATCH
        span = "at once" if stage.days < 0.5 else f"after {_span(stage.days)}"
        out.append((status, f"{stage.what} ({stage.cell_v:.2f} V): {span}."))
    low, high = TARGET_PCT
    if rest.soc_pct > high + 10:
        out.append((Status.WATCH, f"Store at {low:.0f} to {high:.0f} %: high charge and warmth age "
                    "cells fastest."))  # fmt: skip
    elif rest.soc_pct < low - 10:
        out.append((Status.WATCH, f"Charge to {low:.0f} to {high:.0f} % first."))
    if rest.standby_w > 0:
        out.append((Status.NONE, f"The {rest.standby_w:g} W that stay on take more than the cells "
                    "themselves: switch off, pull the connector or the fuse."
                    if _standby_is_more(found, rest) else
                    f"The {rest.standby_w:g} W that stay on add to it."))  # fmt: skip
    if found.idle_ah_per_month > 0.0:
        takes = f"The balancer's idle draw takes {found.idle_ah_per_month:.1f} Ah a month"
        out.append((Status.WATCH, f"{takes}, also past the power-off: pull its plug."))
    if rest.air_c < 0:
        out.append((Status.NONE, "Cold keeps the charge; nothing is charged below freezing."))
    return out


def _standby_is_more(found: Stored, rest: Rest) -> bool:
    own = found.own_pct_per_month / 100.0 * rest.soc_pct
    month = min(30, len(found.mean_pct) - 1)
    return found.mean_pct[0] - found.mean_pct[month] > 2.0 * own


WAKING = (
    "Waking it: warm first, look at every cell. Above the sheet's lowest voltage a small charger "
    "of the right voltage, a tenth of the usual current, until the BMS wakes; below it the maker "
    "decides. Then a full charge, held."
)


# life

LIFE_SOURCE = (
    "By a published model of one graphite-LFP cell (J. Electrochem. Soc. 165, 2018, A181; "
    "constants from memory), fitted on two years: it says which way and about how much, not "
    "when. The maker's sheet and warranty decide."
)
NO_LIFE = "No published figures are here for these cells: the same directions hold, not the years."


def life_rows(found: Sequence[Way]) -> tuple[str, *tuple[tuple[str, ...], ...]]:
    """The life as it is in a sentence, then a table of what changes would bring."""
    own = found[0]
    head = (
        f"About {own.years:.0f} years until a fifth is lost; {own.ten_years_pct:.0f} % in the "
        "first ten."
    )
    if own.years >= LONGEST_YEARS:
        head = f"More than {LONGEST_YEARS:.0f} years by this model, which no cell has seen yet."
    rows = [("", "until a fifth is lost", "lost in ten years", "against now")]
    for way in found:
        change = way.ten_years_pct - own.ten_years_pct
        against = "" if way is own else f"{change:+.1f} points".replace("-", "−")
        years = f"{way.years:.0f} years"
        if way.years >= LONGEST_YEARS:
            years = f"over {LONGEST_YEARS:.0f} years"
        rows.append((way.title, years, f"{way.ten_years_pct:.1f} %", against))
    return (head, *rows)


# the walk


def stand_words(found: Stand, read: int) -> tuple[Status, str]:
    """How the search for a fault stands."""
    if found.strange:
        return Status.WATCH, (
            "A reading fits none of the faults known here: read it again, or look further."
        )
    fault, share = found.likely[0]
    if found.found is not None:
        return Status.ACT, f"{fault.title} ({100 * share:.0f} %). {fault.cure}"
    if found.ask is None:
        other = found.likely[1][0]
        return Status.WATCH, (
            f"{fault.title} ({100 * share:.0f} %), or {other.title[:1].lower()}{other.title[1:]}: "
            f"no reading here tells more. {fault.cure}"
        )
    if not read:
        return Status.NONE, "Begin with the reading below: it tells most."
    return Status.NONE, f"Likeliest so far: {fault.title} ({100 * share:.0f} %)."


def expects_words(walk: Walk, probe: str) -> str:
    """What a probe reads where nothing is wrong."""
    reads, unit = walk.normal[probe], walk.probe(probe).unit
    digits = 0 if abs(reads.value) >= 100 or unit in ("%", "days", "°C", "") else 1
    value = round(reads.value, digits) + 0.0  # no zero below zero
    shown = f"{value:.{digits}f} {unit}".strip().replace("-", "−")
    return f"about {shown} where nothing is wrong"


def walk_note(walk: Walk, readings: Mapping[str, float], found: Stand) -> str:
    """A walk as it is noted among the events."""
    each = ", ".join(f"{p} {v:g} {walk.probe(p).unit}".strip() for p, v in readings.items())
    fault, share = found.likely[0]
    return f"{walk.title}: {fault.title} ({100 * share:.0f} %); read {each or 'nothing'}"


# trips


def growth_words(found: Growth, zone: tzinfo) -> str:
    """A counter that grew, in words."""
    at = datetime.fromtimestamp(found.to_s, zone)
    near = f" Near it: {'; '.join(found.near)}." if found.near else ""
    times = "once" if found.by == 1 else f"{found.by} times"
    return (
        f"{found.trip}: {times} in the {_span(max(1.0, found.days))} before {at.day} {at:%b %Y}. "
        f"{MEANS[found.trip]}{near}"
    )


# cases


CASE_STATUS = {
    Outcome.SOLVED: Status.OK,
    Outcome.GONE: Status.OK,
    Outcome.NOT_SOLVED: Status.ACT,
    Outcome.NOT_YET: Status.WATCH,
}


def case_words(case: Case) -> str:
    """A case in a line: what it was, what was done, how it stands."""
    if case.done_s is None:
        left = "nothing is noted as done: " if case.outcome == Outcome.NOT_YET else ""
        return f"{case.summary} {_capital(left + case.outcome)}."
    since = f"{case.charges_after} full charges in {_span(case.days_after)} since “{case.done}”"
    return f"{case.summary} {_capital(case.outcome)}: {since}."


def _capital(text: str) -> str:
    return text[:1].upper() + text[1:]


# the report


def year_html(
    bank: Setup,
    head: str,
    dues: Sequence[Due],
    story: Sequence[Entry],
    packs: Sequence[Kept],
    tests: Sequence[tuple[str, str]],
    when: datetime,
) -> str:
    """The yearly report, for printing: what the bank is, how its cells are, what was done, what is
    due. It says nothing that is not in the bench.
    """
    zone = when.tzinfo
    assert zone
    cells = "".join(
        f"<li>{escape(k.name)}: {escape(k.diagnosis.verdict.replace('_', ' '))}; "
        f"{len(k.diagnosis.estimate.full)} full charges in {k.log.days:.0f} days"
        + "".join(f"<br>{escape(c.summary)}" for c in k.diagnosis.findings if c.confidence > SURE)
        + "</li>"
        for k in packs
    )
    tested = "".join(f"<li>{escape(name)}: {escape(text)}</li>" for name, text in tests)
    rows = "".join(
        f"<tr><td>{escape(dated(e.time_s, zone))}</td><td>{escape(e.pack)}</td>"
        f"<td>{escape(e.text)}</td></tr>"
        for e in story
    )
    todo = "".join(
        f"<li>{escape(d.title)}: {escape(when_words(d, when.timestamp()))}. {escape(d.why)}</li>"
        for d in dues
    )
    return (
        f"<h2>{escape(bank.name)}: the year to {when.day} {when:%B %Y}</h2>"
        f"<p>{escape(head)}</p><h3>Cells, by their logs</h3><ul>{cells or '<li>no log</li>'}</ul>"
        f"<h3>Capacity tests</h3><ul>{tested or '<li>none</li>'}</ul>"
        f"<h3>What is due</h3><ul>{todo or '<li>nothing</li>'}</ul>"
        f"<h3>What happened</h3><table cellpadding='3' width='100%'>{rows}</table>"
    )


def dated(at_s: float, zone: tzinfo) -> str:
    """A day as it is printed."""
    at = datetime.fromtimestamp(at_s, zone)
    return f"{at.day} {at:%b %Y}"
