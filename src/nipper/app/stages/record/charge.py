"""One charge opened, another beside it: the cells' curves, and the readings at the same points of
the charge.
"""

from datetime import UTC, datetime, tzinfo

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from nipper.app.theme import BASE_PT, Theme
from nipper.app.widgets.basic import SEMI, label, refilled
from nipper.app.widgets.catchup import CatchesUp
from nipper.app.widgets.plot import Plot
from nipper.app.widgets.units import UNITS
from nipper.core.logs.charges import Charge
from nipper.core.logs.model import Log
from nipper.core.logs.moments import Reading, readings
from nipper.core.report.charges import charge_curves
from nipper.core.setup import Setup

NEAR_MIN = -25.0  # the scale is made for the knee, not for the plateau before it
HEADINGS = ("start of absorption", "+30 min", "end of absorption", "at rest", "highest · lowest")


class Opened:
    """A charge with the log it is in, the name it is shown by, and the settings it was made
    under.
    """

    def __init__(self, log: Log, charge: Charge, pack: str, settings: str) -> None:
        self.log, self.charge, self.pack, self.settings = log, charge, pack, settings


class ChargePanel(CatchesUp):
    """Curves above, a table of readings below; one or two charges."""

    def __init__(self, theme: Theme, zone: tzinfo = UTC, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme, self._zone = theme, zone
        self.plots = (Plot(theme, unit="V"), Plot(theme, unit="V"))
        self._titles = (label("", weight=SEMI), label("", weight=SEMI))
        for title in self._titles:
            title.setToolTip(
                UNITS.text("The axis below counts minutes from the start of absorption")
            )
        self.plots[1].item.setYLink(self.plots[0].item)
        self._shown: tuple[Opened, Opened | None] | None = None
        self._setup: Setup | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        curves = QHBoxLayout()
        self._sides: list[QWidget] = []
        for plot, title in zip(self.plots, self._titles, strict=True):
            side = QWidget()
            inside = QVBoxLayout(side)
            inside.setContentsMargins(0, 0, 0, 0)
            inside.setSpacing(0)
            inside.addWidget(title)
            inside.addWidget(plot, 1)
            plot.setMinimumHeight(120)
            curves.addWidget(side, 1)
            self._sides.append(side)
        layout.addLayout(curves, 1)
        self._table = QGridLayout()
        self._table.setHorizontalSpacing(14)
        self._table.setVerticalSpacing(1)
        layout.addLayout(self._table)
        self.follow(self._redraw, theme.changed)

    def show_charges(self, setup: Setup, first: Opened, beside: Opened | None) -> None:
        """Open one charge, or two side by side."""
        self._setup, self._shown = setup, (first, beside)
        self._redraw()

    def _redraw(self) -> None:
        if self._shown is None or self._setup is None:
            return
        first, beside = self._shown
        self._sides[1].setVisible(beside is not None)
        for plot, title, opened in zip(self.plots, self._titles, self._shown, strict=True):
            if opened is not None:
                self._draw(plot, opened)
                parts = (self._day(opened), opened.pack, opened.settings)
                title.setText(" · ".join(part for part in parts if part))
        self._fit(first, beside)
        with refilled(self._table):
            self._fill_table()

    def _fill_table(self) -> None:
        for column, heading in enumerate(HEADINGS, 1):
            self._table.addWidget(label(heading, "soft", BASE_PT - 1), 0, column)
        for row, opened in enumerate(self._shown or (), 1):
            if opened is not None:
                self._row(row, opened)
        self._table.setColumnStretch(len(HEADINGS) + 1, 1)

    def _day(self, opened: Opened) -> str:
        moment = datetime.fromtimestamp(float(opened.log.time_s[opened.charge.top]), self._zone)
        return f"{moment.day} {moment:%b}"

    def _draw(self, plot: Plot, opened: Opened) -> None:
        assert self._setup
        plot.clear()
        curves = charge_curves(opened.log, opened.charge)
        end = readings(opened.log, self._setup, opened.charge).end
        special = {end.highest - 1: "highest", end.lowest - 1: "lowest"}
        plot.line(curves.minutes, np.delete(curves.cell_v, list(special), axis=1), "herd")
        for i, role in special.items():
            plot.line(curves.minutes, curves.cell_v[:, i], role, 2.0)
        plot.item.getAxis("bottom").setLabel(UNITS.text("minutes from the start of absorption"))
        plot.mark(0.0, "copper")
        plot.mark(curves.end_min, "copper")
        plot.item.setXRange(float(curves.minutes[0]), float(curves.minutes[-1]), padding=0.02)

    def _fit(self, first: Opened, beside: Opened | None) -> None:
        """Both curves on one scale: the point is to compare them."""
        shown = [charge_curves(o.log, o.charge) for o in (first, beside) if o is not None]
        volts = [
            c.cell_v[c.minutes >= NEAR_MIN] if np.any(c.minutes >= NEAR_MIN) else c.cell_v
            for c in shown
        ]
        self.plots[0].item.setYRange(
            min(float(np.nanmin(v)) for v in volts),
            max(float(np.nanmax(v)) for v in volts),
            padding=0.05,
        )

    def _row(self, row: int, opened: Opened) -> None:
        assert self._setup
        read = readings(opened.log, self._setup, opened.charge)
        self._table.addWidget(label(self._day(opened), weight=SEMI), row, 0)
        for column, moment in enumerate((read.begin, read.half_hour, read.end, read.rest), 1):
            self._table.addWidget(_reading(moment), row, column)
        ends = QWidget()
        pair = QHBoxLayout(ends)
        pair.setContentsMargins(0, 0, 0, 0)
        pair.setSpacing(4)
        for number, role in ((read.end.highest, "highest"), (read.end.lowest, "lowest")):
            text = label(str(number), weight=SEMI, size=BASE_PT + 1)
            text.setStyleSheet(f"color: {self._theme.palette.role(role)}")
            text.setToolTip(UNITS.text(f"{role} cell at the end of absorption"))
            if role == "lowest":
                pair.addWidget(label("·", "soft"))
            pair.addWidget(text)
        pair.addStretch(1)
        self._table.addWidget(ends, row, len(HEADINGS), Qt.AlignmentFlag.AlignLeft)


def _reading(read: Reading | None) -> QWidget:
    """``61 mV = 0.4 %`` large, and the condition under which it was read beneath it."""
    box = QWidget()
    inside = QVBoxLayout(box)
    inside.setContentsMargins(0, 0, 0, 2)
    inside.setSpacing(0)
    if read is None:
        inside.addWidget(label("–", "faint"))
        return box
    inside.addWidget(
        label(
            f"{read.deviation_mv:.0f} mV = {read.deviation_pct:.1f} %",
            weight=SEMI,
            size=BASE_PT + 1,
        )
    )
    warm = f" · {read.temp_c:.0f} °C" if np.isfinite(read.temp_c) else ""
    condition = label(
        f"{read.pack_v:.1f} V · {read.current_a:.1f} A{warm}".replace("-", "−"), "soft", BASE_PT - 1
    )
    inside.addWidget(condition)
    return box
