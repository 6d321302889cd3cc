"""The year: what the sun gives on a clear, a mixed and a cloudy day of each month, beside what is
drawn.
"""

from PySide6.QtCore import QRectF, Qt, Slot
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from nipper.app.theme import BASE_PT, Theme, font
from nipper.app.widgets.basic import SEMI
from nipper.app.widgets.brush import Brush
from nipper.app.widgets.units import UNITS
from nipper.core.forecast.autonomy import Autonomy, Month

MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
TOP, BOTTOM, LEFT = 26, 24, 46
STEPS = (0.5, 1, 2, 5, 10, 20, 50, 100, 200, 500, 1000)


class YearFigure(QWidget):
    """Bars from a cloudy to a clear day, the mixed one marked; a month below the loads in ochre."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._budget: Autonomy | None = None
        self.setMinimumHeight(190)
        self.setAccessibleName(UNITS.text("Sun by month against the loads"))
        theme.changed.connect(self.update)

    @Slot(object)
    def show_budget(self, budget: Autonomy | None) -> None:
        """Show a budget; None while it is reckoned."""
        self._budget = budget
        if budget is not None:
            short = [m for m, sun in zip(MONTHS, budget.months, strict=True) if _short(sun, budget)]
            self.setAccessibleDescription(
                UNITS.text(
                    f"{budget.drawn_kwh:.1f} kWh a day are drawn; on mixed days too little sun in "
                    f"{', '.join(short) or 'no month'}"
                )
            )
        self.update()

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        budget = self._budget
        if budget is None:
            return
        painter = Brush(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        most = 1.08 * max(budget.drawn_kwh, *(m.clear_kwh for m in budget.months), 0.1)
        self._grid(painter, most)
        width = (self.width() - LEFT - 8) / len(MONTHS)
        for i, (name, sun) in enumerate(zip(MONTHS, budget.months, strict=True)):
            x = LEFT + i * width
            bar = QRectF(x + 0.2 * width, self._y(sun.clear_kwh, most), 0.6 * width, 0)
            bar.setBottom(self._y(sun.cloudy_kwh, most))
            short = _short(sun, budget)
            tone = QColor(self._theme.colour("watch" if short else "herd"))
            tone.setAlpha(150)
            painter.fillRect(bar, tone)
            painter.setPen(QPen(self._theme.colour("ink"), 2.5))
            y = self._y(sun.mixed_kwh, most)
            painter.drawLine(int(bar.left()), int(y), int(bar.right()), int(y))
            painter.setFont(font(BASE_PT - 1, SEMI if short else font().weight()))
            painter.setPen(self._theme.colour("watch" if short else "soft"))
            place = QRectF(x, self.height() - BOTTOM + 3, width, BOTTOM)
            painter.drawText(place, Qt.AlignmentFlag.AlignHCenter, name)
        self._loads(painter, budget, most)

    def _y(self, kwh: float, most: float) -> float:
        return self.height() - BOTTOM - kwh / most * (self.height() - TOP - BOTTOM)

    def _grid(self, painter: QPainter, most: float) -> None:
        step = next((s for s in STEPS if most / s <= 5), STEPS[-1])
        painter.setFont(font(BASE_PT - 1))
        for k in range(min(8, int(most / step) + 1)):
            y = self._y(k * step, most)
            painter.setPen(QPen(self._theme.colour("grid"), 1))
            painter.drawLine(LEFT, int(y), self.width() - 8, int(y))
            painter.setPen(self._theme.colour("soft"))
            align = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            painter.drawText(QRectF(0, y - 10, LEFT - 6, 20), align, f"{k * step:g}")
        legend = "kWh a day: bars from a cloudy to a clear day, the line a mixed one"
        painter.drawText(QRectF(LEFT, 0, self.width() - LEFT, 20), 0, legend)

    def _loads(self, painter: QPainter, budget: Autonomy, most: float) -> None:
        y = self._y(budget.drawn_kwh, most)
        painter.setPen(QPen(self._theme.colour("copper"), 2, Qt.PenStyle.DashLine))
        painter.drawLine(LEFT, int(y), self.width() - 8, int(y))
        painter.setFont(font(BASE_PT - 1, SEMI))
        words = UNITS.text(f"drawn {budget.drawn_kwh:.1f}")
        width = painter.fontMetrics().horizontalAdvance(words) + 8
        place = QRectF(LEFT + 2, y - 18, width, 16)
        painter.fillRect(place, self._theme.colour("paper"))
        painter.drawText(place, Qt.AlignmentFlag.AlignCenter, words)


def _short(sun: Month, budget: Autonomy) -> bool:
    return sun.mixed_kwh < budget.drawn_kwh
