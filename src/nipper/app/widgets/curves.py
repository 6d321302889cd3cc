"""Lines over one axis, drawn as one path and thinned to what the screen can show.

The herd is sixteen lines and more; an item of the library for each would cost more than all the
painting.
"""

from collections.abc import Callable
from typing import Any

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from pyqtgraph.graphicsItems.PlotCurveItem import arrayToLineSegments
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QPainter, QPen

Values = NDArray[np.floating]
WHOLE_ROWS = 4000  # no more are drawn as they are
MANY_POINTS = 400  # a pen wider than a pixel is drawn piece by piece: a tenth of the time
A_PIXEL = 2  # lowest and highest value, for each half of a pixel's width
NEAR_PX = 6.0  # a click beside a line means the line
DOT_PX = 4.5


class Curves(pg.GraphicsObject):
    """``x`` rises, shape (rows,); ``y`` is (rows, lines), NaN breaks a line.

    ``picked`` carries the line that was clicked, once ``clickable`` is set; ``dots`` marks each
    value.
    """

    picked = Signal(int)

    def __init__(self, x: NDArray[Any], y: NDArray[Any], pen: QPen, dots: bool = False) -> None:
        plain: Any = super()
        plain.__init__()
        self.x, self.y = x.astype(float), y if y.ndim == 2 else y[:, None]
        self.clickable = False
        self._pen, self._dots = pen, dots
        self._stroke: Callable[[QPainter], object] | None = None
        self._ends = (_ends(self.x), _ends(self.y))
        # a playhead that moves over the lines does not draw them again
        self.setCacheMode(self.CacheMode.DeviceCoordinateCache)

    def dataBounds(  # noqa: N802 - pyqtgraph's names
        self,
        ax: int,
        frac: float = 1.0,
        orthoRange: tuple[float, float] | None = None,  # noqa: N803
    ) -> tuple[float | None, float | None]:
        """What the view is fitted to along one axis."""
        if ax == 0 or orthoRange is None:
            return self._ends[ax]
        return _ends(self.y[(self.x >= orthoRange[0]) & (self.x <= orthoRange[1])])

    def pixelPadding(self) -> float:  # noqa: N802 - pyqtgraph's name
        """How far the pen reaches beyond the values."""
        return DOT_PX if self._dots else self._pen.widthF()

    def boundingRect(self) -> QRectF:  # noqa: N802 - Qt's name
        (left, right), (low, high) = self._ends
        if left is None or right is None or low is None or high is None:
            return QRectF()
        across, up = (v.length() if v else 0.0 for v in self.pixelVectors())
        across, up = across * self.pixelPadding(), up * self.pixelPadding()
        return QRectF(left, low, right - left, high - low).adjusted(-across, -up, across, up)

    def viewTransformChanged(self) -> None:  # noqa: N802 - pyqtgraph's name
        """Another stretch or size is shown: the pen reaches elsewhere."""
        self.prepareGeometryChange()
        if self.x.size > WHOLE_ROWS:
            self._stroke = None

    def paint(self, painter: QPainter, *_: object) -> None:
        if not self.y.size:  # a herd of none: nothing, thinned or made a path, ends the process
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(self._pen)
        if self._stroke is None:
            self._stroke = self._drawn()
        self._stroke(painter)
        row, line = np.nonzero(np.isfinite(self.y))
        if self._dots and row.size:  # an empty polygon of the library ends the process
            painter.setPen(_dot(self._pen))
            painter.drawPoints(pg.functions.arrayToQPolygonF(self.x[row], self.y[row, line]))

    def _drawn(self) -> Callable[[QPainter], object]:
        """What draws all the lines.

        One path has the better corners, where there are few of them; of many points a pen wider
        than a pixel takes for ever over it.
        """
        x, y = self._shown()
        gap = np.full((1, y.shape[1]), np.nan)  # between one line and the next
        along, joined = np.tile(np.append(x, np.nan), y.shape[1]), np.concatenate([y, gap])
        if joined.size > MANY_POINTS and _plain(self._pen):
            return _piece_by_piece(along, joined.T.ravel(), self._pen)
        path: Any = pg.arrayToQPath(along, joined.T.ravel(), connect="finite")
        return lambda painter: painter.drawPath(path)

    def _shown(self) -> tuple[Values, Values]:
        view = self.getViewBox()
        if view is None or self.x.size <= WHOLE_ROWS:
            return self.x, self.y
        first, last = view.viewRange()[0]
        start, end = np.searchsorted(self.x, [first, last]) + np.array([-1, 2])
        inside = slice(max(int(start), 0), max(int(end), 0))
        return thinned(self.x[inside], self.y[inside], A_PIXEL * max(int(view.width()), 1))

    def mouseClickEvent(self, event: Any) -> None:  # noqa: N802 - pyqtgraph's name
        """A click on a line picks it."""
        if self.clickable and event.button() == Qt.MouseButton.LeftButton:
            line = self.line_at(event.pos())
            if line is not None:
                event.accept()
                self.picked.emit(line)

    def line_at(self, point: QPointF) -> int | None:
        """The line that runs under a point, given in the values' own units."""
        _, up = self.pixelVectors()
        here = [_at(point.x(), self.x, line) for line in self.y.T]
        away = np.abs(np.array(here) - point.y())
        if up is None or not np.isfinite(away).any():
            return None
        nearest = int(np.nanargmin(away))
        return nearest if away[nearest] <= NEAR_PX * up.length() else None


def thinned(x: Values, y: Values, columns: int) -> tuple[Values, Values]:
    """Lowest and highest value of each of so many stretches: what a screen shows of more."""
    if x.size <= 2 * columns:
        return x, y
    starts = np.arange(columns) * x.size // columns
    low, high = np.fmin.reduceat(y, starts, axis=0), np.fmax.reduceat(y, starts, axis=0)
    both = np.stack([low, high], axis=1).reshape(-1, y.shape[1])
    return np.repeat(x[starts], 2), both


def _piece_by_piece(x: Values, y: Values, pen: QPen) -> Callable[[QPainter], object]:
    pieces: Any = arrayToLineSegments(x, y, "finite", True)
    flat = QPen(pen)
    flat.setCapStyle(Qt.PenCapStyle.FlatCap)  # each reaching beyond its end made bold lines

    def draw(painter: QPainter) -> None:
        painter.setPen(flat)
        painter.drawLines(*pieces.drawargs())

    return draw


def _plain(pen: QPen) -> bool:
    """Whether its pieces may overlap, and are quicker than the whole."""
    solid = pen.style() == Qt.PenStyle.SolidLine and pen.color().alpha() == 255
    return solid and pen.widthF() > 1.0


def _dot(pen: QPen) -> QPen:
    dot = pg.mkPen(pen.color(), width=DOT_PX)
    dot.setCapStyle(Qt.PenCapStyle.RoundCap)
    return dot


def _ends(values: NDArray[Any]) -> tuple[float | None, float | None]:
    finite = values[np.isfinite(values)]
    return (float(finite.min()), float(finite.max())) if finite.size else (None, None)


def _at(x: float, along: Values, line: Values) -> float:
    good = np.isfinite(line)
    if not good.any():
        return float("nan")
    return float(np.interp(x, along[good], line[good], left=np.nan, right=np.nan))
