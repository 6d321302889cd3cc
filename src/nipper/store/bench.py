"""A bench: one SQLite file with the setup, its revisions, the imported logs and the events."""

import sqlite3
import time
from collections.abc import Callable
from contextlib import AbstractContextManager
from dataclasses import dataclass
from pathlib import Path

from nipper.core.errors import InputError
from nipper.core.setup import Setup, dumps, loads_kept
from nipper.core.setup import pack_names as names_of
from nipper.core.setup.packs import default_name
from nipper.store.file import BenchFile
from nipper.store.history import History, insert_revision
from nipper.store.logs import Logs
from nipper.store.shelf import Shelf


@dataclass(frozen=True, slots=True)
class Pack:
    """One of the packs in parallel."""

    id: int
    name: str


class Bench:
    """An open bench: its settings and packs, and beside them its history, logs and shelf.

    May be used from any thread. ``clock`` gives the time of what is kept, in Unix seconds.
    """

    def __init__(self, file: BenchFile, clock: Callable[[], float] = time.time) -> None:
        self._file = file
        self.clock = clock
        self.history = History(file, clock)
        self.logs = Logs(file, clock)
        self.shelf = Shelf(file)

    @classmethod
    def create(
        cls,
        path: str | Path,
        setup: Setup,
        pack_names: list[str] | None = None,
        clock: Callable[[], float] = time.time,
    ) -> "Bench":
        """Make a new bench file; an existing one of that name is not touched.

        Raises
        ------
        InputError
            The file exists, or cannot be written.
        """
        names = pack_names or list(names_of(setup))

        def fill(db: sqlite3.Connection) -> None:
            _insert_packs(db, names)
            db.execute("INSERT INTO settings VALUES ('setup', ?)", (dumps(setup),))
            insert_revision(db, clock(), "draft", "first settings", setup)

        return cls(BenchFile.create(Path(path), fill), clock)

    @classmethod
    def open(cls, path: str | Path, clock: Callable[[], float] = time.time) -> "Bench":
        """Open a bench file, bringing an older one up to date (a copy is kept beside it).

        Raises
        ------
        InputError
            No such file, another kind of file, damaged, newer than this program, or in use.
        ReadOnlyError
            It can be read and not written.
        """
        bench = cls(BenchFile.open(Path(path)), clock)
        try:
            bench.setup()
            if not bench.packs():
                raise InputError(str(path), "its packs", "a pack, there is none")
        except BaseException:
            bench.close()
            raise
        return bench

    @property
    def path(self) -> Path:
        """Where it was opened."""
        return self._file.path

    def close(self) -> None:
        """Let go of the file. Everything confirmed is already in it."""
        self._file.close()

    def copy_to(self, path: Path, setup: Setup | None = None) -> None:
        """Write the bench as it stands to another file, with ``setup`` as its settings where given.

        Raises
        ------
        InputError
            The file is the bench itself, open in a window, or cannot be written.
        """
        self._file.copy_to(path, lambda db: None if setup is None else _update_setup(db, setup))

    def together(self) -> AbstractContextManager[object]:
        """Make what is kept within the block one step: all of it, or nothing."""
        return self._file.write()

    # settings

    def setup(self) -> Setup:
        """The settings as they stand."""
        return self._kept_setup()[0]

    def mended(self) -> tuple[str, ...]:
        """Which settings were beyond all bounds and are read as the bound, as words."""
        return self._kept_setup()[1]

    def _kept_setup(self) -> tuple[Setup, tuple[str, ...]]:
        rows = self._file.rows("SELECT value FROM settings WHERE key = 'setup'")
        if not rows:
            raise InputError(str(self.path), "its settings", "a setup, there is none")
        return loads_kept(rows[0][0], str(self.path))

    def save_setup(self, setup: Setup) -> None:
        """Keep the settings as they stand."""
        with self._file.write() as db:
            _update_setup(db, setup)

    # packs

    def packs(self) -> list[Pack]:
        """The packs, in the order they were named."""
        return [Pack(*row) for row in self._file.rows("SELECT id, name FROM packs ORDER BY id")]

    def rename_pack(self, pack: int, name: str) -> None:
        """Give a pack another name."""
        with self._file.write() as db:
            db.execute("UPDATE packs SET name = ? WHERE id = ?", (name, pack))

    def ensure_packs(self, count: int) -> None:
        """Add packs until there are as many as the setup says; none is ever taken away."""
        have = len(self.packs())
        if have < count:
            with self._file.write() as db:
                _insert_packs(db, [default_name(i) for i in range(have, count)])


def _insert_packs(db: sqlite3.Connection, names: list[str]) -> None:
    db.executemany("INSERT INTO packs (name) VALUES (?)", [(name,) for name in names])


def _update_setup(db: sqlite3.Connection, setup: Setup) -> None:
    db.execute("UPDATE settings SET value = ? WHERE key = 'setup'", (dumps(setup),))
