"""A small proof picture: one bar a cell, the suspects in colour, whiskers for what is uncertain."""

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QToolTip, QWidget

from nipper.app.theme import BASE_PT, Theme, font
from nipper.app.widgets.brush import Brush
from nipper.app.widgets.units import UNITS
from nipper.core.report.proof import Proof

# what is drawn at least, so that what is nothing does not look like something
LEAST_SPAN = {"mV": 4.0, "%": 1.0}


class Bars(QWidget):
    """The bars of a proof."""

    def __init__(self, theme: Theme, proof: Proof, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme, self._proof = theme, proof
        self.setMinimumSize(QSize(140, 56))
        self.setMaximumHeight(72)
        self.setMouseTracking(True)
        self.setAccessibleName(UNITS.text(f"{proof.title}. {proof.text}"))
        theme.changed.connect(self.update)

    def _span(self) -> tuple[float, float]:
        bars = self._proof.bars[np.isfinite(self._proof.bars)]
        low, high = min(0.0, float(bars.min())), max(0.0, float(bars.max()))
        least = LEAST_SPAN.get(self._proof.unit, 0.0)
        if high - low < least:
            low, high = min(low, -0.5 * least), max(high, 0.5 * least)
        room = 0.12 * (high - low) or 1.0
        return low - (room if low < 0 else 0), high + room

    def _slot(self, i: int) -> QRectF:
        width = (self.width() - 8) / self._proof.bars.size
        return QRectF(4 + i * width, 0, width, self.height())

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        painter = Brush(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not np.isfinite(self._proof.bars).any():
            painter.setPen(self._theme.colour("faint"))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "–")
            painter.end()
            return
        low, high = self._span()
        floor = self.height() - 14.0

        def y(value: float) -> float:
            return floor - (value - low) / (high - low) * floor

        for i, value in enumerate(self._proof.bars):
            if not np.isfinite(value):
                continue
            slot, marked = self._slot(i), i + 1 in self._proof.marked
            side = "lowest" if value < 0 else "highest"
            colour = self._theme.colour(side if marked else "herd")
            thin = slot.width() * 0.22
            painter.fillRect(
                QRectF(
                    slot.left() + thin,
                    min(y(value), y(0)),
                    slot.width() - 2 * thin,
                    max(1.0, abs(y(value) - y(0))),
                ),
                colour,
            )
            error = self._proof.error[i]
            if np.isfinite(error) and error > 0:
                painter.setPen(QPen(self._theme.colour("ink"), 1))
                x = slot.center().x()
                painter.drawLine(
                    QPointF(x, y(min(value + 1.645 * error, high))),
                    QPointF(x, y(max(value - 1.645 * error, low))),
                )
            if marked or self._proof.bars.size <= 8 or i in (0, self._proof.bars.size - 1):
                painter.setFont(font(BASE_PT - 2.5))
                painter.setPen(colour if marked else self._theme.colour("soft"))
                painter.drawText(
                    QRectF(slot.center().x() - 14, self.height() - 13, 28, 13),
                    Qt.AlignmentFlag.AlignCenter,
                    str(i + 1),
                )
        painter.setPen(QPen(self._theme.colour("line"), 1))
        painter.drawLine(QPointF(0, y(0)), QPointF(self.width(), y(0)))
        painter.end()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        i = int((event.position().x() - 4) / ((self.width() - 8) / self._proof.bars.size))
        if 0 <= i < self._proof.bars.size and np.isfinite(self._proof.bars[i]):
            text = f"cell {i + 1}: {self._proof.bars[i]:.3g} {self._proof.unit}".replace("-", "−")
            QToolTip.showText(event.globalPosition().toPoint(), text, self)
