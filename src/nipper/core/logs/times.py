"""Clocks of strangers' tables: which form a column of times has, and its moments in Unix seconds.

ISO with and without offset; day, month or year first with two- or four-digit years; names
of months; a 12-hour clock; zones behind the time; Unix s/ms/µs; day numbers and ticks of other
epochs; time since the start; and a time of day without a date.
"""

import re
from collections.abc import Sequence
from functools import lru_cache
from itertools import pairwise
from typing import Literal, NamedTuple, get_args
from zoneinfo import ZoneInfo

import numpy as np
import polars as pl
from numpy.typing import NDArray

from nipper.core.logs.words import MONTHS, plain

TimeForm = Literal[
    "plain", "iso", "unix_s", "unix_ms", "unix_us", "unix_ns", "s_1904", "s_1900", "ticks",
    "ticks_1601", "excel", "days_0", "julian", "mjd", "dmy", "mdy", "ymd", "elapsed_s",
    "elapsed_ms", "elapsed_us", "elapsed_min", "elapsed_h", "elapsed_d", "elapsed_clock",
    "clock", "yearless",
]  # fmt: skip
Order = Literal["dmy", "mdy", "ymd"]
FORMS: tuple[TimeForm, ...] = get_args(TimeForm)
Seconds = NDArray[np.float64]

TIME_FORMS: dict[TimeForm, str] = {
    "plain": "ISO 8601 with offset, or Unix seconds",
    "iso": "2026-03-01 09:10:00",
    "unix_s": "Unix seconds",
    "unix_ms": "Unix milliseconds",
    "unix_us": "Unix microseconds",
    "unix_ns": "Unix nanoseconds",
    "s_1904": "seconds since 1904",
    "s_1900": "seconds since 1900",
    "ticks": "tenths of a microsecond since the year 1",
    "ticks_1601": "tenths of a microsecond since 1601",
    "excel": "spreadsheet day number",
    "days_0": "days since the year 0",
    "julian": "Julian day number",
    "mjd": "modified Julian day number",
    "dmy": "day first: 31.03.2026 09:10",
    "mdy": "month first: 03/31/2026 09:10",
    "ymd": "year first: 2026/03/31 09:10",
    "elapsed_s": "seconds since the start",
    "elapsed_ms": "milliseconds since the start",
    "elapsed_us": "microseconds since the start",
    "elapsed_min": "minutes since the start",
    "elapsed_h": "hours since the start",
    "elapsed_d": "days since the start",
    "elapsed_clock": "h:mm:ss since the start",
    "clock": "time of day without a date",
    "yearless": "day and month without a year",
}
WORDS: dict[TimeForm, str] = {"dmy": "day first", "mdy": "month first", "ymd": "year first"}
DATELESS = frozenset(f for f in FORMS if f.startswith("elapsed")) | {"clock", "yearless"}
UNIX = frozenset({"unix_s", "unix_ms", "unix_us", "unix_ns"})
ABSOLUTE = UNIX | {"s_1904", "s_1900", "ticks_1601", "julian", "mjd", "plain"}
DAY_S = 86400.0
ELAPSED_S: dict[TimeForm, float] = {
    "elapsed_s": 1.0, "elapsed_ms": 1e-3, "elapsed_us": 1e-6, "elapsed_min": 60.0,
    "elapsed_h": 3600.0, "elapsed_d": DAY_S,
}  # fmt: skip
NO_YEAR = 1972  # a leap year, before any such battery
WRAPS = 2.0**32  # a count of 32 bits begins anew: of milliseconds after 49.7 days
FAR_APART_S = 5 * DAY_S  # so far apart no program writes its rows: the count is of smaller units


class Count(NamedTuple):
    """What a number counts, s, and since when, Unix seconds."""

    unit_s: float
    zero_s: float = 0.0


COUNTS: dict[TimeForm, Count] = {
    "unix_s": Count(1.0), "unix_ms": Count(1e-3), "unix_us": Count(1e-6), "unix_ns": Count(1e-9),
    "s_1904": Count(1.0, -24107 * DAY_S), "s_1900": Count(1.0, -25567 * DAY_S),
    "ticks": Count(1e-7, -719162 * DAY_S), "ticks_1601": Count(1e-7, -134774 * DAY_S),
    "excel": Count(DAY_S, -25569 * DAY_S), "days_0": Count(DAY_S, -719529 * DAY_S),
    "julian": Count(DAY_S, -2440587.5 * DAY_S), "mjd": Count(DAY_S, -40587 * DAY_S),
}  # fmt: skip

ISO = re.compile(r"\d{4}-\d\d-\d\d([T ]\d\d:\d\d(:\d\d([.,]\d+)?)?\s*(Z|[+-]\d\d:?\d\d)?)?$")
OFFSET = re.compile(r"(Z|[+-]\d\d:?\d\d)$")
NUMBER = re.compile(r"\d+([.,]\d+)?$")
CLOCK_RE = r"(\d{1,5})[:h](\d{2})(?:[:m](\d{2})s?(?:[.,:](\d{1,9}))?)?\s*([ap]\.?\s?m\.?)?"
BEHIND = (
    r"\s*(z|utc|gmt|[a-z]{2,5}|(?:utc|gmt)?\s?[+-]\d{1,2}(?::?\d{2})?)?\s*(?:\([^)]*\)|utc|gmt)?"
)
DATE_RE = r"^(\d{1,4})[-/. ]+(\d{1,2})[-/. ,]+(\d{1,4})"
DATED = rf"{DATE_RE}(?:[t,_ \-]|\s*um\s|\s*at\s)+{CLOCK_RE}{BEHIND}$"
YEARLESS = rf"^(\d{{1,2}})[ \-.]+(\d{{2}})[ ,]+{CLOCK_RE}$"  # day and month as tidy leaves them
COMPACT = r"^(\d{4})(\d{2})(\d{2})[t _-]?(\d{2}):?(\d{2}):?(\d{2})?()()" + BEHIND + "$"
CLOCK_ONLY = rf"^{CLOCK_RE}{BEHIND}$"
POINTED = r"([01]?\d|2[0-3])\.[0-5]\d\.[0-5]\d"
CLOCK_FIRST = (
    r"^(\d{1,2}:\d{2}(?::\d{2}(?:[.,]\d{1,9})?)?)[ ,]+(\d{1,4}[-/. ]\d{1,2}[-/. ]\d{1,4})$"
)
DATE_ONLY = re.compile(r"(\d{1,4})[-/. ]+(\d{1,2})[-/. ,]+(\d{1,4})\.?$")
DOTTED_CLOCK = re.compile(r"(?i)(?<=\d)([ t,]|-(?=\d\d\.\d\d\.\d\d$))(\d{1,2})\.(\d{2})\.(\d{2})$")
YEAR_LAST = re.compile(  # as clocks of operating systems print it
    r"^([a-z]{3,}) +(\d{1,2}) +(\d{1,2}:\d\d:\d\d) +([a-z]{2,5} +)?(\d{4})$"
)
DAYS = re.compile(r"^(\d{1,4}) ?d(?:ays?)?,? *(\d{1,2})(?=:\d\d)")
BEHIND_WORD = re.compile(r" *(uhr|klo|h)$")
ZONE_BEHIND = re.compile(r"(?<=\d)\[[A-Za-z_/+\-0-9]+\]$")  # after an offset that says as much
YEAR_COLON = re.compile(r"(\d{4}):(?=\d\d:\d\d)")
SPACES = str.maketrans("\u00a0\u2009\u202f", "   ", "\u200b\u200e\u200f")
OF = re.compile(r"(?<=[\d.a-z]) (?:de|di|of|del) (?=[\da-z])")  # 3 de março de 2026
# what stands behind years, months, days, hours and minutes in Chinese, Japanese and Korean
SIGNS = (
    (r"[年月년월] *", "-"),
    (r"[日일号] *", " "),
    (r"[时時시点點分분] *", ":"),
    (r"[秒초]", ""),
)
CLOCK_MARKS = re.compile(r":\d\d|\d{8}|\d{5}[.,]\d|\d\.\d\d\.\d|\d[h时時시点點] ?\d")
FEW = 12  # texts that rule a column out
SECONDS_2000, SECONDS_2060, SECONDS_2100 = 946684800, 2840140800, 4102444800
# offsets of the abbreviations that mean one thing, minutes; from memory
ZONES = {
    "z": 0, "utc": 0, "gmt": 0, "wet": 0, "west": 60, "cet": 60, "mez": 60, "cest": 120,
    "mesz": 120, "eet": 120, "eest": 180, "est": -300, "edt": -240, "pst": -480, "pdt": -420,
    "mst": -420, "mdt": -360, "cdt": -300, "akst": -540, "hst": -600, "aest": 600, "aedt": 660,
    "nzst": 720, "nzdt": 780,
}  # fmt: skip
# of the zones where the month is written first, those with most people; from memory
MONTH_FIRST = frozenset({
    "America/New_York", "America/Chicago", "America/Denver", "America/Los_Angeles",
    "America/Phoenix", "America/Detroit", "America/Boise", "America/Anchorage",
    "America/Juneau", "America/Puerto_Rico", "Pacific/Honolulu", "Pacific/Guam", "Asia/Manila",
})  # fmt: skip


def guess_time_form(texts: Sequence[str | None]) -> TimeForm | None:
    """The likeliest form of a column of times from its rows, or None when it holds no times."""
    forms = possible_forms(texts)
    return forms[0] if forms else None


def possible_forms(texts: Sequence[str | None]) -> list[TimeForm]:
    """The forms all of these texts have, the likelier first; empty when they are no times."""
    if not _promising(texts):
        return []
    clean = [tidy(text) for text in texts if text and text.strip()]
    clean = [text for text in clean if text not in ("nan", "null", "none", "-")]
    if not clean:
        return []
    raw = [text.strip() for text in texts if text and text.strip()]
    if all(ISO.match(text) for text in raw):
        return ["iso"] if any(":" in text for text in raw) else []
    if all(re.match(COMPACT, t) and "2000" <= t[:4] < "2100" for t in clean):
        return ["ymd"]
    if all(NUMBER.match(text) for text in clean):
        form = _numeric_form([float(text.replace(",", ".")) for text in clean])
        return [form] if form else []
    if _word_month(raw) and all(re.match(YEARLESS, text) for text in clean):
        return ["yearless"]
    parts = [re.match(DATED, text) for text in clean]
    if sum(map(bool, parts)) < 0.9 * len(clean):
        return []
    triples = [(p[1], p[2], p[3]) for p in parts if p]
    marked = ["/" in text for text in clean]
    forms: list[TimeForm] = [o for o in ("dmy", "mdy", "ymd") if _fits(triples, o)]
    pointed = all(re.match(r"\d+\.\d+\.", text) for text in clean)
    if "dmy" in forms and (pointed or _word_month(raw)):  # nobody writes the month first so
        forms.remove("mdy") if "mdy" in forms else None
    if any(p and p[8] for p in parts) or (any(marked) and not _word_month(raw)):
        forms.sort(key="mdy dmy ymd".index)
    return forms


def _promising(texts: Sequence[str | None]) -> bool:
    """Whether a few of the texts can be times at all: most columns are ruled out by them."""
    few = [t.strip() for t in texts[:200] if t and t.strip()][:FEW]
    if not few:
        return any(texts)
    good = [t for t in few if len(t) < 60 and CLOCK_MARKS.search(t)]
    return len(good) >= 0.5 * len(few)


def _word_month(texts: Sequence[str]) -> bool:
    return any(re.search(r"[A-Za-z]{3,}", re.sub(r"(?i)[ap]\.?m\.?", "", text)) for text in texts)


def _fits(triples: Sequence[tuple[str, str, str]], order: Order) -> bool:
    """Whether days, months and years lie in their ranges in nearly all of them."""
    good = 0
    for triple in triples:
        day, month, year = (triple[order.index(letter)] for letter in "dmy")
        years = 2000 <= int(year) < 2100 if len(year) == 4 else 12 <= int(year) <= 60
        years = years and len(year) in (2, 4)
        good += years and 1 <= int(month) <= 12 and 1 <= int(day) <= 31
    return good >= 0.98 * len(triples)


def dates_only(texts: Sequence[str | None]) -> list[Order]:
    """The orders in which all of these texts are dates without a time of day."""
    if len(texts) > FEW and not dates_only(texts[:FEW]):
        return []
    clean = [tidy(text) for text in texts if text and text.strip()]
    if clean and all(re.fullmatch(r"20\d\d(0\d|1[0-2])([0-2]\d|3[01])", text) for text in clean):
        return ["ymd"]
    parts = [DATE_ONLY.match(text) for text in clean]
    if not parts or not all(parts):
        return []
    triples = [(p[1], p[2], p[3]) for p in parts if p]
    orders: list[Order] = [o for o in ("dmy", "mdy", "ymd") if _fits(triples, o)]
    return orders


def clocks_only(texts: Sequence[str | None]) -> bool:
    """Whether all of these texts are times of day, or hours and minutes since a start."""
    if len(texts) > FEW and texts[0] and not clocks_only(texts[:FEW]):
        return False
    clean = [tidy(text) for text in texts if text and text.strip()]
    if clean and all(re.fullmatch(POINTED, text) for text in clean):
        return not dates_only(clean)  # 06.00.00 is no day of any month
    return bool(clean) and all(re.match(CLOCK_ONLY, text) for text in clean)


@lru_cache(8192)  # a sample's texts are asked for each of the forms
def tidy(text: str) -> str:
    """One text of a time as the patterns expect it: names of months as numbers, no weekday."""
    clean = ZONE_BEHIND.sub("", text.strip(" \t'"))
    if not clean.isascii():
        for signs, mark in SIGNS:
            clean = re.sub(signs, mark, clean)
        clean = clean.rstrip(":")
    clean = BEHIND_WORD.sub("", plain_time(clean))
    clean = YEAR_COLON.sub(r"\1 ", OF.sub(" ", clean))
    days = DAYS.match(clean)
    if days:
        return f"{24 * int(days[1]) + int(days[2])}{clean[days.end() :]}"
    clean = re.sub(r"^[a-z]{2,}\.?,?\s+(?=\d|[a-z]{3})", _weekday, clean)
    clean = DOTTED_CLOCK.sub(r"\1\2:\3:\4", clean)
    clean = re.sub(CLOCK_FIRST, r"\2 \1", clean)
    clean = YEAR_LAST.sub(r"\2 \1 \5 \3 \4", clean).rstrip()
    month = re.search(r"[a-z]{3,}", clean)
    if month and month[0] in MONTHS:
        before, behind = clean[: month.start()], clean[month.end() :].removeprefix(".")
        before += "-" * before[-1:].isdigit()  # 03MAR2026
        clean = f"{before}{MONTHS[month[0]]:02d}{'-' * behind[:1].isdigit()}{behind}"
        if month.start() == 0:  # month, day, year
            return re.sub(r"^(\d+)[ .-]+(\d+)(?:st|nd|rd|th)?", r"\2-\1", clean)
    return re.sub(r"^(\d+)(?:st|nd|rd|th|er)\b", r"\1", clean)


def plain_time(text: str) -> str:
    """Lower case and without accents, marks kept."""
    if text.isascii():
        return text.lower()
    return "".join(plain(c) if c.isalpha() else c for c in text).lower().translate(SPACES)


def _weekday(match: re.Match[str]) -> str:
    word = re.sub(r"\W", "", match[0])
    return match[0] if word in MONTHS or word in ZONES else ""


def _numeric_form(values: list[float]) -> TimeForm | None:
    low, high = min(values), max(values)
    steps = sorted(abs(b - a) for a, b in pairwise(values))
    usual = steps[len(steps) // 2] if steps else 0.0
    for form, (unit_s, zero_s) in COUNTS.items():
        inside = low * unit_s + zero_s >= SECONDS_2000 and high * unit_s + zero_s <= SECONDS_2060
        counts = any(v % 1 for v in values) if unit_s == DAY_S else usual * unit_s < FAR_APART_S
        if inside and counts:
            return form
    return None


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
    out = _epoch(aware)
    left = np.isnan(out)
    if left.any():
        naive = clean.str.to_datetime("%Y-%m-%dT%H:%M:%S%.f", time_unit="us", strict=False)
        out = np.where(left, local_to_utc(_epoch(naive), zone), out)
    if numbers and np.isnan(out).any():
        out = np.where(np.isnan(out), _floats(text.str.strip_chars()), out)
    return out


def _epoch(moments: pl.Series) -> Seconds:
    whole = moments.dt.epoch("us").cast(pl.Float64) / 1e6
    return whole.fill_null(np.nan).to_numpy()


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
    minutes = {text: _offset_min(text) for text in behind.drop_nulls().unique().to_list()}
    known = {text: m for text, m in minutes.items() if m is not None}
    offsets = behind.replace_strict(known, default=None, return_dtype=pl.Float64)
    shift = offsets.fill_null(np.nan).to_numpy() * 60.0
    unnamed = behind.is_null().to_numpy()
    out = np.where(np.isnan(shift), np.nan, naive - shift)
    return np.where(unnamed, local_to_utc(naive, zone), out)


def _offset_min(text: str) -> float | None:
    if text in ZONES:
        return ZONES[text]
    match = re.fullmatch(r"(?:utc|gmt)?\s?([+-])(\d{1,2}):?(\d{2})?", text)
    if not match:
        return None
    minutes = int(match[2]) * 60 + int(match[3] or 0)
    return -minutes if match[1] == "-" else minutes


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


def local_to_utc(naive: Seconds, zone: str) -> Seconds:
    """Local wall-clock seconds in Unix seconds.

    Of the hour that comes twice in autumn the second is meant once the clock has stepped back in
    it; an hour that does not exist in spring is read as if the clock had not been put forward.
    """
    if zone == "UTC":
        return naive
    valid = np.isfinite(naive)
    micros = pl.Series(np.where(valid, naive * 1e6, 0.0).round().astype(np.int64))
    local = micros.cast(pl.Datetime("us"))
    first, second = (
        _epoch(local.dt.replace_time_zone(zone, ambiguous=which, non_existent="null"))
        for which in ("earliest", "latest")
    )
    missing = np.isnan(first) & valid
    if missing.any():
        later = _epoch(
            (micros + 3_600_000_000)
            .cast(pl.Datetime("us"))
            .dt.replace_time_zone(zone, ambiguous="earliest", non_existent="null")
        )
        first = np.where(missing, later - 3600.0, first)
        second = np.where(missing, first, second)
    twice = first != second
    if twice.any():
        first = np.where(twice & _stepped_back(naive, twice), second, first)
    return np.where(valid, first, np.nan)


def _stepped_back(naive: Seconds, twice: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Where, in the run of ambiguous times a row is in, the clock has been put back already.

    Works for tables with the newest row first as well.
    """
    steps = np.diff(naive, prepend=naive[:1])
    rising = np.nansum(np.sign(steps)) >= 0
    jump = steps < -600 if rising else steps > 600
    run = np.cumsum(np.diff(twice.astype(int), prepend=0) == 1)
    inside = twice & np.roll(twice, 1)
    jumps = np.cumsum(jump & inside)
    out = np.zeros(naive.size, bool)
    for number in np.unique(run[twice]):
        rows = np.flatnonzero(twice & (run == number))
        passed = jumps[rows] > jumps[rows[0]]
        if passed.any():
            out[rows] = passed if rising else ~passed
    return out


def usual_order(zone: str) -> TimeForm | None:
    """How dates with slashes are written where a zone is kept; None for one of no place."""
    if zone in MONTH_FIRST or zone.startswith(("US/", "America/Indiana", "America/Kentucky")):
        return "mdy"
    return "dmy" if "/" in zone and not zone.startswith("Etc/") else None


def zone_in(text: str) -> str | None:
    """A time zone named in a heading or a remark: an IANA name, UTC, or a fixed offset."""
    for word in re.findall(r"[A-Z][A-Za-z_]+/[A-Z][A-Za-z_]+", text):
        try:
            ZoneInfo(word)
        except (KeyError, ValueError, OSError):
            continue
        return word
    match = re.search(r"(?i)\b(?:utc|gmt)\s*([+-])\s*(\d{1,2})(?::?00)?\b", text)
    if match:  # the zones of that family are named by the opposite sign
        sign = "-" if match[1] == "+" else "+"
        return f"Etc/GMT{sign}{int(match[2])}" if int(match[2]) else "UTC"
    if re.search(r"(?i)\b(utc|gmt|zulu)\b", text):
        return "UTC"
    if re.search(r"\b(CET|CEST|MEZ|MESZ)\b", text):
        return "CET"
    return None
