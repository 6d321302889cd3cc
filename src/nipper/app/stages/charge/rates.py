"""Rates by temperature as a chart and as a table that can be typed into."""

import numpy as np
from PySide6.QtCore import Slot
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.theme import Theme
from nipper.app.widgets.basic import SEMI, button, card, clear, label
from nipper.app.widgets.catchup import CatchesUp
from nipper.app.widgets.field import UnitField
from nipper.app.widgets.plot import Plot
from nipper.app.widgets.units import UNITS
from nipper.core.setup import RateStep
from nipper.core.sources.rates import charger_rate, most_a, rates, rates_over

LOW_C, HIGH_C = -20.0, 60.0


class RatePage(CatchesUp):
    """The steps of the table, and the charger's own current beside them."""

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._theme = document, theme
        self.plot = Plot(theme, unit="C, of the capacity each hour", across="°C")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(8)
        layout.addWidget(self.plot, 1)
        frame, inside = card()
        head = QHBoxLayout()
        self._source = label("", "soft", wrap=True)
        head.addWidget(label("No more than", weight=SEMI))
        head.addWidget(self._source, 1)
        self.add, self.usual = (
            button("Add a step", "quiet"),
            button("The usual table", "quiet", "Takes your steps out"),
        )
        self.add.clicked.connect(self._add)
        self.usual.clicked.connect(self._usual)
        head.addWidget(self.add)
        head.addWidget(self.usual)
        inside.addLayout(head)
        self._grid = QGridLayout()
        inside.addLayout(self._grid)
        note = (
            "The cell's sheet overrides every value. Below the first step nothing is "
            "charged. A plain charger cannot follow the table, a closed loop can."
        )
        inside.addWidget(label(note, "soft", wrap=True))
        layout.addWidget(frame)
        self.follow(self._redraw, theme.changed)

    @Slot()
    def refresh(self) -> None:
        """Show the table in force."""
        setup = self._document.setup
        steps, source = rates(setup)
        own = bool(setup.charging and setup.charging.rates)
        self._source.setText(f"({source})")
        self.usual.setVisible(own)
        self.add.setEnabled(setup.charging is not None)
        clear(self._grid)
        self.fields: list[tuple[UnitField, UnitField]] = []
        for row, step in enumerate(steps):
            pair = (
                UnitField("°C", f"rate from, step {row + 1}"),
                UnitField("C", f"step {row + 1}, at most", "0: no charge"),
            )
            pair[0].set_bounds(-60.0, 100.0)
            pair[1].set_bounds(0.0, 20.0)
            for field, value, column in zip(pair, (step.from_c, step.c_rate), (1, 3), strict=True):
                field.set_value(value)
                field.setProperty("row", row)
                field.entered.connect(self._entered)
                field.setEnabled(setup.charging is not None)
                self._grid.addWidget(field, row, column)
            self._grid.addWidget(label("from", "soft"), row, 0)
            self._grid.addWidget(label("at most", "soft"), row, 2)
            self._grid.addWidget(
                label(f"{most_a(setup, step.from_c + 0.01):.0f} A for the bank", "soft"), row, 4
            )
            out = button("Take out", "bare")
            out.setProperty("row", row)
            out.clicked.connect(self._remove)
            out.setVisible(own)
            self._grid.addWidget(out, row, 5)
            self.fields.append(pair)
        self._grid.setColumnStretch(6, 1)
        self._redraw()

    def _redraw(self) -> None:
        setup, plot = self._document.setup, self.plot
        plot.clear()
        degrees = np.linspace(LOW_C, HIGH_C, 801)
        cutoff, hot = setup.charge_cutoff, setup.protection.charge_over_temperature
        allowed = np.array(rates_over(setup, degrees.tolist()))
        plot.line(degrees, allowed, "soft", 1.4, dashed=True)
        inside = (degrees >= (cutoff.release_c if cutoff else LOW_C)) & (
            degrees <= (hot.trip_c if hot else HIGH_C)
        )
        plot.line(degrees, np.where(inside, allowed, np.nan), "ok", 2.6)
        plot.note(HIGH_C, float(allowed.max()), "table", "soft", anchor=(1, 1.05), bold=False)
        charging = setup.charging
        top = float(allowed.max())
        c_rate = charger_rate(setup)
        if charging and c_rate:
            plot.level(c_rate, "copper", 1.6)
            plot.note(
                LOW_C,
                c_rate,
                f"the charger, {charging.max_charge_a:g} A = {c_rate:.2f}C",
                "copper",
                anchor=(0, 1.05),
            )
            top = max(top, c_rate)
        if cutoff:
            plot.mark(
                cutoff.trip_c, "lowest", f"stops {cutoff.trip_c:g} °C".replace("-", "−"), 0.92
            )
        if hot:
            plot.mark(hot.trip_c, "highest", f"stops {hot.trip_c:g} °C", 0.92)
        plot.item.setLabel("bottom", UNITS.text(f"coldest sensor, {UNITS.name('°C')}"))
        plot.item.setYRange(0.0, 1.2 * top, padding=0.01)
        plot.item.setXRange(LOW_C, HIGH_C, padding=0.01)

    def _set(self, steps: list[RateStep], words: str) -> None:
        if self._document.settings.change(
            {"charging.rates": [s.model_dump() for s in steps]}, words
        ):
            self._document.settings.settle()
        self.refresh()

    def _steps(self) -> list[RateStep]:
        return list(rates(self._document.setup)[0])

    @Slot(object)
    def _entered(self, _: float | None) -> None:
        row = int(self.sender().property("row"))
        steps, (from_c, c_rate) = self._steps(), self.fields[row]
        steps[row] = RateStep(from_c=from_c.value or 0.0, c_rate=max(0.0, c_rate.value or 0.0))
        self._set(steps, "Set a step of the rate table")

    @Slot()
    def _add(self) -> None:
        steps = self._steps()
        last = steps[-1]
        self._set(
            [*steps, RateStep(from_c=min(99.0, last.from_c + 10.0), c_rate=last.c_rate)],
            "Add a step to the rate table",
        )

    @Slot()
    def _remove(self) -> None:
        steps = self._steps()
        del steps[self.sender().property("row")]
        self._set(steps, "Take a step out of the rate table")

    @Slot()
    def _usual(self) -> None:
        self._set([], "The usual rate table")
