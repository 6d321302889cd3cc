"""A day: what charger, sun and loads do with these settings, and the charger's own values."""

from PySide6.QtCore import Slot
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.forecasts import Forecasts
from nipper.app.stages.charge.day import DayChart
from nipper.app.stages.charge.others import OtherChargers
from nipper.app.theme import Theme
from nipper.app.widgets.basic import card, label
from nipper.app.widgets.form import SettingsForm
from nipper.app.widgets.units import UNITS
from nipper.core.forecast.day import SEASONS
from nipper.core.setup import Charging

SKIES = ("clear", "mixed", "cloudy")


class DayPage(QWidget):
    """The chart of the day, the form of the main charger, the list of the others."""

    def __init__(self, document: Document, forecasts: Forecasts, theme: Theme) -> None:
        super().__init__()
        self._document, self._forecasts = document, forecasts
        self.chart, self.others = DayChart(theme), OtherChargers(document)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        line = QHBoxLayout()
        self.season, self.sky = QComboBox(), QComboBox()
        self.season.setAccessibleName(UNITS.text("season"))
        self.sky.setAccessibleName(UNITS.text("sky"))
        self.season.addItems(UNITS.texts(list(SEASONS)))
        self.sky.addItems(UNITS.texts([f"{s} sky" for s in SKIES]))
        self.season.setToolTip(
            UNITS.text("Where the sun stands, and how cold it is; place and tilt: page Energy")
        )
        self.season.activated.connect(self._day_chosen)
        self.sky.activated.connect(self._day_chosen)
        words = label(
            "The third of three like days, run on a copy of this bank with its measured "
            "cells, loads and sun.",
            "soft",
            wrap=True,
        )
        line.addWidget(words, 1)
        line.addWidget(self.season)
        line.addWidget(self.sky)
        layout.addLayout(line)
        layout.addWidget(self.chart, 1)
        frame, inside = card()
        columns = QHBoxLayout()
        self.form = SettingsForm()
        self.form.add_part(
            "charging",
            Charging,
            "Charger",
            ("absorption_v", "absorption_min", "float_v", "max_charge_a", "tail_a"),
            0,
        )
        self.form.add_part(
            "charging",
            Charging,
            "Equalise, lead-acid",
            ("equalise_v", "equalise_min", "equalise_every_days", "compensation_mv_per_k"),
            2,
        )
        self.form.entered.connect(self._entered)
        columns.addWidget(self.form)
        columns.addWidget(self.others, 1)
        inside.addLayout(columns)
        layout.addWidget(frame)

    @Slot()
    def refresh(self) -> None:
        """Show the day as it is forecast now."""
        setup = self._document.setup
        self.chart.show_day(setup, self._forecasts.drawn_day)
        self.form.show_setup(setup)
        self.others.show_setup(setup)

    @Slot()
    def _day_chosen(self) -> None:
        self._forecasts.change_day(
            list(SEASONS)[self.season.currentIndex()], SKIES[self.sky.currentIndex()]
        )

    @Slot(str, object)
    def _entered(self, path: str, value: object) -> None:
        if not self._document.settings.enter({path: value}, f"Set {path}"):
            self.form.show_setup(self._document.setup)
