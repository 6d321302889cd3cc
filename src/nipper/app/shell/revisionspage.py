"""Revisions and events on one time line: what was typed in, read back or done and when; any two
revisions compared, any one restored.
"""

from datetime import datetime, tzinfo

from PySide6.QtCore import Qt, Signal, Slot
from PySide6.QtGui import QBrush
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from nipper.app.document import Document
from nipper.app.shell.typingstate import kept_menu
from nipper.app.theme import Theme
from nipper.app.widgets.asking import ask_open
from nipper.app.widgets.basic import SEMI, button, label, page_head
from nipper.app.widgets.units import UNITS
from nipper.core.errors import InputError
from nipper.core.report.consequence import count
from nipper.core.report.readback import ReadBack, in_force, read_back, read_table, values_of_csv
from nipper.core.report.typingsheet import Line, differences, plain_menu, sheet
from nipper.core.setup import Setup, load
from nipper.store import BenchEvent, Revision

HEADINGS = ("", "setting", "before", "after")


class RevisionsPage(QWidget):
    """``left`` when the user goes back; ``read_back`` when a revision was added."""

    left = Signal()
    read_back = Signal()
    typing_asked = Signal()
    trouble = Signal(str)

    def __init__(
        self, document: Document, theme: Theme, zone: tzinfo, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self._document, self._theme, self._zone = document, theme, zone
        self._rows: list[Revision | BenchEvent] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 14, 24, 16)
        layout.setSpacing(8)
        self.type_it = button(
            "Type what the BMS shows …",
            "quiet",
            "Ctrl+B: line by line, in your BMS's own order and units",
        )
        self.type_it.clicked.connect(self.typing_asked)
        self.read = button(
            "Read back from a file …",
            "quiet",
            "A setup file (JSON) or a table (CSV) with what the BMS shows; the typing "
            "sheet's own table will do",
        )
        self.read.clicked.connect(self.ask_file)
        self.beside = button(
            "Compare with a file …",
            "quiet",
            "Another bank's settings, as a setup file: nothing is kept or changed",
        )
        self.beside.clicked.connect(self.ask_other)
        layout.addLayout(page_head("Revisions", self.left, self.type_it, self.beside, self.read))
        layout.addWidget(
            label(
                "Select one to compare it with the settings as they stand, or two "
                "(Ctrl-click) to compare them with each other.",
                "soft",
                wrap=True,
            )
        )
        middle = QHBoxLayout()
        middle.setSpacing(14)
        self.list = QListWidget()
        self.list.setAccessibleName(UNITS.text("revisions and events"))
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.list.itemSelectionChanged.connect(self._compare)
        middle.addWidget(self.list, 2)
        right = QVBoxLayout()
        self._says = label("", weight=SEMI, wrap=True)
        self.table = QTableWidget(0, len(HEADINGS))
        self.table.setAccessibleName(UNITS.text("what differs"))
        self.table.setHorizontalHeaderLabels(UNITS.texts(list(HEADINGS)))
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
        document.settings.changed.connect(self._compare)
        document.pack_changed.connect(self.refresh)
        self.refresh()

    @Slot()
    def refresh(self) -> None:
        """Show the time line, newest first: revisions can be selected, events stand between
        them.
        """
        history = self._document.history
        revisions = history.revisions()
        self._rows = sorted(
            [*revisions, *history.events()], key=lambda row: row.time_s, reverse=True
        )
        charges = self._charges()
        self.list.clear()
        for row in self._rows:
            self.list.addItem(self._item(row, charges))
        newest = next((i for i, row in enumerate(self._rows) if isinstance(row, Revision)), -1)
        self.list.setCurrentRow(newest)
        self._compare()

    def _item(self, row: Revision | BenchEvent, charges: dict[int, str]) -> QListWidgetItem:
        at = datetime.fromtimestamp(row.time_s, self._zone)
        of = self._of(row.pack)
        if isinstance(row, BenchEvent):
            item = QListWidgetItem(UNITS.text(f"{at.day} {at:%b %Y}   {of}{row.note}"))
            item.setFlags(Qt.ItemFlag.NoItemFlags)
            item.setForeground(QBrush(self._theme.colour("soft")))
            return item
        told = [f"{at.day} {at:%b %Y, %H:%M}   {of}{row.kind}", row.note]
        told += [charges[row.id]] if row.id in charges else []
        return QListWidgetItem(UNITS.text("\n".join(told)))

    def _of(self, pack_id: int | None) -> str:
        """Whose it is, where there are several packs and it is not of all."""
        packs = self._document.records.packs
        names = {pack.id: pack.name for pack in packs}
        return f"{names[pack_id]}: " if len(packs) > 1 and pack_id in names else ""

    def _charges(self) -> dict[int, str]:
        """How many full charges of the shown pack were made under each revision, by its id."""
        record = self._document.record
        if record is None:
            return {}
        revisions = self._document.history.revisions_of(record.pack.id)
        counts: dict[int, int] = {}
        for charge in record.diagnosis.estimate.full:
            found = in_force(revisions, float(record.log.time_s[charge.top]))
            if found is not None:
                counts[found.id] = counts.get(found.id, 0) + 1
        return {
            id_: f"{count(n, 'full charge')} of {record.pack.name} under it"
            for id_, n in counts.items()
        }

    def _selected(self) -> list[Revision]:
        """The selected revisions, newest first."""
        chosen = (
            self._rows[row] for row in sorted(index.row() for index in self.list.selectedIndexes())
        )
        return [row for row in chosen if isinstance(row, Revision)]

    def _pair(self) -> tuple[Setup, Setup, str] | None:
        chosen = self._selected()
        if not chosen:
            return None
        if len(chosen) == 1:
            return chosen[0].setup, self._document.bank, "the settings as they stand"
        return chosen[-1].setup, chosen[0].setup, "the newer of the two"

    @Slot()
    def ask_other(self) -> None:
        """Let the user choose another bank's settings."""
        file = ask_open(self, "Compare with", "Setup files (*.json)")
        if file:
            self.compare_with(file)

    def compare_with(self, file: str) -> None:
        """Show how another bank's settings differ from these as they stand; a file that cannot be
        read changes nothing.
        """
        try:
            other = load(file)
        except InputError as error:
            self.trouble.emit(str(error))
            return
        self.list.clearSelection()
        self._tell(differences(self._document.setup, other), other.name)

    @Slot()
    def _compare(self) -> None:
        pair = self._pair()
        self.restore.setEnabled(
            pair is not None and len(self._selected()) == 1 and pair[0] != self._document.bank
        )
        self.table.setRowCount(0)
        if pair is None:
            self._says.setText(
                "Nothing is selected."
                if any(isinstance(r, Revision) for r in self._rows)
                else "Nothing was typed in yet: Ctrl+T opens the typing sheet."
            )
            return
        before, after, what = pair
        shown = self._document.as_shown
        self._tell(differences(shown(before), shown(after)), what)

    def _tell(self, lines: list[Line], what: str) -> None:
        self._says.setText(
            f"{count(len(lines), 'difference')} to {what}." if lines else f"The same as {what}."
        )
        self.table.setRowCount(len(lines))
        for row, line in enumerate(lines):
            for column, text in enumerate((line.section, line.label, line.before, line.value)):
                self.table.setItem(row, column, QTableWidgetItem(UNITS.exact(text)))
        self.table.resizeColumnsToContents()

    @Slot()
    def restore_selected(self) -> None:
        """Make the selected revision the settings, undoably."""
        chosen = self._selected()
        if len(chosen) == 1 and self._document.settings.replace(
            chosen[0].setup, "Restore a revision"
        ):
            self._document.settings.settle()

    @Slot()
    def ask_file(self) -> None:
        """Let the user choose what the BMS shows, as a setup file or a table."""
        file = ask_open(self, "What the BMS shows", "Setups and tables (*.json *.csv)")
        if file:
            self.take_read_back(file)

    def take_read_back(self, file: str) -> None:
        """Keep what the BMS shows as a revision and tell how it differs; a file that cannot be read
        changes nothing.
        """
        setup = self._document.setup
        try:
            if file.lower().endswith(".csv"):
                found = read_back(
                    setup, values_of_csv(read_table(file), kept_menu(self._document), file)
                )
            else:
                shown = load(file)
                found = ReadBack(
                    shown, len(sheet(shown, None, plain_menu())), tuple(differences(setup, shown))
                )
        except InputError as error:
            self.trouble.emit(str(error))
            return
        self._document.note_read_back(found.shown, found.note)
        self.refresh()
        self.read_back.emit()
