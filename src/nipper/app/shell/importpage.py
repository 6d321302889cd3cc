"""Importing a log: the columns as Nipper understands them, what looks odd, and the first rows;
taken over on confirmation.
"""

from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path
from zoneinfo import ZoneInfo, available_timezones

import numpy as np
from PySide6.QtCore import Qt, Signal, Slot
from PySide6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QMenu,
    QProgressBar,
    QSizePolicy,
    QTableWidget,
    QTableWidgetItem,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from nipper.app.jobs import Job, Latest
from nipper.app.theme import Theme
from nipper.app.widgets.basic import SEMI, StatusMark, button, card, clear, label
from nipper.core.chemistry import chemistry
from nipper.core.errors import NipperError
from nipper.core.logs.mapping import ColumnMapping, shape_key
from nipper.core.logs.model import Log
from nipper.core.logs.oddities import Oddity, oddities, of_temperatures
from nipper.core.logs.propose import Options
from nipper.core.logs.reader import chosen, flip_current, times_as_written, to_log
from nipper.core.tables.table import Table
from nipper.core.logs.times import TIME_FORMS
from nipper.core.setup import Setup
from nipper.store import Bench, Pack

NONE = "–"
SHOWN_ROWS = 12
SINGLE = (
    ("time", "time"),
    ("second_time", "time of day, if apart"),
    ("current", "current"),
    ("pack", "pack voltage"),
    ("soc", "percentage"),
    ("balancing", "balancing"),
)


@dataclass(frozen=True, eq=False, slots=True)
class Draft:
    """A file as read so far: the table, the mapping, and either the log it makes or what stands in
    the way.
    """

    table: Table
    mapping: ColumnMapping
    remembered: bool
    log: Log | None
    odd: tuple[Oddity, ...]
    trouble: str
    file: str = ""


def read_draft(path: str, bench: Bench | None, setup: Setup | None, zone: str) -> Draft:
    """Read a file and understand it as well as can be; runs in a worker thread."""
    options = Options(
        cells=setup.cells if setup else None, capacity_ah=setup.capacity_ah if setup else None
    )
    found = chosen(path, options)
    known = bench.logs.mapping(shape_key(found.table.columns)) if bench else None
    mapping = ColumnMapping.from_json(known) if known else found.mapping
    return understand(found.table, mapping, known is not None, setup, path)


def understand(
    table: Table, mapping: ColumnMapping, remembered: bool, setup: Setup | None, file: str = ""
) -> Draft:
    """Read a table through a mapping."""
    try:
        log = to_log(table, mapping)
    except NipperError as error:
        return Draft(table, mapping, remembered, None, (), str(error), file)
    chem = chemistry(setup.chemistry) if setup else None
    odd = oddities(log, chem, setup.cells if setup else None, times_as_written(table, mapping))
    odd += of_temperatures(mapping.other_temps)
    return Draft(table, mapping, remembered, log, tuple(odd), "", file)


class ImportPage(QWidget):
    """``finished`` carries the rows added and the pack; ``unknown_pack`` a draft for which there is
    no bench yet.
    """

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
        self._file = ""
        self._job: Job | None = None
        self._importing = False
        self._again = Latest(understand, self)
        self._again.answered.connect(self._understood)
        self._title, self._subtitle = (
            label("", size=16, weight=SEMI, wrap=True),
            label("", "soft", wrap=True),
        )
        self._odd = QVBoxLayout()
        self._boxes: dict[str, QComboBox] = {}
        self.progress = QProgressBar(maximum=1000)
        self.progress.setTextVisible(False)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 14, 18, 14)
        layout.setSpacing(8)
        layout.addWidget(self._title)
        layout.addWidget(self._subtitle)
        middle = QHBoxLayout()
        middle.setSpacing(10)
        middle.addWidget(self._columns_card(), 3)
        frame, inside = card()
        inside.addWidget(label("What looks odd", weight=SEMI))
        inside.addLayout(self._odd)
        inside.addStretch(1)
        middle.addWidget(frame, 2)
        layout.addLayout(middle)
        layout.addWidget(label("The first rows as understood", weight=SEMI))
        self.rows = QTableWidget()
        self.rows.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.rows.verticalHeader().hide()
        layout.addWidget(self.rows, 1)
        layout.addWidget(self.progress)
        layout.addLayout(self._foot())

    def _columns_card(self) -> QWidget:
        frame, inside = card()
        inside.addWidget(label("Columns", weight=SEMI))
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(4)
        for i, (key, title) in enumerate(SINGLE):
            box = self._box(key)
            grid.addWidget(label(title), i, 0)
            grid.addWidget(box, i, 1)
        for i, (key, title) in enumerate(
            (
                ("time_form", "time is written"),
                ("zone", "time zone"),
                ("cells", "cells"),
                ("cell_scale", "cells are in"),
                ("sign", "current counts"),
            )
        ):
            grid.addWidget(label(title), i, 2)
            grid.addWidget(self._box(key), i, 3)
        self._temps = QToolButton(popupMode=QToolButton.ToolButtonPopupMode.InstantPopup)
        self._temps.setToolTip(
            "Ticked: sensors on cells. Others are left out of cold and resistance"
        )
        self._temps.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._temps.setAccessibleName("temperatures of cells")
        self._temps.setMenu(QMenu(self._temps))
        grid.addWidget(label("temperatures"), 5, 2)
        grid.addWidget(self._temps, 5, 3)
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(3, 1)
        inside.addLayout(grid)
        return frame

    def _box(self, key: str) -> QComboBox:
        box = QComboBox()
        box.setMinimumWidth(90)
        box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        box.setProperty("key", key)
        box.setAccessibleName(key)
        box.activated.connect(self._remap)
        self._boxes[key] = box
        return box

    def _foot(self) -> QHBoxLayout:
        foot = QHBoxLayout()
        self.pack = QComboBox()
        self.pack.setAccessibleName("Pack the log belongs to")
        self._pack_word = label("into")
        self.take, self.stop = button("Import", "main"), button("Leave it", "quiet")
        self.take.clicked.connect(self.confirm)
        self.stop.clicked.connect(self._leave)
        foot.addWidget(self._pack_word)
        foot.addWidget(self.pack)
        foot.addWidget(self.take)
        foot.addWidget(self.stop)
        foot.addStretch(1)
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
        if self._job is not None:
            self._job.cancel()
        self._bench, self._setup, self._file, self.draft = bench, setup, path, None
        self.pack.clear()
        for pack in packs:
            self.pack.addItem(pack.name, pack.id)
        self.pack.setCurrentIndex(max(0, self.pack.findData(chosen)))
        for widget in (self.pack, self._pack_word):
            widget.setVisible(len(packs) > 1)
        self._title.setText(f"Reading {Path(path).name} …")
        self._subtitle.setText("")
        self.take.setEnabled(False)
        self.take.setText("Import")
        self.rows.setRowCount(0)
        clear(self._odd)
        self.progress.setRange(0, 0)
        self._start(Job(read_draft, path, bench, setup, zone), self._understood)

    def _start(self, job: Job, done: Callable[..., object]) -> None:
        self._job = job
        job.done.connect(done)
        job.failed.connect(self._failed)
        job.progressed.connect(self._progressed)
        job.start()

    @Slot(float)
    def _progressed(self, share: float) -> None:
        self.progress.setRange(0, 1000)
        self.progress.setValue(round(1000 * share))

    @Slot(str)
    def _failed(self, text: str) -> None:
        importing, self._job, self._importing = self._importing, None, False
        self.progress.setRange(0, 1000)
        self.progress.setValue(0)
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
        self.progress.setRange(0, 1000)
        self.progress.setValue(0)
        self._show()
        self.drafted.emit(draft)

    # showing

    def _show(self) -> None:
        draft = self.draft
        if draft is None:
            return
        name = Path(self._file).name
        known = " Columns as confirmed before for files of this shape." if draft.remembered else ""
        if draft.log is None:
            self._title.setText(f"{name}: not understood yet")
            self._subtitle.setText(draft.trouble)
        else:
            log = draft.log
            self._title.setText(f"{name}: {log.rows} rows, {log.cells} cells, {log.days:.1f} days")
            self._subtitle.setText(
                f"A row every {log.interval_s:g} s.{known} Look it over, then import."
            )
        self.take.setEnabled(
            draft.log is not None and not any(o.kind == "cells" for o in draft.odd)
        )
        self._fill_boxes(draft)
        self._fill_odd(draft)
        self._fill_rows(draft)

    def _fill_boxes(self, draft: Draft) -> None:
        mapping, columns = draft.mapping, draft.table.columns
        for key, _ in SINGLE:
            self._set(
                key,
                [NONE, *columns] if key not in ("time",) else columns,
                getattr(mapping, key) or NONE,
            )
        self._set(
            "time_form",
            [f"{form}: {text}" for form, text in TIME_FORMS.items()],
            f"{mapping.time_form}: {TIME_FORMS[mapping.time_form]}",
        )
        self._set("zone", ["UTC", *sorted(available_timezones() - {"UTC"})], mapping.zone)
        self._set("cells", [f"{len(mapping.cells)}: {mapping.cells[0]} … {mapping.cells[-1]}"], "")
        units = {1.0: "V", 1e-3: "mV", 1e-4: "0.1 mV"}
        self._set("cell_scale", list(units.values()), units.get(mapping.cell_scale, "V"))
        self._set(
            "sign",
            ["charging as positive", "discharging as positive"],
            "discharging as positive" if mapping.current_scale < 0 else "charging as positive",
        )
        self._fill_temps(mapping)

    def _fill_temps(self, mapping: ColumnMapping) -> None:
        """Which temperatures are of cells: the others' names said so, or the user."""
        on_cells, others = mapping.temps, mapping.other_temps
        left_out = f", {len(others)} left out" if others else ""
        self._temps.setText(f"{len(on_cells)} on cells{left_out}" if on_cells or others else NONE)
        menu = self._temps.menu()
        menu.clear()
        order: list[str] = list(self.draft.table.columns) if self.draft else []
        for column in sorted((*on_cells, *others), key=order.index):
            entry = menu.addAction(column)
            entry.setCheckable(True)
            entry.setChecked(column in on_cells)
            entry.triggered.connect(self._temps_chosen)

    @Slot()
    def _temps_chosen(self) -> None:
        if self.draft is None:
            return
        entries = self._temps.menu().actions()
        on_cells = tuple(e.text() for e in entries if e.isChecked())
        others = tuple(e.text() for e in entries if not e.isChecked())
        self._reread(replace(self.draft.mapping, temps=on_cells, other_temps=others))

    def _set(self, key: str, choices: list[str], current: str) -> None:
        box = self._boxes[key]
        if [box.itemText(i) for i in range(box.count())] != choices:
            box.clear()
            box.addItems(choices)
        if current:
            box.setCurrentText(current)

    def _fill_odd(self, draft: Draft) -> None:
        clear(self._odd)
        if draft.log is not None and not draft.odd:
            self._say(
                "ok",
                "Nothing: times run forward, the current's sign fits the voltage, all "
                "cells are in range.",
            )
        for odd in draft.odd:
            self._say("act" if odd.weight == "doubt" else "watch", odd.text)
            if odd.kind == "sign":
                flip = button("Turn the sign")
                flip.clicked.connect(self._flip)
                self._odd.addWidget(flip, 0, Qt.AlignmentFlag.AlignLeft)

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
        heads = [
            "time",
            "A",
            "pack V",
            *(f"{i + 1}" for i in range(log.cells)),
            *(f"°C {i + 1}" for i in range(log.temp_c.shape[1])),
        ]
        if log.soc_pct is not None:
            heads.append("%")
        self.rows.setColumnCount(len(heads))
        self.rows.setHorizontalHeaderLabels(heads)
        self.rows.setRowCount(min(SHOWN_ROWS, log.rows))
        zone = ZoneInfo(draft.mapping.zone)
        for row in range(self.rows.rowCount()):
            moment = datetime.fromtimestamp(float(log.time_s[row]), zone)
            texts = [
                f"{moment:%Y-%m-%d %H:%M:%S}",
                _number(log.current_a[row], 1),
                _number(log.pack_v[row], 2),
            ]
            texts += [_number(v, 3) for v in log.cell_v[row]] + [
                _number(t, 0) for t in log.temp_c[row]
            ]
            if log.soc_pct is not None:
                texts.append(_number(log.soc_pct[row], 0))
            for column, text in enumerate(texts):
                self.rows.setItem(row, column, QTableWidgetItem(text))
        self.rows.resizeColumnsToContents()

    # hands

    @Slot(int)
    def _remap(self, _: int) -> None:
        if self.draft is None:
            return
        box = self.sender()
        assert isinstance(box, QComboBox)
        key, text, mapping = box.property("key"), box.currentText(), self.draft.mapping
        if key == "time_form":
            mapping = replace(mapping, time_form=text.partition(":")[0])
        elif key == "zone":
            mapping = replace(mapping, zone=text)
        elif key == "cell_scale":
            mapping = replace(mapping, cell_scale={"V": 1.0, "mV": 1e-3, "0.1 mV": 1e-4}[text])
        elif key == "sign":
            sign = -1.0 if box.currentIndex() == 1 else 1.0
            mapping = replace(mapping, current_scale=sign * abs(mapping.current_scale))
        elif key != "cells":
            mapping = replace(mapping, **{key: None if text == NONE else text})
        self._reread(mapping)

    @Slot()
    def _flip(self) -> None:
        if self.draft:
            self._reread(flip_current(self.draft.mapping))

    def _reread(self, mapping: ColumnMapping) -> None:
        assert self.draft
        self.progress.setRange(0, 0)
        self._again.ask(self.draft.table, mapping, False, self._setup, self.draft.file)

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
        self._start(
            Job(_import, self._bench, self.pack.currentData(), draft, ticks=True),
            self._imported,
        )

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


def _import(bench: Bench, pack: int, draft: Draft, tick: Callable[[float], None]) -> int:
    assert draft.log is not None
    added = bench.logs.add(pack, draft.log, Path(draft.file).name, draft.mapping.to_json(), tick)
    bench.logs.remember_mapping(shape_key(draft.table.columns), draft.mapping.to_json())
    return added


def _number(value: float, digits: int) -> str:
    return f"{value:.{digits}f}".replace("-", "−") if np.isfinite(value) else NONE
