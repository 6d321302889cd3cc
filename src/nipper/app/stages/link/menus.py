"""Both ends' menus to go through: a line each, ticked as it is set, with the name it has in one's
own menu.
"""

from PySide6.QtCore import Qt, Slot
from PySide6.QtWidgets import QCheckBox, QGridLayout, QLineEdit, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.widgets.basic import SEMI, clear, for_device, label, scrolled
from nipper.app.widgets.units import UNITS
from nipper.core.link.menus import Entry, entries
from nipper.core.report.consequence import count

WHAT_FOR = (
    "In this order, power off where a device asks for it. Beside each line the name it has in your "
    "menu can be kept; ↻ usually holds only after a restart. A line whose value changes is to be "
    "ticked again."
)


class MenusPage(QWidget):
    """Ticks and names are kept with the bench."""

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self.boxes: dict[str, QCheckBox] = {}
        self.names: dict[str, QLineEdit] = {}
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.addWidget(label(WHAT_FOR, "soft", wrap=True))
        self.said = label("", weight=SEMI)
        layout.addWidget(self.said)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(14)
        self._grid.setVerticalSpacing(6)
        layout.addWidget(scrolled(self._grid), 1)

    @Slot()
    def refresh(self) -> None:
        """Show both menus for the settings as they stand."""
        notes = self._document.shelf.link_notes()
        lines = entries(self._document.named_bank)
        clear(self._grid)
        self.boxes, self.names = {}, {}
        row, end = 0, ""
        for line in lines:
            if line.end != end:
                end = line.end
                self._grid.addWidget(label(f"The {end}'s menu", weight=SEMI), row, 0, 1, 5)
                row += 1
            self._row(row, line, line.key in notes.ticks, notes.names.get(line.name_key, ""))
            row += 1
        self._grid.setColumnStretch(4, 1)
        self._grid.setRowStretch(row, 1)
        self._sum_up(lines)

    def _row(self, row: int, line: Entry, done: bool, name: str) -> None:
        box, own = QCheckBox(), QLineEdit(name, placeholderText=UNITS.text("in your menu"))
        box.setChecked(done)
        box.setAccessibleName(UNITS.text(f"{line.end}: {line.title}, {line.value}"))
        box.setProperty("key", line.key)
        box.toggled.connect(self._ticked)
        own.setMaxLength(80)
        own.setMaximumWidth(150)
        own.setAccessibleName(UNITS.text(f"name of {line.title} in the {line.end}'s menu"))
        own.setProperty("key", line.name_key)
        own.editingFinished.connect(self._named)
        self.boxes[line.name_key], self.names[line.name_key] = box, own
        restart = "  ↻" if line.restart else ""
        value = for_device(label(line.value, weight=SEMI, wrap=True))
        title, why = label(f"{line.title}{restart}"), label(line.why, "soft", wrap=True)
        for column, widget in enumerate((box, title, value, own, why)):
            self._grid.addWidget(widget, row, column, Qt.AlignmentFlag.AlignVCenter)
        self._grid.setColumnMinimumWidth(2, 190)

    def _sum_up(self, lines: list[Entry]) -> None:
        left = sum(not box.isChecked() for box in self.boxes.values())
        all_set = "All are set." if lines else "Open loop: nothing at the battery's end."
        self.said.setText(f"{count(left, 'line')} to go." if left else all_set)

    @Slot(bool)
    def _ticked(self, done: bool) -> None:
        notes, key = self._document.shelf.link_notes(), str(self.sender().property("key"))
        notes.tick(key, done, self._document.bench.clock())
        self._document.shelf.keep_link_notes(notes)
        self._sum_up(entries(self._document.named_bank))

    @Slot()
    def _named(self) -> None:
        own = self.sender()
        assert isinstance(own, QLineEdit)
        notes, key = self._document.shelf.link_notes(), str(own.property("key"))
        if own.text().strip() == notes.names.get(key, ""):
            return
        notes.names[key] = own.text().strip()
        self._document.shelf.keep_link_notes(notes)
