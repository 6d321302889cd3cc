"""A bench from a stranger is data: nothing in it acts, and nothing in it fills the memory."""

import io
import json
import sqlite3
from contextlib import closing

import numpy as np
import polars as pl
import pytest

from nipper.core.errors import InputError
from nipper.core.presets import new_setup
from nipper.store import Bench, chunks
from tests.builders import charge_log

SETUP = new_setup("lfp", 8, 100.0, name="From a stranger")


@pytest.fixture
def path(tmp_path):
    path = tmp_path / "stranger.nipper"
    bench = Bench.create(path, SETUP)
    bench.logs.add(1, charge_log(SETUP, np.zeros(8)), "a.csv")
    bench.close()
    return path


def alter(path, script: str) -> None:
    connection = sqlite3.connect(path)
    connection.executescript(script)
    connection.close()


@pytest.mark.parametrize(
    ("script", "words"),
    [
        (
            "CREATE TRIGGER wipe AFTER UPDATE ON settings BEGIN DELETE FROM chunks; END;",
            "the trigger 'wipe'",
        ),
        (
            "ALTER TABLE events RENAME TO old; CREATE VIEW events AS WITH RECURSIVE n(x) AS "
            "(SELECT 1 UNION ALL SELECT x + 1 FROM n) SELECT x AS id, x AS time_s, NULL AS pack, "
            "'note' AS kind, '' AS note FROM n;",
            "found the",
        ),
        ("CREATE TABLE more (x);", "the table 'more'"),
        ("CREATE INDEX more ON events(note);", "the index 'more'"),
        ("DROP TABLE events;", "the table events as Nipper makes it, it is missing"),
        (
            "DROP TABLE events; CREATE TABLE events (id, time_s, pack, kind, note);",
            "the table events as Nipper makes it, it is another",
        ),
        ("DELETE FROM packs;", "a pack, there is none"),
        ("DELETE FROM settings;", "a setup, there is none"),
        ("UPDATE settings SET value = '{';", "JSON"),
        ("UPDATE settings SET value = '{}';", "chemistry"),
    ],
)
def test_what_is_not_a_benchs_own_is_refused_at_opening(path, script, words):
    alter(path, script)
    with pytest.raises(InputError, match="expected") as caught:
        Bench.open(path)
    assert words in str(caught.value)
    assert "\n" not in str(caught.value)
    assert len(str(caught.value)) < 400


def test_what_sqlite_adds_by_itself_is_no_stranger(path):
    alter(path, "ANALYZE; VACUUM;")
    Bench.open(path).close()


def ipc(**columns: object) -> bytes:
    out = io.BytesIO()
    pl.DataFrame(columns).write_ipc(out, compression="zstd")
    return out.getvalue()


def stretch(rows: int = 10, cells: int = 8, **changes: object) -> dict[str, object]:
    columns: dict[str, object] = {
        "time_s": np.arange(rows, dtype=float),
        "current_a": np.zeros(rows, np.float32),
        "pack_v": np.zeros(rows, np.float32),
    }
    columns |= {f"cell_{i + 1}": np.full(rows, 33_000, np.uint16) for i in range(cells)}
    columns |= changes
    return {name: value for name, value in columns.items() if value is not None}


@pytest.mark.parametrize(
    "data",
    [
        b"",
        b"nonsense",
        b"ARROW1" + b"\0" * 100,
        ipc(**stretch())[:-40],
        ipc(**stretch(time_s=None)),
        ipc(**stretch(cell_3=None)),
        ipc(**stretch(cells=0)),
        ipc(**stretch(time_s=np.full(10, np.nan))),
        ipc(**stretch(time_s=np.arange(10))),
        ipc(**stretch(cell_1=np.zeros(10))),
        ipc(**stretch(cell_1=["a"] * 10)),
        ipc(**stretch(balancing_1=np.zeros(10, np.uint8), balancing_2=np.zeros(10, np.uint8))),
        ipc(**stretch(more=np.zeros(10))),
        ipc(**stretch(cells=600)),
        ipc(**stretch(rows=chunks.ROWS + 1)),
    ],
)
def test_a_stretch_that_is_none_is_one_sentence(data):
    with pytest.raises(InputError, match="a stretch of samples") as caught:
        chunks.unpack(data)
    assert len(str(caught.value)) < 300


def test_what_no_pack_can_have_counts_as_not_read():
    volts = np.array([25.0, -775.3, 49_617.0, np.inf, *[26.0] * 6], np.float32)
    log = chunks.unpack(ipc(**stretch(pack_v=volts)))
    assert np.isnan(log.pack_v[1:4]).all()
    assert np.isfinite(np.delete(log.pack_v, [1, 2, 3])).all()


def test_a_few_bytes_that_are_millions_of_rows_are_not_unpacked():
    data = ipc(**stretch(rows=20_000_000, cells=1, time_s=np.zeros(20_000_000)))
    assert len(data) < 200_000
    with pytest.raises(InputError, match="at most 200000 rows"):
        chunks.unpack(data)
    with pytest.raises(InputError, match="at most 200000 rows"):
        chunks.times(data)


def test_a_strangers_mapping_and_diagnosis_are_read_as_what_they_are(path):
    bench = Bench.open(path)
    bench.history.add_diagnosis(1, {"verdict": "healthy"})
    bench.logs.remember_mapping("abc", {"time": "t"})
    assert json.dumps(bench.history.diagnoses(1)[0][1]) == '{"verdict": "healthy"}'
    bench.close()


@pytest.mark.parametrize("text", ["3", "[]", "{}", "{", '{"verdict": "act", "findings": [7]}'])
def test_a_kept_diagnosis_that_is_none_is_passed_over(tmp_path, text):
    from nipper.core.upkeep.kept import changed
    from nipper.core.upkeep.story import diagnoses

    with closing(Bench.create(tmp_path / "a.nipper", new_setup("lfp", 8, 100.0))) as bench:
        pack = bench.packs()[0].id
    with closing(sqlite3.connect(tmp_path / "a.nipper")) as db:
        db.execute("INSERT INTO diagnoses (time_s, pack, document) VALUES (1, ?, ?)", (pack, text))
        db.commit()
    with closing(Bench.open(tmp_path / "a.nipper")) as bench:
        found = bench.history.diagnoses(pack)
    assert diagnoses("A", found) == []
    assert all(changed(document, {"verdict": "healthy", "findings": []}) for _, document in found)
