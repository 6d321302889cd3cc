"""Cyclic garbage is collected in the window's thread, and at moments that suit it.

Python collects in whichever thread has just made enough objects. In a worker's thread that would
destroy widgets and timers there, for which Qt ends the process; and a full collection, a tenth of a
second or two with all stages built, could fall into a drag. Nine tenths of what it would look at
are the program itself, which stays: it is put aside.
"""

import gc

from PySide6.QtCore import QObject, Qt, QTimer, Slot
from PySide6.QtWidgets import QApplication

SWEEP_MS = 100
FULL_AFTER = 10  # collections of the middle generation, as Python itself: ten seconds of hard work


class Sweeper(QObject):
    """Takes over from Python's own collector for as long as it lives."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        gc.disable()
        self.destroyed.connect(gc.enable)
        timer = QTimer(self, interval=SWEEP_MS)
        timer.timeout.connect(self.sweep)
        timer.start()

    @Slot()
    def sweep(self) -> None:
        """Collect what has grown past Python's own limits; all of it never during a drag."""
        young, middle, old = gc.get_count()
        most_young, most_middle, _ = gc.get_threshold()
        dragging = QApplication.mouseButtons() != Qt.MouseButton.NoButton
        if old > FULL_AFTER and not dragging:
            gc.collect()
        elif middle > most_middle:
            gc.collect(1)
        elif young > most_young:
            gc.collect(0)


_ASIDE: list[int] = []  # how much there was, each time


def put_aside(*_: object) -> None:
    """What is there now stays until the end: no collection looks through it any more."""
    gc.freeze()
    _ASIDE.append(gc.get_freeze_count())


def aside() -> int:
    """How often something has been put aside: by how much tells nothing, since what is aside can
    go, and other things come to lie there.
    """
    return len(_ASIDE)


def look_again(before: int) -> None:
    """A bench has closed that was opened when so often something was aside: where more is by now,
    its logs may be among it, and all is looked through once.
    """
    if aside() > before:
        gc.unfreeze()
        gc.collect()
        put_aside()
