"""What was fed or bled by hand is noted where it was asked for, so that nobody does it twice."""

from PySide6.QtCore import Slot
from PySide6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.widgets.basic import SEMI, button, card, label
from nipper.app.widgets.field import UnitField
from nipper.app.widgets.row import Row
from nipper.app.widgets.units import UNITS
from nipper.core.errors import RangeError
from nipper.core.imbalance.causes_base import Cause
from nipper.core.imbalance.diagnosis import Diagnosis
from nipper.core.imbalance.remedies import Move

NOTED = (
    "Kept among the events (menu Record, Packs and logs). Until two full charges tell how the cell "
    "stands then, it is not asked for again, and forecasts begin from there."
)


class DoneByHand(QWidget):
    """Hidden while no cell is to be fed or bled."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        self._moves: list[Move] = []
        self.cell, self.way = QComboBox(), QComboBox()
        self.cell.setAccessibleName(UNITS.text("Cell that was fed or bled"))
        self.way.setAccessibleName(UNITS.text("fed or bled"))
        self.way.addItems(UNITS.texts(["was fed with", "was bled of"]))
        self.ah = UnitField("Ah", "Charge that was moved", optional=True)
        self.cell.currentIndexChanged.connect(self._propose)
        note = button("Note it as done", "quiet", NOTED)
        note.clicked.connect(self.note)
        self.trouble = label("", "act", wrap=True)
        frame, inside = card(12, 4)
        inside.addWidget(Row(label("Done?", weight=SEMI), self.cell, self.way, self.ah, note))
        inside.addWidget(self.trouble)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(frame)

    def show_asked(self, findings: list[Cause], diagnosis: Diagnosis) -> None:
        """Offer the cells that these findings ask to feed or bleed."""
        moved = diagnosis.moved
        asked = [m for finding in findings for m in finding.moves if m.ah]
        open_ = [m for m in asked if moved is None or not moved.is_done(m.cell)]
        self._moves = [] if diagnosis.stopped else open_
        self.setVisible(bool(self._moves))
        self.trouble.hide()
        self.cell.clear()
        for move in self._moves:
            self.cell.addItem(UNITS.text(f"cell {move.cell}"))

    @Slot()
    def _propose(self) -> None:
        """As much as was asked for; what was really moved is typed."""
        chosen = self.cell.currentIndex()
        if 0 <= chosen < len(self._moves):
            ah = self._moves[chosen].ah
            self.way.setCurrentIndex(0 if ah > 0 else 1)
            self.ah.set_value(round(abs(ah), 1))

    @Slot()
    def note(self) -> None:
        """Note what was moved as done now."""
        from nipper.core.imbalance.moved import KIND, moved

        document, chosen = self._document, self.cell.currentIndex()
        record = document.record
        assert record
        try:
            done = moved(self._moves[chosen].cell, self.ah.value, self.way.currentIndex() == 0)
        except RangeError as error:
            self.trouble.setText(str(error))
            self.trouble.show()
            return
        done = done.model_copy(update={"log_s": float(record.log.time_s[-1])})
        at_s = document.bench.clock()
        document.history.add_event(at_s, KIND, done.model_dump_json(), document.pack.id)
