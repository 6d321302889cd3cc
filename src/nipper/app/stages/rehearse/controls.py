"""What is rehearsed: days, sky, month, loads, what is put beside, and what is stepped in."""

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import Qt, Signal, Slot
from PySide6.QtWidgets import QButtonGroup, QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from nipper.app.widgets.basic import button, choices, label
from nipper.app.widgets.field import UnitField
from nipper.app.widgets.row import Row
from nipper.app.widgets.units import UNITS
from nipper.core.setup import Setup

DAYS = ((1.0, "1 day"), (3.0, "3 days"), (30.0, "month"), (365.0, "year"))
SKIES = (("clear", "clear sky"), ("mixed", "mixed sky"), ("cloudy", "cloudy"))
TITLES = {
    "sun_w": "Peak of the sun",
    "load_kwh_per_day": "Loads a day",
    "start_soc_pct": "Charge at the start",
}
BOUNDS = {  # of what can be rehearsed, as the scenario takes it
    "sun_w": (0.0, 1e6),
    "load_kwh_per_day": (0.0, 1e4),
    "air_c": (-40.0, 50.0),
    "start_soc_pct": (0.0, 100.0),
}
MONTHS = (
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
)


Happens = Callable[[int, Setup], dict[str, object]]


@dataclass(frozen=True, slots=True)
class StepIn:
    """A fault that can be let in: its word, what happens to the pack shown, and what it means."""

    title: str
    happens: Happens  # the fields of an event, by the pack's number and the settings
    tip: str


def _always(**fields: object) -> Happens:
    return lambda _pack, _setup: fields


def _fault(**fault: float) -> Happens:
    return lambda pack, _setup: {"cells": [{"pack": pack, "cell": 1, **fault}]}


def _big_load(_pack: int, setup: Setup) -> dict[str, object]:
    limit = setup.protection.discharge_over_current
    amps = 0.5 * limit.trip_a if limit else 0.3 * setup.capacity_ah
    watts = round(amps * setup.packs_in_parallel * setup.cells * 3.2)
    return {"minutes": 30.0, "extra_load_w": watts}


STEPS = (
    StepIn(
        "cloud",
        _always(minutes=90.0, sun_share=0.1),
        "A thick cloud for an hour and a half: a tenth of the sun comes through",
    ),
    StepIn(
        "sensor in ice",
        _always(minutes=45.0, sensor_c=0.0),
        "The first temperature sensor lies in ice water for 45 minutes",
    ),
    StepIn(
        "pull the plug",
        _always(minutes=60.0, link_lost=True),
        "The cable to the inverter is out for an hour (closed loop only)",
    ),
    StepIn(
        "pack off",
        lambda pack, _setup: {"minutes": 120.0, "offline": pack},
        "The pack shown is taken off the bus for two hours",
    ),
    StepIn(
        "joint loosens",
        _fault(joint_mohm=1.0),
        "The joint of cell 1 of the pack shown gets 1 mΩ more, for good",
    ),
    StepIn(
        "cell leaks",
        _fault(leak_mah_per_day=200.0),
        "Cell 1 of the pack shown begins to lose 200 mAh a day, for good",
    ),
    StepIn(
        "big load", _big_load, "Half of the discharge limit more is switched on for half an hour"
    ),
)


class Controls(QWidget):
    """``planned`` carries changes of the plan by name, ``stepped`` the step to let in, ``beside``
    the index put beside.
    """

    planned = Signal(dict)
    stepped = Signal(object)
    beside = Signal(int)
    played = Signal()
    closer = Signal()
    cleared = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(6)
        rows.addLayout(self._first())
        rows.addLayout(self._second())
        rows.addWidget(self._third())

    def _first(self) -> QHBoxLayout:
        line = QHBoxLayout()
        line.setSpacing(6)
        self.play = button(
            "▶ Play", "main", "Plays the run (Space); pull the copper line to any moment"
        )
        self.play.setMinimumWidth(78)
        self.play.clicked.connect(self.played)
        line.addWidget(self.play)
        line.addSpacing(6)
        self.days = QButtonGroup(self)
        line.addWidget(choices((title for _, title in DAYS), self.days, 1))
        self.days.idClicked.connect(self._days_chosen)
        line.addSpacing(6)
        self.sky, self.month = QComboBox(), QComboBox()
        self.sky.setAccessibleName(UNITS.text("sky"))
        self.month.setAccessibleName(UNITS.text("month"))
        for value, title in SKIES:
            self.sky.addItem(UNITS.text(title), value)
        self.month.addItems(UNITS.texts(MONTHS))
        self.month.setCurrentIndex(5)
        self.sky.setToolTip(
            UNITS.text(
                "Made-up days of that kind; the same each time, so that settings can be compared"
            )
        )
        self.month.setToolTip(UNITS.text("Where the sun stands, and how warm it is"))
        self.sky.activated.connect(self._sky_chosen)
        self.month.activated.connect(self._month_chosen)
        line.addWidget(self.sky)
        line.addWidget(self.month)
        line.addStretch(1)
        self.other = QComboBox()
        self.other.setAccessibleName(UNITS.text("settings beside these"))
        self.other.setToolTip(
            UNITS.text(
                "Other settings under the same sky: dashed in the picture, second number below"
            )
        )
        self.other.setSizeAdjustPolicy(
            QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
        )
        self.other.setMinimumContentsLength(13)
        self.other.activated.connect(self.beside)
        line.addWidget(self.other)
        return line

    def _second(self) -> QHBoxLayout:
        line = QHBoxLayout()
        line.setSpacing(6)
        self.fields: dict[str, UnitField] = {}
        for name, title, unit, tip in (
            (
                "sun_w",
                "sun",
                "W",
                "Peak power of the panels; from the log's strongest charge until typed",
            ),
            (
                "load_kwh_per_day",
                "a day",
                "kWh",
                "What the house takes a day; from the log until typed",
            ),
            (
                "air_c",
                "air",
                "°C",
                "Mean temperature around the pack over the year; nights and winters are colder",
            ),
            ("start_soc_pct", "from", "%", "Charge at the start"),
        ):
            field = UnitField(
                unit, TITLES.get(name, title), tip, optional=name in ("sun_w", "load_kwh_per_day")
            )
            field.set_bounds(*BOUNDS[name])
            field.setProperty("name", name)
            field.entered.connect(self._entered)
            self.fields[name] = field
            line.addWidget(label(title, "soft"))
            line.addWidget(field)
        line.addStretch(1)
        self.clear = button("", "bare", "Takes all of it out again")
        self.clear.clicked.connect(self.cleared)
        self.clear.hide()
        line.addWidget(self.clear)
        self.look = button(
            "Look closer", "quiet", "The ten minutes around the playhead again, second by second"
        )
        self.look.clicked.connect(self.closer)
        line.addWidget(self.look)
        return line

    def _third(self) -> Row:
        row = Row(label("step in here", "soft"))
        self.steps = QButtonGroup(self)
        for i, step in enumerate(STEPS):
            choice = button(step.title, "quiet", step.tip)
            self.steps.addButton(choice, i)
            row.add(choice)
        self.steps.idClicked.connect(self._step)
        return row

    @Slot(int)
    def _days_chosen(self, index: int) -> None:
        self.planned.emit({"days": DAYS[index][0]})

    @Slot()
    def _sky_chosen(self) -> None:
        self.planned.emit({"weather": self.sky.currentData()})

    @Slot()
    def _month_chosen(self) -> None:
        self.planned.emit({"start": f"2026-{self.month.currentIndex() + 1:02d}-01T00:00:00+00:00"})

    @Slot(object)
    def _entered(self, value: float | None) -> None:
        self.planned.emit({self.sender().property("name"): value})

    @Slot(int)
    def _step(self, index: int) -> None:
        self.stepped.emit(STEPS[index])

    def show_steps(self, notes: list[str]) -> None:
        """How many faults are stepped in."""
        self.clear.setVisible(bool(notes))
        self.clear.setText(
            f"take out {len(notes)} step{'s' if len(notes) > 1 else ''}" if notes else ""
        )
        self.clear.setToolTip(UNITS.text("Takes out again: " + "; ".join(notes)))

    def show_values(self, values: dict[str, float | None]) -> None:
        """What the run really used."""
        for name, value in values.items():
            self.fields[name].set_value(value)

    def set_playing(self, playing: bool) -> None:
        """The button pauses while it plays."""
        self.play.setText("❚❚ Pause" if playing else "▶ Play")

    def keyPressEvent(self, event: object) -> None:  # noqa: N802 - Qt's name
        if getattr(event, "key", lambda: None)() == Qt.Key.Key_Space:
            self.played.emit()
