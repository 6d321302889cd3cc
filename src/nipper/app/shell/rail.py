"""The rail: each stage with its state and one computed sentence about this pack."""

from collections.abc import Sequence

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QEnterEvent,
    QFontMetricsF,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
)
from PySide6.QtWidgets import QFrame, QVBoxLayout, QWidget

from nipper.app.stage import Stage
from nipper.app.theme import BASE_PT, Theme, font
from nipper.app.theme.marks import STATUS_ROLE, STATUS_WORD, draw_status
from nipper.app.widgets.basic import SEMI
from nipper.app.widgets.brush import Brush
from nipper.app.widgets.units import UNITS

WIDTH = 232
LOW, HIGH = 52, 76  # of an entry: low windows show one line of its sentence, others two


class RailEntry(QWidget):
    """One stage."""

    chosen = Signal(str)

    def __init__(self, theme: Theme, stage: Stage, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme, self.stage = theme, stage
        self.sentence, self.status = "", "none"
        self._current = self._hover = False
        self.setMinimumHeight(LOW)
        self.setMaximumHeight(HIGH)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        theme.changed.connect(self.update)

    def sizeHint(self) -> QSize:  # noqa: N802 - Qt's name
        """Two lines of its sentence where there is room."""
        return QSize(WIDTH, HIGH)

    def say(self, status: str, sentence: str) -> None:
        """Show state and sentence."""
        if (status, sentence) == (self.status, self.sentence):
            return
        self.status, self.sentence = status, sentence
        self.setAccessibleName(UNITS.text(f"{self.stage.title}: {STATUS_WORD[status]}. {sentence}"))
        self.setToolTip(UNITS.text(sentence))
        self.update()

    def set_current(self, current: bool) -> None:
        """Mark as the stage that is shown."""
        self._current = current
        self.update()

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        painter = Brush(self)
        if self._current:
            painter.fillRect(self.rect(), self._theme.colour("card"))
            painter.fillRect(0, 0, 4, self.height(), self._theme.colour("copper"))
        elif self._hover or self.hasFocus():
            wash = QColor(self._theme.colour("copper_wash"))
            wash.setAlpha(110)
            painter.fillRect(self.rect(), wash)
        draw_status(
            painter,
            self.status,
            self.rect().adjusted(22, 15, -(self.width() - 34), -(self.height() - 27)).toRectF(),
            self._theme.colour(STATUS_ROLE[self.status]),
        )
        painter.setPen(self._theme.colour("ink"))
        painter.setFont(font(BASE_PT + 1, SEMI))
        painter.drawText(42, 27, self.stage.title)
        painter.setPen(self._theme.colour("faint"))
        painter.setFont(font(BASE_PT - 1, mono=True))
        painter.drawText(
            self.rect().adjusted(0, 13, -13, 0),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop,
            self.stage.key,
        )
        painter.setPen(self._theme.colour("soft"))
        painter.setFont(font(BASE_PT - 0.5))
        self._paint_sentence(painter)
        painter.end()

    def _paint_sentence(self, painter: QPainter) -> None:
        """Two lines where there is room for them, the last cut short where it must; in the reader's
        words before they are divided, and so not again.
        """
        sentence = UNITS.text(self.sentence)
        box = self.rect().adjusted(22, 32, -12, 0)
        metrics = QFontMetricsF(painter.font())
        if box.height() < 2 * metrics.height():
            line = metrics.elidedText(sentence, Qt.TextElideMode.ElideRight, box.width())
            QPainter.drawText(painter, box, Qt.AlignmentFlag.AlignTop, line)
            return
        words, first = sentence.split(), ""
        while words and metrics.horizontalAdvance(f"{first} {words[0]}".strip()) <= box.width():
            first = f"{first} {words.pop(0)}".strip()
        if not first and words:
            first = metrics.elidedText(words.pop(0), Qt.TextElideMode.ElideRight, box.width())
        second = metrics.elidedText(" ".join(words), Qt.TextElideMode.ElideRight, box.width())
        both = f"{first}\n{second}"
        QPainter.drawText(painter, box, Qt.AlignmentFlag.AlignTop, both)

    def mousePressEvent(self, _: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        self.chosen.emit(self.stage.id)

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802 - Qt's name
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.chosen.emit(self.stage.id)
        else:
            super().keyPressEvent(event)

    def enterEvent(self, event: QEnterEvent) -> None:  # noqa: N802 - Qt's name
        self._hover = True
        self.update()
        super().enterEvent(event)

    def leaveEvent(self, event: object) -> None:  # noqa: N802 - Qt's name
        self._hover = False
        self.update()
        super().leaveEvent(event)  # pyright: ignore[reportArgumentType] - QEvent by Qt's word


class Rail(QFrame):
    """All stages that work yet."""

    chosen = Signal(str)

    def __init__(
        self, theme: Theme, stages: Sequence[Stage], parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setObjectName("rail")
        self.setFixedWidth(WIDTH)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 8, 1, 8)
        layout.setSpacing(0)
        self.entries: dict[str, RailEntry] = {}
        for stage in stages:
            entry = RailEntry(theme, stage)
            entry.chosen.connect(self.chosen)
            layout.addWidget(entry, HIGH)
            self.entries[stage.id] = entry
        layout.addStretch(1)

    def show_current(self, stage: str) -> None:
        """Mark the stage that is shown; none when it is another page."""
        for name, entry in self.entries.items():
            entry.set_current(name == stage)

    def say(self, stage: str, status: str, sentence: str) -> None:
        """A stage's state and sentence."""
        self.entries[stage].say(status, sentence)
