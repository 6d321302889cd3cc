"""The way of the current in numbers: what each part carries, drops and heats; which fuse; who
carries how much.
"""

from PySide6.QtCore import Slot
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.theme import BASE_PT, Theme
from nipper.app.widgets.basic import SEMI, StatusMark, clear, label, scrolled
from nipper.app.widgets.field import UnitField
from nipper.app.widgets.units import UNITS
from nipper.core.report.current import Row, carried_rows, fuse_rows, share_rows, way_rows
from nipper.core.setup import Setup
from nipper.core.wiring.currents import long_a

WHAT_FOR = (
    "At this current of the whole bank; parts of a pack at the busiest pack's share. Copper at "
    "20 °C: warm leads drop a tenth to a fifth more."
)
HEADS = (
    ("", "flows", "carries", "resistance", "drops", "heats", ""),
    ("fuse", "at least", "at most", "ratings that fit", "must break", "fitted", ""),
)


class CurrentPage(QWidget):
    """Tables made from the settings."""

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._theme = document, theme
        self.amps = UnitField("A", "current of the whole bank", "drawn for long", optional=True)
        self.amps.set_bounds(0.1, 20_000.0)
        self.amps.entered.connect(self._asked)
        self._of = label("", "soft")
        head = QHBoxLayout()
        head.addWidget(label("At"))
        head.addWidget(self.amps)
        head.addWidget(self._of, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.addLayout(head)
        layout.addWidget(label(WHAT_FOR, "soft", wrap=True))
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(14)
        self._grid.setVerticalSpacing(5)
        area = scrolled(self._grid)
        layout.addWidget(area, 1)

    def _current(self, bank: Setup) -> float:
        return self.amps.value or long_a(bank)[0]

    @Slot(object)
    def _asked(self, _: float | None) -> None:
        self.refresh()

    @Slot()
    def refresh(self) -> None:
        """Show the tables as the settings stand."""
        bank = self._document.named_bank
        amps, from_ = long_a(bank)
        self.amps.setPlaceholderText(UNITS.text(f"{amps:.0f} A" if amps else "–"))
        words = {
            "usage.continuous_w": "the loads for long, at the low alarm",
            "link.inverter_max_discharge_a": "the inverter's most",
        }
        told = words.get(from_, "all over-current trips together") if from_ else "nothing is known"
        self._of.setText("" if self.amps.value else told)
        clear(self._grid)
        amps = self._current(bank)
        row = self._table(0, HEADS[0], carried_rows(bank, amps) if amps else [])
        row = self._title(row, "Fuses")
        row = self._table(row, HEADS[1], fuse_rows(bank, amps) if amps else [])
        shares = share_rows(bank, self._document.measured_shares())
        if shares:
            row = self._title(row, "Shares of the packs")
            row = self._table(row, shares[0].cells, shares[1:])
            ways = way_rows(bank)
            row = self._table(row + 1, ways[0].cells, ways[1:])
        self._grid.setColumnStretch(6, 1)
        self._grid.setRowStretch(row, 1)

    def _title(self, row: int, text: str) -> int:
        self._grid.setRowMinimumHeight(row, 12)
        self._grid.addWidget(label(text, size=BASE_PT + 1, weight=SEMI), row + 1, 0, 1, 5)
        return row + 2

    def _table(self, row: int, heads: tuple[str, ...], rows: list[Row]) -> int:
        for column, text in enumerate(heads):
            self._grid.addWidget(label(text, "soft", BASE_PT - 0.5), row, column)
        for at, line in enumerate(rows, row + 1):
            for column, text in enumerate(line.cells):
                weight = SEMI if column == 0 or line.strong else label().font().weight()
                self._grid.addWidget(label(text, weight=weight), at, column)
            if line.status:
                mark = StatusMark(self._theme)
                mark.set_status(line.status)
                self._grid.addWidget(mark, at, 7)
            if line.says:
                says = label(line.says, "soft", BASE_PT - 0.5, wrap=True)
                self._grid.addWidget(says, at, 6)
        return row + len(rows) + 1
