"""A pack put away: how long it lasts, and what to do before."""

import numpy as np
from PySide6.QtCore import Slot
from PySide6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.theme import Theme
from nipper.app.widgets.basic import SEMI, StatusMark, clear, label
from nipper.app.widgets.field import UnitField
from nipper.app.widgets.plot import Plot
from nipper.app.widgets.units import UNITS
from nipper.core.report.keep import WAKING, storage_words
from nipper.core.upkeep.storage import Rest, Stored, of_lowest, stored

SHOWN_DAYS = 730


class StoragePage(QWidget):
    """Fields, the curve of the charge, and what happens when."""

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._theme = document, theme
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        line = QHBoxLayout()
        self.fields: dict[str, UnitField] = {}
        for name, title, unit, low, high, value in (
            ("soc", "put away at", "%", 0, 100, 55.0), ("air", "air", "°C", -40, 60, 12.0),
            ("watts", "stays on", "W", 0, 10_000, None),
        ):  # fmt: skip
            field = UnitField(unit, title, optional=name == "watts")
            field.set_bounds(low, high)
            field.set_value(value)
            field.entered.connect(self._changed)
            line.addWidget(label(title))
            line.addWidget(field)
            self.fields[name] = field
        self.off = QCheckBox(UNITS.text("switched off and disconnected"))
        self.off.toggled.connect(self._changed)
        line.addWidget(self.off)
        line.addStretch(1)
        layout.addLayout(line)
        self.plot = Plot(theme, unit="charge, %")
        self.plot.item.getAxis("bottom").setLabel(UNITS.text("days"))
        self.plot.setMinimumHeight(200)
        layout.addWidget(self.plot, 1)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(10)
        self._grid.setVerticalSpacing(4)
        layout.addLayout(self._grid)
        layout.addWidget(label(WAKING, "soft", wrap=True))

    def rest(self) -> Rest:
        """How the shown pack is put away, with what its log says of its lowest cell."""
        setup, record = self._document.setup, self._document.record
        usual = (setup.wiring.standby_w if setup.wiring else None) or 0.0
        watts = usual if self.fields["watts"].value is None else self.fields["watts"].value
        behind = drift = 0.0
        if record is not None:
            behind, drift = of_lowest(record.diagnosis.now.drift)
        return Rest(
            self.fields["soc"].value or 0.0, self.fields["air"].value or 0.0,
            0.0 if self.off.isChecked() else watts, behind, drift,
        )  # fmt: skip

    @Slot()
    def _changed(self, *_: object) -> None:
        self.refresh()

    @Slot()
    def refresh(self) -> None:
        """Show how long the shown pack lasts."""
        setup, rest = self._document.setup, self.rest()
        usual = (setup.wiring.standby_w if setup.wiring else None) or 0.0
        self.fields["watts"].setPlaceholderText(UNITS.text(f"{usual:g} W"))
        self.fields["watts"].setEnabled(not self.off.isChecked())
        found = stored(setup, rest)
        self._draw(found)
        clear(self._grid)
        for row, (status, words) in enumerate(storage_words(found, rest)):
            mark = StatusMark(self._theme)
            mark.set_status(str(status))
            self._grid.addWidget(mark, row, 0)
            self._grid.addWidget(label(words, weight=SEMI if row == 0 else label().font().weight(),
                                       wrap=True), row, 1)  # fmt: skip
        self._grid.setColumnStretch(1, 1)

    def _draw(self, found: Stored) -> None:
        last = [s.days for s in found.stages if s.days is not None]
        days = min(SHOWN_DAYS, max(60, int(1.15 * max(last, default=365.0))), len(found.mean_pct))
        self.plot.clear()
        x = np.arange(days, dtype=float)
        self.plot.line(x, np.array(found.mean_pct[:days]), "herd", 2.0)
        self.plot.line(x, np.array(found.lowest_pct[:days]), "lowest", 2.0)
        for i, stage in enumerate(found.stages):
            if stage.days is not None and stage.days < days:
                self.plot.mark(stage.days, "soft", stage.what, at=0.9 - 0.13 * i)
        self.plot.setXRange(0, days, padding=0.01)
        self.plot.setYRange(0, max(20.0, found.mean_pct[0]), padding=0.05)
