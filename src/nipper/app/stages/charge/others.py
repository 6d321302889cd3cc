"""Other chargers beside the main one, a line each."""

from PySide6.QtCore import Qt, Slot
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.theme import BASE_PT
from nipper.app.widgets.basic import SEMI, button, clear, label
from nipper.app.widgets.field import UnitField
from nipper.core.quantities import Context, unit_of
from nipper.core.setup import ExtraCharger, Setup

MOST = 4
COLUMNS = ("absorption_v", "absorption_min", "float_v", "max_charge_a")
NAMES = ("shore power", "generator", "alternator", "second charger")


class OtherChargers(QWidget):
    """The list, changed as a whole with each entry."""

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        head = QHBoxLayout()
        head.addWidget(label("Other chargers", weight=SEMI))
        head.addStretch(1)
        self.add = button("Add one", "quiet", "Shore power, a generator, an alternator: with its own target and current")
        self.add.clicked.connect(self._add)
        head.addWidget(self.add)
        layout.addLayout(head)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(8)
        layout.addLayout(self._grid)
        layout.addStretch(1)

    @Slot(object)
    def show_setup(self, setup: Setup) -> None:
        """Show the chargers."""
        self._clear()
        self.add.setEnabled(len(setup.other_chargers) < MOST)
        if not setup.other_chargers:
            self._grid.addWidget(label("none; each would be on from 7 to 19 h in the picture", "soft"), 0, 0)
            return
        for column, name in enumerate(COLUMNS, 1):
            info = ExtraCharger.model_fields[name]
            self._grid.addWidget(label(info.title or name, "soft", BASE_PT - 1), 0, column, Qt.AlignmentFlag.AlignRight)
        for row, charger in enumerate(setup.other_chargers, 1):
            self._line(row, charger, setup)

    def _clear(self) -> None:
        clear(self._grid)
        self.fields: dict[tuple[int, str], UnitField] = {}

    def _line(self, row: int, charger: ExtraCharger, setup: Setup) -> None:
        name = QLineEdit(charger.name)
        name.setMaxLength(100)
        name.setMaximumWidth(120)
        name.setProperty("row", row - 1)
        name.setAccessibleName(f"Name of charger {row}")
        name.editingFinished.connect(self._named)
        self._grid.addWidget(name, row, 0)
        for column, key in enumerate(COLUMNS, 1):
            field = UnitField(unit_of(key), f"{charger.name}: {ExtraCharger.model_fields[key].title}", optional=key == "float_v")
            field.context = Context(setup.capacity_ah * setup.packs_in_parallel)
            field.set_value(getattr(charger, key))
            field.setProperty("row", row - 1)
            field.setProperty("key", key)
            field.entered.connect(self._entered)
            self._grid.addWidget(field, row, column)
            self.fields[row - 1, key] = field
        out = button("Take out", "bare")
        out.setProperty("row", row - 1)
        out.clicked.connect(self._remove)
        self._grid.addWidget(out, row, len(COLUMNS) + 1)

    def _set(self, chargers: list[dict[str, object]], words: str) -> None:
        if self._document.change({"other_chargers": chargers}, words):
            self._document.settle()
        self.show_setup(self._document.setup)

    def _all(self) -> list[dict[str, object]]:
        return [c.model_dump(exclude_none=True) for c in self._document.setup.other_chargers]

    @Slot()
    def _named(self) -> None:
        line = self.sender()
        assert isinstance(line, QLineEdit)
        if line.isModified() and line.text().strip():
            line.setModified(False)
            chargers = self._all()
            chargers[line.property("row")]["name"] = line.text().strip()
            self._set(chargers, "Name a charger")

    @Slot(object)
    def _entered(self, value: float | None) -> None:
        field = self.sender()
        chargers = self._all()
        row, key = field.property("row"), field.property("key")
        if value is None:
            chargers[row].pop(key, None)
        else:
            chargers[row][key] = value
        self._set(chargers, "Set a charger")

    @Slot()
    def _add(self) -> None:
        setup, chargers = self._document.setup, self._all()
        charging = setup.charging
        made: dict[str, object] = {"name": NAMES[min(len(chargers), len(NAMES) - 1)], "max_charge_a": round(0.1 * setup.capacity_ah * setup.packs_in_parallel, 1)}
        made |= {"absorption_v": charging.absorption_v, "absorption_min": 60.0} if charging else {"absorption_v": 3.45 * setup.cells}
        self._set([*chargers, made], "Add a charger")

    @Slot()
    def _remove(self) -> None:
        self._remove_row(self.sender().property("row"))

    def _remove_row(self, row: int) -> None:
        chargers = self._all()
        del chargers[row]
        self._set(chargers, "Take a charger out")
