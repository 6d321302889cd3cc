"""Zones of clocks: by their names and offsets, and wall-clock times in them."""

import re
from zoneinfo import ZoneInfo

import numpy as np
import polars as pl
from numpy.typing import NDArray

from nipper.core.logs.timeforms import Seconds, TimeForm

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


def offset_min(text: str) -> float | None:
    """Minutes ahead of UTC, of an abbreviation or an offset; None of what is neither."""
    if text in ZONES:
        return ZONES[text]
    match = re.fullmatch(r"(?:utc|gmt)?\s?([+-])(\d{1,2}):?(\d{2})?", text)
    if not match:
        return None
    minutes = int(match[2]) * 60 + int(match[3] or 0)
    return -minutes if match[1] == "-" else minutes


def epoch(moments: pl.Series) -> Seconds:
    """Unix seconds of moments; NaN where there is none."""
    whole = moments.dt.epoch("us").cast(pl.Float64) / 1e6
    return whole.fill_null(np.nan).to_numpy()


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
        epoch(local.dt.replace_time_zone(zone, ambiguous=which, non_existent="null"))
        for which in ("earliest", "latest")
    )
    missing = np.isnan(first) & valid
    if missing.any():
        later = epoch(
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
