"""A bench's place on the disk: kept from other windows while open, watched, and settled."""

import fcntl
import os
import sqlite3
from contextlib import closing, suppress
from pathlib import Path

from nipper.core.errors import InputError
from nipper.core.files import unwritable

MAGIC = b"SQLite format 3\x00"
LEFTOVERS = ("-journal", "-wal", "-shm")  # what SQLite keeps beside a database it is writing


class ReadOnlyError(InputError):
    """The bench can be read and not written: a copy of it can be worked on."""

    def __init__(self, path: Path) -> None:
        super().__init__(
            str(path), "the file", "a bench that can be written, this one is read-only"
        )


class GoneError(InputError):
    """The bench was taken away, or another file was put in its place, while it was open."""

    def __init__(self, path: Path) -> None:
        super().__init__(
            str(path),
            "the file",
            "the bench that was opened, it was taken away or replaced meanwhile. "
            "All of it is still here: save a copy under another name",
        )


class Claim:
    """The sole right to a bench, against other windows of this process and of others.

    A lock on a file of its own. SQLite's locks on the bench belong to the whole process, and fall
    as soon as *any* handle of that file is closed, by whatever in the process has read it.
    """

    def __init__(self, path: Path) -> None:
        target = Path(os.path.realpath(path))
        self._path = target.with_name(f".{target.name}.lock")
        try:
            self._handle = _lock(self._path)
        except BlockingIOError:
            raise in_use(path) from None
        except OSError as error:
            raise unwritable(path, error) from None

    def __enter__(self) -> "Claim":
        return self

    def __exit__(self, *_: object) -> None:
        self.release()

    def release(self) -> None:
        """Let others in. The name goes first, so that nobody locks a file already taken away."""
        if self._handle < 0:
            return
        with suppress(OSError):  # the folder itself may be gone
            self._path.unlink(missing_ok=True)
        os.close(self._handle)
        self._handle = -1


def _lock(path: Path) -> int:
    while True:
        handle = os.open(path, os.O_RDONLY | os.O_CREAT, 0o666)
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            os.close(handle)
            raise
        if identity(path) == identity(handle):
            return handle
        os.close(handle)  # its last owner took the name away between our opening and our locking


def identity(file: Path | int) -> tuple[int, int] | None:
    """Which file it is, whatever its name; None when there is none."""
    try:
        found = os.stat(file)
    except OSError:
        return None
    return found.st_dev, found.st_ino


def in_use(path: Path) -> InputError:
    """The error of a bench another window holds."""
    return InputError(str(path), "the file", "a bench no other window has open, this one is in use")


def is_writable(path: Path) -> bool:
    """Whether a bench there can be written: the file, and its folder for the journal and the
    lock.
    """
    return os.access(path, os.W_OK) and os.access(path.parent, os.W_OK)


def settle(path: Path) -> None:
    """End what a crash left of the bench that stands there, before another is put in its place.

    Its journal would be taken for the new one's, and rolled back into it.

    Raises
    ------
    InputError
        Leftovers lie there that belong to no bench.
    """
    if not _leftovers(path):
        return
    if path.exists():
        if not _is_database(path):
            raise InputError(str(path), "the file", "a name beside which no journal lies")
        with closing(sqlite3.connect(path, timeout=0.2, isolation_level=None)) as old:
            old.execute("BEGIN IMMEDIATE")  # what was half done is rolled back here
            old.execute("COMMIT")
    for leftover in _leftovers(path):
        leftover.unlink()


def _is_database(path: Path) -> bool:
    with path.open("rb") as file:
        return file.read(len(MAGIC)) == MAGIC


def _leftovers(path: Path) -> list[Path]:
    beside = [path.with_name(path.name + end) for end in LEFTOVERS]
    return [leftover for leftover in beside if leftover.exists()]
