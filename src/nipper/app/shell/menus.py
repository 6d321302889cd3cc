"""Menus, shortcuts and the command finder, all made from the one list of actions."""

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Slot
from PySide6.QtGui import QAction, QKeySequence

from nipper.app.actions import Action, Menu
from nipper.app.shell.finder import Finder
from nipper.app.widgets.units import UNITS

if TYPE_CHECKING:
    from nipper.app.shell.window import Window


class Menus(QObject):
    """Runs an action wherever it was chosen, if it can run now."""

    def __init__(self, window: "Window", actions: tuple[Action, ...]) -> None:
        super().__init__(window)
        self._window, self.actions = window, actions
        self._entries: list[QAction] = []
        for menu in Menu:
            bar = window.menuBar().addMenu(UNITS.text(str(menu)))
            bar.aboutToShow.connect(self._refresh)
            for action in (a for a in actions if a.menu is menu):
                bar.addAction(self._entry(action))
        self._finder = Finder(actions, window)
        self._finder.chosen.connect(self.run)

    def _entry(self, action: Action) -> QAction:
        entry = QAction(UNITS.text(action.title), self)
        entry.setToolTip(UNITS.text(action.help))
        entry.setStatusTip(UNITS.text(action.help))
        if action.keys:
            entry.setShortcut(QKeySequence(action.keys))
        entry.setData(action)
        entry.triggered.connect(self._triggered)
        self._entries.append(entry)
        return entry

    def _can_run(self, action: Action) -> bool:
        return action.enabled is None or action.enabled(self._window)

    @Slot()
    def _refresh(self) -> None:
        for entry in self._entries:
            entry.setEnabled(self._can_run(entry.data()))

    @Slot()
    def _triggered(self) -> None:
        sender = self.sender()
        assert isinstance(sender, QAction)
        self.run(sender.data())

    @Slot(object)
    def run(self, action: Action) -> None:
        """Run an action, if it can run now."""
        if self._can_run(action):
            action.run(self._window)

    @Slot()
    def find(self) -> None:
        """Open the command finder."""
        from nipper.app.shell.places import places

        can_run = [a for a in self.actions if self._can_run(a)]
        self._finder.open_over(self._window, can_run, places(self._window))
