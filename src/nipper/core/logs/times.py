"""Clocks of strangers' tables: ISO with and without offset, Unix seconds or milliseconds, day-first
and month-first dates.
"""

import re
from collections.abc import Sequence
from typing import Literal

import polars as pl

TimeForm = Literal["plain", "iso", "unix_s", "unix_ms", "excel", "dmy", "mdy", "ymd"]

TIME_FORMS: dict[TimeForm, str] = {
    "plain": "ISO 8601 with offset, or Unix seconds",
    "iso": "2026-03-01 09:10:00",
    "unix_s": "Unix seconds",
    "unix_ms": "Unix milliseconds",
    "excel": "spreadsheet day number",
    "dmy": "day first: 31.03.2026 09:10",
    "mdy": "month first: 03/31/2026 09:10",
    "ymd": "year first: 2026/03/31 09:10",
}

ISO = re.compile(r"\d{4}-\d\d-\d\d([T ]\d\d:\d\d(:\d\d([.,]\d+)?)?\s*(Z|[+-]\d\d:?\d\d)?)?$")
SLASHED = re.compile(r"(\d{1,4})[./-](\d{1,2})[./-](\d{1,4})[ T,]+\d{1,2}:\d\d")
NUMBER = re.compile(r"\d+([.,]\d+)?$")
SECONDS_2000, SECONDS_2100 = 946684800, 4102444800
DAYS_2000, DAYS_2100 = 36526, 73050  # spreadsheet day numbers


def guess_time_form(texts: Sequence[str | None]) -> TimeForm | None:
    """The form of a column of times from its first rows, or None when it holds no times."""
    texts = [text.strip() for text in texts if text and text.strip()]
    if not texts:
        return None
    if all(ISO.match(text) for text in texts):
        return "iso" if any(":" in text for text in texts) else None
    if all(NUMBER.match(text) for text in texts):
        return _numeric_form([float(text.replace(",", ".")) for text in texts])
    parts = [SLASHED.match(text) for text in texts]
    if not all(parts):
        return None
    triples = [(int(p[1]), int(p[2]), int(p[3])) for p in parts if p]
    if all(a > 31 for a, _, _ in triples):
        return "ymd"
    if any(a > 12 for a, _, _ in triples):
        return "dmy"
    if any(b > 12 for _, b, _ in triples):
        return "mdy"
    return (
        "mdy" if "/" in texts[0] else "dmy"
    )  # cannot be told from these rows; dots are day-first nearly everywhere


def _numeric_form(values: list[float]) -> TimeForm | None:
    low, high = min(values), max(values)
    if low >= SECONDS_2000 * 1000 and high <= SECONDS_2100 * 1000:
        return "unix_ms"
    if low >= SECONDS_2000 and high <= SECONDS_2100:
        return "unix_s"
    if low >= DAYS_2000 and high <= DAYS_2100 and any(v % 1 for v in values):
        return "excel"
    return None


def to_unix_s(text: pl.Expr, form: TimeForm, zone: str) -> pl.Expr:
    """Unix seconds (Float64) of a text column in that form; null where a text is none.

    ``zone`` serves times without an offset.
    """
    number = text.str.replace(",", ".", literal=True).cast(pl.Float64, strict=False)
    if form == "unix_s":
        return number
    if form == "unix_ms":
        return number / 1000.0
    if form == "excel":
        naive = pl.from_epoch(((number - 25569.0) * 86400e6).round().cast(pl.Int64), "us")
        return _seconds(naive.dt.replace_time_zone(zone, ambiguous="earliest", non_existent="null"))
    if form in ("plain", "iso"):
        dated = _iso(text, zone)
        return pl.coalesce(number, dated) if form == "plain" else dated
    return _local(text, form, zone)


def _iso(text: pl.Expr, zone: str) -> pl.Expr:
    clean = (
        text.str.strip_chars()
        .str.replace(r"^(\d{4}-\d\d-\d\d) ", "${1}T")
        .str.replace(",", ".", literal=True)
        .str.replace(r"Z$", "+00:00")
    )
    clean = clean.str.replace(r"\s*([+-]\d\d):?(\d\d)$", "${1}:${2}").str.replace(
        r"T(\d\d:\d\d)([+-]|$)", "T${1}:00${2}"
    )
    aware = clean.str.to_datetime("%Y-%m-%dT%H:%M:%S%.f%:z", time_unit="us", strict=False)
    naive = clean.str.to_datetime("%Y-%m-%dT%H:%M:%S%.f", time_unit="us", strict=False)
    return pl.coalesce(
        _seconds(aware),
        _seconds(naive.dt.replace_time_zone(zone, ambiguous="earliest", non_existent="null")),
    )


def _local(text: pl.Expr, form: TimeForm, zone: str) -> pl.Expr:
    clean = text.str.strip_chars().str.replace_all(r"[./-]", "-").str.replace(r"[ T,]+", "T")
    clean = clean.str.replace(r"T(\d{1,2}:\d\d)$", "T${1}:00").str.replace(
        r"T(\d{1,2}:\d\d:\d\d)-", "T${1}."
    )
    order = {"dmy": "%d-%m-%Y", "mdy": "%m-%d-%Y", "ymd": "%Y-%m-%d"}[form]
    naive = clean.str.to_datetime(f"{order}T%H:%M:%S%.f", time_unit="us", strict=False)
    return _seconds(naive.dt.replace_time_zone(zone, ambiguous="earliest", non_existent="null"))


def _seconds(moment: pl.Expr) -> pl.Expr:
    return moment.dt.epoch("us").cast(pl.Float64) / 1e6
