"""Standard error kept clean of what compiled libraries write there by themselves.

Polars tells a panic on the process's standard error before it raises: of a stranger's file Nipper
says one line, and says it itself.
"""

import os
import threading
from collections.abc import Generator
from contextlib import contextmanager

STDERR = 2
_lock = threading.Lock()
_inside: list[int] = []  # one entry for each reader that is at work; the first holds the real one


@contextmanager
def quiet() -> Generator[None]:
    """Send the process's standard error nowhere for as long as any thread is inside."""
    _enter()
    try:
        yield
    finally:
        _leave()


def _enter() -> None:
    with _lock:
        if not _inside:
            try:
                _inside.append(os.dup(STDERR))
            except OSError:  # closed, as a desktop may start us: there is nothing to keep clean
                _inside.append(-1)
                return
            nowhere = os.open(os.devnull, os.O_WRONLY)
            os.dup2(nowhere, STDERR)
            os.close(nowhere)
        else:
            _inside.append(-1)


def _leave() -> None:
    with _lock:
        if len(_inside) > 1:
            _inside.pop()
            return
        real = _inside.pop()
        if real >= 0:
            os.dup2(real, STDERR)
            os.close(real)
