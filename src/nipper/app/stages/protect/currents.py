"""Current against time, both on logarithmic scales: what the BMS lets through for how long, beside
fuse, leads, cells and loads.
"""

from math import exp, floor, log, log10

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import (
    QColor,
    QFontMetricsF,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPolygonF,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from nipper.app.theme import BASE_PT, Theme, font
from nipper.app.widgets.basic import SEMI
from nipper.app.widgets.brush import Brush
from nipper.app.widgets.handles import Handle, HandleFigure
from nipper.app.widgets.units import UNITS
from nipper.core.setup import Setup, get
from nipper.core.wiring.currents import Line, lines, short_circuit_a

OVER, SHORT = "protection.discharge_over_current", "protection.short_circuit"
LEFT, TOP, RIGHT, BOTTOM = 58.0, 10.0, 14.0, 34.0
LONGEST_S, SHORTEST_S = 1e4, 5e-5
DECADES = (
    (1e4, "3 h"),
    (1e3, "17 min"),
    (1e2, "100 s"),
    (10.0, "10 s"),
    (1.0, "1 s"),
    (0.1, "0.1 s"),
    (1e-2, "10 ms"),
    (1e-3, "1 ms"),
    (1e-4, "100 µs"),
)
GRAB_PX = 7.0
WORDS = {  # of a handle, with its unit
    f"{OVER}.trip_a": ("over-current trip", "A"),
    f"{OVER}.delay_s": ("its delay", "s"),
    f"{SHORT}.trip_a": ("short-circuit trip", "A"),
    f"{SHORT}.delay_us": ("its delay", "µs"),
}
ROLES = {"fuse": "watch", "lead": "soft", "cell": "lowest", "load": "ok"}


class CurrentChart(HandleFigure):
    """Current against time: what opens, melts or is ruined first.

    More than twenty methods: a part of the painting each, and what the handles ask of a figure.
    """

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._setup: Setup | None = None
        self._lines: list[Line] = []
        self._span = (1.0, 1e4)
        self._short_a = 0.0
        self._words: list[QRectF] = []
        self._open = QPolygonF()
        self.setMinimumSize(QSize(470, 280))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(
            UNITS.text("Current against time: up and down choose a limit, plus and minus move it")
        )
        theme.changed.connect(self.update)

    def show_setup(self, setup: Setup) -> None:
        """Show a setup's curves."""
        self._setup, self._lines, self._short_a = setup, lines(setup), short_circuit_a(setup)
        self.setToolTip(
            UNITS.text("\n".join(f"{line.title}: {line.source}" for line in self._lines))
        )
        if not self.grabbed:  # the scale must not run away from the hand that drags
            over = setup.protection.discharge_over_current
            least = min(
                [
                    over.trip_a if over else 0.3 * setup.capacity_ah,
                    *(a for line in self._lines for a, _ in line.points),
                ]
            )
            self._span = (
                0.3 * least,
                1.35 * max(self._short_a, *(a for _, a, _ in self._places()), 1.0),
            )
        self.update()

    # geometry

    def _plot(self) -> QRectF:
        return QRectF(LEFT, TOP, self.width() - LEFT - RIGHT, self.height() - TOP - BOTTOM)

    def _x(self, amps: float) -> float:
        plot, (low, high) = self._plot(), self._span
        return plot.left() + plot.width() * log(max(amps, low) / low) / log(high / low)

    def _y(self, seconds: float) -> float:
        plot = self._plot()
        seconds = min(max(seconds, SHORTEST_S), LONGEST_S)
        return plot.top() + plot.height() * log(LONGEST_S / seconds) / log(LONGEST_S / SHORTEST_S)

    def _at(self, position: QPointF) -> tuple[float, float]:
        """Amperes and seconds at a place."""
        plot, (low, high) = self._plot(), self._span
        x = min(max((position.x() - plot.left()) / plot.width(), 0.0), 1.0)
        y = min(max((position.y() - plot.top()) / plot.height(), 0.0), 1.0)
        return low * exp(x * log(high / low)), LONGEST_S * exp(-y * log(LONGEST_S / SHORTEST_S))

    def _places(self) -> list[tuple[str, float, float]]:
        """Path, amperes and seconds of each place that can be dragged."""
        assert self._setup
        over, short = (
            self._setup.protection.discharge_over_current,
            self._setup.protection.short_circuit,
        )
        out: list[tuple[str, float, float]] = []
        if over:
            out.append((f"{OVER}.trip_a", over.trip_a, 300.0))
            out.append(
                (
                    f"{OVER}.delay_s",
                    (over.trip_a * (short.trip_a if short else 4 * over.trip_a)) ** 0.5,
                    max(over.delay_s, SHORTEST_S),
                )
            )
        if short:
            upper = over.delay_s if over else LONGEST_S
            out.append(
                (
                    f"{SHORT}.trip_a",
                    short.trip_a,
                    max(upper * short.delay_us * 1e-6, SHORTEST_S**2) ** 0.5,
                )
            )
            out.append(
                (
                    f"{SHORT}.delay_us",
                    (short.trip_a * max(self._short_a, 1.5 * short.trip_a)) ** 0.5,
                    max(short.delay_us * 1e-6, SHORTEST_S),
                )
            )
        return out

    # painting

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        painter = Brush(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._setup is not None:
            self._words, self._open = [], QPolygonF()
            self._paint_open(painter)
            self._paint_grid(painter)
            painter.setClipRect(self._plot())
            self._paint_fuse(painter)
            self._paint_lines(painter)
            self._paint_bms(painter)
            for line in self._of("load"):
                self._paint_load(painter, line)
            for line in (*self._of("lead"), *self._of("cell")):
                self._along(painter, self._path(line.points), line.title, ROLES[line.kind])
            for line in self._of("fuse")[:1]:
                self._along(
                    painter,
                    self._path(line.points),
                    line.title.removesuffix(", soonest") + " melts",
                    ROLES["fuse"],
                )
            self._name_short(painter)
        painter.end()

    def _path(self, points: list[tuple[float, float]]) -> QPolygonF:
        return QPolygonF([QPointF(self._x(a), self._y(s)) for a, s in points])

    def _of(self, kind: str) -> list[Line]:
        return [line for line in self._lines if line.kind == kind]

    def _paint_open(self, painter: QPainter) -> None:
        """Where the BMS has opened."""
        for line in self._of("bms"):
            plot, shape = self._plot(), self._path(line.points)
            shape.append(QPointF(plot.right(), self._y(line.points[-1][1])))
            shape.append(QPointF(plot.right(), plot.top()))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(self._theme.colour("act_wash"))
            painter.drawPolygon(shape)
            self._open = shape
            self._word(
                painter, QPointF(plot.right() - 8, plot.top() + 14), "BMS open", "soft", right=True
            )

    def _paint_grid(self, painter: QPainter) -> None:
        plot, (low, high) = self._plot(), self._span
        painter.setFont(font(BASE_PT - 1.5))
        for seconds, words in DECADES:
            y = self._y(seconds)
            painter.setPen(QPen(self._theme.colour("grid"), 1))
            painter.drawLine(QPointF(plot.left(), y), QPointF(plot.right(), y))
            painter.setPen(self._theme.colour("soft"))
            painter.drawText(
                QRectF(0, y - 9, LEFT - 7, 18),
                int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter),
                words,
            )
        decade = 10.0 ** int(log(low, 10))
        while decade < high:
            for step in (1, 2, 5):
                amps = step * decade
                if low <= amps <= high:
                    x = self._x(amps)
                    painter.setPen(QPen(self._theme.colour("grid"), 1))
                    painter.drawLine(QPointF(x, plot.top()), QPointF(x, plot.bottom()))
                    painter.setPen(self._theme.colour("soft"))
                    words = f"{amps / 1e3:g} kA" if amps >= 1000 else f"{amps:g} A"
                    painter.drawText(
                        QRectF(x - 34, plot.bottom() + 4, 68, 18),
                        int(Qt.AlignmentFlag.AlignCenter),
                        words,
                    )
            decade *= 10.0

    def _paint_fuse(self, painter: QPainter) -> None:
        """The band in which the fuse melts."""
        fuse = self._of("fuse")
        if len(fuse) != 2 or not all(line.points for line in fuse):
            return
        soonest, latest = self._path(fuse[0].points), self._path(fuse[1].points)
        band = QPainterPath()
        band.addPolygon(soonest)
        for i in range(latest.count() - 1, -1, -1):
            band.lineTo(latest.at(i))
        fill = QColor(self._theme.colour("watch"))
        fill.setAlpha(60)
        painter.fillPath(band, fill)
        painter.setPen(QPen(self._theme.colour("watch"), 1.4))
        painter.drawPolyline(soonest)
        painter.drawPolyline(latest)

    def _paint_lines(self, painter: QPainter) -> None:
        """Leads and cells, and what a short would draw."""
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for line in (*self._of("lead"), *self._of("cell")):
            painter.setPen(
                QPen(
                    self._theme.colour(ROLES[line.kind]),
                    1.5,
                    Qt.PenStyle.DashLine if line.kind == "lead" else Qt.PenStyle.DashDotLine,
                )
            )
            painter.drawPolyline(self._path(line.points))
        plot, x = self._plot(), self._x(self._short_a)
        painter.setPen(QPen(self._theme.colour("act"), 1.2, Qt.PenStyle.DotLine))
        painter.drawLine(QPointF(x, plot.top()), QPointF(x, plot.bottom()))

    def _name_short(self, painter: QPainter) -> None:
        plot, x = self._plot(), self._x(self._short_a)
        for share in (0.3, 0.42, 0.52, 0.6):
            if self._word(
                painter,
                QPointF(x - 5, plot.top() + share * plot.height()),
                f"a short: {self._short_a / 1e3:.1f} kA",
                "act",
                right=True,
            ):
                return

    def _paint_bms(self, painter: QPainter) -> None:
        for line in self._of("bms"):
            plot, shape = self._plot(), self._path(line.points)
            shape.append(QPointF(plot.right(), self._y(line.points[-1][1])))
            painter.setPen(QPen(self._theme.colour("ink"), 2.2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolyline(shape)
        assert self._setup
        for path, amps, seconds in self._places():
            role = "act" if path in self.wrong else "copper"
            centre = QPointF(self._x(amps), self._y(seconds))
            painter.setPen(QPen(self._theme.colour("card"), 1.5))
            painter.setBrush(self._theme.colour(role))
            radius = 6.0 if path in (self.grabbed, self.selected) else 5.0
            painter.drawEllipse(centre, radius, radius)
            level = path.endswith(("delay_s", "delay_us"))
            words = {
                "trip_a": f"{amps:g} A",
                "delay_s": f"{seconds:g} s",
                "delay_us": f"{1e6 * seconds:.0f} µs",
            }[path.rpartition(".")[2]]
            self._word(
                painter,
                centre + (QPointF(0, -15) if level else QPointF(10, 0)),
                words,
                role,
                bold=True,
                centred=level,
            )

    def _paint_load(self, painter: QPainter, line: Line) -> None:
        amps, seconds = line.points[0]
        place = QPointF(self._x(amps), self._y(seconds))
        painter.setPen(QPen(self._theme.colour("card"), 1.2))
        painter.setBrush(self._theme.colour("ok"))
        painter.drawPolygon(
            QPolygonF(
                [
                    place + QPointF(0, -7),
                    place + QPointF(7, 0),
                    place + QPointF(0, 7),
                    place + QPointF(-7, 0),
                ]
            )
        )
        words = f"{line.title}, {amps:.0f} A"
        if not self._word(painter, place + QPointF(-12, 0), words, "ok", right=True, bold=True):
            self._word(painter, place + QPointF(12, 0), words, "ok", bold=True)

    def _along(self, painter: QPainter, shape: QPolygonF, words: str, role: str) -> None:
        """A name beside a curve, where there is room."""
        path = QPainterPath()
        path.addPolygon(shape)
        for share in (0.3, 0.5, 0.15, 0.7, 0.85, 0.05, 0.98):
            point = path.pointAtPercent(share)
            for right in (False, True):
                if self._plot().contains(point) and self._word(
                    painter, point + QPointF(-7 if right else 7, 0), words, role, right=right
                ):
                    return

    def _word(
        self,
        painter: QPainter,
        at: QPointF,
        words: str,
        role: str,
        right: bool = False,
        bold: bool = False,
        centred: bool = False,
    ) -> bool:
        """Write where nothing is written yet; False when there is no room."""
        painter.setFont(font(BASE_PT, SEMI) if bold else font(BASE_PT - 0.5))
        metrics = QFontMetricsF(painter.font())
        words = UNITS.text(words)
        width, height = metrics.horizontalAdvance(words), metrics.height()
        if right:
            left = at.x() - width
        elif centred:
            left = at.x() - width / 2
        else:
            left = at.x()
        box = QRectF(left, at.y() - height / 2, width, height)
        if any(box.intersects(other) for other in self._words) or not self._plot().contains(box):
            return False
        self._words.append(box)
        open_here = self._open.containsPoint(box.center(), Qt.FillRule.OddEvenFill)
        painter.fillRect(
            box.adjusted(-2, 1, 2, -1), self._theme.colour("act_wash" if open_here else "paper")
        )  # lines do not run through words
        painter.setPen(self._theme.colour(role))
        painter.drawText(box, int(Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextDontClip), words)
        return True

    # hands

    def handles(self) -> list[Handle]:
        """Trips and delays, each in steps of its second digit."""
        out: list[Handle] = []
        if self._setup is None:
            return out
        for path, _, _ in self._places():
            value, (title, unit) = float(get(self._setup, path)), WORDS[path]
            out.append(Handle(path, f"{title}, {value:g} {unit}", value, _step(value)))
        return out

    def handle_at(self, position: QPointF) -> str:
        """The nearest handle, if the pointer is on it."""
        distances = [
            ((QPointF(self._x(a), self._y(s)) - position).manhattanLength(), path)
            for path, a, s in (self._places() if self._setup else [])
        ]
        distance, path = min(distances, default=(99.0, ""))
        return path if distance <= 2 * GRAB_PX else ""

    def cursor_over(self, path: str) -> Qt.CursorShape:
        """Delays go up and down, trips sideways."""
        upright = "delay" in path
        return Qt.CursorShape.SizeVerCursor if upright else Qt.CursorShape.SizeHorCursor

    def value_at(self, path: str, position: QPointF) -> float:
        """Amperes, seconds or microseconds at a place."""
        amps, seconds = self._at(position)
        if path.endswith("_a"):
            return _two_digits(amps)
        return _two_digits(seconds if path.endswith("_s") else 1e6 * seconds)

    def let_go(self) -> None:
        """The scale follows again."""
        if self._setup is not None:
            self.show_setup(self._setup)


def _step(value: float) -> float:
    """What a key moves: one of the second digit."""
    return 10.0 ** (floor(log10(value)) - 1) if value > 0 else 0.1


def _two_digits(value: float) -> float:
    """As one types it: 140 A, 0.25 s, 320 µs."""
    return float(f"{value:.2g}")
