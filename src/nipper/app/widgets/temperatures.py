"""Temperature from left to right, a row for each thing that is switched: off, waiting, slow, free.

The limits between are handles.
"""

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QFontMetricsF, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from nipper.app.theme import BASE_PT, Theme, font
from nipper.app.widgets.basic import SEMI
from nipper.app.widgets.brush import Brush
from nipper.app.widgets.handles import Handle, HandleFigure
from nipper.app.widgets.units import UNITS
from nipper.core.quantities import with_minus
from nipper.core.report.temperatures import Row

FILL = {"off": "act_wash", "waits": "grid", "slow": "copper_wash", "on": "even"}
SIDE, TOP, BOTTOM, GRAB_PX = 14.0, 40.0, 46.0, 6.0
HANDLE_UP = 9.0
STEP_C = 0.5


class TemperatureChart(HandleFigure):
    """Limits by temperature, a bar for each thing that is switched."""

    def __init__(
        self, theme: Theme, low_c: float, high_c: float, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._theme, self._range = theme, (low_c, high_c)
        self._rows: list[Row] = []
        self._sensors: list[float] = []
        self._bath: tuple[float, float, str] | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        theme.changed.connect(self.update)

    def sizeHint(self) -> QSize:  # noqa: N802 - Qt's name
        return QSize(640, int(TOP + BOTTOM + 62 * max(1, len(self._rows))))

    def minimumSizeHint(self) -> QSize:  # noqa: N802 - Qt's name
        return QSize(420, int(TOP + BOTTOM + 46 * max(1, len(self._rows))))

    def show_rows(
        self, rows: list[Row], sensors: list[float], bath: tuple[float, float, str] | None = None
    ) -> None:
        """Show the rows, what the log's sensors read, and a bath."""
        self._rows, self._sensors, self._bath = rows, sensors, bath
        words = (
            f"{row.title}: "
            + "; ".join(f"{z.low_c:g} to {z.high_c:g} °C {z.text}" for z in row.zones)
            for row in rows
        )
        self.setAccessibleName(UNITS.text("Limits by temperature. " + ". ".join(words)))
        self.updateGeometry()
        self.update()

    # geometry

    @property
    def _left(self) -> float:
        return SIDE if len(self._rows) < 2 else 92.0

    def _x(self, degrees: float) -> float:
        low, high = self._range
        return self._left + (self.width() - SIDE - self._left) * (
            min(max(degrees, low), high) - low
        ) / (high - low)

    def _degrees(self, x: float) -> float:
        low, high = self._range
        return low + (high - low) * (x - self._left) / (self.width() - SIDE - self._left)

    def _box(self, index: int) -> QRectF:
        """The bar of a row."""
        room = (self.height() - TOP - BOTTOM) / max(1, len(self._rows))
        height = min(46.0, 0.6 * room) if len(self._rows) > 1 else min(36.0, room)
        return QRectF(
            self._left,
            TOP + index * room + (room - height) / 2,
            self.width() - SIDE - self._left,
            height,
        )

    # painting

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        painter = Brush(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for i, row in enumerate(self._rows):
            self._paint_row(painter, row, self._box(i))
        self._paint_freezing(painter)
        self._paint_scale(painter)
        self._paint_sensors(painter)
        if self._bath:
            self._paint_bath(painter, self._bath)
        painter.end()

    def _paint_row(self, painter: QPainter, row: Row, box: QRectF) -> None:
        colour = self._theme.colour
        painter.setFont(font(BASE_PT - 0.5))
        metrics = QFontMetricsF(painter.font())
        for zone in row.zones:
            part = QRectF(
                self._x(zone.low_c),
                box.top(),
                self._x(zone.high_c) - self._x(zone.low_c),
                box.height(),
            )
            painter.fillRect(part, colour(FILL[zone.kind]))
            text = UNITS.text(zone.text)
            if metrics.horizontalAdvance(text) < part.width() - 6:
                painter.setPen(colour("ink" if zone.kind in ("on", "slow") else "soft"))
                painter.drawText(part, int(Qt.AlignmentFlag.AlignCenter), text)
        if self._left > SIDE:
            painter.setFont(font(BASE_PT + 1, SEMI))
            painter.setPen(colour("ink"))
            painter.drawText(
                QRectF(SIDE, box.top(), self._left - SIDE - 6, box.height()),
                int(Qt.AlignmentFlag.AlignVCenter),
                row.title,
            )
        taken: list[QRectF] = []
        for path, degrees in sorted(
            row.handles, key=lambda h: not _stops(h[0])
        ):  # trips are named first, releases where there is room
            self._paint_handle(painter, path, degrees, box, taken)

    def _paint_handle(
        self, painter: QPainter, path: str, degrees: float, box: QRectF, taken: list[QRectF]
    ) -> None:
        trip = _stops(path)
        if path in self.wrong:
            role = "act"
        elif trip:
            role = "copper"
        else:
            role = "ok"
        x = self._x(degrees)
        strong = trip or path in (self.grabbed, self.selected)
        pen = QPen(self._theme.colour(role), 2.4 if strong else 1.6)
        if not trip:
            pen.setStyle(Qt.PenStyle.DashLine)
        painter.setPen(pen)
        painter.drawLine(QPointF(x, box.top() - HANDLE_UP), QPointF(x, box.bottom()))
        painter.setFont(font(BASE_PT, SEMI) if trip else font(BASE_PT - 0.5))
        cold = "under" in path or "cold" in path
        words = UNITS.text(_words(path, degrees))
        width = QFontMetricsF(painter.font()).horizontalAdvance(words) + 4
        left = x - width + 2 if cold == trip else x - 2
        left = min(max(left, 2.0), self.width() - width - 2)
        place = QRectF(left, box.top() - HANDLE_UP - 15, width, 15)
        if not any(place.intersects(other) for other in taken):
            QPainter.drawText(painter, place, int(Qt.AlignmentFlag.AlignCenter), words)
            taken.append(place)

    def _paint_scale(self, painter: QPainter) -> None:
        if not self._rows:
            return
        low, high = self._range
        bottom = self._box(len(self._rows) - 1).bottom()
        painter.setFont(font(BASE_PT - 1))
        step = 10 if high - low < 110 else 20
        for degrees in range(int(-(-low // step) * step), int(high) + 1, step):
            x = self._x(degrees)
            painter.setPen(QPen(self._theme.colour("soft"), 1))
            painter.drawLine(QPointF(x, bottom), QPointF(x, bottom + 4))
            painter.drawText(
                QRectF(max(0.0, x - 24), bottom + 4, 48, 18),
                int(Qt.AlignmentFlag.AlignCenter),
                f"{degrees} °C".replace("-", "−"),
            )

    def _paint_freezing(self, painter: QPainter) -> None:
        painter.setPen(QPen(self._theme.colour("lowest"), 1.4, Qt.PenStyle.DotLine))
        for i in range(len(self._rows)):
            box, x = self._box(i), self._x(0.0)
            painter.drawLine(QPointF(x, box.top() - 4), QPointF(x, box.bottom() + 4))

    def _paint_sensors(self, painter: QPainter) -> None:
        """Ticks from above, as a thermometer would be read."""
        if not self._rows:
            return
        top = self._box(0).top() - 2
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self._theme.colour("ink"))
        for degrees in self._sensors:
            x = self._x(degrees)
            painter.drawPolygon(
                QPolygonF(
                    [QPointF(x, top + 2), QPointF(x - 4.5, top - 6), QPointF(x + 4.5, top - 6)]
                )
            )

    def _paint_bath(self, painter: QPainter, bath: tuple[float, float, str]) -> None:
        low, high, title = bath
        y = self._box(len(self._rows) - 1).bottom() + 27
        box = QRectF(self._x(low), y, max(5.0, self._x(high) - self._x(low)), 7)
        painter.fillRect(box, self._theme.colour("lowest"))
        painter.setPen(self._theme.colour("lowest"))
        painter.setFont(font(BASE_PT - 0.5))
        painter.drawText(
            QPointF(box.right() + 6, box.bottom() + 2),
            f"{title}: {low:.1f} to {high:.1f} °C".replace("-", "−"),
        )

    # hands

    def handles(self) -> list[Handle]:
        """The limits, row by row, from cold to hot."""
        return [
            Handle(path, f"{row.title}: {_words(path, degrees)}", degrees, STEP_C)
            for row in self._rows
            for path, degrees in sorted(row.handles, key=lambda h: h[1])
        ]

    def handle_at(self, position: QPointF) -> str:
        """The nearest limit in the row that is pointed at."""
        best, nearest = "", GRAB_PX + 0.1
        for i, row in enumerate(self._rows):
            box = self._box(i)
            if box.top() - HANDLE_UP - 14 <= position.y() <= box.bottom() + 4:
                for path, degrees in row.handles:
                    distance = abs(self._x(degrees) - position.x())
                    if distance < nearest:
                        best, nearest = path, distance
        return best

    def value_at(self, _path: str, position: QPointF) -> float:
        """Degrees at a place, in halves."""
        low, high = self._range
        return round(min(max(self._degrees(position.x()), low), high) / STEP_C) * STEP_C


def _words(path: str, degrees: float) -> str:
    cold = "under" in path or "cold" in path
    stops = f"stops {'below' if cold else 'above'}" if _stops(path) else "resumes"
    return with_minus(f"{stops} {degrees:g} °C")


def _stops(path: str) -> bool:
    """Whether a limit switches off, rather than on again."""
    return path.endswith(("trip_c", "stop_c"))
