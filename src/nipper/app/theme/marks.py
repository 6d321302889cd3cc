"""Marks drawn by name: status shapes and the few icons.

Sharp at every scale, and no file to load.
"""

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QIcon, QPainter, QPainterPath, QPen, QPixmap, QPolygonF

STATUS_ROLE = {"ok": "ok", "watch": "watch", "act": "act", "none": "faint"}
STATUS_WORD = {"ok": "fine", "watch": "look at it", "act": "act", "none": "nothing known"}


def draw_status(painter: QPainter, status: str, box: QRectF, colour: QColor) -> None:
    """A teal dot, an ochre triangle, a red square, or an empty ring: told apart without colour."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour)
    if status == "ok":
        painter.drawEllipse(box.adjusted(1, 1, -1, -1))
    elif status == "watch":
        painter.drawPolygon(
            QPolygonF([QPointF(box.center().x(), box.top()), box.bottomRight(), box.bottomLeft()])
        )
    elif status == "act":
        painter.drawRect(box.adjusted(1, 1, -1, -1))
    else:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(colour, 1.4))
        painter.drawEllipse(box.adjusted(1.5, 1.5, -1.5, -1.5))
    painter.restore()


def icon(name: str, colour: QColor, size: int = 18) -> QIcon:
    """An icon by name; an unknown name is an error that lists the known ones."""
    if name not in _DRAW:
        raise KeyError(f"no icon {name!r}; known: {', '.join(_DRAW)}")
    pixmap = QPixmap(size * 3, size * 3)
    pixmap.setDevicePixelRatio(3.0)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(
        QPen(colour, 1.6, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap, Qt.PenJoinStyle.RoundJoin)
    )
    _DRAW[name](painter, float(size), colour)
    painter.end()
    return QIcon(pixmap)


def _turn(painter: QPainter, size: float, left: bool) -> None:
    painter.save()
    if not left:
        painter.translate(size, 0)
        painter.scale(-1, 1)
    path = QPainterPath(QPointF(size * 0.18, size * 0.42))
    path.lineTo(size * 0.6, size * 0.42)
    path.arcTo(QRectF(size * 0.42, size * 0.42, size * 0.36, size * 0.38), 90, -180)
    painter.drawPath(path)
    painter.drawPolyline(
        [
            QPointF(size * 0.34, size * 0.24),
            QPointF(size * 0.18, size * 0.42),
            QPointF(size * 0.34, size * 0.6),
        ]
    )
    painter.restore()


def _undo(painter: QPainter, size: float, _: QColor) -> None:
    _turn(painter, size, left=True)


def _redo(painter: QPainter, size: float, _: QColor) -> None:
    _turn(painter, size, left=False)


def _app(painter: QPainter, size: float, colour: QColor) -> None:
    """Sixteen cells in a row of bars, one of them short: the stray."""
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor("#A3561C"))
    painter.drawRoundedRect(QRectF(0, 0, size, size), size * 0.18, size * 0.18)
    heights = (0.58, 0.6, 0.57, 0.32, 0.59)
    for i, height in enumerate(heights):
        painter.setBrush(QColor("#F5F1E8") if height > 0.4 else QColor("#23292F"))
        x = size * (0.17 + 0.14 * i)
        painter.drawRect(QRectF(x, size * (0.8 - height), size * 0.09, size * height))


_DRAW = {"undo": _undo, "redo": _redo, "app": _app}
