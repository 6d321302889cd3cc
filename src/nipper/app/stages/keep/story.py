"""Everything that happened to the bench, in one line of time, searched by words."""

from datetime import datetime, tzinfo

from PySide6.QtCore import Slot
from PySide6.QtWidgets import (
    QGridLayout,
    QHeaderView,
    QLineEdit,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from nipper.app.document import Document
from nipper.app.stages.keep.gather import cases, told
from nipper.app.theme import Theme
from nipper.app.widgets.basic import StatusMark, clear, label
from nipper.app.widgets.listing import listing
from nipper.app.widgets.units import UNITS
from nipper.core.report.keep import CASE_STATUS, case_words
from nipper.core.upkeep.story import Entry, searched

COLUMNS = ("Day", "What", "Pack", "Said")
SHOWN, CASES = 100, 5


class StoryPage(QWidget):
    """A field to search in, and the entries."""

    def __init__(
        self, document: Document, theme: Theme, zone: tzinfo, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._theme, self._zone = document, theme, zone
        self._entries: list[Entry] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        self.search = QLineEdit()
        self.search.setPlaceholderText(UNITS.text("Search: retorqued, cell 6, proof …"))
        self.search.setAccessibleName(UNITS.text("Search the story"))
        self.search.setMaxLength(200)
        self.search.textChanged.connect(self._show)
        self._cases = QGridLayout()
        self._cases.setHorizontalSpacing(10)
        layout.addLayout(self._cases)
        layout.addWidget(self.search)
        self.table = listing(COLUMNS, "the story of this bench")
        self.table.setWordWrap(True)
        self.table.horizontalHeader().setStretchLastSection(True)
        self.table.verticalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        layout.addWidget(self.table, 1)
        self.count = label("", "soft")
        layout.addWidget(self.count)

    @Slot()
    def refresh(self) -> None:
        """Show what happened so far."""
        self._entries = told(self._document)
        clear(self._cases)
        for row, case in enumerate(cases(self._document)[:CASES]):
            mark = StatusMark(self._theme)
            mark.set_status(str(CASE_STATUS[case.outcome]))
            self._cases.addWidget(mark, row, 0)
            self._cases.addWidget(label(case_words(case), wrap=True), row, 1)
        self._cases.setColumnStretch(1, 1)
        self._show()

    @Slot()
    def _show(self, *_: object) -> None:
        found = searched(self._entries, self.search.text(), UNITS.both)
        self.table.setRowCount(min(len(found), SHOWN))
        for row, entry in enumerate(found[:SHOWN]):
            at = datetime.fromtimestamp(entry.time_s, self._zone)
            words = (f"{at.day} {at:%b %Y}", str(entry.kind), entry.pack, entry.text)
            for column, text in enumerate(words):
                self.table.setItem(row, column, QTableWidgetItem(UNITS.text(text)))
        for column in range(len(COLUMNS) - 1):
            self.table.resizeColumnToContents(column)
        more = f", the newest {SHOWN} shown" if len(found) > SHOWN else ""
        self.count.setText(f"{len(found)} of {len(self._entries)} entries{more}")
