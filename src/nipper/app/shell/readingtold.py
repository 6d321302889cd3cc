"""What a reading by hand says: the deviation large, its meaning, the charges to come, and the
readings before it.
"""

from collections.abc import Sequence
from datetime import datetime, tzinfo
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from nipper.app.theme import Theme
from nipper.app.widgets.basic import SEMI, StatusMark, clear, label
from nipper.core.setup import Setup

if TYPE_CHECKING:
    from nipper.core.forecast.reading import Target
    from nipper.core.imbalance.snapshot import Snapshot

BIG_PT = 30.0
MOST_BEFORE = 6


class ReadingTold(QFrame):
    """The answer beside the fields."""

    def __init__(self, theme: Theme, zone: tzinfo, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("card")
        self._theme, self._zone = theme, zone
        self.big, self._under = label("", size=BIG_PT, weight=SEMI), label("", "soft", wrap=True)
        self.since = label("", weight=SEMI, wrap=True)
        self._says, self._targets, self._before = QVBoxLayout(), QGridLayout(), QGridLayout()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 10, 14, 10)
        layout.setSpacing(8)
        for widget in (self.big, self._under, self.since):
            layout.addWidget(widget)
        self._says.setSpacing(6)
        for grid in (self._targets, self._before):
            grid.setHorizontalSpacing(18)
            grid.setVerticalSpacing(3)
        for part in (self._says, self._targets, self._before):
            layout.addLayout(part)
        layout.addStretch(1)

    def show_reading(
        self,
        shot: "Snapshot | None",
        earlier: Sequence["Snapshot"],
        setup: Setup,
        doubts: Sequence[str] = (),
    ) -> None:
        """Show what a reading says; None: there is none yet. ``earlier`` ones oldest first;
        ``doubts`` of what else the screen shows.
        """
        for part in (self._says, self._targets):
            clear(part)
        self._show_before(earlier)
        for doubt in doubts:
            self._say("watch", doubt)
        if shot is None:
            self.big.setText("–")
            self._under.setText("Type the cells, and the current if the screen shows it.")
            self.since.setText("")
            return
        from nipper.core.forecast.reading import between, targets
        from nipper.core.report.reading import heading, says, since

        number, _, condition = heading(shot).partition(" at ")
        self.big.setText(number)
        self._under.setText(f"between the highest and the lowest cell, at {condition}")
        last = next((e for e in reversed(earlier) if e.time_s < shot.time_s), None)
        self.since.setText(since(between(last, shot, setup)) if last else "")
        found = targets(shot, setup)
        for said in says(shot, found):
            self._say(said.status, f"{said.lead} {said.text}")
        self._show_targets(found)

    def _say(self, status: str, words: str) -> None:
        line, mark = QHBoxLayout(), StatusMark(self._theme)
        mark.set_status(status)
        line.addWidget(mark, 0, Qt.AlignmentFlag.AlignTop)
        line.addWidget(label(words, wrap=True), 1)
        self._says.addLayout(line)

    def _show_targets(self, found: Sequence["Target"]) -> None:
        if not found:
            return
        heads = ("Charged to", "highest cell comes to", "")
        for column, text in enumerate(heads):
            self._targets.addWidget(label(text, "soft"), 0, column)
        for row, target in enumerate(found, 1):
            ends = f"cell {target.cell} trips" if target.trips else f"cell {target.cell}"
            words = (f"{target.cell_target_v:.2f} V a cell", f"{target.highest_v:.2f} V", ends)
            for column, text in enumerate(words):
                self._targets.addWidget(label(text, "act" if target.trips else ""), row, column)
        self._targets.setColumnStretch(3, 1)

    def _show_before(self, earlier: Sequence["Snapshot"]) -> None:
        clear(self._before)
        if not earlier:
            return
        self._before.addWidget(label("Readings before", weight=SEMI), 0, 0, 1, 4)
        for row, shot in enumerate(reversed(earlier[-MOST_BEFORE:]), 1):
            at = datetime.fromtimestamp(shot.time_s, self._zone)
            amps = "" if shot.current_a != shot.current_a else f"{shot.current_a:+g} A"
            words = (
                *(f"{at.day} {at:%b %Y  %H:%M}", f"{shot.deviation_mv:.0f} mV"),
                *(f"at {shot.mean_v:.3f} V", amps.replace("-", "−")),
            )
            for column, text in enumerate(words):
                self._before.addWidget(label(text, "" if column == 1 else "soft"), row, column)
        self._before.setColumnStretch(4, 1)
