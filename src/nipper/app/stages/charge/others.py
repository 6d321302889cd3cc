"""Other chargers beside the main one, a line each."""

from PySide6.QtCore import Qt, Slot
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QScrollArea, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.stages.charge.partlist import PartList
from nipper.app.widgets.basic import SEMI, button, clear, label
from nipper.app.widgets.field import UnitField
from nipper.app.widgets.units import UNITS
from nipper.core.presets import other_charger
from nipper.core.quantities import Context, unit_of
from nipper.core.setup import ExtraCharger, Setup

MOST, WIDTH = 4, 210
COLUMNS = (
    "absorption_v",
    "absorption_min",
    "float_v",
    "max_charge_a",
    "cold_stop_c",
    "on_from_h",
    "on_until_h",
)
OPTIONAL = ("float_v", "cold_stop_c", "on_from_h", "on_until_h")
NAMES = ("shore power", "generator", "alternator", "second charger")


class OtherChargers(PartList):
    """The list, changed as a whole with each entry."""

    def __init__(self, document: Document) -> None:
        super().__init__(document, "other_chargers", "charger")
        self._shown: tuple[object, ...] | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        head = QHBoxLayout()
        head.addWidget(label("Other chargers", weight=SEMI))
        head.addStretch(1)
        self.add = button(
            "Add one",
            "quiet",
            "Shore power, a generator, an alternator, with its own target and current; "
            "in the picture it is on from 7 to 19 h",
        )
        self.add.clicked.connect(self._add)
        head.addWidget(self.add)
        layout.addLayout(head)
        area, body = QScrollArea(), QWidget()
        self._list = QVBoxLayout(body)
        self._list.setContentsMargins(0, 0, 8, 0)
        self._list.setSpacing(8)
        area.setWidget(body)
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setObjectName("onCard")
        body.setObjectName("onCard")
        area.setMinimumWidth(WIDTH)
        layout.addWidget(area, 1)
        self.fields: dict[tuple[int, str], UnitField] = {}

    def parts(self) -> tuple[ExtraCharger, ...]:
        """The chargers as they are set."""
        return self._document.setup.other_chargers

    @Slot(object)
    def show_setup(self, setup: Setup) -> None:
        """Show the chargers; the list is made anew only when it is another."""
        shown = (setup.other_chargers, setup.capacity_ah * setup.packs_in_parallel)
        if shown == self._shown:
            return
        self._shown = shown
        clear(self._list)
        self.fields = {}
        self.add.setEnabled(len(setup.other_chargers) < MOST)
        if not setup.other_chargers:
            self._list.addWidget(label("none", "soft"))
        for row, charger in enumerate(setup.other_chargers):
            self._list.addLayout(self._charger(row, charger, setup))
        self._list.addStretch(1)

    def _charger(self, row: int, charger: ExtraCharger, setup: Setup) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(4)
        name, out = QLineEdit(charger.name), button("Take out", "bare")
        name.setMaxLength(100)
        name.setCursorPosition(0)
        name.setAccessibleName(UNITS.text(f"Name of charger {row + 1}"))
        name.editingFinished.connect(self.named)
        out.clicked.connect(self.remove)
        for widget, column in ((name, 0), (out, 1)):
            widget.setProperty("row", row)
            grid.addWidget(widget, 0, column)
        for line, key in enumerate(COLUMNS, 1):
            title = ExtraCharger.model_fields[key].title or key
            field = UnitField(unit_of(key), f"{charger.name}: {title}", optional=key in OPTIONAL)
            field.context = Context(setup.capacity_ah * setup.packs_in_parallel)
            field.set_value(getattr(charger, key))
            field.setProperty("row", row)
            field.setProperty("key", key)
            field.entered.connect(self._entered)
            grid.addWidget(label(title), line, 0)
            grid.addWidget(field, line, 1)
            self.fields[row, key] = field
        return grid

    @Slot(object)
    def _entered(self, value: float | None) -> None:
        field = self.sender()
        self.change(int(field.property("row")), str(field.property("key")), value)

    @Slot()
    def _add(self) -> None:
        name = NAMES[min(len(self.parts()), len(NAMES) - 1)]
        self.add_part(other_charger(self._document.setup, name))
