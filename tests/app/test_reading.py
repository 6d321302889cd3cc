"""A reading by hand, in the window: typed, judged as it is typed, kept, compared, and no charge
made of it.
"""

import pytest
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel

from nipper.app.shell.readingpage import ReadingPage
from nipper.core.logs.typed import TYPED

SPREAD = "3.452 3.449 3.451 3.448 3.450 3.449 3.512 3.431"
LATER = "3.452 3.449 3.451 3.448 3.450 3.449 3.490 3.436"


@pytest.fixture
def page(open_window):
    found = open_window.side.show("reading")
    assert isinstance(found, ReadingPage)
    return found


def type_current(page, text):
    field = page.fields["current_a"]
    field.setFocus()
    QTest.keyClicks(field, text)
    field.editingFinished.emit()


def test_a_reading_tells_as_it_is_typed(page):
    assert page.told.big.text() == "–"
    assert not page.keep.isEnabled()
    page.cells.setPlainText("3.452 3.449")
    assert "expected 8 cells, found 2" in page.trouble_line.text()
    type_current(page, "5")
    page.cells.setPlainText(SPREAD)
    assert page.trouble_line.text() == ""
    assert page.told.big.text() == "81 mV"
    assert page.keep.isEnabled()


def test_a_kept_reading_is_in_the_record_and_no_charge(qtbot, open_window, page):
    document = open_window.document
    before = len(document.record.diagnosis.estimate.charges)
    rows = document.record.log.rows
    type_current(page, "5")
    page.cells.setPlainText(SPREAD)
    page.keep.click()
    qtbot.waitUntil(lambda: not document.busy, timeout=20_000)
    assert [log.rows for log in document.bench.logs.all() if log.file == TYPED] == [1]
    assert document.record.log.rows == rows + 1
    assert len(document.record.diagnosis.estimate.charges) == before
    open_window.go("record")
    view = open_window.desk.view("record")
    assert [e.note for e in view.heat._events if e.kind == "reading"] == ["read 81 mV"]
    assert not view.heat.grab().isNull()


def test_the_next_reading_is_held_against_the_one_before(qtbot, open_window, page):
    type_current(page, "5")
    page.cells.setPlainText(SPREAD)
    page.keep.click()
    qtbot.waitUntil(lambda: not open_window.document.busy, timeout=20_000)
    page.cells.setPlainText(LATER)
    page.keep.click()
    assert "reading of this minute already" in page.trouble_line.text()
    page.at.setDateTime(page.at.dateTime().addSecs(1800))
    assert "30 min after the reading before: 81 → 54 mV" in page.told.since.text()


def test_a_pack_without_a_log_begins_with_a_reading(qtbot, open_window, page):
    document = open_window.document
    document.choose_pack(document.records.packs[1].id)
    type_current(page, "5")
    page.cells.setPlainText(SPREAD)
    page.keep.click()
    qtbot.waitUntil(lambda: not document.busy, timeout=20_000)
    assert document.record is not None
    assert document.record.diagnosis.verdict == "not_enough_data"
    open_window.go("record")
    assert "81 mV at 3.455 V, +5 A" in open_window.desk.view("record")._empty.text()
    open_window.go("diagnose")


def test_what_else_the_screen_shows_is_judged_and_kept(qtbot, open_window, page):
    document = open_window.document
    page.fields["soc_pct"].set_value(99.0)
    page.fields["remaining_ah"].set_value(0.80 * document.setup.capacity_ah)
    page.fields["full_ah"].set_value(document.setup.capacity_ah)
    page.fields["cycles"].set_value(312.0)
    page.alarms.setText("Cell over voltage")
    words = " ".join(line.text() for line in page.told.findChildren(QLabel))
    assert "are 80 %, the screen counts 99 %" in words
    assert "Alarm, cell over-voltage" in words
    assert page.keep.isEnabled()  # without a cell: the counts alone are worth keeping
    page.keep.click()
    kept = document.history.events()[-1]
    assert "312 cycles, alarms: Cell over voltage" in kept.note
    assert kept.pack == document.pack.id
    assert page.fields["cycles"].value is None
    page.at.setDateTime(page.at.dateTime().addSecs(3600))
    page.fields["cycles"].set_value(12.0)
    page._judge()
    words = " ".join(line.text() for line in page.told.findChildren(QLabel))
    assert "12 cycles, and 312 before" in words


def test_several_packs_are_read_at_the_same_minute(qtbot, open_window, page):
    document = open_window.document
    first, second = (pack.id for pack in document.records.packs)
    page.at.setDateTime(page.at.dateTime().addSecs(-7200))
    at = page.at.dateTime()
    page.cells.setPlainText(SPREAD)
    page.keep_and_on.click()
    assert document.pack.id == second
    assert page.at.dateTime() == at
    assert page.cells.toPlainText() == ""
    page.cells.setPlainText(LATER)
    page.keep_and_on.click()
    assert document.pack.id == first
    typed = [log for log in document.bench.logs.all() if log.file == TYPED]
    assert [log.pack for log in typed] == [first, second]
    assert typed[0].first_s == typed[1].first_s
    qtbot.waitUntil(lambda: not document.busy, timeout=20_000)


def test_nothing_typed_is_lost_and_nothing_goes_to_another_pack(open_window, page):
    document = open_window.document
    page.fields["cycles"].set_value(5.0)
    page.cells.setPlainText("3.452 3.4")  # not as many as there are
    assert not page.keep.isEnabled()
    page.fields["pack_v"].set_value(27.7)
    document.choose_pack(document.records.packs[1].id)
    assert page.cells.toPlainText() == ""
    assert all(field.value is None for field in page.fields.values())
