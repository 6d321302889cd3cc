"""Trip counters of the shown pack, typed now and then; what grew, and what it means."""

from datetime import datetime, tzinfo

from PySide6.QtCore import Slot
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.theme import Theme
from nipper.app.widgets.basic import StatusMark, button, clear, label, scrolled
from nipper.app.widgets.field import UnitField
from nipper.app.widgets.units import UNITS
from nipper.core.report.keep import growth_words
from nipper.core.upkeep.trips import KIND, Counters, Trip, growths, kept

WHAT_FOR = (
    "What the BMS shows of trips so far, typed every few months: what grew between two readings "
    "tells what happened between two rows of a log. After each grave one, find the cause first."
)
PER_COLUMN = 6


class TripsPage(QWidget):
    """Fields for the counters, and their growth."""

    def __init__(
        self, document: Document, theme: Theme, zone: tzinfo, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._theme, self._zone = document, theme, zone
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.addWidget(label(WHAT_FOR, "soft", wrap=True))
        fields = QGridLayout()
        self.fields: dict[Trip, UnitField] = {}
        for i, trip in enumerate(Trip):
            field = UnitField("", trip.value, "as the BMS counts it", optional=True)
            field.set_bounds(0, 1_000_000)
            row, column = i % PER_COLUMN, 2 * (i // PER_COLUMN)
            fields.addWidget(label(trip.value), row, column)
            fields.addWidget(field, row, column + 1)
            self.fields[trip] = field
        fields.setColumnStretch(4, 1)
        layout.addLayout(fields)
        line = QHBoxLayout()
        self.keep = button("Note them", "", "With today's date")
        self.keep.clicked.connect(self._keep)
        self.told = label("", "soft")
        line.addWidget(self.keep)
        line.addWidget(self.told, 1)
        layout.addLayout(line)
        self._grid = QGridLayout()
        area = scrolled(self._grid)
        layout.addWidget(area, 1)

    @Slot()
    def refresh(self) -> None:
        """Show what was noted of the shown pack, and what grew."""
        readings = self._readings()
        self.told.setText("Nothing noted yet.")
        for trip, field in self.fields.items():
            before = readings[-1][1].counts.get(trip) if readings else None
            field.setPlaceholderText(UNITS.text("–" if before is None else f"{before}"))
        if readings:
            at = datetime.fromtimestamp(readings[-1][0], self._zone)
            self.told.setText(f"Last noted {at.day} {at:%b %Y}: shown pale in the fields.")
        events = [
            (e.time_s, e.note) for e in self._document.history.events()
            if e.kind != KIND and e.pack in (None, self._document.pack.id)
        ]  # fmt: skip
        clear(self._grid)
        found = growths(readings, events)
        for row, growth in enumerate(found):
            mark = StatusMark(self._theme)
            mark.set_status("watch" if growth.grave else "none")
            self._grid.addWidget(mark, row, 0)
            self._grid.addWidget(label(growth_words(growth, self._zone), wrap=True), row, 1)
        if len(readings) >= 2 and not found:
            self._grid.addWidget(label("No counter has grown since.", "soft"), 0, 1)
        self._grid.setColumnStretch(1, 1)
        self._grid.setRowStretch(max(1, len(found)), 1)

    def _readings(self) -> list[tuple[float, Counters]]:
        return kept(self._document.history.raw_events(), self._document.pack.id)

    @Slot()
    def _keep(self) -> None:
        """Keep what was typed; what was left empty stays as it was."""
        readings = self._readings()
        counts = dict(readings[-1][1].counts) if readings else {}
        typed = {t: int(f.value) for t, f in self.fields.items() if f.value is not None}
        if not typed:
            self.fields[Trip.SHORT_CIRCUIT].setFocus()
            return
        document = self._document
        note = Counters(counts=counts | typed).model_dump_json()
        document.history.add_event(document.bench.clock(), KIND, note, document.pack.id)
        for field in self.fields.values():
            field.set_value(None)
        self.refresh()
