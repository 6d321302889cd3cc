"""The stage Keep in the window: the year with its calendar and report, storage, the meter's walk,
trip counters, the story.
"""

import pytest
from icalendar import Calendar
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel

from nipper.core.upkeep.due import Duty
from nipper.core.upkeep.meter import stand
from nipper.core.upkeep.stray import TITLE
from nipper.core.upkeep.trips import Trip


@pytest.fixture
def keep(open_window):
    open_window.go("keep")
    return open_window.desk.view("keep")


def type_into(field, text):
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, text)
    field.editingFinished.emit()


def texts(grid):
    found = []
    for i in range(grid.count()):
        item = grid.itemAt(i)
        if isinstance(item.widget(), QLabel):
            found.append(item.widget().text())
        elif item.layout() is not None:
            found += texts(item.layout())
    return found


def test_the_rail_says_what_is_due(qtbot, open_window, keep):
    rail = open_window.rail.entries["keep"]
    qtbot.waitUntil(lambda: rail.sentence.startswith("due: "))
    document = open_window.document
    document.settings.change({"protection.cell_over_voltage.release_v": 3.65}, "wrong")
    qtbot.waitUntil(lambda: "contradiction" in rail.sentence, timeout=10_000)


def test_the_year_lists_what_the_strip_shows_and_a_click_goes_there(keep):
    keep.show_page(0)
    year = keep.year
    titles = texts(year._grid)
    assert "Check bars and lugs with the torque wrench" in titles
    told = []
    year.strip.chosen.connect(told.append)
    QTest.mouseClick(year.strip, Qt.MouseButton.LeftButton,
                     pos=year.strip.rect().center())  # fmt: skip
    assert told
    year._order.button(1).click()
    assert year.takes.text().endswith("of work in all")


def test_a_torque_noted_in_build_moves_its_day(open_window, keep):
    keep.show_page(0)
    due = [d for d in keep.year._dues if d.duty == Duty.TORQUE]
    now_s = open_window.document.bench.clock()
    assert due[0].days_from(now_s) < 1
    open_window.go("build")
    built = open_window.desk.view("build").built
    built.select("switch")
    type_into(built.torque, "12")
    keep.show_page(0)
    due = [d for d in keep.year._dues if d.duty == Duty.TORQUE]
    assert 25 < due[0].days_from(now_s) < 35


def test_calendar_and_report_are_written(keep, tmp_path):
    keep.show_page(0)
    keep.year.write_calendar(tmp_path / "a.ics")
    assert list(Calendar.from_ical((tmp_path / "a.ics").read_bytes()).walk("VEVENT"))
    keep.write_to(tmp_path / "year.pdf")
    assert (tmp_path / "year.pdf").read_bytes().startswith(b"%PDF")


def test_a_pack_put_away_switched_off_lasts_longer(keep):
    keep.show_page(1)
    storage = keep.storage
    type_into(storage.fields["watts"], "20")
    before = texts(storage._grid)
    storage.off.setChecked(True)
    after = texts(storage._grid)
    assert before != after
    assert storage.rest().standby_w == 0.0
    assert any("20 W that stay on" in t for t in before)


def test_what_warmth_costs_is_told_for_this_use(open_window, keep):
    keep.show_page(2)
    page = keep.life
    before = page.told.text()
    assert before.endswith("in the first ten.")
    assert page.life().cycles_a_day > 0
    type_into(page.fields["cell_c"], "45")
    assert page.told.text() != before
    assert any("years" in t for t in texts(page._grid))


def test_a_walk_is_gone_in_the_window_noted_and_compared(open_window, keep):
    keep.show_page(3)
    meter = keep.meter
    walk = meter.walk
    fuse = next(f for f in walk.faults if f.id == "main-fuse")
    for _ in range(10):
        found = stand(walk, meter.readings)
        if found.ask is None:
            break
        assert meter.where.currentData() == found.ask.id
        type_into(meter.field, f"{walk.reads(fuse, found.ask.id).value:.2f}")
    assert meter.verdict.text().startswith("The main fuse is open")
    QTest.mouseClick(meter.note, Qt.MouseButton.LeftButton)
    assert "The main fuse is open" in open_window.document.history.events()[-1].note
    meter._begin()
    assert meter.readings == {}
    assert meter.last.text().startswith("Last time: ")


def test_another_reading_than_the_one_asked_for_may_be_taken_and_taken_back(keep):
    keep.show_page(3)
    meter = keep.meter
    at = next(i for i in range(meter.where.count()) if meter.where.itemData(i) == "lugs")
    meter.where.setCurrentIndex(at)
    meter.where.activated.emit(at)
    assert meter.caution.text()
    type_into(meter.field, "0.1")
    assert meter.readings == {"lugs": 0.1}
    back = meter._grid.itemAtPosition(0, 2).widget()
    QTest.mouseClick(back, Qt.MouseButton.LeftButton)
    assert meter.readings == {}


def test_a_hidden_fault_is_looked_for_and_named(keep):
    keep.show_page(4)
    page = keep.practise
    page.seed.set_value(7.0)
    page.start()
    case = page.case
    assert page.seen.text() == f"{case.walk.title}."
    page.safe.setChecked(True)
    first = page.where.currentData()
    QTest.mouseClick(page.read, Qt.MouseButton.LeftButton)
    assert page.readings == [case.read(first)]
    page.answer.setCurrentIndex(page.answer.findData(case.hidden.id))
    page.cure.setCurrentIndex(page.cure.findData(case.hidden.cure))
    assert not page.cell.isVisible()
    QTest.mouseClick(page.name, Qt.MouseButton.LeftButton)
    said = texts(page._verdict)
    assert said[0].startswith("Right: ")
    assert said[1].startswith("And that is done: ")
    assert not any("Not made safe" in t for t in said)
    assert page.case is None
    page._next()
    assert page.seed.value == 8.0
    page.answer.setCurrentIndex(0)
    wrong = page.answer.itemData(0) != page.case.hidden.id
    page._named()
    assert texts(page._verdict)[0].startswith("No: " if wrong else "Right: ")


def test_counters_are_typed_and_their_growth_is_told(open_window, keep):
    keep.show_page(5)
    trips = keep.trips
    for count in ("2", "5"):
        type_into(trips.fields[Trip.CELL_HIGH], count)
        QTest.mouseClick(trips.keep, Qt.MouseButton.LeftButton)
    said = texts(trips._grid)
    assert any("cell over-voltage: 3 times" in t for t in said)
    assert "trip counters: cell over-voltage 5" in open_window.document.history.events()[-1].note
    assert trips.fields[Trip.CELL_HIGH].placeholderText() == "5"


def said_in(table):
    last = table.columnCount() - 1
    return [table.item(row, last).text() for row in range(table.rowCount())]


def test_the_story_is_searched_by_words(keep):
    keep.show_page(6)
    story = keep.story
    assert any("bars retorqued" in t for t in said_in(story.table))
    story.search.setText("RETORQUED bars")
    assert said_in(story.table) == ["bars retorqued"]
    assert story.count.text().startswith("1 of ")
    story.search.setText("no such thing")
    assert story.count.text().startswith("0 of ")


def test_a_case_stands_with_what_was_done_about_it(keep):
    keep.show_page(6)
    said = texts(keep.story._cases)
    assert any("Cell 3 loses" in t for t in said)


def test_a_cell_that_strays_is_walked_as_soon_as_its_causes_were_run(qtbot, keep):
    keep.show_page(3)
    meter = keep.meter
    meter.symptom.setCurrentText(TITLE)
    meter.symptom.activated.emit(meter.symptom.currentIndex())
    assert "Ten causes are run" in meter.verdict.text()
    qtbot.waitUntil(lambda: keep.stray.walk is not None, timeout=60_000)
    assert meter.walk.id == "stray"
    leak = next(f for f in meter.walk.faults if f.id == "leak")
    while (asked := stand(meter.walk, meter.readings).ask) is not None:
        type_into(meter.field, f"{meter.walk.reads(leak, asked.id).value:.1f}")
    assert "loses charge" in meter.verdict.text()


def choose(box, value):
    box.setCurrentIndex(box.findData(value))
    box.activated.emit(box.currentIndex())


def test_a_straying_cell_is_practised(qtbot, keep):
    keep.show_page(4)
    page = keep.practise
    page.subject.setCurrentIndex(1)
    page.seed.set_value(3.0)
    page.start()
    assert page.case is None
    qtbot.waitUntil(lambda: page.case is not None, timeout=60_000)
    assert page.seen.text() == f"{TITLE}."
    assert page.answer.count() == 10
    case = page.case
    choose(page.where, "top")
    QTest.mouseClick(page.read, Qt.MouseButton.LeftButton)
    row = page.readings[0].values
    assert len(row) == 8
    shown = page._grid.itemAtPosition(0, 0).widget()
    assert len(shown.findChildren(QLabel)) == 16
    choose(page.where, "meter")
    for cell in (case.cell, case.cell % 8 + 1):
        page.at.setValue(cell)
        page.safe.setChecked(True)
        QTest.mouseClick(page.read, Qt.MouseButton.LeftButton)
        assert page.where.currentData() == "meter"
    assert [t.cell for t in page.readings] == [0, case.cell, case.cell % 8 + 1]
    choose(page.answer, case.hidden.id)
    choose(page.cure, case.hidden.cure)
    page.cell.setValue(case.cell)
    QTest.mouseClick(page.name, Qt.MouseButton.LeftButton)
    assert texts(page._verdict)[0].startswith("Right: ")
    page.subject.setCurrentIndex(0)
    page.start()
    assert page.case.walk.title != TITLE


def test_a_pack_that_is_never_full_says_so_instead(qtbot, open_window, keep):
    open_window.document.settings.change(
        {"charging.absorption_v": 26.0, "charging.float_v": 25.6}, "low"
    )
    keep.show_page(4)
    page = keep.practise
    page.subject.setCurrentIndex(1)
    page.start()
    qtbot.waitUntil(lambda: "not filled" in page.seen.text(), timeout=60_000)
    assert page.case is None


def test_settings_that_change_while_the_causes_are_run_are_run_too(qtbot, open_window, keep):
    keep.stray.ask()
    open_window.document.settings.change({"balancer.delta_mv": 7.0}, "trigger")
    qtbot.waitUntil(lambda: keep.stray.walk is not None, timeout=90_000)
