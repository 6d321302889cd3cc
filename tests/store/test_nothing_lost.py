"""What cost work once: a lost lock, a full disk, a file taken away, a kill between two steps of a
copy.
"""

import os
import random
import shutil
import signal
import sqlite3
import subprocess
import sys
from contextlib import suppress
from pathlib import Path

import numpy as np
import pytest

from nipper.core.errors import InputError
from nipper.core.files import whole, write_whole
from nipper.core.presets import new_setup
from nipper.core.setup import dumps, put
from nipper.store import Bench, GoneError, ReadOnlyError, copy_read_only, place
from tests.bench import kills, powerloss
from tests.builders import charge_log

ROOT = Path(__file__).parents[2]


@pytest.fixture
def setup():
    return new_setup("lfp", 8, 100.0, 2, name="Test bench")


@pytest.fixture
def bench(tmp_path, setup):
    bench = Bench.create(tmp_path / "a bench.nipper", setup)
    yield bench
    bench.close()


def elsewhere(script: str, *arguments: object) -> subprocess.CompletedProcess:
    """Run a few lines in another process; a NipperError is exit status 2."""
    lines = ["import sys", "from nipper.core.errors import NipperError"]
    lines += ["from nipper.store import Bench", "try:"]
    lines += [f"    {line}" for line in script.splitlines()]
    lines += ["except NipperError as error:", "    print(error); sys.exit(2)"]
    command = [sys.executable, "-c", "\n".join(lines), *map(str, arguments)]
    return subprocess.run(command, cwd=ROOT, capture_output=True, text=True, check=False)


def full(bench: Bench) -> None:
    """From now on the file may not grow, as on a full disk."""
    (pages,) = bench._file.rows("PRAGMA page_count")[0]
    bench._file.rows(f"PRAGMA max_page_count = {pages}")


def roomy(bench: Bench) -> None:
    bench._file.rows("PRAGMA max_page_count = 1000000")


# the sole right to a bench


def test_nobody_gets_in_after_the_file_was_looked_at_by_this_process(bench):
    with pytest.raises(InputError, match="in use"):
        Bench.open(bench.path)
    bench.path.read_bytes()  # closing this handle drops every lock SQLite has on the file
    other = elsewhere("Bench.open(sys.argv[1])", bench.path)
    assert other.returncode == 2, other
    assert "in use" in other.stdout
    bench.history.add_event(1.0, "note", "kept")
    assert [e.note for e in bench.history.events()] == ["kept"]


def test_nobody_gets_in_by_another_name_of_the_same_bench(bench, tmp_path):
    link = tmp_path / "link.nipper"
    link.symlink_to(bench.path)
    with pytest.raises(InputError, match="in use"):
        Bench.open(link)


def test_a_migrated_bench_is_kept_to_oneself_too(bench):
    path = bench.path
    bench.close()
    old = sqlite3.connect(path)
    old.executescript(
        "DROP TABLE diagnoses; ALTER TABLE revisions DROP COLUMN pack; PRAGMA user_version = 1;"
    )
    old.close()
    again = Bench.open(path)
    assert elsewhere("Bench.open(sys.argv[1])", path).returncode == 2
    again.close()
    assert elsewhere("Bench.open(sys.argv[1]).close()", path).returncode == 0


def test_a_killed_window_keeps_nobody_out(bench):
    path = bench.path
    bench.close()
    killed = elsewhere("Bench.open(sys.argv[1]); import os; os.kill(os.getpid(), 9)", path)
    assert killed.returncode == -signal.SIGKILL
    Bench.open(path).close()
    assert not list(path.parent.glob(".*.lock"))


def test_a_bench_is_not_copied_over_one_that_is_open(bench, tmp_path, setup):
    other = Bench.create(tmp_path / "other.nipper", setup)
    with pytest.raises(InputError, match="in use"):
        bench.copy_to(other.path)
    other.history.add_event(1.0, "note", "still mine")
    other.close()


# read-only


def test_a_read_only_bench_is_told_and_can_be_copied(bench, tmp_path, monkeypatch):
    path = bench.path
    bench.history.add_event(1.0, "note", "from the stick")
    bench.close()
    with monkeypatch.context() as patch:  # a test may run as root, whom no mode keeps out
        patch.setattr(os, "access", lambda *_: False)
        with pytest.raises(ReadOnlyError, match="read-only"):
            Bench.open(path)
    copy = tmp_path / "copy.nipper"
    copy_read_only(path, copy)
    again = Bench.open(copy)
    assert [e.note for e in again.history.events()] == ["from the stick"]
    again.close()
    with pytest.raises(InputError, match="not taken"):
        copy_read_only(path, copy)
    Bench.open(path).close()  # and the lock was not left behind


def test_a_read_only_copy_brings_its_journal_along(tmp_path, setup):
    """A crash left the bench half written; only with its journal is it whole."""
    path, copy = tmp_path / "crashed.nipper", tmp_path / "copy.nipper"
    crash_in_the_middle(path, setup)
    copy_read_only(path, copy)
    assert_whole(copy)
    assert not list(tmp_path.glob("*.partial*"))


# a full disk


def test_a_full_disk_costs_nothing_that_was_confirmed(bench, setup):
    bench.history.add_event(1.0, "note", "confirmed")
    full(bench)
    changed = put(setup, {"charging.absorption_min": 180.0})
    log = charge_log(setup, np.zeros(8))
    for act in (
        lambda: bench.logs.add(1, log, "a.csv"),
        lambda: bench.shelf.keep("ticks", "x" * 50_000),
        lambda: bench.history.add_revision("typed in", "n" * 50_000, setup),
    ):
        with pytest.raises(InputError, match=r"room on the disk.*can be tried again"):
            act()
    assert [e.note for e in bench.history.events()] == ["confirmed"]
    roomy(bench)
    assert bench.logs.add(1, log, "a.csv") == log.rows
    bench.save_setup(changed)
    assert bench.setup() == changed


def test_what_belongs_together_is_kept_together(bench, setup):
    with suppress(ZeroDivisionError), bench.together():
        bench.history.add_revision("typed in", "half", setup)
        raise ZeroDivisionError
    assert [r.kind for r in bench.history.revisions()] == ["draft"]
    with bench.together():
        bench.history.add_revision("typed in", "whole", setup)
        bench.shelf.keep("ticks", "{}")
    assert [r.note for r in bench.history.revisions()][-1] == "whole"


# taken away or replaced


@pytest.mark.parametrize("how", ["deleted", "replaced"])
def test_a_file_taken_away_is_noticed_and_saved_elsewhere(bench, tmp_path, setup, how):
    bench.history.add_event(1.0, "note", "mine")
    bench.path.unlink()
    if how == "replaced":
        bench.path.write_text("of a sync program")
    with pytest.raises(GoneError, match="save a copy"):
        bench.history.add_event(2.0, "note", "too late")
    changed = put(setup, {"charging.absorption_min": 180.0})
    copy = tmp_path / "rescued.nipper"
    bench.copy_to(copy, changed)
    again = Bench.open(copy)
    assert [e.note for e in again.history.events()] == ["mine"]
    assert again.setup() == changed
    again.close()
    if how == "replaced":
        assert bench.path.read_text() == "of a sync program"


# numbers beyond all bounds


def test_a_number_kept_before_there_were_bounds_does_not_lock_the_bench(bench, setup):
    path = bench.path
    text = dumps(put(setup, {"protection.soc_empty_v": 2.5}))
    text = text.replace('"soc_empty_v": 2.5', '"soc_empty_v": 99999999')
    with bench._file.write() as db:
        db.execute("UPDATE settings SET value = ? WHERE key = 'setup'", (text,))
        db.execute("UPDATE revisions SET setup = ?", (text,))
    bench.close()
    again = Bench.open(path)
    assert again.setup().protection.soc_empty_v == 100.0
    assert again.mended() == ("protection.soc_empty_v was 1e+08: it stands at 100 now",)
    assert again.history.revisions()[0].setup == again.setup()
    again.close()


# copies, new benches and exports are whole


def crash_in_the_middle(path: Path, setup) -> None:
    """Leave a bench at ``path`` whose last transaction was cut off: a hot journal lies beside
    it.
    """
    Bench.create(path, setup).close()
    script = f"""
import sqlite3, os
db = sqlite3.connect({str(path)!r}, isolation_level=None)
db.execute("PRAGMA cache_size = 1")
db.execute("BEGIN IMMEDIATE")
for i in range(3000):
    db.execute("INSERT INTO events (time_s, kind, note) VALUES (?, 'note', ?)", (i, "x" * 500))
os._exit(9)
"""
    subprocess.run([sys.executable, "-c", script], check=False)
    assert path.with_name(path.name + "-journal").stat().st_size > 0


def assert_whole(path: Path) -> None:
    again = Bench.open(path)
    assert again._file.rows("PRAGMA integrity_check") == [("ok",)]
    assert again.history.events() == []
    again.close()


def test_a_copy_over_a_crashed_bench_is_whole_whenever_it_is_killed(bench, tmp_path, setup):
    target = tmp_path / "crashed.nipper"
    crash_in_the_middle(target, setup)
    script = """
import os
from pathlib import Path
Path.replace = lambda part, to: (os.replace(part, to), os._exit(9))
Bench.open(sys.argv[1]).copy_to(Path(sys.argv[2]))
"""
    path = bench.path
    bench.close()
    assert elsewhere(script, path, target).returncode == 9
    assert_whole(target)


def test_a_copy_goes_over_a_bench_that_was_killed_after_its_last_write(bench, tmp_path, setup):
    """An open bench keeps an empty journal beside it, which a kill leaves there."""
    target = tmp_path / "killed.nipper"
    Bench.create(target, setup).close()
    script = """
import os
Bench.open(sys.argv[1]).history.add_event(1.0, "note", "mine")
os._exit(9)
"""
    assert elsewhere(script, target).returncode == 9
    assert target.with_name(target.name + "-journal").exists()
    bench.copy_to(target)
    assert_whole(target)


def test_a_new_bench_does_not_take_the_journal_of_one_long_gone(tmp_path, setup):
    path = tmp_path / "crashed.nipper"
    crash_in_the_middle(path, setup)
    path.unlink()
    Bench.create(path, setup).close()
    assert_whole(path)


def test_leftovers_that_belong_to_no_bench_are_not_touched(bench, tmp_path):
    target = tmp_path / "table.nipper"
    target.write_text("not a bench at all" * 100)
    beside = target.with_name(target.name + "-wal")
    beside.write_text("of something else")
    with pytest.raises(InputError):
        bench.copy_to(target)
    assert beside.read_text() == "of something else"


def test_a_new_bench_that_is_killed_takes_no_name(tmp_path):
    path = tmp_path / "new.nipper"
    script = """
import os
from nipper.core.presets import new_setup
from nipper.store import bench
bench.insert_revision = lambda *_: os._exit(9)
Bench.create(sys.argv[1], new_setup("lfp", 8, 100.0))
"""
    assert elsewhere(script, path).returncode == 9
    assert not path.exists()
    Bench.create(path, new_setup("lfp", 8, 100.0)).close()
    assert [p.name for p in tmp_path.iterdir()] == ["new.nipper"]


def test_an_export_is_the_old_one_or_the_new_one(tmp_path):
    path = tmp_path / "sheet.csv"
    path.write_text("old")
    script = """
import os
from pathlib import Path
from nipper.core import files
def cut(path, data):
    with open(path, "wb") as file:
        file.write(data[:3]); file.flush(); os._exit(9)
Path.write_bytes = cut
files.write_whole(Path(sys.argv[1]), b"brand new")
"""
    assert elsewhere(script, path).returncode == 9
    assert path.read_text() == "old"
    write_whole(path, b"brand new")
    assert path.read_text() == "brand new"
    assert [p.name for p in tmp_path.iterdir()] == ["sheet.csv"]


def test_an_export_goes_through_a_link_and_to_a_device(tmp_path):
    target, link = tmp_path / "far.csv", tmp_path / "near.csv"
    target.write_text("old")
    link.symlink_to(target)
    write_whole(link, b"new")
    assert link.is_symlink()
    assert target.read_text() == "new"
    write_whole(Path("/dev/null"), b"gone")
    assert not Path("/dev/null").is_file()


def test_a_place_that_cannot_be_written_is_one_line(tmp_path):
    with pytest.raises(InputError, match=r"no such folder.*can be written"):
        write_whole(tmp_path / "no such folder" / "a.csv", b"")
    with pytest.raises(InputError, match="can be written"), whole(tmp_path / "a.csv") as partial:
        shutil.copyfile(tmp_path / "nothing", partial)
    assert not list(tmp_path.iterdir())


def test_the_lock_is_not_fooled_by_a_name_taken_away_while_it_waits(tmp_path, monkeypatch):
    """Between opening and locking the last owner may take the lock's name away."""
    path = tmp_path / "b.nipper"
    lock, real = tmp_path / ".b.nipper.lock", place.fcntl.flock
    taken: list[int] = []

    def flock(handle: int, how: int) -> None:
        real(handle, how)
        if not taken:
            taken.append(handle)
            lock.unlink()

    monkeypatch.setattr(place.fcntl, "flock", flock)
    with place.Claim(path):
        assert lock.exists()
        monkeypatch.setattr(place.fcntl, "flock", real)
        with pytest.raises(InputError, match="in use"):
            place.Claim(path)


def test_a_writer_killed_at_random_moments_loses_nothing(tmp_path):
    """A few of what ``make kills`` does a thousand times."""
    for seed in range(5):
        assert kills.kill_once(tmp_path, seed) == []


def hexed(text):
    return "".join(f"\\x{byte:02x}" for byte in text)


def test_of_a_file_whose_power_fails_only_what_was_synced_is_sure(tmp_path):
    """The recorder of ``tests.bench.powerloss``, by calls as it reads them."""
    folder = str(tmp_path).encode()
    path, named = hexed(folder + b"/a"), hexed(folder)
    lines = [
        f'7 openat(AT_FDCWD<{hexed(b"/")}>, "{path}", O_RDWR|O_CREAT, 0644) = 5<{path}>',
        f'7 pwrite64(5<{path}>, "{hexed(b"old")}", 3, 0) = 3',
        f"7 fsync(5<{path}>) = 0",
        f"8 fsync(6<{named}> <unfinished ...>",
        f'7 write(1<pipe:[1]>, "{hexed(b"event 1")}", 7) = 7',
        "8 <... fsync resumed>) = 0",
        f'7 pwrite64(5<{path}>, "{hexed(b"new")}", 3, 0) = 3',
        f'7 rename("{path}", "{hexed(folder + b"/b")}") = 0',
        f'7 pwrite64(5<{path}>, "{hexed(b"lost")}", 4, 0) = -1',
    ]
    disk = powerloss.taken(tmp_path)
    for call in powerloss.calls(lines):
        powerloss.follow(disk, tmp_path, *call)
    assert disk.confirmed == ["event 1"]
    found = set()
    for seed in range(60):
        place = tmp_path / str(seed)
        place.mkdir()
        disk.left(place, random.Random(seed))
        found |= {(p.name, p.read_bytes()) for p in place.iterdir()}
    assert found == {(name, data) for name in "ab" for data in (b"old", b"new")}
