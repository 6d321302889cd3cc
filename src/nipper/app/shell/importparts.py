"""What stands beside the columns while a log is looked over: how it is written, what looks odd,
and its first rows.
"""

from collections.abc import Mapping
from dataclasses import replace
from datetime import datetime
from math import copysign, isclose
from zoneinfo import ZoneInfo, available_timezones

import numpy as np
from PySide6.QtCore import QDateTime, QSignalBlocker, Qt, Signal, Slot
from PySide6.QtWidgets import (
    QComboBox,
    QDateTimeEdit,
    QGridLayout,
    QHBoxLayout,
    QScrollArea,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from nipper.app.shell.importdraft import Draft
from nipper.app.theme import Theme
from nipper.app.widgets.basic import StatusMark, button, clear, day_edit, label
from nipper.app.widgets.units import UNITS
from nipper.core.logs.mapping import ColumnMapping
from nipper.core.logs.model import Log
from nipper.core.logs.timeforms import DATELESS, TIME_FORMS

NONE = "–"
SHOWN_ROWS = 12
CELL_UNITS = {"V": 1.0, "mV": 1e-3, "0.1 mV": 1e-4, "10 mV": 1e-2, "0.1 V": 0.1}
CURRENT_UNITS = {"A": 1.0, "0.1 A": 0.1, "10 mA": 1e-2, "mA": 1e-3}
POWER_UNITS = {"W": 1.0, "kW": 1e3}
SIGNS = ("charging as positive", "discharging as positive")
TEMP_UNITS = {"°C": "C", "°F": "F", "K": "K"}
TEMP_UNITS_BY = {unit: title for title, unit in TEMP_UNITS.items()}
CHOICE, CHOOSE = "pack or table", "choose …"
WRITTEN = (
    ("choice", CHOICE),
    ("time_form", "time is written"),
    ("zone", "time zone"),
    ("cell_scale", "cells are in"),
    ("current_scale", "current is in"),
    ("sign", "current counts"),
    ("temp_unit", "temperatures in"),
)
BESIDE = {"temp_unit": "cell_scale"}  # of two short ones the second stands beside the first


class Written(QGridLayout):
    """How the table is written; ``remapped`` carries a mapping set by hand, ``chosen`` which pack
    or table of several.
    """

    remapped = Signal(object)
    chosen = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self._mapping: ColumnMapping | None = None
        self.boxes: dict[str, QComboBox] = {}
        self._named: dict[str, QWidget] = {}
        self.setHorizontalSpacing(10)
        self.setVerticalSpacing(4)
        rows = {key: row for row, (key, _) in enumerate(WRITTEN)}
        for key, title in WRITTEN:
            self.boxes[key], self._named[key] = self._box(key, title), label(title)
            row, column = rows[BESIDE.get(key, key)], 2 if key in BESIDE else 0
            wide = 1 if key in BESIDE or key in BESIDE.values() else 3
            self.addWidget(self._named[key], row, column)
            self.addWidget(self.boxes[key], row, column + 1, 1, wide)
        self.begins, self._begins_name = self._moment(), label("times begin")
        self.addWidget(self._begins_name, len(WRITTEN), 0)
        self.addWidget(self.begins, len(WRITTEN), 1, 1, 3)
        self.setColumnStretch(1, 1)
        self.setColumnStretch(3, 1)

    def _moment(self) -> QDateTimeEdit:
        """When times without a date begin."""
        edit = QDateTimeEdit()
        day_edit(edit, "times begin")
        edit.setKeyboardTracking(False)
        edit.setToolTip(
            UNITS.text("the table has no dates: the day it is of, or when it was begun")
        )
        edit.dateTimeChanged.connect(self._begun)
        return edit

    @Slot(QDateTime)
    def _begun(self, moment: QDateTime) -> None:
        if self._mapping is not None:
            begins = moment.toString("yyyy-MM-ddTHH:mm:ss")
            self.remapped.emit(replace(self._mapping, begins=begins))

    def _show_begins(self, mapping: ColumnMapping) -> None:
        for widget in (self.begins, self._begins_name):
            widget.setVisible(mapping.time_form in DATELESS)
        with QSignalBlocker(self.begins):
            begins = mapping.begins or "1970-01-01T00:00:00"
            whole = begins if "T" in begins else f"{begins[:10]}T00:00:00"
            self.begins.setDateTime(QDateTime.fromString(whole[:19], Qt.DateFormat.ISODate))

    def _box(self, key: str, title: str) -> QComboBox:
        box = QComboBox()
        box.setMinimumWidth(90)
        box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        box.setProperty("key", key)
        box.setAccessibleName(UNITS.text(title))
        box.activated.connect(self._taken)
        return box

    def forget(self) -> None:
        """Of the file before."""
        self._mapping = None
        self.boxes["choice"].clear()

    def show_draft(self, draft: Draft) -> None:
        """What was found, to be changed."""
        self._mapping = mapping = draft.mapping
        if draft.choices:
            self._set("choice", [CHOOSE, *draft.choices], CHOOSE)
        for widget in (self.boxes["choice"], self._named["choice"]):
            widget.setVisible(self.boxes["choice"].count() > 0)
        self._set("time_form", list(TIME_FORMS.values()), TIME_FORMS[mapping.time_form])
        zones = sorted(available_timezones() - {"UTC", "localtime"})
        self._set("zone", ["UTC", *zones], mapping.zone)
        self._set_unit("cell_scale", CELL_UNITS, mapping.cell_scale)
        self._set_unit("current_scale", _current_units(mapping), abs(mapping.current_scale))
        self.boxes["current_scale"].setEnabled(mapping.current is not None)
        self._set("sign", list(SIGNS), SIGNS[mapping.current_scale < 0])
        self.boxes["sign"].setEnabled(mapping.current is not None and not mapping.discharge)
        self._set("temp_unit", list(TEMP_UNITS), TEMP_UNITS_BY[mapping.temp_unit])
        self._show_begins(mapping)

    def _set(self, key: str, choices: list[str], current: str) -> None:
        box = self.boxes[key]
        if [box.itemData(i) for i in range(box.count())] != choices:
            box.clear()
            for choice in choices:
                box.addItem(UNITS.text(choice), choice)
        if current:
            box.setCurrentIndex(box.findData(current))

    def _set_unit(self, key: str, units: Mapping[str, float], scale: float) -> None:
        """The unit of that scale; one that has no name by its number."""
        unit = next((u for u, s in units.items() if isclose(s, scale)), f"× {scale:g}")
        self._set(key, list(dict.fromkeys([*units, unit])), unit)

    @Slot(int)
    def _taken(self, _: int) -> None:
        box, mapping = self.sender(), self._mapping
        assert isinstance(box, QComboBox)
        key, text = box.property("key"), box.currentData()
        if mapping is None or text == CHOOSE:
            return
        if key == "choice":
            self.chosen.emit(text)
        elif key == "time_form":
            self.remapped.emit(replace(mapping, time_form=list(TIME_FORMS)[box.currentIndex()]))
        elif key == "zone":
            self.remapped.emit(replace(mapping, zone=text))
        elif key == "cell_scale":
            scale = CELL_UNITS.get(text, mapping.cell_scale)
            self.remapped.emit(replace(mapping, cell_scale=scale))
        elif key == "current_scale":
            scale = _current_units(mapping).get(text, abs(mapping.current_scale))
            self.remapped.emit(_with_current(mapping, scale, mapping.current_scale))
        elif key == "temp_unit":
            self.remapped.emit(replace(mapping, temp_unit=TEMP_UNITS[text]))
        else:
            sign = -1.0 if text == SIGNS[1] else 1.0
            self.remapped.emit(_with_current(mapping, mapping.current_scale, sign))


def _current_units(mapping: ColumnMapping) -> Mapping[str, float]:
    return POWER_UNITS if mapping.power else CURRENT_UNITS


def _with_current(mapping: ColumnMapping, scale: float, sign: float) -> ColumnMapping:
    return replace(mapping, current_scale=copysign(scale, sign))


class Oddities(QScrollArea):
    """What looks odd in a log, what was doubted and what is told; ``turned``: the sign of the
    current is to be turned.
    """

    turned = Signal()

    def __init__(self, theme: Theme) -> None:
        super().__init__(widgetResizable=True)
        self._theme, self._lines = theme, QVBoxLayout()
        self.setFrameShape(QScrollArea.Shape.NoFrame)
        self.setStyleSheet("background: transparent")
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        inside = QWidget()
        self.setWidget(inside)
        for widget in (self.viewport(), inside):
            widget.setAutoFillBackground(False)
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(self._lines)
        column.addStretch(1)

    def forget(self) -> None:
        """Of the file before."""
        clear(self._lines)

    def show_draft(self, draft: Draft) -> None:
        """All of it, the gravest first."""
        clear(self._lines)
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
                flip.clicked.connect(self.turned)
                self._lines.addWidget(flip, 0, Qt.AlignmentFlag.AlignLeft)
        for text in (*told, *map(_sentence, reading.told if reading else ())):
            self._say("watch", text)

    def _say(self, status: str, text: str) -> None:
        line = QWidget()
        inside = QHBoxLayout(line)
        inside.setContentsMargins(0, 2, 0, 2)
        inside.addWidget(StatusMark(self._theme, status), 0, Qt.AlignmentFlag.AlignTop)
        inside.addWidget(label(text, wrap=True), 1)
        self._lines.addWidget(line)


class FirstRows(QTableWidget):
    """The first rows of a log, as they were understood."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName(UNITS.text("first rows of the table"))
        self.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.verticalHeader().hide()

    def show_draft(self, draft: Draft) -> None:
        """Those of a draft; none while it is not understood."""
        log = draft.log
        if log is None:
            self.setRowCount(0)
            return
        temps = [f"°C {i + 1}" for i in range(log.temp_c.shape[1])]
        percent = ["%"] if log.soc_pct is not None else []
        cells = [f"{i + 1}" for i in range(log.cells)]
        heads = ["time", "A", "pack V", *cells, *temps, *percent]
        self.setColumnCount(len(heads))
        self.setHorizontalHeaderLabels(UNITS.texts(heads))
        self.setRowCount(min(SHOWN_ROWS, log.rows))
        zone = ZoneInfo(draft.mapping.zone)
        for row in range(self.rowCount()):
            for column, text in enumerate(_texts(log, row, zone)):
                self.setItem(row, column, QTableWidgetItem(text))
        self.resizeColumnsToContents()


def _sentence(text: str) -> str:
    end = "" if text.endswith("?") else "."
    return f"{text[0].upper()}{text[1:]}{end}"


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
