"""The bank as built, and of the chosen part what is known and what can be entered."""

from datetime import datetime, tzinfo
from math import ceil

from PySide6.QtCore import Qt, Signal, Slot
from PySide6.QtWidgets import (
    QButtonGroup,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QScrollArea,
    QSizePolicy,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from nipper.app.document import Document
from nipper.app.stages.build.drawing import BuiltFigure
from nipper.app.theme import Theme
from nipper.app.widgets.basic import SEMI, button, card, choices, label
from nipper.app.widgets.field import UnitField
from nipper.app.widgets.form import SettingsForm
from nipper.app.widgets.units import UNITS
from nipper.core.assembly.notes import Torque
from nipper.core.assembly.parts import BuiltPart, all_pack_parts, bank_parts
from nipper.core.report.parts import (
    VALUES,
    marks,
    noted_words,
    part_words,
    sensors_at,
    values,
    weakest_kind,
)
from nipper.core.setup import pack_names
from nipper.core.wiring.currents import long_a

COLUMNS = 2  # of a part's fields
TIGHTENED = ("bar", "lead", "fuse", "bus", "switch", "main_fuse", "main_lead", "inverter")


class BuiltPage(QWidget):
    """``asked`` carries the name of the page on which a part's own work is done."""

    asked = Signal(str)

    def __init__(
        self, document: Document, theme: Theme, zone: tzinfo, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._zone = document, zone
        self.figure = BuiltFigure(theme)
        self._area = area = QScrollArea()
        area.setWidget(self.figure)
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 2, 0, 0)
        layout.setSpacing(6)
        layout.addLayout(self._choice())
        layout.addWidget(area, 1)
        frame, inside = card()
        self._title = label("", size=13, weight=SEMI)
        head = QHBoxLayout()
        head.addWidget(self._title, 1)
        self._taps = button("Sense leads", "quiet", "Measure them before the plug goes in")
        self._cells = button("Cells", "quiet", "As they were delivered, and which go together")
        for go, page in ((self._taps, "taps"), (self._cells, "cells")):
            go.setProperty("page", page)
            go.clicked.connect(self._go)
            head.addWidget(go)
        inside.addLayout(head)
        self._said = label("", "soft", wrap=True)
        inside.addWidget(self._said)
        body = QHBoxLayout()
        self.forms: dict[tuple[str, ...], SettingsForm] = {}
        self._stack, self._nothing = QStackedWidget(), QWidget()
        self._stack.addWidget(self._nothing)
        body.addWidget(self._stack, 1)
        body.addLayout(self._notes())
        inside.addLayout(body)
        layout.addWidget(frame)
        self.figure.chosen.connect(self._chosen)
        self.figure.opened.connect(self._open)

    def _choice(self) -> QHBoxLayout:
        """What stands in the cells, from their logs."""
        line, self._numbers = QHBoxLayout(), QButtonGroup(self)
        self._hint = label("Dashed is not entered yet: choose a part, and type below.", "soft")
        line.addWidget(self._hint)
        line.addStretch(1)
        self._by_log, inside = QWidget(), QHBoxLayout()
        inside.setContentsMargins(0, 0, 0, 0)
        inside.addWidget(label("in the cells, by the log:", "soft"))
        inside.addWidget(choices(VALUES, self._numbers))
        self._by_log.setLayout(inside)
        line.addWidget(self._by_log)
        self._numbers.idClicked.connect(self.refresh)
        return line

    def _notes(self) -> QGridLayout:
        """What is noted of a part in the user's own words."""
        grid = QGridLayout()
        self.words = QLineEdit()
        self.words.setMaxLength(200)
        self.words.setMaximumWidth(190)
        self.words.setPlaceholderText(UNITS.text("make, number, where bought"))
        self.words.setAccessibleName(UNITS.text("What it is, in your own words"))
        self.words.editingFinished.connect(self._words_written)
        self.torque = UnitField("Nm", "tightened with", "by the cell's or lug's sheet", True)
        self.torque.set_bounds(0.1, 500.0)
        self.torque.entered.connect(self._tightened)
        self.sensor = UnitField("", "sensor here", "number of the temperature sensor", True)
        self.sensor.set_bounds(1, 50)
        self.sensor.entered.connect(self._sensor_placed)
        self._torque_label, self._sensor_label = label("tightened today"), label("sensor here")
        for row, (title, field) in enumerate(
            ((label("it is"), self.words), (self._torque_label, self.torque),
             (self._sensor_label, self.sensor))
        ):  # fmt: skip
            grid.addWidget(title, row, 0)
            grid.addWidget(field, row, 1)
        grid.setRowStretch(3, 1)
        return grid

    # show

    @Slot()
    def refresh(self, *_: object) -> None:
        """Show the bank as it is entered now, and what the logs say."""
        document = self._document
        bank = document.named_bank
        packs = all_pack_parts(bank)
        names = list(pack_names(bank))
        shown = bank_parts(bank)
        self.figure.show_bank(shown, packs, names, weakest_kind(bank))
        notes = document.shelf.build_notes()
        found = {
            document.records.number(pack_id): record.diagnosis
            for pack_id, record in document.records.by_pack.items()
            if record is not None
        }
        self._by_log.setVisible(bool(found))
        self._hint.setVisible(any(p.unknown for parts in (shown, *packs) for p in parts))
        self.figure.show_values(values(found, VALUES[self._numbers.checkedId()]))
        self.figure.show_marks(marks(found), sensors_at(notes, bank.packs_in_parallel))
        self._show_part()

    def select(self, place: str) -> None:
        """Choose a part."""
        self.figure.select(place)

    def show_field(self, path: str) -> None:
        """Choose the part that holds a setting."""
        for place in self.figure.places:
            if path in self.figure.part(place).settings:
                self.figure.select(place)
                return

    def _part(self) -> BuiltPart:
        return self.figure.part(self.figure.selected)

    def _show_part(self) -> None:
        part, document = self._part(), self._document
        shelf = document.shelf.build_notes()
        self._title.setText(f"{part.title[:1].upper()}{part.title[1:]}")
        record = document.record if part.pack is not None else None
        bank = document.named_bank
        lines = part_words(part, bank, long_a(bank)[0], record.diagnosis if record else None)
        torque = shelf.torques.get(part.place)
        when = {part.place: datetime.fromtimestamp(torque.at_s, self._zone)} if torque else {}
        lines += noted_words(part.place, shelf, when)
        self._said.setText(" ".join(lines) or "Nothing is entered of it yet.")
        form = self._form(part)
        if form is not None:
            form.show_setup(document.setup)
        self._bring(form or self._nothing)
        self._taps.setVisible(part.kind in ("bms", "cell"))
        self._cells.setVisible(part.kind == "cell")
        tight = part.kind in TIGHTENED
        self.torque.setVisible(tight)
        self._torque_label.setVisible(tight)
        self.torque.set_value(torque.nm if torque else None)
        at_cell = part.kind == "cell"
        self.sensor.setVisible(at_cell)
        self._sensor_label.setVisible(at_cell)
        if part.pack is not None:
            sensors = shelf.pack(part.pack).sensors
            here = next((s for s, c in sensors.items() if c == part.number), None)
            self.sensor.set_value(here)
        if not self.words.isModified():
            self.words.setText(shelf.words.get(part.place, ""))
            self.words.setCursorPosition(0)

    def _bring(self, page: QWidget) -> None:
        """Show a form, and take no more room than it needs."""
        for known in (self._nothing, *self.forms.values()):
            shown = known is page
            held = QSizePolicy.Policy.Preferred if shown else QSizePolicy.Policy.Ignored
            known.setSizePolicy(QSizePolicy.Policy.Preferred, held)
        self._stack.setCurrentWidget(page)
        self._stack.updateGeometry()

    def _form(self, part: BuiltPart) -> SettingsForm | None:
        """The fields of a kind of part, made when first asked for."""
        if not part.settings:
            return None
        if part.settings not in self.forms:
            form = SettingsForm()
            each = ceil(len(part.settings) / COLUMNS)
            for column, start in enumerate(range(0, len(part.settings), each)):
                form.add_paths(part.settings[start : start + each], 2 * column)
            form.entered.connect(self._entered)
            self.forms[part.settings] = form
            self._stack.addWidget(form)
        return self.forms[part.settings]

    # hands

    @Slot(str)
    def _chosen(self, _: str) -> None:
        """A part of another pack shows that pack: what is entered is then its."""
        part = self._part()
        centre = self.figure.box(part.place).center()
        self._area.ensureVisible(int(centre.x()), int(centre.y()), 20, 60)
        self.words.setModified(False)
        packs = self._document.records.packs
        if part.pack is not None and part.pack < len(packs):
            self._document.choose_pack(packs[part.pack].id)
        self._show_part()

    @Slot(str)
    def _open(self, _: str) -> None:
        """Put the keyboard on the part's first field."""
        form = self._form(self._part())
        field = form.field(form.paths[0]) if form else self.words
        field.setFocus()
        if isinstance(field, QLineEdit):
            field.selectAll()

    @Slot()
    def _go(self) -> None:
        self.asked.emit(str(self.sender().property("page")))

    @Slot(str, object)
    def _entered(self, path: str, value: object) -> None:
        if not self._document.settings.enter({path: value}, f"Set {path}"):
            self._show_part()

    @Slot()
    def _words_written(self) -> None:
        if not self.words.isModified():
            return
        self.words.setModified(False)
        notes = self._document.shelf.build_notes()
        text = self.words.text().strip()
        if text:
            notes.words[self.figure.selected] = text
        else:
            notes.words.pop(self.figure.selected, None)
        self._document.shelf.keep_build_notes(notes)

    @Slot(object)
    def _tightened(self, value: float | None) -> None:
        notes, place = self._document.shelf.build_notes(), self.figure.selected
        if value is None:
            notes.torques.pop(place, None)
        else:
            notes.torques[place] = Torque(nm=value, at_s=self._document.bench.clock())
        self._document.shelf.keep_build_notes(notes)
        self._show_part()

    @Slot(object)
    def _sensor_placed(self, value: float | None) -> None:
        part = self._part()
        if part.pack is None or part.number is None:
            return
        notes = self._document.shelf.build_notes()
        sensors = notes.pack(part.pack).sensors
        for sensor in [s for s, cell in sensors.items() if cell == part.number]:
            del sensors[sensor]
        if value is not None:
            sensors[int(value)] = part.number
        self._document.shelf.keep_build_notes(notes)
        self.refresh()
