"""The live watch in the window, on the stand-in and on a device of the loopback."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from nipper.app.shell.deviceline import MODBUS
from nipper.app.shell.watchpage import WatchPage
from nipper.core.link import points
from nipper.core.link.modbus import StandInDevice
from nipper.core.link.pull import kept
from nipper.core.presets import new_setup
from tests.builders import charge_log

PLAIN = points.load_registers("registers-simple")


@pytest.fixture
def page(open_window):
    page = open_window.side.show("watch")
    assert isinstance(page, WatchPage)
    page.every.set_value(1.0)
    yield page
    page.stop()


@pytest.fixture
def device():
    told = {"pack_v": 27.65, "current_a": 2.0, "soc_pct": 99.0}
    cells = [3.45] * 7 + [3.41]
    with StandInDevice(points.write(PLAIN, told, cells), 2) as found:
        yield found


def click(button):
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)


def test_the_stand_in_is_watched_but_not_kept(qtbot, page):
    click(page.start)
    qtbot.waitUntil(lambda: page.watch.now is not None, timeout=30_000)
    assert page.numbers["deviation"].text().endswith(" mV")
    assert page.start.text() == "Stop"
    page.note.setText("balancer on")
    click(page.mark_it)
    assert [m.note for m in page.watch.marks] == ["balancer on"]
    assert not page.keep.isEnabled()
    click(page.start)
    assert page.start.text() == "Start"
    assert page.state.text() == "Stopped"
    page.link.use(MODBUS)  # another source does not make a log of what was played
    assert not page.keep.isEnabled()
    page.keep_watch()
    assert page.watch is not None


def test_a_watch_of_a_device_becomes_a_log_with_its_marks(qtbot, open_window, page, device):
    document = open_window.document
    before = len(document.bench.logs.all())
    page.link.use(MODBUS)
    page.link.place.setText(device.place)
    page.link.device.setValue(2)
    click(page.start)
    qtbot.waitUntil(lambda: len(page.watch.rows) >= 2, timeout=30_000)
    assert page.numbers["deviation"].text() == "40 mV"
    assert page._names["lowest"].text() == "lowest: cell 8"
    page.note.setText("charger to 55.2 V")
    QTest.keyClick(page.note, Qt.Key.Key_Return)
    click(page.keep)
    assert "1 marks" not in page.state.text()
    logs = document.bench.logs.all()
    assert len(logs) == before + 1
    assert logs[-1].file == "watched live"
    assert any(e.note == "charger to 55.2 V" for e in document.history.events())
    qtbot.waitUntil(lambda: not document.busy, timeout=30_000)


def test_nobody_there_is_told(qtbot, page):
    page.link.use(MODBUS)
    page.link.place.setText("127.0.0.1:1")
    click(page.start)
    qtbot.waitUntil(lambda: "nothing does" in page.state.text(), timeout=30_000)
    qtbot.waitUntil(lambda: page.start.text() == "Start", timeout=5_000)


def test_leaving_the_page_ends_the_readings(qtbot, open_window, page):
    click(page.start)
    qtbot.waitUntil(lambda: page.watch.now is not None, timeout=30_000)
    open_window.go("record")
    assert page._stream is None
    assert page.watch.rows  # what was read stays


def test_the_log_a_bms_has_kept_is_pulled_into_the_record(qtbot, open_window, page):
    log = charge_log(new_setup("lfp", 8, 100.0), [0.0] * 8, charges=1, interval_s=60.0)
    document = open_window.document
    before = len(document.bench.logs.all())
    with StandInDevice(kept(log, PLAIN.log), 5) as device:
        page.link.use(MODBUS)
        page.link.place.setText(device.place)
        page.link.device.setValue(5)
        click(page.pull)
        qtbot.waitUntil(lambda: "rows pulled" in page.state.text(), timeout=30_000)
    assert len(document.bench.logs.all()) in (before, before + 1)  # the same days, or new ones
    qtbot.waitUntil(lambda: not document.busy, timeout=30_000)


def test_a_pull_under_way_comes_into_no_other_packs_record(qtbot, open_window, page):
    log = charge_log(new_setup("lfp", 8, 100.0), [0.0] * 8, charges=1, interval_s=60.0)
    document = open_window.document
    before = document.bench.logs.all()
    with StandInDevice(kept(log, PLAIN.log), 5) as device:
        page.link.use(MODBUS)
        page.link.place.setText(device.place)
        page.link.device.setValue(5)
        click(page.pull)
        document.choose_pack(document.records.packs[1].id)
        qtbot.waitUntil(lambda: page.pull.text() == "Pull its log", timeout=30_000)
    assert document.bench.logs.all() == before


def test_a_log_of_another_pack_is_refused(qtbot, page):
    log = charge_log(new_setup("lfp", 4, 100.0), [0.0] * 4, charges=1, interval_s=60.0)
    with StandInDevice(kept(log, PLAIN.log)) as device:
        page.link.use(MODBUS)
        page.link.place.setText(device.place)
        click(page.pull)
        qtbot.waitUntil(lambda: "this pack has 8" in page.state.text(), timeout=30_000)


def test_the_stand_in_keeps_the_records_last_day(qtbot, page):
    click(page.pull)
    qtbot.waitUntil(lambda: "in the bench already" in page.state.text(), timeout=30_000)


def test_a_profile_of_ones_own(page, tmp_path):
    file = tmp_path / "mine.json"
    text = (
        '{"format": "nipper-link-profile", "version": 1, "name": "mine", "title": "my BMS", '
        '"source": "its sheet", "transport": "rs485", '
        '"points": [{"quantity": "pack_v", "address": 7}]}'
    )
    file.write_text(text)
    page.take_profile(str(file))
    assert page._registers().name == "mine"
    assert page.profile.currentText() == "my BMS"
    file.write_text("{")
    page.take_profile(str(file))
    assert page._registers().name == "registers-simple"


def test_where_a_profile_leaves_the_sign_open_the_user_says_it(qtbot, page):
    bank = points.load_registers("sunspec-battery")
    told = {"pack_v": 27.65, "current_a": -20.0, "highest_cell_v": 3.46, "lowest_cell_v": 3.44}
    assert not page.turned.isVisible()
    with StandInDevice(points.write(bank, told)) as device:
        page.link.use(MODBUS)
        page.link.place.setText(device.place)
        page.profile.setCurrentIndex(page.profile.findData("sunspec-battery"))
        page.profile.activated.emit(page.profile.currentIndex())
        assert page.turned.isVisible()
        page.turned.setChecked(True)
        click(page.start)
        qtbot.waitUntil(lambda: page.watch.now is not None, timeout=30_000)
        assert page.numbers["current"].text() == "20.0 A"
        assert page._names["current"].text() == "into the pack"
        assert not page.turned.isEnabled()
        page.stop()


@pytest.mark.parametrize(
    ("cells", "said"),
    [
        ([3.45] * 7 + [4.21], "Cell 8 read 4.21 V: stop charging, and measure"),
        ([3.3, 1.2] + [3.3] * 6, "Cell 2 read 1.20 V: stop charging, and measure"),
    ],
)
def test_a_cell_in_danger_is_told_with_the_reading(qtbot, page, cells, said):
    """It was "ok · 57 readings" while a cell went to 4.3 V."""
    told = {"pack_v": sum(cells), "current_a": 20.0, "soc_pct": 99.0, "temperature_c": 20.0}
    with StandInDevice(points.write(PLAIN, told, cells), 2) as device:
        page.link.use(MODBUS)
        page.link.place.setText(device.place)
        page.link.device.setValue(2)
        click(page.start)
        qtbot.waitUntil(lambda: page.state.text() == said, timeout=30_000)
        page.stop()
