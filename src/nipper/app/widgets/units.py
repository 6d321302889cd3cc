"""How fields, texts and figures show a quantity: in the setup's own units, or as one is used to.

What is kept, computed and written to files is always in the setup's units.
"""

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace

from PySide6.QtCore import QObject, Signal

from nipper.core.quantities import Context
from nipper.core.shown import USUAL, Dates, Form, as_shown, keep_names, to_fahrenheit


@dataclass(frozen=True, slots=True)
class Shown:
    """Another unit for the same quantity: its name, there and back."""

    unit: str
    to: Callable[[float], float]
    back: Callable[[float], float]


AS_IT_IS: Callable[[float], float] = float
FAHRENHEIT = Shown("°F", to_fahrenheit, lambda f: (f - 32.0) / 1.8)
DAY_FORMATS = {  # as Qt writes them
    Dates.WORD: "d MMM yyyy",
    Dates.ISO: "yyyy-MM-dd",
    Dates.POINTS: "dd.MM.yyyy",
    Dates.MONTH_FIRST: "MM/dd/yyyy",
}
NO_PACK = Context()
DIGITS = 6  # of what is taken back: 41 °F is 5 °C, not 4.999999999


class Units(QObject):
    """What the user chose; one for the whole application."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.form = USUAL

    def use(self, form: Form) -> None:
        """Show everything so from now on."""
        if form != self.form:
            self.form = form
            self.changed.emit()

    def text(self, text: str) -> str:
        """A text as it is shown."""
        return as_shown(text, self.form)

    def in_words(self, text: str) -> str:
        """A text of which only the words are the reader's: its values are typed into a device."""
        return as_shown(text, Form(language=self.form.language))

    def both(self, text: str) -> str:
        """As it is shown, and in English: what a search looks through."""
        shown = self.text(text)
        return text if shown == text else f"{shown} {text}"

    def keep(self, names: Iterable[str]) -> None:
        """Names that are the builder's own, and in no language."""
        keep_names(names, self.form)

    def texts(self, texts: Iterable[str]) -> list[str]:
        """Texts as they are shown: the choices of a box, the heads of a table."""
        return [self.text(text) for text in texts]

    def exact(self, text: str) -> str:
        """A text as it is shown, with all its digits: what can be typed back."""
        return as_shown(text, replace(self.form, digits=0))

    @property
    def day_format(self) -> str:
        """How a field shows a day, in Qt's letters."""
        return DAY_FORMATS[self.form.dates]

    def name(self, unit: str, context: Context = NO_PACK) -> str:
        """The unit that is shown for one of the setup's."""
        return self._as(unit, context).unit

    def shown(self, value: float, unit: str, context: Context = NO_PACK) -> float:
        """A value in the unit that is shown."""
        way = self._as(unit, context)
        return value if way.to is AS_IT_IS else round(way.to(value), DIGITS)

    def taken(self, value: float, unit: str, context: Context = NO_PACK) -> float:
        """A value that was typed in the unit that is shown, in the setup's."""
        way = self._as(unit, context)
        return value if way.back is AS_IT_IS else round(way.back(value), DIGITS)

    def _as(self, unit: str, context: Context) -> Shown:
        if unit == "°C" and self.form.fahrenheit:
            return FAHRENHEIT
        capacity = context.capacity_ah
        if unit == "A" and self.form.c_rates and context.of_pack and capacity:
            return Shown("C", lambda a: a / capacity, lambda c: c * capacity)
        return Shown(unit, AS_IT_IS, AS_IT_IS)


UNITS = Units()
