"""The logs that were read into a bench, one a row; those chosen are taken out again."""

from datetime import datetime, tzinfo

from PySide6.QtCore import Qt, Signal, Slot
from PySide6.QtWidgets import QTableWidgetItem, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.widgets.basic import SEMI, Row, TakeOut, label
from nipper.app.widgets.listing import listing
from nipper.app.widgets.units import UNITS
from nipper.store import ImportedLog

COLUMNS = ("Pack", "File", "From its first row to its last", "Rows")
FILE, ROWS = 1, 3
TALLEST = 14  # rows; the others are scrolled to
WIDEST_PX = 460  # a longer name of a file is told by its tip
OUT = "Its samples leave the bench; the file itself is not touched"


class LogsList(QWidget):
    """A year of daily logs is one table: a line of labels for each took seconds. ``changed`` when
    some were taken out.
    """

    changed = Signal()

    def __init__(self, document: Document, zone: tzinfo) -> None:
        super().__init__()
        self._document, self._zone = document, zone
        self._logs: list[ImportedLog] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(label("Logs read into this bench", weight=SEMI))
        self._none = label("None yet: drop a log on the window, or Ctrl+I.", "soft")
        layout.addWidget(self._none)
        self.table = listing(COLUMNS, "logs read into this bench")
        self.table.setWordWrap(False)
        self.table.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        self.table.itemSelectionChanged.connect(self._say_chosen)
        layout.addWidget(self.table)
        self.out = TakeOut(0, OUT)
        self.out.sure.connect(self._take_out)
        self._chosen = label("", "soft")
        below = Row()
        for part in (self.out, self._chosen):
            below.add(part)
        layout.addWidget(below)

    def refresh(self) -> None:
        """Show them as they are in the bench."""
        self._logs = self._document.bench.logs.all()
        names = {pack.id: pack.name for pack in self._document.records.packs}
        self.table.clearSelection()
        self.table.setRowCount(len(self._logs))
        for row, log in enumerate(self._logs):
            self._fill(row, log, names.get(log.pack, ""))
        self.table.resizeColumnsToContents()
        self.table.setColumnWidth(FILE, min(self.table.columnWidth(FILE), WIDEST_PX))
        self._fit()
        self.table.setVisible(bool(self._logs))
        self._none.setVisible(not self._logs)
        self._say_chosen()

    def _fit(self) -> None:
        """As large as what stands in it, up to some rows."""
        table, frame_px = self.table, 2 * self.table.frameWidth()
        across, down = table.horizontalHeader(), table.verticalHeader()
        shown = min(len(self._logs), TALLEST)
        table.setFixedHeight(
            across.sizeHint().height() + shown * down.defaultSectionSize() + frame_px
        )
        bar_px = table.verticalScrollBar().sizeHint().width()
        table.setMaximumWidth(across.length() + bar_px + frame_px)

    def _fill(self, row: int, log: ImportedLog, pack: str) -> None:
        first, last = (datetime.fromtimestamp(t, self._zone) for t in (log.first_s, log.last_s))
        begun, ended = (f"{day.day} {day:%b %Y}" for day in (first, last))
        span = UNITS.text(begun if begun == ended else f"{begun} to {ended}")
        for column, text in enumerate((pack, log.file, span, str(log.rows))):
            item = QTableWidgetItem(text)
            if column == ROWS:
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            if column == FILE:
                item.setToolTip(text)
            self.table.setItem(row, column, item)

    def _those_chosen(self) -> list[ImportedLog]:
        rows = {index.row() for index in self.table.selectionModel().selectedRows()}
        return [self._logs[row] for row in sorted(rows)]

    @Slot()
    def _say_chosen(self) -> None:
        chosen = self._those_chosen()
        self.out.setVisible(bool(self._logs))
        self.out.setEnabled(bool(chosen))
        self._chosen.setVisible(bool(self._logs))
        if chosen:
            rows = sum(log.rows for log in chosen)
            self._chosen.setText(f"{len(chosen)} chosen, {rows} rows together.")
        else:
            self._chosen.setText("Choose one; with Shift or Ctrl several.")

    @Slot()
    def _take_out(self) -> None:
        self._document.records.remove_logs({log.id for log in self._those_chosen()})
        self.refresh()
        self.changed.emit()
