"""What the open bench says: each stage's sentence on the rail, and what follows of the shown
one.
"""

from collections.abc import Sequence

from PySide6.QtCore import QObject, QTimer, Signal, Slot

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
    """Listens to one bench for all stages; ``stage`` is the one that is shown.

    Its sentence comes at once, the others' one after the other as the loop has time: together they
    would hold it up.
    """

    def __init__(self, situation: Situation, rail: Rail, follows: Follows, parent: QObject) -> None:
        super().__init__(parent)
        self._situation, self._rail, self._follows = situation, rail, follows
        self.stage = ""
        self._late: dict[str, None] = {}  # stages whose sentence is still to come
        self._turn = QTimer(self, interval=0)
        self._turn.timeout.connect(self._next)
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
        document.settings.rested.connect(self._turn.start)

    @Slot(object)
    def _heard(self, change: Hears) -> None:
        self._say_of([stage.id for stage in STAGES if change in stage.hears])

    @Slot(int, object)
    def _record_changed(self, pack_id: int, _: PackRecord | None) -> None:
        self._heard(Hears.PACKS)
        if pack_id == self._situation.document.pack.id:
            self._heard(Hears.RECORD)

    @Slot()
    def tell_all(self) -> None:
        """Another pack is shown: all is said anew."""
        self._say_of(list(BY_ID))

    def _say_of(self, stages: Sequence[str]) -> None:
        self._late |= dict.fromkeys(stages)
        if self.stage in self._late:
            self.look_at(self.stage)
        if not self._situation.document.settings.dragging:
            self._turn.start()  # a frame has no time for what nobody looks at

    def look_at(self, stage: str) -> None:
        """Show a stage's words and what follows of it, from now on at once."""
        self.stage = stage
        if stage in self._late:
            self._say(stage)
        self.tell()

    def quiet(self) -> None:
        """The bench closes: what is still to be said is not."""
        self._late.clear()
        self._turn.stop()

    @Slot()
    def _next(self) -> None:
        if not self._late:
            self._turn.stop()
            return
        self._say(next(iter(self._late)))

    def _say(self, stage: str) -> None:
        del self._late[stage]
        said = BY_ID[stage].sentence(self._situation)
        if said is not None:
            status, sentence = said
            self._rail.say(stage, str(status), sentence)

    def tell(self) -> None:
        """Show what follows of the stage that is shown."""
        if self.stage:
            self._follows.show_all(BY_ID[self.stage].follows(self._situation))
