"""The stage Build in the window: the drawing by mouse and keys, fields in place, sense leads,
cells pasted, packs joined, capacity kept, steps ticked; from nothing to a first pack.
"""

import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel

from nipper.app.stages.build.layout import pack_height, place
from nipper.core.assembly.parts import all_pack_parts, bank_parts
from nipper.core.presets import new_setup
from nipper.core.setup import put


@pytest.fixture
def build(open_window):
    open_window.go("build")
    return open_window.desk.view("build")


def type_into(field, text):
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, text)
    field.editingFinished.emit()


def click(figure, place_):
    at = figure.box(place_).center().toPoint()
    QTest.mouseClick(figure, Qt.MouseButton.LeftButton, pos=at)


def test_a_part_is_chosen_by_the_mouse_and_edited_in_place(qtbot, open_window, build):
    figure = build.built.figure
    click(figure, "main_fuse")
    assert figure.selected == "main_fuse"
    form = build.built.forms[figure.part("main_fuse").settings]
    type_into(form.field("wiring.main_fuse_a"), "63")
    assert open_window.document.setup.wiring.main_fuse_a == 63.0
    assert figure.part("main_fuse").text == "63 A"
    rail = open_window.rail.entries["build"]
    qtbot.waitUntil(lambda: "main fuse is the weak link at 63 A" in rail.sentence)


def test_the_keys_walk_from_part_to_part(build):
    figure = build.built.figure
    figure.select("pack0.cell3")
    QTest.keyClick(figure, Qt.Key.Key_Right)
    assert figure.selected == "pack0.bar3"
    QTest.keyClick(figure, Qt.Key.Key_Right)
    assert figure.selected == "pack0.cell4"
    assert "cell 4" in figure.accessibleDescription()
    QTest.keyClick(figure, Qt.Key.Key_Up)
    assert "." not in figure.selected  # up to the main way
    before = figure.selected
    QTest.keyClick(figure, Qt.Key.Key_Up)
    QTest.keyClick(figure, Qt.Key.Key_Up)
    assert figure.selected in figure.places
    assert before in figure.places


def test_every_part_can_be_reached_by_keys(build):
    """From any part, some way of arrows leads to every other."""
    figure = build.built.figure
    seen, left = set(), [figure.selected]
    keys = (Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down)
    while left:
        here = left.pop()
        if here in seen:
            continue
        seen.add(here)
        for key in keys:
            figure.select(here)
            QTest.keyClick(figure, key)
            left.append(figure.selected)
    assert seen == set(figure.places)


def test_enter_puts_the_keyboard_on_the_first_field(open_window, build):
    figure = build.built.figure
    figure.select("pack0.fuse")
    QTest.keyClick(figure, Qt.Key.Key_Return)
    form = build.built.forms[figure.part("pack0.fuse").settings]
    assert form.field("wiring.fuse_a").hasFocus() or not open_window.isActiveWindow()


@pytest.mark.parametrize(("cells", "packs", "width"), [(16, 3, 720), (4, 1, 720), (24, 8, 720),
                                                       (100, 2, 720), (20, 2, 500)])  # fmt: skip
def test_no_part_lies_on_another_and_none_outside(cells, packs, width):
    setup = new_setup("lfp", cells, 100.0, packs)
    setup = put(
        setup,
        {"other_chargers": [{"name": n, "absorption_v": 13.8, "max_charge_a": 20.0}
                            for n in ("Shore charger", "Generator")]},
    )  # fmt: skip
    all_packs = all_pack_parts(setup)
    names = [f"Pack {i}" for i in range(packs)]
    found = place(bank_parts(setup), all_packs, names, float(width))
    boxes = list(found.boxes.items())
    for i, (name, box) in enumerate(boxes):
        assert box.left() >= 0
        assert box.right() <= width
        assert box.bottom() <= found.height
        assert box.width() > 1
        for other, second in boxes[i + 1 :]:
            shrunk = box.adjusted(0.6, 0.6, -0.6, -0.6)
            assert not shrunk.intersects(second), (name, other)
    assert found.height >= packs * pack_height(cells)


def test_a_part_of_another_pack_shows_that_pack(open_window, build):
    settings = open_window.document.settings
    settings.change({"packs_in_parallel": 2}, "two packs")
    settings.settle()
    build.show_page(0)
    click(build.built.figure, "pack1.cell2")
    assert open_window.document.settings.number == 1


def test_what_the_log_says_stands_at_the_cell(qtbot, open_window, build):
    qtbot.waitUntil(lambda: open_window.document.record is not None, timeout=20_000)
    build.built.refresh()
    build.show_cell(3)
    said = build.built._said.text()
    assert "By the log" in said
    assert "against the median" in said


def test_words_and_torque_are_kept_with_the_part(open_window, build):
    built = build.built
    built.select("switch")
    built.words.setText("red one, from the boat")
    built.words.setModified(True)
    built.words.editingFinished.emit()
    type_into(built.torque, "12")
    notes = open_window.document.shelf.build_notes()
    assert notes.words["switch"] == "red one, from the boat"
    assert notes.torques["switch"].nm == 12.0
    built.select("inverter")
    assert built.words.text() == ""
    built.select("switch")
    assert built.words.text() == "red one, from the boat"
    assert "Tightened with 12 Nm" in built._said.text()


def test_a_sensor_is_placed_at_a_cell(open_window, build):
    build.built.select("pack0.cell4")
    type_into(build.built.sensor, "2")
    assert open_window.document.shelf.build_notes().pack(0).sensors == {2: 4}


def test_sense_leads_are_typed_one_by_one_and_judged(open_window, build):
    build.show_page(2)
    taps = build.taps
    cells = open_window.document.setup.cells
    row = [3.3 * i for i in range(1, cells + 1)]
    row[2], row[3] = row[3], row[2]
    for field, volts in zip(taps.fields, row, strict=True):
        type_into(field, f"{volts:.2f}")
    assert taps.verdict.text().startswith("Leave the plug out")
    assert "Leads 3 and 4 are swapped" in taps.says.text()
    type_into(taps.fields[2], "9.9")
    type_into(taps.fields[3], "13.2")
    assert taps.verdict.text() == "All leads are in order."
    QTest.mouseClick(taps.note, Qt.MouseButton.LeftButton)
    assert "sense leads measured" in open_window.document.history.events()[-1].note
    build.show_page(6)
    assert "done" not in build.power._list.boxes  # known from the readings, not ticked


def test_cells_are_pasted_from_a_spreadsheet_and_matched(open_window, build):
    build.show_page(3)
    cells = build.cells
    cells.table.setCurrentCell(0, 0)
    lines = [f"C{i}\tlot\t{100 + i % 3}\t3,295\t0.2" for i in range(10)]
    cells.table.paste("\r\n".join(lines))
    kept = open_window.document.shelf.build_notes().pack(0).cells
    assert len(kept) == 10
    assert kept[1].capacity_ah == 101.0
    QTest.mouseClick(cells.match, Qt.MouseButton.LeftButton)
    assert "Left over" in cells.matched.text()


def test_fewer_lines_take_none_that_was_typed(open_window, build):
    build.show_page(3)
    cells = build.cells
    cells.table.setCurrentCell(0, 0)
    cells.table.paste("\n".join(f"C{i}" for i in range(12)))
    type_into(cells.count, "3")
    assert len(open_window.document.shelf.build_notes().pack(0).cells) == 12
    type_into(cells.count, "20")
    assert cells.table.rowCount() == 20


def test_what_cannot_be_read_is_marked_and_nothing_is_lost(open_window, build):
    build.show_page(3)
    table = build.cells.table
    table.setCurrentCell(0, 2)
    table.paste("heavy\n100\n101\n")
    assert table.item(0, 2).text().endswith("heavy")
    assert table.item(0, 2).text() != "heavy"
    assert table.item(0, 2).toolTip()
    assert open_window.document.shelf.build_notes().pack(0).cells[1].capacity_ah == 100.0


def test_packs_are_judged_before_they_are_joined(open_window, build):
    settings = open_window.document.settings
    settings.change({"packs_in_parallel": 2}, "two packs")
    settings.settle()
    build.show_page(4)
    joining = build.joining
    assert joining.verdict.text().startswith("Two packs at least")
    type_into(joining.fields[0], "27.2")
    type_into(joining.fields[1], "25.0")
    assert joining.verdict.text().startswith("Do not join yet")
    type_into(joining.fields[1], "27.19")
    assert "flow at the first moment" in joining.verdict.text()
    assert not joining.verdict.text().startswith("Do not")


def test_a_capacity_that_was_read_is_kept_with_its_day(open_window, build):
    build.show_page(5)
    page = build.capacity
    type_into(page.typed["ah"], "97.5")
    type_into(page.typed["cell"], "3")
    QTest.mouseClick(page.add, Qt.MouseButton.LeftButton)
    document = open_window.document
    found = document.history.capacity_tests(document.pack.id)
    assert [(r.ah, r.cell) for _, r in found] == [(97.5, 3)]
    assert "capacity test: 97.5 Ah" in document.history.events()[-1].note


def test_steps_are_ticked_and_stay(open_window, build):
    build.show_page(6)
    build.power._list.boxes["bars"].setChecked(True)
    assert "bars" in open_window.document.shelf.build_notes().ticks
    build.show_page(0)
    build.show_page(6)
    assert build.power._list.boxes["bars"].isChecked()


def test_the_table_of_currents_follows_the_current_asked_for(build):
    build.show_page(1)
    page = build.current
    type_into(page.amps, "40")
    grid = page._grid
    shown = [grid.itemAt(i).widget() for i in range(grid.count())]
    texts = [w.text() for w in shown if isinstance(w, QLabel)]
    assert "20 A" in texts  # half of it through each pack
    assert any(t.endswith(" mΩ") for t in texts)


def test_a_setting_of_the_wiring_is_found_in_the_drawing(build):
    build.show_field("wiring.switch_a")
    assert build.built.figure.selected == "switch"
    assert build.built.figure.place_at(QPointF(-5, -5)) == ""
