"""Where a BMS is asked: the stand-in that ships, or a real one over Modbus."""

from PySide6.QtCore import Signal, Slot
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QSpinBox, QWidget

from nipper.app.widgets.units import UNITS

STAND_IN, MODBUS = range(2)
TIP = (
    "The stand-in ships with Nipper; a real BMS is asked over TCP or a serial line with an RS-485 "
    "adapter"
)


class DeviceLine(QWidget):
    """``chosen`` when another source was chosen."""

    chosen = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.source, self.place, self.device = QComboBox(), QLineEdit(), QSpinBox()
        self.source.setAccessibleName(UNITS.text("where the BMS is"))
        self.source.addItems(UNITS.texts(["the stand-in BMS", "a BMS over Modbus"]))
        self.source.setToolTip(UNITS.text(TIP))
        self.source.activated.connect(self._source_chosen)
        self.place.setPlaceholderText(UNITS.text("192.168.1.20 or /dev/ttyUSB0"))
        self.place.setMaximumWidth(220)
        self.place.setAccessibleName(UNITS.text("Address or serial port of the BMS"))
        self.device.setRange(1, 247)
        self.device.setPrefix(UNITS.text("address "))
        self.device.setAccessibleName(UNITS.text("Address of the pack on the line"))
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        for widget in (self.source, self.place, self.device):
            layout.addWidget(widget)
        self._show()

    @property
    def stand_in(self) -> bool:
        """Whether the stand-in is asked."""
        return self.source.currentIndex() == STAND_IN

    def use(self, source: int) -> None:
        """Choose a source."""
        self.source.setCurrentIndex(source)
        self._source_chosen()

    @Slot()
    def _source_chosen(self, *_: object) -> None:
        self._show()
        self.chosen.emit()

    def _show(self) -> None:
        for widget in (self.place, self.device):
            widget.setVisible(not self.stand_in)
