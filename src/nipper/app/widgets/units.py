"""The units in which fields show and take a quantity: the setup's own, or those one is used to.

What is kept, computed and written to files is always in the setup's units.
"""

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QObject, Signal


@dataclass(frozen=True, slots=True)
class Shown:
    """Another unit for the same quantity: its name, there and back."""

    unit: str
    to: Callable[[float], float]
    back: Callable[[float], float]


FAHRENHEIT = Shown("°F", lambda c: c * 1.8 + 32.0, lambda f: (f - 32.0) / 1.8)
DIGITS = 6  # of what is taken back: 41 °F is 5 °C, not 4.999999999


class Units(QObject):
    """What the user chose; one for all fields of the application."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._shown: dict[str, Shown] = {}

    def use_fahrenheit(self, yes: bool) -> None:
        """Show temperatures in °F, or in °C."""
        self._shown = {"°C": FAHRENHEIT} if yes else {}
        self.changed.emit()

    def name(self, unit: str) -> str:
        """The unit that is shown for one of the setup's."""
        return self._shown[unit].unit if unit in self._shown else unit

    def shown(self, value: float, unit: str) -> float:
        """A value in the unit that is shown."""
        if unit not in self._shown:
            return value
        return round(self._shown[unit].to(value), DIGITS)

    def taken(self, value: float, unit: str) -> float:
        """A value that was typed in the unit that is shown, in the setup's."""
        if unit not in self._shown:
            return value
        return round(self._shown[unit].back(value), DIGITS)


UNITS = Units()
