"""The bench file: kept, found again, and refused in words where it cannot be used."""

import sqlite3
import subprocess
import sys
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nipper.core.errors import Cancelled, InputError
from nipper.core.logs.model import Log
from nipper.core.presets import new_setup
from nipper.core.setup import dumps, put
from nipper.store import Bench, chunks, schema
from tests.builders import charge_log


@pytest.fixture
def setup():
    return new_setup("lfp", 8, 100.0, 2, name="Test bench")


@pytest.fixture
def path(tmp_path):
    return tmp_path / "a bench.nipper"


@pytest.fixture
def bench(path, setup):
    bench = Bench.create(path, setup)
    yield bench
    bench.close()


@pytest.fixture(scope="module")
def log() -> Log:
    return charge_log(new_setup("lfp", 8, 100.0), np.zeros(8), charges=2, interval_s=60.0)


def test_what_was_kept_is_found_again(bench, path, setup, log):
    changed = put(setup, {"charging.absorption_min": 180.0})
    bench.save_setup(changed)
    bench.history.add_revision("typed in", "first", setup, 1.75e9)
    bench.history.add_event(1.75e9, "repair", "bars retorqued", 2)
    bench.logs.remember_mapping("abc", {"time": "t"})
    bench.history.add_diagnosis(1, {"verdict": "healthy"}, 1.75e9)
    assert bench.logs.add(1, log, "one.csv", {"time": "t"}) == log.rows
    bench.close()
    again = Bench.open(path)
    assert again.setup() == changed
    assert next((r.kind, r.note, r.setup) for r in again.history.revisions()) == (
        "typed in",
        "first",
        setup,
    )
    assert [(e.note, e.pack) for e in again.history.events()] == [("bars retorqued", 2)]
    assert again.logs.mapping("abc") == {"time": "t"}
    assert again.logs.mapping("other") is None
    assert again.history.diagnoses(1) == [(1.75e9, {"verdict": "healthy"})]
    assert [p.name for p in again.packs()] == ["Pack A", "Pack B"]
    back = again.logs.load(1)
    assert back
    np.testing.assert_allclose(back.cell_v, log.cell_v, atol=6e-5)
    np.testing.assert_allclose(back.time_s, log.time_s)
    assert again.logs.load(2) is None
    assert [(item.file, item.rows, item.pack) for item in again.logs.all()] == [
        ("one.csv", log.rows, 1)
    ]
    again.close()


@given(
    rows=st.integers(1, 50),
    cells=st.integers(1, 20),
    temps=st.integers(0, 4),
    seed=st.integers(0, 2**31),
)
def test_a_stretch_comes_back_as_it_was_packed(rows, cells, temps, seed):
    rng = np.random.default_rng(seed)
    cell_v = np.round(rng.uniform(0.3, 5.4, (rows, cells)), 4).astype(np.float32)
    cell_v[rng.random((rows, cells)) < 0.1] = np.nan
    log = Log(
        time_s=1.7e9 + np.cumsum(rng.uniform(0.1, 100, rows)),
        current_a=np.round(rng.normal(0, 50, rows), 2).astype(np.float32).astype(float),
        pack_v=np.round(rng.uniform(10, 60, rows), 2).astype(np.float32).astype(float),
        cell_v=cell_v,
        temp_c=np.round(rng.uniform(-40, 120, (rows, temps)), 1).astype(np.float32),
        soc_pct=rng.uniform(0, 100, rows).astype(np.float32) if seed % 2 else None,
        balancing=rng.random((rows, cells)) < 0.3 if seed % 3 else None,
    )
    back = chunks.unpack(chunks.pack(log))
    np.testing.assert_allclose(back.cell_v, log.cell_v, atol=6e-5)
    np.testing.assert_allclose(back.temp_c, log.temp_c, atol=1e-4)
    for name in ("time_s", "current_a", "pack_v", "soc_pct", "balancing"):
        ours, theirs = getattr(back, name), getattr(log, name)
        assert (ours is None) == (theirs is None), name
        if ours is not None:
            assert np.array_equal(ours, theirs), name
    assert np.array_equal(chunks.times(chunks.pack(log)), log.time_s)


def test_whole_degrees_of_older_benches_come_back_whole(monkeypatch):
    log = charge_log(new_setup("lfp", 4, 100.0), np.zeros(4), charges=1)
    degrees = np.linspace(-40, 120, log.rows).round().astype(np.float32)
    log = replace(log, temp_c=degrees[:, None])
    with monkeypatch.context() as older:
        older.setattr(chunks, "KELVIN_TENTHS", 2731.5)
        kept = chunks.pack(log)
    np.testing.assert_allclose(chunks.unpack(kept).temp_c[:, 0], degrees, atol=1e-4)


def test_the_same_rows_twice_add_nothing_and_overlapping_ones_only_the_new(bench, log):
    assert bench.logs.add(1, log.select(slice(0, 300)), "a.csv") == 300
    assert bench.logs.add(1, log.select(slice(0, 300)), "a.csv") == 0
    assert bench.logs.add(1, log, "b.csv") == log.rows - 300
    back = bench.logs.load(1)
    assert back
    assert back.rows == log.rows
    assert np.all(np.diff(back.time_s) > 0)
    assert bench.logs.add(2, log, "a.csv") == log.rows
    bench.logs.remove(bench.logs.all()[0].id)
    back = bench.logs.load(1)
    assert back
    assert back.rows == log.rows - 300


def test_a_cancelled_import_leaves_nothing(bench, log, monkeypatch):
    monkeypatch.setattr(chunks, "ROWS", 100)

    def tick(share: float) -> None:
        if share > 0.5:
            raise Cancelled("stopped")

    with pytest.raises(Cancelled):
        bench.logs.add(1, log, "a.csv", None, tick)
    assert bench.logs.all() == []
    assert bench.logs.load(1) is None


def test_a_second_window_is_told(bench, path):
    with pytest.raises(InputError, match="no other window has open"):
        Bench.open(path)


def test_other_files_are_told_apart(tmp_path):
    text, other, none = tmp_path / "a.nipper", tmp_path / "b.nipper", tmp_path / "c.nipper"
    text.write_text("time,current_a\n" * 100)
    connection = sqlite3.connect(other)
    connection.execute("CREATE TABLE t (x)")
    connection.commit()
    connection.close()
    for path, words in (
        (text, "another kind of file"),
        (other, "another kind of database"),
        (none, "there is none"),
    ):
        with pytest.raises(InputError, match=words):
            Bench.open(path)


def test_a_newer_version_is_told(bench, path):
    bench.close()
    connection = sqlite3.connect(path)
    connection.execute(f"PRAGMA user_version = {schema.VERSION + 1}")
    connection.close()
    with pytest.raises(InputError, match="needs a newer Nipper"):
        Bench.open(path)


def test_a_damaged_file_is_told_and_not_touched(bench, path, log):
    bench.logs.add(1, log, "a.csv")
    bench.close()
    data = bytearray(path.read_bytes())
    data[4096 : len(data) // 2] = b"\xff" * (len(data) // 2 - 4096)
    path.write_bytes(data)
    with pytest.raises(InputError, match="undamaged"):
        Bench.open(path)
    assert path.read_bytes() == bytes(data)


def test_a_damaged_stretch_is_told(bench, log):
    bench.logs.add(1, log, "a.csv")
    with bench._file.write() as db:
        db.execute("UPDATE chunks SET data = ?", (b"nonsense",))
    with pytest.raises(InputError, match="undamaged data"):
        bench.logs.load(1)


def test_an_older_version_is_brought_up_with_a_copy_beside_it(path, setup):
    connection = sqlite3.connect(path)
    connection.executescript(
        f"PRAGMA application_id = {schema.APPLICATION_ID}; {schema.TABLES} PRAGMA user_version = 1;"
    )
    connection.execute("INSERT INTO packs (name) VALUES ('Old')")
    connection.execute("INSERT INTO settings VALUES ('setup', ?)", (dumps(setup),))
    connection.commit()
    connection.close()
    bench = Bench.open(path)
    bench.history.add_diagnosis(1, {"verdict": "healthy"})
    bench.close()
    copy = path.with_name(path.name + ".version-1")
    (version,) = sqlite3.connect(copy).execute("PRAGMA user_version").fetchone()
    assert version == 1


def test_revisions_of_a_bench_of_before_are_of_all_packs(path, setup):
    connection = sqlite3.connect(path)
    before = schema.MIGRATIONS[0]
    connection.executescript(
        f"PRAGMA application_id = {schema.APPLICATION_ID}; PRAGMA user_version = 2; "
        f"{schema.TABLES} {before}"
    )
    connection.execute("INSERT INTO packs (name) VALUES ('Old')")
    connection.execute("INSERT INTO settings VALUES ('setup', ?)", (dumps(setup),))
    row = (1.7e9, "typed in", "first", dumps(setup))
    connection.execute("INSERT INTO revisions (time_s, kind, note, setup) VALUES (?, ?, ?, ?)", row)
    connection.commit()
    connection.close()
    bench = Bench.open(path)
    (kept,) = bench.history.revisions()
    assert (kept.note, kept.pack, kept.setup) == ("first", None, setup)
    assert bench.history.revision_times("typed in", 1) == [1.7e9]
    bench.history.add_revision("typed in", "of one", setup, 1.8e9, pack=1)
    assert bench.history.revision_times("typed in", 1) == [1.7e9, 1.8e9]
    assert bench.history.revision_times("typed in", 2) == [1.7e9]


def test_an_existing_file_is_never_overwritten(path, setup):
    path.write_text("precious")
    with pytest.raises(InputError, match="not taken"):
        Bench.create(path, setup)
    assert path.read_text() == "precious"


def test_a_copy_is_a_bench_of_its_own(bench, tmp_path, log, setup):
    bench.logs.add(1, log, "a.csv")
    copy = tmp_path / "copy.nipper"
    bench.copy_to(copy)
    other = Bench.open(copy)
    assert other.setup() == setup
    back = other.logs.load(1)
    assert back
    assert back.rows == log.rows
    other.close()
    with pytest.raises(InputError, match="can be written"):
        bench.copy_to(tmp_path / "no such folder" / "copy.nipper")


def test_a_copy_never_costs_what_stood_there(bench, tmp_path, setup, monkeypatch):
    with pytest.raises(InputError, match="another name than the open bench's own"):
        bench.copy_to(bench.path)
    assert bench.setup() == setup
    assert bench.path.is_file()
    taken = tmp_path / "taken.nipper"
    taken.write_text("precious")

    def full(*_):
        raise OSError("no space left")

    with monkeypatch.context() as patch:
        patch.setattr(type(taken), "replace", full)
        with pytest.raises(InputError, match="no space left"):
            bench.copy_to(taken)
    assert taken.read_text() == "precious"
    bench.copy_to(taken)
    other = Bench.open(taken)
    assert other.setup() == setup
    other.close()
    assert not list(tmp_path.glob("*.partial"))


def test_packs_are_added_and_never_taken_away(bench):
    bench.ensure_packs(4)
    bench.ensure_packs(1)
    assert len(bench.packs()) == 4
    bench.rename_pack(1, "North")
    assert bench.packs()[0].name == "North"


def test_a_kill_in_the_middle_of_an_import_loses_nothing_confirmed(path, setup):
    """A process dies between two stretches: what was confirmed is there, of the import nothing."""
    script = f"""
import os, sys
sys.path.insert(0, {str(path.parent)!r})
from nipper.store import Bench, chunks
from nipper.core.presets import new_setup
from tests.builders import charge_log
import numpy as np
chunks.ROWS = 50
bench = Bench.create({str(path)!r}, new_setup("lfp", 8, 100.0, name="Survivor"))
bench.history.add_event(1.0, "note", "confirmed")
log = charge_log(new_setup("lfp", 8, 100.0), np.zeros(8))
bench.logs.add(1, log, "a.csv", None, lambda share: os._exit(9) if share > 0.5 else None)
"""
    from pathlib import Path

    done = subprocess.run(
        [sys.executable, "-c", script],
        cwd=Path(__file__).parents[2],
        capture_output=True,
        check=False,
    )
    assert done.returncode == 9, done.stderr.decode()
    bench = Bench.open(path)
    assert [e.note for e in bench.history.events()] == ["confirmed"]
    assert bench.setup().name == "Survivor"
    assert bench.logs.all() == []
    bench.close()
