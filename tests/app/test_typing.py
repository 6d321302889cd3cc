"""The typing sheet and the revisions in the window: ticks that are kept, an order of one's own,
restoring, reading back.
"""

import pytest
from PySide6.QtCore import Qt

from nipper.app.shell import rescue
from nipper.app.shell.deviceline import MODBUS
from nipper.app.shell.revisionspage import RevisionsPage
from nipper.app.shell.typingpage import TypingPage
from nipper.app.shell.typingstate import TypingState
from nipper.app.shell.writeback import CAUTION, LEAVE, NEEDS_MAP, WRITE
from nipper.core.link.modbus import StandInBms
from nipper.core.link.registers import standin_map
from nipper.core.report.typingsheet import Item, Menu, dumps_menu
from nipper.core.setup import dumps, put


@pytest.fixture
def typing(open_window):
    page = open_window.side.show("typing")
    assert isinstance(page, TypingPage)
    return page


@pytest.fixture
def revisions(open_window):
    open_window.note_typed_in()
    page = open_window.side.show("revisions")
    assert isinstance(page, RevisionsPage)
    return page


def test_enter_ticks_and_goes_on(qtbot, typing):
    first = typing.sheet.lines[0]
    assert typing._value.text() == first.value
    qtbot.keyClick(typing, Qt.Key.Key_Return)
    assert typing._value.text() == typing.sheet.lines[1].value
    assert typing._title.text().startswith("Typing sheet of Pack A: 1 of")
    qtbot.keyClick(typing, Qt.Key.Key_Up)
    qtbot.keyClick(typing, Qt.Key.Key_Backspace)
    assert typing._title.text().startswith("Typing sheet of Pack A: 0 of")
    qtbot.keyClick(typing, Qt.Key.Key_Down)
    assert typing.sheet.row == 1


def test_interrupted_it_goes_on_where_it_stopped(open_window, typing):
    for _ in range(5):
        typing.tick_line()
    again = TypingPage(open_window.document, open_window.theme, open_window.zone)
    assert again.sheet.row == 5
    assert "5 of" in again._title.text()
    again.deleteLater()


def test_a_value_that_changes_is_open_again(open_window, typing):
    for _ in range(6):
        typing.tick_line()
    assert typing.sheet.ticked(typing.sheet.lines[4])
    open_window.document.settings.change({typing.sheet.lines[4].path: 3.61}, "other")
    assert not typing.sheet.ticked(typing.sheet.lines[4])


def test_all_ticked_becomes_a_dated_revision(open_window, typing):
    assert not typing.done.isEnabled()
    for _ in typing.sheet.lines:
        typing.tick_line()
    assert typing.done.isEnabled()
    typing.done.click()
    assert open_window.document.bench.history.revisions()[-1].kind == "typed in"
    assert "typed in" in open_window.top.revision.text()
    open_window.side.show("typing")
    typing.only_changed.setCurrentIndex(1)
    typing.refresh()
    assert "Nothing has changed" in typing._label.text()


def test_an_own_order_with_own_words_and_units(open_window, typing, tmp_path):
    path = tmp_path / "menu.json"
    path.write_text(
        dumps_menu(
            Menu(name="mine", items=[Item(path="charging.float_v", label="Standby", unit="mV")])
        )
    )
    typing.files.read_menu(str(path))
    assert (typing.sheet.lines[0].label, typing.sheet.lines[0].value) == ("Standby", "26800 mV")
    typing._chosen(0)
    typing.unit.setCurrentText("V")
    typing._unit_chosen()
    assert typing._value.text() == "26.80 V"
    (tmp_path / "wrong.json").write_text('{"items": [{"path": "nothing"}]}')
    typing.files.read_menu(str(tmp_path / "wrong.json"))
    assert "items.0.path" in open_window.message.text()
    assert typing.sheet.lines[0].label == "Standby"


def test_a_line_is_dragged_to_its_place(typing):
    moved = typing.sheet.lines[3].path
    typing.list.model().moveRow(typing.list.rootIndex(), 3, typing.list.rootIndex(), 0)
    assert typing.sheet.lines[0].path == moved


def test_the_sheet_is_printed(typing, tmp_path):
    file = tmp_path / "sheet.pdf"
    typing.files.print_to(str(file))
    assert file.read_bytes().startswith(b"%PDF")


def test_a_revision_is_compared_and_restored(open_window, revisions):
    before = open_window.document.setup
    open_window.document.settings.change({"charging.absorption_v": 27.0}, "lower")
    revisions.list.setCurrentRow(0)
    assert "1 difference" in revisions._says.text()
    assert revisions.table.item(0, 3).text() == "27.00 V"
    revisions.restore.click()
    assert open_window.document.setup == before
    assert "The same as" in revisions._says.text()
    open_window.undo()
    assert open_window.document.setup.charging.absorption_v == 27.0


def test_what_the_bms_shows_is_read_back(open_window, revisions, tmp_path):
    shown = put(open_window.document.setup, {"protection.cell_over_voltage.trip_v": 3.6})
    path = tmp_path / "shown.json"
    path.write_text(dumps(shown))
    revisions.take_read_back(str(path))
    newest = open_window.document.bench.history.revisions()[-1]
    assert newest.kind == "read back"
    assert newest.note.startswith("read back")
    assert newest.pack == open_window.document.pack.id
    assert newest.note.endswith("1 difference to the settings")
    assert "read back" in revisions.list.item(0).text()
    revisions.list.clearSelection()
    for row in (0, 1):
        revisions.list.item(row).setSelected(True)
    assert "1 difference to the newer" in revisions._says.text()
    path.write_text("{}")
    revisions.take_read_back(str(path))
    assert "shown.json" in open_window.message.text()


def test_a_table_is_read_back_and_a_wrong_line_changes_nothing(open_window, revisions, tmp_path):
    bench, path = open_window.document.bench, tmp_path / "shown.csv"
    path.write_text(
        "setting;section;value\ntrip;Cell over-voltage;3600 mV\ndelay;Cell over-voltage;2\n",
        encoding="utf-8-sig",
    )
    revisions.take_read_back(str(path))
    newest = bench.history.revisions()[-1]
    assert newest.setup.protection.cell_over_voltage.trip_v == 3.6
    assert "read back 2 settings: 1 difference" in newest.note
    path.write_text("path,value\nprotection.cell_over_voltage.trip_v,high\n")
    revisions.take_read_back(str(path))
    assert "line 2" in open_window.message.text()
    assert bench.history.revisions()[-1].id == newest.id


def test_another_banks_settings_are_compared_and_nothing_is_kept(open_window, revisions, tmp_path):
    document, path = open_window.document, tmp_path / "other.json"
    path.write_text(dumps(put(document.setup, {"name": "Other shed", "balancer.start_v": 3.45})))
    before = len(document.bench.history.revisions())
    revisions.compare_with(str(path))
    assert "1 difference to Other shed" in revisions._says.text()
    assert revisions.table.item(0, 3).text() == "3.45 V"
    assert len(document.bench.history.revisions()) == before
    revisions.compare_with(str(tmp_path / "none.json"))
    assert "none.json" in open_window.message.text()


def test_events_stand_between_the_revisions(open_window, revisions):
    texts = [revisions.list.item(i).text() for i in range(revisions.list.count())]
    assert any("bars retorqued" in t for t in texts)
    event = next(i for i, t in enumerate(texts) if "bars retorqued" in t)
    assert not revisions.list.item(event).flags() & Qt.ItemFlag.ItemIsSelectable


def test_each_charge_names_the_settings_it_was_made_under(open_window):
    document = open_window.document
    log = document.record.log
    middle = float(log.time_s[log.rows // 2])
    document.bench.history.add_revision("typed in", "first", document.setup, middle)
    assert document.history.settings_at(middle - 1.0, document.pack.id) == ""
    assert document.history.settings_at(middle + 1.0, document.pack.id) == "revision 1"
    page = open_window.side.show("revisions")
    assert "full charges of" in page.list.item(0).text()
    view = open_window.view("record")
    view.pick(11, False)
    assert view.panel._titles[0].text().endswith("revision 1")
    view.pick(0, False)
    assert "revision" not in view.panel._titles[0].text()


def test_what_the_bms_shows_is_typed_line_by_line(open_window):
    page = open_window.side.show("readback")
    lines = {line.path: row for row, line in enumerate(page._lines)}
    assert not page.keep.isEnabled()
    trip, start, kind = (
        lines[p]
        for p in ("protection.cell_over_voltage.trip_v", "balancer.start_v", "balancer.kind")
    )
    page.table.item(trip, 3).setText("3600 mV")
    assert "✗" in page.table.item(trip, 4).text()
    page.table.item(start, 3).setText("=")
    assert page.table.item(start, 3).text() == page._lines[start].value
    page.table.item(kind, 3).setText("both")
    assert "kind" in page._says.text()
    assert not page.keep.isEnabled()
    page.table.item(kind, 3).setText("passive")
    assert page._says.text().startswith("3 read: 1 difference")
    page.keep.click()
    newest = open_window.document.bench.history.revisions()[-1]
    assert newest.kind == "read back"
    assert newest.setup.protection.cell_over_voltage.trip_v == 3.6
    assert (
        open_window.document.setup.protection.cell_over_voltage.trip_v != 3.6
    )  # reading back changes no setting


def test_a_reading_that_is_interrupted_goes_on_and_a_kept_one_starts_anew(open_window):
    page = open_window.side.show("readback")
    row = next(i for i, line in enumerate(page._lines) if line.path == "balancer.start_v")
    page.table.item(row, 3).setText("3.41")
    open_window.go("protect")
    open_window.document.settings.change({"balancer.start_v": 3.40}, "changed meanwhile")
    page = open_window.side.show("readback")
    assert page.table.item(row, 3).text() == "3.41 V"
    assert "set to 3.40 V" in page.table.item(row, 4).text()
    page.keep.click()
    page = open_window.side.show("readback")
    assert page.table.item(row, 3).text() == ""
    assert not page.keep.isEnabled()


def test_the_stand_in_bms_is_read_over_the_link(qtbot, open_window):
    document = open_window.document
    document.bench.history.add_revision("typed in", "first", document.setup)
    document.settings.change(
        {"protection.cell_over_voltage.trip_v": 3.6, "separate_balancer": None}, "changed since"
    )
    page = open_window.side.show("readback")
    page.ask.click()
    qtbot.waitUntil(lambda: page.ask.isEnabled(), timeout=10_000)
    assert "1 difference" in page._says.text()
    row = next(
        i
        for i, line in enumerate(page._lines)
        if line.path == "protection.cell_over_voltage.trip_v"
    )
    assert page.table.item(row, 3).text() == "3.65 V"
    page.keep.click()
    assert document.bench.history.revisions()[-1].setup.protection.cell_over_voltage.trip_v == 3.65


def test_what_differs_is_written_to_the_stand_in_and_read_back(qtbot, open_window, monkeypatch):
    document = open_window.document
    document.bench.history.add_revision("typed in", "first", document.setup)
    document.settings.change({"protection.cell_over_voltage.trip_v": 3.6}, "changed since")
    page = open_window.side.show("readback")
    assert not page.writer.button.isEnabled()
    page.ask.click()
    qtbot.waitUntil(lambda: page.writer.button.isEnabled(), timeout=10_000)
    asked = []
    answers = iter([LEAVE, WRITE])
    monkeypatch.setattr(rescue, "ask", lambda _w, *said: asked.append(said) or next(answers))
    page.writer.button.click()
    assert "Write 1 setting to the stand-in BMS?" in asked[0][0]
    assert "3.65 V → 3.60 V" in asked[0][1]
    assert CAUTION in asked[0][1]
    page.writer.button.click()
    qtbot.waitUntil(lambda: "as set" in page._says.text(), timeout=10_000)
    assert not page.writer.button.isEnabled()
    page.ask.click()  # it holds what was written
    qtbot.waitUntil(lambda: page.ask.isEnabled(), timeout=10_000)
    assert "as set" in page._says.text()


def test_a_real_bms_is_written_to_only_once_that_is_allowed(
    qtbot, open_window, monkeypatch, tmp_path
):
    document = open_window.document
    held = put(document.setup, {"balancer.delta_mv": 9.0})
    page = open_window.side.show("readback")
    page.link.use(MODBUS)
    with StandInBms(held) as bms:
        page.link.place.setText(bms.place)
        page.ask.click()
        qtbot.waitUntil(lambda: "1 difference" in page._says.text(), timeout=10_000)
        assert not page.writer.button.isEnabled()
        page.writer.allowed.setChecked(True)
        assert not page.writer.button.isEnabled()  # by the stand-in's map: never
        assert page.writer.button.toolTip() == NEEDS_MAP
        own = tmp_path / "own.json"
        own.write_text(standin_map().model_dump_json())
        page.take_map(str(own))
        assert page.writer.button.isEnabled()
        monkeypatch.setattr(rescue, "ask", lambda *_: WRITE)
        page.writer.button.click()
        qtbot.waitUntil(lambda: "as set" in page._says.text(), timeout=10_000)
    page.link.use(0)
    page.link.use(MODBUS)
    assert not page.writer.allowed.isChecked()  # asked anew for another device


def test_a_bms_that_does_not_answer_is_told(qtbot, open_window, tmp_path):
    page = open_window.side.show("readback")
    page.link.use(MODBUS)
    assert page.link.place.isVisible()
    page.link.place.setText("127.0.0.1:1")
    page.ask.click()
    qtbot.waitUntil(lambda: page.ask.isEnabled(), timeout=20_000)
    assert "127.0.0.1:1: expected a BMS that answers" in open_window.message.text()
    wrong = tmp_path / "map.json"
    wrong.write_text("[]")
    page.take_map(str(wrong))
    assert "map.json" in open_window.message.text()


def test_a_file_is_replaced_only_when_the_new_one_is_whole(tmp_path, monkeypatch):
    from pathlib import Path

    from nipper.core.errors import InputError
    from nipper.core.files import write_whole

    file = tmp_path / "sheet.csv"
    write_whole(file, b"first")
    assert file.read_bytes() == b"first"

    def full(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(Path, "write_bytes", full)
    with pytest.raises(InputError, match="No space"):
        write_whole(file, b"second")
    assert file.read_bytes() == b"first"
    assert [f.name for f in tmp_path.iterdir()] == ["sheet.csv"]


def test_the_sheet_without_its_page(document):
    """Lines, ticks and order are one thing, and are kept before they are shown."""
    sheet = TypingState(document)
    sheet.refresh()
    assert sheet.line is sheet.lines[0]
    sheet.tick()
    sheet.choose_open()
    assert (sheet.row, sheet.done) == (1, 1)
    sheet.choose(10_000)
    assert sheet.row == len(sheet.lines) - 1
    sheet.choose_open()
    assert sheet.row == len(sheet.lines) - 1  # open itself
    sheet.choose(-5)
    assert sheet.row == 0
    assert sheet.untick()
    assert not sheet.untick()
    shown = sheet.line.path
    sheet.reorder([line.path for line in reversed(sheet.lines)])
    assert sheet.line.path == shown
    assert sheet.row == len(sheet.lines) - 1
    sheet.change_item(label="Mine")
    assert sheet.item().label == "Mine"
    assert TypingState(document).menu == sheet.menu


@pytest.fixture
def two_packs(open_window):
    document = open_window.document
    document.settings.change({"packs_in_parallel": 2}, "two packs")
    document.settings.save()
    return [pack.id for pack in document.records.packs]


def test_what_is_typed_into_one_pack_is_not_typed_into_the_other(open_window, two_packs):
    document, (first, second) = open_window.document, two_packs
    page = open_window.side.show("typing")
    for _ in list(page.sheet.lines):
        page.tick_line()
    page.done.click()
    assert "typed in" in open_window.top.revision.text()
    document.choose_pack(second)
    assert open_window.top.revision.text() == "draft, not typed in yet"
    page = open_window.side.show("typing")
    assert document.pack.name in page._title.text()
    assert page.sheet.done == 0
    assert all(line.changed for line in page.sheet.lines)
    page.tick_line()
    document.choose_pack(first)
    assert page.sheet.done == 0
    document.choose_pack(second)
    assert page.sheet.done == 1
    assert [r.pack for r in document.history.typed(first)] == [first]
    assert document.history.typed(second) == []


def test_a_menu_of_one_pack_is_not_taken_for_another_where_they_differ(open_window, two_packs):
    document, (first, second) = open_window.document, two_packs
    path = "protection.cell_over_voltage.trip_v"
    common = Menu(name="of both", items=[Item(path=path, label="OVP")])
    TypingState(document).keep_menu(common)
    document.choose_pack(second)
    assert TypingState(document).menu == common
    document.settings.set_scope(only_shown=True)
    document.settings.change({path: 3.6}, "only this one")
    own = Menu(name="of the second", items=[Item(path=path, label="Cell high")])
    TypingState(document).keep_menu(own)
    document.choose_pack(first)
    assert TypingState(document).menu == common
    document.choose_pack(second)
    assert TypingState(document).menu == own


def test_what_was_read_of_one_pack_is_never_kept_as_the_others(qtbot, open_window, two_packs):
    document, (first, second) = open_window.document, two_packs
    page = open_window.side.show("readback")
    page.ask.click()
    document.choose_pack(second)
    qtbot.waitUntil(lambda: page.ask.isEnabled(), timeout=10_000)
    assert all(not page._text(row, 3) for row in range(page.table.rowCount()))
    assert not page.keep.isEnabled()
    page.ask.click()
    qtbot.waitUntil(lambda: page.keep.isEnabled(), timeout=10_000)
    page.keep.click()
    assert document.bench.history.revisions()[-1].pack == second
    document.choose_pack(first)
    assert document.history.times("read back", first) == []


def test_a_line_of_ones_own_is_typed_in_like_the_others(open_window, typing, tmp_path):
    before = len(typing.sheet.lines)
    typing.own_add.click()  # nothing typed yet
    assert len(typing.sheet.lines) == before
    typing.own_name.setText("Shunt zero")
    typing.own_value.setText("calibrate at 0 A")
    typing.own_value.returnPressed.emit()
    assert len(typing.sheet.lines) == before + 1
    last = typing.sheet.lines[-1]
    assert (last.label, last.value) == ("Shunt zero", "calibrate at 0 A")
    for _ in typing.sheet.lines[:-1]:
        typing.tick_line()
    assert not typing.done.isEnabled()
    typing.sheet.choose(before)
    typing._show()
    assert typing.remove.isVisibleTo(typing)
    assert not typing.own_label.isEnabled()
    typing.tick_line()
    assert typing.done.isEnabled()
    file = tmp_path / "menu.json"
    file.write_text(dumps_menu(typing.sheet.menu))
    typing.files.read_menu(str(file))
    assert typing.sheet.menu.own[0].label == "Shunt zero"
    typing.sheet.choose(before)
    typing.remove_own()
    assert len(typing.sheet.lines) == before
    assert typing.done.isEnabled()
    page = open_window.side.show("readback")  # a BMS cannot be read back for it
    assert all(not line.path.startswith("own.") for line in page._lines)
