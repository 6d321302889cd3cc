"""The cells as delivered: a list to type or paste, what stands out, and which go together."""

from PySide6.QtCore import Qt, Slot
from PySide6.QtGui import QGuiApplication, QKeyEvent, QKeySequence
from PySide6.QtWidgets import (
    QHBoxLayout,
    QHeaderView,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from nipper.app.document import Document
from nipper.app.theme import Theme
from nipper.app.widgets.basic import SEMI, StatusMark, button, label
from nipper.app.widgets.field import UnitField
from nipper.app.widgets.units import UNITS
from nipper.core.assembly.cells import CellEntry, match
from nipper.core.report.cells import COLUMNS, entry, judged, matched_words, shown

WHAT_FOR = (
    "One line a cell, as it was delivered. Type, or paste from a spreadsheet; more lines than the "
    "pack holds are spare cells to choose from."
)


class CellTable(QTableWidget):
    """A table that takes a paste of several lines and columns."""

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802 - Qt's name
        if event.matches(QKeySequence.StandardKey.Paste):
            self.paste(QGuiApplication.clipboard().text())
        elif event.matches(QKeySequence.StandardKey.Delete) or event.key() == Qt.Key.Key_Backspace:
            for item in self.selectedItems():
                item.setText("")
        else:
            super().keyPressEvent(event)

    def paste(self, text: str) -> None:
        """Fill from the chosen cell on, right and down; lines are added where they are needed."""
        top, left = max(0, self.currentRow()), max(0, self.currentColumn())
        lines = text.rstrip("\n").split("\n")[: 5000 - top]
        if top + len(lines) > self.rowCount():
            self.setRowCount(top + len(lines))
        for i, line in enumerate(lines):
            for j, word in enumerate(line.rstrip("\r").split("\t")):
                if left + j < self.columnCount():
                    self.setItem(top + i, left + j, QTableWidgetItem(word.strip()[:100]))


class CellsPage(QWidget):
    """The list, its strays, and the matching."""

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._showing, self._pack = False, -1
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.addWidget(label(WHAT_FOR, "soft", wrap=True))
        line = QHBoxLayout()
        self.count = UnitField("", "lines", "cells that were delivered")
        self.count.set_bounds(1, 5000)
        self.count.entered.connect(self._counted)
        line.addWidget(label("cells delivered"))
        line.addWidget(self.count)
        line.addStretch(1)
        self.match = button("Match into groups", "", "Which go in parallel, and in which order")
        self.match.clicked.connect(self._match)
        line.addWidget(self.match)
        layout.addLayout(line)
        verdict = QHBoxLayout()
        self._mark, self.verdict = StatusMark(theme), label("", weight=SEMI, wrap=True)
        verdict.addWidget(self._mark)
        verdict.addWidget(self.verdict, 1)
        layout.addLayout(verdict)
        self.table = CellTable(0, len(COLUMNS))
        self.table.setHorizontalHeaderLabels(UNITS.texts([title for _, title in COLUMNS]))
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.table.verticalHeader().setDefaultSectionSize(24)
        self.table.setAccessibleName(UNITS.text("Cells as delivered"))
        self.table.itemChanged.connect(self._typed)
        layout.addWidget(self.table, 1)
        self.matched = label("", wrap=True)
        layout.addWidget(self.matched)

    @Slot()
    def refresh(self) -> None:
        """Show the shown pack's cells."""
        document = self._document
        number = document.settings.number
        if number != self._pack:
            self._pack = number
            self.matched.setText("")
        cells = document.shelf.build_notes().pack(number).cells
        rows = max(len(cells), document.setup.cells * document.setup.cells_in_parallel)
        self._showing = True
        self.table.setRowCount(min(5000, max(rows, self.table.rowCount() if cells else rows)))
        for row in range(self.table.rowCount()):
            words = shown(cells[row]) if row < len(cells) else ("",) * len(COLUMNS)
            for column, text in enumerate(words):
                self._put(row, column, text)
        self._showing = False
        self.count.set_value(self.table.rowCount())
        self._judge(cells)

    def _put(self, row: int, column: int, text: str) -> None:
        item = self.table.item(row, column)
        if item is None:
            item = QTableWidgetItem()
            self.table.setItem(row, column, item)
        if item.text() != text:
            item.setText(text)

    def _judge(self, cells: list[CellEntry]) -> None:
        status, words = judged(cells)
        self._mark.set_status(str(status))
        self.verdict.setText(words)

    @Slot(object)
    def _counted(self, value: float | None) -> None:
        if value is not None:
            self._showing = True
            self.table.setRowCount(max(int(value), self._last_typed() + 1))
            self._showing = False
            self._keep()

    def _last_typed(self) -> int:
        """The last line in which anything stands; −1 where all are empty."""
        for row in range(self.table.rowCount() - 1, -1, -1):
            items = (self.table.item(row, column) for column in range(len(COLUMNS)))
            if any(item is not None and item.text() for item in items):
                return row
        return -1

    @Slot(QTableWidgetItem)
    def _typed(self, _: QTableWidgetItem) -> None:
        if not self._showing:
            self._keep()

    def _keep(self) -> None:
        """Keep the list; what cannot be read is marked, and left as it was typed."""
        cells: list[CellEntry] = []
        self._showing = True
        for row in range(self.table.rowCount()):
            items = [self.table.item(row, column) for column in range(len(COLUMNS))]
            made, wrong = entry([item.text() if item else "" for item in items])
            for column, item in enumerate(items):
                if item is not None:
                    item.setToolTip(UNITS.text(wrong.get(column, "")))
                    text = "✕ " if column in wrong and not item.text().startswith("✕") else ""
                    item.setText(text + item.text())
            cells.append(made)
        self._showing = False
        notes = self._document.shelf.build_notes()
        notes.pack(self._document.settings.number).cells = cells
        self._document.shelf.keep_build_notes(notes)
        self.count.set_value(len(cells))
        self._judge(cells)

    @Slot()
    def _match(self) -> None:
        setup = self._document.setup
        cells = self._document.shelf.build_notes().pack(self._document.settings.number).cells
        self.matched.setText(matched_words(match(setup, cells), setup, cells))
