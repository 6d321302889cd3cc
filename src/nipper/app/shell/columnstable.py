"""The columns of a file that is being imported: what each was taken for and why, set by hand."""

from PySide6.QtCore import QPoint, Qt, Signal, Slot
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QHeaderView, QMenu, QTableWidget, QTableWidgetItem, QWidget

from nipper.app.widgets.units import UNITS
from nipper.core.logs.mapping import ColumnMapping
from nipper.core.logs.roles import Role, role_of
from nipper.core.tables.table import Table

TITLES = {
    Role.TIME: "time",
    Role.SECOND_TIME: "time of day, if apart",
    Role.CELL: "cell",
    Role.CURRENT: "current",
    Role.DISCHARGE: "discharging current, if apart",
    Role.DIRECTION: "direction of the current",
    Role.POWER: "power, in place of current",
    Role.PACK: "pack voltage",
    Role.SOC: "percentage",
    Role.TEMPERATURE: "temperature of cells",
    Role.OTHER_TEMPERATURE: "temperature of switches, air, board",
    Role.BALANCING: "cells being balanced",
    Role.BALANCING_CELL: "balancing of one cell",
    Role.NONE: "not read",
}
HEADS = ("Column", "First values", "Taken for", "Why")
SHOWN_VALUES = 3


class ColumnsTable(QTableWidget):
    """``chosen`` carries the columns and the role that is set for them."""

    chosen = Signal(list, object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(0, len(HEADS), parent)
        self.setHorizontalHeaderLabels(UNITS.texts(HEADS))
        self.setAccessibleName(UNITS.text("columns of the file"))
        self.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.verticalHeader().hide()
        self.setToolTip(
            UNITS.text("Click what a column is taken for to set it otherwise; several at once too")
        )
        head = self.horizontalHeader()
        head.setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        head.setStretchLastSection(True)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.customContextMenuRequested.connect(self._asked)
        self.cellActivated.connect(self._cell_asked)
        self.cellClicked.connect(self._clicked)
        self._menu = QMenu(self)
        for role, title in TITLES.items():
            action = self._menu.addAction(UNITS.text(title))
            action.setData(role)
        self._menu.triggered.connect(self._picked)

    def show_columns(self, table: Table, mapping: ColumnMapping, why: dict[str, str]) -> None:
        """All columns of a table, those that are read first."""
        head = table.head(SHOWN_VALUES)
        roles = {c: role_of(mapping, c) for c in table.columns}
        order = sorted(table.columns, key=lambda c: roles[c] is Role.NONE)
        self.setRowCount(len(order))
        for row, column in enumerate(order):
            role = roles[column]
            title = TITLES[role]
            if role is Role.CELL:
                title = f"cell {mapping.cells.index(column) + 1}"
            values = "  ".join(v for v in head[column] if v)
            reason = why.get(column, "")
            taken, because = UNITS.text(title), UNITS.text("" if reason == title else reason)
            texts = (column, values, f"{taken} ▾", because)
            for place, text in enumerate(texts):
                item = QTableWidgetItem(text)
                item.setToolTip(UNITS.text(text))
                if role is Role.NONE:
                    item.setForeground(self.palette().placeholderText())
                self.setItem(row, place, item)
        self.resizeColumnsToContents()
        for place, most in ((0, 150), (1, 130), (2, 170)):
            self.setColumnWidth(place, min(most, self.columnWidth(place)))

    def names(self) -> list[str]:
        """The columns that are selected."""
        rows = sorted({index.row() for index in self.selectedIndexes()})
        return [item.text() for row in rows if (item := self.item(row, 0)) is not None]

    @Slot(int, int)
    def _clicked(self, row: int, column: int) -> None:
        if column == HEADS.index("Taken for"):
            self._cell_asked(row, column)

    @Slot(int, int)
    def _cell_asked(self, row: int, _: int) -> None:
        item = self.item(row, HEADS.index("Taken for"))
        if item is not None:
            self._asked(self.visualItemRect(item).bottomLeft())

    @Slot(QPoint)
    def _asked(self, place: QPoint) -> None:
        if self.names():
            self._menu.popup(self.viewport().mapToGlobal(place))

    @Slot(QAction)
    def _picked(self, action: QAction) -> None:
        self.chosen.emit(self.names(), Role(action.data()))
