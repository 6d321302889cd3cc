"""A figure with handles on it: limits that are grabbed and dragged, or chosen and moved by keys.

What is common to the ladder, the currents and the temperatures: grab, keyboard, drop, wrong values,
and what a screen reader is told.
"""

from dataclasses import dataclass

from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent
from PySide6.QtWidgets import QWidget

from nipper.app.widgets.units import UNITS

CHOOSE = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
MOVE = {Qt.Key.Key_Plus: 1, Qt.Key.Key_Minus: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1}


@dataclass(frozen=True, slots=True)
class Handle:
    """A setting that can be moved: its path, its name and value in words, and a key's step."""

    path: str
    words: str
    value: float
    step: float


class HandleFigure(QWidget):
    """``dragged`` and ``dropped`` carry path and setting; ``picked`` the path to be typed."""

    dragged = Signal(str, float)
    dropped = Signal()
    picked = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._grabbed = ""
        self._selected = ""
        self._wrong: frozenset[str] = frozenset()
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    # what a figure tells of itself

    def handles(self) -> list[Handle]:
        """The handles, in the order in which the keys go through them."""
        raise NotImplementedError

    def handle_at(self, _position: QPointF) -> str:
        """The path of the handle at a place; empty where there is none."""
        raise NotImplementedError

    def value_at(self, _path: str, _position: QPointF) -> float:
        """The setting a handle has when it is dragged to a place."""
        raise NotImplementedError

    def cursor_over(self, _path: str) -> Qt.CursorShape:
        """Which way a handle goes."""
        return Qt.CursorShape.SizeHorCursor

    def grab_at(self, _path: str, _position: QPointF) -> None:
        """A handle is grabbed there."""

    # state

    @property
    def grabbed(self) -> str:
        """The handle in the hand: the scale must not run away under it."""
        return self._grabbed

    @property
    def selected(self) -> str:
        """The handle that the keys move."""
        return self._selected

    @property
    def wrong(self) -> frozenset[str]:
        """Settings that contradict another."""
        return self._wrong

    def show_wrong(self, paths: frozenset[str]) -> None:
        """Mark settings that contradict another."""
        if paths != self._wrong:
            self._wrong = paths
            self.update()

    def select(self, path: str) -> None:
        """Choose a handle for the keys."""
        self._selected = path
        self._describe()
        self.update()

    def _describe(self) -> None:
        """What a screen reader says of the figure: the chosen handle and its value."""
        chosen = next((h for h in self.handles() if h.path == self._selected), None)
        self.setAccessibleDescription(UNITS.text(chosen.words if chosen else ""))

    # hands

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        path = self.handle_at(event.position())
        if not path or event.button() != Qt.MouseButton.LeftButton:
            return
        self.select(path)
        self._grabbed = path
        self.grab_at(path, event.position())
        self.picked.emit(path)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        if not self._grabbed:
            over = self.handle_at(event.position())
            self.setCursor(self.cursor_over(over) if over else Qt.CursorShape.ArrowCursor)
            return
        now = next((h for h in self.handles() if h.path == self._grabbed), None)
        if now is None:  # undone under the hand
            return
        value = self.value_at(self._grabbed, event.position())
        if abs(value - now.value) > 1e-6:
            self.dragged.emit(self._grabbed, value)

    def mouseReleaseEvent(self, _: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        if self._grabbed:
            self._grabbed = ""
            self.dropped.emit()
            self.let_go()

    def let_go(self) -> None:
        """The hand is off: the scale may follow again."""
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802 - Qt's name
        handles, key = self.handles(), Qt.Key(event.key())
        paths = [h.path for h in handles]
        at = paths.index(self._selected) if self._selected in paths else 0
        if handles and key in CHOOSE:
            self.select(paths[(at + CHOOSE[key]) % len(paths)])
            self.picked.emit(self._selected)
        elif handles and key in MOVE:
            self.select(paths[at])
            self.dragged.emit(paths[at], handles[at].value + MOVE[key] * handles[at].step)
            self.dropped.emit()
            self._describe()
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent) -> None:  # noqa: N802 - Qt's name
        super().focusInEvent(event)
        handles = self.handles()
        if not self._selected and handles:
            self.select(handles[0].path)
