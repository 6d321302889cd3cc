"""The open bench as the views see it, and the one thing they share.

Settings with undo and their judgement, records of the packs, history, and a shelf of small things;
the document itself knows which pack is shown, and lets each part hear of the others.
"""

from datetime import datetime, tzinfo
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal, Slot

from nipper.app.document.history import History
from nipper.app.document.records import PackRecord, Records
from nipper.app.document.settings import Judgement, Settings
from nipper.app.document.shelf import Shelf
from nipper.core.setup import Setup, pack_setup, pack_setups, with_names
from nipper.store import Bench, Pack

if TYPE_CHECKING:
    from nipper.core.logs.model import Log
    from nipper.core.rules import Evidence

__all__ = ["Document", "History", "PackRecord", "Records", "Settings", "Shelf"]


# kinds of events, named here since a start does without what makes them
READ_OTHERWISE = "cells-changed", "sensor-elsewhere"
TOLD_OTHERWISE = "cell-measured", "charge-moved", "levelled"


class Document(QObject):
    """One open bench. ``trouble`` is one line of what went wrong anywhere in it.

    More than twenty methods, half of them one-line answers about the shown pack: its parts
    (settings, records, history, shelf, judgement) are classes of their own.
    """

    pack_changed = Signal(int)
    trouble = Signal(str)

    def __init__(self, bench: Bench, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.bench = bench
        self.settings, self.judgement = Settings(bench, self), Judgement(self)
        self.records = Records(bench, self.setup_of, self)
        self.history, self.shelf = History(bench, self), Shelf(bench)
        self.pack = self.records.packs[0]
        self._shared_by: tuple[list[Log], tuple[float, ...] | None] = [], None
        self.settings.changed.connect(self.ask_rules)
        self.settings.saved.connect(self._saved)
        self.settings.trouble.connect(self.trouble)
        self.records.changed.connect(self._record_changed)
        self.records.packs_changed.connect(self._packs_changed)
        self.records.trouble.connect(self.trouble)
        self._telling = self._telling_events()
        self.history.events_changed.connect(self._events_changed)

    @property
    def setup(self) -> Setup:
        """The settings of the shown pack."""
        return self.settings.setup

    @property
    def bank(self) -> Setup:
        """The settings of the bank, with what each pack has of its own."""
        return self.settings.bank

    @property
    def named_bank(self) -> Setup:
        """The same, the packs called as the bench calls them."""
        return with_names(self.bank, [pack.name for pack in self.records.packs])

    def setup_of(self, pack: Pack) -> Setup:
        """The settings of one of the packs."""
        return pack_setup(self.bank, self.records.number(pack.id))

    def as_shown(self, bank: Setup) -> Setup:
        """Of another bank's settings (a revision's) those of the pack that is shown."""
        return pack_setup(bank, self.settings.number)

    @property
    def record(self) -> PackRecord | None:
        """The shown pack's log and what it says; None while there is none."""
        return self.records.by_pack.get(self.pack.id)

    @property
    def evidence(self) -> "Evidence | None":
        """What the shown pack's log says to the rules."""
        return self.record.evidence if self.record else None

    @property
    def reading_log(self) -> bool:
        """Whether the shown pack's log is still being read."""
        return self.records.is_reading(self.pack.id)

    @property
    def other_build(self) -> str:
        """What to do with the shown pack's logs of an earlier build; empty without such."""
        builds = self.records.other_builds(self.pack)
        if not builds:
            return ""
        found = builds[-1]
        return (
            f"The logs are of {found.before} cells, the pack has {found.now}. If a cell left, say "
            "which one in Packs and logs (menu Record): they are read on without it. "
            "If the count of cells is wrong, it is set in Protect."
        )

    @property
    def busy(self) -> bool:
        """Whether logs are still being read, or settings judged."""
        return self.records.busy or self.judgement.busy

    def now(self, zone: tzinfo) -> datetime:
        """The present moment, by the bench's clock."""
        return datetime.fromtimestamp(self.bench.clock(), zone)

    def measured_shares(self) -> "tuple[float, ...] | None":
        """Each pack's share of the current by the logs; None where not all packs have one of
        their own cells, or the logs have too little in common.
        """
        found = [self.records.by_pack.get(pack.id) for pack in self.records.packs]
        logs = [r.log for r in found if r is not None and not r.diagnosis.unfit]
        if len(logs) < 2 or len(logs) != self.bank.packs_in_parallel:
            return None
        if logs != self._shared_by[0]:
            from nipper.core.assembly.measured import measured_shares

            ah = [pack.capacity_ah for pack in pack_setups(self.bank)]
            self._shared_by = logs, measured_shares(logs, ah)
        return self._shared_by[1]

    def choose_pack(self, pack_id: int) -> None:
        """Show another pack."""
        if pack_id != self.pack.id:
            self.pack = self.records.pack(pack_id)
            self.settings.show_pack(self.records.number(pack_id))
            self.pack_changed.emit(pack_id)
            self.ask_rules()

    def note_read_back(self, shown: Setup, note: str) -> None:
        """Keep what the shown pack's BMS was read to hold."""
        self.history.note_read_back(shown, note, self.pack.id)

    def note_typed(self, note: str) -> None:
        """Keep the settings as typed into the shown pack's BMS."""
        self.history.note_typed(self.bank, note, self.pack.id)

    @property
    def last_typed(self) -> Setup | None:
        """The shown pack's settings as they were last typed in; None before the first time."""
        typed = self.history.typed(self.pack.id)
        return self.as_shown(typed[-1].setup) if typed else None

    @Slot()
    def ask_rules(self) -> None:
        """Judge the settings anew."""
        self.judgement.ask(self.bank, self.evidence, self.settings.number)

    def close(self) -> None:
        """Stop reading, keep what can be kept, let go of the file."""
        self.records.close()
        self.settings.close()
        self.bench.close()

    @Slot(object, object)
    def _saved(self, setup: Setup, before: Setup) -> None:
        """Other cells or another capacity: the logs say something else."""
        self.records.ensure(setup.packs_in_parallel)
        for number, pack in enumerate(self.records.packs):
            one, other = (pack_setup(s, number) for s in (setup, before))
            if _judged_by(one) != _judged_by(other):
                self.records.read(pack)
            elif _bears(one) != _bears(other):
                self.records.look_again(pack)

    def _telling_events(self) -> list[tuple[float, int | None, str, str]]:
        """Those by which logs are read otherwise, or what they say is told otherwise."""
        telling = (*READ_OTHERWISE, *TOLD_OTHERWISE)
        return [event for event in self.history.raw_events() if event[2] in telling]

    @Slot()
    def _events_changed(self) -> None:
        """A cell that left, was measured or fed, a sensor elsewhere; or not, after all."""
        before, self._telling = self._telling, self._telling_events()
        changed = set(before) ^ set(self._telling)
        other = {(of, kind in TOLD_OTHERWISE) for _, of, kind, _ in changed}
        for pack in self.records.packs:
            if (pack.id, False) in other:
                self.records.read(pack)
            elif (pack.id, True) in other:
                self.records.look_again(pack)

    @Slot(int, object)
    def _record_changed(self, pack_id: int, _: PackRecord | None) -> None:
        if pack_id == self.pack.id:
            self.ask_rules()

    @Slot()
    def _packs_changed(self) -> None:
        self.pack = self.records.pack(self.pack.id)
        self.pack_changed.emit(self.pack.id)


def _judged_by(setup: Setup) -> tuple[object, ...]:
    """What a log is judged by: with other cells or another capacity it says something else."""
    own = (setup.leveller,) if setup.own else ()
    return setup.cells_in_series, setup.chemistry, setup.capacity_ah, *own


def _bears(setup: Setup) -> tuple[object, ...]:
    """By what the dangers of a log are told: what the cells bear, and what was to guard them."""
    return setup.cell, setup.protection, setup.charging
