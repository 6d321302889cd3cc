"""The capacity test: how it goes, those in the log, and the results over the years."""

from datetime import datetime, tzinfo

from PySide6.QtCore import QDate, Slot
from PySide6.QtWidgets import QDateEdit, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.theme import BASE_PT, Theme
from nipper.app.widgets.basic import SEMI, button, clear, day_edit, label, scrolled
from nipper.app.widgets.field import UnitField
from nipper.core.assembly.capacity import CapacityResult, capacity_tests, plan
from nipper.core.report.assembly import capacity_words, plan_words, since_words

TYPED = (
    ("ah", "Ah", "counted", 0.01, 100_000.0),
    ("amps", "A", "at a current of", 0.01, 5000.0),
    ("cell", "", "ended by cell", 1.0, 200.0),
    ("temp_c", "°C", "cells at", -40.0, 80.0),
)
SAME_S = 3600.0  # a test of the log within this of a kept one is that one


class CapacityPage(QWidget):
    """Plan, results of the log, typed ones, and what was kept."""

    def __init__(
        self, document: Document, theme: Theme, zone: tzinfo, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._zone = document, zone
        self._found: list[tuple[float, CapacityResult]] = []
        self._of: object = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        line = QHBoxLayout()
        self.amps = UnitField("A", "current of the test", "of one pack, held", optional=True)
        self.amps.set_bounds(0.1, 5000.0)
        self.amps.entered.connect(self._asked)
        line.addWidget(label("Test one pack at"))
        line.addWidget(self.amps)
        line.addStretch(1)
        layout.addLayout(line)
        self.plan = label("", wrap=True)
        layout.addWidget(self.plan)
        layout.addSpacing(6)
        self.since = label("", size=13, weight=SEMI, wrap=True)
        layout.addWidget(self.since)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(14)
        area = scrolled(self._grid)
        layout.addWidget(area, 1)
        layout.addLayout(self._typing())

    def _typing(self) -> QGridLayout:
        """A result that was read off a display or a meter."""
        grid = QGridLayout()
        self.typed: dict[str, UnitField] = {}
        self.day = QDateEdit(QDate.currentDate())
        day_edit(self.day, "the day of the test")
        self.day.setMaximumDate(QDate.currentDate())
        grid.addWidget(label("A result read elsewhere", "soft"), 0, 0)
        grid.addWidget(self.day, 1, 0)
        for column, (name, unit, title, least, most) in enumerate(TYPED, 1):
            field = UnitField(unit, title, optional=True)
            field.set_bounds(least, most)
            grid.addWidget(label(title, "soft"), 0, column)
            grid.addWidget(field, 1, column)
            self.typed[name] = field
        self.add = button("Keep it", "", "A result of that day")
        self.add.clicked.connect(self._keep_typed)
        grid.addWidget(self.add, 1, len(TYPED) + 1)
        grid.setColumnStretch(len(TYPED) + 2, 1)
        return grid

    @Slot(object)
    def _asked(self, _: float | None) -> None:
        self.refresh()

    @Slot()
    def refresh(self) -> None:
        """Show plan and results of the shown pack."""
        document, setup = self._document, self._document.setup
        self.plan.setText(plan_words(plan(setup, self.amps.value), setup))
        record = document.record
        if record is not self._of:
            self._of = record
            known = record.diagnosis.estimate.full if record else []
            self._found = capacity_tests(record.log, setup, known) if record else []
        kept = document.history.capacity_tests(document.pack.id)
        self.since.setText(since_words(kept))
        clear(self._grid)
        row = 0
        for at_s, result in reversed(kept):
            row = self._line(row, at_s, result, None)
        for i, (at_s, result) in enumerate(self._found):
            if not any(abs(at_s - known) < SAME_S for known, _ in kept):
                row = self._line(row, at_s, result, i)
        if row == 0:
            self._grid.addWidget(
                label("No test yet: none is kept, and the log holds no discharge from full to the "
                      "first empty cell.", "soft", wrap=True), 0, 0, 1, 3,
            )  # fmt: skip
            row = 1
        self._grid.setColumnStretch(1, 1)
        self._grid.setRowStretch(row, 1)

    def _line(self, row: int, at_s: float, result: CapacityResult, found: int | None) -> int:
        at = datetime.fromtimestamp(at_s, self._zone)
        self._grid.addWidget(label(f"{at.day} {at:%b %Y}", weight=SEMI), row, 0)
        left = [f"cell {i}: {ah:.1f}" for i, ah in enumerate(result.left_ah, 1)
                if ah is not None and ah > 0.05]  # fmt: skip
        more = f"\nStill held at the end, Ah: {', '.join(left)}." if left else ""
        self._grid.addWidget(label(capacity_words(result) + more, size=BASE_PT, wrap=True), row, 1)
        if found is not None:
            keep = button("Keep it", "", "A test found in the log")
            keep.setProperty("test", found)
            keep.clicked.connect(self._keep_found)
            self._grid.addWidget(keep, row, 2)
        return row + 1

    @Slot()
    def _keep_found(self) -> None:
        at_s, result = self._found[int(self.sender().property("test"))]
        self._document.history.keep_capacity(at_s, result, self._document.pack.id)
        self.refresh()

    @Slot()
    def _keep_typed(self) -> None:
        ah = self.typed["ah"].value
        if not ah:
            self.typed["ah"].setFocus()
            return
        cell = self.typed["cell"].value
        result = CapacityResult(
            ah=ah,
            amps=self.typed["amps"].value,
            cell=int(cell) if cell and cell <= self._document.setup.cells else None,
            temp_c=self.typed["temp_c"].value,
            label_ah=self._document.setup.capacity_ah,
        )
        document = self._document
        day = self.day.date()
        noon = datetime(day.year(), day.month(), day.day(), 12, tzinfo=self._zone)
        document.history.keep_capacity(noon.timestamp(), result, document.pack.id)
        for field in self.typed.values():
            field.set_value(None)
        self.refresh()
