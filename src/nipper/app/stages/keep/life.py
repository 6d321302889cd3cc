"""What use costs in life: the years of this use, and what each change would bring."""

from dataclasses import replace

import numpy as np
from PySide6.QtCore import Slot
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.theme import BASE_PT, Theme
from nipper.app.widgets.basic import SEMI, clear, label
from nipper.app.widgets.field import UnitField
from nipper.app.widgets.plot import Plot
from nipper.app.widgets.units import UNITS
from nipper.core.report.keep import LIFE_SOURCE, NO_LIFE, life_rows
from nipper.core.upkeep.ageing import END_PCT, Life, known_for, lost_pct, ways

SHOWN_YEARS = 20
FIELDS = (
    ("soc_pct", "kept at, on the mean", "%", 0.0, 100.0),
    ("cell_c", "cells at", "°C", -30.0, 70.0),
    ("cycles_a_day", "full cycles a day", "", 0.0, 20.0),
    ("charge_rate", "charged at", "C", 0.01, 5.0),
)


class LifePage(QWidget):
    """Fields that begin with what the log says, the curve, and a table of changes."""

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._measured = Life()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.addWidget(label(LIFE_SOURCE, "soft", wrap=True))
        line = QHBoxLayout()
        self.fields: dict[str, UnitField] = {}
        for name, title, unit, low, high in FIELDS:
            field = UnitField(unit, title, "left empty: as the log says", optional=True)
            field.set_bounds(low, high)
            field.entered.connect(self._changed)
            line.addWidget(label(title, "soft"))
            line.addWidget(field)
            self.fields[name] = field
        line.addStretch(1)
        layout.addLayout(line)
        self.told = label("", size=13, weight=SEMI, wrap=True)
        layout.addWidget(self.told)
        self.plot = Plot(theme, unit="capacity, %")
        self.plot.item.getAxis("bottom").setLabel(UNITS.text("years"))
        self.plot.setMinimumHeight(180)
        layout.addWidget(self.plot, 1)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(18)
        self._grid.setVerticalSpacing(4)
        layout.addLayout(self._grid)

    def life(self) -> Life:
        """The use that is shown: as typed, else as the log says."""
        record = self._document.record
        self._measured = record.life if record else Life()
        typed = {n: f.value for n, f in self.fields.items() if f.value is not None}
        return replace(self._measured, **typed)

    @Slot()
    def _changed(self, *_: object) -> None:
        self.refresh()

    @Slot()
    def refresh(self) -> None:
        """Show the life of the shown pack."""
        life = self.life()
        for name, field in self.fields.items():
            field.setPlaceholderText(
                UNITS.text(f"{getattr(self._measured, name):g} {field.unit}".strip())
            )
        clear(self._grid)
        self.plot.clear()
        if not known_for(self._document.setup):
            self.told.setText(NO_LIFE)
            return
        found = ways(life)
        years = np.linspace(0.0, SHOWN_YEARS, 81)
        for way in reversed(found):
            left = np.array([100.0 - lost_pct(way.life, y) for y in years])
            own = way is found[0]
            self.plot.line(years, left, "ink" if own else "herd", 2.5 if own else 1.0)
        self.plot.level(100.0 - END_PCT, "watch")
        self.plot.setXRange(0, SHOWN_YEARS, padding=0.01)
        self.plot.setYRange(60.0, 100.0, padding=0.02)
        head, *rows = life_rows(found)
        self.told.setText(head)
        for row, cells in enumerate(rows):
            for column, text in enumerate(cells):
                role = "soft" if row == 0 else ""
                weight = SEMI if row == 1 else label().font().weight()
                size = BASE_PT - 0.5 if row == 0 else BASE_PT
                self._grid.addWidget(label(text, role, size, weight), row, column)
        self._grid.setColumnStretch(4, 1)
