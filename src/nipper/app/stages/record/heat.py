"""The charges as a heat map: cell by charge, events between, two columns picked."""

from datetime import UTC, datetime, tzinfo
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal, Slot
from PySide6.QtGui import (
    QColor,
    QFontMetricsF,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
    QResizeEvent,
)
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from nipper.app.theme import BASE_PT, Theme, font
from nipper.app.widgets.basic import SEMI
from nipper.app.widgets.brush import Brush
from nipper.app.widgets.units import UNITS
from nipper.core.report.charges import HeatTable
from nipper.store import BenchEvent

LEFT, TOP, FOOT = 34.0, 22.0, 44.0
SCALE_W = 16.0 + 6.0 + 13 * 11.0 + 5.0 + 70.0  # the colours below, and their ends
READING = "reading"  # the kind of an event that is a reading by hand
TONES = 100  # on either side of the even
SCALE_STEPS = (0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 30.0, 50.0, 100.0, 200.0, 300.0, 500.0)


def mixed(low: QColor, high: QColor, share: float) -> QColor:
    """A colour between two."""
    pairs = ((low.redF(), high.redF()), (low.greenF(), high.greenF()), (low.blueF(), high.blueF()))
    return QColor.fromRgbF(*(a + (b - a) * share for a, b in pairs))


def _tones_of(shares: NDArray[np.floating]) -> NDArray[np.intp]:
    """Which tone a value has: −1 is the lowest, 1 the highest; what is small still shows."""
    steps = np.sign(shares) * np.minimum(np.abs(shares), 1.0) ** 0.7 * TONES
    return np.rint(steps).astype(np.intp) + TONES


@lru_cache(maxsize=4)
def _tones_between(lowest: int, even: int, highest: int) -> NDArray[np.uint32]:
    """From the lowest over the even to the highest, in steps the eye does not tell apart."""
    middle, steps = QColor(even), range(TONES, 0, -1)
    low = [mixed(middle, QColor(lowest), i / TONES) for i in steps]
    high = [mixed(middle, QColor(highest), i / TONES) for i in reversed(steps)]
    return np.array([tone.rgba() for tone in (*low, middle, *high)], np.uint32)


def _boxes_at(
    place: NDArray[np.floating], step: float, length: float, count: int
) -> NDArray[np.intp]:
    """Which of so many boxes lies at each place; −1 between them and beside them all."""
    box = np.floor(place / step).astype(np.intp)
    inside = (box >= 0) & (box < count) & (place - box * step < length)
    return np.where(inside, box, -1)


class HeatMap(QWidget):
    """``picked`` carries column and whether it is to stand beside the first.

    More than twenty methods: a part of the painting each, keys, mouse and Qt's events.
    """

    picked = Signal(int, bool)

    def __init__(self, theme: Theme, zone: tzinfo = UTC, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme, self._zone = theme, zone
        self._table: HeatTable | None = None
        self._events: list[BenchEvent] = []
        self._as_charge = True
        self._first, self._beside = -1, -1
        # a year of 64 cells is more boxes than can be drawn at each step of the marks
        self._boxes: QPixmap | None = None
        self.setMinimumSize(QSize(420, 170))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(
            UNITS.text(
                "Full charges as a heat map: left and right choose a charge, with Shift the "
                "one beside it"
            )
        )
        theme.changed.connect(self._repaint)

    def show_table(self, table: HeatTable | None, events: list[BenchEvent]) -> None:
        """Show the charges and the events between them."""
        self._table, self._events = table, events
        self._repaint()

    def show_picked(self, first: int, beside: int) -> None:
        """Mark the columns opened below."""
        self._first, self._beside = first, beside
        self.update()

    def show_as_charge(self, as_charge: bool) -> None:
        """Colour by charge (%), or by voltage (mV) at the end of absorption."""
        self._as_charge = as_charge
        self._repaint()

    def resizeEvent(self, event: QResizeEvent) -> None:  # noqa: N802 - Qt's name
        self._repaint()
        super().resizeEvent(event)

    @Slot()
    def _repaint(self) -> None:
        """Draw the boxes anew as well."""
        self._boxes = None
        self.update()

    @property
    def _values(self) -> np.ndarray:
        assert self._table
        return self._table.pct if self._as_charge else self._table.mv

    @property
    def _unit(self) -> str:
        return "% of charge" if self._as_charge else "mV"

    def _scale(self) -> float:
        values = np.abs(self._values[np.isfinite(self._values)])
        top = float(np.quantile(values, 0.985)) if values.size else 1.0
        return next((s for s in SCALE_STEPS if s >= top), SCALE_STEPS[-1])

    def _grid(self) -> QRectF:
        return QRectF(LEFT, TOP, self.width() - LEFT - 8, self.height() - TOP - FOOT)

    def _box(self, row: int, column: int) -> QRectF:
        assert self._table
        grid, (rows, columns) = self._grid(), self._values.shape
        w, h = min(grid.width() / columns, 34.0), grid.height() / rows
        gap = 1.0 if w > 5 else 0.0
        return QRectF(
            grid.left() + column * w, grid.top() + row * h, w - gap, h - (1.0 if h > 7 else 0.5)
        )

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        painter = Brush(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._table is not None and self._table.charges:
            painter.drawPixmap(0, 0, self._drawn_boxes())
            self._paint_labels(painter)
            self._paint_events(painter)
            self._paint_scale(painter)
            for column, dashed in ((self._beside, True), (self._first, False)):
                if 0 <= column < self._values.shape[1]:
                    top, bottom = self._box(0, column), self._box(self._values.shape[0] - 1, column)
                    pen = QPen(
                        self._theme.colour("copper"),
                        2.0,
                        Qt.PenStyle.DashLine if dashed else Qt.PenStyle.SolidLine,
                    )
                    painter.setPen(pen)
                    painter.setBrush(Qt.BrushStyle.NoBrush)
                    painter.drawRect(
                        QRectF(top.topLeft(), bottom.bottomRight()).adjusted(-1.5, -2, 1.5, 2)
                    )
        painter.end()

    def _tones(self) -> NDArray[np.uint32]:
        ends = (self._theme.colour(role).rgba() for role in ("lowest", "even", "highest"))
        return _tones_between(*ends)

    def _drawn_boxes(self) -> QPixmap:
        ratio = self.devicePixelRatioF()
        if self._boxes is None or self._boxes.devicePixelRatio() != ratio:
            pixels = np.ascontiguousarray(self._painted(self.size() * ratio, ratio))
            height, width = pixels.shape
            image = QImage(pixels.data, width, height, 4 * width, QImage.Format.Format_ARGB32)
            self._boxes = QPixmap.fromImage(image)
            self._boxes.setDevicePixelRatio(ratio)
        return self._boxes

    def _painted(self, size: QSize, ratio: float) -> NDArray[np.uint32]:
        """The colour of each pixel: box by box a year of 64 cells would stop the window."""
        values, box = self._values, self._box(0, 0)
        tone = self._tones()[_tones_of(np.nan_to_num(values) / self._scale())]
        tone = np.pad(np.where(np.isfinite(values), tone, 0), ((0, 1), (0, 1)))  # -1 is between
        below, beside = self._box(1, 0).top() - box.top(), self._box(0, 1).left() - box.left()
        y = (np.arange(size.height()) + 0.5) / ratio - box.top()
        x = (np.arange(size.width()) + 0.5) / ratio - box.left()
        rows = _boxes_at(y, below, box.height(), values.shape[0])
        columns = _boxes_at(x, beside, box.width(), values.shape[1])
        return tone[np.ix_(rows, columns)].astype(np.uint32)

    def _paint_labels(self, painter: QPainter) -> None:
        assert self._table
        values = self._values
        last = values[:, -1] if np.isfinite(values[:, -1]).any() else None
        high = int(np.nanargmax(last)) if last is not None else -1
        low = int(np.nanargmin(last)) if last is not None else -1
        height = self._box(0, 0).height()
        if height >= 9:
            every = 1
        elif height >= 5:
            every = 2
        else:
            every = 5
        for row in range(values.shape[0]):
            if row == high:
                role = "highest"
            elif row == low:
                role = "lowest"
            else:
                role = "soft"
            if role == "soft" and row % every:
                continue
            painter.setFont(
                font(
                    min(BASE_PT - 1.5, max(6.5, height * 0.72)),
                    SEMI if role != "soft" else font().weight(),
                )
            )
            painter.setPen(self._theme.colour(role))
            box = self._box(row, 0)
            painter.drawText(
                QRectF(0, box.top() - 4, LEFT - 8, box.height() + 8),
                int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter),
                str(row + 1),
            )
        painter.setFont(font(BASE_PT - 1.5))
        painter.setPen(self._theme.colour("soft"))
        free = -1.0
        for column in range(values.shape[1]):
            text = UNITS.text(self._day(column))
            x, width = (
                self._box(0, column).left(),
                QFontMetricsF(painter.font()).horizontalAdvance(text),
            )
            if x >= free and x + width <= self.width():
                painter.drawText(QPointF(x, TOP - 7), text)
                free = x + width + 46

    def _day(self, column: int) -> str:
        assert self._table
        moment = datetime.fromtimestamp(float(self._table.time_s[column]), self._zone)
        return f"{moment.day} {moment:%b}"

    def _paint_events(self, painter: QPainter) -> None:
        """Events stand under the gap between the charges before and after them."""
        assert self._table
        painter.setFont(font(BASE_PT - 1.5))
        grid, copper = self._grid(), self._theme.colour("copper")
        free, columns = -1.0, self._values.shape[1]
        there: set[tuple[int, bool]] = set()  # in one gap each kind stands once
        for event in self._events:
            after = int(np.searchsorted(self._table.time_s, event.time_s))
            if (after, event.kind == READING) in there:
                continue
            there.add((after, event.kind == READING))
            x = self._box(0, after).left() if after < columns else self._box(0, columns - 1).right()
            painter.setPen(QPen(copper, 1.2, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(x, grid.top()), QPointF(x, grid.bottom() + 3))
            y = grid.bottom() + 13
            if event.kind == READING:  # told by another shape, not by colour alone
                painter.setPen(QPen(copper, 1.4))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawEllipse(QPointF(x, y - 2), 4, 4)
            else:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(copper)
                painter.drawPolygon(
                    QPolygonF([QPointF(x, y - 7), QPointF(x + 5, y + 2), QPointF(x - 5, y + 2)])
                )
            note = UNITS.text(event.note)
            width = QFontMetricsF(painter.font()).horizontalAdvance(note)
            left = x + 9 if x + 9 + width < self.width() else x - 9 - width
            if left > free:
                painter.setPen(copper)
                painter.drawText(QPointF(left, y + 3), note)
                free = left + width + 10

    def _paint_scale(self, painter: QPainter) -> None:
        scale, y = self._scale(), self.height() - 15.0
        painter.setFont(font(BASE_PT - 1.5))
        painter.setPen(self._theme.colour("soft"))
        text = f"{self._unit} from the median cell" + (
            ", read along the pack's own curve" if self._as_charge else " at the end of absorption"
        )
        metrics = QFontMetricsF(painter.font())
        room = self.width() - LEFT - SCALE_W
        text = metrics.elidedText(UNITS.text(text), Qt.TextElideMode.ElideRight, room)
        painter.drawText(QPointF(LEFT, y + 9), text)
        x = LEFT + metrics.horizontalAdvance(text) + 16
        ends = (f"−{scale:g}", f"+{scale:g}")
        painter.drawText(QPointF(x, y + 9), ends[0])
        x += metrics.horizontalAdvance(ends[0]) + 6
        tones = self._tones()
        for i, tone in enumerate(_tones_of(np.linspace(-1.0, 1.0, 13)).tolist()):
            painter.fillRect(QRectF(x + i * 11, y, 10, 10), QColor(int(tones[tone])))
        painter.drawText(QPointF(x + 13 * 11 + 5, y + 9), ends[1])

    # hands

    def _column(self, position: QPointF) -> int:
        if self._table is None or not self._table.charges:
            return -1
        width = self._box(0, 0).width() + (1.0 if self._box(0, 0).width() > 4 else 0.0)
        column = int((position.x() - LEFT) // width)
        return (
            column
            if 0 <= column < self._values.shape[1]
            and self._grid().contains(QPointF(LEFT + 1, position.y()))
            else -1
        )

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        column = self._column(event.position())
        if column >= 0:
            beside = bool(
                event.modifiers()
                & (Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier)
            )
            self.picked.emit(column, beside or event.button() == Qt.MouseButton.RightButton)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        column = self._column(event.position())
        if column < 0 or self._table is None:
            QToolTip.hideText()
            return
        row = min(
            int((event.position().y() - TOP) / (self._grid().height() / self._values.shape[0])),
            self._values.shape[0] - 1,
        )
        mv, pct = self._table.mv[row, column], self._table.pct[row, column]
        charge = f" · {pct:+.2f} % of charge" if np.isfinite(pct) else ""
        QToolTip.showText(
            event.globalPosition().toPoint(),
            f"cell {row + 1}, {self._day(column)}: {mv:+.0f} mV{charge}".replace("-", "−"),
            self,
        )

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802 - Qt's name
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()), 0)
        if not step or self._table is None or not self._table.charges:
            super().keyPressEvent(event)
            return
        beside = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        column = (self._beside if beside else self._first) + step
        self.picked.emit(min(max(column, 0), len(self._table.charges) - 1), beside)
