"""Record: every full charge found in the logs, cell by charge, with events between; one opened
beside another.
"""

from datetime import UTC, datetime, tzinfo

from PySide6.QtCore import QDate, Slot
from PySide6.QtWidgets import (
    QHBoxLayout,
    QStackedLayout,
    QVBoxLayout,
    QWidget,
)

from nipper.app.document import Document, PackRecord
from nipper.app.stage import StageView
from nipper.app.stages.record.charge import ChargePanel, Opened
from nipper.app.stages.record.events import EventLine
from nipper.app.stages.record.heat import READING, HeatMap
from nipper.app.theme import Theme
from nipper.app.widgets.basic import SEMI, button, card, label
from nipper.core.logs.charges import Charge
from nipper.core.report.charges import HeatTable, heat_table, nearest
from nipper.core.report.reading import heading
from nipper.core.report.sentences import named
from nipper.store import BenchEvent

MOST_READINGS = 12
NUMBERS = (
    "No",
    "One",
    "Two",
    "Three",
    "Four",
    "Five",
    "Six",
    "Seven",
    "Eight",
    "Nine",
    "Ten",
    "Eleven",
    "Twelve",
    "Thirteen",
    "Fourteen",
    "Fifteen",
    "Sixteen",
    "Seventeen",
    "Eighteen",
    "Nineteen",
    "Twenty",
)


class RecordView(StageView):
    """The stage Record."""

    def __init__(
        self, document: Document, theme: Theme, zone: tzinfo = UTC, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self._document, self._zone = document, zone
        self._table: HeatTable | None = None
        self._first, self._beside = -1, -1
        self._other_pack = False
        self._title = label("", size=16, weight=SEMI)
        self._subtitle = label("", "soft", wrap=True)
        self.heat, self.panel = HeatMap(theme, zone), ChargePanel(theme, zone)
        self._body = QWidget()
        self._empty = label("", "soft", wrap=True, size=12)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 14, 18, 14)
        layout.setSpacing(6)
        layout.addLayout(self._head())
        self._stack = QStackedLayout()
        self._stack.addWidget(self._body)
        self._stack.addWidget(self._empty)
        layout.addLayout(self._stack, 1)
        body = QVBoxLayout(self._body)
        body.setContentsMargins(0, 0, 0, 0)
        body.addWidget(self.heat, 5)
        self.events = EventLine(document)
        body.addWidget(self.events)
        frame, inside = card()
        inside.addLayout(self._panel_head())
        inside.addWidget(self.panel, 1)
        body.addWidget(frame, 6)
        self.heat.picked.connect(self.pick)
        document.records.changed.connect(self._record_changed)
        self.follow(self._show, document.pack_changed)
        self.follow(self._show_events, document.history.events_changed)
        document.records.reading.connect(self._reading)
        self._show()

    def _head(self) -> QHBoxLayout:
        head, words = QHBoxLayout(), QVBoxLayout()
        words.addWidget(self._title)
        words.addWidget(self._subtitle)
        head.addLayout(words, 1)
        self.as_charge = button(
            "as charge", "quiet", "Colour by charge: what the millivolts mean along the curve"
        )
        self.as_mv = button("as mV", "quiet", "Colour by millivolts at the end of absorption")
        for choice in (self.as_charge, self.as_mv):
            choice.setCheckable(True)
            choice.setAutoExclusive(True)
            head.addWidget(choice)
        self.as_charge.setChecked(True)
        self.as_charge.toggled.connect(self.heat_as_charge)
        return head

    @Slot(bool)
    def heat_as_charge(self, as_charge: bool) -> None:
        """Colour the heat map by charge or by voltage."""
        self.heat.show_as_charge(as_charge)

    def _panel_head(self) -> QHBoxLayout:
        line = QHBoxLayout()
        self._opened = label("", weight=SEMI, wrap=True)  # two lines beside buttons in long words
        self.alone = button("alone", "quiet", "Show this charge alone")
        self.same_pack = button(
            "beside another charge", "quiet", "Shift-click a column to choose which"
        )
        self.other_pack = button(
            "beside the other pack", "quiet", "The same day's charge of another pack"
        )
        line.addWidget(self._opened, 1)
        for choice in (self.alone, self.same_pack, self.other_pack):
            choice.setCheckable(True)
            choice.setAutoExclusive(True)
            choice.clicked.connect(self._compare_changed)
            line.addWidget(choice)
        self.same_pack.setChecked(True)
        return line

    # what is shown

    @Slot(int, object)
    def _record_changed(self, pack_id: int, _: PackRecord | None) -> None:
        if pack_id == self._document.pack.id or self._other_pack:
            self.later(self._show)

    @Slot(int, float)
    def _reading(self, pack_id: int, share: float) -> None:
        if pack_id == self._document.pack.id and self._document.record is None:
            self._empty.setText(f"Reading the log: {share:.0%}")

    @Slot()
    def _show(self) -> None:
        record = self._document.record
        if record is None or not record.diagnosis.estimate.full:
            self._show_nothing(record)
            return
        self._table = heat_table(record.log, self._document.setup, record.diagnosis.estimate)
        count = len(self._table.charges)
        if not 0 <= self._first < count:
            self._first, self._beside = count - 1, 0 if count > 1 else -1
        self._beside = self._beside if 0 <= self._beside < count else -1
        self._title.setText(
            f"{NUMBERS[count] if count < len(NUMBERS) else count} full "
            f"charge{'' if count == 1 else 's'}"
        )
        self._subtitle.setText(
            "Each column is one full charge, each row a cell. Click opens one, "
            "Shift-click puts another beside it."
        )
        self._stack.setCurrentWidget(self._body)
        self.other_pack.setEnabled(
            any(
                p.id != self._document.pack.id and self._document.records.by_pack.get(p.id)
                for p in self._document.records.packs
            )
        )
        last = datetime.fromtimestamp(float(record.log.time_s[-1]), self._zone)
        self.events.show_day(QDate(last.year, last.month, last.day))
        self._show_events()
        self._show_charge()

    def _show_nothing(self, record: PackRecord | None) -> None:
        self._table = None
        self._stack.setCurrentWidget(self._empty)
        if record is None:
            self._title.setText("No log yet")
            self._subtitle.setText("")
            reading = (
                "Reading the log …"
                if self._document.reading_log
                else self._document.other_build
                or "Drop a log of this pack on the window, or open one: a CSV or "
                "spreadsheet from the BMS. Without a log, type what its screen shows (Ctrl+M)."
            )
            self._empty.setText(reading)
            return
        if record.diagnosis.unfit:
            self._title.setText(named(record.diagnosis))
            self._subtitle.setText("")
            told = record.diagnosis.urgent + record.diagnosis.advice
            self._empty.setText("\n\n".join(told))
            return
        short = len(record.diagnosis.estimate.charges)
        self._title.setText("No full charge in this log")
        self._subtitle.setText(
            f"{record.log.rows} rows over {record.log.days:.1f} days; {short} "
            f"charge{'s' if short != 1 else ''} did not reach the top."
        )
        first = [" ".join((d.summary, *d.actions)) for d in record.diagnosis.dangers]
        told = [*first, *record.diagnosis.advice, "\n".join(self._readings())]
        self._empty.setText("\n\n".join(told))

    @Slot()
    def _show_events(self) -> None:
        document = self._document
        mine = [e for e in document.history.events() if e.pack in (None, document.pack.id)]
        mine += [
            BenchEvent(
                0, shot.time_s, document.pack.id, READING, f"read {shot.deviation_mv:.0f} mV"
            )
            for shot in document.records.snapshots(document.pack)
        ]
        self.heat.show_table(self._table, sorted(mine, key=lambda event: event.time_s))

    def _readings(self) -> list[str]:
        """The readings by hand, newest first, where there is no charge to show them beside."""
        found = self._document.records.snapshots(self._document.pack)[-MOST_READINGS:]
        return [
            f"Read on {at.day} {at:%b %Y, %H:%M}: {heading(shot)}."
            for shot in reversed(found)
            for at in (datetime.fromtimestamp(shot.time_s, self._zone),)
        ]

    @Slot(int, bool)
    def pick(self, column: int, beside: bool) -> None:
        """Open a charge, or put it beside the one that is open."""
        if beside:
            self._beside = column
            self.same_pack.setChecked(True)
            self._other_pack = False
        else:
            self._first = column
        self._show_charge()

    @Slot()
    def _compare_changed(self) -> None:
        self._other_pack = self.other_pack.isChecked()
        if (
            self.same_pack.isChecked()
            and self._beside < 0
            and self._table
            and len(self._table.charges) > 1
        ):
            self._beside = 0
        self._show_charge()

    def _show_charge(self) -> None:
        record = self._document.record
        if record is None or self._table is None:
            return
        first = self._open(record, self._table.charges[self._first])
        beside = self._second(record)
        self.panel.show_charges(self._document.setup, first, beside)
        same = self.same_pack.isChecked()
        self.heat.show_picked(self._first, self._beside if same else -1)
        how = {"held": "held at the top", "trip": "ended by a trip", "knee": "full by its voltage"}[
            first.charge.ended_by
        ]
        length = (
            record.log.time_s[first.charge.top] - record.log.time_s[first.charge.start]
        ) / 3600.0
        self._opened.setText(
            f"{first.charge.charged_ah:.0f} Ah in {length:.1f} h, {how} at "
            f"{first.charge.level_v:.3f} V a cell"
        )

    def _open(self, record: PackRecord, charge: Charge) -> Opened:
        return Opened(
            record.log,
            charge,
            record.pack.name,
            self._document.history.settings_at(
                float(record.log.time_s[charge.top]), record.pack.id
            ),
        )

    def _second(self, record: PackRecord) -> Opened | None:
        assert self._table
        if self.other_pack.isChecked():
            moment = float(record.log.time_s[self._table.charges[self._first].top])
            for pack in self._document.records.packs:
                other = self._document.records.by_pack.get(pack.id)
                if pack.id != record.pack.id and other:
                    found = nearest(other.diagnosis.estimate.full, other.log, moment)
                    return self._open(other, found) if found else None
        if self.same_pack.isChecked() and 0 <= self._beside < len(self._table.charges):
            return self._open(record, self._table.charges[self._beside])
        return None
