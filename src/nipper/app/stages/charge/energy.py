"""The energy budget as large readings: what the bank holds, how long it lasts, how long it takes to
fill.
"""

from PySide6.QtCore import Qt, Slot
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.forecasts import Forecasts
from nipper.app.stages.charge.loads import LoadList
from nipper.app.stages.charge.year import YearFigure
from nipper.app.theme import BASE_PT, Theme
from nipper.app.widgets.basic import SEMI, button, clear, label
from nipper.app.widgets.field import UnitField
from nipper.app.widgets.form import SettingsForm
from nipper.core.forecast.autonomy import Autonomy, runs_h
from nipper.core.report.charge import in_days, stands
from nipper.core.setup import Solar
from nipper.core.sources.loads import listed_kwh

READING_PT = 18.0


class EnergyPage(QWidget):
    """How long the bank lasts, by season, and what it is asked for."""

    def __init__(self, document: Document, forecasts: Forecasts, theme: Theme) -> None:
        super().__init__()
        self._document, self._forecasts = document, forecasts
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(10)
        line = QHBoxLayout()
        self.field = UnitField(
            "kWh/day",
            "loads a day",
            "What the house takes; empty: from the log, else half of the bank",
            optional=True,
        )
        self.field.set_bounds(0.001, 1e4)
        self.field.setMaximumWidth(120)
        self.field.entered.connect(self.loads_typed)
        line.addWidget(label("Loads", "soft"))
        line.addWidget(self.field)
        self._source = label("", "soft")
        line.addWidget(self._source, 1)
        self.one_by_one = button("One by one", "quiet", "The loads as a list: power by hours")
        self.one_by_one.setCheckable(True)
        self.one_by_one.toggled.connect(self._listed)
        line.addWidget(self.one_by_one)
        layout.addLayout(line)
        self.year, self.list = YearFigure(theme), LoadList(document)
        self._picture = QStackedWidget()
        for widget in (self.year, self.list):
            self._picture.addWidget(widget)
        layout.addWidget(self._picture, 1)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(28)
        self._grid.setVerticalSpacing(4)
        layout.addLayout(self._grid)
        layout.addLayout(self._below())
        self._note = label("", "soft", BASE_PT - 0.5, wrap=True)
        layout.addWidget(self._note)

    def _below(self) -> QHBoxLayout:
        """Where the modules stand, and how long one load runs."""
        line = QHBoxLayout()
        self.place = SettingsForm()
        for column, name in ((0, "latitude_deg"), (2, "tilt_deg"), (4, "facing_deg")):
            self.place.add_part("solar", Solar, "", (name,), column)
        self.place.entered.connect(self._placed)
        line.addWidget(self.place, 0, Qt.AlignmentFlag.AlignVCenter)
        self.one = UnitField("W", "One load", "at the inverter's output, running alone", True)
        self.one.set_bounds(1.0, 1e6)
        self.one.entered.connect(self._one_load)
        self._runs = label("", weight=SEMI)
        line.addSpacing(20)
        line.addWidget(label("one load"))
        line.addWidget(self.one)
        line.addWidget(self._runs, 1)
        return line

    @Slot(bool)
    def _listed(self, listed: bool) -> None:
        """The list of loads in place of the year, or the year again."""
        self._picture.setCurrentIndex(int(listed))

    @Slot(object)
    def loads_typed(self, kwh_per_day: float | None) -> None:
        """Another consumption; None: as the log or the list of loads has it."""
        self._document.settings.enter({"usage.kwh_per_day": kwh_per_day}, "Set the loads a day")

    @Slot(str, object)
    def _placed(self, path: str, value: object) -> None:
        if not self._document.settings.enter({path: value}, f"Set {path}"):
            self.place.show_setup(self._document.setup)

    @Slot(object)
    def _one_load(self, watts: float | None) -> None:
        runs = f"runs {runs_h(self._document.setup, watts):.1f} h from full" if watts else ""
        self._runs.setText(runs)

    @Slot()
    def refresh(self) -> None:
        """Show the budget as it is; nothing of it while it is reckoned."""
        clear(self._grid)
        setup, budget = self._document.setup, self._forecasts.budget
        self.place.show_setup(setup)
        self.year.show_budget(budget)
        self.list.show_setup(setup)
        self._one_load(self.one.value)
        self.field.set_value(setup.usage.kwh_per_day if setup.usage else None)
        if budget is None:
            self._source.setText("reckoning …")
            return
        entered, listed = bool(setup.usage and setup.usage.kwh_per_day), listed_kwh(setup)
        if listed is not None and not entered:
            self._source.setText(f"{listed:.2f} kWh a day, the sum of the loads one by one")
        where = "from the log" if budget.measured else "usual for such a bank: enter yours"
        if entered or listed is None:
            self._source.setText(
                "as entered" if entered else f"{budget.kwh_per_day:.1f} kWh a day, {where}"
            )
        no_sun = "without any sun" + (
            f", {budget.charged_kwh:.1f} kWh a day by other chargers" if budget.charged_kwh else ""
        )
        readings = (
            (
                f"{budget.usable_kwh:.1f} kWh",
                "between the charge target and the under-voltage trip, all packs",
            ),
            (in_days(budget.without_sun_days), no_sun),
            (in_days(budget.cloudy_winter_days), "under clouds in midwinter"),
            (in_days(budget.cloudy_summer_days), "under clouds in midsummer"),
            (
                f"{budget.refill_h:.1f} h",
                f"to fill from empty at the full charge current, {budget.c_rate:.2f}C",
            ),
            (
                self._refill(budget),
                "to fill from empty on clear days, loads running: midsummer · March · midwinter",
            ),
        )
        for i, (number, what) in enumerate(readings):
            row, column = 2 * (i // 3), i % 3
            self._grid.addWidget(label(number, size=READING_PT, weight=SEMI), row, column)
            self._grid.addWidget(label(what, "soft", wrap=True), row + 1, column)
        self._grid.setColumnStretch(0, 1)
        self._grid.setColumnStretch(1, 1)
        self._grid.setColumnStretch(2, 1)
        self._note.setText(
            f"Sun: {budget.sun_w / 1e3:.1f} kW of modules, {stands(budget.place)}; clear sky "
            "after Ineichen, a cloudy day lets a third through, a mixed one three quarters. "
            "Inverter 92 %, charger 96 % (common practice)."
        )

    @staticmethod
    def _refill(budget: Autonomy) -> str:
        return " · ".join(
            "never" if d is None else f"{d:.1f} days" for d in budget.refill_days.values()
        )
