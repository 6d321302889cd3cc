"""A charge over a day: voltage with its stages, and current beneath what the sun could give."""

import numpy as np
from PySide6.QtWidgets import QVBoxLayout, QWidget

from nipper.app.theme import BASE_PT, Theme
from nipper.app.widgets.basic import label
from nipper.app.widgets.catchup import CatchesUp
from nipper.app.widgets.plot import Plot
from nipper.core.forecast.day import Day
from nipper.core.setup import Setup

STAGE_ROLE = {
    "bulk": "herd",
    "absorption": "copper",
    "float": "ok",
    "BMS stops it": "act",
    "too cold": "lowest",
}
NAMED_H = 0.9  # a stage shorter than that has no room for its name


class DayChart(CatchesUp):
    """Two plots under each other: cells, and current."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._shown: tuple[Setup, Day] | None = None
        self.volts, self.amps = (
            Plot(theme, unit="V a cell", run_axis=True),
            Plot(theme, unit="A into the bank", run_axis=True),
        )
        self.amps.item.setXLink(self.volts.item)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        layout.addWidget(self.volts, 5)
        layout.addWidget(self.amps, 4)
        for plot in (self.volts, self.amps):
            plot.item.getAxis("left").setWidth(56)
            plot.item.setMouseEnabled(x=True, y=False)
        self.volts.item.getAxis("bottom").setStyle(showValues=False)
        self.volts.item.getAxis("bottom").setHeight(4)
        self._wait = label("The day is being run on a copy of this bank …", "soft", wrap=True)
        layout.addWidget(self._wait)
        self.follow(self._redraw, theme.changed)

    def show_day(self, setup: Setup, day: Day | None) -> None:
        """Draw a day."""
        self._wait.setVisible(day is None)
        self._shown = (setup, day) if day is not None else None
        self._redraw()

    def _redraw(self) -> None:
        for plot in (self.volts, self.amps):
            plot.clear()
        if self._shown is None:
            return
        setup, day = self._shown
        self._draw_volts(setup, day)
        self._draw_amps(setup, day)
        self.volts.item.setXRange(0.0, 24.0, padding=0.005)

    def _draw_volts(self, setup: Setup, day: Day) -> None:
        plot = self.volts
        low = float(np.percentile(day.cell_v, 3))
        top = max(
            float(day.highest_v.max()),
            setup.charging.absorption_v / setup.cells if setup.charging else 0.0,
        )
        span = max(top - low, 0.02)
        base = low - 0.22 * span
        for stage in day.stages:
            role = STAGE_ROLE[stage.name]
            plot.band(
                np.array([stage.start_h, stage.end_h]),
                np.full(2, base),
                np.full(2, base + 0.13 * span),
                role,
            )
            if stage.end_h - stage.start_h >= NAMED_H:
                plot.note(
                    0.5 * (stage.start_h + stage.end_h),
                    base + 0.065 * span,
                    stage.name,
                    "soft" if role == "herd" else role,
                    anchor=(0.5, 0.5),
                    size=BASE_PT - 0.5,
                )
        plot.line(day.hour, day.highest_v, "highest", 1.2)
        plot.line(day.hour, day.cell_v, "ink", 2.0)
        charging = setup.charging
        if charging:
            for name, value in (("absorption", charging.absorption_v), ("float", charging.float_v)):
                if value:
                    plot.level(value / setup.cells, "copper")
                    plot.note(
                        0.1,
                        value / setup.cells,
                        f"{name} {value / setup.cells:.3f} V",
                        "copper",
                        anchor=(0, 1.0),
                        bold=False,
                        size=BASE_PT - 1,
                    )
        peak = int(day.highest_v.argmax())
        plot.note(
            float(day.hour[peak]),
            float(day.highest_v[peak]),
            f"highest {day.highest_v[peak]:.3f} V",
            "highest",
            anchor=(0.5, 1.0),
            size=BASE_PT - 0.5,
        )
        plot.item.setYRange(base, top + 0.16 * span, padding=0.01)

    def _draw_amps(self, setup: Setup, day: Day) -> None:
        plot = self.amps
        plot.line(day.hour, day.could_a, "watch", 1.2, dashed=True, alpha=170)
        plot.line(day.hour, day.current_a, "copper", 1.8)
        plot.level(0.0)
        i = int(day.could_a.argmax())
        plot.note(
            float(day.hour[i]) + 0.2,
            float(day.could_a[i]),
            "what the sun could give",
            "watch",
            anchor=(0, 0.9),
            bold=False,
            size=BASE_PT - 1,
        )
        top, low = (
            max(float(day.could_a.max()), float(day.current_a.max()), 1.0),
            min(0.0, float(day.current_a.min())),
        )
        most = setup.charging.max_charge_a if setup.charging else None
        if most and most < 1.8 * top:  # further off it would only press the day together
            plot.level(most, "soft")
            plot.note(
                23.9,
                most,
                f"charger's most, {most:g} A",
                "soft",
                anchor=(1, 1.0),
                bold=False,
                size=BASE_PT - 1,
            )
            top = max(top, most)
        told = (
            f"{day.soc_pct[0]:.0f} % at first, {day.soc_pct.max():.0f} % at most, "
            f"{day.soc_pct[-1]:.0f} % at midnight"
        )
        plot.note(0.1, 1.35 * top, told, "ink", anchor=(0, 0), size=BASE_PT - 0.5)
        plot.item.setYRange(1.08 * low, 1.35 * top, padding=0.01)
