"""The settings of the open bench: changed undoably, kept soon after, and judged by the rules."""

from collections.abc import Mapping
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal, Slot
from PySide6.QtGui import QUndoCommand, QUndoStack

from nipper.app.jobs import Latest
from nipper.core.errors import NipperError
from nipper.core.findings import Finding
from nipper.core.setup import Setup, put
from nipper.store import Bench

if TYPE_CHECKING:
    from nipper.core.rules import Evidence

SETTLE_MS = 400  # after the last change: a drag is one write
RETRY_MS = 5000  # after a write that failed: room may have been made


class Settings(QObject):
    """The settings as they stand.

    ``changed`` and ``saved`` carry them; ``saved`` also the former.
    """

    changed = Signal(object)  # Setup
    saved = Signal(object, object)  # Setup, the one before
    trouble = Signal(str)  # empty when it is over

    def __init__(self, bench: Bench, parent: QObject) -> None:
        super().__init__(parent)
        self._bench = bench
        self.undo_stack = QUndoStack(self)
        self._setup = self._saved = bench.setup()
        self._drag = 0
        self._failed = False
        self._settle = QTimer(self, singleShot=True)
        self._settle.timeout.connect(self.try_to_save)

    @property
    def setup(self) -> Setup:
        """The settings as they stand."""
        return self._setup

    def change(self, changes: Mapping[str, object], text: str, merge: str = "") -> bool:
        """Change settings, undoably; False when they cannot stand.

        Changes with the same ``merge`` word in a row become one step, until they settle.
        """
        try:
            new = put(self._setup, changes)
        except NipperError as error:
            self.trouble.emit(str(error))
            return False
        if new != self._setup:
            word = f"{merge} {self._drag}" if merge else ""
            self.undo_stack.push(_Change(self, self._setup, new, text, word))
        return True

    def replace(self, setup: Setup, text: str) -> bool:
        """Make another setup the settings, undoably. False when it is the same."""
        if setup == self._setup:
            return False
        self.undo_stack.push(_Change(self, self._setup, setup, text, ""))
        return True

    def settle(self) -> None:
        """A drag has ended: what comes next is a step of its own, and this one is kept now."""
        self._drag += 1
        self.try_to_save()

    def show(self, setup: Setup) -> None:
        """Make these the settings, without a new undo step (undo and redo come here)."""
        self._setup = setup
        self.changed.emit(setup)
        self._settle.start(SETTLE_MS)

    @Slot()
    def try_to_save(self) -> bool:
        """Keep the settings. Where that fails it is told, and tried again by itself."""
        try:
            self.save()
        except NipperError as error:
            self._failed = True
            self.trouble.emit(str(error))
            self._settle.start(RETRY_MS)
            return False
        if self._failed:
            self._failed = False
            self.trouble.emit("")
        return True

    def save(self) -> None:
        """Keep the settings in the bench file; :class:`NipperError` when it cannot be written."""
        self._settle.stop()
        if self._setup != self._saved:
            self._bench.save_setup(self._setup)
            before, self._saved = self._saved, self._setup
            self.saved.emit(self._setup, before)

    def are_safe(self) -> None:
        """They are kept elsewhere: this bench need not be written any more."""
        self._saved = self._setup

    def close(self) -> None:
        """What is not kept by now is not kept."""
        self.try_to_save()
        self._settle.stop()


class Judgement(QObject):
    """What the rules say of the settings, asked off the window's thread; the newest question
    wins.
    """

    changed = Signal(object)  # list[Finding]

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.findings: list[Finding] = []
        self._latest = Latest(judge, self)
        self._latest.answered.connect(self._judged)

    @property
    def busy(self) -> bool:
        """Whether an answer is still to come."""
        return self._latest.busy

    def ask(self, setup: Setup, evidence: "Evidence | None") -> None:
        """Judge these settings by what the logs say."""
        self._latest.ask(setup, evidence)

    @Slot(object)
    def _judged(self, findings: list[Finding]) -> None:
        self.findings = findings
        self.changed.emit(findings)


def judge(setup: Setup, evidence: "Evidence | None") -> list[Finding]:
    """All rules over the settings. Runs in a worker thread."""
    from nipper.core.rules import check

    return check(setup, evidence)


class _Change(QUndoCommand):
    """One step of the settings; steps of one drag merge."""

    def __init__(
        self, settings: Settings, before: Setup, after: Setup, text: str, merge: str
    ) -> None:
        super().__init__(text)
        self._settings, self.before, self.after, self.merge = settings, before, after, merge

    def redo(self) -> None:
        self._settings.show(self.after)

    def undo(self) -> None:
        self._settings.show(self.before)

    def id(self) -> int:
        return hash(self.merge) & 0x7FFFFFFF if self.merge else -1

    def mergeWith(self, other: QUndoCommand) -> bool:  # noqa: N802 - Qt's name
        if not isinstance(other, _Change) or other.merge != self.merge or not self.merge:
            return False
        self.after = other.after
        return True
