"""The proof of a cold cutoff: from temperature and current over time, where the charge stopped,
where it went on, and what that proves.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nipper.core.errors import RangeError
from nipper.core.logs.model import Log
from nipper.core.setup import TemperatureLimit

Floats = NDArray[np.floating]

FLOOR_C = 0.0  # nothing charges below freezing
TOLERANCE_C = 1.5  # a sensor's whole degree and its lag in a bath: common practice
GRACE_S = 120.0  # how long a cutoff may take to act once the sensor is below it: common practice
MOST_LINES = 2000


@dataclass(frozen=True, slots=True)
class Proof:
    """What the readings show.

    ``verdict``: proven, not_proven, not_cold_enough, nothing. Temperatures in degC, NaN where not
    seen.
    """

    verdict: str
    stop_c: float
    resume_c: float
    coldest_c: float
    delay_s: float
    sentence: str

    @property
    def note(self) -> str:
        """A line for the bench's time line."""
        if self.verdict != "proven":
            return self.sentence
        resumes = f", resumes at {self.resume_c:g} °C" if np.isfinite(self.resume_c) else ""
        return f"cold cutoff proven: stops at {self.stop_c:g} °C{resumes}".replace("-", "−")


def prove(
    time_s: Floats,
    temp_c: Floats,
    current_a: Floats,
    limit: TemperatureLimit | None,
    idle_a: float = 0.3,
) -> Proof:
    """Judge a test of the cold cutoff.

    Parameters
    ----------
    time_s, temp_c, current_a : float64[n] each, of the sensor in the bath and the charge current
    limit : as set; None when the pack has no cutoff of its own
    idle_a : at and below this nothing is charged
    """
    good = np.isfinite(temp_c) & np.isfinite(current_a)
    t, c, charging = time_s[good], temp_c[good], current_a[good] > idle_a
    nan = float("nan")
    if t.size < 3 or not charging.any():
        return Proof(
            "nothing",
            nan,
            nan,
            nan,
            nan,
            "No charge current is in these readings: test while charging.",
        )
    coldest = float(c.min())
    stops = np.flatnonzero(charging[:-1] & ~charging[1:]) + 1
    stops = (
        stops[[bool(c[s] <= c[charging].mean()) for s in stops]] if stops.size else stops
    )  # a stop by warmth is a cloud's, not the cold's
    if not stops.size:
        return _never_stopped(t, c, charging, coldest, limit)
    stop = int(stops[0])
    stop_c = float(c[stop])
    resumes = np.flatnonzero(~charging[stop:-1] & charging[stop + 1 :]) + stop + 1
    resume_c = float(c[resumes[0]]) if resumes.size else nan
    below = np.flatnonzero(c[: stop + 1] <= (limit.trip_c if limit else FLOOR_C))
    delay = float(t[stop] - t[below[0]]) if below.size else 0.0
    if stop_c < FLOOR_C - 0.5:
        text = (
            f"Charging stopped only at {stop_c:g} °C, below freezing: not proven. Raise the "
            "cutoff and test again."
        )
        return Proof("not_proven", stop_c, resume_c, coldest, delay, text)
    if limit is not None and abs(stop_c - limit.trip_c) > TOLERANCE_C + 1.0:
        text = (
            f"Charging stopped at {stop_c:g} °C, but the cutoff is set to {limit.trip_c:g} "
            "°C: something else stopped it, or the sensor is another."
        )
        return Proof("not_proven", stop_c, resume_c, coldest, delay, text)
    seen = np.isfinite(resume_c)
    gap = (
        f" and went on at {resume_c:g} °C, {resume_c - stop_c:g} K of hysteresis"
        if seen
        else "; let it warm up to see where it goes on"
    )
    return Proof(
        "proven",
        stop_c,
        resume_c,
        coldest,
        delay,
        f"Proven: charging stopped at {stop_c:g} °C{gap}.",
    )


def _never_stopped(
    t: Floats,
    c: Floats,
    charging: NDArray[np.bool_],
    coldest: float,
    limit: TemperatureLimit | None,
) -> Proof:
    nan = float("nan")
    trip = limit.trip_c if limit else FLOOR_C
    if coldest > trip - 0.5:
        text = (
            f"The bath was not cold enough: the sensor came to {coldest:g} °C, the cutoff is "
            f"at {trip:g} °C. This proves nothing, for or against."
        )
        return Proof("not_cold_enough", nan, nan, coldest, nan, text)
    under = (c < trip - 0.5) & charging
    lasted = float(np.sum(np.diff(t)[under[:-1] & under[1:]]))
    if lasted < GRACE_S:
        text = (
            f"The sensor was below {trip:g} °C for {lasted:.0f} s only: hold it there for "
            "some minutes."
        )
        return Proof("not_cold_enough", nan, nan, coldest, lasted, text)
    text = (
        f"Charging went on at {coldest:g} °C, {lasted / 60.0:.0f} min below the cutoff of "
        f"{trip:g} °C: it does not act. Do not charge in the cold until it does."
    )
    return Proof("not_proven", nan, nan, coldest, lasted, text.replace(" -", " −"))


def parse_readings(text: str) -> tuple[Floats, Floats, Floats]:
    """Typed readings, a line each: minutes, °C, A (any of space, semicolon, tab or comma between;
    decimal points).

    Raises
    ------
    RangeError
        Names the line and what was expected.
    """
    rows: list[tuple[float, float, float]] = []
    for number, line in enumerate(text.splitlines()[:MOST_LINES], 1):
        parts = (
            line.replace(";", " ")
            .replace("\t", " ")
            .replace(", ", " ")
            .replace(",", " ")
            .replace("−", "-")
            .split()
        )
        if not parts:
            continue
        try:
            minutes, degrees, amps = (float(p) for p in parts)
        except ValueError:
            raise RangeError(
                f"line {number}: expected minutes, °C and A, such as 3 4.0 20; found "
                f"{line.strip()!r}"
            ) from None
        rows.append((60.0 * minutes, degrees, amps))
    if len(rows) < 3:
        raise RangeError("expected at least three lines of minutes, °C and A")
    out: Floats = np.array(sorted(rows))
    return out[:, 0], out[:, 1], out[:, 2]


def from_log(
    log: Log, limit: TemperatureLimit | None, idle_a: float = 0.3
) -> tuple[float, Proof] | None:
    """The newest stretch of a log in which a sensor went to the cutoff (or to freezing) within an
    hour while there was charge current: when, and its proof.
    """
    if not log.temp_c.shape[1]:
        return None
    trip = limit.trip_c if limit else FLOOR_C
    coldest = np.nanmin(np.where(np.isfinite(log.temp_c), log.temp_c, np.inf), axis=1).astype(float)
    cold = np.flatnonzero(coldest <= trip + TOLERANCE_C)
    for row in cold[::-1]:
        window = (log.time_s >= log.time_s[row] - 3600.0) & (log.time_s <= log.time_s[row] + 3600.0)
        if (log.current_a[window] > idle_a).any():
            found = prove(
                log.time_s[window],
                coldest[window],
                log.current_a[window].astype(float),
                limit,
                idle_a,
            )
            if found.verdict in ("proven", "not_proven"):
                return float(log.time_s[row]), found
            return None
    return None
