"""Clocks that began anew: where their rows belong, what is told, and what is left alone."""

from datetime import UTC, datetime

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.imbalance.lines import legs, straight_line
from nipper.core.logs.model import Log
from nipper.core.logs.reader import read_file
from nipper.core.logs.resets import DAY_S, days_gone, put_right
from nipper.core.logs.writer import write_plain
from tests.bench.others import other


def at(*moment: int) -> float:
    return datetime(*moment, tzinfo=UTC).timestamp()


FIRST = at(2025, 6, 1) + 60.0 * np.arange(1000)
LATER = FIRST[-1] + DAY_S + 60.0 * np.arange(1000)
ANEW = at(2000, 1, 1) + 60.0 * np.arange(500)
ERA = at(2036, 2, 7, 6, 28) + 60.0 * np.arange(300)  # where 32 bits of another epoch end
BUILT = at(2019, 3, 5) + 60.0 * np.arange(300)  # a clock may begin where its program was made

REORDERED = {
    "set again": (FIRST, ANEW, LATER),
    "twice": (FIRST, ANEW, ANEW, LATER),
    "in the future": (FIRST, ERA, LATER),
    "on no New Year's day": (FIRST, BUILT, LATER),
    "an hour behind Greenwich": (FIRST, ANEW + 3600.0, LATER),
}
LEFT = {
    "years in another order": (
        at(2026, 1, 1) + 3600.0 * np.arange(900), at(2025, 1, 1) + 3600.0 * np.arange(8759),
    ),
    "a year of rest": (FIRST, at(2026, 6, 1) + 60.0 * np.arange(100)),
    "begun on New Year's day, and rested": (at(2025, 1, 1) + 60.0 * np.arange(900), LATER + 9e6),
    "longer than the pause it would stand in": (FIRST, at(2000, 1, 1) + 600.0 * np.arange(500),
                                                LATER),
    "in order of time": (ANEW, LATER),  # whenever it was written
    "never set again": (FIRST, ANEW),
    "nobody knows when": (FIRST, BUILT),
    "two clocks, row by row": (np.ravel([FIRST[:500], ANEW], order="F"),),
    "months in another order": (FIRST + 40.0 * DAY_S, FIRST),
}  # fmt: skip


@pytest.mark.parametrize("newest_first", [False, True])
@pytest.mark.parametrize("name", REORDERED)
def test_rows_of_a_clock_that_began_anew_stand_where_they_stand_in_the_file(name, newest_first):
    times = np.concatenate(REORDERED[name])
    found, moved = put_right(times[::-1] if newest_first else times)
    found = found[::-1] if newest_first else found
    assert np.all(np.diff(found) > 0)
    assert moved == times.size - sum(len(p) for p in REORDERED[name] if p is FIRST or p is LATER)
    kept = np.isin(times, np.concatenate([FIRST, LATER]))
    np.testing.assert_array_equal(found[kept], times[kept])  # the others are not touched
    # a clock is set while the device runs
    assert LATER[0] - found[np.flatnonzero(found == LATER[0])[0] - 1] == 60.0


@pytest.mark.parametrize("name", LEFT)
def test_what_may_be_right_is_left_alone(name):
    times = np.concatenate(LEFT[name])
    found, moved = put_right(times)
    assert moved == 0
    np.testing.assert_array_equal(found, times)


@given(
    st.lists(st.floats(1.0, 190.0 * DAY_S), min_size=2, max_size=40),
    st.floats(at(2001, 1, 1), at(2040, 1, 1)),
)
def test_no_log_without_a_leap_is_touched(steps, first):
    times = first + np.cumsum(steps)
    assert put_right(times)[1] == 0
    assert days_gone(times) == pytest.approx((times[-1] - times[0]) / DAY_S)


@given(st.lists(st.floats(0.0, 4e9), max_size=40))
def test_whatever_the_times_no_row_is_lost(times):
    found, moved = put_right(np.array(times))
    assert found.size == len(times)
    assert np.isfinite(found).all()
    assert 0 <= moved <= len(times)


@pytest.fixture(scope="module")
def leaking():
    return other("self_discharge", 771)


def fallen_back(log: Log, stop: float) -> np.ndarray:
    """The times of a log whose clock fell back to 2000 when 45 % was written."""
    times = log.time_s.copy()
    some = slice(int(0.45 * log.rows), int(stop * log.rows))
    times[some] += at(2000, 1, 1) - times[some][0]
    return times


@pytest.mark.parametrize("stop", [0.52, 1.0])  # set again after three days, or never
def test_a_leak_is_found_over_a_clock_that_fell_back(leaking, tmp_path, stop):
    """It was called healthy: its drift went over 25 years."""
    path = tmp_path / "log.csv"
    write_plain(leaking.log, path)
    header, *rows = path.read_text().splitlines()
    anew = fallen_back(leaking.log, stop)
    body = [f"{t:.0f},{row.split(',', 1)[1]}" for t, row in zip(anew, rows, strict=True)]
    path.write_text("\n".join([header, *body]) + "\n")
    read = read_file(path)
    moved = int(stop * len(rows)) - int(0.45 * len(rows)) if stop < 1.0 else 0
    assert read.log.redated == moved
    words = f"the clock began anew: {moved} rows" if moved else "the times leap over 25"
    assert words in str(read.reading.doubts[-1])
    assert read.log.days == pytest.approx(leaking.log.days, abs=0.01)
    found = diagnose(read.log, leaking.setup).findings[0]
    assert (found.cause, found.cells) == ("self_discharge", leaking.truth.cells)


def test_what_is_written_in_order_of_time_is_read_as_it_stands(leaking):
    """A database gives rows of 2000 first; they were moved to before all others."""
    times = np.sort(fallen_back(leaking.log, 1.0))
    assert put_right(times)[1] == 0


def test_a_leak_is_found_where_only_a_leap_is_seen(leaking):
    """A bench may hold a file a day, of which some are of another year."""
    times = leaking.log.time_s.copy()
    times[int(0.45 * times.size) :] += 365.0 * DAY_S
    log = Log(**{**vars(leaking.log.select(slice(None))), "time_s": times})
    assert log.days == pytest.approx(leaking.log.days, abs=0.01)
    told = diagnose(log, leaking.setup)
    assert (told.findings[0].cause, told.findings[0].cells) == (
        "self_discharge",
        leaking.truth.cells,
    )
    assert any("leap over 1.0 years" in text for text in told.advice)


def test_over_a_leap_each_side_of_a_line_has_a_level_of_its_own():
    days = np.r_[0.0:10.0, 400.0:410.0]
    leg = (days > 100.0).astype(int)
    y = -0.1 * days + np.where(leg, 90.0, 0.0)  # levelled in between
    assert straight_line(days, y, np.full(20, 0.1))[0] > 0.0
    slope, sd, start = straight_line(days, y, np.full(20, 0.1), leg)
    assert (slope, start) == (pytest.approx(-0.1), pytest.approx(0.0, abs=1e-9))
    assert sd < 0.01


def test_a_reading_a_year_tells_over_the_leaps():
    assert legs(np.array([0.0, 1.0, 2.0, 3.0]) * 365.0 * DAY_S).tolist() == [0, 0, 0, 0]
    assert legs(np.r_[0.0:10.0, 400.0] * DAY_S).tolist() == [0] * 10 + [1]
