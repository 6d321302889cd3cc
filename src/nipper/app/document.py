"""The open bench as the views see it: settings with undo, logs and judgements as they arrive, events. The one thing views share."""

import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal, Slot
from PySide6.QtGui import QUndoCommand, QUndoStack

from nipper.app.jobs import Job, Latest
from nipper.core.errors import NipperError
from nipper.core.findings import Finding
from nipper.core.setup import Module, Setup, put
from nipper.store import Bench, BenchEvent, Pack, Revision

if TYPE_CHECKING:
    from nipper.core.imbalance.diagnosis import Diagnosis
    from nipper.core.logs.model import Log
    from nipper.core.rules import Evidence


MODULES_KEY = "pv-modules"
SETTLE_MS = 400  # after the last change: a drag is one write
RETRY_MS = 5000  # after a write that failed: room may have been made


@dataclass(frozen=True, eq=False, slots=True)
class PackRecord:
    """A pack's log and what it says."""

    pack: Pack
    log: "Log"
    diagnosis: "Diagnosis"
    evidence: "Evidence"


def read_pack(
    bench: Bench, pack: Pack, setup: Setup, tick: Callable[[float], None] = lambda _share: None
) -> PackRecord | None:
    """Load a pack's samples and judge them; None when it has none. Runs in a worker thread."""
    from nipper.core.imbalance.diagnosis import diagnose
    from nipper.core.rules.measured import measured

    log = bench.logs.load(pack.id, lambda share: tick(0.3 * share))
    if log is None or log.cells != setup.cells:
        return None
    judged = diagnose(log, setup, lambda share: tick(0.3 + 0.7 * share))
    return PackRecord(pack, log, judged, measured(log, setup, judged.estimate))


def judge(setup: Setup, evidence: "Evidence | None") -> list[Finding]:
    """All rules over the settings."""
    from nipper.core.rules import check

    return check(setup, evidence)


class Document(QObject):
    """One open bench. Signals carry the new value."""

    setup_changed = Signal(object)  # Setup
    findings_changed = Signal(object)  # list[Finding]
    record_changed = Signal(int, object)  # pack id, PackRecord | None
    reading = Signal(int, float)  # pack id, fraction read
    pack_changed = Signal(int)
    events_changed = Signal(object)  # list[BenchEvent]
    trouble = Signal(str)

    def __init__(self, bench: Bench, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.bench = bench
        self.undo_stack = QUndoStack(self)
        self.packs = bench.packs()
        self.pack = self.packs[0]
        self.records: dict[int, PackRecord | None] = {}
        self.findings: list[Finding] = []
        self._setup = bench.setup()
        self._saved = self._setup
        self._drag = 0
        self._jobs: dict[int, Job] = {}
        self._judge = Latest(judge, self)
        self._judge.answered.connect(self._judged)
        self._settle = QTimer(self, singleShot=True)
        self._settle.timeout.connect(self.try_to_save)
        self._unsaved = False

    # settings

    @property
    def setup(self) -> Setup:
        """The settings as they stand."""
        return self._setup

    def change(self, changes: Mapping[str, object], text: str, merge: str = "") -> bool:
        """Change settings, undoably; changes with the same ``merge`` word in a row become one step. False when they cannot stand."""
        try:
            new = put(self._setup, changes)
        except NipperError as error:
            self.trouble.emit(str(error))
            return False
        if new != self._setup:
            self.undo_stack.push(
                _Change(self, self._setup, new, text, f"{merge} {self._drag}" if merge else "")
            )
        return True

    def replace_setup(self, setup: Setup, text: str) -> bool:
        """Make another setup the settings, as one undoable step. False when it is the same."""
        if setup == self._setup:
            return False
        self.undo_stack.push(_Change(self, self._setup, setup, text, ""))
        return True

    def settle(self) -> None:
        """A drag has ended: what comes next is a step of its own, and this one is kept now."""
        self._drag += 1
        self.try_to_save()

    def show_setup(self, setup: Setup) -> None:
        """Make these the settings, without a new undo step (undo and redo come here)."""
        self._setup = setup
        self.setup_changed.emit(setup)
        self.ask_rules()
        self._settle.start(SETTLE_MS)

    @Slot()
    def try_to_save(self) -> bool:
        """Keep the settings, soon after each change. Where that fails it is told, and tried again."""
        try:
            self.save()
        except NipperError as error:
            self._unsaved = True
            self.trouble.emit(str(error))
            self._settle.start(RETRY_MS)
            return False
        if self._unsaved:
            self._unsaved = False
            self.trouble.emit("")
        return True

    def save(self) -> None:
        """Keep the settings in the bench file; :class:`NipperError` when it cannot be written."""
        self._settle.stop()
        if self._setup == self._saved:
            return
        setup, before = self._setup, self._saved
        self.bench.save_setup(setup)
        self._saved = setup
        if setup.packs_in_parallel > len(self.packs):
            self.bench.ensure_packs(setup.packs_in_parallel)
            self.packs = self.bench.packs()
            self.pack_changed.emit(self.pack.id)
        if (
            before.cells != setup.cells
            or before.chemistry != setup.chemistry
            or before.capacity_ah != setup.capacity_ah
        ):
            self.read_all()

    def setup_is_safe(self) -> None:
        """The settings are kept elsewhere: this bench need not be written any more."""
        self._saved = self._setup

    def typed_revisions(self) -> list[Revision]:
        """What was typed in so far, oldest first."""
        return [r for r in self.bench.history.revisions() if r.kind == "typed in"]

    def note_read_back(self, shown: Setup, note: str) -> None:
        """Keep what the shown pack's BMS was read to hold."""
        of = f"{self.pack.name}: " if len(self.packs) > 1 else ""
        self.bench.history.add_revision("read back", of + note, shown)

    def settings_at(self, time_s: float) -> str:
        """Which settings were in the BMS at a moment, as words; empty before the first were typed in."""
        from nipper.core.report.readback import in_force

        revisions = self.bench.history.revisions()
        found = in_force(revisions, time_s)
        if found is None:
            return ""
        typed = [r for r in revisions if r.kind == "typed in" and r.time_s <= found.time_s]
        return f"revision {len(typed)}" + (", read back" if found.kind == "read back" else "")

    # rules

    @property
    def evidence(self) -> "Evidence | None":
        """What the shown pack's log says to the rules."""
        record = self.records.get(self.pack.id)
        return record.evidence if record else None

    def ask_rules(self) -> None:
        """Judge the settings anew, off the window's thread; the newest question wins."""
        self._judge.ask(self._setup, self.evidence)

    @Slot(object)
    def _judged(self, findings: list[Finding]) -> None:
        self.findings = findings
        self.findings_changed.emit(findings)

    # PV modules of the user's own

    def kept_modules(self) -> list[Module]:
        """The modules kept in this bench."""
        return [
            Module.model_validate(m)
            for m in json.loads(self.bench.shelf.value(MODULES_KEY) or "[]")
        ]

    def keep_module(self, module: Module) -> None:
        """Keep a module in this bench; one of the same name is replaced."""
        kept = [m for m in self.kept_modules() if m.name != module.name]
        self.bench.shelf.keep(MODULES_KEY, json.dumps([m.model_dump() for m in (*kept, module)]))

    def forget_module(self, name: str) -> None:
        """Take a module out of the bench's list."""
        self.bench.shelf.keep(
            MODULES_KEY, json.dumps([m.model_dump() for m in self.kept_modules() if m.name != name])
        )

    # packs and logs

    def choose_pack(self, pack_id: int) -> None:
        """Show another pack."""
        if pack_id == self.pack.id:
            return
        self.pack = next(p for p in self.packs if p.id == pack_id)
        self.pack_changed.emit(pack_id)
        self.ask_rules()

    @property
    def record(self) -> PackRecord | None:
        """The shown pack's log and what it says; None while there is none."""
        return self.records.get(self.pack.id)

    @property
    def busy(self) -> bool:
        """Whether logs are still being read."""
        return bool(self._jobs) or self._judge.busy

    @property
    def reading_log(self) -> bool:
        """Whether the shown pack's log is still being read."""
        return self.pack.id in self._jobs

    @property
    def reading_any(self) -> bool:
        """Whether any pack's log is still being read."""
        return bool(self._jobs)

    def rename_pack(self, pack_id: int, name: str) -> None:
        """Give a pack another name."""
        self.bench.rename_pack(pack_id, name)
        self.packs = self.bench.packs()
        self.pack = next(p for p in self.packs if p.id == self.pack.id)
        self.pack_changed.emit(self.pack.id)

    def remove_log(self, log: int) -> None:
        """Take a log's samples out of the bench, and judge its pack anew."""
        pack_id = next(entry.pack for entry in self.bench.logs.all() if entry.id == log)
        self.bench.logs.remove(log)
        self.read(next(p for p in self.packs if p.id == pack_id))

    def read_all(self) -> None:
        """Read and judge every pack's log, each in a worker thread."""
        for pack in self.packs:
            self.read(pack)

    def read(self, pack: Pack) -> None:
        """Read and judge one pack's log anew."""
        if pack.id in self._jobs:
            self._jobs[pack.id].cancel()
        job = Job(read_pack, self.bench, pack, self._setup, ticks=True)
        self._jobs[pack.id] = job
        job.setProperty("pack", pack.id)
        job.progressed.connect(self._reading)
        job.done.connect(self._read)
        job.failed.connect(self.trouble)
        job.ended.connect(self._read_ended)
        job.start()

    @Slot(float)
    def _reading(self, share: float) -> None:
        self.reading.emit(self.sender().property("pack"), share)

    @Slot(object)
    def _read(self, record: PackRecord | None) -> None:
        pack_id = self.sender().property("pack")
        self.records[pack_id] = record
        if record is not None:
            self._keep(record)
        if self._jobs.get(pack_id) is self.sender():
            del self._jobs[pack_id]  # done: whoever is told now must not find it still reading
        self.record_changed.emit(pack_id, record)
        if pack_id == self.pack.id:
            self.ask_rules()

    def _keep(self, record: PackRecord) -> None:
        """Keep the judgement with its date when it is another than the last one."""
        from nipper.core.imbalance.diagnosis import changed, summary

        now, kept = summary(record.diagnosis), self.bench.history.diagnoses(record.pack.id)
        if not kept or changed(kept[-1][1], now):
            self.bench.history.add_diagnosis(record.pack.id, now)

    @Slot()
    def _read_ended(self) -> None:
        job = self.sender()
        pack_id = job.property("pack")
        if self._jobs.get(pack_id) is job:
            del self._jobs[pack_id]

    # events

    def events(self) -> list[BenchEvent]:
        """What was done and when."""
        return self.bench.history.events()

    def add_event(self, time_s: float, kind: str, note: str, pack: int | None) -> None:
        """Note what was done."""
        self.bench.history.add_event(time_s, kind, note, pack)
        self.events_changed.emit(self.bench.history.events())

    def remove_event(self, event: int) -> None:
        """Take a note out again."""
        self.bench.history.remove_event(event)
        self.events_changed.emit(self.bench.history.events())

    def close(self) -> None:
        """Stop reading, let go of the file; what is not kept by now is not kept."""
        for job in self._jobs.values():
            job.cancel()
        self.try_to_save()
        self._settle.stop()
        self.bench.close()


class _Change(QUndoCommand):
    """One step of the settings; steps of one drag merge."""

    def __init__(
        self, document: Document, before: Setup, after: Setup, text: str, merge: str
    ) -> None:
        super().__init__(text)
        self._document, self.before, self.after, self.merge = document, before, after, merge

    def redo(self) -> None:
        self._document.show_setup(self.after)

    def undo(self) -> None:
        self._document.show_setup(self.before)

    def id(self) -> int:
        return hash(self.merge) & 0x7FFFFFFF if self.merge else -1

    def mergeWith(self, other: QUndoCommand) -> bool:  # noqa: N802 - Qt's name
        if not isinstance(other, _Change) or other.merge != self.merge or not self.merge:
            return False
        self.after = other.after
        return True
