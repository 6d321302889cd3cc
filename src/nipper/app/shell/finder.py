"""The command finder: type a few letters of what you want to do."""

from collections.abc import Sequence

from PySide6.QtCore import QEvent, QObject, QPoint, Qt, Signal, Slot
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QFrame, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from nipper.app.actions import Action
from nipper.app.widgets.units import UNITS

LEAST_LETTERS, MOST = 2, 60


def matches(action: Action, words: str) -> bool:
    """Whether every word typed stands in the action's title, menu or help."""
    told = f"{UNITS.both(action.title)} {UNITS.both(str(action.menu))} {action.help}"
    text = told.lower()
    return all(word in text for word in words.lower().split())


class Finder(QFrame):
    """A line and a list over the page; Enter runs, Escape leaves."""

    chosen = Signal(object)

    def __init__(self, actions: Sequence[Action], parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("card")
        self._actions = actions
        self._offered: list[Action] = []
        self._places: Sequence[Action] = ()
        self.line, self.list = (
            QLineEdit(
                placeholderText=UNITS.text(
                    "A command, a setting, a finding, a cell, an event, a word"
                )
            ),
            QListWidget(),
        )
        self.line.setAccessibleName(UNITS.text("Find a command"))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 8, 8, 8)
        layout.addWidget(self.line)
        layout.addWidget(self.list)
        self.resize(460, 330)
        self.line.textChanged.connect(self._fill)
        self.line.installEventFilter(self)
        self.list.itemActivated.connect(self._run)
        self.list.itemClicked.connect(self._run)

    def open_over(
        self, widget: QWidget, enabled: Sequence[Action], places: Sequence[Action] = ()
    ) -> None:
        """Show it over the middle of a widget, with the actions that can run now; places are
        offered once something is typed.
        """
        self._places = places
        self._offered = [a for a in self._actions if a in enabled]
        self.line.clear()
        self._fill("")
        self.move(widget.mapToGlobal(QPoint((widget.width() - self.width()) // 2, 70)))
        self.show()
        self.line.setFocus()

    @Slot(str)
    def _fill(self, text: str) -> None:
        self.list.clear()
        places = self._places if len(text.strip()) >= LEAST_LETTERS else ()
        found = [a for a in (*self._offered, *places) if matches(a, text)]
        found.sort(
            key=lambda a: UNITS.text(a.title).lower() != text.strip().lower()
        )  # itself before the rest
        for action in found[:MOST]:
            item = QListWidgetItem(UNITS.text(f"{action.title}   {action.keys}".rstrip()))
            item.setToolTip(UNITS.text(action.help))
            item.setData(Qt.ItemDataRole.UserRole, action)
            self.list.addItem(item)
        self.list.setCurrentRow(0)

    @Slot(QListWidgetItem)
    def _run(self, item: QListWidgetItem) -> None:
        action = item.data(Qt.ItemDataRole.UserRole)
        self.hide()
        self.chosen.emit(action)

    def eventFilter(self, _: QObject, event: QEvent) -> bool:  # noqa: N802 - Qt's name
        """Arrow keys move in the list while one types."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
                step = 1 if event.key() == Qt.Key.Key_Down else -1
                self.list.setCurrentRow(
                    min(max(self.list.currentRow() + step, 0), self.list.count() - 1)
                )
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.list.currentItem():
                self._run(self.list.currentItem())
                return True
        return False
