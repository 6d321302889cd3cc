"""Reading back: what the BMS shows is typed beside what was set, line by line in its own menu order; differences stand out at once."""

from datetime import tzinfo

from PySide6.QtCore import Qt, Signal, Slot
from PySide6.QtGui import QBrush, QColor
from PySide6.QtWidgets import QAbstractItemView, QHBoxLayout, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.shell.typingpage import kept_menu
from nipper.app.theme import BASE_PT, Theme, font
from nipper.app.widgets.basic import SEMI, button, label
from nipper.core.errors import InputError, RangeError
from nipper.core.report.consequence import count
from nipper.core.report.readback import ReadBack, parse_shown, read_back
from nipper.core.report.typingsheet import Line, sheet, shown

HEADINGS = ("section", "setting", "as set", "the BMS shows", "")
SHOWN, MARK = 3, 4
HOW = "Type each value as the BMS shows it and press Enter; “=” takes over what was set. What is left empty counts as not read."


class ReadBackPage(QWidget):
    """``kept`` when a revision was added, ``left`` when the user goes back."""

    left = Signal()
    kept = Signal()

    def __init__(self, document: Document, theme: Theme, zone: tzinfo, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self._document, self._theme, self._zone = document, theme, zone
        self._lines: list[Line] = []
        self._units: dict[str, str] = {}
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 14, 24, 16)
        layout.setSpacing(8)
        head = QHBoxLayout()
        head.addWidget(label("Read back what the BMS shows", size=16, weight=SEMI), 1)
        back = button("Back", "quiet")
        back.clicked.connect(self.left)
        head.addWidget(back)
        layout.addLayout(head)
        layout.addWidget(
            label("Type each value as the BMS shows it and press Enter; “=” takes over what was set. What is left empty counts as not read.", "soft", wrap=True)
        )
        self.table = QTableWidget(0, len(HEADINGS))
        self.table.setHorizontalHeaderLabels(list(HEADINGS))
        self.table.verticalHeader().hide()
        self.table.setFont(font(BASE_PT + 1))
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.AllEditTriggers)
        self.table.horizontalHeader().setStretchLastSection(True)
        self.table.cellChanged.connect(self._typed)
        layout.addWidget(self.table, 1)
        foot = QHBoxLayout()
        self._says = label("", weight=SEMI, wrap=True)
        self.keep = button("Keep as read back today", "main", "A dated revision: what the BMS shows, with the differences told")
        self.keep.clicked.connect(self.keep_all)
        foot.addWidget(self._says, 1)
        foot.addWidget(self.keep)
        layout.addLayout(foot)
        self.refresh()

    @Slot()
    def refresh(self) -> None:
        """Start a new reading of the settings as they stand."""
        menu = kept_menu(self._document)
        self._units = {item.path: item.unit for item in menu.items}
        self._lines = sheet(self._document.setup, None, menu)
        self.table.blockSignals(True)
        self.table.setRowCount(len(self._lines))
        for row, line in enumerate(self._lines):
            for column, text in enumerate((line.section, line.label, line.value, "", "")):
                item = QTableWidgetItem(text)
                if column != SHOWN:
                    item.setFlags(Qt.ItemFlag.ItemIsEnabled)
                if column in (2, SHOWN):
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(row, column, item)
        self.table.blockSignals(False)
        self.table.resizeColumnsToContents()
        self.table.setColumnWidth(SHOWN, 170)
        self.table.setCurrentCell(0, SHOWN)
        self._sum_up()

    def _text(self, row: int, column: int) -> str:
        item = self.table.item(row, column)
        return item.text().strip() if item else ""

    @Slot(int, int)
    def _typed(self, row: int, column: int) -> None:
        if column != SHOWN:
            return
        line = self._lines[row]
        unit = self._units.get(line.path, "")
        text = self._text(row, SHOWN)
        mark, role = "", "ink"
        if text == "=":
            self._put(row, SHOWN, line.value)
            mark, role = "✓ as set", "ok"
        elif text:
            try:
                value = shown(line.path, parse_shown(line.path, text, unit), unit)
                self._put(row, SHOWN, value)
                mark, role = ("✓ as set", "ok") if value == line.value else (f"✗ set to {line.value}", "act")
            except RangeError as error:
                mark, role = str(error), "watch"
        self._put(row, MARK, mark, role)
        self._sum_up()

    def _put(self, row: int, column: int, text: str, role: str = "ink") -> None:
        item = self.table.item(row, column)
        assert item
        self.table.blockSignals(True)
        item.setText(text)
        item.setForeground(QBrush(QColor(self._theme.colour(role))))
        self.table.blockSignals(False)

    def _values(self) -> dict[str, object]:
        """What was typed and can be read, by path."""
        out: dict[str, object] = {}
        for row, line in enumerate(self._lines):
            text = self._text(row, SHOWN)
            if text:
                out[line.path] = parse_shown(line.path, text, self._units.get(line.path, ""))
        return out

    def _read(self) -> ReadBack:
        return read_back(self._document.setup, self._values())

    def _sum_up(self) -> None:
        try:
            found = self._read()
        except (RangeError, InputError) as error:
            self._says.setText(str(error))
            self.keep.setEnabled(False)
            return
        self.keep.setEnabled(found.read > 0)
        rest = len(self._lines) - found.read
        told = "as set" if not found.lines else count(len(found.lines), "difference")
        self._says.setText(f"{found.read} read: {told}; {rest} not read yet." if found.read else "Nothing read yet.")

    @Slot()
    def keep_all(self) -> None:
        """Keep what was read as a revision with today's date."""
        found = self._read()
        self._document.note_read_back(found.shown, found.note)
        self.kept.emit()
