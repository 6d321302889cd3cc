"""A line of widgets that goes on below where there is no room for all: longer words, a small
window.
"""

from PySide6.QtCore import QEvent, QRect, QSize
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QSizePolicy, QWidget


class Row(QWidget):
    """Exactly as high as its lines need.

    Layouts in a scroll area ask for a height before they know the width.
    """

    def __init__(self, *widgets: QWidget, spacing: int = 6) -> None:
        super().__init__()
        self._spacing, self._widgets = spacing, list[QWidget]()
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        for widget in widgets:
            self.add(widget)

    def add(self, widget: QWidget) -> None:
        """Put it behind the others."""
        self._widgets.append(widget)
        widget.setParent(self)

    def sizeHint(self) -> QSize:  # noqa: N802 - Qt's name
        """All in one line."""
        sizes = [_size(w) for w in self._shown()]
        width = sum(size.width() for size in sizes) + self._spacing * max(0, len(sizes) - 1)
        return QSize(width, max((size.height() for size in sizes), default=0))

    def minimumSizeHint(self) -> QSize:  # noqa: N802 - Qt's name
        """As wide as the widest."""
        width = max((_size(w).width() for w in self._shown()), default=0)
        return QSize(width, self.sizeHint().height())

    def resizeEvent(self, event: QResizeEvent) -> None:  # noqa: N802 - Qt's name
        super().resizeEvent(event)
        self._place()

    def event(self, event: QEvent) -> bool:
        """A widget in it that changed, came or went asks for a new arrangement."""
        if event.type() == QEvent.Type.LayoutRequest:
            self._place()
            self.updateGeometry()
        return super().event(event)

    def _shown(self) -> list[QWidget]:
        return [w for w in self._widgets if not w.isHidden()]

    def _place(self) -> None:
        lines: list[list[QWidget]] = [[]]
        left = 0
        for widget in self._shown():
            width = _size(widget).width()
            if lines[-1] and left + width > self.width():
                lines.append([])
                left = 0
            lines[-1].append(widget)
            left += width + self._spacing
        top = 0
        for line in lines:
            top = self._place_line(line, top) + self._spacing
        self.setFixedHeight(max(0, top - self._spacing))

    def _place_line(self, line: list[QWidget], top: int) -> int:
        """Side by side, in the middle of the line; where the line ends below."""
        sizes = [_size(w) for w in line]
        height, left = max((size.height() for size in sizes), default=0), 0
        for widget, size in zip(line, sizes, strict=True):
            up = (height - size.height()) // 2
            widget.setGeometry(
                QRect(left, top + up, min(size.width(), self.width()), size.height())
            )
            left += size.width() + self._spacing
        return top + height


def _size(widget: QWidget) -> QSize:
    """As a layout would have it."""
    hint = widget.sizeHint().expandedTo(widget.minimumSizeHint())
    return hint.expandedTo(widget.minimumSize()).boundedTo(widget.maximumSize())
