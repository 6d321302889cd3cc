"""The import page: each choice is read anew, and says what it makes of the file."""

import pytest

from nipper.app.shell.importpage import ImportPage, read_draft, understand
from nipper.core.logs.mapping import ColumnMapping
from tests.app.test_window import words
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
    page.open_file(str(path), bench, bench.setup(), bench.packs(), 2, "Europe/Vienna")
    qtbot.waitUntil(lambda: page.draft is not None)
    return page


def choose(page, key: str, text: str) -> None:
    box = page._boxes[key]
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
    assert draft_page._boxes["cell_scale"].currentText() == "mV"
    assert draft_page._boxes["zone"].currentText() == "Europe/Vienna"
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
        next(
            t
            for t in (draft_page._boxes["time_form"].itemText(i) for i in range(8))
            if t.startswith("unix_s")
        ),
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
    choose(draft_page, "current", "–")
    qtbot.waitUntil(lambda: draft_page.draft.mapping.current is None)
    qtbot.waitUntil(lambda: "There is no current" in words(draft_page))


def test_a_log_is_taken_over_and_its_columns_are_remembered(qtbot, draft_page, bench):
    with qtbot.waitSignal(draft_page.finished) as finished:
        draft_page.confirm()
    assert finished.args == [200, 2]
    again = read_draft(draft_page._file, bench, bench.setup(), "UTC")
    assert again.remembered
    assert again.mapping.zone == "Europe/Vienna"


def test_leaving_stops_the_work(qtbot, page, bench, small_log, tmp_path):
    path = tmp_path / "log.csv"
    path.write_text(dialect(small_log))
    page.open_file(str(path), bench, bench.setup(), bench.packs(), 1, "UTC")
    with qtbot.waitSignal(page.left):
        page.stop.click()
    assert page._job is None


def test_a_mapping_of_another_file_is_told(small_log):
    from nipper.core.tables.read import table_of

    table = table_of(dialect(small_log.select(slice(0, 30))).encode(), "log.csv")
    wrong = ColumnMapping(time="Stamp", time_form="unix_s", cells=("Cell 1",))
    draft = understand(table, wrong, False, None)
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
    page.open_file(str(first), *where)
    page.open_file(str(second), *where)
    page._understood(late)  # the first one's answer was already on its way
    assert page.draft is None
    qtbot.waitUntil(lambda: page.draft is not None)
    assert page.draft.file == str(second)
    assert "second.csv: 50 rows" in words(page)
    with qtbot.waitSignal(page.finished) as finished:
        page.confirm()
    assert finished.args == [50, 2]


def test_nothing_is_opened_while_an_import_runs(qtbot, draft_page, bench, tmp_path, small_log):
    other = tmp_path / "other.csv"
    other.write_text(dialect(small_log.select(slice(0, 50))))
    with qtbot.waitSignal(draft_page.finished) as finished:
        draft_page.confirm()
        draft_page.open_file(str(other), bench, bench.setup(), bench.packs(), 1, "UTC")
        assert "other.csv was not opened: one import at a time" in words(draft_page)
    assert finished.args == [200, 2]
    assert draft_page.draft.file.endswith("log.csv")


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
    assert page._temps.text() == "1 on cells, 1 left out"
    assert any("MOS temp" in odd.text for odd in page.draft.odd)
    assert page.draft.log.temp_c.shape[1] == 1
    entry = next(e for e in page._temps.menu().actions() if e.text() == "MOS temp")
    entry.trigger()
    qtbot.waitUntil(lambda: page._temps.text() == "2 on cells", timeout=10_000)
    assert page.draft.log.temp_c.shape[1] == 2
    assert not any(odd.kind == "temps" for odd in page.draft.odd)
