"""Memory that was freed goes back to the system.

Left to itself the C library keeps what diagnoses and rehearsed years have freed, a heap for each
thread: after an hour of random events more than a gigabyte, of which three hundred megabytes were
in use.
"""

import ctypes
import resource
import threading
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, QTimer, Slot

ARENA_MAX, MMAP_THRESHOLD = -8, -3  # of mallopt: the GNU C library's malloc.h
HEAPS = 2
LARGE_BYTES = 2 << 20  # such blocks are the system's at once; left alone it keeps up to 32 MB each
LOOK_MS = 10_000
GROWN_BYTES = 64e6  # since it was last given back: less is not worth the while


def held_bytes() -> float:
    """What this process holds now; nothing, where the system does not tell."""
    try:
        pages = int(Path("/proc/self/statm").read_text().split()[1])
    except OSError:
        return 0.0
    return float(pages * resource.getpagesize())


def keep_little() -> None:
    """Ask the C library to, before the first thread; another library than GNU's is left alone."""
    library = _library()
    if hasattr(library, "mallopt"):
        library.mallopt(ARENA_MAX, HEAPS)
        library.mallopt(MMAP_THRESHOLD, LARGE_BYTES)


def _library() -> Any:
    return ctypes.CDLL(None)


class GivesBack(QObject):
    """Looks from time to time whether there is much to give back, and does it beside the window's
    thread: it takes some ten milliseconds.
    """

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._held = held_bytes()
        timer = QTimer(self, interval=LOOK_MS)
        timer.timeout.connect(self.look)
        timer.start()

    @Slot()
    def look(self) -> None:
        """Give back what is not in use, where it has become much."""
        if held_bytes() > self._held + GROWN_BYTES and hasattr(_library(), "malloc_trim"):
            threading.Thread(target=self.give_back, daemon=True).start()

    def give_back(self) -> None:
        """Now."""
        _library().malloc_trim(0)
        self._held = held_bytes()
