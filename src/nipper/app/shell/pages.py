"""The pages of the window, one shown at a time.

Only the shown one asks for room, and a small screen scrolls it.
"""

from PySide6.QtCore import QEvent, QSize
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QWidget


class Pages(QWidget):
    """Without a layout: a stack's would ask for the room of its largest page, and of all their
    wrapped words.
    """

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self._pages: list[QWidget] = []
        self._current: QWidget | None = None

    def addWidget(self, page: QWidget) -> None:  # noqa: N802 - as Qt's stacks have it
        """Take a page in, hidden."""
        page.setParent(self)
        page.hide()
        self._pages.append(page)

    def removeWidget(self, page: QWidget) -> None:  # noqa: N802 - as Qt's stacks have it
        """Let a page go."""
        self._pages.remove(page)
        page.hide()
        if page is self._current:
            self._current = None

    def currentWidget(self) -> QWidget | None:  # noqa: N802 - as Qt's stacks have it
        """The page that is shown."""
        return self._current

    def setCurrentWidget(self, page: QWidget) -> None:  # noqa: N802 - as Qt's stacks have it
        """Show a page."""
        if page is self._current:
            return
        if self._current is not None:
            self._current.removeEventFilter(self)
            self._current.hide()
        self._current = page
        page.installEventFilter(self)
        self.updateGeometry()
        page.setGeometry(self.rect())
        page.show()

    def eventFilter(self, watched: object, event: QEvent) -> bool:  # noqa: N802 - Qt's name
        if event.type() == QEvent.Type.LayoutRequest:  # the page needs more room, or less
            self.updateGeometry()
        return False

    def minimumSizeHint(self) -> QSize:  # noqa: N802 - Qt's name
        return self._current.minimumSizeHint() if self._current else QSize()

    def sizeHint(self) -> QSize:  # noqa: N802 - Qt's name
        return self.minimumSizeHint()

    def resizeEvent(self, event: QResizeEvent) -> None:  # noqa: N802 - Qt's name
        super().resizeEvent(event)
        if self._current is not None:
            self._current.setGeometry(self.rect())
