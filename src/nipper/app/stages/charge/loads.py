"""The loads one by one: power at the inverter, or amperes at the battery, by the hours a day."""

from PySide6.QtCore import Qt, Slot
from PySide6.QtWidgets import QGridLayout, QLineEdit, QVBoxLayout

from nipper.app.document import Document
from nipper.app.stages.charge.partlist import PartList
from nipper.app.widgets.basic import SEMI, button, clear, label, scrolled
from nipper.app.widgets.field import UnitField
from nipper.app.widgets.units import UNITS
from nipper.core.forecast.autonomy import usable_kwh
from nipper.core.setup import Load, Setup
from nipper.core.sources.loads import battery_w

MOST = 40
HEADS = ("", "power", "or at the battery", "hours a day", "a day from the bank", "alone, from full")
FIELDS = (("watts", "W"), ("amps", "A"), ("hours_per_day", "h"))
NEW = Load(name="fridge", watts=80.0, hours_per_day=8.0)


class LoadList(PartList):
    """The list, changed as a whole with each entry."""

    def __init__(self, document: Document) -> None:
        super().__init__(document, "usage.loads", "load")
        self._shown: tuple[object, ...] | None = None
        self.fields: dict[tuple[int, str], UnitField] = {}
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(14)
        self._grid.setVerticalSpacing(4)
        self.add = button("Add a load", "", "With its power and the hours it runs on a day")
        self.add.clicked.connect(self._add)
        layout.addWidget(scrolled(self._grid), 1)
        layout.addWidget(self.add, 0, Qt.AlignmentFlag.AlignLeft)

    def parts(self) -> tuple[Load, ...]:
        """The loads as they are listed."""
        usage = self._document.bank.usage
        return usage.loads if usage else ()

    def show_setup(self, setup: Setup) -> None:
        """Show the loads; the list is made anew only when it is another."""
        shown = (self.parts(), setup.bank_ah, setup.protection, setup.charging)
        if shown == self._shown:
            return
        self._shown = shown
        clear(self._grid)
        self.fields = {}
        self.add.setEnabled(len(self.parts()) < MOST)
        for column, text in enumerate(HEADS if self.parts() else ()):
            self._grid.addWidget(label(text, "soft"), 0, column)
        for row, load in enumerate(self.parts()):
            self._line(row, load, setup)
        if not self.parts():
            none = "None listed yet: what runs, with its power and its hours."
            self._grid.addWidget(label(none, "soft"), 0, 0)
        self._grid.setColumnStretch(len(HEADS), 1)
        self._grid.setRowStretch(len(self.parts()) + 1, 1)

    def _line(self, row: int, load: Load, setup: Setup) -> None:
        name, out = QLineEdit(load.name), button("Take out", "bare")
        name.setMaxLength(100)
        name.setAccessibleName(UNITS.text(f"Name of load {row + 1}"))
        name.editingFinished.connect(self.named)
        out.clicked.connect(self.remove)
        for widget in (name, out):
            widget.setProperty("row", row)
        self._grid.addWidget(name, row + 1, 0)
        for column, (key, unit) in enumerate(FIELDS, 1):
            title = Load.model_fields[key].title or key
            field = UnitField(unit, f"{load.name}: {title}", optional=key != "hours_per_day")
            field.set_value(getattr(load, key))
            field.setProperty("row", row)
            field.setProperty("key", key)
            field.entered.connect(self._entered)
            self._grid.addWidget(field, row + 1, column)
            self.fields[row, key] = field
        watts = battery_w(setup, load)
        a_day = f"{watts * load.hours_per_day / 1e3:.2f} kWh" if watts else "–"
        alone = f"{usable_kwh(setup) * 1e3 / watts:.1f} h" if watts else "–"
        self._grid.addWidget(label(a_day, weight=SEMI), row + 1, 4)
        self._grid.addWidget(label(alone, weight=SEMI), row + 1, 5)
        self._grid.addWidget(out, row + 1, 6)

    @Slot(object)
    def _entered(self, value: float | None) -> None:
        field, loads = self.sender(), self.plain()
        row, key = int(field.property("row")), str(field.property("key"))
        loads[row].pop(key, None)
        if value is not None:
            other = {"watts": "amps", "amps": "watts"}.get(key, "")
            loads[row].pop(other, None)  # it is one or the other
            loads[row][key] = value
        self.keep(loads, "Set a load")

    @Slot()
    def _add(self) -> None:
        self.add_part(NEW)
