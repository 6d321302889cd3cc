"""Rehearse: the settings on a copy of this bank, played through sun, cloud, load, cold and
faults.
"""

from datetime import UTC, datetime
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import Qt, QTimer, Slot
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QStackedLayout, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.forecasts import Forecasts
from nipper.app.stage import StageView
from nipper.app.stages.rehearse.controls import Controls, StepIn
from nipper.app.stages.rehearse.lanes import Lanes, strays
from nipper.app.theme import BASE_PT, Theme
from nipper.app.widgets.basic import SEMI, button, card, clear, dress, label, refilled
from nipper.app.widgets.units import UNITS
from nipper.core.errors import InputError
from nipper.core.forecast.rehearsal import Rehearsal
from nipper.core.forecast.schools import schools
from nipper.core.report.rehearsing import Figure, figures, now_at, telling_moment
from nipper.core.setup import Setup, put
from nipper.core.simulate.scenario import Event

if TYPE_CHECKING:  # loads the compiler: not in the window's thread
    from nipper.core.simulate.trial import Trial

FRAME_MS, PLAY_S = 33, 20.0  # a run is played in so many seconds, whatever its length


class RehearseView(StageView):
    """The stage Rehearse.

    More than twenty methods, most of them one control of the run.
    """

    def __init__(
        self, document: Document, forecasts: Forecasts, theme: Theme, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self._document, self._forecasts, self._theme = document, forecasts, theme
        self._trial: Trial | None = None
        self._beside: list[tuple[str, Setup | None]] = []
        self._zoomed = False
        self._title, self._subtitle = (
            label("", size=16, weight=SEMI, wrap=True),
            label("", "soft", wrap=True),
        )
        self._back = button("Back to the whole run", "", "Leaves the minutes looked at closer")
        self._back.clicked.connect(self._show_whole)
        self.controls, self.lanes = Controls(), Lanes(theme)
        self._now, self._figures = QHBoxLayout(), QHBoxLayout()
        self._figures.setSpacing(8)
        self._waiting = label("", "soft", size=12, wrap=True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 10, 18, 12)
        layout.setSpacing(6)
        head = QHBoxLayout()
        head.addWidget(self._title, 1)
        head.addWidget(self._back)
        layout.addLayout(head)
        layout.addWidget(self._subtitle)
        frame, inside = card(10, 6)
        inside.addWidget(self.controls)
        layout.addWidget(frame)
        layout.addLayout(self._now)
        self._stack = QStackedLayout()
        self._stack.addWidget(self._waiting)
        self._stack.addWidget(self.lanes)
        layout.addLayout(self._stack, 1)
        layout.addLayout(self._figures)
        self._timer = QTimer(self, interval=FRAME_MS)
        self._timer.timeout.connect(self._frame)
        self._connect()
        self._fill_beside()
        self._back.hide()
        self._came()
        forecasts.rehearsal.want()

    def _connect(self) -> None:
        self.controls.planned.connect(self._planned)
        self.controls.stepped.connect(self._step_in)
        self.controls.cleared.connect(self._clear_steps)
        self.controls.beside.connect(self._put_beside)
        self.controls.played.connect(self.play_or_pause)
        self.controls.closer.connect(self.look_closer)
        self.lanes.scrubbed.connect(self._scrubbed)
        self.follow(self._came, self._forecasts.rehearsal.came)
        self._forecasts.closer.came.connect(self._show_closer)
        self._forecasts.rehearsal.progressed.connect(self._say_waiting)
        self.follow(self._fill_beside, self._document.settings.changed)

    def _came(self) -> None:
        found = self._forecasts.rehearsal.value
        if found is None:
            self._say_waiting(0.0)
        else:
            self._rehearsed(found)

    # asking

    @Slot(dict)
    def _planned(self, changes: dict[str, object]) -> None:
        if set(changes) & {"days", "start"}:
            self.lanes.hour = 0.0  # another run is looked at from its end
        self._forecasts.change_plan(**changes)

    @Slot(object)
    def _step_in(self, step: StepIn) -> None:
        rehearsal = self._forecasts.rehearsal.value
        if rehearsal is None:
            return
        trial = rehearsal.main.trial
        day = (self.lanes.hour - (trial.start_s % 86400.0) / 3600.0) / 24.0
        day = min(max(day, 0.0), max(0.0, trial.scenario.days - 0.02))
        happens = step.happens(self._forecasts.pack_number, self._document.setup)
        note = f"{step.title}, day {int(day) + 1}"
        self._forecasts.step_in(Event.model_validate({"day": day, "note": note, **happens}))

    @Slot()
    def _clear_steps(self) -> None:
        self._forecasts.change_plan(events=())

    @Slot()
    def _fill_beside(self) -> None:
        """What can be put beside: the last typed-in settings, and the schools."""
        setup = self._document.bank
        self._beside = [("nothing beside", None)]
        typed = self._document.history.typed(self._document.pack.id)
        if typed and typed[-1].setup != setup:
            self._beside.append(("as typed in", typed[-1].setup))
        for school in schools(setup):
            try:
                self._beside.append((school.title.lower(), put(setup, school.changes)))
            except InputError:
                continue
        box, shown = self.controls.other, self._forecasts.other
        names = [name for name, _ in self._beside]
        box.clear()
        box.addItems(UNITS.texts(["beside: " + n if i else n for i, n in enumerate(names)]))
        if shown is not None:
            box.setCurrentIndex(names.index(shown[0]) if shown[0] in names else 0)

    @Slot(int)
    def _put_beside(self, index: int) -> None:
        name, setup = self._beside[index]
        self._forecasts.put_beside(name, setup)

    # showing

    @Slot(float)
    def _say_waiting(self, share: float) -> None:
        if self._trial is None:
            self._title.setText("The settings, played through")
            self._waiting.setText(
                f"Running the days on a copy of this bank: {share:.0%}"
                if share
                else "Preparing the simulator …"
            )
            self._stack.setCurrentWidget(self._waiting)

    @Slot(object)
    def _rehearsed(self, rehearsal: Rehearsal) -> None:
        days = rehearsal.plan.days
        first = self._trial is None
        self._title.setText(
            {1.0: "One day", 3.0: "Three days", 30.0: "A month", 365.0: "A year"}.get(
                days, f"{days:g} days"
            )
            + " with these settings"
        )
        kind = (
            "its measured differences"
            if rehearsal.measured
            else "equal cells, as no log says how they differ"
        )
        self._subtitle.setText(
            f"A copy of {self._document.pack.name} with {kind}, under a made-up sky. "
            "Nothing is sent anywhere."
        )
        self.controls.show_steps([e.note for e in rehearsal.plan.events])
        planned = rehearsal.main.trial.scenario
        loads = planned.loads
        kwh = rehearsal.plan.load_kwh_per_day
        if kwh is None and loads is not None:
            kwh = round(
                24 * (loads.base_w + 0.35 * loads.fridge_w) / 1e3
                + 5.75 * loads.evening_w / 1e3
                + loads.kettle_w * 0.178 / 1e3,
                1,
            )
        self.controls.show_values(
            {
                "sun_w": planned.pv_w,
                "load_kwh_per_day": kwh,
                "air_c": planned.ambient_c,
                "start_soc_pct": planned.start_soc_pct,
            }
        )
        self._zoomed = False
        self._show(rehearsal.main.trial, rehearsal.other.trial if rehearsal.other else None)
        if first or self.lanes.hour in (0.0, self.lanes.hours[1]):
            self._to(telling_moment(rehearsal))
        with refilled(self._figures):
            for figure in figures(rehearsal):
                self._figures.addWidget(_figure_card(figure), 1)

    def _show(self, trial: "Trial", other: "Trial | None") -> None:
        self._trial = trial
        self._stack.setCurrentWidget(self.lanes)
        self._back.setVisible(self._zoomed)
        self.controls.look.setVisible(not self._zoomed)
        self.lanes.show_trial(trial, self._forecasts.pack_number, other)
        self._tell_now()

    def _to(self, time_s: float) -> None:
        assert self._trial is not None
        self.lanes.set_hour(
            (time_s - (self._trial.start_s - self._trial.start_s % 86400.0)) / 3600.0
        )
        self._tell_now()

    def _tell_now(self) -> None:
        """Big readings at the playhead."""
        if self._trial is None:
            return
        log = self._trial.logs[0]
        row = int(
            np.clip(
                np.searchsorted(log.time_s, self._time_s() + 0.5 * log.interval_s) - 1,
                0,
                log.rows - 1,
            )
        )
        readings = now_at(
            self._trial,
            self._forecasts.pack_number,
            row,
            strays(self._trial, min(self._forecasts.pack_number, len(self._trial.logs))),
        )
        if self._now.count() != len(readings):
            clear(self._now)
            for _ in readings:
                self._now.addWidget(_Reading(), 1)
        for i, (name, value, role) in enumerate(readings):
            item = self._now.itemAt(i)
            widget = item.widget() if item else None
            if isinstance(widget, _Reading):
                widget.show_value(name, value, role)

    def _time_s(self) -> float:
        assert self._trial is not None
        return self._trial.start_s - self._trial.start_s % 86400.0 + 3600.0 * self.lanes.hour

    @Slot(float)
    def _scrubbed(self, _: float) -> None:
        self._timer.stop()
        self.controls.set_playing(False)
        self._tell_now()

    # playing

    @Slot()
    def play_or_pause(self) -> None:
        """Play from the playhead, or from the start when it is at the end."""
        if self._timer.isActive():
            self._timer.stop()
        elif self._trial is not None:
            first, last = self.lanes.hours
            if self.lanes.hour >= last - 1e-6:
                self.lanes.set_hour(first, covered=True)
            self._timer.start()
        self.controls.set_playing(self._timer.isActive())

    @Slot()
    def _frame(self) -> None:
        first, last = self.lanes.hours
        self.lanes.set_hour(
            self.lanes.hour + (last - first) * FRAME_MS / 1e3 / PLAY_S, covered=True
        )
        self._tell_now()
        if self.lanes.hour >= last:
            self._timer.stop()
            self.controls.set_playing(False)

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802 - Qt's name
        first, last = self.lanes.hours
        steps = {
            Qt.Key.Key_Left: -1,
            Qt.Key.Key_Right: 1,
            Qt.Key.Key_Home: -1000,
            Qt.Key.Key_End: 1000,
        }
        if event.key() == Qt.Key.Key_Space:
            self.play_or_pause()
        elif event.key() in steps:
            self.lanes.set_hour(
                self.lanes.hour + steps[Qt.Key(event.key())] * (last - first) / 200.0
            )
            self._scrubbed(0.0)
        else:
            super().keyPressEvent(event)

    @Slot()
    def look_closer(self) -> None:
        """The minutes around the playhead again, second by second."""
        if self._trial is not None and not self._zoomed:
            self._forecasts.look_closer(self._time_s())

    @Slot(object)
    def _show_closer(self, trial: "Trial") -> None:
        at = self._time_s()
        self._zoomed = True
        self._show(trial, None)
        self._to(at)
        moment = datetime.fromtimestamp(at, UTC)
        self._subtitle.setText(
            f"Ten minutes around {moment:%H:%M}, second by second: the same run, the same sky."
        )

    @Slot()
    def _show_whole(self) -> None:
        if self._forecasts.rehearsal.value is not None:
            at = self._time_s()
            self._rehearsed(self._forecasts.rehearsal.value)
            self._to(at)


class _Reading(QWidget):
    """A big figure with its name under it."""

    def __init__(self) -> None:
        super().__init__()
        inside = QVBoxLayout(self)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(0)
        self._value, self._name = label("", size=15, weight=SEMI), label("", "soft", BASE_PT - 1)
        inside.addWidget(self._value)
        inside.addWidget(self._name)

    def show_value(self, name: str, value: str, role: str) -> None:
        """Show a figure."""
        self._value.setText(value)
        self._name.setText(name)
        dress(self._value, "role", role)


def _figure_card(figure: Figure) -> QWidget:
    frame, inside = card(10, 0)
    inside.addWidget(label(figure.name, "soft", BASE_PT - 0.5))
    inside.addWidget(label(figure.value, size=15, weight=SEMI))
    inside.addWidget(label(figure.text, "soft", BASE_PT - 1))
    return frame
