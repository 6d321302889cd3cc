"""The steps of commissioning a link, in their order, each with how it stands."""

from PySide6.QtCore import Qt, Signal, Slot
from PySide6.QtWidgets import QCheckBox, QGridLayout, QScrollArea, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.theme import BASE_PT, Theme
from nipper.app.widgets.basic import SEMI, StatusMark, button, clear, label
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
        self._document, self._theme = document, theme
        self.boxes: dict[str, QCheckBox] = {}
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.addWidget(label(WHAT_FOR, "soft", wrap=True))
        area, body = QScrollArea(), QWidget()
        body.setObjectName("scrolled")
        self._grid = QGridLayout(body)
        self._grid.setContentsMargins(0, 4, 8, 0)
        self._grid.setHorizontalSpacing(14)
        self._grid.setVerticalSpacing(10)
        area.setWidget(body)
        area.setWidgetResizable(True)
        layout.addWidget(area, 1)

    @Slot()
    def refresh(self) -> None:
        """Show how the steps stand."""
        document = self._document
        notes, proof = document.shelf.link_notes(), document.history.last_loss()
        clear(self._grid)
        self.boxes = {}
        found = steps(document.named_bank, notes, proof)
        for row, step in enumerate(found):
            if step.ticked:
                box = QCheckBox()
                box.setChecked(step.done)
                box.setProperty("step", step.id)
                box.setAccessibleName(step.title)
                box.toggled.connect(self._ticked)
                self.boxes[step.id] = box
                self._grid.addWidget(box, row, 0, Qt.AlignmentFlag.AlignTop)
            else:
                mark = StatusMark(self._theme)
                mark.set_status("ok" if step.done else "none")
                self._grid.addWidget(mark, row, 0, Qt.AlignmentFlag.AlignTop)
            words = QVBoxLayout()
            words.setSpacing(1)
            words.addWidget(label(f"{row + 1}  {step.title}", size=BASE_PT + 1, weight=SEMI))
            role = "act" if step.id == "safety" else "soft"
            words.addWidget(label(step.text, role, BASE_PT - 0.5, wrap=True))
            self._grid.addLayout(words, row, 1)
            if step.page is not None:
                go = button("open", "quiet", step.title)
                go.setProperty("page", step.page)
                go.clicked.connect(self._go)
                self._grid.addWidget(go, row, 2, Qt.AlignmentFlag.AlignTop)
        self._grid.setColumnStretch(1, 1)
        self._grid.setRowStretch(len(found), 1)

    @Slot()
    def _go(self) -> None:
        self.asked.emit(int(self.sender().property("page")))

    @Slot(bool)
    def _ticked(self, done: bool) -> None:
        step = str(self.sender().property("step"))
        notes = self._document.shelf.link_notes()
        if done:
            notes.ticks[step] = self._document.bench.clock()
        else:
            notes.ticks.pop(step, None)
        self._document.shelf.keep_link_notes(notes)
