"""The temperature band: where charging is stopped, waits, is slow or free, with sensors and bath beside it."""

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QFontMetricsF, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from nipper.app.theme import BASE_PT, Theme, font
from nipper.app.widgets.basic import SEMI
from nipper.core.report.cold import Band

LOW_C, HIGH_C = -30.0, 65.0


class TemperatureBand(QWidget):
    """Degrees from left to right."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._bands: list[Band] = []
        self._sensors: list[float] = []
        self._bath: tuple[float, float, str] | None = None
        self._cutoffs: tuple[float, float] | None = None
        self.setMinimumHeight(132)
        theme.changed.connect(self.update)

    def sizeHint(self) -> QSize:  # noqa: N802 - Qt's name
        return QSize(640, 132)

    def show_all(self, bands: list[Band], cutoffs: tuple[float, float] | None, sensors: list[float], bath: tuple[float, float, str] | None) -> None:
        """Show bands, stop and resume, what the sensors read, and the bath."""
        self._bands, self._cutoffs, self._sensors, self._bath = bands, cutoffs, sensors, bath
        words = "; ".join(f"{b.low_c:g} to {b.high_c:g} °C: {b.text}" for b in bands)
        self.setAccessibleName(f"Charging by temperature. {words}")
        self.update()

    def _x(self, degrees: float) -> float:
        inside = self.width() - 24.0
        return 12.0 + inside * (min(max(degrees, LOW_C), HIGH_C) - LOW_C) / (HIGH_C - LOW_C)

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        top, height = 46.0, 34.0
        colour = self._theme.colour
        painter.setFont(font(BASE_PT - 0.5))
        metrics = QFontMetricsF(painter.font())
        for band in self._bands:
            box = QRectF(self._x(band.low_c), top, self._x(band.high_c) - self._x(band.low_c), height)
            fill = colour("act_wash" if band.rate == 0.0 and band.text != "waits" else "copper_wash" if band.rate < 0.3 else "even")
            painter.fillRect(box, fill)
            if metrics.horizontalAdvance(band.text) < box.width() - 6:
                painter.setPen(colour("ink"))
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, band.text)
        painter.setPen(QPen(colour("soft"), 1))
        for degrees in range(-30, 70, 10):
            x = self._x(degrees)
            painter.drawLine(QPointF(x, top + height), QPointF(x, top + height + 4))
            painter.drawText(QRectF(max(0.0, x - 24), top + height + 5, 48, 18), Qt.AlignmentFlag.AlignCenter, f"{degrees} °C".replace("-", "−"))
        painter.setPen(QPen(colour("lowest"), 1.6))
        painter.drawLine(QPointF(self._x(0.0), top - 6), QPointF(self._x(0.0), top + height + 4))
        if self._cutoffs:
            self._paint_cutoffs(painter, top, height)
        for degrees in self._sensors:  # ticks from above, as a thermometer would be read
            x = self._x(degrees)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour("ink"))
            painter.drawPolygon(QPolygonF([QPointF(x, top - 2), QPointF(x - 4, top - 9), QPointF(x + 4, top - 9)]))
        if self._bath:
            low, high, title = self._bath
            box = QRectF(self._x(low), top + height + 26, max(5.0, self._x(high) - self._x(low)), 7)
            painter.fillRect(box, colour("lowest"))
            painter.setPen(colour("lowest"))
            painter.drawText(QPointF(box.right() + 6, box.bottom() + 2), f"{title}: {low:.1f} to {high:.1f} °C".replace("-", "−"))
        painter.end()

    def _paint_cutoffs(self, painter: QPainter, top: float, height: float) -> None:
        assert self._cutoffs
        stop, resume = self._cutoffs
        painter.setPen(QPen(self._theme.colour("copper"), 2))
        for degrees in (stop, resume):
            x = self._x(degrees)
            painter.drawLine(QPointF(x, top - 12), QPointF(x, top + height))
        painter.setFont(font(BASE_PT, SEMI))
        words = f"stops at {stop:g} °C, resumes at {resume:g} °C".replace("-", "−")
        painter.drawText(QPointF(min(self._x(stop), self.width() - 12 - QFontMetricsF(painter.font()).horizontalAdvance(words)), top - 18), words)
        painter.setFont(font(BASE_PT - 0.5))
