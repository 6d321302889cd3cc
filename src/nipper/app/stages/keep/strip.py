"""The year ahead as a strip: each duty where it falls, what is over at its left end."""

from collections.abc import Sequence
from datetime import datetime, timedelta, tzinfo

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from nipper.app.theme import BASE_PT, Theme, font
from nipper.app.theme.marks import STATUS_ROLE, draw_status
from nipper.app.widgets.basic import SEMI
from nipper.app.widgets.brush import Brush
from nipper.app.widgets.units import UNITS
from nipper.core.report.keep import DAY_S
from nipper.core.upkeep.due import Due, Duty

DAYS, LEAST_LEFT, RIGHT, TOP, LANE_H = 365.0, 112.0, 14.0, 22.0, 19.0
MARK = 10.0


class YearStrip(QWidget):
    """A lane for each kind of duty. ``chosen`` carries its number in the list that was shown."""

    chosen = Signal(int)

    def __init__(self, theme: Theme, zone: tzinfo, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme, self._zone = theme, zone
        self._lanes: dict[Duty, list[tuple[int, Due]]] = {}
        self._now_s, self._left = 0.0, LEAST_LEFT
        self.setAccessibleName(UNITS.text("The year ahead"))
        theme.changed.connect(self.update)

    def show_dues(self, dues: Sequence[Due], now_s: float) -> None:
        """Show what is due from now on."""
        self._lanes, self._now_s = {}, now_s
        for i, found in enumerate(dues):
            self._lanes.setdefault(found.duty, []).append((i, found))
        names = (UNITS.text(duty.value) for duty in self._lanes)
        measure = QFontMetricsF(font(BASE_PT - 0.5)).horizontalAdvance
        self._left = max(LEAST_LEFT, 14.0 + max(map(measure, names), default=0.0))
        days = [f"{d.title} in {max(0.0, d.days_from(now_s)):.0f} days" for d in dues]
        self.setAccessibleDescription(UNITS.text("; ".join(days)))
        self.setFixedHeight(int(TOP + max(3, len(self._lanes)) * LANE_H + 6))
        self.update()

    def _x(self, at_s: float) -> float:
        share = (at_s - self._now_s) / DAY_S / DAYS
        return self._left + min(1.0, max(0.0, share)) * (self.width() - self._left - RIGHT)

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        painter = Brush(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._months(painter)
        for lane, (duty, found) in enumerate(self._lanes.items()):
            self._lane(painter, TOP + lane * LANE_H, duty, [d for _, d in found])

    def _lane(self, painter: QPainter, top: float, duty: Duty, found: list[Due]) -> None:
        painter.setFont(font(BASE_PT - 0.5))
        over = any(d.days_from(self._now_s) < 1.0 for d in found)
        painter.setPen(self._theme.colour("ink" if over else "soft"))
        count = f" ({len(found)})" if len(found) > 1 else ""
        words = QRectF(0, top, self._left - 10, LANE_H)
        painter.drawText(words, Qt.AlignmentFlag.AlignVCenter, f"{duty.value}{count}")
        painter.setPen(QPen(self._theme.colour("grid"), 1))
        middle = top + LANE_H / 2
        painter.drawLine(QPointF(self._left, middle), QPointF(self.width() - RIGHT, middle))
        first = min(found, key=lambda d: d.due_s)
        for i, at in enumerate(first.times_s(self._now_s, self._now_s + DAYS * DAY_S)):
            status = "none"
            if i == 0 and over:
                status = "act" if max(d.worth for d in found) >= 9 else "watch"
            mark = QRectF(self._x(at) - MARK / 2, middle - MARK / 2, MARK, MARK)
            tone = self._theme.colour(STATUS_ROLE[status])
            draw_status(painter, status, mark, tone)

    def _months(self, painter: QPainter) -> None:
        painter.setFont(font(BASE_PT - 1))
        now = datetime.fromtimestamp(self._now_s, self._zone)
        month = now.replace(day=1, hour=0, minute=0, second=0, microsecond=0)
        for _ in range(13):
            month = (month + timedelta(days=32)).replace(day=1)
            x = self._x(month.timestamp())
            if x >= self.width() - RIGHT - 1:
                break
            painter.setPen(QPen(self._theme.colour("grid"), 1))
            painter.drawLine(QPointF(x, 4), QPointF(x, self.height()))
            if x > self._left + 24:
                painter.setPen(self._theme.colour("faint"))
                painter.drawText(QPointF(x + 4, 14), f"{month:%b}")
        painter.setPen(QPen(self._theme.colour("copper"), 1.5))
        painter.drawLine(QPointF(self._left, 18), QPointF(self._left, self.height()))
        painter.setFont(font(BASE_PT - 1, SEMI))
        painter.drawText(QPointF(self._left - 12, 14), "now")

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        lane = int((event.position().y() - TOP) // LANE_H)
        lanes = list(self._lanes.values())
        if 0 <= lane < len(lanes):
            self.chosen.emit(lanes[lane][0][0])
