"""The bank as built: every part a box that is chosen by mouse or keys, in its place in the way of
the current.
"""

from collections.abc import Mapping, Sequence

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFocusEvent,
    QHelpEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
)
from PySide6.QtWidgets import QToolTip, QWidget

from nipper.app.stages.build.layout import BANK_H, BAR_X, Placed, pack_height, place
from nipper.app.theme import BASE_PT, Theme, font
from nipper.app.theme.marks import STATUS_ROLE, draw_status
from nipper.app.widgets.basic import SEMI
from nipper.core.assembly.parts import BuiltPart

WAYS = {
    Qt.Key.Key_Left: QPointF(-1, 0),
    Qt.Key.Key_Right: QPointF(1, 0),
    Qt.Key.Key_Up: QPointF(0, -1),
    Qt.Key.Key_Down: QPointF(0, 1),
}
SIDEWAYS = 4.0  # how much more a step aside counts than one ahead
NARROW = 15.0  # a cell narrower than this has no room for its number


class BuiltFigure(QWidget):
    """``chosen`` carries the place of the part; ``opened`` asks for its first field."""

    chosen = Signal(str)
    opened = Signal(str)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._bank: list[BuiltPart] = []
        self._packs: list[list[BuiltPart]] = []
        self._names: list[str] = []
        self._by_place: dict[str, BuiltPart] = {}
        self._placed = Placed({}, (), (), (), 0.0)
        self._selected, self._weakest = "bus", ""
        self._marks: Mapping[str, str] = {}
        self._sensors: Mapping[str, Sequence[int]] = {}
        self._values: Mapping[str, str] = {}
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("The bank as built")
        theme.changed.connect(self.update)

    # what it shows

    @property
    def selected(self) -> str:
        """The place of the chosen part."""
        return self._selected

    @property
    def places(self) -> list[str]:
        """All parts' places, in their order."""
        return list(self._by_place)

    def part(self, place_: str) -> BuiltPart:
        """The part at a place."""
        return self._by_place[place_]

    def box(self, place_: str) -> QRectF:
        """Where a part is drawn."""
        return self._placed.boxes[place_]

    def show_bank(
        self, bank: list[BuiltPart], packs: list[list[BuiltPart]], names: list[str], weakest: str
    ) -> None:
        """Show these parts; ``weakest`` is the kind that ends the current."""
        self._bank, self._packs, self._names, self._weakest = bank, packs, names, weakest
        self._by_place = {p.place: p for parts in (bank, *packs) for p in parts}
        if self._selected not in self._by_place:
            self._selected = "bus"
        self._lay_out()
        self._describe()

    def show_marks(self, marks: Mapping[str, str], sensors: Mapping[str, Sequence[int]]) -> None:
        """Parts that the log speaks of, with their status; sensors by the cell they sit at."""
        self._marks, self._sensors = marks, sensors
        self.update()

    def show_values(self, values: Mapping[str, str]) -> None:
        """A number in the cells, by their places."""
        self._values = values
        self.update()

    def select(self, place_: str) -> None:
        """Choose a part."""
        if place_ in self._by_place:
            self._selected = place_
            self._describe()
            self.update()
            self.chosen.emit(place_)

    def _describe(self) -> None:
        part = self._by_place.get(self._selected)
        if part:
            told = self._marks.get(part.place, "")
            self.setAccessibleDescription(f"{part.title} {part.text} {told}".strip())

    def _lay_out(self) -> None:
        self._placed = place(self._bank, self._packs, self._names, max(500.0, self.width()))
        self.setMinimumHeight(int(self._placed.height))
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:  # noqa: N802 - Qt's name
        cells = [sum(p.kind == "cell" for p in parts) for parts in self._packs]
        return QSize(700, int(BANK_H + sum(map(pack_height, cells))))

    def resizeEvent(self, event: QResizeEvent) -> None:  # noqa: N802 - Qt's name
        super().resizeEvent(event)
        self._lay_out()

    # hands

    def place_at(self, position: QPointF) -> str:
        """The part at a point; a bar is easier to hit than it is drawn."""
        for place_, box in self._placed.boxes.items():
            tall = self._by_place[place_].kind == "bar"
            if box.adjusted(0, -10 if tall else 0, 0, 10 if tall else 0).contains(position):
                return place_
        return ""

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        found = self.place_at(event.position())
        if found and event.button() == Qt.MouseButton.LeftButton:
            self.select(found)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        if self.place_at(event.position()) == self._selected:
            self.opened.emit(self._selected)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        over = self.place_at(event.position())
        shape = Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.ArrowCursor
        self.setCursor(shape)

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802 - Qt's name
        key = Qt.Key(event.key())
        if key in WAYS:
            found = self._next(WAYS[key])
            if found:
                self.select(found)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_F2):
            self.opened.emit(self._selected)
        else:
            super().keyPressEvent(event)

    def _next(self, way: QPointF) -> str:
        """The nearest part in a direction; what lies aside counts as farther."""
        here = self._placed.boxes[self._selected].center()
        best, found = float("inf"), ""
        for place_, box in self._placed.boxes.items():
            off = box.center() - here
            ahead = off.x() * way.x() + off.y() * way.y()
            aside = abs(off.x() * way.y()) + abs(off.y() * way.x())
            if place_ != self._selected and ahead > 2.0 and ahead + SIDEWAYS * aside < best:
                best, found = ahead + SIDEWAYS * aside, place_
        return found

    def focusInEvent(self, event: QFocusEvent) -> None:  # noqa: N802 - Qt's name
        super().focusInEvent(event)
        self._describe()
        self.update()

    def event(self, event: QEvent) -> bool:
        """A tooltip with the part's title and what is said of it."""
        if isinstance(event, QHelpEvent):
            found = self.place_at(QPointF(event.pos()))
            part = self._by_place.get(found)
            said = self._marks.get(found, "").partition(" ")[2]
            QToolTip.showText(
                event.globalPos(), f"{part.title} {part.text}\n{said}".strip() if part else ""
            )
            return True
        return super().event(event)

    # paint

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        color = self._theme.colour
        painter.setPen(QPen(color("herd"), 2))
        for start, end in self._placed.wires:
            painter.drawLine(start, end)
        self._bars(painter)
        painter.setFont(font(BASE_PT, SEMI))
        painter.setPen(color("ink"))
        for at, name in self._placed.names:
            shown = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, 260)
            painter.drawText(at, shown)
        for place_, box in self._placed.boxes.items():
            self._part(painter, self._by_place[place_], box)
        self._taps(painter)
        self._signs(painter)

    def _bars(self, painter: QPainter) -> None:
        """The common bar is drawn thick, leads from pack to pack thin."""
        bus = self._by_place.get("bus")
        if bus is None or not bus.title.startswith("busbar"):
            return
        painter.setPen(QPen(self._theme.colour("herd"), 5))
        last = max((end.y() for _, end in self._placed.wires if end.x() == BAR_X), default=0.0)
        for x in (BAR_X, max(500.0, self.width()) - BAR_X):
            painter.drawLine(QPointF(x, 58.0), QPointF(x, last))

    def _part(self, painter: QPainter, part: BuiltPart, box: QRectF) -> None:
        color = self._theme.colour
        chosen, weak = part.place == self._selected, part.kind == self._weakest
        edge = color("copper") if chosen else color("line")
        painter.setPen(QPen(edge, 2.2 if chosen else 1.2))
        if part.unknown and not chosen:
            painter.setPen(QPen(color("faint"), 1.2, Qt.PenStyle.DashLine))
        painter.setBrush(color("copper_wash" if chosen else "card"))
        if part.kind == "bar":
            painter.setBrush(color("copper") if chosen else color("herd"))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.drawRect(box)
        else:
            painter.drawRoundedRect(box, 3, 3)
            self._words(painter, part, box, color("copper") if weak else color("ink"))
        self._status(painter, part, box)

    def _words(self, painter: QPainter, part: BuiltPart, box: QRectF, ink: QColor) -> None:
        centre = Qt.AlignmentFlag.AlignCenter
        if part.pack is None:  # of the bank: its name above, its value below
            painter.setFont(font(BASE_PT - 1.5))
            painter.setPen(self._theme.colour("soft"))
            upper = box.adjusted(3, 2, -3, -box.height() / 2)
            one_line = box.height() < 30
            text = f"{part.title} {part.text}" if one_line else part.title
            room = box.adjusted(3, 0, -3, 0) if one_line else upper
            fitted = painter.fontMetrics().elidedText(
                text, Qt.TextElideMode.ElideRight, int(room.width())
            )
            painter.drawText(room, centre, fitted)
            if one_line:
                return
            painter.setFont(font(BASE_PT, SEMI))
            painter.setPen(ink)
            painter.drawText(box.adjusted(2, box.height() / 2 - 2, -2, -2), centre, part.text)
            return
        if part.kind == "cell" and box.width() < NARROW:
            return
        painter.setFont(font(BASE_PT - (0.5 if part.kind == "cell" else 2)))
        painter.setPen(ink)
        upper = box.adjusted(0, 2, 0, -box.height() / 2)
        lower = box.adjusted(-2, box.height() / 2 - 2, 2, -2)
        if part.kind == "bms":
            painter.drawText(upper, centre, "BMS")
            painter.drawText(lower, centre, part.text)
            return
        if part.place in self._values:
            painter.drawText(upper, centre, part.text)
            painter.setFont(font(BASE_PT - 2.5))
            painter.setPen(self._theme.colour("soft"))
            painter.drawText(lower, centre, self._values[part.place])
            return
        painter.drawText(box, centre, part.text.replace(" mm²", ""))

    def _status(self, painter: QPainter, part: BuiltPart, box: QRectF) -> None:
        status = self._marks.get(part.place, "").partition(" ")[0]
        if status not in ("watch", "act"):
            return
        colour = self._theme.colour(STATUS_ROLE[status])
        at = QRectF(box.center().x() - 5, box.top() - 7, 10, 10)
        draw_status(painter, status, at, colour)

    def _taps(self, painter: QPainter) -> None:
        painter.setPen(self._theme.colour("faint"))
        painter.setFont(font(BASE_PT - 2.5))
        crowded = len(self._placed.taps) > 1 and any(
            p.kind == "cell" and self._placed.boxes[p.place].width() < NARROW
            for parts in self._packs
            for p in parts
        )
        for at, number in self._placed.taps:
            painter.drawLine(at + QPointF(0, -3), at + QPointF(0, 1))
            if not crowded or number % 5 == 0:
                box = QRectF(at.x() - 12, at.y() + 1, 24, 12)
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, str(number))

    def _signs(self, painter: QPainter) -> None:
        """Plus and minus at the bars, and the temperature sensors at their cells."""
        painter.setPen(self._theme.colour("soft"))
        painter.setFont(font(BASE_PT + 2, SEMI))
        width = max(500.0, self.width())
        below = self._placed.height - 40.0
        left = QRectF(0, below, 2 * BAR_X, 20)
        painter.drawText(left, Qt.AlignmentFlag.AlignCenter, "−")
        right = QRectF(width - 2 * BAR_X, below, 2 * BAR_X, 20)
        painter.drawText(right, Qt.AlignmentFlag.AlignCenter, "+")
        painter.setFont(font(BASE_PT - 2))
        for place_, numbers in self._sensors.items():
            box = self._placed.boxes.get(place_)
            if box is None:
                continue
            at = QPointF(box.left() + 2, box.top() - 3)
            painter.drawText(at, ", ".join(f"T{n}" for n in numbers))
