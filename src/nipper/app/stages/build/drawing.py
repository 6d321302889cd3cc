"""The bank as built: every part a box that is chosen by mouse or keys, in its place in the way of
the current.
"""

from collections.abc import Mapping, Sequence

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QFocusEvent,
    QHelpEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
)
from PySide6.QtWidgets import QToolTip, QWidget

from nipper.app.stages.build.layout import BANK_H, Placed, pack_height, place
from nipper.app.stages.build.painting import BankPainter, Look
from nipper.app.theme import Theme
from nipper.app.widgets.brush import Brush
from nipper.app.widgets.units import UNITS
from nipper.core.assembly.parts import BuiltPart

WAYS = {
    Qt.Key.Key_Left: QPointF(-1, 0),
    Qt.Key.Key_Right: QPointF(1, 0),
    Qt.Key.Key_Up: QPointF(0, -1),
    Qt.Key.Key_Down: QPointF(0, 1),
}
SIDEWAYS = 4.0  # how much more a step aside counts than one ahead
NARROWEST = 500.0  # below this the drawing is cut rather than squeezed


class BuiltFigure(QWidget):
    """``chosen`` carries the place of the part; ``opened`` asks for its first field.

    More than twenty methods: a part of the drawing each, and Qt's events.
    """

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
        self.setAccessibleName(UNITS.text("The bank as built"))
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

    @property
    def _width(self) -> float:
        return max(NARROWEST, float(self.width()))

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
            self.setAccessibleDescription(UNITS.text(f"{part.title} {part.text} {told}".strip()))

    def _lay_out(self) -> None:
        self._placed = place(self._bank, self._packs, self._names, self._width)
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

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        painter = Brush(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        look = Look(self._selected, self._weakest, self._marks, self._values, self._sensors)
        BankPainter(painter, self._theme, look).draw(self._placed, self._by_place, self._width)
