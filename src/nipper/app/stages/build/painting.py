"""How the bank as built is painted: wires, bars, the boxes of the parts, taps, signs."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from nipper.app.stages.build.layout import BAR_X, Placed
from nipper.app.theme import BASE_PT, Theme, font
from nipper.app.theme.marks import STATUS_ROLE, draw_status
from nipper.app.widgets.basic import SEMI
from nipper.app.widgets.units import UNITS
from nipper.core.assembly.parts import BuiltPart

NARROW = 15.0  # a cell narrower than this has no room for its number


@dataclass(frozen=True, slots=True)
class Look:
    """What is seen of the parts beside themselves: by place, the status with what is said, a
    number, sensors; which one is chosen, and which kind is the weakest.
    """

    selected: str
    weakest: str
    marks: Mapping[str, str]
    values: Mapping[str, str]
    sensors: Mapping[str, Sequence[int]]


class BankPainter:
    """Paints one bank."""

    def __init__(self, painter: QPainter, theme: Theme, look: Look) -> None:
        self._painter, self._theme, self._look = painter, theme, look
        self._placed = Placed({}, (), (), (), 0.0)
        self._parts: Mapping[str, BuiltPart] = {}
        self._width = 0.0

    def draw(self, placed: Placed, parts: Mapping[str, BuiltPart], width: float) -> None:
        """Everything, from the wires up."""
        self._placed, self._parts, self._width = placed, parts, width
        color = self._theme.colour
        self._painter.setPen(QPen(color("herd"), 2))
        for start, end in placed.wires:
            self._painter.drawLine(start, end)
        self._bars()
        self._painter.setFont(font(BASE_PT, SEMI))
        self._painter.setPen(color("ink"))
        for at, name in placed.names:
            metrics = self._painter.fontMetrics()
            self._painter.drawText(at, metrics.elidedText(name, Qt.TextElideMode.ElideRight, 260))
        for place, box in placed.boxes.items():
            self._part(parts[place], box)
        self._taps()
        self._signs()

    def _bars(self) -> None:
        """The common bar is drawn thick, leads from pack to pack thin."""
        bus = self._parts.get("bus")
        if bus is None or not bus.title.startswith("busbar"):
            return
        self._painter.setPen(QPen(self._theme.colour("herd"), 5))
        last = max((end.y() for _, end in self._placed.wires if end.x() == BAR_X), default=0.0)
        for x in (BAR_X, self._width - BAR_X):
            self._painter.drawLine(QPointF(x, 58.0), QPointF(x, last))

    def _part(self, part: BuiltPart, box: QRectF) -> None:
        color = self._theme.colour
        chosen, weak = part.place == self._look.selected, part.kind == self._look.weakest
        edge = color("copper") if chosen else color("line")
        self._painter.setPen(QPen(edge, 2.2 if chosen else 1.2))
        if part.unknown and not chosen:
            self._painter.setPen(QPen(color("faint"), 1.2, Qt.PenStyle.DashLine))
        self._painter.setBrush(color("copper_wash" if chosen else "card"))
        if part.kind == "bar":
            self._painter.setBrush(color("copper") if chosen else color("herd"))
            self._painter.setPen(Qt.PenStyle.NoPen)
            self._painter.drawRect(box)
        else:
            self._painter.drawRoundedRect(box, 3, 3)
            self._words(part, box, color("copper") if weak else color("ink"))
        self._status(part, box)

    def _words(self, part: BuiltPart, box: QRectF, ink: QColor) -> None:
        centre = Qt.AlignmentFlag.AlignCenter
        if part.pack is None:  # of the bank: its name above, its value below
            self._painter.setFont(font(BASE_PT - 1.5))
            self._painter.setPen(self._theme.colour("soft"))
            upper = box.adjusted(3, 2, -3, -box.height() / 2)
            one_line = box.height() < 30
            text = f"{part.title} {part.text}" if one_line else part.title
            room = box.adjusted(3, 0, -3, 0) if one_line else upper
            fitted = self._painter.fontMetrics().elidedText(
                UNITS.text(text), Qt.TextElideMode.ElideRight, int(room.width())
            )
            self._painter.drawText(room, centre, fitted)
            if one_line:
                return
            self._painter.setFont(font(BASE_PT, SEMI))
            self._painter.setPen(ink)
            self._painter.drawText(box.adjusted(2, box.height() / 2 - 2, -2, -2), centre, part.text)
            return
        if part.kind == "cell" and box.width() < NARROW:
            return
        self._painter.setFont(font(BASE_PT - (0.5 if part.kind == "cell" else 2)))
        self._painter.setPen(ink)
        upper = box.adjusted(0, 2, 0, -box.height() / 2)
        lower = box.adjusted(-2, box.height() / 2 - 2, 2, -2)
        if part.kind == "bms":
            self._painter.drawText(upper, centre, "BMS")
            self._painter.drawText(lower, centre, part.text)
            return
        if part.place in self._look.values:
            self._painter.drawText(upper, centre, part.text)
            self._painter.setFont(font(BASE_PT - 2.5))
            self._painter.setPen(self._theme.colour("soft"))
            self._painter.drawText(lower, centre, self._look.values[part.place])
            return
        self._painter.drawText(box, centre, part.text.replace(" mm²", ""))

    def _status(self, part: BuiltPart, box: QRectF) -> None:
        status = self._look.marks.get(part.place, "").partition(" ")[0]
        if status not in ("watch", "act"):
            return
        colour = self._theme.colour(STATUS_ROLE[status])
        at = QRectF(box.center().x() - 5, box.top() - 7, 10, 10)
        draw_status(self._painter, status, at, colour)

    def _taps(self) -> None:
        self._painter.setPen(self._theme.colour("faint"))
        self._painter.setFont(font(BASE_PT - 2.5))
        cells = (p for p in self._parts.values() if p.kind == "cell")
        crowded = any(self._placed.boxes[p.place].width() < NARROW for p in cells)
        for at, number in self._placed.taps:
            self._painter.drawLine(at + QPointF(0, -3), at + QPointF(0, 1))
            if not crowded or number % 5 == 0:
                box = QRectF(at.x() - 12, at.y() + 1, 24, 12)
                self._painter.drawText(box, Qt.AlignmentFlag.AlignCenter, str(number))

    def _signs(self) -> None:
        """Plus and minus at the bars, and the temperature sensors at their cells."""
        self._painter.setPen(self._theme.colour("soft"))
        self._painter.setFont(font(BASE_PT + 2, SEMI))
        width = self._width
        below = self._placed.height - 40.0
        left = QRectF(0, below, 2 * BAR_X, 20)
        self._painter.drawText(left, Qt.AlignmentFlag.AlignCenter, "−")
        right = QRectF(width - 2 * BAR_X, below, 2 * BAR_X, 20)
        self._painter.drawText(right, Qt.AlignmentFlag.AlignCenter, "+")
        self._painter.setFont(font(BASE_PT - 2))
        for place_, numbers in self._look.sensors.items():
            box = self._placed.boxes.get(place_)
            if box is None:
                continue
            at = QPointF(box.left() + 2, box.top() - 3)
            self._painter.drawText(at, ", ".join(f"T{n}" for n in numbers))
