"""Writing files so that a crash, a kill or a full disk leaves the old one or the new one, never
half of either.
"""

import os
from collections.abc import Generator
from contextlib import contextmanager, suppress
from pathlib import Path

from nipper.core.errors import InputError


@contextmanager
def whole(path: Path) -> Generator[Path]:
    """A name beside ``path`` to write to; flushed and put in its place when the block ends well.

    What an earlier, killed try left under that name is swept away.

    Raises
    ------
    InputError
        The place cannot be written, or is full.
    """
    target = Path(os.path.realpath(path))  # a link goes on pointing where it did
    partial = _beside(target)
    try:
        partial.unlink(missing_ok=True)
        yield partial
        _flush(partial)
        partial.replace(target)
        _flush(target.parent)
    except OSError as error:
        raise unwritable(path, error) from None
    finally:
        sweep(path)


def sweep(path: Path) -> None:
    """Take away what a killed try to write that file left beside it."""
    with suppress(OSError):  # the place is gone or closed to us: an error on its way says so
        _beside(Path(os.path.realpath(path))).unlink(missing_ok=True)


def write_whole(path: Path, data: bytes) -> None:
    """Write a file as a whole; :class:`InputError` when the place cannot be written."""
    if path.exists() and not path.is_file():
        _write_through(path, data)
        return
    with whole(path) as partial:
        partial.write_bytes(data)


def unwritable(path: Path, error: OSError) -> InputError:
    """The error of a place that cannot be written, as one line."""
    return InputError(
        str(path), "the file", f"a place that can be written ({error.strerror or error})"
    )


def _write_through(path: Path, data: bytes) -> None:
    """To a terminal, a pipe or another device: there is no old file to save, and no name to
    swap.
    """
    try:
        path.write_bytes(data)
    except OSError as error:
        raise unwritable(path, error) from None


def _beside(target: Path) -> Path:
    return target.with_name(f".{target.name}.partial")


def _flush(path: Path) -> None:
    handle = os.open(path, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
