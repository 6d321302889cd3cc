"""The open-loop sheet: what is typed into an inverter or charger that nobody talks to, large enough
to be read at the inverter.
"""

from PySide6.QtCore import Qt, Slot
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.theme import BASE_PT
from nipper.app.widgets.basic import SEMI, button, clear, for_device, label, scrolled
from nipper.core.sources.openloop import Value, sheet

VALUE_PT = 15.0


WHAT_FOR = (
    "For an inverter or charger on its own voltages: set before the closed loop, so that it "
    "has something to fall back on."
)
CAUTION = (
    "Everything off before wiring, and a licensed electrician for mains. The inverter's own "
    "manual decides."
)


class SheetPage(QWidget):
    """Name, value, and why, line by line."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        self.lines: list[Value] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(6)
        head = QHBoxLayout()
        head.addWidget(label(WHAT_FOR, "soft", wrap=True), 1)
        self.copy = button(
            "Copy as text", "quiet", "Bench → Write the open-loop sheet makes a CSV or PDF of it"
        )
        self.copy.clicked.connect(self._copy)
        head.addWidget(self.copy)
        layout.addLayout(head)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(22)
        self._grid.setVerticalSpacing(4)
        area = scrolled(self._grid)
        layout.addWidget(area, 1)
        layout.addWidget(label(CAUTION, "act", BASE_PT - 0.5, wrap=True))

    @Slot()
    def refresh(self) -> None:
        """Show the sheet of the settings as they are."""
        lines = sheet(self._document.setup)
        if lines == self.lines:
            return
        self.lines = lines
        clear(self._grid)
        if any(line.each_text for line in lines):
            for column, text in ((1, "whole bank"), (2, "one battery")):
                right = Qt.AlignmentFlag.AlignRight if column == 1 else Qt.AlignmentFlag.AlignLeft
                self._grid.addWidget(label(text, "soft", BASE_PT - 0.5), 0, column, right)
        for row, line in enumerate(lines, 1):
            self._grid.addWidget(label(line.name, size=BASE_PT + 1), row, 0)
            self._grid.addWidget(
                for_device(label(line.text, size=VALUE_PT, weight=SEMI)),
                row,
                1,
                Qt.AlignmentFlag.AlignRight,
            )
            self._grid.addWidget(for_device(label(line.each_text, "soft", BASE_PT + 1)), row, 2)
            self._grid.addWidget(label(line.why, "soft", BASE_PT - 0.5, wrap=True), row, 3)
        self._grid.setColumnStretch(3, 1)
        self._grid.setRowStretch(len(lines) + 1, 1)

    @Slot()
    def _copy(self) -> None:
        QGuiApplication.clipboard().setText(
            "\n".join(
                f"{line.name}\t{line.text}\t{line.each_text}\t{line.why}" for line in self.lines
            )
        )
