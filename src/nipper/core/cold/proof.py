"""The proof of a cold cutoff: from temperature and current over time, where the charge stopped,
where it went on, and what that proves.
"""

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from nipper.core.errors import RangeError
from nipper.core.logs.model import Log
from nipper.core.setup import TemperatureLimit

Floats = NDArray[np.floating]

FLOOR_C = 0.0  # nothing charges below freezing
TOLERANCE_C = 2.5  # a sensor's whole degree, and its lag in a bath: common practice
GRACE_S = 120.0  # how long a cutoff may take to act on a slow bath: common practice
# a sensor plunged far below the cutoff stops the charge within this: common practice
PROMPT_S = 30.0
NARROW_K = 3.0  # readings no farther apart tell by themselves where the charge stopped
MOST_LINES = 2000


@dataclass(frozen=True, slots=True)
class Proof:
    """What the readings show.

    ``verdict``: proven, once (it fits, and is to be repeated), not_proven, not_cold_enough,
    nothing. The charge stopped between ``charging_c``, the last reading with current, and
    ``stop_c``, the first without; NaN where not seen, in degC. ``trip_c`` is the cutoff that was
    set, None where it was not known.
    """

    verdict: str
    sentence: str
    charging_c: float = math.nan
    stop_c: float = math.nan
    resume_c: float = math.nan
    coldest_c: float = math.nan
    delay_s: float = math.nan
    trip_c: float | None = None


@dataclass(frozen=True, slots=True)
class _Stop:
    """A stop between two readings."""

    row: int  # the first without current
    charging_c: float
    idle_c: float
    delay_s: float  # at most this long after the sensor was below the cutoff


def prove(
    time_s: Floats,
    temp_c: Floats,
    current_a: Floats,
    limit: TemperatureLimit | None,
    idle_a: float = 0.3,
) -> Proof:
    """Judge a test of the cold cutoff: a bath that cools slowly, or a sensor plunged into the cold.

    A stop lies somewhere between the last reading with current and the first without. It fits the
    cutoff where that interval holds it, or the current went within seconds of the sensor being
    below. Where the interval is wide, chance (a cloud, a full pack) is ruled out by a second stop.

    Parameters
    ----------
    time_s, temp_c, current_a : float64[n] each, of the sensor in the bath and the charge current
    limit : as set; None when the cutoff is not known, which is then looked for
    idle_a : at and below this nothing is charged
    """
    good = np.isfinite(temp_c) & np.isfinite(current_a)
    t, c, charging = time_s[good], temp_c[good], current_a[good] > idle_a
    if t.size < 3 or not charging.any():
        return Proof("nothing", "No charge current is in these readings: test while charging.")
    coldest = float(c.min())
    trip_c = limit.trip_c if limit else None
    floor_c = FLOOR_C - 0.5
    if trip_c is not None:  # a stop elsewhere in the readings does not mend this
        floor_c = max(floor_c, trip_c - TOLERANCE_C)
    below_s = _longest_s(t, charging & (c < floor_c))
    if below_s > GRACE_S:
        text = f"Charging went on at {float(c[charging].min()):g} °C for {below_s:.0f} s: not "
        text += "proven. Do not charge in the cold until the cutoff acts."
        return Proof("not_proven", _minus(text), coldest_c=coldest, trip_c=trip_c)
    stops = _stops(t, c, charging, trip_c)
    if not stops:
        return _never_stopped(t, c, charging, coldest, trip_c)
    fitting = [stop for stop in stops if _fits(stop, trip_c)]
    if not fitting:
        return _elsewhere(stops[0], coldest, trip_c)
    return _proven(t, c, charging, fitting, coldest, trip_c)


def _stops(t: Floats, c: Floats, charging: NDArray[np.bool_], trip_c: float | None) -> list[_Stop]:
    """Stops while the sensor cooled, or stood at its coldest; others are a cloud's.

    A current that flutters in one and the same cold is one stop: a second one needs warmth between.
    """
    rows = np.flatnonzero(charging[:-1] & ~charging[1:]) + 1
    warm_c = float(c[charging].mean())
    out: dict[int, _Stop] = {}
    for row in rows.tolist():
        before = np.flatnonzero(c[:row] > (FLOOR_C if trip_c is None else trip_c))
        since = int(before[-1]) if before.size else 0
        if c[row] > warm_c or since in out:
            continue
        late_s = float(t[row] - t[since])
        # within seconds of being plunged: it stopped on the way, though a reading came between
        sudden = trip_c is not None and c[row - 1] < trip_c and late_s <= PROMPT_S
        charging_c = float(c[since] if sudden else c[row - 1])
        out[since] = _Stop(row, charging_c, float(c[row]), late_s)
    return list(out.values())


def _fits(stop: _Stop, trip_c: float | None) -> bool:
    if trip_c is None:  # found only where it is located, and all of it above freezing
        return FLOOR_C - 0.5 <= stop.idle_c <= stop.charging_c <= stop.idle_c + NARROW_K
    reached = stop.idle_c <= trip_c + TOLERANCE_C
    held = stop.charging_c >= trip_c - TOLERANCE_C
    return reached and held and trip_c >= FLOOR_C - 0.5


def _elsewhere(stop: _Stop, coldest: float, trip_c: float | None) -> Proof:
    where = _between(stop.idle_c, stop.charging_c)
    if stop.charging_c < FLOOR_C - 0.5 or (trip_c is not None and trip_c < FLOOR_C - 0.5):
        text = f"Charging stopped only {where}, below freezing: not proven. Raise the cutoff and "
        text += "test again."
    elif trip_c is None:
        text = f"Charging stopped {where}: where the cutoff lies is not found by it. Cool the "
        text += "sensor slowly, a reading for each degree."
    else:
        text = f"Charging stopped {where}, but the cutoff is set to {trip_c:g} °C: something else "
        text += "stopped it, or the sensor is another."
    return Proof(
        "not_proven",
        _minus(text),
        stop.charging_c,
        stop.idle_c,
        coldest_c=coldest,
        delay_s=stop.delay_s,
        trip_c=trip_c,
    )


def _proven(
    t: Floats,
    c: Floats,
    charging: NDArray[np.bool_],
    fitting: list[_Stop],
    coldest: float,
    trip_c: float | None,
) -> Proof:
    """What all fitting stops say together: the narrowest interval that lies in each of them."""
    first = fitting[0]
    high, low = min(s.charging_c for s in fitting), max(s.idle_c for s in fitting)
    if low > high:  # they contradict each other by less than a sensor's error
        high, low = first.charging_c, first.idle_c
    resumes = np.flatnonzero(~charging[first.row : -1] & charging[first.row + 1 :])
    resume_c = float(c[resumes[0] + first.row + 1]) if resumes.size else math.nan
    found = Proof(
        "proven", "", high, low, resume_c, coldest, max(s.delay_s for s in fitting), trip_c
    )
    if high - low > NARROW_K and len(fitting) < 2:
        text = f"Charging stopped {_between(low, high)}, which fits; once may be a cloud or a full "
        text += "pack. Warm the sensor until it charges again, and plunge it a second time."
        return replace(found, verdict="once", sentence=_minus(text))
    went = f" and went on at {resume_c:g} °C" if math.isfinite(resume_c) else ""
    if went and high - low <= NARROW_K:
        went += f", {resume_c - low:g} K of hysteresis"
    rest = "" if went else "; let it warm up to see where it goes on"
    if high - low > NARROW_K:
        rest += (
            f", at most {found.delay_s:.0f} s after the sensor was last above the cutoff. Where "
        )
        rest += "between, only a slow bath tells"
    often = f" {len(fitting)} times" if len(fitting) > 1 else ""
    word = "Proven" if trip_c is not None else "Found"
    text = f"{word}: charging stopped {_between(low, high)}{often}{went}{rest}."
    return replace(found, sentence=_minus(text))


def _between(low: float, high: float) -> str:
    """Where it stopped: at a reading where the two are near each other."""
    return f"at {low:g} °C" if high - low <= NARROW_K else f"between {high:g} and {low:g} °C"


def _minus(text: str) -> str:
    return text.replace(" -", " −")


def _longest_s(t: Floats, when: NDArray[np.bool_]) -> float:
    """The longest time through which something is known to have lasted."""
    edges = np.flatnonzero(np.diff(np.r_[False, when, False].astype(int)))
    return max((float(t[b - 1] - t[a]) for a, b in edges.reshape(-1, 2).tolist()), default=0.0)


def _never_stopped(
    t: Floats,
    c: Floats,
    charging: NDArray[np.bool_],
    coldest: float,
    trip_c: float | None,
) -> Proof:
    trip = FLOOR_C if trip_c is None else trip_c
    if coldest > trip - 0.5:
        text = (
            f"The bath was not cold enough: the sensor came to {coldest:g} °C, the cutoff is "
            f"at {trip:g} °C. This proves nothing, for or against."
        )
        return Proof("not_cold_enough", _minus(text), coldest_c=coldest, trip_c=trip_c)
    lasted = _longest_s(t, charging & (c < trip - 0.5))
    if lasted < GRACE_S:
        text = (
            f"The sensor was below {trip:g} °C for {lasted:.0f} s only: hold it there for "
            "some minutes."
        )
        return Proof("not_cold_enough", _minus(text), coldest_c=coldest, trip_c=trip_c)
    text = (
        f"Charging went on at {coldest:g} °C, {lasted / 60.0:.0f} min below the cutoff of "
        f"{trip:g} °C: it does not act. Do not charge in the cold until it does."
    )
    return Proof("not_proven", _minus(text), coldest_c=coldest, trip_c=trip_c)


MOST_TYPED = 1e6  # minutes, °C or A: nobody types more, "nan" and "inf" are none


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
            minutes, degrees, amps = (_finite(p) for p in parts)
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


def _finite(word: str) -> float:
    value = float(word)
    if not abs(value) < MOST_TYPED:
        raise ValueError(word)
    return value


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
            if found.verdict in ("proven", "once", "not_proven"):
                return float(log.time_s[row]), found
            return None
    return None
