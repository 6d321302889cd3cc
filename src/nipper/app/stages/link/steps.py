"""The steps of commissioning a link, in their order, each with how it stands."""

from PySide6.QtCore import Signal, Slot
from PySide6.QtWidgets import QCheckBox, QScrollArea, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.theme import Theme
from nipper.app.widgets.basic import label
from nipper.app.widgets.steps import StepList
from nipper.core.report.link import steps

WHAT_FOR = (
    "In this order: what the inverter falls back on comes before what it is told. Tick what is "
    "done; the rest is known from the settings and the tests."
)


class StepsPage(QWidget):
    """``asked`` carries the page on which a step is done."""

    asked = Signal(int)

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.addWidget(label(WHAT_FOR, "soft", wrap=True))
        area, self._list = QScrollArea(), StepList(theme)
        area.setWidget(self._list)
        area.setWidgetResizable(True)
        layout.addWidget(area, 1)
        self._list.asked.connect(self.asked)
        self._list.ticked.connect(self._ticked)

    @property
    def boxes(self) -> dict[str, QCheckBox]:
        """The boxes to tick, by their steps."""
        return self._list.boxes

    @Slot()
    def refresh(self) -> None:
        """Show how the steps stand."""
        document = self._document
        notes, proof = document.shelf.link_notes(), document.history.last_loss()
        self._list.show_steps(steps(document.named_bank, notes, proof))

    @Slot(str, bool)
    def _ticked(self, step: str, done: bool) -> None:
        notes = self._document.shelf.link_notes()
        notes.tick(step, done, self._document.bench.clock())
        self._document.shelf.keep_link_notes(notes)
