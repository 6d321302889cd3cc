"""Which forms a column of times may have, and what those that count are counted in and since."""

from typing import Literal, NamedTuple, get_args

import numpy as np
from numpy.typing import NDArray

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
SECONDS_2000, SECONDS_2060, SECONDS_2100 = 946684800, 2840140800, 4102444800
