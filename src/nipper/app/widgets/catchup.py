"""What is not drawn while nobody looks at it, and catches up when somebody does."""

from collections.abc import Callable

from PySide6.QtCore import QObject, Qt, SignalInstance, Slot
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QWidget


class CatchesUp(QWidget):
    """A view or figure that is not drawn anew at each change, but once, when it is shown."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._stale: dict[Callable[[], None], None] = {}

    def follow(self, show: Callable[[], None], *signals: SignalInstance) -> None:
        """Show this anew whenever one of the signals comes."""
        ear = _Ear(self, show)
        for signal in signals:
            signal.connect(ear.hear)

    def later(self, show: Callable[[], None]) -> None:
        """Show this now, or when it is looked at again."""
        if _put_away(self):
            self._stale[show] = None
        else:
            show()

    def showEvent(self, event: QShowEvent) -> None:  # noqa: N802 - Qt's name
        """Catch up with what changed meanwhile; what fails keeps nothing else from being shown."""
        stale, self._stale = self._stale, {}
        failed: list[Exception] = []
        for show in stale:
            try:
                show()
            except Exception as error:
                failed.append(error)
        super().showEvent(event)
        if failed:
            raise failed[0]


class _Ear(QObject):
    """Hears signals, whatever they carry, and has something shown anew."""

    def __init__(self, view: CatchesUp, show: Callable[[], None]) -> None:
        super().__init__(view)
        self._view, self._show = view, show

    @Slot()
    def hear(self) -> None:
        """Something changed."""
        self._view.later(self._show)


def _put_away(widget: QWidget | None) -> bool:
    """Whether it, or what it lies in, was hidden on purpose."""
    on_purpose = Qt.WidgetAttribute.WA_WState_ExplicitShowHide
    while widget is not None:
        if widget.isHidden() and widget.testAttribute(on_purpose):
            return True
        widget = None if widget.isWindow() else widget.parentWidget()
    return False
