"""The stages Rehearse and Level in the window: asked once, current ever after; faults stepped in;
schools taken over.
"""

from itertools import pairwise

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QPushButton

from nipper.app.jobs import Latest
from nipper.app.stages.level.view import LevelView, spread_apart
from nipper.app.stages.rehearse.controls import STEPS
from nipper.app.stages.rehearse.view import RehearseView


@pytest.fixture
def settled(qtbot, open_window):
    def wait():
        forecasts = open_window.forecasts
        assert forecasts
        qtbot.waitUntil(
            lambda: not forecasts.busy and not open_window.document.busy, timeout=90_000
        )

    return wait


@pytest.fixture
def rehearse(open_window, settled):
    view = open_window.view("rehearse")
    assert isinstance(view, RehearseView)
    settled()
    return view


@pytest.fixture
def level(open_window, settled):
    view = open_window.view("level")
    assert isinstance(view, LevelView)
    settled()
    return view


def test_opening_the_stage_runs_three_days(open_window, rehearse):
    rehearsal = open_window.forecasts.rehearsal.value
    assert rehearsal is not None
    assert rehearsal.measured
    assert rehearsal.plan.days == 3
    assert "3 days" in open_window.rail.entries["rehearse"].sentence
    assert open_window.follows.shown


def test_a_change_of_settings_is_rehearsed_by_itself(open_window, rehearse, settled):
    before = open_window.forecasts.rehearsal.value
    open_window.document.settings.change({"charging.absorption_v": 27.0}, "lower")
    settled()
    after = open_window.forecasts.rehearsal.value
    assert after is not before
    assert after.main.trial.logs[0].pack_v.max() < before.main.trial.logs[0].pack_v.max()


def test_playing_and_pausing(qtbot, rehearse):
    first, last = rehearse.lanes.hours
    rehearse.lanes.set_hour(first)
    rehearse.controls.play.click()
    qtbot.waitUntil(lambda: rehearse.lanes.hour > first, timeout=5000)
    assert "Pause" in rehearse.controls.play.text()
    qtbot.keyClick(rehearse, Qt.Key.Key_Space)
    here = rehearse.lanes.hour
    qtbot.wait(120)
    assert rehearse.lanes.hour == here
    qtbot.keyClick(rehearse, Qt.Key.Key_End)
    assert rehearse.lanes.hour == last


@pytest.mark.parametrize("step", range(len(STEPS)))
def test_every_fault_can_be_stepped_in_and_taken_out(open_window, rehearse, settled, step):
    before = open_window.forecasts.rehearsal.value.main.trial
    rehearse.lanes.set_hour(34.0)
    rehearse.controls.steps.button(step).click()
    settled()
    rehearsal = open_window.forecasts.rehearsal.value
    assert len(rehearsal.plan.events) == 1
    assert rehearsal.plan.events[0].day == pytest.approx(34.0 / 24.0, abs=0.05)
    after = rehearsal.main.trial
    early = before.logs[0].time_s < before.start_s + 33.5 * 3600
    assert (
        before.logs[0].cell_v[early] == after.logs[0].cell_v[early]
    ).all()  # nothing changes before it
    if STEPS[step].title not in (
        "pull the plug",
        "pack off",
    ):  # an open loop has no plug; another pack carries on
        assert (before.logs[0].cell_v != after.logs[0].cell_v).any() or (
            before.logs[0].temp_c != after.logs[0].temp_c
        ).any()
    rehearse.controls.clear.click()
    settled()
    assert open_window.forecasts.rehearsal.value.plan.events == ()


def test_looking_closer_and_back(open_window, rehearse, settled):
    rehearse.lanes.set_hour(36.0)
    rehearse.controls.look.click()
    settled()
    first, last = rehearse.lanes.hours
    assert last - first == pytest.approx(1 / 6, abs=0.01)
    assert first < 36.0 < last
    rehearse._back.click()
    assert rehearse.lanes.hours[1] - rehearse.lanes.hours[0] > 70


def test_two_settings_side_by_side(open_window, rehearse, settled):
    box = rehearse.controls.other
    assert box.count() > 1
    box.setCurrentIndex(1)
    box.activated.emit(1)
    settled()
    assert open_window.forecasts.rehearsal.value.other is not None
    assert any(c.lead.startswith("Same sky") for c in open_window.follows.shown)


def test_days_sky_and_loads_are_the_user_s(open_window, rehearse, settled):
    rehearse.controls.days.button(0).click()
    rehearse.controls.sky.setCurrentIndex(2)
    rehearse.controls.sky.activated.emit(2)
    field = rehearse.controls.fields["sun_w"]
    field.setText("2 kW")
    field.setModified(True)
    field.editingFinished.emit()
    settled()
    plan = open_window.forecasts.rehearsal.value.plan
    assert (plan.days, plan.weather, plan.sun_w) == (1.0, "cloudy", 2000.0)
    assert open_window.forecasts.rehearsal.value.main.trial.scenario.pv_w == 2000.0


def test_level_shows_every_school_and_takes_one_over(open_window, level, settled):
    forecast = open_window.forecasts.levelling.value
    assert forecast is not None
    course = forecast.courses[1]
    level.pick(course.school.id)
    before = open_window.document.setup
    take = next(
        b
        for b in level.findChildren(QPushButton)
        if b.text() == "Take" and b.property("school") == course.school.id
    )
    take.click()
    settled()
    assert open_window.document.setup != before
    assert course.school.id not in {
        c.school.id for c in open_window.forecasts.levelling.value.courses if c.school
    }
    open_window.undo()
    assert open_window.document.setup == before


def test_the_start_voltage_moves_with_the_line(open_window, level, settled):
    level._start.setPos(3.40)
    level._start_moved(level._start)
    settled()
    assert open_window.document.setup.balancer.start_v == 3.40


def test_level_without_a_log_says_what_is_missing(qtbot, window, tmp_path):
    from nipper.core.presets import new_setup
    from nipper.store import Bench

    window.open_bench(Bench.create(tmp_path / "empty.nipper", new_setup("lfp", 4, 100.0)))
    view = window.view("level")
    qtbot.waitUntil(lambda: not window.forecasts.busy and not window.document.busy, timeout=90_000)
    words = [w.text() for w in view.findChildren(type(view._title))]
    assert any("A log is needed" in w for w in words)


def test_names_at_line_ends_keep_their_distance():
    placed = spread_apart([(10.0, "a", ""), (10.0, "b", ""), (9.9, "c", ""), (0.0, "d", "")], 1.0)
    places = [p for p, _ in placed]
    assert all(b - a >= 0.999 for a, b in pairwise(places))
    assert places[0] >= 0.25


def test_a_failing_question_is_told_and_the_next_one_answered(qtbot):
    from nipper.core.errors import RangeError

    def work(n):
        if n == 1:
            raise RangeError("no such thing")
        return n

    latest = Latest(work)
    told, got = [], []
    latest.failed.connect(told.append)
    latest.answered.connect(got.append)
    latest.ask(1)
    latest.ask(2)
    qtbot.waitUntil(lambda: got == [2], timeout=5000)
    assert told == ["no such thing"]
