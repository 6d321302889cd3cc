"""Writing settings to a BMS over the link: asked first, each read back at once; to the stand-in, or
to a real one only once that is allowed, for this sitting.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QObject, Signal, Slot
from PySide6.QtWidgets import QCheckBox, QWidget

from nipper.app.jobs import Job
from nipper.app.shell import rescue
from nipper.app.shell.deviceline import DeviceLine
from nipper.app.widgets.basic import button
from nipper.app.widgets.units import UNITS
from nipper.core.link.registers import RegisterMap
from nipper.core.report.consequence import count
from nipper.core.report.typingsheet import Line
from nipper.core.setup import Setup

WRITE, LEAVE = "Write them", "Leave it"
CAUTION = (
    "A BMS may act on each value at once, and may take a wrong one without a word: loads and "
    "charger off, the maker's list of registers in hand, somebody at the switch. Every value is "
    "read back; what the BMS does is then still to be proven."
)
ASKS = "Asks first; every value is read back"
NEEDS_MAP = "A real BMS is written only by its own register map: choose one first"
MOST_TOLD = 12


@dataclass(frozen=True, slots=True)
class Order:
    """What is written, and where. ``stand_in``: what a stand-in holds before; None for a device."""

    place: str
    device_id: int
    registers: RegisterMap
    setup: Setup
    paths: tuple[str, ...]
    stand_in: Setup | None


def write_work(order: Order) -> dict[str, object]:
    """Run in a worker thread; the link's libraries are loaded there."""
    from nipper.core.link.modbus import write_bms

    return write_bms(
        order.place, order.registers, order.device_id, (order.setup, order.paths), order.stand_in
    )


class Writer(QObject):
    """A button, and the leave to write to a real BMS. ``written`` with what the BMS then holds."""

    written = Signal(object)
    failed = Signal(str)
    ended = Signal()

    def __init__(self, link: DeviceLine, parent: QWidget) -> None:
        super().__init__(parent)
        self._link = link
        self._job: Job | None = None
        self.button = button("Write what differs …", "", ASKS)
        self.allowed = QCheckBox(UNITS.text("write to it too"))
        self.allowed.setToolTip(UNITS.text(CAUTION))
        self.allowed.toggled.connect(self.refresh)
        link.chosen.connect(self._chosen)
        self._differs, self._own_map = False, False
        self._chosen()

    @Slot()
    def _chosen(self) -> None:
        """Another device: whether it may be written to is asked anew."""
        self.allowed.setChecked(False)
        self.allowed.setVisible(not self._link.stand_in)
        self.refresh()

    def offer(self, differs: bool, own_map: bool) -> None:
        """Whether there is anything to write, and a map of the real BMS to write it by: by the
        stand-in's map it would go to registers that mean something else there.
        """
        self._differs, self._own_map = differs, own_map
        self.refresh()

    @Slot()
    def refresh(self, *_: object) -> None:
        """The button is there for what may be written."""
        may = self._link.stand_in or (self.allowed.isChecked() and self._own_map)
        needs = "" if self._link.stand_in or self._own_map else NEEDS_MAP
        self.button.setToolTip(UNITS.text(needs or ASKS))
        self.button.setEnabled(self._differs and may and self._job is None)

    def write(self, order: Order, told: Sequence[Line]) -> None:
        """Ask, then write."""
        to = "the stand-in BMS" if order.stand_in is not None else f"the BMS at {order.place}"
        each = [f"{line.label}: {line.value} → {line.before}" for line in told]
        more = f"… and {len(each) - MOST_TOLD} more" if len(each) > MOST_TOLD else ""
        text = "\n".join([*each[:MOST_TOLD], *([more] if more else []), "", CAUTION])
        window = self._link.window()
        question = f"Write {count(len(order.paths), 'setting')} to {to}?"
        if rescue.ask(window, question, text, (WRITE, LEAVE)) != WRITE:
            return
        self._job = Job(write_work, order, lasts=True)
        self._job.done.connect(self.written)
        self._job.failed.connect(self.failed)
        self._job.ended.connect(self._over)
        self._job.start()
        self.refresh()

    @Slot()
    def _over(self) -> None:
        self._job = None
        self.refresh()
        self.ended.emit()
