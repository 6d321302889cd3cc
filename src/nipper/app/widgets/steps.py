"""The steps of a piece of work in their order, each with how it stands."""

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal, Slot
from PySide6.QtWidgets import QCheckBox, QGridLayout, QVBoxLayout, QWidget

from nipper.app.theme import BASE_PT, Theme
from nipper.app.widgets.basic import SEMI, StatusMark, button, clear, label
from nipper.app.widgets.units import UNITS
from nipper.core.report.steps import Step


class StepList(QWidget):
    """``asked`` carries the page on which a step is done, ``ticked`` a step and whether it is."""

    asked = Signal(int)
    ticked = Signal(str, bool)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("scrolled")
        self._theme = theme
        self.boxes: dict[str, QCheckBox] = {}
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 4, 8, 0)
        self._grid.setHorizontalSpacing(14)
        self._grid.setVerticalSpacing(10)

    def show_steps(self, steps: Sequence[Step]) -> None:
        """Show how the steps stand."""
        clear(self._grid)
        self.boxes = {}
        for row, step in enumerate(steps):
            mark = self._box(step) if step.ticked else self._mark(step)
            self._grid.addWidget(mark, row, 0, Qt.AlignmentFlag.AlignTop)
            words = QVBoxLayout()
            words.setSpacing(1)
            words.addWidget(label(f"{row + 1}  {step.title}", size=BASE_PT + 1, weight=SEMI))
            role = "act" if step.caution else "soft"
            words.addWidget(label(step.text, role, BASE_PT - 0.5, wrap=True))
            self._grid.addLayout(words, row, 1)
            if step.page is not None:
                go = button("open", "quiet", step.title)
                go.setProperty("page", step.page)
                go.clicked.connect(self._go)
                self._grid.addWidget(go, row, 2, Qt.AlignmentFlag.AlignTop)
        self._grid.setColumnStretch(1, 1)
        self._grid.setRowStretch(len(steps), 1)

    def _box(self, step: Step) -> QCheckBox:
        box = QCheckBox()
        box.setChecked(step.done)
        box.setProperty("step", step.id)
        box.setAccessibleName(UNITS.text(step.title))
        box.toggled.connect(self._toggled)
        self.boxes[step.id] = box
        return box

    def _mark(self, step: Step) -> StatusMark:
        mark = StatusMark(self._theme)
        mark.set_status("ok" if step.done else "none")
        return mark

    @Slot()
    def _go(self) -> None:
        self.asked.emit(int(self.sender().property("page")))

    @Slot(bool)
    def _toggled(self, done: bool) -> None:
        self.ticked.emit(str(self.sender().property("step")), done)
