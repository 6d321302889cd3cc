"""What a meter or a look showed where the log speaks of danger: kept, it is told no more."""

from PySide6.QtCore import Slot
from PySide6.QtWidgets import QComboBox, QLineEdit, QVBoxLayout, QWidget

from nipper.app.document import Document, PackRecord
from nipper.app.widgets.basic import SEMI, button, card, label
from nipper.app.widgets.field import UnitField
from nipper.app.widgets.row import Row
from nipper.app.widgets.units import UNITS
from nipper.core.errors import RangeError
from nipper.core.imbalance.danger import Danger
from nipper.core.logs.looked import MOST_WORDS

BY_METER = ("high_cell", "low_cell", "misread", "above_sheet", "below_sheet")
BY_PLACE = ("too_hot", "charged_cold")
WHERE_PX = 200
UNDONE = "Kept among the events (menu Record, Packs and logs); taken out there, it is undone."
UNTIL = (
    "What the meter disproves is told no more, until the BMS reads the cell soundly once and "
    "wrongly again. Kept among the events (menu Record, Packs and logs)."
)


class LookedAt(QWidget):
    """Hidden while no danger is told that a meter or a look could settle."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        self.cell, self.sensor, self.where = QComboBox(), QComboBox(), QLineEdit()
        self.cell.setAccessibleName(UNITS.text("Cell that was measured"))
        self.sensor.setAccessibleName(UNITS.text("Sensor that does not lie on the cells"))
        self.where.setAccessibleName(UNITS.text("Where the sensor lies"))
        self.where.setPlaceholderText(UNITS.text("on the switch, in the air …"))
        self.where.setMaxLength(MOST_WORDS)
        self.where.setMinimumWidth(WHERE_PX)
        self.bms_v = UnitField("V", "voltage by the BMS", optional=True)
        self.meter_v = UnitField("V", "voltage by the meter", optional=True)
        keep_cell = button("Keep what was measured", "quiet", UNTIL)
        keep_sensor = button("Keep where it lies", "quiet", UNDONE)
        keep_cell.clicked.connect(self.keep_cell)
        keep_sensor.clicked.connect(self.keep_sensor)
        self.where.returnPressed.connect(self.keep_sensor)
        self._by_meter = Row(
            *(self.cell, label("by the BMS"), self.bms_v),
            *(label("by a meter at its terminals"), self.meter_v, keep_cell),
        )
        self._by_place = Row(
            self.sensor, label("does not lie on the cells, but"), self.where, keep_sensor
        )
        self.trouble = label("", "act", wrap=True)
        frame, inside = card(12, 6)
        inside.addWidget(label("Measured at the same moment, or looked at?", weight=SEMI))
        for widget in (self._by_meter, self._by_place, self.trouble):
            inside.addWidget(widget)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(frame)

    def show_record(self, record: PackRecord | None) -> None:
        """Ask about what its log tells; nothing where nothing can be asked."""
        told = record.diagnosis.dangers if record else ()
        cells = _first([d for d in told if d.kind in BY_METER])
        places = _first([d for d in told if d.kind in BY_PLACE])
        self.setVisible(bool(cells or places))
        self.trouble.setText("")
        self.trouble.hide()
        self._by_meter.setVisible(cells is not None)
        self._by_place.setVisible(places is not None)
        if record is None:
            return
        if cells:
            _fill(self.cell, "cell", record.log.cells, cells.cells[0])
        if places:
            _fill(self.sensor, "sensor", record.log.temp_c.shape[1], places.sensor)

    @Slot()
    def keep_cell(self) -> None:
        """Keep what the meter showed, where it disproves what is told."""
        from nipper.core.imbalance.danger.measured import checked
        from nipper.core.logs.looked import CELL, measured_cell

        bms_v, meter_v = self.bms_v.value, self.meter_v.value
        try:
            found = measured_cell(self.cell.currentIndex() + 1, bms_v, meter_v)
            found = checked(found, self._document.setup)
        except RangeError as error:
            self._say(str(error))
            return
        record = self._document.record
        assert record
        found = found.model_copy(update={"log_s": float(record.log.time_s[-1])})
        for field in (self.bms_v, self.meter_v):
            field.set_value(None)
        self._keep(CELL, found.model_dump_json())

    @Slot()
    def keep_sensor(self) -> None:
        """Keep that the sensor's warmth is not the cells'."""
        from nipper.core.logs.looked import SENSOR, sensor_elsewhere

        try:
            found = sensor_elsewhere(self.sensor.currentIndex() + 1, self.where.text())
        except RangeError as error:
            self._say(str(error))
            return
        self.where.clear()
        self._keep(SENSOR, found.model_dump_json())

    def _keep(self, kind: str, note: str) -> None:
        document = self._document
        document.history.add_event(document.bench.clock(), kind, note, document.pack.id)

    def _say(self, text: str) -> None:
        self.trouble.setText(text)
        self.trouble.show()


def _first(found: list[Danger]) -> Danger | None:
    return found[0] if found else None


def _fill(box: QComboBox, word: str, count: int, chosen: int) -> None:
    """As many as there are; what the user chose stays until another is told of."""
    if box.count() == count and box.property("told") == chosen:
        return
    box.setProperty("told", chosen)
    box.clear()
    for i in range(count):
        box.addItem(UNITS.text(f"{word} {i + 1}"))
    box.setCurrentIndex(chosen)
