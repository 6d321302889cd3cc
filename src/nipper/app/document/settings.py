"""The settings of the open bench: changed undoably, kept soon after, and judged by the rules."""

from collections.abc import Mapping
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal, Slot
from PySide6.QtGui import QUndoCommand, QUndoStack

from nipper.app.jobs import Latest
from nipper.core.errors import NipperError
from nipper.core.findings import Finding
from nipper.core.setup import Setup, pack_setup, put, put_all, put_own
from nipper.store import Bench

if TYPE_CHECKING:
    from nipper.core.rules import Evidence

SETTLE_MS = 400  # after the last change: a drag is one write
RETRY_MS = 5000  # after a write that failed: room may have been made
MOST_UNDONE = 1000  # steps: each holds two banks


class Settings(QObject):
    """The settings as they stand: the bank's, and of these the shown pack's.

    ``changed`` carries the shown pack's; ``saved`` the bank's, and the former.
    """

    changed = Signal(object)  # Setup
    saved = Signal(object, object)  # Setup, the one before
    scope_changed = Signal(bool)
    trouble = Signal(str)  # empty when it is over
    rested = Signal()  # a drag is over

    def __init__(self, bench: Bench, parent: QObject) -> None:
        super().__init__(parent)
        self._bench = bench
        self.undo_stack = QUndoStack(self)
        self.undo_stack.setUndoLimit(MOST_UNDONE)
        self._bank = self._saved = bench.setup()
        self._number, self._only_shown = 0, False
        self._shown = pack_setup(self._bank, 0)
        self._drag, self._dragging = 0, False
        self._failed = False
        self._settle = QTimer(self, singleShot=True)
        self._settle.timeout.connect(self.try_to_save)

    @property
    def bank(self) -> Setup:
        """The settings of the bank, with what each pack has of its own."""
        return self._bank

    @property
    def setup(self) -> Setup:
        """The settings of the shown pack."""
        return self._shown

    @property
    def number(self) -> int:
        """Which pack is shown, from 0."""
        return self._number

    @property
    def only_shown(self) -> bool:
        """Whether changes are made to the shown pack only, not to all."""
        return self._only_shown

    def show_pack(self, number: int) -> None:
        """Show another pack's settings."""
        before, self._number = self._shown, number
        self._shown = pack_setup(self._bank, number)
        if self._shown != before:
            self.changed.emit(self._shown)

    def show_again(self) -> None:
        """Have everything that shows settings made anew, as after a change."""
        self.changed.emit(self._shown)

    def set_scope(self, only_shown: bool) -> None:
        """Change all packs, or the shown one only."""
        if only_shown != self._only_shown:
            self._only_shown = only_shown
            self.scope_changed.emit(only_shown)

    def change(self, changes: Mapping[str, object], text: str, merge: str = "") -> bool:
        """Change settings, undoably; False when they cannot stand.

        Changes with the same ``merge`` word in a row become one step, until they settle. Paths of
        one pack (``packs[1]. …``) go to that pack, others to all packs or the shown one.
        """
        try:
            new = self._changed(changes)
        except NipperError as error:
            self.trouble.emit(str(error))
            return False
        if new != self._bank:
            self._dragging = bool(merge)
            word = f"{merge} {self._drag}" if merge else ""
            self.undo_stack.push(_Change(self, self._bank, new, text, word))
        return True

    def enter(self, changes: Mapping[str, object], text: str) -> bool:
        """Change settings and keep them now: what was typed or chosen, not dragged."""
        found = self.change(changes, text)
        if found:
            self.settle()
        return found

    def _changed(self, changes: Mapping[str, object]) -> Setup:
        of_one = {path: value for path, value in changes.items() if path.startswith("packs[")}
        plain = {path: value for path, value in changes.items() if path not in of_one}
        new = put(self._bank, of_one) if of_one else self._bank
        if self._only_shown and new.packs_in_parallel > 1:
            return put_own(new, self._number, plain)
        return put_all(new, plain) if new.packs else put(new, plain)

    def replace(self, setup: Setup, text: str) -> bool:
        """Make another bank's setup the settings, undoably. False when it is the same."""
        if setup == self._bank:
            return False
        self.undo_stack.push(_Change(self, self._bank, setup, text, ""))
        return True

    @property
    def dragging(self) -> bool:
        """Whether a hand is on a limit, and more changes come at once."""
        return self._dragging

    def settle(self) -> None:
        """A drag has ended: what comes next is a step of its own, and this one is kept now."""
        self._drag += 1
        self.try_to_save()

    def show(self, setup: Setup) -> None:
        """Make these the settings, without a new undo step (undo and redo come here)."""
        self._bank, self._shown = setup, pack_setup(setup, self._number)
        self.changed.emit(self._shown)
        self._settle.start(SETTLE_MS)

    @Slot()
    def try_to_save(self) -> bool:
        """Keep the settings. Where that fails it is told, and tried again by itself."""
        if self._dragging:
            self._dragging = False
            self.rested.emit()
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
        if self._bank != self._saved:
            self._bench.save_setup(self._bank)
            before, self._saved = self._saved, self._bank
            self.saved.emit(self._bank, before)

    def are_safe(self) -> None:
        """They are kept elsewhere: this bench need not be written any more."""
        self._saved = self._bank

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

    def ask(self, bank: Setup, evidence: "Evidence | None", shown: int = 0) -> None:
        """Judge these settings by what the logs say of the shown pack."""
        self._latest.ask(bank, evidence, shown)

    @Slot(object)
    def _judged(self, findings: list[Finding]) -> None:
        self.findings = findings
        self.changed.emit(findings)


def judge(bank: Setup, evidence: "Evidence | None", shown: int = 0) -> list[Finding]:
    """All rules over the settings, as they are seen with that pack. Runs in a worker thread."""
    from nipper.core.rules import check, for_pack

    return [for_pack(finding, shown) for finding in check(bank, evidence, shown)]


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
