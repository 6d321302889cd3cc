"""Labels, cards, rules and status marks: the plain parts of every page."""

from collections.abc import Generator, Iterable
from contextlib import contextmanager

from PySide6.QtCore import QEvent, QRect, QRectF, QSize, Qt, Signal, SignalInstance, Slot
from PySide6.QtGui import (
    QEnterEvent,
    QFocusEvent,
    QFont,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QWhatsThisClickedEvent,
)
from PySide6.QtWidgets import (
    QApplication,
    QButtonGroup,
    QDateEdit,
    QDateTimeEdit,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLayout,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from nipper.app.theme import BASE_PT, Theme, font
from nipper.app.theme.marks import STATUS_ROLE, STATUS_WORD, draw_status
from nipper.app.widgets.row import Row
from nipper.app.widgets.units import UNITS
from nipper.core.guide.words import word_in
from nipper.core.quantities import with_minus

SEMI = QFont.Weight.DemiBold


class Line(QLabel):
    """A text that is shown as its reader is used to it: units, dates, marks."""

    def __init__(self, text: str = "") -> None:
        super().__init__()
        self._said, self.as_it_is = "", False
        if text:
            self.setText(text)

    @property
    def said(self) -> str:
        """The text as it was given."""
        return self._said

    def keep_as_it_is(self) -> None:
        """Keep its numbers and units as they are, whatever the reader is used to."""
        self.as_it_is = True
        self.setText(self._said)

    def setText(self, text: str) -> None:  # noqa: N802 - Qt's name
        self._said = text
        plain = with_minus(text)
        super().setText(UNITS.in_words(plain) if self.as_it_is else UNITS.text(plain))


class Paragraph(Line):
    """Wrapped text exactly as high as its words need.

    Layouts in a scroll area ask for a height before they know the width.
    """

    def resizeEvent(self, event: QResizeEvent) -> None:  # noqa: N802 - Qt's name
        super().resizeEvent(event)
        self._fit()

    def setText(self, text: str) -> None:  # noqa: N802 - Qt's name
        super().setText(text)
        self._fit()

    def _fit(self) -> None:
        # measured by the font: the label's own answer never falls below the height it was last
        # given
        words = self.fontMetrics().boundingRect(
            QRect(0, 0, max(1, self.width()), 100_000), Qt.TextFlag.TextWordWrap, self.text()
        )
        if self.width() > 0:
            self.setFixedHeight(words.height() + 1 if self.text() else 0)


class Term(Line):
    """A word that is explained: a click asks the guide, as a link in What's this would."""

    def __init__(self, text: str, link: str) -> None:
        super().__init__(text)
        self._link = link
        self.setCursor(Qt.CursorShape.WhatsThisCursor)
        self.setFont(font(BASE_PT))

    def enterEvent(self, event: QEnterEvent) -> None:  # noqa: N802 - Qt's name
        self._underline(True)
        super().enterEvent(event)

    def leaveEvent(self, event: QEvent) -> None:  # noqa: N802 - Qt's name
        self._underline(False)
        super().leaveEvent(event)

    def _underline(self, on: bool) -> None:
        shown = self.font()
        shown.setUnderline(on)
        self.setFont(shown)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        if self.rect().contains(event.position().toPoint()):
            QApplication.sendEvent(self, QWhatsThisClickedEvent(self._link))


def term(text: str, link: str, role: str = "") -> QLabel:
    """The name of a field or a column, explained by the guide."""
    out = Term(text, link)
    if role:
        out.setProperty("role", role)
    return out


def dress(widget: QWidget, name: str, value: object) -> bool:
    """Give a property by which the style sheet dresses a widget; whether it is another one.

    Dressing a widget anew costs far more than setting its text.
    """
    if widget.property(name) == value:
        return False
    widget.setProperty(name, value)
    if widget.testAttribute(Qt.WidgetAttribute.WA_WState_Polished):  # else its first showing does
        widget.style().unpolish(widget)
        widget.style().polish(widget)
    return True


def label(
    text: str = "",
    role: str = "",
    size: float = BASE_PT,
    weight: QFont.Weight = QFont.Weight.Normal,
    wrap: bool = False,
) -> QLabel:
    """A line or paragraph of plain text (never read as markup); one that holds a word of the trade
    and is no heading is explained by the guide.
    """
    word = "" if wrap or size != BASE_PT or any(c.isdigit() for c in text) else word_in(text)
    out = Term(text, f"word:{word}") if word else (Paragraph if wrap else Line)(text)
    out.setTextFormat(Qt.TextFormat.PlainText)
    out.setFont(font(size, weight))
    if role:
        out.setProperty("role", role)
    out.setWordWrap(wrap)
    if wrap:
        out.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
    return out


def for_device(words: QLabel) -> QLabel:
    """A value that is typed into a device: in its own unit and with all its digits."""
    assert isinstance(words, Line)
    words.keep_as_it_is()
    return words


class Button(QPushButton):
    """A button whose words are shown as its reader is used to them."""

    def setText(self, text: str) -> None:  # noqa: N802 - Qt's name
        super().setText(UNITS.text(text))


def button(text: str, kind: str = "", tip: str = "") -> QPushButton:
    """A button: ``main`` for the page's one purpose, ``quiet`` for choices, ``bare`` for asides,
    plain for suggestions.
    """
    out = Button()
    out.setText(text)
    if kind:
        out.setProperty("kind", kind)
    if tip:
        out.setToolTip(UNITS.text(tip))
    if not text:
        out.setAccessibleName(UNITS.text(tip))
    out.setCursor(Qt.CursorShape.PointingHandCursor)
    return out


class TakeOut(Button):
    """Takes something out of the bench, once it was asked whether it shall go."""

    sure = Signal(int)

    def __init__(self, what: int, tip: str) -> None:
        super().__init__()
        self._what, self._asked = what, False
        self.setToolTip(UNITS.text(tip))
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.clicked.connect(self._clicked)
        self._ask(False)

    def focusOutEvent(self, event: QFocusEvent) -> None:  # noqa: N802 - Qt's name
        """Who goes elsewhere did not mean it."""
        super().focusOutEvent(event)
        self._ask(False)

    @Slot()
    def _clicked(self) -> None:
        sure = self._asked
        self._ask(not sure)  # first: who takes out the next one is asked again
        if sure:
            self.sure.emit(self._what)

    def _ask(self, asked: bool) -> None:
        self._asked = asked
        self.setText("Really take it out" if asked else "Take it out …")
        dress(self, "kind", "" if asked else "quiet")


def choices(titles: Iterable[str], group: QButtonGroup, chosen: int = 0) -> Row:
    """Quiet buttons of which one is pressed; the group tells which, by its place."""
    row = Row()
    for i, title in enumerate(titles):
        choice = button(title, "quiet")
        choice.setCheckable(True)
        choice.setChecked(i == chosen)
        group.addButton(choice, i)
        row.add(choice)
    return row


def page_head(title: str, left: SignalInstance, *widgets: QWidget) -> QHBoxLayout:
    """The head of a page beside the stages: its title, what belongs there, and the way back."""
    line, back = QHBoxLayout(), button("Back", "quiet")
    back.clicked.connect(left)
    line.addWidget(label(title, size=16, weight=SEMI), 1)
    for widget in (*widgets, back):
        line.addWidget(widget)
    return line


def card(margins: int = 12, spacing: int = 6) -> tuple[QFrame, QVBoxLayout]:
    """A raised frame and its layout."""
    frame = QFrame()
    frame.setObjectName("card")
    layout = QVBoxLayout(frame)
    layout.setContentsMargins(margins, margins - 2, margins, margins - 2)
    layout.setSpacing(spacing)
    return frame, layout


def scrolled(layout: QLayout) -> QScrollArea:
    """A place that scrolls when what is laid out in it is higher."""
    area, body = QScrollArea(), QWidget()
    body.setObjectName("scrolled")
    layout.setContentsMargins(0, 4, 8, 0)
    body.setLayout(layout)
    area.setWidget(body)
    area.setWidgetResizable(True)
    return area


def rule() -> QFrame:
    """A thin line across."""
    out = QFrame()
    out.setObjectName("rule")
    return out


def clear(layout: QLayout) -> None:
    """Take everything out of a layout."""
    while (item := layout.takeAt(0)) is not None:
        widget = item.widget()
        if widget is not None:
            widget.hide()
            widget.setParent(None)
            widget.deleteLater()
        else:
            inner = item.layout()
            if inner is not None:
                clear(inner)


@contextmanager
def refilled(layout: QLayout) -> Generator[None]:
    """Put other things into a layout: what stands around them is laid out once, not for each."""
    parent = layout.parentWidget()
    outer = parent.layout() if parent and parent.isVisible() else None
    if outer is not None:
        outer.setEnabled(False)
    try:
        clear(layout)
        yield
        if outer is not None:
            _show_in(layout)
    finally:
        if outer is not None:
            outer.setEnabled(True)
            outer.activate()


def _show_in(layout: QLayout) -> None:
    """Show what was put in, except what was hidden on purpose."""
    for i in range(layout.count()):
        item = layout.itemAt(i)
        widget, inner = (item.widget(), item.layout()) if item else (None, None)
        if inner is not None:
            _show_in(inner)
        elif widget is not None and not widget.testAttribute(
            Qt.WidgetAttribute.WA_WState_ExplicitShowHide
        ):
            widget.show()


def day_edit(edit: QDateTimeEdit, name: str) -> None:
    """Dress a field for a day, or a day and a time, by its name."""
    edit.setCalendarPopup(True)
    edit.setAccessibleName(UNITS.text(name))
    _show_days(edit)


def _show_days(edit: QDateTimeEdit) -> None:
    clock = "" if isinstance(edit, QDateEdit) else "  HH:mm"
    edit.setDisplayFormat(UNITS.day_format + clock)


def say_again() -> None:
    """Show every line anew, after another form was chosen."""
    for widget in QApplication.allWidgets():
        if isinstance(widget, Line):
            widget.setText(widget.said)
        elif isinstance(widget, QDateTimeEdit):
            _show_days(widget)
        else:
            widget.update()


class StatusMark(QWidget):
    """How things stand, as a shape; its word is the tooltip and the accessible name."""

    def __init__(self, theme: Theme, status: str = "none", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme, self._status = theme, status
        self.setFixedSize(QSize(13, 13))
        self.set_status(status)
        theme.changed.connect(self.update)

    @property
    def status(self) -> str:
        """ok, watch, act or none."""
        return self._status

    def set_status(self, status: str) -> None:
        """Show another status."""
        self._status = status
        self.setToolTip(UNITS.text(STATUS_WORD[status]))
        self.setAccessibleName(UNITS.text(STATUS_WORD[status]))
        self.update()

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        painter = QPainter(self)
        draw_status(
            painter,
            self._status,
            QRectF(1, 1, 11, 11),
            self._theme.colour(STATUS_ROLE[self._status]),
        )
        painter.end()
