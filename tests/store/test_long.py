"""Logs too long to be held at once: judged by means of some seconds, kept and written whole."""

import gzip
import sqlite3
from contextlib import closing
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nipper.core.errors import InputError
from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.logs import averages
from nipper.core.logs.averages import Span, averaged, fitting_width_s, held_together
from nipper.core.logs.model import Log, join
from nipper.core.logs.reader import read_log
from nipper.core.logs.writer import write_pieces, write_plain
from nipper.core.presets import new_setup
from nipper.store import Bench, chunks
from tests.builders import charge_log

SETUP = new_setup("lfp", 8, 100.0, name="Long")
ROWS = 500  # of a stretch


@pytest.fixture(scope="module")
def log() -> Log:
    found = charge_log(SETUP, [0, 0, -3.0, 0, 0, 0, 0, 0], charges=5, interval_s=20.0)
    flags = np.zeros(found.cell_v.shape, bool)
    flags[100:160, 2] = True
    return replace(found, balancing=flags)


@pytest.fixture
def bench(tmp_path, monkeypatch):
    monkeypatch.setattr(chunks, "ROWS", ROWS)
    bench = Bench.create(tmp_path / "long.nipper", SETUP)
    yield bench
    bench.close()


def tight(monkeypatch, log, share=0.75):
    """Room for only so much of a log."""
    monkeypatch.setattr(averages, "MOST_READINGS", int(share * log.cell_v.size))


def test_means_stand_for_the_rows_of_a_log_that_is_too_long(bench, log, monkeypatch):
    bench.logs.add(1, log, "a.csv")
    whole = bench.logs.load(1)
    assert (whole.rows, whole.averaged_s) == (log.rows, 0.0)
    tight(monkeypatch, log)
    told: list[float] = []
    short = bench.logs.load(1, told.append)
    assert short.averaged_s == 60.0
    assert log.rows / 3 - 1 <= short.rows <= 0.75 * log.rows
    assert told[-1] == 1.0
    at_gaps_ah = 10 * 20.0 * 30.0 / 3600.0  # half a minute of 20 A at each end of five stretches
    assert short.charge_ah[-1] == pytest.approx(log.charge_ah[-1], abs=at_gaps_ah)
    assert np.all(np.diff(short.time_s) > 0)
    assert 15 <= short.balancing[:, 2].sum() <= 25


def test_what_is_found_is_the_same_and_the_means_are_told(log):
    as_is, means = (diagnose(each, SETUP) for each in (log, averaged(log, 60.0)))
    assert [f.cause for f in means.findings[:1]] == [f.cause for f in as_is.findings[:1]]
    assert means.findings[0].cells == as_is.findings[0].cells == (3,)
    last = [d.estimate.drift.last_ah[2] for d in (as_is, means)]
    assert last[1] == pytest.approx(last[0], abs=0.3)
    assert any("means of 60 s" in text for text in means.advice)
    assert not any("means of" in text for text in as_is.advice)


@pytest.mark.parametrize("name", ["out.csv", "out.csv.gz"])
def test_it_is_written_as_it_was_recorded(bench, log, monkeypatch, tmp_path, name):
    """Also where two logs lie in each other, one of them without a balancing column."""
    bench.logs.add(1, log.select(slice(0, None, 2)), "a.csv")
    bench.logs.add(1, replace(log.select(slice(1, None, 2)), balancing=None), "b.csv")
    tight(monkeypatch, log)
    pieces = list(bench.logs.pieces(1))
    assert len(pieces) > 3
    again = join(pieces)
    assert np.array_equal(again.time_s, log.time_s)
    assert np.allclose(again.cell_v, log.cell_v, atol=1e-4)
    write_pieces(lambda: bench.logs.pieces(1), tmp_path / name)
    write_plain(join(pieces), tmp_path / "at-once.csv")
    data = (tmp_path / name).read_bytes()
    text = gzip.decompress(data) if name.endswith("gz") else data
    assert text == (tmp_path / "at-once.csv").read_bytes()
    assert read_log(tmp_path / name).rows == log.rows


def test_no_piece_is_written_over_what_is_no_file(bench, log, tmp_path):
    bench.logs.add(1, log, "a.csv")
    with pytest.raises(InputError, match="one on a disk"):
        write_pieces(lambda: bench.logs.pieces(1), tmp_path)


@pytest.mark.parametrize(
    ("column", "value"),
    [
        ("rows", 3),
        ("rows", b"\0\1"),
        ("rows", 2**62),
        ("first_s", "x"),
        ("last_s", 1e308),
        ("last_s", float("inf")),
    ],
)
def test_a_stretch_that_is_listed_as_another_one_is_refused(bench, log, column, value):
    """A few kilobytes could be a thousand times as many rows as were made room for."""
    bench.logs.add(1, log, "a.csv")
    bench.close()
    with closing(sqlite3.connect(bench.path)) as db, db:
        db.execute(f"UPDATE chunks SET {column} = ? WHERE id = 2", (value,))
    again = Bench.open(bench.path)
    with pytest.raises(InputError, match="one that is listed"):
        again.logs.load(1)
    again.close()


def test_logs_given_one_after_the_other_are_held_together(log, monkeypatch):
    halves = [log.select(slice(0, 2000)), log.select(slice(2000, None))]
    assert [x.averaged_s for x in held_together(halves)] == [0.0, 0.0]
    assert held_together([]) == []
    tight(monkeypatch, log)
    held = held_together(halves)
    assert [x.averaged_s for x in held] == [120.0, 120.0]
    assert sum(x.rows for x in held) < 0.75 * log.rows
    again = held_together(held)  # with another one, later
    assert sum(x.rows for x in again) == sum(x.rows for x in held)


def test_a_width_is_found_for_whatever_is_listed():
    odd = [Span(0.0, 1e308, 2**62), Span(-1e300, 0.0, 2**62)]
    assert fitting_width_s(odd, 16) == averages.LONGEST_S


@given(
    st.lists(st.floats(0.3, 400.0), min_size=1, max_size=60),
    st.sampled_from([2.0, 10.0, 60.0]),
    st.integers(0, 2**31),
)
def test_a_mean_has_what_its_rows_had(steps_s, width_s, seed):
    rng = np.random.default_rng(seed)
    time_s = 1.78e9 + np.cumsum(np.round(steps_s, 1))
    cell_v = rng.uniform(3.0, 3.5, (time_s.size, 3)).astype(np.float32)
    cell_v[rng.random(cell_v.shape) < 0.2] = np.nan
    amps = rng.uniform(-50.0, 50.0, time_s.size)
    log = Log(time_s, amps, 10.0 * amps, cell_v, np.empty((time_s.size, 0), np.float32))
    short = averaged(log, width_s)
    ids = np.floor(time_s / width_s)
    assert short.rows == np.unique(ids).size
    assert np.all(np.diff(short.time_s) > 0)
    for row, moment in enumerate(np.unique(ids)):
        mine = ids == moment
        assert short.current_a[row] == pytest.approx(amps[mine].mean())
        for cell in range(3):
            own = cell_v[mine, cell]
            known = own[np.isfinite(own)]
            assert np.isfinite(short.cell_v[row, cell]) == bool(known.size)
            if known.size:
                assert short.cell_v[row, cell] == pytest.approx(known.mean(), abs=1e-5)


def test_the_least_width_that_fits_is_taken():
    seconds = [Span(86400.0 * day, 86400.0 * day + 86399.0, 86400) for day in range(365)]
    assert fitting_width_s(seconds[:40], 16) == 0.0
    assert fitting_width_s(seconds, 16) == 10.0
    assert fitting_width_s(seconds, 4) == 2.0
    minutes = [Span(86400.0 * day, 86400.0 * day + 86399.0, 1440) for day in range(365)]
    assert fitting_width_s(minutes, 16) == 0.0
    assert fitting_width_s([], 0) == 0.0
