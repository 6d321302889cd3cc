"""The stage Cold in the window: the bath against the cutoff, a proof typed, kept and told, a sensor
against a meter.
"""

import pytest
from PySide6.QtCore import QPoint, Qt

from nipper.app.stages.cold.view import ColdView

SEEN = "0 15 20\n2 8 20\n3 4 20\n4 2 0\n6 1 0\n9 3 0\n11 5 20\n13 9 20"


@pytest.fixture
def cold(open_window):
    view = open_window.view("cold")
    assert isinstance(view, ColdView)
    return view


def test_the_rail_says_it_is_not_proven_until_it_is(open_window, cold):
    entry = open_window.rail.entries["cold"]
    assert "not proven" in entry.sentence
    assert entry.status == "watch"
    cold.readings.setPlainText(SEEN)
    cold.judge_typed.click()
    assert cold.keep.isVisible()
    cold.keep.click()
    assert entry.status == "ok"
    assert "stops at 2 °C, resumes at 5 °C" in entry.sentence
    (proof,) = [e for e in open_window.document.history.events() if e.kind == "proof"]
    assert proof.pack == open_window.document.pack.id
    assert not cold.keep.isVisible()


def test_a_proof_is_of_one_pack(open_window, cold):
    cold.readings.setPlainText(SEEN)
    cold.judge_typed.click()
    cold.keep.click()
    open_window.desk.next_pack()
    assert "not proven" in open_window.rail.entries["cold"].sentence


def test_an_old_proof_is_due_again(open_window, cold):
    open_window.document.history.add_event(
        1.7e9, "proof", "cold cutoff proven: stops at 2 °C", open_window.document.pack.id
    )
    assert "over a year old" in open_window.rail.entries["cold"].sentence


def test_ice_water_is_told_to_be_too_warm_for_a_cutoff_at_freezing(open_window, cold):
    open_window.document.settings.change(
        {"protection.charge_under_temperature.trip_c": 0.0}, "freezing"
    )
    assert "cannot trip a 0 °C cutoff" in cold._bath_says.text()
    cold.bath.setCurrentIndex(1)
    cold.bath.activated.emit(1)
    assert "well below" in cold._bath_says.text()
    assert cold.salt.isVisible()


def test_readings_that_cannot_be_read_keep_their_text(cold):
    cold.readings.setPlainText("0 15 20\nsoon cold\n")
    cold.judge_typed.click()
    assert "line 2" in cold._says.text()
    assert "soon cold" in cold.readings.toPlainText()


def test_the_cutoff_is_set_here_too(open_window, cold):
    field = cold.fields["trip_c"]
    field.setText("40 F")
    field.setModified(True)
    field.editingFinished.emit()
    assert open_window.document.setup.protection.charge_under_temperature.trip_c == pytest.approx(
        4.444, abs=0.001
    )


def test_a_sensor_of_another_beta_is_told_to_be_unsafe(cold):
    cold.beta.setCurrentIndex(
        2
        # set up as 3950, measured as a 3435 part: 28.7 kohm at freezing reads 3 K warm
        # (tests/reference/ntc.csv)
    )
    cold.ohm.setText("28.704 kΩ")
    cold.ohm.setModified(True)
    cold.ohm.editingFinished.emit()
    assert "3.0 K too warm" in cold._meter_says.text()
    assert "frozen cell" in cold._meter_says.text()


def test_the_log_is_searched_and_says_when_there_is_nothing(cold):
    cold.judge_log.click()
    assert "nothing is proven" in cold._says.text()


def test_the_charger_stands_in_for_the_bms(qtbot, open_window, cold):
    document = open_window.document
    cold.who.activated.emit(1)
    assert document.setup.protection.charge_under_temperature is None
    assert document.setup.charge_cutoff.trip_c == 5.0
    assert cold._plan.count() == 5
    assert "not proven" in open_window.rail.entries["cold"].sentence
    cold.fields["trip_c"].entered.emit(4.0)
    assert document.setup.charging.cold_stop_c == 4.0
    cold.who.activated.emit(2)
    assert document.setup.charge_cutoff is None
    qtbot.waitUntil(lambda: "no cutoff" in open_window.rail.entries["cold"].sentence, timeout=5000)
    qtbot.waitUntil(
        lambda: any(c.label == "The charger's sensor stops it" for c in open_window.follows.shown),
        timeout=5000,
    )
    cold.who.activated.emit(0)
    assert document.setup.protection.charge_under_temperature.trip_c == 2.0


def test_the_cutoff_is_dragged_in_the_band(qtbot, open_window, cold):
    band = cold.band
    at = QPoint(int(band._x(2.0)), int(band._box(0).center().y()))
    qtbot.mousePress(band, Qt.MouseButton.LeftButton, pos=at)
    qtbot.mouseMove(band, at + QPoint(15, 0))
    qtbot.mouseMove(band, at + QPoint(30, 0))
    qtbot.mouseRelease(band, Qt.MouseButton.LeftButton, pos=at + QPoint(30, 0))
    assert open_window.document.setup.protection.charge_under_temperature.trip_c > 3.0
    open_window.undo()
    assert open_window.document.setup.protection.charge_under_temperature.trip_c == 2.0
