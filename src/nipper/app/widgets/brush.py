"""Painting of figures whose words are shown as the reader is used to them."""

from collections.abc import Callable
from typing import Any

from PySide6.QtGui import QPainter

from nipper.app.widgets.units import UNITS


class Brush(QPainter):
    """A painter that writes texts in the units, dates and marks that were chosen."""

    def drawText(self, *args: Any, **kwargs: Any) -> Any:  # noqa: N802 - Qt's name
        """As Qt's, in each of its forms."""
        told: list[Any] = [UNITS.text(a) if isinstance(a, str) else a for a in args]
        draw: Callable[..., Any] = super().drawText
        return draw(*told, **kwargs)
