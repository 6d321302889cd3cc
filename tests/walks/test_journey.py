"""Whole journeys: from a stranger's log to the named cell; a new bench from five answers; the
import page's doubts.
"""

import numpy as np
import pytest

from nipper.app.shell.importpage import ImportPage
from nipper.app.stages.record.view import RecordView
from nipper.core.logs.model import Log
from nipper.core.logs.writer import write_plain
from nipper.core.presets import new_setup
from nipper.core.rules import check, verdict
from nipper.core.setup import dumps
from nipper.store import Bench
from tests.app.conftest import *  # noqa: F403 - the window's fixtures
from tests.app.test_window import drop, words
from tests.core.test_reader import dialect, local


def page(window) -> ImportPage:
    found = window.importer.page
    assert isinstance(found, ImportPage)
    return found


def test_from_a_log_alone_to_the_named_cell(qtbot, window, small_log, tmp_path):
    path = tmp_path / "shed_export.csv"
    path.write_text(
        dialect(small_log, separator=";", decimal=",", sign=-1.0, times=local("%d.%m.%Y %H:%M:%S"))
    )
    drop(window, path)
    qtbot.waitUntil(lambda: "shed_export" in window.start_page._headline.text(), timeout=20_000)
    assert window.start_page.cells.value() == 8
    assert not window.start_page.cells.isEnabled()
    assert window.start_page.chemistry.currentData() == "lfp"
    window.start_page.capacity.set_value(100.0)
    window.start_page.make.click()
    qtbot.waitUntil(
        lambda: window.document is not None and page(window).take.isEnabled(), timeout=20_000
    )
    page(window).confirm()
    document = window.document
    qtbot.waitUntil(lambda: document.record is not None and not document.busy, timeout=30_000)
    assert isinstance(window.pages.currentWidget(), RecordView)
    qtbot.waitUntil(lambda: "Cell 3 loses" in window.rail.entries["diagnose"].sentence)
    assert "Feed cell 3" in words(window.view("diagnose"))


def test_five_answers_make_a_bench_that_check_passes(qtbot, window):
    start = window.start_page
    start.name.setText("Hut")
    start.chemistry.setCurrentIndex(1)
    start.cells.setValue(14)
    start.capacity.set_value(60.0)
    start.packs.setValue(2)
    start.balancer.setCurrentIndex(1)
    start.make.click()
    setup = window.document.setup
    assert (
        setup.name,
        setup.chemistry,
        setup.cells,
        setup.capacity_ah,
        setup.packs_in_parallel,
        setup.balancer.kind,
    ) == ("Hut", "nmc", 14, 60.0, 2, "active")
    assert verdict(check(setup)) == "ok"
    assert len(window.document.records.packs) == 2
    path = window.document.bench.path
    window.close()
    again = Bench.open(path)
    assert again.setup() == setup
    again.close()


def test_a_capacity_that_is_none_is_told(qtbot, window):
    window.start_page.capacity.set_value(0.0)
    window.start_page.make.click()
    assert window.document is None
    assert "above 0" in window.start_page._told.text()


def test_a_setup_file_makes_a_bench(qtbot, window, tmp_path):
    path = tmp_path / "pack.json"
    path.write_text(dumps(new_setup("lto", 24, 40.0, name="From a file")))
    drop(window, path)
    assert window.document.setup.name == "From a file"


def test_the_import_page_says_what_looks_odd_and_turns_the_sign(
    qtbot, open_window, small_log, tmp_path
):
    turned = Log(
        small_log.time_s + 1e7,
        -small_log.current_a,
        small_log.pack_v,
        small_log.cell_v,
        small_log.temp_c,
    )
    path = tmp_path / "turned.csv"
    write_plain(turned, path)
    drop(open_window, path)
    found = page(open_window)
    qtbot.waitUntil(lambda: found.draft is not None and found.take.isEnabled(), timeout=20_000)
    assert "discharge were counted positive" in words(found)
    found.turn_sign()
    qtbot.waitUntil(lambda: "discharge were counted positive" not in words(found), timeout=20_000)
    assert found.draft.log.current_a[5] == pytest.approx(small_log.current_a[5])
    assert found.written.boxes["sign"].currentText() == "discharging as positive"
    assert found.rows.rowCount() == 12


def test_the_same_log_twice_adds_nothing_and_its_columns_are_remembered(
    qtbot, open_window, small_log, tmp_path
):
    path = tmp_path / "again.csv"
    later = Log(
        small_log.time_s + 2e7,
        small_log.current_a,
        small_log.pack_v,
        small_log.cell_v,
        small_log.temp_c,
    )
    path.write_text(dialect(later))
    for attempt in range(2):
        drop(open_window, path)
        found = page(open_window)
        qtbot.waitUntil(
            lambda f=found: (
                f.draft is not None and f.draft.table.file == str(path) and f.take.isEnabled()
            ),
            timeout=20_000,
        )
        assert found.draft.remembered == (attempt == 1)
        found.confirm()
        qtbot.waitUntil(
            lambda: (
                isinstance(open_window.pages.currentWidget(), RecordView)
                and not open_window.document.busy
            ),
            timeout=30_000,
        )
    assert "nothing was added" in open_window.message.text()
    assert len(open_window.document.bench.logs.all()) == 2


def test_a_log_of_another_pack_cannot_be_taken_in(qtbot, open_window, tmp_path):
    from tests.builders import charge_log

    path = tmp_path / "other.csv"
    write_plain(charge_log(new_setup("lfp", 4, 100.0), np.zeros(4)), path)
    drop(open_window, path)
    found = page(open_window)
    qtbot.waitUntil(lambda: found.draft is not None, timeout=20_000)
    assert "The log has 4 cells, the setup 8" in words(found)
    assert not found.take.isEnabled()
    found.stop.click()
    assert open_window.pages.currentWidget() is not found


def test_a_file_that_is_no_log_is_told_on_the_page(qtbot, open_window, tmp_path):
    path = tmp_path / "words.csv"
    path.write_text("a,b,c\nx,y,z\n")
    drop(open_window, path)
    found = page(open_window)
    qtbot.waitUntil(lambda: "words.csv" in words(found) and not found._job, timeout=20_000)
    assert "a header row and columns" in words(found) or "a time column" in words(found)
    assert not found.take.isEnabled()
