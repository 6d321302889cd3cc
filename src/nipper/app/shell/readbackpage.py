"""Reading back: what the BMS shows is typed beside what was set, line by line in its own menu
order; differences stand out at once.
"""

from datetime import tzinfo

from PySide6.QtCore import Qt, Signal, Slot
from PySide6.QtGui import QBrush, QColor
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from nipper.app.document import Document
from nipper.app.jobs import Job
from nipper.app.shell.deviceline import DeviceLine
from nipper.app.shell.typingstate import kept_menu
from nipper.app.shell.writeback import Order, Writer
from nipper.app.theme import BASE_PT, Theme, font
from nipper.app.widgets.asking import ask_open
from nipper.app.widgets.basic import SEMI, button, label, page_head
from nipper.app.widgets.units import UNITS
from nipper.core.errors import InputError, RangeError
from nipper.core.link.registers import RegisterMap, load_map, standin_map
from nipper.core.report.consequence import count
from nipper.core.report.readback import ReadBack, parse_shown, read_back
from nipper.core.report.typingsheet import TITLES, Line, sheet, shown
from nipper.core.setup import Setup, put

HEADINGS = ("section", "setting", "as set", "the BMS shows", "")
SET, SHOWN, MARK = 2, 3, 4
HOW = (
    "Type each value as the BMS shows it and press Enter; “=” takes over what was set. What "
    "is left empty counts as not read."
)


def link_work(
    place: str, registers: RegisterMap, device_id: int, stand_in: Setup | None
) -> dict[str, object]:
    """Run in a worker thread; the link's libraries are loaded there."""
    from nipper.core.link.modbus import read_bms

    return read_bms(place, registers, device_id, stand_in)


class ReadBackPage(QWidget):
    """``kept`` when a revision was added, ``left`` when the user goes back.

    More than twenty methods: typed, read from a file, read or written over the link, it is one
    table.
    """

    left = Signal()
    kept = Signal()
    trouble = Signal(str)

    def __init__(
        self, document: Document, theme: Theme, zone: tzinfo, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self._document, self._theme, self._zone = document, theme, zone
        self._lines: list[Line] = []
        self._units: dict[str, str] = {}
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 14, 24, 16)
        layout.setSpacing(8)
        layout.addLayout(page_head("Read back what the BMS shows", self.left))
        layout.addWidget(label(HOW, "soft", wrap=True))
        layout.addLayout(self._link_line())
        self.table = QTableWidget(0, len(HEADINGS))
        self.table.setAccessibleName(UNITS.text("what is set and what is shown"))
        self.table.setHorizontalHeaderLabels(UNITS.texts(list(HEADINGS)))
        self.table.verticalHeader().hide()
        self.table.setFont(font(BASE_PT + 1))
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.AllEditTriggers)
        self.table.horizontalHeader().setStretchLastSection(True)
        self.table.cellChanged.connect(self._typed)
        layout.addWidget(self.table, 1)
        foot = QHBoxLayout()
        self._says = label("", weight=SEMI, wrap=True)
        self.keep = button(
            "Keep as read back today",
            "main",
            "A dated revision: what the BMS shows, with the differences told",
        )
        self.keep.clicked.connect(self.keep_all)
        foot.addWidget(self._says, 1)
        for widget in (self.writer.allowed, self.writer.button, self.keep):
            foot.addWidget(widget)
        layout.addLayout(foot)
        document.pack_changed.connect(self._pack_changed)
        self.refresh()

    @Slot()
    def _pack_changed(self) -> None:
        """What one pack's BMS shows says nothing of another's."""
        if self._job is not None:
            self._job.cancel()
        self._lines = []
        self.refresh()
        self.trouble.emit("")

    def _link_line(self) -> QHBoxLayout:
        line = QHBoxLayout()
        self.link = DeviceLine()
        self.link.chosen.connect(self._source_chosen)
        self.map = button(
            "Register map …",
            "quiet",
            "An open file (nipper-registers) after the BMS maker's register list",
        )
        self.map.clicked.connect(self._ask_map)
        self.ask = button("Read it over the link", "", "Fills in what the BMS holds")
        self.ask.clicked.connect(self.read_link)
        self._map_name = label("", "soft")
        line.addWidget(label("Or read", "soft"))
        for widget in (self.link, self.map, self._map_name, self.ask):
            line.addWidget(widget)
        line.addStretch(1)
        self._registers: RegisterMap | None = None
        self._job: Job | None = None
        self._writing: tuple[int, Setup | None] = self._document.pack.id, None
        self._held: dict[int, Setup] = {}  # what was written to the stand-in, by pack
        self.writer = Writer(self.link, self)
        self.writer.button.clicked.connect(self.write_link)
        self.writer.written.connect(self._written)
        self.writer.failed.connect(self.trouble)
        self._source_chosen()
        return line

    @Slot()
    def _source_chosen(self) -> None:
        for widget in (self.map, self._map_name):
            widget.setVisible(not self.link.stand_in)

    @Slot()
    def _ask_map(self) -> None:
        file = ask_open(self, "Register map of the BMS", "Register maps (*.json)")
        if file:
            self.take_map(file)

    def take_map(self, file: str) -> None:
        """Read another register map; one that cannot be read changes nothing."""
        try:
            self._registers = load_map(file)
        except InputError as error:
            self.trouble.emit(str(error))
            return
        self._map_name.setText(self._registers.name)
        self._sum_up()

    def _stand_in(self) -> Setup | None:
        """What the stand-in holds; None where a device is asked."""
        if not self.link.stand_in:
            return None
        last = self._document.last_typed or self._document.setup
        return self._held.get(self._document.pack.id, last)

    def _map(self) -> RegisterMap:
        own = None if self.link.stand_in else self._registers
        return own or standin_map()

    @Slot()
    def write_link(self) -> None:
        """Write what differs and has a register; asked first."""
        registers = self._map()
        known = {r.path for r in registers.registers}
        told = [line for line in self._read().lines if line.path in known]
        paths = tuple(line.path for line in told)
        place, device = self.link.place.text(), self.link.device.value()
        setup = self._document.setup
        order = Order(place, device, registers, setup, paths, self._stand_in())
        self._writing = self._document.pack.id, order.stand_in
        self.writer.write(order, told)

    @Slot(object)
    def _written(self, values: dict[str, object]) -> None:
        pack_id, before = self._writing
        if before is not None:
            known = {path: v for path, v in values.items() if v is not None}
            self._held[pack_id] = put(before, known)
        if pack_id == self._document.pack.id:
            self._linked(values)

    @Slot()
    def read_link(self) -> None:
        """Ask the BMS, off the window's thread."""
        held, registers = self._stand_in(), self._map()
        self.ask.setEnabled(False)
        self._job = Job(
            link_work, self.link.place.text(), registers, self.link.device.value(), held
        )
        self._job.done.connect(self._linked)
        self._job.failed.connect(self.trouble)
        self._job.ended.connect(self._link_ended)
        self._job.start()

    @Slot(object)
    def _linked(self, values: dict[str, object]) -> None:
        """Fill in what was read; what no line stands for is added below."""
        self.trouble.emit("")
        rows = {line.path: row for row, line in enumerate(self._lines)}
        for path, value in values.items():
            if value is not None and path not in rows and path in TITLES:
                rows[path] = self._add_line(path)
        for path, value in values.items():
            if path in rows:
                item = self.table.item(rows[path], SHOWN)
                assert item
                item.setText(
                    shown(path, value, self._units.get(path, "")) if value is not None else "–"
                )
        self.table.resizeColumnToContents(MARK)

    def _add_line(self, path: str) -> int:
        section, title = TITLES[path]
        unit = self._units.get(path, "")
        self._lines.append(
            Line(path=path, section=section, label=title, unit=unit, value="–", before="–")
        )
        self.table.setRowCount(len(self._lines))
        self._fill_row(len(self._lines) - 1)
        return len(self._lines) - 1

    @Slot()
    def _link_ended(self) -> None:
        self.ask.setEnabled(True)
        self._job = None

    @Slot()
    def refresh(self) -> None:
        """Show the settings as they stand; what was typed already is kept."""
        typed = {
            line.path: text
            for row, line in enumerate(self._lines)
            if (text := self._text(row, SHOWN))
        }
        menu = kept_menu(self._document)
        self._units = {item.path: item.unit for item in menu.items}
        self._lines = sheet(self._document.setup, None, menu)
        self.table.blockSignals(True)
        self.table.setRowCount(len(self._lines))
        for row in range(len(self._lines)):
            self._fill_row(row)
        self.table.blockSignals(False)
        for row, line in enumerate(self._lines):
            if line.path in typed:
                item = self.table.item(row, SHOWN)
                assert item
                item.setText(typed[line.path])
        self.table.resizeColumnsToContents()
        self.table.setColumnWidth(SHOWN, 170)
        self.table.setCurrentCell(0, SHOWN)
        self._sum_up()

    def _fill_row(self, row: int) -> None:
        line = self._lines[row]
        for column, text in enumerate((line.section, line.label, line.value, "", "")):
            # a value is typed back as the BMS has it: in no language
            item = QTableWidgetItem(text if column == SET else UNITS.in_words(text))
            if column != SHOWN:
                item.setFlags(Qt.ItemFlag.ItemIsEnabled)
            if column in (SET, SHOWN):
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            self.table.setItem(row, column, item)

    def _text(self, row: int, column: int) -> str:
        item = self.table.item(row, column)
        return item.text().strip() if item else ""

    @Slot(int, int)
    def _typed(self, row: int, column: int) -> None:
        if column != SHOWN:
            return
        line = self._lines[row]
        unit = self._units.get(line.path, "")
        text = self._text(row, SHOWN)
        mark, role = "", "ink"
        if text == "=":
            self._put(row, SHOWN, line.value)
            mark, role = "✓ as set", "ok"
        elif text:
            try:
                value = shown(line.path, parse_shown(line.path, text, unit), unit)
                self._put(row, SHOWN, value)
                mark, role = (
                    ("✓ as set", "ok") if value == line.value else (f"✗ set to {line.value}", "act")
                )
            except RangeError as error:
                mark, role = str(error), "watch"
        self._put(row, MARK, UNITS.in_words(mark), role)
        self._sum_up()

    def _put(self, row: int, column: int, text: str, role: str = "ink") -> None:
        item = self.table.item(row, column)
        assert item
        self.table.blockSignals(True)
        item.setText(text)
        item.setForeground(QBrush(QColor(self._theme.colour(role))))
        self.table.blockSignals(False)

    def _values(self) -> dict[str, object]:
        """What was typed and can be read, by path."""
        out: dict[str, object] = {}
        for row, line in enumerate(self._lines):
            text = self._text(row, SHOWN)
            if text:
                out[line.path] = parse_shown(line.path, text, self._units.get(line.path, ""))
        return out

    def _read(self) -> ReadBack:
        return read_back(self._document.setup, self._values())

    def _sum_up(self) -> None:
        try:
            found = self._read()
        except (RangeError, InputError) as error:
            self._says.setText(str(error))
            self.keep.setEnabled(False)
            return
        self.keep.setEnabled(found.read > 0)
        known = {r.path for r in self._map().registers}
        differs = any(line.path in known for line in found.lines)
        self.writer.offer(differs, self._registers is not None)
        rest = len(self._lines) - found.read
        told = "as set" if not found.lines else count(len(found.lines), "difference")
        self._says.setText(
            f"{found.read} read: {told}; {rest} not read yet."
            if found.read
            else "Nothing read yet."
        )

    @Slot()
    def keep_all(self) -> None:
        """Keep what was read as a revision with today's date."""
        found = self._read()
        self._document.note_read_back(found.shown, found.note)
        self._lines = []  # the next reading starts anew
        self.kept.emit()
