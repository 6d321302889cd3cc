"""Importing a log: what each column was taken for, what looks odd, and the first rows; taken over
on confirmation.
"""

from collections.abc import Callable
from dataclasses import replace
from datetime import datetime
from pathlib import Path
from zoneinfo import ZoneInfo, available_timezones

import numpy as np
from PySide6.QtCore import Qt, Signal, Slot
from PySide6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QProgressBar,
    QScrollArea,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from nipper.app.jobs import Job, Latest
from nipper.app.shell.columnstable import ColumnsTable
from nipper.app.shell.importdraft import Draft, read_draft, take_over, understand
from nipper.app.theme import Theme
from nipper.app.widgets.asking import ask_open, ask_save
from nipper.app.widgets.basic import SEMI, StatusMark, button, card, clear, label
from nipper.app.widgets.units import UNITS
from nipper.core.errors import NipperError
from nipper.core.files import write_whole
from nipper.core.logs.mapping import ColumnMapping, load_mapping, mapping_file
from nipper.core.logs.model import Log
from nipper.core.logs.propose import Proposal
from nipper.core.logs.reader import flip_current
from nipper.core.logs.roles import Role, with_role
from nipper.core.logs.times import TIME_FORMS
from nipper.core.setup import Setup
from nipper.store import Bench, Pack

NONE = "–"
SHOWN_ROWS = 12
CELL_UNITS = {"V": 1.0, "mV": 1e-3, "0.1 mV": 1e-4, "10 mV": 1e-2, "0.1 V": 0.1}
SIGNS = ("charging as positive", "discharging as positive")
TEMP_UNITS = {"°C": "C", "°F": "F", "K": "K"}
TEMP_UNITS_BY = {unit: title for title, unit in TEMP_UNITS.items()}
CHOICE, CHOOSE = "pack or table", "choose …"
WRITTEN = (
    ("choice", CHOICE),
    ("time_form", "time is written"),
    ("zone", "time zone"),
    ("cell_scale", "cells are in"),
    ("sign", "current counts"),
    ("temp_unit", "temperatures in"),
)
MAPPINGS = "Column mappings (*.json)"


class ImportPage(QWidget):
    """``finished`` carries the rows added and the pack; ``drafted`` a draft as understood."""

    finished = Signal(int, int)
    left = Signal()
    drafted = Signal(object)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self._theme = theme
        self.draft: Draft | None = None
        self._bench: Bench | None = None
        self._setup: Setup | None = None
        self._file, self._zone = "", "UTC"
        self._job: Job | None = None
        self._importing = False
        self._again = Latest(understand, self)
        self._again.answered.connect(self._understood)
        self._title = label("", size=16, weight=SEMI, wrap=True)
        self._subtitle = label("", "soft", wrap=True)
        self._odd = QVBoxLayout()
        self._boxes: dict[str, QComboBox] = {}
        self._named: dict[str, QWidget] = {}
        self.columns = ColumnsTable()
        self.columns.chosen.connect(self.set_role)
        self.progress = QProgressBar(maximum=1000)
        self.progress.setTextVisible(False)
        self._build()

    def _build(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 14, 18, 14)
        layout.setSpacing(8)
        layout.addWidget(self._title)
        layout.addWidget(self._subtitle)
        middle = QHBoxLayout()
        middle.setSpacing(10)
        frame, inside = card()
        inside.addWidget(label("Columns", weight=SEMI))
        inside.addWidget(self.columns, 1)
        middle.addWidget(frame, 3)
        middle.addWidget(self._side(), 2)
        layout.addLayout(middle, 3)
        layout.addWidget(label("The first rows as understood", weight=SEMI))
        self.rows = QTableWidget()
        self.rows.setAccessibleName(UNITS.text("first rows of the table"))
        self.rows.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.rows.verticalHeader().hide()
        layout.addWidget(self.rows, 2)
        layout.addWidget(self.progress)
        layout.addLayout(self._foot())

    def _side(self) -> QWidget:
        frame, inside = card()
        inside.addWidget(label("How it is written", weight=SEMI))
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(4)
        for row, (key, title) in enumerate(WRITTEN):
            self._named[key] = label(title)
            grid.addWidget(self._named[key], row, 0)
            grid.addWidget(self._box(key, title), row, 1)
        grid.setColumnStretch(1, 1)
        inside.addLayout(grid)
        inside.addWidget(label("What looks odd", weight=SEMI))
        inside.addWidget(self._scrolled(self._odd), 1)
        return frame

    def _scrolled(self, layout: QVBoxLayout) -> QScrollArea:
        area = QScrollArea(widgetResizable=True)
        area.setFrameShape(QScrollArea.Shape.NoFrame)
        area.setStyleSheet("background: transparent")
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        inside = QWidget()
        area.setWidget(inside)
        for widget in (area.viewport(), inside):
            widget.setAutoFillBackground(False)
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(layout)
        column.addStretch(1)
        return area

    def _box(self, key: str, title: str) -> QComboBox:
        box = QComboBox()
        box.setMinimumWidth(90)
        box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        box.setProperty("key", key)
        box.setAccessibleName(UNITS.text(title))
        box.activated.connect(self._remap)
        self._boxes[key] = box
        return box

    def _foot(self) -> QHBoxLayout:
        foot = QHBoxLayout()
        self.pack = QComboBox()
        self.pack.setAccessibleName(UNITS.text("Pack the log belongs to"))
        self._pack_word = label("into")
        self.take, self.stop = button("Import", "main"), button("Leave it", "quiet")
        self.take.clicked.connect(self.confirm)
        self.stop.clicked.connect(self._leave)
        save = button("Save the columns …", "quiet", "Keep this reading as an open file")
        use = button("Use saved columns …", "quiet", "Read this file as another one was")
        save.clicked.connect(self._ask_save)
        use.clicked.connect(self._ask_use)
        for widget in (self._pack_word, self.pack, self.take, self.stop):
            foot.addWidget(widget)
        foot.addStretch(1)
        foot.addWidget(use)
        foot.addWidget(save)
        return foot

    # coming in

    def open_file(
        self,
        path: str,
        bench: Bench | None,
        setup: Setup | None,
        packs: list[Pack],
        chosen: int,
        zone: str,
    ) -> None:
        """Read a file and show how it is understood; one at a time, the newest counts."""
        if self._importing:
            self._subtitle.setText(f"{Path(path).name} was not opened: one import at a time.")
            return
        self._bench, self._setup, self._file, self.draft = bench, setup, path, None
        self._zone = zone
        self.pack.clear()
        for pack in packs:
            self.pack.addItem(pack.name, pack.id)
        self.pack.setCurrentIndex(max(0, self.pack.findData(chosen)))
        for widget in (self.pack, self._pack_word):
            widget.setVisible(len(packs) > 1)
        self._boxes["choice"].clear()
        self._read(None)

    def _read(self, choice: str | None) -> None:
        if self._job is not None:
            self._job.cancel()
        self._title.setText(f"Reading {Path(self._file).name} …")
        self._subtitle.setText("")
        self.take.setEnabled(False)
        self.take.setText("Import")
        self.rows.setRowCount(0)
        self.columns.setRowCount(0)
        clear(self._odd)
        self.progress.setRange(0, 0)
        question = (self._file, self._bench, self._setup, self._zone, choice)
        self._start(Job(read_draft, *question), self._understood)

    def _start(self, job: Job, done: Callable[..., object]) -> None:
        self._job = job
        self._bar(True)
        job.done.connect(done)
        job.failed.connect(self._failed)
        job.progressed.connect(self._progressed)
        job.start()

    def _rest(self) -> None:
        self.progress.setRange(0, 1000)
        self.progress.setValue(0)
        self._bar(False)

    def _bar(self, shown: bool) -> None:
        """The bar keeps its place while nothing runs, so that the page does not jump."""
        policy = self.progress.sizePolicy()
        policy.setRetainSizeWhenHidden(True)
        self.progress.setSizePolicy(policy)
        self.progress.setVisible(shown)

    @Slot(float)
    def _progressed(self, share: float) -> None:
        self.progress.setRange(0, 1000)
        self.progress.setValue(round(1000 * share))

    @Slot(str)
    def _failed(self, text: str) -> None:
        importing, self._job, self._importing = self._importing, None, False
        self._rest()
        name = Path(self._file).name
        self._title.setText(f"{name} was not imported" if importing else f"{name} cannot be used")
        self._subtitle.setText(text)
        self.take.setText("Import")
        self.take.setEnabled(importing)

    @Slot(object)
    def _understood(self, draft: Draft) -> None:
        if draft.file != self._file:  # of a file that another one has replaced
            return
        self._job = None
        self.draft = draft
        self._rest()
        self._show(draft)
        self.drafted.emit(draft)

    # showing

    def _show(self, draft: Draft) -> None:
        name = Path(self._file).name
        if draft.log is None:
            several = f"{name} holds several: which one?"
            self._title.setText(several if draft.choices else f"{name}: not understood yet")
            how = "name the columns below" if not draft.choices else f"choose the {CHOICE} below"
            self._subtitle.setText(f"{draft.trouble}. To go on, {how}.")
        else:
            log = draft.log
            known = " Columns as confirmed before for such files." if draft.remembered else ""
            self._title.setText(f"{name}: {log.rows} rows, {log.cells} cells, {log.days:.1f} days")
            interval = f"{log.interval_s:.3g}" if log.interval_s < 10 else f"{log.interval_s:.0f}"
            self._subtitle.setText(f"A row every {interval} s.{known} Look it over, then import.")
        wrong_count = any(o.kind == "cells" for o in draft.odd)
        self.take.setEnabled(draft.log is not None and not wrong_count)
        self.columns.show_columns(draft.table, draft.mapping, draft.why)
        self._fill_boxes(draft)
        self._fill_odd(draft)
        self._fill_rows(draft)

    def _fill_boxes(self, draft: Draft) -> None:
        mapping = draft.mapping
        if draft.choices:
            self._set("choice", [CHOOSE, *draft.choices], CHOOSE)
        for widget in (self._boxes["choice"], self._named["choice"]):
            widget.setVisible(self._boxes["choice"].count() > 0)
        self._set("time_form", list(TIME_FORMS.values()), TIME_FORMS[mapping.time_form])
        zones = sorted(available_timezones() - {"UTC", "localtime"})
        self._set("zone", ["UTC", *zones], mapping.zone)
        unit = next((u for u, s in CELL_UNITS.items() if s == mapping.cell_scale), "V")
        self._set("cell_scale", list(CELL_UNITS), unit)
        self._set("sign", list(SIGNS), SIGNS[mapping.current_scale < 0])
        self._boxes["sign"].setEnabled(mapping.current is not None and not mapping.discharge)
        self._set("temp_unit", list(TEMP_UNITS), TEMP_UNITS_BY[mapping.temp_unit])

    def _set(self, key: str, choices: list[str], current: str) -> None:
        box = self._boxes[key]
        if [box.itemData(i) for i in range(box.count())] != choices:
            box.clear()
            for choice in choices:
                box.addItem(UNITS.text(choice), choice)
        if current:
            box.setCurrentIndex(box.findData(current))

    def _fill_odd(self, draft: Draft) -> None:
        clear(self._odd)
        reading = draft.reading
        doubts = reading.doubts if reading else ()
        told = [f"{rows} rows left out: {why}." for rows, why in reading.dropped] if reading else []
        if draft.log is not None and not draft.odd and not doubts and not told:
            self._say(
                "ok",
                "Nothing: times run forward, the current's sign fits the voltage, all "
                "cells are in range.",
            )
        for doubt in doubts:
            settled = " Set it above." if doubt.option else ""
            self._say("act", f"{_sentence(doubt.text)}{settled}")
        for odd in draft.odd:
            self._say("act" if odd.weight == "doubt" else "watch", odd.text)
            if odd.kind == "sign":
                flip = button("Turn the sign")
                flip.clicked.connect(self._flip)
                self._odd.addWidget(flip, 0, Qt.AlignmentFlag.AlignLeft)
        for text in [
            *told,
            *(f"{t[0].upper()}{t[1:]}." for t in (reading.told if reading else ())),
        ]:
            self._say("watch", text)

    def _say(self, status: str, text: str) -> None:
        line = QWidget()
        inside = QHBoxLayout(line)
        inside.setContentsMargins(0, 2, 0, 2)
        inside.addWidget(StatusMark(self._theme, status), 0, Qt.AlignmentFlag.AlignTop)
        inside.addWidget(label(text, wrap=True), 1)
        self._odd.addWidget(line)

    def _fill_rows(self, draft: Draft) -> None:
        log = draft.log
        if log is None:
            self.rows.setRowCount(0)
            return
        temps = [f"°C {i + 1}" for i in range(log.temp_c.shape[1])]
        percent = ["%"] if log.soc_pct is not None else []
        cells = [f"{i + 1}" for i in range(log.cells)]
        heads = ["time", "A", "pack V", *cells, *temps, *percent]
        self.rows.setColumnCount(len(heads))
        self.rows.setHorizontalHeaderLabels(heads)
        self.rows.setRowCount(min(SHOWN_ROWS, log.rows))
        zone = ZoneInfo(draft.mapping.zone)
        for row in range(self.rows.rowCount()):
            for column, text in enumerate(_texts(log, row, zone)):
                self.rows.setItem(row, column, QTableWidgetItem(text))
        self.rows.resizeColumnsToContents()

    # hands

    @Slot(int)
    def _remap(self, _: int) -> None:
        if self.draft is None:
            return
        box = self.sender()
        assert isinstance(box, QComboBox)
        key, text = box.property("key"), box.currentData()
        if key == "choice":
            if text != CHOOSE:
                self._read(text)
            return
        mapping = self.draft.mapping
        if key == "time_form":
            mapping = replace(mapping, time_form=list(TIME_FORMS)[box.currentIndex()])
        elif key == "zone":
            mapping = replace(mapping, zone=text)
        elif key == "cell_scale":
            mapping = replace(mapping, cell_scale=CELL_UNITS[text])
        elif key == "temp_unit":
            mapping = replace(mapping, temp_unit=TEMP_UNITS[text])
        else:
            sign = -1.0 if box.currentIndex() == 1 else 1.0
            mapping = replace(mapping, current_scale=sign * abs(mapping.current_scale))
        self._reread(mapping)

    @Slot(list, object)
    def set_role(self, columns: list[str], role: Role) -> None:
        """Take some columns for something else."""
        if self.draft is None:
            return
        mapping = self.draft.mapping
        for column in columns:
            mapping = with_role(mapping, self.draft.table, column, role)
        self._reread(mapping)

    @Slot()
    def _flip(self) -> None:
        if self.draft:
            self._reread(flip_current(self.draft.mapping))

    def _reread(self, mapping: ColumnMapping) -> None:
        """Read the table anew; what was doubted before it was set by hand is settled."""
        assert self.draft
        self._bar(True)
        self.progress.setRange(0, 0)
        by_hand = Proposal(self.draft.table, mapping, self.draft.why)
        self._again.ask(by_hand, False, self._setup, self.draft.file)

    @Slot()
    def _ask_save(self) -> None:
        file = ask_save(self, "Save the columns", "columns.json", MAPPINGS)
        if file and self.draft:
            self.save_columns(file)

    def save_columns(self, file: str) -> None:
        """Keep how this file is read as an open file."""
        assert self.draft
        try:
            write_whole(Path(file), mapping_file(self.draft.mapping).encode())
        except NipperError as error:
            self._subtitle.setText(str(error))

    @Slot()
    def _ask_use(self) -> None:
        file = ask_open(self, "Use saved columns", MAPPINGS)
        if file and self.draft:
            self.use_columns(file)

    def use_columns(self, file: str) -> None:
        """Read this file through a mapping that was saved."""
        try:
            self._reread(load_mapping(file))
        except NipperError as error:
            self._subtitle.setText(str(error))

    @Slot()
    def confirm(self) -> None:
        """Take the log over, in one transaction, off the window's thread."""
        draft = self.draft
        if draft is None or draft.log is None or self._bench is None or draft.file != self._file:
            return
        self._importing = True
        self.take.setEnabled(False)
        self.take.setText("Importing …")
        self.progress.setRange(0, 1000)
        job = Job(take_over, self._bench, self.pack.currentData(), draft, ticks=True)
        self._start(job, self._imported)

    @Slot(object)
    def _imported(self, added: int) -> None:
        self._job, self._importing = None, False
        self.take.setText("Import")
        self.finished.emit(added, self.pack.currentData())

    @Slot()
    def _leave(self) -> None:
        if self._job is not None:
            self._job.cancel()
            self._job, self._importing = None, False
        self.left.emit()


def _sentence(text: str) -> str:
    return f"{text[0].upper()}{text[1:]}."


def _texts(log: Log, row: int, zone: ZoneInfo) -> list[str]:
    """One row of a log as it is shown."""
    moment = datetime.fromtimestamp(float(log.time_s[row]), zone)
    texts = [f"{moment:%Y-%m-%d %H:%M:%S}"]
    texts += [_number(log.current_a[row], 1), _number(log.pack_v[row], 2)]
    texts += [_number(v, 3) for v in log.cell_v[row]]
    texts += [_number(t, 0) for t in log.temp_c[row]]
    return texts + ([_number(log.soc_pct[row], 0)] if log.soc_pct is not None else [])


def _number(value: float, digits: int) -> str:
    return f"{value:.{digits}f}".replace("-", "−") if np.isfinite(value) else NONE
