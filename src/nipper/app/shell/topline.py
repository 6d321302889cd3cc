"""The top line: the bench's name, its packs, how the settings stand against what was typed in,
finder, undo and redo.
"""

from collections.abc import Sequence
from datetime import datetime, tzinfo

from PySide6.QtCore import Signal, Slot
from PySide6.QtWidgets import QButtonGroup, QComboBox, QFrame, QHBoxLayout, QSizePolicy, QWidget

from nipper.app.theme import Theme
from nipper.app.theme.marks import icon
from nipper.app.widgets.basic import SEMI, button, clear, dress, label
from nipper.app.widgets.units import UNITS
from nipper.core.setup import Setup
from nipper.store import Pack, Revision

HEIGHT = 44
DIFFERS = " ≠"  # beside a pack that is set otherwise than the others


class TopLine(QFrame):
    """``pack_chosen`` carries the pack's id, ``scope_chosen`` whether only it is to be set."""

    pack_chosen = Signal(int)
    scope_chosen = Signal(bool)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("topLine")
        self.setFixedHeight(HEIGHT)
        self._theme = theme
        line = QHBoxLayout(self)
        line.setContentsMargins(18, 0, 14, 0)
        line.setSpacing(12)
        self.name = label("Nipper", size=13, weight=SEMI)
        self._packs, self.pack_group = QHBoxLayout(), QButtonGroup(self)
        self._packs.setSpacing(3)
        self.pack_group.idClicked.connect(self.pack_chosen)
        self.scope = QComboBox()
        self.scope.setAccessibleName(UNITS.text("which packs a change is made to"))
        self.scope.setToolTip(UNITS.text("Which packs a change of the settings is made to"))
        self.scope.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.scope.activated.connect(self._scope_picked)
        self.scope.hide()
        self.revision = label("", "soft")
        self.revision.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.finder = button("Find a command   Ctrl+K", "bare", "Finds a command by a few letters")
        self.undo, self.redo = button("", "bare", "Undo"), button("", "bare", "Redo")
        line.addWidget(self.name)
        line.addLayout(self._packs)
        line.addWidget(self.scope)
        line.addWidget(self.revision, 1)
        for widget in (self.finder, self.undo, self.redo):
            line.addWidget(widget)
        theme.changed.connect(self._dress)
        self._dress()

    @Slot()
    def _dress(self, *_: object) -> None:
        self.undo.setIcon(icon("undo", self._theme.colour("ink")))
        self.redo.setIcon(icon("redo", self._theme.colour("ink")))

    def show_nothing(self) -> None:
        """No bench is open."""
        clear(self._packs)
        self.scope.hide()
        self.name.setText("Nipper")
        self.revision.setText("")

    def show_setup(
        self, setup: Setup, typed: Sequence[Revision], changed: bool, zone: tzinfo
    ) -> None:
        """The name, and how the settings stand against the last that were typed in."""
        self.name.setText(_short(setup.name))
        self.name.setToolTip(UNITS.text(setup.name))
        text = "draft, not typed in yet"
        if typed:
            last = typed[-1]
            moment = datetime.fromtimestamp(last.time_s, zone)
            text = f"revision {len(typed)} · typed in {moment.day} {moment:%b}" + (
                " · changed since" if changed else ""
            )
        self.revision.setText(text)
        dress(self.revision, "role", "copper" if changed else "soft")

    def show_packs(self, packs: Sequence[Pack], shown: int) -> None:
        """A button a pack, where there are several."""
        clear(self._packs)
        for old in self.pack_group.buttons():
            self.pack_group.removeButton(old)
        if len(packs) < 2:
            return
        for pack in packs:
            choice = button(_short(pack.name, 16), "quiet", f"Show {pack.name}")
            choice.setCheckable(True)
            choice.setChecked(pack.id == shown)
            self.pack_group.addButton(choice, pack.id)
            self._packs.addWidget(choice)

    def show_scope(self, pack: str, only_shown: bool, own: Sequence[int]) -> None:
        """Whether all packs are set alike or the shown one by itself; which of them differ."""
        self.scope.setVisible(len(own) > 1)
        self.scope.clear()
        self.scope.addItems(UNITS.texts(["set all packs", f"set only {_short(pack, 16)}"]))
        self.scope.setCurrentIndex(int(only_shown))
        for choice, count in zip(self.pack_group.buttons(), own, strict=False):
            name = choice.text().removesuffix(DIFFERS)  # the builder's own: in no language
            choice.setText(name + DIFFERS if count else name)
            told = f": {count} settings of its own" if count else ""
            choice.setToolTip(UNITS.text(f"Show {name}{told}"))

    @Slot(int)
    def _scope_picked(self, index: int) -> None:
        self.scope_chosen.emit(index == 1)


def _short(text: str, most: int = 34) -> str:
    return text if len(text) <= most else text[: most - 1] + "…"
