"""Charge: a day from the kernel, PV strings, rates by temperature, the open-loop sheet, the energy
budget.
"""

from PySide6.QtCore import Slot
from PySide6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QHBoxLayout,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from nipper.app.document import Document
from nipper.app.forecasts import Forecasts
from nipper.app.stage import StageView
from nipper.app.stages.charge.day import DayChart
from nipper.app.stages.charge.energy import EnergyPage
from nipper.app.stages.charge.others import OtherChargers
from nipper.app.stages.charge.rates import RatePage
from nipper.app.stages.charge.sheet import SheetPage
from nipper.app.stages.charge.strings import StringPage
from nipper.app.theme import Theme
from nipper.app.widgets.basic import SEMI, card, choices, label
from nipper.app.widgets.form import SettingsForm
from nipper.core.forecast.day import SEASONS
from nipper.core.report.charge import charge_sentence, in_days
from nipper.core.setup import Charging

PAGES = ("A day", "PV strings", "Rates", "Open loop", "Energy")
ENERGY = 4
PAGE_OF = (
    ("solar.latitude", 4),
    ("solar.tilt", 4),
    ("solar.facing", 4),
    ("solar", 1),
    ("charging.rates", 2),
    ("link.", 3),
)  # where a setting stands
SKIES = ("clear", "mixed", "cloudy")


class ChargeView(StageView):
    """The stage Charge."""

    def __init__(
        self, document: Document, forecasts: Forecasts, theme: Theme, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self._document, self._forecasts = document, forecasts
        self._title = label("", size=16, weight=SEMI, wrap=True)
        self.chart, self.strings, self.rates = (
            DayChart(theme),
            StringPage(document, theme),
            RatePage(document, theme),
        )
        self.sheet, self.energy = SheetPage(), EnergyPage(document, theme)
        self.others = OtherChargers(document)
        self._group, self._stack = QButtonGroup(self), QStackedWidget()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 14, 18, 14)
        layout.setSpacing(6)
        head = QHBoxLayout()
        head.addWidget(self._title, 1)
        head.addLayout(choices(PAGES, self._group))
        layout.addLayout(head)
        for page in (self._day_page(), self.strings, self.rates, self.sheet, self.energy):
            self._stack.addWidget(page)
        layout.addWidget(self._stack, 1)
        self._group.idClicked.connect(self.show_page)
        self.energy.loads.connect(self._loads_typed)
        self.energy.placed.connect(self._entered)
        changes = document.settings.changed, document.pack_changed, forecasts.day.came
        self.follow(self._show, *changes)
        self._show()
        forecasts.day.want()

    def _day_page(self) -> QWidget:
        page = QWidget()
        layout = QVBoxLayout(page)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        line = QHBoxLayout()
        self.season, self.sky = QComboBox(), QComboBox()
        self.season.setAccessibleName("season")
        self.sky.setAccessibleName("sky")
        self.season.addItems(list(SEASONS))
        self.sky.addItems([f"{s} sky" for s in SKIES])
        self.season.setToolTip(
            "Where the sun stands, and how cold it is; place and tilt: page Energy"
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
        return page

    @Slot(int)
    def show_page(self, index: int) -> None:
        """Show a day, the strings, the rates, the sheet or the budget."""
        self._group.button(index).setChecked(True)
        self._stack.setCurrentIndex(index)
        self._show()

    def show_field(self, path: str) -> None:
        """Bring the page to the front on which a setting stands."""
        self.show_page(next((i for start, i in PAGE_OF if path.startswith(start)), 0))

    @Slot()
    def _show(self, *_: object) -> None:
        setup, day = self._document.setup, self._forecasts.drawn_day
        shown = self._stack.currentIndex()
        sentence = charge_sentence(setup, day, which=False)[1]  # which day it is stands beside
        budget = self._forecasts.budget
        if shown == ENERGY and budget is not None:
            sentence = f"{budget.usable_kwh:.1f} kWh · {in_days(budget.without_sun_days)} no sun"
        self._title.setText(sentence[0].upper() + sentence[1:])
        if shown == 0:
            self.chart.show_day(setup, day)
            self.form.show_setup(setup)
            self.others.show_setup(setup)
        elif shown == ENERGY:
            self.energy.show_budget(setup, self._forecasts.budget)
        else:
            (self.strings, self.rates, self.sheet)[shown - 1].show_setup(setup)

    @Slot()
    def _day_chosen(self) -> None:
        self._forecasts.change_day(self.season.currentText(), SKIES[self.sky.currentIndex()])

    @Slot(str, object)
    def _entered(self, path: str, value: object) -> None:
        if not self._document.settings.enter({path: value}, f"Set {path}"):
            self.form.show_setup(self._document.setup)

    @Slot(object)
    def _loads_typed(self, value: float | None) -> None:
        self._document.settings.enter({"usage.kwh_per_day": value}, "Set the loads a day")
