"""What follows: consequences in short sentences with numbers, most serious first, each with its
place, its why and its cure.
"""

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal, Slot
from PySide6.QtWidgets import QFrame, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from nipper.app.theme import BASE_PT, Theme
from nipper.app.widgets.basic import SEMI, StatusMark, button, label, rule
from nipper.app.widgets.units import UNITS
from nipper.core.report.consequence import Consequence

WIDTH = 292
MOST_SPARE = 6  # entries that wait for something to say


class FollowsEntry(QWidget):
    """One consequence."""

    applied = Signal(object)
    went = Signal(str)
    pointed = Signal(object)

    def __init__(
        self, theme: Theme, consequence: Consequence, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.consequence = consequence
        outer = QHBoxLayout(self)
        outer.setContentsMargins(0, 8, 0, 8)
        outer.setSpacing(8)
        outer.addWidget(StatusMark(theme, str(consequence.status)), 0, Qt.AlignmentFlag.AlignTop)
        inside = QVBoxLayout()
        inside.setSpacing(3)
        self._lead = label(consequence.lead, weight=SEMI, wrap=True)
        self._text = label(consequence.text, wrap=True)
        inside.addWidget(self._lead)
        inside.addWidget(self._text)
        if not consequence.text:
            self._text.hide()
        self._why = label(consequence.why, "soft", wrap=True)
        self._why.setVisible(False)
        foot = QHBoxLayout()
        foot.setSpacing(4)
        self._place = label(consequence.place, "soft", BASE_PT - 1, wrap=True)
        foot.addWidget(self._place, 1)
        if consequence.why:
            self.why_button = button("why", "bare", consequence.why)
            self.why_button.setCheckable(True)
            self.why_button.toggled.connect(self._why.setVisible)
            foot.addWidget(self.why_button, 0, Qt.AlignmentFlag.AlignTop)
        inside.addLayout(foot)
        inside.addWidget(self._why)
        if consequence.suggestion or consequence.goto:
            self.act = button(
                consequence.label or "Apply", tip="Can be undone" if consequence.suggestion else ""
            )
            self.act.clicked.connect(self._act)
            inside.addWidget(self.act, 0, Qt.AlignmentFlag.AlignLeft)
        outer.addLayout(inside, 1)

    def tell(self, consequence: Consequence) -> None:
        """Say something of the same shape in its place: dressing a new entry costs far more."""
        if consequence.settings != self.consequence.settings and consequence.why:
            self.why_button.setChecked(False)
        self.consequence = consequence
        self._lead.setText(consequence.lead)
        self._text.setText(consequence.text)
        self._place.setText(consequence.place)
        self._why.setText(consequence.why)
        if consequence.why:
            self.why_button.setToolTip(UNITS.text(consequence.why))
        if consequence.suggestion or consequence.goto:
            self.act.setText(consequence.label or "Apply")

    @Slot()
    def _act(self) -> None:
        if self.consequence.goto:
            self.went.emit(self.consequence.goto)
        else:
            self.applied.emit(self.consequence)

    def mousePressEvent(self, event: object) -> None:  # noqa: N802 - Qt's name
        """Point at the setting it speaks of."""
        self.pointed.emit(self.consequence)
        super().mousePressEvent(event)  # pyright: ignore[reportArgumentType] - QMouseEvent by Qt's word


def _shape(consequence: Consequence) -> tuple[object, ...]:
    """What an entry is made of: with the same it can say other words."""
    acts = bool(consequence.suggestion), bool(consequence.goto)
    return consequence.status, bool(consequence.text), bool(consequence.why), *acts


class Follows(QFrame):
    """The panel on the right of every stage."""

    applied = Signal(object)  # Consequence
    went = Signal(str)
    pointed = Signal(object)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._shown: tuple[Consequence, ...] = ()
        self._spare: list[FollowsEntry] = []
        self.setObjectName("follows")
        self.setFixedWidth(WIDTH)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(16, 16, 2, 8)
        outer.setSpacing(6)
        outer.addWidget(label("What follows", weight=SEMI, size=BASE_PT + 1))
        area, body = QScrollArea(), QWidget()
        body.setObjectName("followsBody")
        self._list = QVBoxLayout(body)
        self._list.setContentsMargins(0, 0, 12, 0)
        self._list.setSpacing(0)
        area.setWidget(body)
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        outer.addWidget(area, 1)

    @property
    def shown(self) -> tuple[Consequence, ...]:
        """What is shown now."""
        return self._shown

    def entries(self) -> list[FollowsEntry]:
        """The entries, in order."""
        items = (self._list.itemAt(i) for i in range(self._list.count()))
        return [w for item in items if item and isinstance(w := item.widget(), FollowsEntry)]

    def show_all(self, consequences: Sequence[Consequence]) -> None:
        """Show these.

        An entry whose words have not changed keeps its widget, so that a drag neither flickers nor
        costs a rebuild.
        """
        new = tuple(consequences)
        if new == self._shown:
            return
        if not self._exchange(new):
            self._rebuild(new)
        self._shown = new

    def _exchange(self, new: Sequence[Consequence]) -> bool:
        """Have entries say the new words where they stand, so that the others are neither moved nor
        painted; False where there are more or fewer, or of another shape.
        """
        entries = self.entries()
        if len(entries) != len(new):
            return False
        if any(_shape(e.consequence) != _shape(c) for e, c in zip(entries, new, strict=True)):
            return False
        for entry, consequence in zip(entries, new, strict=True):
            if entry.consequence != consequence:
                entry.tell(consequence)
        return bool(entries)

    def _rebuild(self, new: Sequence[Consequence]) -> None:
        kept = {entry.consequence: entry for entry in self.entries() if entry.consequence in new}
        self._spare += [entry for entry in self.entries() if entry.consequence not in kept]
        while (item := self._list.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None and not isinstance(widget, FollowsEntry):
                widget.hide()
                widget.deleteLater()
        for consequence in new:
            self._list.addWidget(rule())
            self._list.addWidget(
                kept.get(consequence) or self._again(consequence) or self._entry(consequence)
            )
        if not new:
            self._list.addWidget(rule())
            self._list.addWidget(label("Nothing yet.", "soft"))
        self._list.addStretch(1)
        self._put_aside()

    def _again(self, consequence: Consequence) -> FollowsEntry | None:
        """One that is not needed any more says it: as a limit is dragged findings come and go."""
        alike = [e for e in self._spare if _shape(e.consequence) == _shape(consequence)]
        if not alike:
            return None
        same = [e for e in alike if e.consequence.settings == consequence.settings]
        entry = (same or alike)[-1]
        self._spare.remove(entry)
        entry.tell(consequence)
        entry.show()
        return entry

    def _put_aside(self) -> None:
        for entry in self._spare:
            entry.hide()
        for entry in self._spare[:-MOST_SPARE]:
            entry.deleteLater()
        self._spare = self._spare[-MOST_SPARE:]

    def _entry(self, consequence: Consequence) -> FollowsEntry:
        entry = FollowsEntry(self._theme, consequence)
        entry.applied.connect(self.applied)
        entry.went.connect(self.went)
        entry.pointed.connect(self.pointed)
        return entry
