"""A reading by hand: what a screen shows, typed in; what it says at once, and against the reading
before.
"""

from collections.abc import Iterable
from datetime import datetime, tzinfo
from typing import TYPE_CHECKING

from PySide6.QtCore import QDate, QDateTime, Qt, QTime, Signal, Slot
from PySide6.QtWidgets import (
    QCompleter,
    QDateTimeEdit,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPlainTextEdit,
    QVBoxLayout,
    QWidget,
)

from nipper.app.document import Document
from nipper.app.shell.readingtold import ReadingTold
from nipper.app.theme import BASE_PT, Theme
from nipper.app.widgets.basic import SEMI, button, card, day_edit, label, page_head, scrolled
from nipper.app.widgets.field import UnitField
from nipper.app.widgets.units import UNITS
from nipper.core.errors import RangeError
from nipper.core.upkeep.screen import KIND, Screen, doubts, kept
from nipper.core.upkeep.trips import Trip

if TYPE_CHECKING:
    from nipper.core.imbalance.snapshot import Snapshot
    from nipper.core.logs.model import Log

CELLS_HELP = (
    "All cells one after another, in V or mV, as the screen shows them or a table holds them. Or "
    "single ones by their number, where only the highest and the lowest are shown: 7: 3.512  "
    "2: 3.431"
)
WHAT_FOR = (
    "No log is needed: one reading near the end of a charge tells how far the cells are apart in "
    "charge. What is kept stands in the record like any log."
)
FIELDS = (
    ("current_a", "A", "Current", "charging is positive", (-10_000.0, 10_000.0)),
    ("pack_v", "V", "Pack voltage", "held against the sum of the cells", (0.5, 2000.0)),
    ("soc_pct", "%", "Charge counted", "held against the rest voltage", (0.0, 120.0)),
    ("temp_c", "°C", "Coldest cell", "by its sensor", (-60.0, 120.0)),
    ("switches_c", "°C", "Switches", "of the BMS, if it shows them", (-60.0, 200.0)),
    ("remaining_ah", "Ah", "Charge left", "as it counts, if it shows it", (0.0, 1e5)),
    ("full_ah", "Ah", "Full charge", "what it takes for 100 %", (0.1, 1e5)),
    ("cycles", "", "Cycles", "its own count", (0.0, 1e6)),
)
BESIDE = ("switches_c", "remaining_ah", "full_ah", "cycles")  # kept as an event, not as a log
ALARMS_HELP = "as the screen names them; their counters are kept in Keep, Trips"


class ReadingPage(QWidget):
    """``left`` when the user goes back."""

    left = Signal()

    def __init__(
        self, document: Document, theme: Theme, zone: tzinfo, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self._document, self._zone = document, zone
        self._log: Log | None = None
        self._earlier: list[Snapshot] = []
        self._screens: list[tuple[float, Screen]] = []
        self._of = document.pack.id
        self.fields: dict[str, UnitField] = {}
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 14, 24, 16)
        layout.setSpacing(10)
        self.keep = button("Keep this reading", "main", "Into the record of the shown pack")
        self.keep.clicked.connect(self.keep_reading)
        self.keep_and_on = button(
            "Keep, next pack", "", "Keeps it, and begins the next pack's at the same minute"
        )
        self.keep_and_on.clicked.connect(self.keep_and_go_on)
        head = page_head("A reading by hand", self.left, self.keep_and_on, self.keep)
        layout.addLayout(head)
        layout.addWidget(label(WHAT_FOR, "soft", wrap=True))
        columns = QHBoxLayout()
        columns.setSpacing(14)
        self.told = ReadingTold(theme, zone)
        columns.addWidget(self._typed(), 4)
        told = QVBoxLayout()
        told.setContentsMargins(0, 0, 0, 0)
        told.addWidget(self.told)
        columns.addWidget(scrolled(told), 5)
        layout.addLayout(columns, 1)
        document.records.changed.connect(self._read_anew)
        document.pack_changed.connect(self.refresh)

    def _typed(self) -> QFrame:
        frame, inside = card()
        self._pack = label("", weight=SEMI)
        inside.addWidget(self._pack)
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(6)
        self.at = QDateTimeEdit()
        day_edit(self.at, "Time of the reading")
        self.at.dateTimeChanged.connect(self._judge)
        now = button("now", "quiet", "The present moment")
        now.setMaximumWidth(70)
        now.clicked.connect(self._set_now)
        for column, widget in enumerate((label("Read at"), self.at, now)):
            grid.addWidget(widget, 0, column)
        for row, (name, unit, title, tip, bounds) in enumerate(FIELDS, 1):
            field = UnitField(unit, title, tip, optional=True)
            field.set_bounds(*bounds)
            field.entered.connect(self._judge)
            self.fields[name] = field
            grid.addWidget(label(title), row, 0)
            grid.addWidget(field, row, 1)
            grid.addWidget(label(tip, "soft", BASE_PT - 0.5), row, 2)
        self.alarms = QLineEdit()
        self.alarms.setAccessibleName(UNITS.text("Alarms that are up"))
        self.alarms.setMaxLength(200)
        self.alarms.setPlaceholderText(UNITS.text("none"))
        self.alarms.textChanged.connect(self._judge)
        names = QCompleter([str(trip) for trip in Trip], self.alarms)
        names.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        names.setFilterMode(Qt.MatchFlag.MatchContains)
        self.alarms.setCompleter(names)
        last = len(FIELDS) + 1
        grid.addWidget(label("Alarms"), last, 0)
        grid.addWidget(self.alarms, last, 1)
        grid.addWidget(label(ALARMS_HELP, "soft", BASE_PT - 0.5), last, 2)
        grid.setColumnStretch(2, 1)
        inside.addLayout(grid)
        inside.addWidget(label("Cells", weight=SEMI))
        self.cells = QPlainTextEdit()
        self.cells.setTabChangesFocus(True)
        self.cells.setAccessibleName(UNITS.text("Cell voltages"))
        self.cells.setPlaceholderText(UNITS.text("3.452 3.449 3.451 …"))
        self.cells.setMinimumHeight(84)
        self.cells.textChanged.connect(self._judge)
        inside.addWidget(self.cells, 1)
        self.trouble_line = label("", "act", wrap=True)
        inside.addWidget(self.trouble_line)
        inside.addWidget(label(CELLS_HELP, "soft", BASE_PT - 0.5, wrap=True))
        return frame

    @Slot()
    def refresh(self, *_: object) -> None:
        """Begin a reading of the shown pack."""
        self.keep_and_on.setVisible(len(self._document.records.packs) > 1)
        if self._document.pack.id != self._of:  # what one pack's screen shows is not another's
            self._of = self._document.pack.id
            self._forget()
        self._pack.setText(f"{self._document.pack.name}, {self._document.setup.cells} cells")
        self._set_now()
        self._read_anew()

    @Slot()
    def _read_anew(self, *_: object) -> None:
        """The readings that are kept may be others now."""
        document = self._document
        self._earlier = document.records.snapshots(document.pack)
        self._screens = kept(document.history.raw_events(), document.pack.id)
        self._judge()

    @Slot()
    def _set_now(self) -> None:
        now = self._document.now(self._zone)
        day, time = QDate(now.year, now.month, now.day), QTime(now.hour, now.minute)
        self.at.setDateTime(QDateTime(day, time))

    @Slot()
    def _judge(self, *_: object) -> None:
        from nipper.core.imbalance.snapshot import snapshot

        self._log, trouble = None, ""
        if self.cells.toPlainText().strip():
            try:
                self._log = self._read()
            except RangeError as error:
                trouble = str(error)
        self.trouble_line.setText(trouble)
        for widget in (self.keep, self.keep_and_on):
            widget.setEnabled(
                not trouble and (self._log is not None or not self._screen().is_empty)
            )
        setup, soc_pct = self._document.setup, self.fields["soc_pct"].value
        shot = None if self._log is None else snapshot(self._log, setup)
        before = [s for at, s in self._screens if at < self._moment_s()]
        doubtful = doubts(self._screen(), setup, soc_pct, before[-1] if before else None)
        self.told.show_reading(shot, self._earlier, setup, doubtful)

    def _screen(self) -> Screen:
        value = {name: self.fields[name].value for name in BESIDE}
        cycles = value.pop("cycles")
        return Screen(
            **value,
            cycles=None if cycles is None else round(cycles),
            alarms=self.alarms.text().strip(),
        )

    def _read(self) -> "Log":
        from nipper.core.logs.typed import Reading, typed_log

        value = {name: field.value for name, field in self.fields.items()}
        cold_c = value["temp_c"]
        reading = Reading(
            time_s=self._moment_s(),
            cells=self.cells.toPlainText(),
            current_a=value["current_a"],
            pack_v=value["pack_v"],
            soc_pct=value["soc_pct"],
            temp_c=() if cold_c is None else (cold_c,),
        )
        return typed_log(reading, self._document.setup.cells)

    def _moment_s(self) -> float:
        shown = self.at.dateTime()
        day, time = shown.date(), shown.time()
        at = (day.year(), day.month(), day.day(), time.hour(), time.minute())
        return datetime(*at, tzinfo=self._zone).timestamp()

    @Slot()
    def keep_reading(self) -> bool:
        """Keep the reading in the shown pack's record, and begin the next one; False where it
        cannot be kept.
        """
        from nipper.core.logs.typed import TYPED

        document, screen, at_s = self._document, self._screen(), self._moment_s()
        if self._log is not None and not document.bench.logs.add(
            document.pack.id, self._log, TYPED
        ):
            self.trouble_line.setText("There is a reading of this minute already.")
            return False
        if not screen.is_empty:
            document.history.add_event(at_s, KIND, screen.model_dump_json(), document.pack.id)
        typed, self._log = self._log is not None, None
        self._forget(BESIDE)
        self._read_anew()
        if typed:
            document.records.read(document.pack)
        return True

    def _forget(self, names: Iterable[str] = ()) -> None:
        """Empty the cells, the alarms and these fields; all of them where none is named."""
        self.cells.clear()
        self.alarms.clear()
        for name in names or self.fields:
            self.fields[name].set_value(None)

    @Slot()
    def keep_and_go_on(self) -> None:
        """Keep it, and begin the next pack's at the same minute."""
        at, document = self.at.dateTime(), self._document
        if self.keep_reading():
            ids = [pack.id for pack in document.records.packs]
            document.choose_pack(ids[(ids.index(document.pack.id) + 1) % len(ids)])
            self.at.setDateTime(at)
