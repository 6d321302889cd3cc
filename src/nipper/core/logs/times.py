"""Clocks of strangers' tables: the moments of a column of times in Unix seconds.

ISO with and without offset; day, month or year first with two- or four-digit years; names
of months; a 12-hour clock; zones behind the time; Unix s/ms/µs; day numbers and ticks of other
epochs; time since the start; and a time of day without a date.
"""

from collections.abc import Sequence

import numpy as np
import polars as pl

from nipper.core.logs.clocktext import CLOCK_ONLY, COMPACT, DATED, YEARLESS, tidy
from nipper.core.logs.timeforms import (
    ABSOLUTE,
    COUNTS,
    DATELESS,
    DAY_S,
    ELAPSED_S,
    NO_YEAR,
    SECONDS_2100,
    WRAPS,
    Order,
    Seconds,
    TimeForm,
)
from nipper.core.logs.zones import epoch, local_to_utc, offset_min


def to_unix(text: pl.Series, form: TimeForm, zone: str, begins: str | None = None) -> Seconds:
    """Unix seconds of a text column in that form, float64[n]; NaN where a text is none.

    ``zone`` serves times without an offset. Forms without a date count from the moment ``begins``
    (ISO), times of day from its day; from 1970-01-01 without. What lies before that or after 2100
    is none.
    """
    if form == "yearless":
        year = int(begins[:4]) if begins else NO_YEAR
        return local_to_utc(_yearless(text, year), zone)
    times = _seconds(text, form, zone)
    if begins and form in DATELESS:
        times = _begun(times, form, zone, begins)
    with np.errstate(invalid="ignore"):
        return np.where((times >= 0.0) & (times < SECONDS_2100), times, np.nan)


def _seconds(text: pl.Series, form: TimeForm, zone: str) -> Seconds:
    number = text.str.strip_chars().str.replace(",", ".", literal=True)
    if form in COUNTS:
        unit_s, zero_s = COUNTS[form]
        times = _floats(number) * unit_s + zero_s
        return times if form in ABSOLUTE else local_to_utc(np.round(times, 3), zone)
    if form in ELAPSED_S:
        return unwrapped(_floats(number)) * ELAPSED_S[form]
    if form in ("elapsed_clock", "clock"):
        return _clock(text, unwrap=form == "clock")
    if form in ("plain", "iso"):
        return _iso(text, zone, numbers=form == "plain")
    return _dated(text, form, zone)  # pyright: ignore[reportArgumentType] - the three orders are left


def unwrapped(counts: Seconds) -> Seconds:
    """A running count of 32 bits that goes on where it has begun anew."""
    with np.errstate(invalid="ignore"):
        back = np.diff(counts, prepend=counts[:1]) < -0.9 * WRAPS
    return counts + WRAPS * np.cumsum(back) if back.any() else counts


def _yearless(text: pl.Series, year: int) -> Seconds:
    """Naive seconds, the first row in that year; a month that jumps back is of the next one."""
    fields = _fields(_tidied(text), YEARLESS)
    day, month = _int(fields[0]), _int(fields[1])
    with np.errstate(invalid="ignore"):
        years = np.cumsum(np.diff(month, prepend=month[:1]) < -6)
    return calendar_days(day, month, (year + years).astype(np.float64)) * DAY_S + _of_day(
        fields[2:7]
    )


def _begun(times: Seconds, form: TimeForm, zone: str, begins: str) -> Seconds:
    if form == "clock":
        return local_to_utc(times + _iso(pl.Series([f"{begins[:10]}T00:00"]), "UTC", False), zone)
    whole = begins if len(begins) > len("2026-03-01") else f"{begins}T00:00"
    return times + _iso(pl.Series([whole]), zone, False)


def _floats(text: pl.Series) -> Seconds:
    return text.cast(pl.Float64, strict=False).fill_null(np.nan).to_numpy()


def _iso(text: pl.Series, zone: str, numbers: bool) -> Seconds:
    clean = (
        text.str.strip_chars()
        .str.replace(r"^(\d{4}-\d\d-\d\d) ", "${1}T")
        .str.replace(",", ".", literal=True)
        .str.replace(r"Z$", "+00:00")
        .str.replace(r"\s*([+-]\d\d):?(\d\d)$", "${1}:${2}")
        .str.replace(r"T(\d\d:\d\d)([+-]|$)", "T${1}:00${2}")
    )
    aware = clean.str.to_datetime("%Y-%m-%dT%H:%M:%S%.f%:z", time_unit="us", strict=False)
    out = epoch(aware)
    left = np.isnan(out)
    if left.any():
        naive = clean.str.to_datetime("%Y-%m-%dT%H:%M:%S%.f", time_unit="us", strict=False)
        out = np.where(left, local_to_utc(epoch(naive), zone), out)
    if numbers and np.isnan(out).any():
        out = np.where(np.isnan(out), _floats(text.str.strip_chars()), out)
    return out


def _fields(text: pl.Series, pattern: str) -> list[pl.Series]:
    groups = text.str.extract_groups(pattern).struct.unnest()
    return list(groups.iter_columns())


def _int(field: pl.Series) -> Seconds:
    return field.cast(pl.Float64, strict=False).fill_null(np.nan).to_numpy()


def _dated(text: pl.Series, order: Order, zone: str) -> Seconds:
    clean = _tidied(text)
    fields = _fields(clean, DATED)
    compact = _fields(clean, COMPACT)
    if fields[0].null_count() > compact[0].null_count():
        date, rest, order = compact[:3], [*compact[3:6], compact[6], compact[7], compact[8]], "ymd"
    else:
        date, rest = fields[:3], fields[3:]
    day, month, year = (_int(date[order.index(letter)]) for letter in "dmy")
    of_day = _of_day(rest[:5])
    with np.errstate(invalid="ignore"):
        of_day = np.where(of_day <= DAY_S, of_day, np.nan)
    naive = calendar_days(day, month, year) * DAY_S + of_day
    return _placed(naive, rest[5], zone)


def _tidied(text: pl.Series) -> pl.Series:
    """All texts as :func:`tidy` has them; the distinct dates of a long column once each."""
    lower = text.str.strip_chars().str.to_lowercase()
    letters = lower.str.contains(
        r"[^\d\s.:/,\-tz+apm]|\d\.\d\d\.\d\d$|^\d+:\d\d.*\s\d+[-/.]|\d{4}:\d|[^\x00-\x7F]"
    ).fill_null(False)
    if not letters.any():
        return lower
    distinct = lower.filter(letters).unique()
    tidied = [tidy(t) for t in distinct.to_list()]
    table = pl.DataFrame({"t": distinct, "clean": pl.Series(tidied, dtype=pl.String)})
    joined = lower.alias("t").to_frame().join(table, on="t", how="left", maintain_order="left")
    return pl.Series(joined.select(pl.coalesce("clean", "t")).to_series())


def calendar_days(day: Seconds, month: Seconds, year: Seconds) -> Seconds:
    """Days since 1970-01-01; NaN where there is no such day."""
    with np.errstate(invalid="ignore"):
        year = np.where(year < 100, year + 2000, year)
        good = (year >= 1970) & (year < 2200) & (month >= 1) & (month <= 12) & (day >= 1)
    months = np.where(good, (year - 1970) * 12 + month - 1, 0).astype(np.int64)
    first = months.astype("M8[M]").astype("M8[D]").astype(np.int64)
    after = (months + 1).astype("M8[M]").astype("M8[D]").astype(np.int64)
    days = first + np.where(good, day - 1, 0)
    return np.where(good & (days < after), days, np.nan)


def _of_day(fields: Sequence[pl.Series]) -> Seconds:
    """Seconds of hour, minute, second, fraction and half of the day."""
    hour, minute = _int(fields[0]), _int(fields[1])
    second = np.nan_to_num(_int(fields[2]))
    part = fields[3]
    fraction = np.zeros(len(part))
    if part.null_count() < len(part):
        fraction = np.nan_to_num(_int("0." + part))
    half = fields[4]
    if half.null_count() < len(half):
        afternoon = half.str.starts_with("p").fill_null(False).to_numpy()
        given = half.str.contains("^[ap]").fill_null(False).to_numpy()  # compact ones have none
        hour = np.where(given, np.mod(hour, 12) + 12 * afternoon, hour)
    with np.errstate(invalid="ignore"):
        good = (minute < 60) & (second < 61)
    return np.where(good, hour * 3600 + minute * 60 + second + fraction, np.nan)


def _placed(naive: Seconds, behind: pl.Series, zone: str) -> Seconds:
    """Naive seconds in the zone written behind each time, or in the zone of the table."""
    if behind.null_count() == len(behind):
        return local_to_utc(naive, zone)
    minutes = {text: offset_min(text) for text in behind.drop_nulls().unique().to_list()}
    known = {text: m for text, m in minutes.items() if m is not None}
    offsets = behind.replace_strict(known, default=None, return_dtype=pl.Float64)
    shift = offsets.fill_null(np.nan).to_numpy() * 60.0
    unnamed = behind.is_null().to_numpy()
    out = np.where(np.isnan(shift), np.nan, naive - shift)
    return np.where(unnamed, local_to_utc(naive, zone), out)


def _clock(text: pl.Series, unwrap: bool) -> Seconds:
    """Seconds of h:mm:ss; a time of day goes on over midnight where it jumps back."""
    seconds = _of_day(_fields(_tidied(text), CLOCK_ONLY)[:5])
    if not unwrap:
        return seconds
    steps = np.diff(seconds, prepend=seconds[:1])
    with np.errstate(invalid="ignore"):
        if np.nansum(np.sign(steps)) < 0:  # the newest row first
            return _over_midnight(seconds[::-1])[::-1]
    return _over_midnight(seconds)


def _over_midnight(seconds: Seconds) -> Seconds:
    with np.errstate(invalid="ignore"):
        back = np.diff(seconds, prepend=seconds[:1]) < -0.5 * DAY_S
    return seconds + DAY_S * np.cumsum(back)
