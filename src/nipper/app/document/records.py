"""The packs of the open bench and their logs, read and judged in worker threads."""

from collections.abc import Callable, Collection
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal, Slot

from nipper.app.jobs import Job
from nipper.core.setup import Setup
from nipper.store import Bench, ImportedLog, Pack

if TYPE_CHECKING:
    from nipper.core.imbalance.diagnosis import Diagnosis
    from nipper.core.imbalance.moved import Since
    from nipper.core.imbalance.snapshot import Snapshot
    from nipper.core.logs.builds import CellsChanged
    from nipper.core.logs.looked import Looked
    from nipper.core.logs.model import Log
    from nipper.core.rules import Evidence
    from nipper.core.upkeep.ageing import Life


@dataclass(frozen=True, eq=False, slots=True)
class PackRecord:
    """A pack's log and what it says. ``log`` is judged: without sensors that do not lie on the
    cells; ``recorded`` has them too. ``life`` is how it says that the pack is used.
    """

    pack: Pack
    log: "Log"
    diagnosis: "Diagnosis"
    evidence: "Evidence"
    recorded: "Log"
    life: "Life"


def changes_of(bench: Bench, pack: Pack) -> "list[tuple[float, CellsChanged]]":
    """Which cells left a pack and when, oldest first."""
    from nipper.core.logs.builds import kept

    return kept(_events(bench), pack.id)


def moved_since(bench: Bench, pack: Pack, log: "Log", judged: "Diagnosis") -> "Since | None":
    """What was moved by hand in a pack since its log told how the cells stand."""
    from nipper.core.imbalance.moved import since

    told_s = [float(log.time_s[0]), *judged.estimate.drift.line_s.tolist()]
    return since(_events(bench), pack.id, told_s)


def looked_at(bench: Bench, pack: Pack) -> "Looked":
    """What was measured of a pack where its log speaks of danger."""
    from nipper.core.logs.looked import kept

    return kept(_events(bench), pack.id)


def _events(bench: Bench) -> list[tuple[float, int | None, str, str]]:
    return [(e.time_s, e.pack, e.kind, e.note) for e in bench.history.events()]


def as_built_now(bench: Bench, pack: Pack, cells: int) -> "Callable[[Log], Log | None]":
    """What makes of any log of a pack one of its cells as they are now, or None."""
    from nipper.core.logs.builds import as_built_now

    changes = changes_of(bench, pack)
    return lambda log: as_built_now(log, changes, cells)


def read_pack(
    bench: Bench, pack: Pack, setup: Setup, tick: Callable[[float], None] = lambda _share: None
) -> PackRecord | None:
    """Load a pack's samples and judge them; None when it has none. Runs in a worker thread.

    Logs of an earlier build of the pack are read where it is known which cell left since.
    """
    from nipper.core.imbalance.diagnosis import diagnose
    from nipper.core.logs.looked import without_sensors
    from nipper.core.rules.measured import measured
    from nipper.core.upkeep.ageing import life_of

    as_now = as_built_now(bench, pack, setup.cells)
    recorded = bench.logs.load(pack.id, lambda share: tick(0.3 * share), as_now)
    if recorded is None:
        return None
    looked = looked_at(bench, pack)
    log = without_sensors(recorded, looked)
    judged = diagnose(log, setup, lambda share: tick(0.3 + 0.7 * share), looked)
    judged = replace(judged, moved=moved_since(bench, pack, log, judged))
    known = judged.estimate
    life = life_of(log, setup, known.full)
    return PackRecord(pack, log, judged, measured(log, setup, known), recorded, life)


def look_again(bench: Bench, record: PackRecord, setup: Setup) -> PackRecord:
    """The same, with the dangers, and what was moved since, as they are told now. Runs in a worker
    thread.
    """
    from nipper.core.imbalance.diagnosis import look_again

    pack, log = record.pack, record.log
    judged = look_again(record.diagnosis, log, setup, looked_at(bench, pack))
    return replace(record, diagnosis=replace(judged, moved=moved_since(bench, pack, log, judged)))


def write_recorded(bench: Bench, record: PackRecord, path: Path) -> None:
    """Write a pack's samples as a plain log; those that were averaged as they were recorded. Runs
    in a worker thread.
    """
    from nipper.core.logs.writer import write_pieces, write_plain

    if not record.recorded.averaged_s:
        write_plain(record.recorded, path)
        return
    as_now = as_built_now(bench, record.pack, record.log.cells)
    write_pieces(lambda: bench.logs.pieces(record.pack.id, as_now), path)


@dataclass(frozen=True, slots=True)
class OtherBuild:
    """Logs of a pack when it had another count of cells."""

    pack: Pack
    before: int
    now: int
    last_s: float
    logs: int

    @property
    def left(self) -> int:
        """Cells that left since; below 0 where some were put in."""
        return self.before - self.now


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
        self._looks: dict[int, Job] = {}

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

    def snapshots(self, pack: Pack) -> "list[Snapshot]":
        """What a pack's typed readings say, oldest first."""
        from nipper.core.imbalance.snapshot import FEW_ROWS, snapshot

        setup = self._setup(pack)
        as_now = as_built_now(self._bench, pack, setup.cells)
        logs = [as_now(log) for log in self._bench.logs.short(pack.id, FEW_ROWS)]
        shots = [snapshot(log, setup) for log in logs if log is not None]
        return [shot for shot in shots if shot is not None]

    def other_builds(self, pack: Pack) -> "list[OtherBuild]":
        """A pack's logs of another count of cells that cannot be read as those of today's."""
        from nipper.core.logs.builds import since

        now, changes = self._setup(pack).cells, changes_of(self._bench, pack)
        cells_of = self._bench.logs.cells(pack.id)
        found: dict[int, list[ImportedLog]] = {}
        for log in self._bench.logs.all():
            if cells := cells_of.get(log.id):
                left = sum(len(change.left) for change in since(cells, log.last_s, changes))
                if cells - left != now:
                    found.setdefault(cells, []).append(log)
        return [
            OtherBuild(pack, cells, now, max(log.last_s for log in logs), len(logs))
            for cells, logs in sorted(found.items())
        ]

    def remove_logs(self, logs: Collection[int]) -> None:
        """Take the samples of some logs out of the bench, and judge their packs anew."""
        packs = {entry.pack for entry in self._bench.logs.all() if entry.id in logs}
        self._bench.logs.remove(*logs)
        for pack_id in sorted(packs):
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

    def look_again(self, pack: Pack) -> None:
        """Tell a pack's dangers anew, and what was moved: by what judges nothing else."""
        record = self.by_pack.get(pack.id)
        if pack.id in self._jobs:  # it began before, and may not know of it
            self.read(pack)
        if record is None or pack.id in self._jobs:
            return
        if pack.id in self._looks:
            self._looks[pack.id].cancel()
        job = self._looks[pack.id] = Job(look_again, self._bench, record, self._setup(pack))
        job.setProperty("before", record)
        job.done.connect(self._looked)
        job.failed.connect(self.trouble)
        job.start()

    @Slot(object)
    def _looked(self, record: PackRecord) -> None:
        pack_id, before = record.pack.id, self.sender().property("before")
        if self._looks.get(pack_id) is not self.sender() or self.by_pack.get(pack_id) is not before:
            return  # the log was read anew meanwhile
        del self._looks[pack_id]
        ours, theirs = record.diagnosis, before.diagnosis
        if (ours.dangers, ours.moved) != (theirs.dangers, theirs.moved):
            self.by_pack[pack_id] = record
            self._keep(record)
            self.changed.emit(pack_id, record)

    def close(self) -> None:
        """Stop reading, let go of the logs: they are most of what a bench holds."""
        for job in (*self._jobs.values(), *self._looks.values()):
            job.cancel()
        self._looks.clear()
        self.by_pack.clear()

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
        from nipper.core.upkeep.kept import changed, summary

        now, kept = summary(record.diagnosis), self._bench.history.diagnoses(record.pack.id)
        if not kept or changed(kept[-1][1], now):
            self._bench.history.add_diagnosis(record.pack.id, now)

    @Slot()
    def _ended(self) -> None:
        job = self.sender()
        pack_id = job.property("pack")
        if self._jobs.get(pack_id) is job:
            del self._jobs[pack_id]
