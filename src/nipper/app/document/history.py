"""What happened to the open bench: revisions of the settings, and what was done and when."""

from dataclasses import replace
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from nipper.core.setup import Setup
from nipper.store import Bench, BenchEvent, Revision

if TYPE_CHECKING:
    from nipper.core.assembly.capacity import CapacityResult
    from nipper.core.cold.proof import Proof
    from nipper.core.cold.record import ProofRecord
    from nipper.core.link.record import LossProof

TYPED, READ_BACK, DRAFT = "typed in", "read back", "draft"


class History(QObject):
    """Revisions and events. ``events_changed`` and ``revised`` say that there is another."""

    events_changed = Signal(object)  # list[BenchEvent]
    revised = Signal()

    def __init__(self, bench: Bench, parent: QObject) -> None:
        super().__init__(parent)
        self._bench = bench

    # revisions

    def revisions(self) -> list[Revision]:
        """What was typed in or read back, oldest first."""
        return [r for r in self._bench.history.revisions() if r.kind != DRAFT]

    def revisions_of(self, pack: int) -> list[Revision]:
        """Those of a pack's BMS, drafts among them, oldest first."""
        return [r for r in self._bench.history.revisions() if r.pack in (None, pack)]

    def typed(self, pack: int) -> list[Revision]:
        """What was typed into a pack's BMS so far, oldest first."""
        return [r for r in self.revisions_of(pack) if r.kind == TYPED]

    def times(self, kind: str, pack: int) -> list[float]:
        """When a pack's settings were typed in, or read back; without reading the settings."""
        return self._bench.history.revision_times(kind, pack)

    def note_typed(self, setup: Setup, note: str, pack: int) -> None:
        """Keep these settings as typed into a pack's BMS now."""
        self._bench.history.add_revision(TYPED, note, setup, pack=pack)
        self.revised.emit()

    def note_read_back(self, shown: Setup, note: str, pack: int) -> None:
        """Keep what a pack's BMS was read to hold."""
        self._bench.history.add_revision(READ_BACK, note, shown, pack=pack)
        self.revised.emit()

    def settings_at(self, time_s: float, pack: int) -> str:
        """Which settings were in a pack's BMS at a moment, as words; empty before the first."""
        from nipper.core.report.readback import in_force

        revisions = self.revisions_of(pack)
        found = in_force(revisions, time_s)
        if found is None:
            return ""
        typed = [r for r in revisions if r.kind == TYPED and r.time_s <= found.time_s]
        return f"revision {len(typed)}" + (", read back" if found.kind == READ_BACK else "")

    def diagnoses(self, pack_id: int) -> list[tuple[float, dict[str, object]]]:
        """Kept diagnoses of a pack, oldest first: time and document."""
        return self._bench.history.diagnoses(pack_id)

    # events

    def events(self) -> list[BenchEvent]:
        """What was done and when, oldest first; the note as words."""
        from nipper.core.report.events import event_words

        kept = self._bench.history.events()
        return [replace(event, note=event_words(event.kind, event.note)) for event in kept]

    def raw_events(self) -> list[tuple[float, int | None, str, str]]:
        """The same as they are kept: time, pack, kind, note."""
        return [(e.time_s, e.pack, e.kind, e.note) for e in self._bench.history.events()]

    def last_proof(self, pack: int) -> "tuple[float, ProofRecord] | None":
        """The newest proof of a pack's cold cutoff, and when it was made."""
        from nipper.core.cold.record import last_proof

        return last_proof(self.raw_events(), pack)

    def keep_proof(self, time_s: float, found: "Proof", pack: int) -> None:
        """Keep a proof of a pack's cold cutoff."""
        from nipper.core.cold.record import PROOF, record

        self.add_event(time_s, PROOF, record(found).model_dump_json(), pack)

    def last_loss(self) -> "tuple[float, LossProof] | None":
        """The newest proof of what happens when the link is lost, and when it was made."""
        from nipper.core.link.record import last_loss

        return last_loss([(e.time_s, e.kind, e.note) for e in self._bench.history.events()])

    def keep_loss(self, time_s: float, found: "LossProof") -> None:
        """Keep a proof of what happens when the link is lost."""
        from nipper.core.link.record import LOSS

        self.add_event(time_s, LOSS, found.model_dump_json(), None)

    def capacity_tests(self, pack: int) -> "list[tuple[float, CapacityResult]]":
        """A pack's capacity tests, oldest first."""
        from nipper.core.assembly.capacity import kept

        return kept(
            [(e.time_s, e.pack, e.kind, e.note) for e in self._bench.history.events()], pack
        )

    def keep_capacity(self, time_s: float, found: "CapacityResult", pack: int) -> None:
        """Keep a capacity test of a pack."""
        from nipper.core.assembly.capacity import KIND

        self.add_event(time_s, KIND, found.model_dump_json(), pack)

    def add_event(self, time_s: float, kind: str, note: str, pack: int | None) -> None:
        """Note what was done."""
        self._bench.history.add_event(time_s, kind, note, pack)
        self.events_changed.emit(self.events())

    def remove_event(self, event: int) -> None:
        """Take a note out again."""
        self._bench.history.remove_event(event)
        self.events_changed.emit(self.events())
