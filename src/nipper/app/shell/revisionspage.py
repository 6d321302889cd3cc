"""Revisions: what was typed in or read back and when, any two compared, any one restored; and reading back what the BMS shows."""

from datetime import datetime, tzinfo

from PySide6.QtCore import Qt, Signal, Slot
from PySide6.QtWidgets import QAbstractItemView, QFileDialog, QHBoxLayout, QListWidget, QListWidgetItem, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.widgets.basic import SEMI, button, label
from nipper.core.errors import InputError
from nipper.core.report.consequence import count
from nipper.core.report.typingsheet import differences
from nipper.core.setup import Setup, load
from nipper.store import Revision

HEADINGS = ("", "setting", "before", "after")


class RevisionsPage(QWidget):
    """``left`` when the user goes back; ``read_back`` when a revision was added."""

    left = Signal()
    read_back = Signal()
    trouble = Signal(str)

    def __init__(self, document: Document, zone: tzinfo, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self._document, self._zone = document, zone
        self._revisions: list[Revision] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 14, 24, 16)
        layout.setSpacing(8)
        head = QHBoxLayout()
        head.addWidget(label("Revisions", size=16, weight=SEMI), 1)
        self.read = button("Read back from a file …", "quiet", "A setup file with what the BMS shows: differences are told, and it is kept as read back")
        self.read.clicked.connect(self.ask_file)
        back = button("Back", "quiet")
        back.clicked.connect(self.left)
        head.addWidget(self.read)
        head.addWidget(back)
        layout.addLayout(head)
        layout.addWidget(label("Select one to compare it with the settings as they stand, or two (Ctrl-click) to compare them with each other.", "soft", wrap=True))
        middle = QHBoxLayout()
        middle.setSpacing(14)
        self.list = QListWidget()
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.list.itemSelectionChanged.connect(self._compare)
        middle.addWidget(self.list, 2)
        right = QVBoxLayout()
        self._says = label("", weight=SEMI, wrap=True)
        self.table = QTableWidget(0, len(HEADINGS))
        self.table.setHorizontalHeaderLabels(list(HEADINGS))
        self.table.verticalHeader().hide()
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.horizontalHeader().setStretchLastSection(True)
        self.restore = button("Make these the settings again", "", "Can be undone")
        self.restore.clicked.connect(self.restore_selected)
        right.addWidget(self._says)
        right.addWidget(self.table, 1)
        right.addWidget(self.restore, 0, Qt.AlignmentFlag.AlignLeft)
        middle.addLayout(right, 3)
        layout.addLayout(middle, 1)
        document.setup_changed.connect(self._compare)
        self.refresh()

    @Slot()
    def refresh(self) -> None:
        """Show the revisions, newest first."""
        self._revisions = [r for r in reversed(self._document.bench.revisions()) if r.kind != "draft"]
        self.list.clear()
        for revision in self._revisions:
            at = datetime.fromtimestamp(revision.time_s, self._zone)
            self.list.addItem(QListWidgetItem(f"{at.day} {at:%b %Y, %H:%M}   {revision.kind}\n{revision.note}"))
        if self._revisions:
            self.list.setCurrentRow(0)
        self._compare()

    def _selected(self) -> list[int]:
        return sorted(index.row() for index in self.list.selectedIndexes())

    def _pair(self) -> tuple[Setup, Setup, str] | None:
        rows = self._selected()
        if not rows:
            return None
        older = self._revisions[rows[-1]]
        if len(rows) == 1:
            return older.setup, self._document.setup, "the settings as they stand"
        return older.setup, self._revisions[rows[0]].setup, "the newer of the two"

    @Slot()
    def _compare(self) -> None:
        pair = self._pair()
        self.restore.setEnabled(pair is not None and len(self._selected()) == 1 and pair[0] != self._document.setup)
        self.table.setRowCount(0)
        if pair is None:
            self._says.setText("Nothing is selected." if self._revisions else "Nothing was typed in yet: Ctrl+T opens the typing sheet.")
            return
        before, after, what = pair
        lines = differences(before, after)
        self._says.setText(f"{count(len(lines), 'difference')} to {what}." if lines else f"The same as {what}.")
        self.table.setRowCount(len(lines))
        for row, line in enumerate(lines):
            for column, text in enumerate((line.section, line.label, line.before, line.value)):
                self.table.setItem(row, column, QTableWidgetItem(text))
        self.table.resizeColumnsToContents()

    @Slot()
    def restore_selected(self) -> None:
        """Make the selected revision the settings, undoably."""
        rows = self._selected()
        if len(rows) == 1 and self._document.replace_setup(self._revisions[rows[0]].setup, "Restore a revision"):
            self._document.settle()

    @Slot()
    def ask_file(self) -> None:
        """Let the user choose what the BMS shows, as a setup file."""
        file, _ = QFileDialog.getOpenFileName(self, "What the BMS shows", "", "Setup files (*.json)")
        if file:
            self.take_read_back(file)

    def take_read_back(self, file: str) -> None:
        """Keep what the BMS shows as a revision and tell how it differs; a file that cannot be read changes nothing."""
        try:
            shown = load(file)
        except InputError as error:
            self.trouble.emit(str(error))
            return
        lines = differences(self._document.setup, shown)
        note = "read back: as set" if not lines else f"read back: {count(len(lines), 'difference')} to the settings"
        self._document.bench.add_revision("read back", note, shown)
        self.refresh()
        self.read_back.emit()
