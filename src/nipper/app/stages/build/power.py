"""The first power of a new or changed bank, in order; and what takes each source off."""

from PySide6.QtCore import Signal, Slot
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.theme import BASE_PT, Theme
from nipper.app.widgets.basic import SEMI, StatusMark, clear, label, scrolled
from nipper.app.widgets.field import UnitField
from nipper.app.widgets.steps import StepList
from nipper.app.widgets.units import UNITS
from nipper.core.assembly.firstbalance import DELIVERED_PCT, SUPPLY_A, first_balance
from nipper.core.assembly.isolation import sources
from nipper.core.assembly.taps import tap_test
from nipper.core.report.assembly import steps
from nipper.core.setup import pack_setups


class PowerPage(QWidget):
    """``asked`` carries the page on which a step is done."""

    asked = Signal(int)

    def __init__(
        self,
        document: Document,
        theme: Theme,
        pages: dict[str, int],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self._document, self._theme, self._pages = document, theme, pages
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        inside = QVBoxLayout()
        inside.setContentsMargins(0, 0, 0, 0)
        self._list = StepList(theme)
        inside.addLayout(self._supply())
        inside.addWidget(self._list)
        inside.addWidget(label("What takes each source off", size=BASE_PT + 1, weight=SEMI))
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(14)
        self._grid.setVerticalSpacing(6)
        inside.addLayout(self._grid)
        inside.addStretch(1)
        area = scrolled(inside)
        layout.addWidget(area, 1)
        self._list.asked.connect(self.asked)
        self._list.ticked.connect(self._ticked)

    def _supply(self) -> QHBoxLayout:
        """What the first top balance goes by."""
        line = QHBoxLayout()
        self.supply = UnitField("A", "bench supply", "its most current", optional=True)
        self.supply.set_bounds(0.1, 1000.0)
        self.delivered = UnitField("%", "charge of the new cells", "as they came", optional=True)
        self.delivered.set_bounds(0.0, 100.0)
        for text, field in (("bench supply of", self.supply), ("new cells at", self.delivered)):
            line.addWidget(label(text, "soft"))
            line.addWidget(field)
            field.entered.connect(self._supplied)
        self.supply.setPlaceholderText(UNITS.text(f"{SUPPLY_A:g} A"))
        self.delivered.setPlaceholderText(UNITS.text(f"{DELIVERED_PCT:g} %"))
        line.addStretch(1)
        return line

    @Slot(object)
    def _supplied(self, _: float | None) -> None:
        notes = self._document.shelf.build_notes()
        notes.supply_a, notes.delivered_pct = self.supply.value, self.delivered.value
        self._document.shelf.keep_build_notes(notes)
        self.refresh()

    @Slot()
    def refresh(self) -> None:
        """Show how the steps stand, and the sources."""
        document, bank = self._document, self._document.named_bank
        notes = document.shelf.build_notes()
        packs = pack_setups(bank)
        taps = [
            tap_test(pack, notes.pack(i).taps_v, notes.pack(i).taps_pack_v)
            for i, pack in enumerate(packs)
        ]
        self.supply.set_value(notes.supply_a)
        self.delivered.set_value(notes.delivered_pct)
        came = DELIVERED_PCT if notes.delivered_pct is None else notes.delivered_pct
        balance = first_balance(document.setup, notes.supply_a or SUPPLY_A, came)
        self._list.show_steps(steps(bank, notes, taps, self._pages, balance))
        clear(self._grid)
        heads = ("source", "is stopped by", "stays live", "by the switch")
        for column, text in enumerate(heads):
            self._grid.addWidget(label(text, "soft", BASE_PT - 0.5), 0, column)
        for row, source in enumerate(sources(bank), 1):
            self._grid.addWidget(label(source.name, weight=SEMI, wrap=True), row, 0)
            self._grid.addWidget(label(source.stopped_by, size=BASE_PT - 0.5, wrap=True), row, 1)
            live = label(source.stays_live, "soft", BASE_PT - 0.5, wrap=True)
            self._grid.addWidget(live, row, 2)
            mark = StatusMark(self._theme)
            mark.set_status({True: "ok", False: "watch", None: "none"}[source.by_switch])
            self._grid.addWidget(mark, row, 3)
        for column, stretch in enumerate((2, 3, 5, 0)):
            self._grid.setColumnStretch(column, stretch)

    @Slot(str, bool)
    def _ticked(self, step: str, done: bool) -> None:
        notes = self._document.shelf.build_notes()
        if done:
            notes.ticks[step] = self._document.bench.clock()
        else:
            notes.ticks.pop(step, None)
        self._document.shelf.keep_build_notes(notes)
