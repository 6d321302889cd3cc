"""Painted once, shown often: parts of a figure that are the same from frame to frame."""

from collections.abc import Callable, Hashable

from PySide6.QtCore import QSizeF, Qt
from PySide6.QtGui import QPainter, QPixmap

from nipper.app.widgets.brush import Brush

MOST = 200  # kept; then all is painted anew


class Stamps:
    """Pictures under keys; a key names all that its picture depends on, colours included."""

    def __init__(self) -> None:
        self._kept: dict[tuple[Hashable, ...], QPixmap] = {}

    def clear(self) -> None:
        """Everything looks otherwise now."""
        self._kept.clear()

    def picture(
        self, key: Hashable, size: QSizeF, ratio: float, paint: Callable[[QPainter], None]
    ) -> QPixmap:
        """The picture of that key, painted if it is not there yet.

        Parameters
        ----------
        size : in the figure's own pixels; ``ratio`` of the screen's to these
        paint : called with a painter on a transparent ground
        """
        full = key, size.width(), size.height(), ratio
        if full not in self._kept:
            if len(self._kept) >= MOST:
                self._kept.clear()
            self._kept[full] = _painted(size, ratio, paint)
        return self._kept[full]


def _painted(size: QSizeF, ratio: float, paint: Callable[[QPainter], None]) -> QPixmap:
    picture = QPixmap((size * ratio).toSize())
    picture.setDevicePixelRatio(ratio)
    picture.fill(Qt.GlobalColor.transparent)
    painter = Brush(picture)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    paint(painter)
    painter.end()
    return picture
