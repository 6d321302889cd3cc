"""Moments that are written in parts, or as no clock reads them: year, month, day and hour in
columns of their own, six digits without marks, a date in the first row of its day alone, the day of
the year, moments as headings of a table that lies on its side.

All are brought into ISO texts before the columns are judged.
"""

import re
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import polars as pl

from nipper.core.logs.clocktext import clocks_only, dates_only, possible_forms
from nipper.core.logs.timeforms import DAY_S, Seconds
from nipper.core.logs.times import calendar_days
from nipper.core.logs.words import (
    CELL,
    CURRENT,
    DATE,
    ELAPSED,
    TIME,
    VOLTAGE,
    part_of_a_date,
    plain,
)
from nipper.core.tables.table import Table

LEAST_HEADINGS = 8  # moments, before a table lies on its side
LOOKED_AT = 300
ORDINAL = r"^(\d{4})-?(\d{3})[T ,_]+(\d{1,2}:\d{2}(?::\d{2}(?:[.,]\d+)?)?.*)$"
HALVES = ("am", "pm", "a.m.", "p.m.", "a", "p")
CLOCK = ("hour", "minute", "second")
SIX = r"^(\d{2})(\d{2})(\d{2})$"
FOUR = r"^([01]\d|2[0-3])[0-5]\d$"
OF_DAY = r"^([01]\d|2[0-3])[0-5]\d[0-5]\d$"
# rows of digits that are times of day throughout: a count of seconds would not skip 60 to 99
LEAST_DIGITS = 60
DAY_2000, DAY_2060 = 36526, 58441  # as a spreadsheet counts them
OTHERWISE = {"hour": "hhmm"}  # 1430 under "time"
RANGES = {"year": (0, 2100), "month": (1, 12), "day": (1, 31), "doy": (0, 367),
          "hour": (0, 24), "hhmm": (0, 2400), "minute": (0, 59), "second": (0, 60.999)}  # fmt: skip


def whole_dates(table: Table) -> tuple[Table, list[str]]:
    """The table with its moments in one column, where they are in parts, and what was done."""
    table, days = _days_and_shares(table)
    table, counted = _counted_days(table)
    table, spelt = _spelt_out(table)
    table, filled = _filled_down(table)
    table, joined = _together(table)
    table, halves = _with_halves(table)
    table, alone = _days_alone(table)
    return table, [*days, *counted, *spelt, *filled, *joined, *halves, *alone]


def _with_halves(table: Table) -> tuple[Table, list[str]]:
    """The half of the day in a column of its own, behind the time it belongs to."""
    for clock, half in pairwise(table.columns):
        some = table.text(half).head(LOOKED_AT).drop_nulls()
        if not len(some) or not some.str.strip_chars().str.to_lowercase().is_in(HALVES).all():
            continue
        heads = table.text(clock).head(LOOKED_AT).to_list()
        if clocks_only(heads) or possible_forms(heads):
            both = table.text(clock).str.strip_chars() + " " + table.text(half).str.strip_chars()
            frame = table.frame.drop(half).with_columns(both.alias(clock))
            return table.with_frame(frame), [f"{clock} and {half}: put together as the time"]
    return table, []


def _days_alone(table: Table) -> tuple[Table, list[str]]:
    """One row a day, kept by hand, without a time of day: read as of noon."""
    heads = {name: table.text(name).head(LOOKED_AT).to_list() for name in table.columns}
    if any(possible_forms(texts) or clocks_only(texts) for texts in heads.values()):
        return table, []
    days = [name for name, texts in heads.items() if dates_only(texts)]
    if len(days) != 1 or table.text(days[0]).n_unique() < max(2, table.rows):
        return table, []
    noon = table.text(days[0]).str.strip_chars().str.replace(r"\.$", "") + " 12:00"
    frame = table.frame.with_columns(noon.alias(days[0]))
    return table.with_frame(frame), [f"{days[0]}: a row a day, read as of noon"]


def _days_and_shares(table: Table) -> tuple[Table, list[str]]:
    """A spreadsheet's number of the day, and the share of the day beside it, as one number."""
    for day, share in pairwise(table.columns):
        if not TIME.search(plain(day)) or not TIME.search(plain(share)):
            continue
        days, shares = table.numbers(day), table.numbers(share)
        inside = np.all((days >= DAY_2000) & (days <= DAY_2060))
        if (
            inside
            and np.all(days % 1 == 0.0)
            and days.size
            and np.all((shares >= 0.0) & (shares < 1.0))
            and np.any(shares)
        ):
            both = pl.Series(day, days + shares).cast(pl.String)
            frame = table.frame.drop(share).with_columns(both)
            return table.with_frame(frame), [f"{day} and {share}: put together as the time"]
    return table, []


def _counted_days(table: Table) -> tuple[Table, list[str]]:
    """A date, and beside it the seconds of its day: a count that begins anew with each."""
    for day, count in pairwise(table.columns):
        if not TIME.search(plain(count)) and not ELAPSED.search(plain(count)):
            continue
        dates = table.text(day).str.strip_chars().fill_null("")
        if not dates_only(dates.head(LOOKED_AT).to_list()):
            continue
        seconds = table.numbers(count)
        other = (dates != dates.shift(1)).fill_null(False).to_numpy()
        with np.errstate(invalid="ignore"):
            inside = np.all((seconds >= 0.0) & (seconds < DAY_S))
            anew = np.diff(seconds, prepend=seconds[:1]) < 0.0
        if not inside or not other.any() or not np.array_equal(anew, other):
            continue
        clock = pl.from_epoch(pl.Series(1e3 * seconds).round().cast(pl.Int64), time_unit="ms")
        both = (dates.str.replace(r"\.$", "") + " " + clock.dt.strftime("%H:%M:%S%.3f")).alias(day)
        frame = table.frame.drop(count).with_columns(both)
        return table.with_frame(frame), [f"{day} and {count}: put together as the time"]
    return table, []


def _spelt_out(table: Table) -> tuple[Table, list[str]]:
    """Dates and times of day of six digits with marks between them: 310326, 091000."""
    told: list[str] = []
    for name in table.columns:
        heading = plain(name)
        if not TIME.search(heading) or ELAPSED.search(heading):
            continue
        texts = table.text(name).str.strip_chars()
        some = texts.head(LOOKED_AT).drop_nulls()
        date = bool(DATE.search(heading))
        if not date and len(some) and _four_of_a_day(some) and _has_dates(table):
            spelt = texts.str.zfill(4).str.replace(r"^(\d\d)(\d\d)$", "${1}:${2}")
            table = table.with_frame(table.frame.with_columns(spelt.alias(name)))
            told.append(f"{name}: four digits, read as a time of day")
            continue
        if not len(some) or not (_six_of_a_date(some) if date else _six_of_a_day(some)):
            continue
        mark, word = ("-", "a date") if date else (":", "a time of day")
        spelt = texts.str.zfill(6).str.replace(SIX, f"${{1}}{mark}${{2}}{mark}${{3}}")
        table = table.with_frame(table.frame.with_columns(spelt.alias(name)))
        told.append(f"{name}: six digits, read as {word}")
    return table, told


def _six_of_a_date(some: pl.Series) -> bool:
    """Whether these can be dates of six digits; a spreadsheet may have lost the first nought."""
    if not some.str.contains(r"^\d{5,6}$").all():
        return False
    return bool(dates_only(some.str.zfill(6).str.replace(SIX, "${1}-${2}-${3}").to_list()))


def _four_of_a_day(some: pl.Series) -> bool:
    """Whether these are hours and minutes without a mark: a count would not skip 60 to 99."""
    whole = some.str.contains(r"^\d{1,4}$").all() and not some.str.contains(r"^\d\d?$").all()
    enough = some.n_unique() > LEAST_DIGITS
    return bool(whole) and enough and bool(some.str.zfill(4).str.contains(FOUR).all())


def _six_of_a_day(some: pl.Series) -> bool:
    """Whether these are times of day: all of six digits, or so many that a count of seconds would
    show.
    """
    if some.str.contains(OF_DAY).all():
        return True
    lost = some.str.contains(r"^\d{1,6}$").all() and bool(some.str.len_chars().max() == 6)
    enough = some.n_unique() > LEAST_DIGITS
    return lost and enough and some.str.zfill(6).str.contains(OF_DAY).all()


def _filled_down(table: Table) -> tuple[Table, list[str]]:
    """Dates that stand in the first row of their day alone, beside a time in each."""
    clocks = [
        name for name in table.columns if clocks_only(table.text(name).head(LOOKED_AT).to_list())
    ]
    for name in table.columns if clocks else ():
        texts = table.text(name).str.strip_chars().replace("", None)
        written = texts.drop_nulls()
        sparse = len(texts) > 2 * len(written) > 0 and texts[0] is not None
        if sparse and dates_only(written.unique(maintain_order=True).to_list()):
            frame = table.frame.with_columns(texts.forward_fill().alias(name))
            return table.with_frame(frame), [f"{name}: a date holds until the next"]
    return table, []


def _together(table: Table) -> tuple[Table, list[str]]:
    parts = _parts(table)
    if {"year", "month", "day"} <= parts.keys() or {"year", "doy"} <= parts.keys():
        return _joined(table, parts)
    if {"hour", "minute"} <= parts.keys() and _has_dates(table):
        return _clock(table, {k: v for k, v in parts.items() if k in CLOCK})
    return _without_days_of_the_year(table)


def _parts(table: Table) -> dict[str, str]:
    """Column by part of a moment, where its heading says so and its numbers can be that."""
    found: dict[str, str] = {}
    for name in table.columns:
        bare = re.sub(r"[(\[].*", "", name).strip()
        said = part_of_a_date(bare)
        for part in (said, OTHERWISE.get(said or "")):
            if part and part not in found and _can_be(table, name, part):
                found[part] = name
                break
    return found


def _can_be(table: Table, name: str, part: str) -> bool:
    values = table.numbers(name, LOOKED_AT)
    values = values[np.isfinite(values)]
    low, high = RANGES[part]
    if not values.size or values.min() < low or values.max() > high:
        return False
    if part == "year" and not np.all((values >= 2000) | ((values >= 12) & (values <= 60))):
        return False
    if part == "hhmm" and np.any(np.mod(values, 100) > 59):
        return False
    return part in ("second", "doy") or not np.any(values % 1)


@dataclass(frozen=True, eq=False, slots=True)
class _Parts:
    """The numbers of each part, NaN where they can be none; zeros where there is no column."""

    table: Table
    names: dict[str, str]

    def of(self, part: str) -> Seconds:
        name = self.names.get(part)
        if name is None:
            return np.zeros(self.table.rows)
        values, (low, high) = self.table.numbers(name), RANGES[part]
        return np.where((values >= low) & (values <= high), values, np.nan)


def _joined(table: Table, names: dict[str, str]) -> tuple[Table, list[str]]:
    parts = _Parts(table, names)
    year = parts.of("year")
    if "month" in names and "day" in names:
        day = calendar_days(parts.of("day"), parts.of("month"), year)
    else:
        day = _of_year(year, parts.of("doy"))
    hhmm = parts.of("hhmm")
    hour = parts.of("hour") + np.floor(hhmm / 100.0)
    minute = parts.of("minute") + np.mod(hhmm, 100.0)
    moments = day * 86400.0 + hour * 3600.0 + minute * 60.0 + parts.of("second")
    used = [name for name in table.columns if name in names.values()]
    texts = _texts(f"time ({', '.join(used)})", moments)
    if not names.keys() & {"hour", "hhmm"} and not np.any(np.mod(moments, 86400.0) > 0.0):
        texts = texts.str.head(10)  # a time of day may stand beside it
    frame = table.frame.drop(used).insert_column(0, texts)
    return table.with_frame(frame), [f"{', '.join(used)}: put together as the time"]


def _has_dates(table: Table) -> bool:
    return any(dates_only(table.text(name).head(LOOKED_AT).to_list()) for name in table.columns)


def _clock(table: Table, names: dict[str, str]) -> tuple[Table, list[str]]:
    """Hour, minute and second as one time of day, for the date that stands beside them."""
    parts = _Parts(table, names)
    of_day = parts.of("hour") * 3600.0 + parts.of("minute") * 60.0 + parts.of("second")
    used = [name for name in table.columns if name in names.values()]
    place = table.columns.index(used[0])
    times = _texts(f"time ({', '.join(used)})", of_day).str.tail(-11)
    frame = table.frame.drop(used).insert_column(place, times)
    return table.with_frame(frame), [f"{', '.join(used)}: put together as the time of day"]


def _of_year(year: Seconds, of_year: Seconds) -> Seconds:
    """Days since 1970-01-01 of days of the year, the first of January being 1."""
    first = np.ones(year.size)
    return calendar_days(first, first, year) + of_year - 1.0


def _texts(name: str, naive_s: Seconds) -> pl.Series:
    """Seconds without a zone as ISO texts; blank where there are none."""
    whole = np.where(np.isfinite(naive_s), naive_s, 0.0)
    moments = pl.Series(name, np.round(whole * 1e3).astype(np.int64)).cast(pl.Datetime("ms"))
    texts = moments.dt.strftime("%Y-%m-%d %H:%M:%S%.3f").str.strip_suffix(".000")
    return texts.set(pl.Series(~np.isfinite(naive_s)), None)


def _without_days_of_the_year(table: Table) -> tuple[Table, list[str]]:
    """``2026-062 06:00:00`` as a date."""
    for name in table.columns:
        texts = table.text(name)
        some = texts.head(LOOKED_AT).drop_nulls().str.strip_chars()
        if not len(some) or not some.str.contains(ORDINAL).all():
            continue
        year, of_year, rest = texts.str.strip_chars().str.extract_groups(ORDINAL).struct.unnest()
        days = _of_year(_number(year), _number(of_year))
        dates = _texts(name, days * 86400.0).str.head(10)
        return table.with_frame(table.frame.with_columns((dates + " " + rest).alias(name))), []
    return table, []


def _number(texts: pl.Series) -> Seconds:
    return texts.cast(pl.Float64, strict=False).fill_null(np.nan).to_numpy()


def upright(table: Table) -> tuple[Table, list[str]]:
    """A table whose headings are moments, a row a reading, with a row a moment."""
    first, *moments = table.columns if table.frame.width else [""]
    if len(moments) < LEAST_HEADINGS or not possible_forms(moments[:LOOKED_AT]):
        return table, []
    names = [text or "" for text in table.text(first).to_list()]
    measured = [n for n in names if any(w.search(plain(n)) for w in (CELL, VOLTAGE, CURRENT))]
    if len(measured) < 3 or len(set(names)) < len(names) or first in names:
        return table, []
    turned = table.frame.drop(first).transpose(column_names=names)
    frame = turned.insert_column(0, pl.Series(first or "time", moments))
    return table.with_frame(frame), ["the table lies on its side: turned, a row a moment"]
