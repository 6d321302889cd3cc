"""A bench: one SQLite file with the setup, its revisions, the imported logs and the events."""

import json
import sqlite3
import threading
import time
from collections.abc import Callable, Iterator, Mapping
from contextlib import closing, contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from nipper.core.errors import InputError, NipperError
from nipper.core.setup import Setup, dumps, loads
from nipper.store import schema

if TYPE_CHECKING:
    from nipper.core.logs.model import Log


@dataclass(frozen=True, slots=True)
class Pack:
    """One of the packs in parallel."""

    id: int
    name: str


@dataclass(frozen=True, slots=True)
class Revision:
    """The settings at one time: ``kind`` is draft, typed in or read back."""

    id: int
    time_s: float
    kind: str
    note: str
    setup: Setup


@dataclass(frozen=True, slots=True)
class ImportedLog:
    """A log file as it was imported."""

    id: int
    pack: int
    file: str
    imported_s: float
    rows: int
    first_s: float
    last_s: float


@dataclass(frozen=True, slots=True)
class BenchEvent:
    """What was done and when: bars retorqued, absorption lengthened. ``pack`` None means all."""

    id: int
    time_s: float
    pack: int | None
    kind: str
    note: str


class Bench:
    """An open bench file. May be used from any thread; one at a time goes in."""

    def __init__(self, path: Path, connection: sqlite3.Connection) -> None:
        self.path = path
        self._connection = connection
        self._lock = threading.RLock()

    # opening

    @classmethod
    def create(cls, path: str | Path, setup: Setup, pack_names: list[str] | None = None) -> "Bench":
        """Make a new bench file; an existing one of that name is not touched.

        Raises
        ------
        InputError
            The file exists, or cannot be written.
        """
        path = Path(path)
        if path.exists():
            raise InputError(str(path), "the file", "a name that is not taken")
        bench = cls(path, _connect(path))
        try:
            _prepare(bench._connection)
            schema.create(bench._connection)
            _claim(bench._connection)
            names = pack_names or [
                f"Pack {chr(65 + i)}" if i < 26 else f"Pack {i + 1}"
                for i in range(setup.packs_in_parallel)
            ]
            with bench._write() as db:
                db.executemany("INSERT INTO packs (name) VALUES (?)", [(name,) for name in names])
                db.execute("INSERT INTO settings VALUES ('setup', ?)", (dumps(setup),))
                _add_revision(db, "draft", "first settings", setup)
        except sqlite3.Error as error:
            bench.close()
            raise InputError(
                str(path), "the file", f"a place that can be written ({error})"
            ) from None
        return bench

    @classmethod
    def open(cls, path: str | Path) -> "Bench":
        """Open a bench file, bringing an older one up to date (a copy is kept beside it).

        Raises
        ------
        InputError
            No such file, another kind of file, damaged, of a newer version, or open in another window.
        """
        path = Path(path)
        if not path.is_file():
            raise InputError(str(path), "the file", "a bench file, there is none")
        with path.open("rb") as file:
            head = file.read(16)
        if head != b"SQLite format 3\x00":
            raise InputError(
                str(path), "the first bytes", "a Nipper bench, this is another kind of file"
            )
        connection = _connect(path)
        try:
            _prepare(connection)
            version = schema.examine(connection, path)
            _claim(connection)
            schema.migrate(connection, path, version)
            bench = cls(path, connection)
            bench.setup()
            bench.packs()
        except sqlite3.OperationalError as error:
            connection.close()
            if "locked" in str(error):
                raise InputError(
                    str(path), "the file", "a bench no other window has open, this one is in use"
                ) from None
            raise InputError(
                str(path), "the file", f"a bench that can be written ({error})"
            ) from None
        except sqlite3.DatabaseError as error:
            connection.close()
            raise InputError(str(path), "its tables", f"an undamaged bench ({error})") from None
        except NipperError:
            connection.close()
            raise
        return bench

    def close(self) -> None:
        """Let go of the file. Everything confirmed is already in it."""
        with self._lock:
            self._connection.close()

    def copy_to(self, path: Path) -> None:
        """Write the bench as it stands to another file; what stood there is replaced once the copy is whole.

        Raises
        ------
        InputError
            The file is the bench itself, or cannot be written.
        """
        if path.resolve() == self.path.resolve():
            raise InputError(str(path), "the file", "another name than the open bench's own")
        partial = path.with_name(path.name + ".partial")
        try:
            partial.unlink(missing_ok=True)
            with self._lock, closing(sqlite3.connect(partial)) as target:
                self._connection.backup(target)
            partial.replace(path)
            # a journal left by a crash belongs to the file replaced, and would be rolled back into the copy
            path.with_name(path.name + "-journal").unlink(missing_ok=True)
        except (OSError, sqlite3.Error) as error:
            raise InputError(
                str(path), "the file", f"a place that can be written ({error})"
            ) from None

    @contextmanager
    def _write(self) -> Iterator[sqlite3.Connection]:
        """One transaction: all of it, or nothing."""
        with self._lock:
            self._connection.execute("BEGIN IMMEDIATE")
            try:
                yield self._connection
            except BaseException:
                self._connection.execute("ROLLBACK")
                raise
            self._connection.execute("COMMIT")

    def _rows(self, sql: str, values: tuple[object, ...] = ()) -> list[tuple]:
        with self._lock:
            return self._connection.execute(sql, values).fetchall()

    # settings

    def setup(self) -> Setup:
        """The settings as they stand."""
        rows = self._rows("SELECT value FROM settings WHERE key = 'setup'")
        if not rows:
            raise InputError(str(self.path), "its settings", "a setup, there is none")
        return loads(rows[0][0], str(self.path))

    def save_setup(self, setup: Setup) -> None:
        """Keep the settings as they stand."""
        with self._write() as db:
            db.execute("UPDATE settings SET value = ? WHERE key = 'setup'", (dumps(setup),))

    def add_revision(self, kind: str, note: str, setup: Setup, time_s: float | None = None) -> None:
        """Keep the settings as a dated revision: ``kind`` is draft, typed in or read back."""
        with self._write() as db:
            _add_revision(db, kind, note, setup, time_s)

    def revisions(self) -> list[Revision]:
        """All revisions, oldest first."""
        rows = self._rows("SELECT id, time_s, kind, note, setup FROM revisions ORDER BY time_s, id")
        return [
            Revision(i, t, kind, note, loads(text, str(self.path)))
            for i, t, kind, note, text in rows
        ]

    def packs(self) -> list[Pack]:
        """The packs, in the order they were named."""
        return [Pack(*row) for row in self._rows("SELECT id, name FROM packs ORDER BY id")]

    def rename_pack(self, pack: int, name: str) -> None:
        """Give a pack another name."""
        with self._write() as db:
            db.execute("UPDATE packs SET name = ? WHERE id = ?", (name, pack))

    def ensure_packs(self, count: int) -> None:
        """Add packs until there are as many as the setup says; none is ever taken away."""
        missing = count - len(self.packs())
        if missing > 0:
            with self._write() as db:
                have = db.execute("SELECT count(*) FROM packs").fetchone()[0]
                db.executemany(
                    "INSERT INTO packs (name) VALUES (?)",
                    [(f"Pack {chr(65 + (have + i) % 26)}",) for i in range(missing)],
                )

    # logs

    def import_log(
        self,
        pack: int,
        log: "Log",
        file: str,
        mapping: Mapping[str, object] | None = None,
        tick: Callable[[float], None] = lambda _share: None,
    ) -> int:
        """Add a log's samples to a pack in one transaction; moments already there add nothing. Returns the rows added.

        Parameters
        ----------
        tick : called with the fraction done; what it raises undoes the whole import
        """
        from nipper.store import chunks  # tables are a heavy import, and opening a bench needs none

        known = self._times(pack, float(log.time_s[0]), float(log.time_s[-1]))
        if known.size:
            log = log.select(~np.isin(log.time_s, known))
        if not log.rows:
            return 0
        with self._write() as db:
            cursor = db.execute(
                "INSERT INTO logs (pack, file, imported_s, rows, first_s, last_s, mapping) VALUES (?, ?, ?, ?, ?, ?, ?)",
                (
                    pack,
                    file,
                    time.time(),
                    log.rows,
                    float(log.time_s[0]),
                    float(log.time_s[-1]),
                    None if mapping is None else json.dumps(mapping),
                ),
            )
            done = 0
            for stretch in chunks.split(log):
                db.execute(
                    "INSERT INTO chunks (log, first_s, last_s, rows, data) VALUES (?, ?, ?, ?, ?)",
                    (
                        cursor.lastrowid,
                        float(stretch.time_s[0]),
                        float(stretch.time_s[-1]),
                        stretch.rows,
                        chunks.pack(stretch),
                    ),
                )
                done += stretch.rows
                tick(done / log.rows)
        return log.rows

    def _times(self, pack: int, first_s: float, last_s: float) -> np.ndarray:
        from nipper.store import chunks

        rows = self._rows(
            "SELECT chunks.data FROM chunks JOIN logs ON logs.id = chunks.log WHERE logs.pack = ? AND chunks.last_s >= ? AND chunks.first_s <= ?",
            (pack, first_s, last_s),
        )
        return np.concatenate([chunks.times(data) for (data,) in rows]) if rows else np.empty(0)

    def load_log(
        self, pack: int, tick: Callable[[float], None] = lambda _share: None
    ) -> "Log | None":
        """All samples of a pack, in order of time; None when it has none."""
        from nipper.core.logs.model import join
        from nipper.store import chunks

        rows = self._rows(
            "SELECT chunks.id FROM chunks JOIN logs ON logs.id = chunks.log WHERE logs.pack = ? ORDER BY chunks.first_s",
            (pack,),
        )
        stretches = []
        for i, (chunk,) in enumerate(rows):
            stretches.append(
                chunks.unpack(self._rows("SELECT data FROM chunks WHERE id = ?", (chunk,))[0][0])
            )
            tick((i + 1) / len(rows))
        return join(stretches) if stretches else None

    def logs(self) -> list[ImportedLog]:
        """What was imported, oldest import first."""
        return [
            ImportedLog(*row)
            for row in self._rows(
                "SELECT id, pack, file, imported_s, rows, first_s, last_s FROM logs ORDER BY id"
            )
        ]

    def remove_log(self, log: int) -> None:
        """Take an imported log out again."""
        with self._write() as db:
            db.execute("DELETE FROM chunks WHERE log = ?", (log,))
            db.execute("DELETE FROM logs WHERE id = ?", (log,))

    def mapping(self, shape: str) -> dict[str, object] | None:
        """The column mapping confirmed for files of that shape, or None."""
        rows = self._rows("SELECT mapping FROM mappings WHERE shape = ?", (shape,))
        return json.loads(rows[0][0]) if rows else None

    def remember_mapping(self, shape: str, mapping: Mapping[str, object]) -> None:
        """Keep a confirmed column mapping for files of that shape."""
        with self._write() as db:
            db.execute(
                "INSERT OR REPLACE INTO mappings VALUES (?, ?, ?)",
                (shape, json.dumps(mapping), time.time()),
            )

    # events

    def value(self, key: str) -> str | None:
        """A small thing kept under a name; None when there is none."""
        found = self._rows("SELECT value FROM settings WHERE key = ?", (key,))
        return found[0][0] if found else None

    def keep_value(self, key: str, value: str) -> None:
        """Keep a small thing under a name."""
        with self._write() as connection:
            connection.execute(
                "INSERT OR REPLACE INTO settings (key, value) VALUES (?, ?)", (key, value)
            )

    def events(self) -> list[BenchEvent]:
        """All events, oldest first."""
        return [
            BenchEvent(*row)
            for row in self._rows(
                "SELECT id, time_s, pack, kind, note FROM events ORDER BY time_s, id"
            )
        ]

    def add_event(self, time_s: float, kind: str, note: str, pack: int | None = None) -> None:
        """Note what was done."""
        with self._write() as db:
            db.execute(
                "INSERT INTO events (time_s, pack, kind, note) VALUES (?, ?, ?, ?)",
                (time_s, pack, kind, note),
            )

    def remove_event(self, event: int) -> None:
        """Take an event out again."""
        with self._write() as db:
            db.execute("DELETE FROM events WHERE id = ?", (event,))

    # diagnoses

    def add_diagnosis(
        self, pack: int, document: Mapping[str, object], time_s: float | None = None
    ) -> None:
        """Keep a diagnosis with its date, so that the next one can tell what changed."""
        with self._write() as db:
            db.execute(
                "INSERT INTO diagnoses (time_s, pack, document) VALUES (?, ?, ?)",
                (time.time() if time_s is None else time_s, pack, json.dumps(document)),
            )

    def diagnoses(self, pack: int) -> list[tuple[float, dict[str, object]]]:
        """Kept diagnoses of a pack, oldest first: time and document."""
        return [
            (t, json.loads(text))
            for t, text in self._rows(
                "SELECT time_s, document FROM diagnoses WHERE pack = ? ORDER BY time_s, id", (pack,)
            )
        ]


def _connect(path: Path) -> sqlite3.Connection:
    try:
        return sqlite3.connect(path, timeout=0.2, isolation_level=None, check_same_thread=False)
    except sqlite3.Error as error:
        raise InputError(str(path), "the file", f"a place that can be written ({error})") from None


def _prepare(connection: sqlite3.Connection) -> None:
    connection.execute("PRAGMA foreign_keys = ON")
    connection.execute("PRAGMA synchronous = FULL")
    connection.execute("PRAGMA cell_size_check = ON")
    connection.execute("PRAGMA trusted_schema = OFF")  # benches come from strangers too


def _claim(connection: sqlite3.Connection) -> None:
    """Keep every other window out until this one closes: two of them would overwrite each other's settings."""
    connection.execute("PRAGMA locking_mode = EXCLUSIVE")
    connection.execute("BEGIN EXCLUSIVE")
    connection.execute("COMMIT")


def _add_revision(
    db: sqlite3.Connection, kind: str, note: str, setup: Setup, time_s: float | None = None
) -> None:
    db.execute(
        "INSERT INTO revisions (time_s, kind, note, setup) VALUES (?, ?, ?, ?)",
        (time.time() if time_s is None else time_s, kind, note, dumps(setup)),
    )
