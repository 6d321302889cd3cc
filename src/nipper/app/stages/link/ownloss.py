"""The unplug test with one's own devices: what happened, typed, and kept as the proof."""

from PySide6.QtCore import Slot
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.widgets.basic import button, label
from nipper.app.widgets.field import UnitField
from nipper.app.widgets.row import Row
from nipper.app.widgets.units import UNITS
from nipper.core.link.record import loss_proof
from nipper.core.link.standin import Mode

HAPPENED = (("fell back on its own voltages", Mode.FALLBACK), ("stopped", Mode.STOPPED))
MOST_S = 3600.0


class OwnLoss(QWidget):
    """Seconds to the reaction, what it was, seconds until back."""

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self.reaction = UnitField("s", "Seconds until it reacted", "since the plug was out", True)
        self.back = UnitField("s", "Seconds until it was back", "since the plug was in", True)
        for field in (self.reaction, self.back):
            field.set_bounds(0.0, MOST_S)
        self.reaction.entered.connect(self._typed)
        self.happened = QComboBox()
        self.happened.setAccessibleName(UNITS.text("What the inverter did"))
        self.happened.addItems(UNITS.texts([words for words, _ in HAPPENED]))
        self.keep = button("Keep as proof", "", "Of your own devices, on the time line")
        self.keep.setEnabled(False)
        self.keep.clicked.connect(self.keep_proof)
        first, then = label("Your own inverter, after", "soft"), label("back after", "soft")
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(Row(first, self.reaction, self.happened, then, self.back, self.keep))

    @Slot()
    def _typed(self, *_: object) -> None:
        self.keep.setEnabled(self.reaction.value is not None)

    @Slot()
    def keep_proof(self) -> None:
        """Keep what was typed."""
        reaction_s, document = self.reaction.value, self._document
        if reaction_s is None:
            return
        after = str(HAPPENED[self.happened.currentIndex()][1])
        proof = loss_proof(document.bank, reaction_s, after, self.back.value, stand_in=False)
        document.history.keep_loss(document.bench.clock(), proof)
        self.keep.setEnabled(False)
