"""A bench that cannot be written: told, offered a copy, nothing typed lost without a word."""

import os
import sys
from dataclasses import replace

import pytest
from PySide6.QtWidgets import QFileDialog

from nipper.app.document import settings as kept
from nipper.app.shell import rescue
from nipper.app.shell.writing import write_copy
from nipper.app.start import tell_troubles
from nipper.core.presets import new_setup
from nipper.store import Bench, place


@pytest.fixture
def answers(monkeypatch):
    """Answers the next questions; what was asked is kept."""
    given: list[str] = []
    asked: list[str] = []

    def ask(_window, text, more, choices):
        asked.append(f"{text} {more}")
        answer = given.pop(0)
        assert answer in choices
        return answer

    monkeypatch.setattr(rescue, "ask", ask)
    return given, asked


@pytest.fixture
def choose(monkeypatch):
    """The file the next save dialogs give."""

    def chosen(path):
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, **__: (str(path), ""))

    return chosen


def absorption(window, minutes: float) -> None:
    assert window.document.settings.change({"charging.absorption_min": minutes}, "Absorption time")


def fill_disk(bench: Bench) -> None:
    (pages,) = bench._file.rows("PRAGMA page_count")[0]
    bench._file.rows(f"PRAGMA max_page_count = {pages}")


def test_the_open_bench_dropped_on_its_window_stays_open_and_alone(open_window):
    document = open_window.document
    open_window.opener.open(str(document.bench.path))
    assert "in use" in open_window.message.text()
    assert open_window.document is document
    absorption(open_window, 77.0)
    document.settings.save()
    assert document.bench.setup().charging.absorption_min == 77.0


def test_a_read_only_bench_is_opened_as_a_copy(window, tmp_path, answers, monkeypatch):
    given, asked = answers
    path = tmp_path / "stick.nipper"
    Bench.create(path, new_setup("lfp", 8, 100.0, name="On a stick")).close()
    real = os.access
    monkeypatch.setattr(os, "access", lambda p, how: str(p) != str(path) and real(p, how))
    given.append("Leave it")
    window.opener.open(str(path))
    assert window.document is None
    assert "read-only" in window.message.text()
    given.append("Open a copy")
    window.opener.open(str(path))
    assert window.document.bench.path.name == "stick copy.nipper"
    assert window.document.setup.name == "On a stick"
    absorption(window, 77.0)
    window.document.settings.save()
    assert len(asked) == 2


def test_settings_that_could_not_be_kept_are_told_and_kept_when_there_is_room(
    qtbot, open_window, monkeypatch
):
    document = open_window.document
    monkeypatch.setattr(kept, "RETRY_MS", 50)
    identity = document.bench._file._identity
    document.bench._file._identity = (0, 0)
    absorption(open_window, 77.0)
    document.settings.settle()
    assert "taken away or replaced" in open_window.message.text()
    document.bench._file._identity = identity
    qtbot.waitUntil(lambda: document.bench.setup().charging.absorption_min == 77.0, timeout=3000)
    assert open_window.message.isHidden()


def test_a_window_with_unkept_settings_asks_before_it_closes(
    open_window, answers, choose, tmp_path
):
    given, asked = answers
    document = open_window.document
    document.bench.path.unlink()
    absorption(open_window, 77.0)
    given.append("Stay")
    assert not open_window.close()
    assert open_window.document is document
    assert "not kept" in asked[0]
    copy = tmp_path / "rescued.nipper"
    choose(copy)
    given.append("Save a copy …")
    assert not open_window.close()
    assert open_window.document.bench.path == copy
    assert open_window.document.setup.charging.absorption_min == 77.0
    assert open_window.close()
    assert not asked[2:]


def test_a_deleted_bench_can_be_saved_under_its_own_name(open_window, choose):
    path = open_window.document.bench.path
    path.unlink()
    absorption(open_window, 77.0)
    choose(path)
    write_copy(open_window)
    document = open_window.document
    assert document.bench.path == path
    assert document.setup.charging.absorption_min == 77.0
    assert document.bench.logs.all()
    absorption(open_window, 78.0)
    document.settings.save()
    assert open_window.close()
    again = Bench.open(path)
    assert again.setup().charging.absorption_min == 78.0
    again.close()


def test_leaving_without_is_the_users_word(open_window, answers):
    answers[0].append("Leave without")
    open_window.document.bench.path.unlink()
    absorption(open_window, 77.0)
    assert open_window.close()


def test_a_copy_of_a_bench_that_is_well_leaves_it_open(open_window, choose, tmp_path):
    document, copy = open_window.document, tmp_path / "copy.nipper"
    choose(copy)
    write_copy(open_window)
    assert open_window.document is document
    other = Bench.open(copy)
    assert other.setup() == document.setup
    other.close()


def test_an_import_on_a_full_disk_can_be_tried_again(qtbot, open_window, tmp_path, small_log):
    from nipper.core.logs.writer import plain_csv

    document = open_window.document
    later = replace(small_log, time_s=small_log.time_s + 400 * 86400.0)
    file = tmp_path / "later.csv"
    file.write_bytes(plain_csv(later))
    open_window.importer.read(str(file))
    page = open_window.importer.page
    qtbot.waitUntil(lambda: page.take.isEnabled(), timeout=10_000)
    fill_disk(document.bench)
    page.confirm()
    qtbot.waitUntil(lambda: not page._importing, timeout=10_000)
    assert "room on the disk" in page._subtitle.text()
    assert page.take.text() == "Import"
    assert page.take.isEnabled()
    document.bench._file.rows("PRAGMA max_page_count = 1000000")
    page.confirm()
    qtbot.waitUntil(lambda: len(document.bench.logs.all()) == 2, timeout=10_000)
    qtbot.waitUntil(lambda: not document.busy, timeout=30_000)


def test_a_tick_on_a_full_disk_is_told_and_can_be_made_again(qtbot, open_window, monkeypatch):
    monkeypatch.setattr(sys, "excepthook", sys.excepthook)  # put back afterwards
    tell_troubles(open_window)
    page = open_window.side.show("typing")
    bench = open_window.document.bench
    monkeypatch.setattr(bench._file, "_identity", (0, 0))
    before = page.sheet.row
    page.done.setEnabled(True)
    page.done.click()
    assert "taken away or replaced" in open_window.message.text()
    assert page.sheet.row == before
    assert page.sheet.ticks == {}
    bench._file._identity = place.identity(bench.path)
    page.tick_line()
    assert len(page.sheet.ticks) == 1


def test_a_sheet_that_cannot_be_printed_is_told(open_window):
    page = open_window.side.show("typing")
    page.files.print_to("/no such folder/sheet.pdf")
    assert "can be written" in open_window.message.text()


def test_a_stranger_of_an_error_keeps_its_traceback(open_window, monkeypatch):
    seen: list[BaseException] = []
    monkeypatch.setattr(sys, "excepthook", lambda _kind, error, _trace: seen.append(error))
    tell_troubles(open_window)
    bug = ValueError("a bug")
    sys.excepthook(ValueError, bug, None)
    assert seen == [bug]
    assert open_window.message.isHidden()
