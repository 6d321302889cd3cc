"""What the open bench says: each stage's sentence on the rail, and what follows of the shown
one.
"""

from PySide6.QtCore import QObject, Signal, Slot

from nipper.app.document import PackRecord
from nipper.app.shell.follows import Follows
from nipper.app.shell.rail import Rail
from nipper.app.shell.stages import BY_ID, STAGES
from nipper.app.stage import Hears, Situation


class Ear(QObject):
    """Hears a signal, whatever it carries, and says which kind of change it was."""

    heard = Signal(object)  # Hears

    def __init__(self, change: Hears, parent: QObject) -> None:
        super().__init__(parent)
        self._change = change

    @Slot()
    def hear(self) -> None:
        """It has happened."""
        self.heard.emit(self._change)


class Teller(QObject):
    """Listens to one bench for all stages; ``stage`` is the one that is shown."""

    def __init__(self, situation: Situation, rail: Rail, follows: Follows, parent: QObject) -> None:
        super().__init__(parent)
        self._situation, self._rail, self._follows = situation, rail, follows
        self.stage = ""
        self._late: dict[str, None] = {}  # stages whose sentence waits for the hand
        document, forecasts = situation.document, situation.forecasts
        for signal, change in (
            (document.judgement.changed, Hears.FINDINGS),
            (document.history.events_changed, Hears.EVENTS),
            (forecasts.day.came, Hears.DAY),
            (forecasts.rehearsal.came, Hears.REHEARSAL),
            (forecasts.levelling.came, Hears.LEVELLING),
            (forecasts.comparison.came, Hears.COMPARISON),
        ):
            ear = Ear(change, self)
            signal.connect(ear.hear)
            ear.heard.connect(self._heard)
        document.records.changed.connect(self._record_changed)
        document.pack_changed.connect(self.tell_all)
        document.settings.rested.connect(self._rested)

    @Slot(object)
    def _heard(self, change: Hears) -> None:
        dragging = self._situation.document.settings.dragging
        for stage in STAGES:
            if change not in stage.hears:
                continue
            if dragging and stage.id != self.stage:
                self._late[stage.id] = None  # a frame has no time for what nobody looks at
            else:
                self._say(stage.id)
        if self.stage and change in BY_ID[self.stage].hears:
            self.tell()

    @Slot()
    def _rested(self) -> None:
        late, self._late = self._late, {}
        for stage in late:
            self._say(stage)

    @Slot(int, object)
    def _record_changed(self, pack_id: int, _: PackRecord | None) -> None:
        self._heard(Hears.PACKS)
        if pack_id == self._situation.document.pack.id:
            self._heard(Hears.RECORD)

    @Slot()
    def tell_all(self) -> None:
        """Another pack is shown: all is said anew."""
        for stage in STAGES:
            self._say(stage.id)
        self.tell()

    def _say(self, stage: str) -> None:
        said = BY_ID[stage].sentence(self._situation)
        if said is not None:
            status, sentence = said
            self._rail.say(stage, str(status), sentence)

    def tell(self) -> None:
        """Show what follows of the stage that is shown."""
        if self.stage:
            self._follows.show_all(BY_ID[self.stage].follows(self._situation))
