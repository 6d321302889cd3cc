"""The profile: what either end offers, what the chosen one tells, and a maker's own DBC mapped by
hand, with what is still missing.
"""

from pathlib import Path

from PySide6.QtCore import Slot
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QSizePolicy,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from nipper.app.document import Document
from nipper.app.theme import Theme
from nipper.app.widgets.asking import ask_open
from nipper.app.widgets.basic import SEMI, StatusMark, button, card, label
from nipper.app.widgets.form import SettingsForm
from nipper.app.widgets.units import UNITS
from nipper.core.documents import read_text
from nipper.core.errors import NipperError
from nipper.core.link import dbcmap
from nipper.core.link.quantities import QUANTITIES
from nipper.core.link.switches import rates
from nipper.core.report.linkprofile import common_words, profile_words
from nipper.core.setup import Link

COLUMNS = ("message", "signal", "unit", "from", "to", "tells")
TELLS = 5
SIGNS = {"charging": "charging is positive", "open": "sign of current unknown"}
WHOSE = {"bank": "limits are the bank's", "pack": "limits are one pack's"}


class ProfilePage(QWidget):
    """Which protocol, and how a maker's file becomes a profile."""

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._dbc: Path | None = None
        self.signals: list[dbcmap.SignalOf] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(8)
        frame, inside = card()
        frame.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
        self.form = SettingsForm()
        names = ("battery_protocols", "inverter_protocols")
        self.form.add_part("link", Link, "Both menus, by their own words", names, 0)
        self.form.add_part("link", Link, "", ("profile",), 2)
        self.form.entered.connect(self._entered)
        inside.addWidget(self.form)
        self._both, self._chosen = self._told(theme), self._told(theme)
        for mark, words in (self._both, self._chosen):
            line = QHBoxLayout()
            line.addWidget(mark)
            line.addWidget(words, 1)
            inside.addLayout(line)
        layout.addWidget(frame)
        layout.addLayout(self._head())
        self.table = self._signals()
        layout.addWidget(self.table, 1)
        foot = QHBoxLayout()
        self._mark, self.misses = self._told(theme)
        foot.addWidget(self._mark)
        foot.addWidget(self.misses, 1)
        layout.addLayout(foot)
        layout.addStretch(0)  # takes the room while there is no table
        self._judge()

    def _told(self, theme: Theme) -> tuple[StatusMark, QLabel]:
        return StatusMark(theme), label("", wrap=True)

    def _head(self) -> QVBoxLayout:
        line = QHBoxLayout()
        self.open = button("Map a maker's DBC …", "", "Which of its signals tells what")
        self.open.clicked.connect(self._ask)
        self.name = QLineEdit(placeholderText=UNITS.text("name of the profile"))
        self.name.setAccessibleName(UNITS.text("name of the profile"))
        self.name.setMaximumWidth(200)
        self.name.textChanged.connect(self._judge)
        self.rate, self.sign, self.whose = QComboBox(), QComboBox(), QComboBox()
        for box, name in (
            (self.rate, "bit rate"), (self.sign, "sign of the current"), (self.whose, "limits of"),
        ):  # fmt: skip
            box.setAccessibleName(UNITS.text(name))
        for rate in rates("can"):
            self.rate.addItem(UNITS.text(f"{rate / 1000:g} kbit/s"), rate)
        self.rate.setCurrentIndex(self.rate.findData(500_000))
        for box, words in ((self.sign, SIGNS), (self.whose, WHOSE)):
            for value, text in words.items():
                box.addItem(UNITS.text(text), value)
        self.save = button("Save and use", "main", "A profile file beside the DBC, used from now")
        self.save.clicked.connect(self.save_profile)
        line.addWidget(label("A file of your own", weight=SEMI))
        for widget in (self.open, self.name, self.save):
            line.addWidget(widget)
        line.addStretch(1)
        how = QHBoxLayout()
        for box in (self.rate, self.sign, self.whose):
            how.addWidget(box)
        how.addStretch(1)
        lines = QVBoxLayout()
        lines.addLayout(line)
        lines.addLayout(how)
        return lines

    def _signals(self) -> QTableWidget:
        table = QTableWidget(0, len(COLUMNS))
        table.setAccessibleName(UNITS.text("signals of the DBC"))
        table.setHorizontalHeaderLabels(UNITS.texts(list(COLUMNS)))
        table.verticalHeader().hide()
        table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        table.horizontalHeader().setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        return table

    @Slot()
    def refresh(self) -> None:
        """Show the settings as they stand."""
        self.form.show_setup(self._document.setup)
        for (mark, words), (status, text) in (
            (self._both, common_words(self._document.bank)),
            (self._chosen, profile_words(self._document.bank)),
        ):
            mark.set_status(str(status))
            words.setText(text)

    @Slot()
    def _ask(self) -> None:
        file = ask_open(self, "A DBC file", "DBC (*.dbc)")
        if file:
            self.read(Path(file))

    def read(self, dbc: Path) -> None:
        """Show the signals of a DBC, each with what it seems to tell."""
        try:
            found = dbcmap.signals(read_text(dbc), dbc.name)
        except NipperError as error:
            self._document.trouble.emit(str(error))
            return
        self.table.setRowCount(len(found))
        for row, one in enumerate(found):
            self._fill(row, one)
        self.table.resizeColumnsToContents()
        self._dbc, self.signals = dbc, found
        self.name.setText(f"{dbc.stem}-mapped")
        self._judge()

    def _fill(self, row: int, one: dbcmap.SignalOf) -> None:
        words = (
            f"{one.key[0]}  {one.identifier:X}", one.key[1], one.unit,
            f"{one.low:g}", f"{one.high:g}",
        )  # fmt: skip
        for column, text in enumerate(words):
            item = QTableWidgetItem(text)
            item.setToolTip(UNITS.text(one.comment))
            self.table.setItem(row, column, item)
        box = QComboBox()
        box.setAccessibleName(UNITS.text(f"what {one.key[1]} tells"))
        box.addItem(UNITS.text("–"), "")
        for quantity in QUANTITIES:
            box.addItem(UNITS.text(quantity.title), quantity.name)
        box.setCurrentIndex(box.findData(one.proposed))
        box.activated.connect(self._judge)
        self.table.setCellWidget(row, TELLS, box)

    def chosen(self) -> dict[dbcmap.Key, str]:
        """The signals that tell something, with what."""
        out: dict[dbcmap.Key, str] = {}
        for row, one in enumerate(self.signals):
            box = self.table.cellWidget(row, TELLS)
            assert isinstance(box, QComboBox)
            if box.currentData():
                out[one.key] = box.currentData()
        return out

    @Slot()
    def _judge(self, *_: object) -> None:
        """What is still missing, and what speaks against it."""
        there = self._dbc is not None
        for widget in (self.table, self.name, self.rate, self.sign, self.whose, self.save):
            widget.setVisible(there)
        if not there:
            self._mark.set_status("none")
            self.misses.setText("The DBC comes from the maker; the profile made of it is yours.")
            return
        chosen = self.chosen()
        doubts, missing = dbcmap.doubts(self.signals, chosen), dbcmap.missing(chosen)
        self.save.setEnabled(bool(chosen) and not doubts and bool(self.name.text().strip()))
        lacks = f"Still missing: {', '.join(missing)}." if missing else "Nothing is missing."
        if doubts:
            self._mark.set_status("act")
        else:
            self._mark.set_status("watch" if missing else "ok")
        self.misses.setText(" ".join([*(f"{d}." for d in doubts), lacks]))

    @Slot()
    def save_profile(self) -> None:
        """Write the profile beside the DBC, and use it."""
        if self._dbc is None:
            return
        mapped = dbcmap.Mapped(
            self.name.text().strip(), self.rate.currentData(), self.chosen(),
            self.whose.currentData(), self.sign.currentData(),
        )  # fmt: skip
        try:
            made = dbcmap.save(mapped, self._dbc)
        except NipperError as error:
            self._document.trouble.emit(str(error))
            return
        path = self._dbc.with_name(f"{made.file.name}.json")
        changes = {
            "link.profile": str(path), "link.transport": "can", "link.bit_rate": mapped.bit_rate,
        }  # fmt: skip
        self._document.settings.enter(changes, "A profile of one's own")

    @Slot(str, object)
    def _entered(self, path: str, value: object) -> None:
        if not self._document.settings.enter({path: value}, f"Set {path}"):
            self.refresh()
