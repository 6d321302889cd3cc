"""Charge: a day from the kernel, PV strings, rates by temperature, the open-loop sheet, the energy
budget.
"""

from nipper.app.document import Document
from nipper.app.forecasts import Forecasts
from nipper.app.stage import PagedView, made
from nipper.app.stages.charge.daypage import DayPage
from nipper.app.stages.charge.energy import EnergyPage
from nipper.app.stages.charge.rates import RatePage
from nipper.app.stages.charge.sheet import SheetPage
from nipper.app.stages.charge.strings import StringPage
from nipper.app.theme import Theme
from nipper.core.report.charge import charge_sentence, in_days

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


class ChargeView(PagedView):
    """The stage Charge."""

    def __init__(self, document: Document, forecasts: Forecasts, theme: Theme) -> None:
        super().__init__(PAGES)
        self._document, self._forecasts, self._theme = document, forecasts, theme
        self.follow(
            self.refresh, document.settings.changed, document.pack_changed, forecasts.day.came
        )
        self.refresh()
        forecasts.day.want()

    @made
    def day(self) -> DayPage:
        """A day with these settings."""
        return DayPage(self._document, self._forecasts, self._theme)

    @made
    def strings(self) -> StringPage:
        """The strings of PV modules."""
        return StringPage(self._document, self._theme)

    @made
    def rates(self) -> RatePage:
        """How fast may be charged, by temperature."""
        return RatePage(self._document, self._theme)

    @made
    def sheet(self) -> SheetPage:
        """What is typed into a charger that does not hear the BMS."""
        return SheetPage(self._document)

    @made
    def energy(self) -> EnergyPage:
        """How long the bank lasts."""
        return EnergyPage(self._document, self._forecasts, self._theme)

    def said(self) -> str:
        """What the day brings, or how long the bank lasts."""
        budget = self._forecasts.budget
        if self.shown == ENERGY and budget is not None:
            said = f"{budget.usable_kwh:.1f} kWh · {in_days(budget.without_sun_days)} no sun"
        else:  # which day it is stands beside
            day = self._forecasts.drawn_day
            said = charge_sentence(self._document.setup, day, which=False)[1]
        return said[0].upper() + said[1:]

    def show_field(self, path: str) -> None:
        """Bring the page to the front on which a setting stands."""
        self.show_page(next((i for start, i in PAGE_OF if path.startswith(start)), 0))
