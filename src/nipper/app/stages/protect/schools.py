"""The schools of limits side by side: what each costs and brings for this pack, and a button that
takes one.
"""

from PySide6.QtCore import Qt, Signal, Slot
from PySide6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from nipper.app.theme import BASE_PT
from nipper.app.widgets.basic import SEMI, button, clear, label
from nipper.core.rules.schools import SOURCE, LimitSchool

HEADINGS = ("", "charge to", "trips at", "usable", "room to the trip", "empty to dark", "")


class SchoolTable(QWidget):
    """``taken`` carries the school."""

    taken = Signal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._schools: list[LimitSchool] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(6, 8, 6, 6)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(16)
        self._grid.setVerticalSpacing(12)
        layout.addLayout(self._grid)
        self._told = label("", "soft", BASE_PT - 0.5, wrap=True)
        layout.addSpacing(8)
        layout.addWidget(self._told)
        layout.addStretch(1)

    def show_schools(self, schools: list[LimitSchool], measured: bool) -> None:
        """Show what each school means for this pack."""
        self._schools = schools
        grid = self._grid
        clear(grid)
        for column, heading in enumerate(HEADINGS):
            grid.addWidget(
                label(heading, "soft", BASE_PT - 0.5),
                0,
                column,
                Qt.AlignmentFlag.AlignRight if column else Qt.AlignmentFlag.AlignLeft,
            )
        for row, school in enumerate(schools, 1):
            self._row(row, school)
        grid.setColumnStretch(0, 1)
        room = (
            "at the deviation measured at the top of the last full charge"
            if measured
            else "with 20 mV between the highest cell and the mean, as no log says more"
        )
        self._told.setText(
            "Usable: one pack, between the charge target and the under-voltage trip, by the "
            f"chemistry's rest curve. Room: from the highest cell to its trip, {room}. Empty to "
            "dark: from the under-voltage trip until the BMS powers off, at its own draw. "
            f"Values: {SOURCE}, never beyond the cell's sheet."
        )

    def _row(self, row: int, school: LimitSchool) -> None:
        grid = self._grid
        name = QVBoxLayout()
        name.setSpacing(0)
        name.addWidget(label(school.title, weight=SEMI, size=BASE_PT + 1.5))
        if school.text:
            name.addWidget(label(school.text, "soft", BASE_PT - 0.5, wrap=True))
        grid.addLayout(name, row, 0)
        if school.days_after_trip is None:
            days = "–"
        elif school.days_after_trip < 10:
            days = f"{school.days_after_trip:.1f} days"
        else:
            days = f"{school.days_after_trip:.0f} days"
        if school.room_mv <= 0:
            role = "act"
        elif school.room_mv < 50:
            role = "watch"
        else:
            role = ""
        texts = (
            f"{school.top_v:.3f} V",
            f"{school.low_trip_v:.2f} to {school.high_trip_v:.2f} V",
            f"{school.usable_ah:.1f} Ah",
            f"{school.room_mv:.0f} mV",
            days,
        )
        for column, text in enumerate(texts, 1):
            grid.addWidget(
                label(
                    text,
                    role if column == 4 else "",
                    BASE_PT + 1,
                    SEMI if column in (3, 4) else label().font().weight(),
                ),
                row,
                column,
                Qt.AlignmentFlag.AlignRight,
            )
        if school.followed:
            grid.addWidget(label("followed", "ok"), row, 6)
        elif school.changes:
            take = button(
                "Take",
                tip=f"{school.title}: sets {len(school.changes)} limits and targets; can be undone",
            )
            take.setProperty("row", row - 1)
            take.clicked.connect(self._take)
            grid.addWidget(take, row, 6)

    @Slot()
    def _take(self) -> None:
        self.taken.emit(self._schools[self.sender().property("row")])
