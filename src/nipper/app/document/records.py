"""The packs of the open bench and their logs, read and judged in worker threads."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal, Slot

from nipper.app.jobs import Job
from nipper.core.setup import Setup
from nipper.store import Bench, Pack

if TYPE_CHECKING:
    from nipper.core.imbalance.diagnosis import Diagnosis
    from nipper.core.logs.model import Log
    from nipper.core.rules import Evidence


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


class Records(QObject):
    """The packs, and of each that has a log what it says.

    ``setup`` tells the settings to judge by.
    """

    changed = Signal(int, object)  # pack id, PackRecord | None
    reading = Signal(int, float)  # pack id, fraction read
    packs_changed = Signal()
    trouble = Signal(str)

    def __init__(self, bench: Bench, setup: Callable[[Pack], Setup], parent: QObject) -> None:
        super().__init__(parent)
        self._bench, self._setup = bench, setup
        self.packs = bench.packs()
        self.by_pack: dict[int, PackRecord | None] = {}
        self._jobs: dict[int, Job] = {}

    @property
    def busy(self) -> bool:
        """Whether any pack's log is still being read."""
        return bool(self._jobs)

    def is_reading(self, pack_id: int) -> bool:
        """Whether that pack's log is still being read."""
        return pack_id in self._jobs

    def pack(self, pack_id: int) -> Pack:
        """The pack of that id."""
        return next(p for p in self.packs if p.id == pack_id)

    def number(self, pack_id: int) -> int:
        """Which of the packs it is, from 0."""
        return next(i for i, p in enumerate(self.packs) if p.id == pack_id)

    def rename(self, pack_id: int, name: str) -> None:
        """Give a pack another name."""
        self._bench.rename_pack(pack_id, name)
        self.packs = self._bench.packs()
        self.packs_changed.emit()

    def ensure(self, count: int) -> None:
        """Add packs until there are as many as the setup says."""
        if count > len(self.packs):
            self._bench.ensure_packs(count)
            self.packs = self._bench.packs()
            self.packs_changed.emit()

    def remove_log(self, log: int) -> None:
        """Take a log's samples out of the bench, and judge its pack anew."""
        pack_id = next(entry.pack for entry in self._bench.logs.all() if entry.id == log)
        self._bench.logs.remove(log)
        self.read(self.pack(pack_id))

    def read_all(self) -> None:
        """Read and judge every pack's log, each in a worker thread."""
        for pack in self.packs:
            self.read(pack)

    def read(self, pack: Pack) -> None:
        """Read and judge one pack's log anew."""
        if pack.id in self._jobs:
            self._jobs[pack.id].cancel()
        job = Job(read_pack, self._bench, pack, self._setup(pack), ticks=True)
        self._jobs[pack.id] = job
        job.setProperty("pack", pack.id)
        job.progressed.connect(self._reading)
        job.done.connect(self._read)
        job.failed.connect(self.trouble)
        job.ended.connect(self._ended)
        job.start()

    def cancel(self) -> None:
        """Stop reading."""
        for job in self._jobs.values():
            job.cancel()

    @Slot(float)
    def _reading(self, share: float) -> None:
        self.reading.emit(self.sender().property("pack"), share)

    @Slot(object)
    def _read(self, record: PackRecord | None) -> None:
        pack_id = self.sender().property("pack")
        self.by_pack[pack_id] = record
        if record is not None:
            self._keep(record)
        if self._jobs.get(pack_id) is self.sender():
            del self._jobs[pack_id]  # done: whoever is told now must not find it still reading
        self.changed.emit(pack_id, record)

    def _keep(self, record: PackRecord) -> None:
        """Keep the judgement with its date when it is another than the last one."""
        from nipper.core.imbalance.diagnosis import changed, summary

        now, kept = summary(record.diagnosis), self._bench.history.diagnoses(record.pack.id)
        if not kept or changed(kept[-1][1], now):
            self._bench.history.add_diagnosis(record.pack.id, now)

    @Slot()
    def _ended(self) -> None:
        job = self.sender()
        pack_id = job.property("pack")
        if self._jobs.get(pack_id) is job:
            del self._jobs[pack_id]
