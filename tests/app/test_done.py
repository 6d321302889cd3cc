"""What was fed by hand is noted where it was asked for; nobody is asked to do it twice."""

import numpy as np
import pytest
from PySide6.QtWidgets import QLabel

from nipper.app.document import READ_OTHERWISE, TOLD_OTHERWISE
from nipper.core.imbalance import moved
from nipper.core.imbalance.states import LEVELLED
from nipper.core.logs import builds, looked
from nipper.core.presets import new_setup
from nipper.store import Bench
from tests.builders import charge_log


@pytest.fixture
def lower(window, tmp_path, qtbot):
    """One cell that stands lower than the others."""
    off = np.zeros(8)
    off[2] = -4.0
    setup = new_setup("lfp", 8, 100.0)
    bench = Bench.create(tmp_path / "lower.nipper", setup)
    bench.logs.add(1, charge_log(setup, off, charges=6), "log.csv")
    window.open_bench(bench)
    qtbot.waitUntil(lambda: window.document.record is not None, timeout=30_000)
    window.go("diagnose")
    return window


def seen(view):
    return "\n".join(one.text() for one in view.findChildren(QLabel) if one.isVisible())


def test_what_was_fed_is_not_asked_for_again(lower, qtbot):
    view, history = lower.desk.view("diagnose"), lower.document.history
    qtbot.waitUntil(lambda: "Feed cell 3" in seen(view))
    assert view.done.isVisible()
    assert view.done.cell.currentText() == "cell 3"
    asked_ah = view.done.ah.value
    assert asked_ah > 1.0
    view.done.ah.set_value(None)
    view.done.note()
    assert "How many ampere-hours" in view.done.trouble.text()
    view.done.ah.set_value(asked_ah)
    view.done.note()
    qtbot.waitUntil(lambda: "Charge fully twice, then read the log" in seen(view))
    assert "Feed cell 3" not in seen(view)
    assert not view.done.isVisible()
    event = history.events()[-1]
    assert event.note == f"cell 3 fed with {asked_ah:g} Ah"
    assert lower.forecasts.known[1].estimate.drift.last_ah[2] > -4.0 + 0.5
    history.remove_event(event.id)
    qtbot.waitUntil(lambda: "Feed cell 3" in seen(view))


def test_a_levelling_that_was_noted_is_heard_too(lower, qtbot):
    view = lower.desk.view("diagnose")
    lower.document.history.add_event(lower.document.bench.clock(), "levelled", "all level", 1)
    qtbot.waitUntil(lambda: "since its full charges all cells levelled" in seen(view))
    assert "Feed cell 3" not in seen(view)
    qtbot.waitUntil(lambda: "Charge fully twice" in lower.rail.entries["keep"].sentence)


def test_what_is_noted_while_the_log_is_read_counts_too(lower, qtbot):
    document = lower.document
    document.records.read(document.pack)
    document.history.add_event(document.bench.clock(), "levelled", "all level", 1)
    qtbot.waitUntil(lambda: not document.records.busy, timeout=30_000)
    assert document.record.diagnosis.moved is not None


def test_events_are_heard_by_the_kinds_they_are_kept_as():
    assert set(READ_OTHERWISE) == {builds.KIND, looked.SENSOR}
    assert set(TOLD_OTHERWISE) == {looked.CELL, moved.KIND, LEVELLED}
