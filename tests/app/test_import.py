"""The import page: each choice is read anew, and says what it makes of the file."""

from dataclasses import replace

import pytest
from PySide6.QtCore import QDateTime

from nipper.app.shell.importdraft import read_draft, take_over, understand
from nipper.app.shell.importmany import Taken, take_all
from nipper.app.shell.importpage import ImportPage
from nipper.core.errors import Cancelled
from nipper.core.logs.mapping import ColumnMapping
from nipper.core.logs.propose import Proposal
from nipper.core.logs.roles import Role
from nipper.core.setup import put
from tests.app.test_window import words
from tests.core.strangers import Sheet, a_log, utc
from tests.core.test_reader import dialect, local


@pytest.fixture
def page(qtbot, theme):
    page = ImportPage(theme)
    qtbot.addWidget(page)
    page.resize(1000, 700)
    page.show()
    return page


@pytest.fixture
def draft_page(qtbot, page, bench, small_log, tmp_path):
    path = tmp_path / "log.csv"
    path.write_text(
        dialect(
            small_log.select(slice(0, 200)),
            separator=";",
            milli=True,
            times=local("%d.%m.%Y %H:%M:%S"),
        )
    )
    page.open_files([str(path)], bench, bench.setup(), bench.packs(), 2, "Europe/Vienna")
    qtbot.waitUntil(lambda: page.draft is not None)
    return page


def column_row(page, name: str) -> int:
    return next(i for i in range(page.columns.rowCount()) if page.columns.item(i, 0).text() == name)


def choose(page, key: str, text: str) -> None:
    box = page.written.boxes[key]
    box.setCurrentText(text)
    box.activated.emit(box.currentIndex())


def test_it_shows_how_the_file_is_understood(draft_page, small_log):
    mapping = draft_page.draft.mapping
    assert (mapping.time, mapping.time_form, mapping.cell_scale, len(mapping.cells)) == (
        "Time",
        "dmy",
        1e-3,
        8,
    )
    assert "200 rows, 8 cells" in words(draft_page)
    assert draft_page.written.boxes["cell_scale"].currentText() == "mV"
    assert draft_page.written.boxes["zone"].currentText() == "Europe/Vienna"
    assert draft_page.pack.currentText() == "Pack B"
    assert draft_page.take.isEnabled()


def test_another_unit_is_read_anew_and_looks_odd(qtbot, draft_page):
    choose(draft_page, "cell_scale", "0.1 mV")
    qtbot.waitUntil(lambda: "not the range of LFP" in words(draft_page))
    choose(draft_page, "cell_scale", "mV")
    qtbot.waitUntil(lambda: "not the range of LFP" not in words(draft_page))


def test_another_form_of_time_that_does_not_fit_is_told_with_its_place(qtbot, draft_page):
    choose(
        draft_page,
        "time_form",
        "Unix seconds",
    )
    qtbot.waitUntil(lambda: "not understood yet" in words(draft_page))
    assert "line 2 column Time: expected a time" in words(draft_page)
    assert not draft_page.take.isEnabled()
    assert draft_page.rows.rowCount() == 0


def test_another_zone_moves_the_times(qtbot, draft_page):
    before = draft_page.draft.log.time_s[0]
    choose(draft_page, "zone", "UTC")
    qtbot.waitUntil(lambda: draft_page.draft.log.time_s[0] != before)
    assert draft_page.draft.log.time_s[0] - before in (3600.0, 7200.0)


def test_a_column_can_be_left_out(qtbot, draft_page):
    draft_page.columns.selectRow(1)
    assert draft_page.columns.names() == ["Current"]
    draft_page.set_role(["Current"], Role.NONE)
    qtbot.waitUntil(lambda: draft_page.draft.mapping.current is None)
    qtbot.waitUntil(lambda: "There is no current" in words(draft_page))


def test_a_log_is_taken_over_and_its_columns_are_remembered(qtbot, draft_page, bench):
    with qtbot.waitSignal(draft_page.finished) as finished:
        draft_page.confirm()
    assert finished.args == [Taken(200, 1), 2]
    again = read_draft(draft_page._file, bench, bench.setup(), "UTC")
    assert again.remembered
    assert again.mapping.zone == "Europe/Vienna"


def test_leaving_stops_the_work(qtbot, page, bench, small_log, tmp_path):
    path = tmp_path / "log.csv"
    path.write_text(dialect(small_log))
    page.open_files([str(path)], bench, bench.setup(), bench.packs(), 1, "UTC")
    with qtbot.waitSignal(page.left):
        page.stop.click()
    assert page._job is None


def test_a_mapping_of_another_file_is_told(small_log):
    from nipper.core.tables.read import table_of

    table = table_of(dialect(small_log.select(slice(0, 30))).encode(), "log.csv")
    wrong = ColumnMapping(time="Stamp", time_form="unix_s", cells=("Cell 1",))
    draft = understand(Proposal(table, wrong), False, None)
    assert draft.log is None
    assert "expected a column 'Stamp'" in draft.trouble


def test_a_second_file_dropped_while_the_first_is_read_is_the_one_that_is_taken(
    qtbot, page, bench, small_log, tmp_path
):
    first, second = tmp_path / "first.csv", tmp_path / "second.csv"
    first.write_text(dialect(small_log.select(slice(0, 300))))
    second.write_text(dialect(small_log.select(slice(300, 350))))
    where = (bench, bench.setup(), bench.packs(), 2, "UTC")
    late = read_draft(str(first), bench, bench.setup(), "UTC")
    page.open_files([str(first)], *where)
    page.open_files([str(second)], *where)
    page._understood(late)  # the first one's answer was already on its way
    assert page.draft is None
    qtbot.waitUntil(lambda: page.draft is not None)
    assert page.draft.file == str(second)
    assert "second.csv: 50 rows" in words(page)
    with qtbot.waitSignal(page.finished) as finished:
        page.confirm()
    assert finished.args == [Taken(50, 1), 2]


def test_nothing_is_opened_while_an_import_runs(qtbot, draft_page, bench, tmp_path, small_log):
    other = tmp_path / "other.csv"
    other.write_text(dialect(small_log.select(slice(0, 50))))
    with qtbot.waitSignal(draft_page.finished) as finished:
        draft_page.confirm()
        draft_page.open_files([str(other)], bench, bench.setup(), bench.packs(), 1, "UTC")
        assert "other.csv was not opened: one import at a time" in words(draft_page)
    assert finished.args == [Taken(200, 1), 2]
    assert draft_page.draft.file.endswith("log.csv")


@pytest.fixture
def days(tmp_path, small_log):
    """Four files of fifty rows each, a day apart."""
    paths = [tmp_path / f"day {i + 1}.csv" for i in range(4)]
    for i, path in enumerate(paths):
        rows = small_log.select(slice(50 * i, 50 * i + 50))
        path.write_text(dialect(replace(rows, time_s=rows.time_s + 86400.0 * i)))
    return paths


def test_several_files_are_taken_over_as_the_first_was(qtbot, page, bench, days):
    page.open_files([str(d) for d in days], bench, bench.setup(), bench.packs(), 2, "UTC")
    qtbot.waitUntil(lambda: page.draft is not None)
    assert "3 more files are taken in as this one" in words(page)
    assert page.take.text() == "Import 4 files"
    with qtbot.waitSignal(page.finished) as finished:
        page.confirm()
    taken, pack = finished.args
    assert (taken.rows, taken.files, taken.left, pack) == (200, 4, (), 2)
    assert taken.told() == "4 files taken in, 200 new rows."
    assert [log.file for log in bench.logs.all()][1:] == [d.name for d in days]
    assert page.take.text() == "Import"


def test_a_file_that_is_not_like_the_first_is_left_out_and_named(bench, days, small_log):
    heads = days[1].read_text().replace("Current", "Battery current", 1)
    days[1].write_text(heads)
    turned = small_log.select(slice(200, 1500))
    days[2].write_text(dialect(replace(turned, current_a=-turned.current_a)))
    days[3].write_text("shopping list")
    first = read_draft(str(days[0]), bench, bench.setup(), "UTC")
    reads = (bench.setup(), "UTC")
    told: list[float] = []
    others = [str(d) for d in (*days[1:], days[0].with_name("gone.csv"))]
    taken = take_all(bench, 2, first, others, reads, told.append)
    assert (taken.rows, taken.files) == (50, 1)
    assert [name for name, _ in taken.left] == ["day 2.csv", "day 3.csv", "day 4.csv", "gone.csv"]
    why = dict(taken.left)
    assert why["day 2.csv"] == "other columns"
    assert "discharge were counted positive" in why["day 3.csv"]
    assert taken.told().startswith("1 file taken in, 4 left out: day 2.csv: other columns; ")
    assert taken.told().endswith("; and 1 more.")
    assert told == sorted(told)


def test_what_was_taken_in_before_a_stop_is_kept(bench, days):
    first = read_draft(str(days[0]), bench, bench.setup(), "UTC")

    def stop(share):
        if share > 0.6:
            raise Cancelled

    with pytest.raises(Cancelled):
        take_all(bench, 2, first, [str(d) for d in days[1:]], (bench.setup(), "UTC"), stop)
    assert [log.file for log in bench.logs.all()][1:] == ["day 1.csv", "day 2.csv"]
    again = take_all(bench, 2, first, [str(d) for d in days[1:]], (bench.setup(), "UTC"))
    assert (again.rows, again.files) == (100, 4)


def test_a_sensor_is_taken_for_a_cells_or_left_out_by_hand(qtbot, open_window, tmp_path):
    rows = ["time;current;pack;" + ";".join(f"c{i}" for i in range(1, 9)) + ";Temp 1;MOS temp"]
    for i in range(60):
        cells = ";".join(f"{3.30 + 0.001 * ((i + c) % 5):.3f}" for c in range(8))
        rows.append(f"{1_700_000_000 + 60 * i};{i % 7 - 3};26.4;{cells};18;{40 + i % 9}")
    path = tmp_path / "roles.csv"
    path.write_text("\n".join(rows))
    open_window.importer.read(str(path))
    page = open_window.importer.page
    qtbot.waitUntil(lambda: page.draft is not None, timeout=10_000)
    assert page.draft.mapping.other_temps == ("MOS temp",)
    assert any("MOS temp" in odd.text for odd in page.draft.odd)
    assert page.draft.log.temp_c.shape[1] == 1
    page.columns.selectRow(column_row(page, "MOS temp"))
    entry = next(e for e in page.columns._menu.actions() if e.data() == Role.TEMPERATURE)
    entry.trigger()
    qtbot.waitUntil(lambda: len(page.draft.mapping.temps) == 2, timeout=10_000)
    assert page.draft.log.temp_c.shape[1] == 2
    assert not any(odd.kind == "temps" for odd in page.draft.odd)


def table_file(tmp_path, name: str) -> str:
    """A file of the corpus of strangers' tables."""
    from tests.core.journals import ALL

    case = next(c for c in ALL if c.name == name)
    path = tmp_path / case.file
    path.write_bytes(case.data)
    return str(path)


def opened(qtbot, page, bench, path: str):
    page.open_files([str(path)], bench, bench.setup(), bench.packs(), 1, "Europe/Vienna")
    qtbot.waitUntil(lambda: page.draft is not None, timeout=10_000)
    return page.draft


def test_a_file_of_several_packs_asks_which_one(qtbot, page, bench, tmp_path):
    draft = opened(
        qtbot, page, bench, table_file(tmp_path, "packs: beside each other, none chosen")
    )
    assert draft.choices == ("1", "2")
    assert "which one?" in words(page)
    assert not page.take.isEnabled()
    choose(page, "choice", "2")
    qtbot.waitUntil(lambda: page.draft.log is not None, timeout=10_000)
    assert page.draft.log.cells == 8
    assert page.take.isEnabled()
    assert page.written.boxes["choice"].isVisibleTo(page)


def test_a_doubt_that_is_a_question_ends_as_one(qtbot, page, bench, tmp_path):
    opened(qtbot, page, bench, table_file(tmp_path, "shown: cells sorted by their voltages"))
    qtbot.waitUntil(lambda: "are they sorted? Set it above." in words(page), timeout=10_000)


def test_a_workbook_of_two_logs_asks_which_one(qtbot, page, bench, tmp_path):
    opened(qtbot, page, bench, table_file(tmp_path, "workbook: two logs unlike"))
    choose(page, "choice", "A")
    qtbot.waitUntil(lambda: page.draft.log is not None, timeout=10_000)
    assert page.draft.log.cells == 8


def test_each_column_says_what_it_was_taken_for_and_why(draft_page):
    taken = {
        draft_page.columns.item(i, 0).text(): draft_page.columns.item(i, 2).text()
        for i in range(draft_page.columns.rowCount())
    }
    assert taken["Time"] == "time ▾"
    assert taken["Cell 3"] == "cell 3 ▾"
    why = draft_page.columns.item(column_row(draft_page, "Current"), 3).text()
    assert "the voltage follows it" in why


def test_what_is_doubted_is_said_and_settled_by_hand(qtbot, page, bench, tmp_path):
    opened(qtbot, page, bench, table_file(tmp_path, "time: 03/04 within one day is doubted"))
    assert "read as day first" in words(page)  # as it is written where the pack stands
    assert "Europe/Vienna" in words(page)
    choose(page, "time_form", "month first: 03/31/2026 09:10")
    qtbot.waitUntil(lambda: "or month first" not in words(page), timeout=10_000)


def test_columns_that_no_proposal_finds_are_named_by_hand(qtbot, page, bench, tmp_path):
    path = tmp_path / "odd.csv"
    heads = ["moment", *"abcdefgh", "flow"]
    rows = [
        ",".join([f"2026-03-03T06:{i:02d}:00Z", *[f"{3.3 + 0.001 * c:.3f}" for c in range(8)], "9"])
        for i in range(60)
    ]
    path.write_text("\n".join([",".join(heads), *rows]))
    draft = opened(qtbot, page, bench, str(path))
    assert draft.log is None
    assert "cell" in draft.trouble
    assert page.columns.rowCount() == 10
    page.set_role(["moment"], Role.TIME)
    qtbot.waitUntil(lambda: page.draft.mapping.time == "moment", timeout=10_000)
    page.set_role(list("abcdefgh"), Role.CELL)
    qtbot.waitUntil(lambda: page.draft.log is not None, timeout=10_000)
    assert page.draft.log.cells == 8
    assert page.take.isEnabled()


def test_how_a_file_is_read_is_kept_and_used_again(qtbot, draft_page, tmp_path):
    mapping = draft_page.draft.mapping
    kept = tmp_path / "columns.json"
    draft_page.save_columns(str(kept))
    draft_page.set_role(["Current"], Role.NONE)
    qtbot.waitUntil(lambda: draft_page.draft.mapping.current is None)
    draft_page.use_columns(str(kept))
    qtbot.waitUntil(lambda: draft_page.draft.mapping == mapping)
    kept.write_text('{"format": "other"}')
    draft_page.use_columns(str(kept))
    assert "columns.json: format: expected 'nipper-columns'" in words(draft_page)


def test_the_columns_of_one_pack_are_not_used_for_another_of_the_same_file(
    qtbot, page, bench, tmp_path
):
    path = table_file(tmp_path, "packs: beside each other, none chosen")
    opened(qtbot, page, bench, path)
    choose(page, "choice", "1")
    qtbot.waitUntil(lambda: page.draft.log is not None, timeout=10_000)
    first = page.draft.mapping.cells
    with qtbot.waitSignal(page.finished):
        page.confirm()
    opened(qtbot, page, bench, path)
    choose(page, "choice", "2")
    qtbot.waitUntil(lambda: page.draft.log is not None, timeout=10_000)
    assert page.draft.mapping.cells != first
    assert all(c.startswith("Pack 2") for c in page.draft.mapping.cells)


def test_the_day_of_a_clock_can_be_set(qtbot, page, bench, small_log, tmp_path):
    path = tmp_path / "log.csv"
    path.write_text(dialect(small_log.select(slice(0, 200)), times=local("%H:%M:%S")))
    page.open_files([str(path)], bench, bench.setup(), bench.packs(), 2, "UTC")
    qtbot.waitUntil(lambda: page.draft is not None)
    assert page.draft.log.time_s[0] < 2 * 86400.0
    assert page.written.begins.isVisible()
    page.written.begins.setDateTime(QDateTime(2026, 3, 3, 0, 0, 0))
    qtbot.waitUntil(lambda: page.draft.mapping.begins == "2026-03-03T00:00:00")
    days = (page.draft.log.time_s[0] - 1772496000.0) / 86400.0
    assert 0.0 <= days < 1.0
    choose(page, "time_form", "day first: 31.03.2026 09:10")
    qtbot.waitUntil(lambda: not page.written.begins.isVisible())


def test_of_several_clocks_one_without_a_day_stays_out(bench, small_log, tmp_path):
    text = dialect(small_log.select(slice(0, 200)), times=local("%H:%M:%S"))
    names = ["log_2026-03-03.csv", "log_2026-03-04.csv", "log.csv"]
    paths = [tmp_path / name for name in names]
    for path in paths:
        path.write_text(text)
    first = read_draft(str(paths[0]), bench, bench.setup(), "UTC")
    pack = bench.packs()[0].id
    taken = take_all(bench, pack, first, [str(p) for p in paths[1:]], (bench.setup(), "UTC"))
    assert (taken.files, taken.left) == (2, (("log.csv", "its day is not told"),))


def test_a_day_is_of_its_own_file(bench, small_log, tmp_path):
    text = dialect(small_log.select(slice(0, 200)), times=local("%H:%M:%S"))
    for day in (3, 4):
        (tmp_path / f"log_2026-03-0{day}.csv").write_text(text)
    first, second = (
        read_draft(str(tmp_path / f"log_2026-03-0{day}.csv"), bench, bench.setup(), "UTC")
        for day in (3, 4)
    )
    assert (first.mapping.begins, second.mapping.begins) == (
        "2026-03-03T00:00:00",
        "2026-03-04T00:00:00",
    )
    take_over(bench, bench.packs()[0].id, first, lambda _: None)
    again = read_draft(str(tmp_path / "log_2026-03-04.csv"), bench, bench.setup(), "UTC")
    assert again.remembered
    assert again.mapping.begins == "2026-03-04T00:00:00"


def test_a_current_in_tenths_of_an_ampere_is_told_and_set_right(qtbot, page, bench, tmp_path):
    """788 Ah at a stretch into cells of 230: the unit is set by hand, and asked again with it."""
    log = a_log(bench.setup().cells, 360)
    path = tmp_path / "tenths.csv"
    sheet = Sheet(log).time("time", utc("%Y-%m-%dT%H:%M:%SZ")).amps("i", 10, 0).cells("c{}")
    path.write_text(sheet.text())
    bench.save_setup(put(bench.setup(), {"capacity_ah": 230.0}))
    page.open_files([str(path)], bench, bench.setup(), bench.packs(), 1, "UTC")
    qtbot.waitUntil(lambda: page.draft is not None)
    assert "Ah flow one way in one go" in words(page.odd)
    choose(page, "current_scale", "0.1 A")
    qtbot.waitUntil(lambda: page.draft.mapping.current_scale == 0.1)
    assert "one go" not in words(page.odd)
    assert page.draft.log.current_a.max() < 40.0
    choose(page, "sign", "discharging as positive")
    qtbot.waitUntil(lambda: page.draft.mapping.current_scale == -0.1)
    choose(page, "current_scale", "A")  # by hand, and wrong: told all the same
    qtbot.waitUntil(lambda: page.draft.mapping.current_scale == -1.0)
    assert "Ah flow one way in one go" in words(page.odd)


def test_a_power_has_units_of_its_own(qtbot, draft_page):
    mapping = replace(draft_page.draft.mapping, power=True, current_scale=1.0)
    draft_page.written.remapped.emit(mapping)
    qtbot.waitUntil(lambda: draft_page.draft.mapping.power)
    box = draft_page.written.boxes["current_scale"]
    assert [box.itemText(i) for i in range(box.count())] == ["W", "kW"]
    choose(draft_page, "current_scale", "kW")
    qtbot.waitUntil(lambda: draft_page.draft.mapping.current_scale == 1000.0)


def test_a_scale_without_a_name_is_shown_by_its_number(qtbot, draft_page):
    mapping = replace(draft_page.draft.mapping, current_scale=-0.0244)
    draft_page.written.remapped.emit(mapping)
    qtbot.waitUntil(lambda: draft_page.draft.mapping.current_scale == -0.0244)
    box = draft_page.written.boxes["current_scale"]
    assert box.currentText() == "× 0.0244"
    choose(draft_page, "current_scale", "× 0.0244")  # chosen again it stays
    qtbot.waitUntil(lambda: draft_page.draft is not None)
    assert draft_page.draft.mapping.current_scale == -0.0244
