"""The walk of a cell that strays: made by runs of this pack, off the window's thread, once a
setup.
"""

from collections.abc import Callable

from PySide6.QtCore import QObject, Signal, Slot

from nipper.app.document import Document
from nipper.app.jobs import Answer
from nipper.core.setup import Setup
from nipper.core.upkeep.meter import Walk

NEVER_FULL = (
    "With these settings the pack is not filled in a week of clear days: no charge tells its cells "
    "apart. Charge shows why."
)


def stray_work(setup: Setup, tick: Callable[[float], None]) -> tuple[Setup, Walk | None]:
    """Run in a worker thread; the compiler, if it is needed, in a process of its own."""
    from nipper.core.simulate.compiled import make_ready

    make_ready()
    from nipper.core.upkeep.stray import stray_walk

    return setup, stray_walk(setup, tick)


class Stray(QObject):
    """``changed``: the walk has come, or how far it is."""

    changed = Signal()

    def __init__(self, document: Document, parent: QObject) -> None:
        super().__init__(parent)
        self._document = document
        self._share = 0.0
        self._asked: Setup | None = None
        self._answer: Answer[tuple[Setup, Walk | None]] = Answer(
            stray_work, lambda: None, self, ticks=True
        )
        self._answer.came.connect(self._came)
        self._answer.progressed.connect(self._progressed)
        self._answer.failed.connect(self._failed)

    def ask(self) -> None:
        """Have the walk made for the settings as they stand, unless it is known or under way."""
        if self._asked != self._document.setup:
            self._asked, self._share = self._document.setup, 0.0
            self._answer.put(self._asked)

    @property
    def _found(self) -> tuple[Setup, Walk | None] | None:
        """The answer, if it is of the settings as they stand."""
        found = self._answer.value
        return found if found is not None and found[0] == self._document.setup else None

    @property
    def walk(self) -> Walk | None:
        """The walk of the settings as they stand; None while there is none."""
        return self._found[1] if self._found is not None else None

    @property
    def said(self) -> str:
        """Why there is none."""
        if self._found is not None:
            return NEVER_FULL
        return f"Ten causes are run on a copy of this pack: {self._share:.0%}"

    @Slot()
    def _came(self, *_: object) -> None:
        if self._found is None:  # the settings changed meanwhile
            self.ask()
        self.changed.emit()

    @Slot(str)
    def _failed(self, text: str) -> None:
        self._asked = None
        self._document.trouble.emit(text)

    @Slot(float)
    def _progressed(self, share: float) -> None:
        self._share = share
        self.changed.emit()
