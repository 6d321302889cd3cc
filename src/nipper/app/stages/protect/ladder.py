"""The voltage ladder: limits as handles beside the charge curve, the cells of the last charge as
ticks. Drag, or select and type.
"""

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, QSizeF, Qt, Slot
from PySide6.QtGui import (
    QColor,
    QFontMetricsF,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from nipper.app.theme import BASE_PT, Theme, font
from nipper.app.widgets.basic import SEMI
from nipper.app.widgets.brush import Brush
from nipper.app.widgets.handles import Handle, HandleFigure
from nipper.app.widgets.stamps import Stamps
from nipper.app.widgets.units import UNITS
from nipper.core.chemistry import Chemistry, chemistry
from nipper.core.logs.moments import Reading
from nipper.core.report.ladder import Rung, ladder
from nipper.core.setup import Setup

KIND_ROLE = {
    "trip": "act",
    "alarm": "watch",
    "release": "ok",
    "target": "copper",
    "balance": "copper",
    "reference": "soft",
}
TAG_W, TAG_H, TAG_GAP = 212.0, 20.0, 3.0
# a tag's picture: where its box begins, past the point and the thickness of its line
TAG_ORIGIN, TAG_SIZE = QPointF(10.0, 2.0), QSizeF(TAG_W + 12.0, TAG_H + 4.0)
LEFT, TOP, BOTTOM, TICKS_W, LEADER_W = 50.0, 10.0, 26.0, 74.0, 30.0
STEPS_V = (0.25, 0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0, 250.0)  # between grid lines
STEP_V = 0.01
BEND = 1.6  # > 1 widens the upper end, where the limits crowd


class VoltageLadder(HandleFigure):
    """All voltage limits, up the curve of the chemistry.

    More than twenty methods: a part of the painting each, and what the handles ask of a figure.
    """

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._setup: Setup | None = None
        self._span = (0.0, 1.0)
        self._reading: Reading | None = None
        self._rungs: list[Rung] = []
        self._tags: dict[str, QRectF] = {}
        self._grip = 0.0  # from the rung to where it was grabbed, px
        self._stamps = Stamps()
        self.setMinimumSize(QSize(470, 300))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(
            UNITS.text(
                "Voltage ladder: up and down choose a limit, plus and minus move it by 10 mV"
            )
        )
        theme.changed.connect(self._repaint)

    @Slot()
    def _repaint(self) -> None:
        self._stamps.clear()
        self.update()

    def show_setup(self, setup: Setup) -> None:
        """Show the limits of a setup."""
        self._setup, self._rungs = setup, ladder(setup)
        if not self.grabbed:  # the ladder must not grow under the hand that drags
            self._span = self._range()
        self.update()

    def show_cells(self, reading: Reading | None) -> None:
        """Show the cells as read at the top of the last full charge."""
        self._reading = reading
        self._span = self._range()
        self.update()

    # geometry

    @property
    def _chem(self) -> Chemistry:
        assert self._setup
        return chemistry(self._setup.chemistry)

    def _range(self) -> tuple[float, float]:
        """Lowest and highest voltage shown; kept, since every point painted asks for it."""
        if self._setup is None:
            return 0.0, 1.0
        values = [r.cell_v for r in self._rungs] + [self._chem.min_v, self._chem.max_v]
        if self._reading is not None:
            values.append(float(self._reading.cell_v.max()))
        span = max(values) - min(values)
        return min(values) - 0.09 * span, max(values) + 0.06 * span

    def _plot(self) -> QRectF:
        right = self.width() - TAG_W - LEADER_W - TICKS_W - 4
        return QRectF(LEFT, TOP, max(120.0, right - LEFT), self.height() - TOP - BOTTOM)

    def _stretch(self, cell_v: float) -> float:
        """0..1 up the ladder; the top, where the limits crowd, gets more room than the plateau's
        underside.
        """
        low, high = self._span
        return ((cell_v - low) / (high - low)) ** BEND if cell_v > low else 0.0

    def _y(self, cell_v: float) -> float:
        plot = self._plot()
        return plot.bottom() - plot.height() * self._stretch(cell_v)

    def _v(self, y: float) -> float:
        plot, (low, high) = self._plot(), self._span
        share = min(max((plot.bottom() - y) / plot.height(), 0.0), 1.0)
        return low + (high - low) * share ** (1 / BEND)

    def _lay_out_tags(self) -> None:
        """Tags beside their rungs, pushed apart where they would touch: first down, then back up
        from the bottom edge.
        """
        x = round(self.width() - TAG_W - 2)
        tops: list[float] = []
        for rung in self._rungs:
            want = self._y(rung.cell_v) - TAG_H / 2
            tops.append(max(want, tops[-1] + TAG_H + TAG_GAP) if tops else max(want, 1.0))
        limit = self.height() - TAG_H - 1
        for i in range(len(tops) - 1, -1, -1):
            tops[i] = min(tops[i], limit)
            limit = tops[i] - TAG_H - TAG_GAP
        self._tags = {
            r.path: QRectF(x, round(top), TAG_W, TAG_H)
            for r, top in zip(self._rungs, tops, strict=True)
        }

    # painting

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        painter = Brush(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._setup is not None:
            self._lay_out_tags()
            self._paint_washes(painter)
            painter.drawPixmap(QPointF(0, 0), self._ground())
            self._paint_cells(painter)
            for rung in self._rungs:
                self._paint_rung(painter, rung)
        painter.end()

    def _paint_washes(self, painter: QPainter) -> None:
        """Beyond the trips nothing is to be."""
        plot, wash = self._plot(), self._theme.colour("act_wash")
        over_y, under_y = self._y(self._trip("over")), self._y(self._trip("under"))
        for top, bottom in ((plot.top(), over_y), (under_y, plot.bottom())):
            painter.fillRect(QRectF(plot.left(), top, plot.width(), max(0.0, bottom - top)), wash)

    def _ground(self) -> QPixmap:
        """Grid and curve: the same while a limit is dragged."""
        key = "ground", self._span, self._chem.id, UNITS.form

        def paint(painter: QPainter) -> None:
            self._paint_grid(painter)
            self._paint_curve(painter)

        return self._stamps.picture(key, self.size().toSizeF(), self.devicePixelRatioF(), paint)

    def _paint_grid(self, painter: QPainter) -> None:
        plot, (low, high) = self._plot(), self._span
        painter.setFont(font(BASE_PT - 1.5))
        for tick in _ticks(low, high):
            y = self._y(tick)
            painter.setPen(QPen(self._theme.colour("grid"), 1))
            painter.drawLine(QPointF(plot.left(), y), QPointF(plot.right(), y))
            painter.setPen(self._theme.colour("soft"))
            painter.drawText(
                QRectF(0, y - 9, LEFT - 8, 18),
                int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter),
                f"{tick:.2f}",
            )
        for pct in (0, 25, 50, 75, 100):
            x = plot.left() + plot.width() * pct / 100
            painter.drawText(
                QRectF(x - 30, plot.bottom() + 5, 60, 18),
                int(Qt.AlignmentFlag.AlignCenter),
                f"{pct} %",
            )

    def _trip(self, side: str) -> float:
        assert self._setup
        p = self._setup.protection
        return (p.cell_over_voltage if side == "over" else p.cell_under_voltage).trip_v

    def _curve_line(self, plot: QRectF) -> QPolygonF:
        """The curve in the plot."""
        (low, high), curve = self._span, self._chem.curve
        height = np.clip((curve.ocv_v - low) / (high - low), 0.0, None) ** BEND
        x = plot.left() + plot.width() * curve.soc_pct / 100
        y = plot.bottom() - plot.height() * height
        return QPolygonF([QPointF(*point) for point in np.column_stack([x, y]).tolist()])

    def _paint_curve(self, painter: QPainter) -> None:
        plot = self._plot()
        painter.setClipRect(plot)
        painter.setPen(QPen(self._theme.colour("ink"), 2.0))
        painter.drawPolyline(self._curve_line(plot))
        painter.setClipping(False)

    def _paint_cells(self, painter: QPainter) -> None:
        """Each cell a tick; the highest and the lowest in their colours, with their numbers."""
        read = self._reading
        if read is None:
            return
        x = self._plot().right() + 10
        for i, volts in enumerate(read.cell_v):
            number = i + 1
            if number == read.highest:
                role = "highest"
            elif number == read.lowest:
                role = "lowest"
            else:
                role = "herd"
            painter.setPen(QPen(self._theme.colour(role), 2.2 if role != "herd" else 1.4))
            y = self._y(float(volts))
            painter.drawLine(QPointF(x, y), QPointF(x + (18 if role != "herd" else 12), y))
        painter.setFont(font(BASE_PT - 0.5, SEMI))
        y_high, y_low = self._y(float(read.cell_v.max())), self._y(float(read.cell_v.min()))
        apart = max(0.0, 14.0 - (y_low - y_high)) / 2
        for number, role, y in (
            (read.highest, "highest", y_high - apart),
            (read.lowest, "lowest", y_low + apart),
        ):
            painter.setPen(self._theme.colour(role))
            painter.drawText(
                QRectF(x + 22, y - 9, 40, 18),
                int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter),
                str(number),
            )

    def _paint_rung(self, painter: QPainter, rung: Rung) -> None:
        plot, tag = self._plot(), self._tags[rung.path]
        colour = self._theme.colour("act" if rung.path in self.wrong else KIND_ROLE[rung.kind])
        y = self._y(rung.cell_v)
        chosen = rung.path == self.selected
        pen = QPen(colour, 2.2 if chosen or rung.kind == "trip" else 1.3)
        if rung.kind not in ("trip", "target"):
            pen.setStyle(Qt.PenStyle.DashLine)
        painter.setPen(pen)
        painter.drawLine(QPointF(plot.left(), y), QPointF(plot.right(), y))
        painter.setPen(QPen(colour, 1.0))
        painter.drawPolyline(
            QPolygonF(
                [
                    QPointF(plot.right() + TICKS_W, y),
                    QPointF(tag.left() - 9, tag.center().y()),
                    QPointF(tag.left(), tag.center().y()),
                ]
            )
        )
        painter.drawPixmap(tag.topLeft() - TAG_ORIGIN, self._tag_picture(rung, colour, chosen))

    def _tag_picture(self, rung: Rung, colour: QColor, chosen: bool) -> QPixmap:
        """A tag, painted when it is another one: of a dozen a drag changes one."""
        title = rung.title + (f" ÷ {rung.times}" if rung.times > 1 else "")
        digits = 2 if round(rung.cell_v, 2) == round(rung.cell_v, 3) else 3
        value = UNITS.text(f"{rung.cell_v:.{digits}f} V")

        def paint(painter: QPainter) -> None:
            painter.translate(TAG_ORIGIN)
            self._paint_tag(painter, (title, value), colour, chosen)

        key = title, value, colour.rgba(), chosen
        return self._stamps.picture(key, TAG_SIZE, self.devicePixelRatioF(), paint)

    def _paint_tag(
        self, painter: QPainter, words: tuple[str, str], colour: QColor, chosen: bool
    ) -> None:
        tag = QRectF(0, 0, TAG_W, TAG_H)
        point = [QPointF(-8, TAG_H / 2), tag.topLeft(), tag.topRight(), tag.bottomRight()]
        painter.setPen(QPen(colour, 2.0 if chosen else 1.2))
        painter.setBrush(self._theme.colour("copper_wash" if chosen else "card"))
        painter.drawPolygon(QPolygonF([*point, tag.bottomLeft()]))
        inner, middle = tag.adjusted(5, 0, -7, 0), Qt.AlignmentFlag.AlignVCenter
        painter.setPen(colour)
        painter.setFont(font(BASE_PT - 0.5, SEMI))
        room = inner.width() - 58
        title = QFontMetricsF(painter.font()).elidedText(
            UNITS.text(words[0]), Qt.TextElideMode.ElideRight, room
        )
        painter.drawText(inner, int(Qt.AlignmentFlag.AlignLeft | middle), title)
        painter.setPen(self._theme.colour("ink"))
        painter.drawText(inner, int(Qt.AlignmentFlag.AlignRight | middle), words[1])

    # hands

    def handles(self) -> list[Handle]:
        """The rungs, from the top down."""
        return [
            Handle(r.path, f"{r.title}, {r.cell_v:.2f} V a cell", r.setting_v, r.times * STEP_V)
            for r in self._rungs
        ]

    def handle_at(self, position: QPointF) -> str:
        """The rung whose tag or line is there."""
        for path, tag in self._tags.items():
            if tag.adjusted(-LEADER_W, -1, 0, 1).contains(position):
                return path
        plot = self._plot()
        near = [(abs(self._y(r.cell_v) - position.y()), r.path) for r in self._rungs]
        distance, path = min(near, default=(99.0, ""))
        return path if distance <= 5 and plot.left() <= position.x() <= plot.right() else ""

    def cursor_over(self, _path: str) -> Qt.CursorShape:
        """Up and down."""
        return Qt.CursorShape.SizeVerCursor

    def grab_at(self, path: str, position: QPointF) -> None:
        """Keep how far from its rung a tag was grabbed: it must not jump."""
        self._grip = position.y() - self._y(self._rung(path).cell_v)

    def value_at(self, path: str, position: QPointF) -> float:
        """The setting for the voltage at a height, in steps a BMS lets one type."""
        cell_v = round(self._v(position.y() - self._grip) / STEP_V) * STEP_V
        return self._rung(path).to_setting(cell_v)

    def _rung(self, path: str) -> Rung:
        return next(r for r in self._rungs if r.path == path)


def _ticks(low: float, high: float) -> list[float]:
    """Where the ladder's grid lines stand: at round voltages, a dozen at most."""
    step = next((s for s in STEPS_V if high - low < 9 * s), STEPS_V[-1])
    return [float(t) for t in np.arange(np.ceil(low / step) * step, high, step)]
