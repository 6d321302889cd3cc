"""Which column of a stranger's table is the time, in which form, and of which zone."""

import re
import time
from collections.abc import Sequence
from dataclasses import dataclass, field
from itertools import pairwise

import numpy as np
import polars as pl

from nipper.core.logs import words
from nipper.core.logs.clocktext import OFFSET, clocks_only, dates_only, possible_forms, tidy
from nipper.core.logs.column import Column, Floats
from nipper.core.logs.doubt import Doubt
from nipper.core.logs.timeforms import (
    ABSOLUTE,
    COUNTS,
    DATELESS,
    DAY_S,
    TIME_FORMS,
    UNIX,
    WORDS,
    TimeForm,
)
from nipper.core.logs.times import to_unix, unwrapped
from nipper.core.logs.zones import usual_order, zone_in

HASTY_S = 0.3  # no BMS writes more rows a second (from memory)
SPARSE_S = 7200.0  # between two rows: a count of milliseconds stands so far apart as seconds
AHEAD_S = 2 * DAY_S  # zones, and clocks that run before, are less
WIDER = 10.0  # steps, before the shorter ones tell
MOST_COUNTED = 1e15  # microseconds of thirty years
SECOND = 2.0  # worth from which a column could be the time as well
LOOKED_AT = 3000  # texts that decide the form
HOUR = re.compile(r"(?:^|[T ,_])(\d{1,2}):\d\d(?::\d\d(?:\.\d+)?)?$")  # no half of a day behind
ZONE_ONLY = re.compile(r"\s*(Z|UTC|GMT|[+-]\d\d:?\d\d)\s*$")


@dataclass(frozen=True, slots=True)
class Zone:
    """The time zone as it was given, and the one to be taken where nothing tells."""

    given: str | None
    otherwise: str = "UTC"


@dataclass(slots=True)
class Clock:
    """The columns of the time, its form and zone, the sample's moments, and doubts."""

    time: str
    second: str | None
    form: TimeForm
    zone: str
    time_s: Floats
    why: str
    doubts: list[Doubt] = field(default_factory=list[Doubt])


def find_clock(
    columns: Sequence[Column],
    notes: Sequence[str],
    zone: Zone,
    day_first: bool | None,
) -> Clock | None:
    """The time of a table; None when no column holds one."""
    found: list[tuple[float, Clock]] = []
    for column, second, texts in _candidates(columns):
        clock = _read(column, second, texts, notes, zone, day_first)
        if clock is not None:
            found.append((_worth(column, clock, texts.len() - texts.null_count()), clock))
    if not found:
        return None
    worth, best = max(found, key=lambda f: f[0])
    if worth <= 0 and len(best.time_s) > 3:
        return None
    others = [clock for worth, clock in found if worth > SECOND and clock.form not in DATELESS]
    if (beside := _shifted(best, columns)) is not None:
        best.doubts.append(beside)
    if best.form not in DATELESS and (told := _another(best, others)):
        best.doubts.append(told)
    return best


def _another(best: Clock, others: Sequence[Clock]) -> Doubt | None:
    """That another column tells other days: a device's clock beside the one that wrote it down."""
    for other in others:
        apart_s = np.abs(other.time_s - best.time_s)
        apart_s = apart_s[np.isfinite(apart_s)]
        if other.time != best.time and apart_s.size and np.median(apart_s) > DAY_S:
            days = float(np.median(apart_s)) / DAY_S
            text = f"{best.why} is taken for the time; {other.why} is {days:.0f} days away"
            return Doubt(text, "--map")
    return None


def _shifted(best: Clock, columns: Sequence[Column]) -> Doubt | None:
    """That a heading of a time stands over no times, beside a time under another heading."""
    names = [c.name for c in columns]
    at = names.index(best.time)
    if columns[at].says(words.TIME) or best.second is not None:
        return None
    for neighbour in columns[max(0, at - 1) : at + 2]:
        if words.MOMENT_NAMED.search(neighbour.plain) and neighbour.numeric:
            text = f"{best.time} holds the times, {neighbour.name} none: are the headings shifted?"
            return Doubt(text, "--map MAP.json")
    return None


def _candidates(columns: Sequence[Column]) -> list[tuple[Column, Column | None, pl.Series]]:
    """Each column by itself, and dates with the times of day beside them."""
    out: list[tuple[Column, Column | None, pl.Series]] = [(c, None, c.texts) for c in columns]
    heads = {c.name: c.texts.drop_nulls().head(300).to_list() for c in columns}
    dates = [c for c in columns if dates_only(heads[c.name])]
    clocks = [c for c in columns if clocks_only(heads[c.name])]
    for date in dates:
        for clock in clocks:
            both = date.texts.str.strip_chars().str.replace(r"\.$", "") + " " + clock.texts
            out.append((date, clock, both))
    zones = [c for c in columns if any(heads[c.name]) and all(map(ZONE_ONLY.match, heads[c.name]))]
    whole = [c for c in columns if zones and possible_forms(heads[c.name])]
    return out + [(c, z, c.texts + " " + z.texts.str.strip_chars()) for c in whole for z in zones]


def _read(
    column: Column,
    second: Column | None,
    texts: pl.Series,
    notes: Sequence[str],
    zone: Zone,
    day_first: bool | None,
) -> Clock | None:
    sample = texts.drop_nulls().head(LOOKED_AT).to_list()
    forms: list[TimeForm] = _counted(column, possible_forms(sample)) or _dateless(column, sample)
    if not forms:
        return None
    doubts: list[Doubt] = []
    chosen = _zone(column, second, notes, zone, forms[0], sample, doubts)
    if day_first is not None and "dmy" in forms and "mdy" in forms:
        forms = ["dmy" if day_first else "mdy"]
    form = _order(column, texts, forms, chosen, doubts)
    form = _since(column, form, doubts)
    time_s = to_unix(texts, form, chosen)
    if _of_twelve(sample):
        text = f"{column.name}: no hour beyond 12, and none of nought: before or after noon?"
        doubts.append(Doubt(text, "--map MAP.json"))
    if form in DATELESS or form in UNIX:
        doubts += _hasty(column, form, time_s)
    name = column.name if second is None else f"{column.name} with {second.name}"
    return Clock(column.name, second.name if second else None, form, chosen, time_s, name, doubts)


def _of_twelve(sample: Sequence[str]) -> bool:
    """Whether a clock of twelve hours was written without its half of the day."""
    hours = [int(found[1]) for text in sample if (found := HOUR.search(text))]
    if len(hours) < len(sample) or {1, 12} - set(hours) or not 1 <= min(hours) <= max(hours) <= 12:
        return False
    return any(before == 12 and after == 1 for before, after in pairwise(hours)) and any(
        before == 11 and after == 12 for before, after in pairwise(hours)
    )


def _hasty(column: Column, form: TimeForm, time_s: Floats) -> list[Doubt]:
    """A count without a unit that would be several rows a second is one of minutes or hours."""
    steps = np.abs(np.diff(time_s[np.isfinite(time_s)]))
    usual_s = float(np.median(steps)) if steps.size else 1.0
    if (form in UNIX or form == "elapsed_s") and usual_s > SPARSE_S and not column.quantity:
        text = f"{column.name}: as {TIME_FORMS[form]} a row every {usual_s / 3600:.0f} h: is it so?"
        return [Doubt(text, "--map MAP.json")]
    if form != "elapsed_s" or column.quantity or usual_s >= HASTY_S:
        return []
    text = (
        f"{column.name}: of what it counts no unit is given; as seconds it is a row every "
        f"{usual_s:.2g} s: are they minutes, hours or days?"
    )
    return [Doubt(text, "--map MAP.json")]


def _counted(column: Column, forms: list[TimeForm]) -> list[TimeForm]:
    """The forms without those that count in another unit than the heading says."""
    if column.quantity != "s":
        return forms
    return [f for f in forms if f not in UNIX or COUNTS[f].unit_s == column.factor]


def _since(column: Column, form: TimeForm, doubts: list[Doubt]) -> TimeForm:
    """Seconds of a count that may have begun in either of two years: as the heading says."""
    if form != "s_1904" or "1904" in column.plain:
        return form
    if words.SINCE_1900.search(column.plain):
        return "s_1900"
    text = f"{column.name}: read as seconds since 1904; since 1900 they are four years earlier"
    doubts.append(Doubt(text, "--map MAP.json"))
    return form


def _dateless(column: Column, sample: Sequence[str]) -> list[TimeForm]:
    """Seconds, minutes or hours since the start, or a time of day alone."""
    if clocks_only(sample):
        hours = [int(t.split(":")[0]) for t in map(tidy, sample) if t[:1].isdigit() and ":" in t]
        since = column.says(words.ELAPSED) or max(hours, default=0) > 23
        if since or (
            hours
            and hours[0] == 0
            and tidy(sample[0]).startswith(("0:00:0", "00:00:0"))
            and not column.says(words.TIME)
        ):
            return ["elapsed_clock"]
        return ["clock"]
    if not column.numeric or not (column.says(words.TIME) or column.quantity == "s"):
        return []
    values = column.finite
    if values.size < 2 or values.min() < 0 or values.max() > MOST_COUNTED:
        return []
    steps = np.diff(unwrapped(values.astype(np.float64)))
    if not (np.all(steps >= 0) or np.all(steps <= 0)) or not np.any(steps):
        return []
    forms: dict[float, TimeForm] = {
        1.0: "elapsed_s", 1e-3: "elapsed_ms", 1e-6: "elapsed_us", 60.0: "elapsed_min",
        3600.0: "elapsed_h", DAY_S: "elapsed_d",
    }  # fmt: skip
    return [forms.get(column.factor, "elapsed_s")] if column.quantity in ("", "s") else []


def _zone(
    column: Column,
    second: Column | None,
    notes: Sequence[str],
    zone: Zone,
    form: TimeForm,
    sample: Sequence[str],
    doubts: list[Doubt],
) -> str:
    """The zone: as given, as a heading or a remark says, or UTC with a doubt."""
    carried = form in ABSOLUTE or form in DATELESS or bool(OFFSET.search(sample[0].strip()))
    if carried or zone.given is not None:
        return zone.given or "UTC"
    texts = [column.name, second.name if second else "", *notes]
    named = next((z for text in texts if (z := zone_in(text))), None)
    if named is None and not _zoned(sample[0]):
        text = f"the times carry no zone: they are read as {zone.otherwise}"
        doubts.append(Doubt(text, "--zone"))
    return named or zone.otherwise


def _zoned(text: str) -> bool:
    return bool(zone_in(text)) or text.strip()[-4:].strip().upper() in ("EST", "EDT", "PST", "MEZ")


def _order(
    column: Column, texts: pl.Series, forms: list[TimeForm], zone: str, doubts: list[Doubt]
) -> TimeForm:
    """Day or month first: the order in which the clock runs on most evenly."""
    if len(forms) == 1:
        return forms[0]
    uneven = [_unevenness(to_unix(texts, form, zone)) for form in forms]
    scored = sorted((count, i) for i, count in enumerate(uneven))
    (least, first), (next_, other) = scored[:2]
    if next_ > least or _same(texts, forms[first], forms[other], zone):
        return forms[first]
    likelier = _likelier(to_unix(texts, forms[first], zone), to_unix(texts, forms[other], zone))
    usual = {forms[first], forms[other]} == {"dmy", "mdy"} and usual_order(zone) == forms[other]
    if likelier < 0 or (not likelier and usual):
        first, other = other, first
    words_ = f"{WORDS.get(forms[first], forms[first])} or {WORDS.get(forms[other], '')}"
    option = "--day-first" if forms[first] != "dmy" else "--month-first"
    taken = WORDS.get(forms[first], forms[first])
    text = f"{column.name}: {words_}, both run on as evenly; read as {taken}"
    doubts.append(Doubt(text, option))
    return forms[first]


def _likelier(one: Floats, other: Floats) -> int:
    """1 where the first of two readings of the same dates is the likelier, -1 the other, 0 where
    none is: no log is of a day to come, and a row a day is kept sooner than a row a month.
    """
    ahead = time.time() + AHEAD_S
    both = [moments[np.isfinite(moments)] for moments in (one, other)]
    if min(moments.size for moments in both) < 2:
        return 0
    to_come = [bool(moments.max() > ahead) for moments in both]
    if to_come[0] != to_come[1]:
        return -1 if to_come[0] else 1
    steps = [float(np.median(np.abs(np.diff(moments)))) for moments in both]
    if min(steps) < DAY_S or max(steps) < WIDER * min(steps):
        return 0
    return 1 if steps[0] < steps[1] else -1


def _same(texts: pl.Series, form: TimeForm, other: TimeForm, zone: str) -> bool:
    """Whether two forms read the same moments (the third of March either way)."""
    one, two = to_unix(texts, form, zone), to_unix(texts, other, zone)
    return bool(np.array_equal(one, two, equal_nan=True))


def _unevenness(time_s: Floats) -> int:
    """Steps against the stream of time, and leaps far beyond the usual step."""
    known = time_s[np.isfinite(time_s)]
    steps = np.diff(known)
    if not steps.size:
        return 0
    steps = steps if np.sum(np.sign(steps)) >= 0 else -steps
    usual = float(np.median(np.abs(steps))) or 1.0
    unread = int(np.isnan(time_s).sum())
    return int(np.sum(steps < 0)) + int(np.sum(steps > max(20 * usual, 40_000.0))) + unread


def _worth(column: Column, clock: Clock, written: int) -> float:
    """How much a column behaves like the time of the table; so many of its rows hold a text."""
    known = clock.time_s[np.isfinite(clock.time_s)]
    steps: Floats = np.diff(known)
    worth = 2.0 * (column.says(words.TIME) or column.quantity == "s") + 1.0 * (
        clock.form in ABSOLUTE
    )
    worth -= 3.5 * (clock.form in DATELESS) + 0.5 * bool(clock.doubts)
    if steps.size:
        signs: Floats = np.sign(steps)
        onward = max(float(np.mean(signs >= 0)), float(np.mean(signs <= 0)))
        moving = np.count_nonzero(signs) / signs.size
        worth += 3.0 * onward + 3.0 * moving - 3.0
        if moving == 0.0 and steps.size > 2:
            worth -= 10.0
    filled = known.size / max(1, written)
    return worth - 6.0 * (1.0 - min(float(filled), 1.0))
