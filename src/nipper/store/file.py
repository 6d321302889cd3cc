"""The bench file itself: made, opened, copied, and written one whole transaction at a time."""

import shutil
import sqlite3
import threading
from collections.abc import Callable, Generator
from contextlib import ExitStack, closing, contextmanager
from pathlib import Path
from typing import Any

from nipper.core.errors import InputError
from nipper.core.files import sweep, whole
from nipper.store import schema
from nipper.store.place import (
    Claim,
    GoneError,
    ReadOnlyError,
    identity,
    in_use,
    is_writable,
    settle,
)

SAFE = "what was kept before is safe, and the same can be tried again"
LEAVES_NOTHING = "PRAGMA journal_mode = MEMORY"  # for files that get their name when they are whole


class BenchFile:
    """An open bench file. May be used from any thread; one at a time goes in."""

    def __init__(self, path: Path, claim: Claim, connection: sqlite3.Connection) -> None:
        self.path = path
        self._claim, self._connection = claim, connection
        self._lock = threading.RLock()
        self._known: dict[tuple[str, tuple[object, ...]], list[tuple[Any, ...]]] = {}
        self._identity = identity(path)

    @classmethod
    def create(cls, path: Path, fill: Callable[[sqlite3.Connection], object]) -> "BenchFile":
        """Make a new file, whole or not at all; an existing one of that name is not touched.

        Raises
        ------
        InputError
            The name is taken, or the place cannot be written.
        """
        with Claim(path), told(path):
            if path.exists():
                raise InputError(str(path), "the file", "a name that is not taken")
            settle(path)
            with whole(path) as partial, closing(_connect(partial)) as db:
                db.execute(LEAVES_NOTHING)
                schema.create(db)
                db.execute("BEGIN")
                fill(db)
                db.execute("COMMIT")
        return cls.open(path)

    @classmethod
    def open(cls, path: Path) -> "BenchFile":
        """Open a file, bringing an older one up to date (a copy is kept beside it).

        Raises
        ------
        InputError
            No such file, another kind of file, damaged, newer than this program, in use.
        ReadOnlyError
            It can be read and not written.
        """
        if not path.is_file():
            raise InputError(str(path), "the file", "a bench file, there is none")
        if not is_writable(path):
            raise ReadOnlyError(path)
        with ExitStack() as undo, told(path):
            claim = undo.enter_context(Claim(path))
            sweep(path)
            db = undo.enter_context(closing(_connect(path)))
            version = schema.examine(db, path)
            _keep_others_out(db)
            schema.migrate(db, path, version)
            undo.pop_all()
        return cls(path, claim, db)

    def close(self) -> None:
        """Let go of the file. Everything confirmed is already in it."""
        with self._lock:
            self._connection.close()
            self._claim.release()

    def rows(self, sql: str, values: tuple[object, ...] = ()) -> list[tuple[Any, ...]]:
        """What a question finds."""
        with self._lock, told(self.path):
            return self._connection.execute(sql, values).fetchall()

    def known(self, sql: str, values: tuple[object, ...] = ()) -> list[tuple[Any, ...]]:
        """The same, remembered until something is written: for what is asked at every turn. Not to
        be changed by whoever asks.
        """
        with self._lock:
            if self._connection.in_transaction:  # what is not confirmed yet may not stay
                return self.rows(sql, values)
            if (sql, values) not in self._known:
                self._known[sql, values] = self.rows(sql, values)
            return self._known[sql, values]

    @contextmanager
    def write(self) -> Generator[sqlite3.Connection]:
        """One transaction: all of it, or nothing.

        Raises
        ------
        GoneError
            The file is no longer where it was opened; everything can still be read and copied.
        InputError
            No room, no right to write, or damage. Nothing of the block was kept.
        """
        db = self._connection
        with self._lock, told(self.path):
            if db.in_transaction:  # a part of a larger step, which ends it
                yield db
                return
            if identity(self.path) != self._identity:
                raise GoneError(self.path)
            try:
                db.execute("BEGIN IMMEDIATE")
                yield db
                db.execute("COMMIT")
            finally:
                self._known.clear()
                if db.in_transaction:
                    db.execute("ROLLBACK")

    def copy_to(
        self, path: Path, amend: Callable[[sqlite3.Connection], object] = lambda _db: None
    ) -> None:
        """Write the bench as it stands to another file, whole or not at all.

        Parameters
        ----------
        path : what stood there is replaced
        amend : what the copy holds beyond the bench

        Raises
        ------
        InputError
            The file is this bench itself, open elsewhere, or cannot be written.
        """
        if path.resolve() == self.path.resolve() and identity(path) == self._identity:
            raise InputError(str(path), "the file", "another name than the open bench's own")
        with ExitStack() as held, told(path):
            if path.resolve() != self.path.resolve():
                held.enter_context(Claim(path))
            settle(path)
            with whole(path) as partial, closing(sqlite3.connect(partial)) as target:
                target.execute(LEAVES_NOTHING)
                with self._lock:
                    self._connection.backup(target)
                with target:
                    amend(target)


def copy_read_only(path: Path, to: Path) -> None:
    """Copy a bench that cannot be written to a place where it can; an existing file is not touched.

    Raises
    ------
    InputError
        It cannot be read, or the place cannot be written.
    """
    with Claim(to), told(to):
        if to.exists():
            raise InputError(str(to), "the file", "a name that is not taken")
        settle(to)
        with whole(to) as partial:
            _copy_with_journal(path, partial)


def _copy_with_journal(path: Path, partial: Path) -> None:
    """The journal goes along: where a crash left one, the file alone is not the whole bench."""
    journal, beside = (p.with_name(p.name + "-journal") for p in (path, partial))
    beside.unlink(missing_ok=True)
    shutil.copyfile(path, partial)
    try:
        if journal.exists():
            shutil.copyfile(journal, beside)
        with closing(_connect(partial)) as db:
            schema.examine(db, path)
    finally:
        beside.unlink(missing_ok=True)


def _connect(path: Path) -> sqlite3.Connection:
    db = sqlite3.connect(path, timeout=0.2, isolation_level=None, check_same_thread=False)
    try:
        db.execute("PRAGMA foreign_keys = ON")
        db.execute("PRAGMA synchronous = FULL")
        db.execute("PRAGMA cell_size_check = ON")
        db.execute("PRAGMA trusted_schema = OFF")  # benches come from strangers too
    except UnicodeDecodeError:  # of SQLite's own words about what is damaged
        raise sqlite3.DatabaseError("file is damaged") from None
    return db


def _keep_others_out(db: sqlite3.Connection) -> None:
    """Programs that know nothing of our lock see SQLite's own."""
    db.execute("PRAGMA locking_mode = EXCLUSIVE")
    db.execute("BEGIN EXCLUSIVE")
    db.execute("COMMIT")


@contextmanager
def told(path: Path) -> Generator[None]:
    """What the file or the disk can cause becomes one line; a mistake of ours stays what it is."""
    try:
        yield
    except (sqlite3.IntegrityError, sqlite3.ProgrammingError):
        raise
    except sqlite3.DatabaseError as error:
        raise _as_input_error(path, error) from None


def _as_input_error(path: Path, error: sqlite3.DatabaseError) -> InputError:
    file = str(path)
    match getattr(error, "sqlite_errorcode", sqlite3.SQLITE_ERROR) & 0xFF:
        case sqlite3.SQLITE_BUSY | sqlite3.SQLITE_LOCKED:
            return in_use(path)
        case sqlite3.SQLITE_READONLY | sqlite3.SQLITE_PERM:
            return ReadOnlyError(path)
        case sqlite3.SQLITE_FULL:
            return InputError(file, "the file", f"room on the disk, there is none: {SAFE}")
        case sqlite3.SQLITE_NOTADB:
            expected = "a Nipper bench, this is another kind of file"
            return InputError(file, "the first bytes", expected)
        case sqlite3.SQLITE_IOERR | sqlite3.SQLITE_CANTOPEN:
            return InputError(file, "the file", f"a disk that can be written ({error}): {SAFE}")
        case _:
            return InputError(file, "its tables", f"an undamaged bench ({error})")
