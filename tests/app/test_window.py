"""The window on a small bench: stages, What follows, undo, packs, actions, and what goes wrong."""

import gzip
import json
import os
import subprocess
import sys
import threading
import time
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtWidgets import QApplication, QFileDialog, QLabel

from nipper.app.actions import Menu
from nipper.app.jobs import Job, wait_for_jobs
from nipper.app.shell import importmany
from nipper.app.shell.commands import ACTIONS
from nipper.app.shell.finder import matches
from nipper.app.shell.importdraft import read_draft
from nipper.app.shell.opening import is_bench, is_log
from nipper.app.shell.rail import Rail
from nipper.app.shell.stages import STAGES
from nipper.app.shell.writing import write_copy, write_diagnosis, write_log, write_setup
from nipper.app.stage import StageView
from nipper.app.stages.diagnose.view import DiagnoseView
from nipper.app.stages.protect.view import ProtectView
from nipper.app.stages.record.view import RecordView
from nipper.core.logs import averages
from nipper.core.rules import RULES
from nipper.core.setup import dumps, get, loads
from nipper.store import Bench
from tests.conftest import FILES
from tests.core.test_reader import dialect


def words(widget) -> str:
    """All text a user sees in a widget: of labels that nobody has hidden."""
    QApplication.processEvents()  # widgets just put into a layout are shown by an event
    return "\n".join(w.text() for w in widget.findChildren(QLabel) if w.isVisibleTo(widget))


def test_every_action_has_an_id_keys_and_a_help_sentence_of_its_own():
    assert len({a.id for a in ACTIONS}) == len(ACTIONS)
    keys = [a.keys for a in ACTIONS if a.keys]
    assert len(set(keys)) == len(keys)
    assert all(a.help.endswith(".") and a.title for a in ACTIONS)
    assert {a.menu for a in ACTIONS} == set(Menu)


def test_the_rail_tells_the_packs_story(open_window):
    entries = open_window.rail.entries
    assert list(entries) == [
        "build",
        "protect",
        "level",
        "charge",
        "cold",
        "link",
        "rehearse",
        "record",
        "diagnose",
        "keep",
    ]
    assert entries["level"].sentence.startswith("levels ")
    assert entries["rehearse"].sentence == "not rehearsed yet"
    assert entries["record"].sentence.startswith("12 full charges")
    assert "Cell 3 loses" in entries["diagnose"].sentence
    assert entries["diagnose"].status == "act"
    assert "doubt" in entries["protect"].sentence


def test_a_suggestion_is_applied_and_undone(qtbot, open_window):
    open_window.go("protect")
    qtbot.waitUntil(lambda: open_window.first_suggestion() is not None)
    entry = next(
        e for e in open_window.follows.entries() if "trigger of 1 mV" in e.consequence.lead
    )
    entry.applied.emit(entry.consequence)
    assert get(open_window.document.setup, "balancer.delta_mv") == 10.0
    qtbot.waitUntil(lambda: not any("trigger of 1 mV" in c.lead for c in open_window.follows.shown))
    open_window.undo()
    assert get(open_window.document.setup, "balancer.delta_mv") == 1.0
    open_window.redo()
    assert get(open_window.document.setup, "balancer.delta_mv") == 10.0


def test_typing_a_limit_moves_the_ladder_and_what_follows(qtbot, open_window):
    view = open_window.view("protect")
    assert isinstance(view, ProtectView)
    field = view.forms[0].field("protection.cell_over_voltage.release_v")
    view.type_into("protection.cell_over_voltage.release_v")
    field.setText("3.70")
    field.setModified(True)
    field.editingFinished.emit()
    assert open_window.document.setup.protection.cell_over_voltage.release_v == 3.70
    qtbot.waitUntil(
        lambda: any("Charging returns at 3.700 V" in c.lead for c in open_window.follows.shown)
    )
    assert open_window.rail.entries["protect"].status == "act"
    assert any(
        r.path == "protection.cell_over_voltage.release_v" and r.cell_v == 3.70
        for r in view.ladder._rungs
    )


def test_the_drag_of_a_limit_is_followed_and_is_one_undo_step(qtbot, open_window):
    view = open_window.view("protect")
    for value in (3.60, 3.58, 3.56):
        view.ladder.dragged.emit("protection.cell_over_voltage.trip_v", value)
    view.ladder.dropped.emit()
    assert open_window.document.setup.protection.cell_over_voltage.trip_v == 3.56
    assert open_window.document.settings.undo_stack.count() == 1


def test_all_settings_of_the_contract_can_be_typed(open_window):
    view = open_window.view("protect")
    paths = {p for form in view.forms for p in form.paths}
    setup = open_window.document.setup
    for part, values in setup.protection.model_dump().items():
        expected = (
            {f"protection.{part}.{name}" for name in values}
            if isinstance(values, dict)
            else {f"protection.{part}"}
        )
        assert expected <= paths
    assert {f"balancer.{n}" for n in ("kind", "current_a", "start_v", "delta_mv", "when")} <= paths
    assert {
        "charging.absorption_v",
        "charging.equalise_every_days",
        "wiring.fuse_a",
        "cell.max_charge_a",
        "capacity_ah",
        "chemistry",
    } <= paths


def test_a_charge_is_opened_and_put_beside_another(qtbot, open_window):
    view = open_window.view("record")
    assert isinstance(view, RecordView)
    assert "Twelve full charges" in words(view)
    view.pick(4, False)
    view.pick(1, True)
    assert "mV =" in words(view.panel)
    assert view.panel.plots[1].isVisible()
    view.alone.click()
    assert not view.panel.plots[1].isVisible()
    assert not view.other_pack.isEnabled()
    view.as_mv.click()
    assert view.heat._unit == "mV"


def test_an_event_is_noted_and_stands_on_the_time_line(qtbot, open_window):
    view = open_window.view("record")
    view.events.note.setText("BMS swapped")
    view.events.keep()
    assert [e.note for e in open_window.document.history.events()] == [
        "bars retorqued",
        "BMS swapped",
    ]
    assert "BMS swapped" in [e.note for e in view.heat._events]
    assert view.events.note.text() == ""


def test_the_stray_is_named_with_evidence_and_cure(qtbot, open_window):
    view = open_window.view("diagnose")
    assert isinstance(view, DiagnoseView)
    told = words(view)
    assert "Cell 3 loses" in told
    assert "One drifts, the others do not" in told
    assert "Feed cell 3 with" in told
    assert "Leave the pack disconnected" in told
    view.pick(5)
    assert "Cell 5, all that is known" in words(view)
    view.pick(None)


def test_a_pack_without_a_log_says_what_to_do(qtbot, open_window):
    open_window.desk.next_pack()
    assert open_window.document.pack.name == "Pack B"
    assert "Drop a log of this pack" in words(open_window.view("record"))
    assert "Nothing to judge yet" in words(open_window.view("diagnose"))
    assert open_window.rail.entries["record"].sentence == "no log yet"


@pytest.mark.parametrize(
    ("typed", "title", "stage"),
    [
        ("cell_under_voltage.trip_v", "trip", "protect"),
        ("cell 3", "Cell 3", "diagnose"),
        ("inverter's most charge", "nverter", "link"),
    ],
)
def test_the_finder_goes_to_places_too(qtbot, open_window, typed, title, stage):
    open_window.menus.find()
    finder = open_window.menus._finder
    qtbot.keyClicks(finder.line, typed)
    assert title in finder.list.item(0).text()
    finder._run(finder.list.item(0))
    assert open_window.rail.entries[stage].isVisible()
    assert open_window._stage == stage
    finder.hide()


def test_the_finder_knows_words_and_events(qtbot, open_window):
    open_window.document.history.add_event(1.7e9, "note", "bars of the port side cleaned", None)
    open_window.menus.find()
    finder = open_window.menus._finder
    for typed, told in (("port side", "bars of the port"), ("highest less lowest", "deviation")):
        finder.line.clear()
        qtbot.keyClicks(finder.line, typed)
        assert told in finder.list.item(0).text()
    finder.hide()


def test_the_finder_finds_and_runs(qtbot, open_window):
    open_window.menus.find()
    finder = open_window.menus._finder
    qtbot.keyClicks(finder.line, "diagn")
    offered = [finder.list.item(i).text() for i in range(finder.list.count())]
    assert any(text.startswith("Diagnose") for text in offered)
    action = next(a for a in ACTIONS if a.id == "go.diagnose")
    assert matches(action, "diagnose stray")
    finder.chosen.emit(action)
    assert isinstance(open_window.pages.currentWidget(), DiagnoseView)
    finder.hide()


def test_the_theme_can_be_turned_over(open_window):
    for stage in ("protect", "record", "diagnose"):
        open_window.go(stage)
    open_window.set_theme("dark")
    dark = open_window.grab().toImage().pixelColor(300, 400).lightness()
    open_window.set_theme("light")
    assert dark < 80 < 200 < open_window.grab().toImage().pixelColor(300, 400).lightness()


def drop(window, *paths: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    window.dropEvent(
        QDropEvent(
            QPointF(300, 300),
            Qt.DropAction.CopyAction,
            data,
            Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
        )
    )


@pytest.mark.parametrize(
    ("name", "data", "told"),
    [
        ("a.nipper", b"not a bench", "another kind of file"),
        ("b.json", b"{broken", "expected JSON"),
        ("c.json", b'{"chemistry": "lead"}', "expected"),
        ("missing.nipper", None, "there is none"),
    ],
)
def test_a_file_that_cannot_be_used_is_told_in_one_line(
    qtbot, open_window, tmp_path, name, data, told
):
    path = tmp_path / name
    if data is not None:
        path.write_bytes(data)
    drop(open_window, path)
    assert told in open_window.message.text()
    assert open_window.document is not None


def test_a_bench_open_elsewhere_is_told(qtbot, window, bench):
    window.opener.open(str(bench.path))
    assert "no other window has open" in window.message.text()
    assert window.document is None


def test_files_are_written(qtbot, open_window, tmp_path, monkeypatch):
    def answer(name):
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / name), ""))

    def log_written(name):
        answer(name)
        write_log(open_window)
        wait_for_jobs()  # ends what need not last
        return (tmp_path / name).read_bytes()

    answer("setup.json")
    write_setup(open_window)
    assert loads((tmp_path / "setup.json").read_text()) == open_window.document.setup
    plain = log_written("log.csv")
    assert plain.startswith(b"time,current_a,pack_v,cell_01_v")
    assert gzip.decompress(log_written("log.csv.gz")) == plain
    answer("diagnosis.json")
    write_diagnosis(open_window)
    assert json.loads((tmp_path / "diagnosis.json").read_text())["format"] == "nipper-diagnosis"
    answer("diagnosis.pdf")
    write_diagnosis(open_window)
    assert (tmp_path / "diagnosis.pdf").read_bytes().startswith(b"%PDF")
    answer("diagnosis.html")
    write_diagnosis(open_window)
    assert "Cell 3" in (tmp_path / "diagnosis.html").read_text()
    answer("copy.nipper")
    write_copy(open_window)
    copy = Bench.open(tmp_path / "copy.nipper")
    assert copy.setup() == open_window.document.setup
    copy.close()
    answer("no/such/folder.json")
    write_setup(open_window)
    assert "No such file" in open_window.message.text()
    open_window.say("")
    answer("no/such/folder.csv")
    write_log(open_window)
    qtbot.waitUntil(lambda: "No such file" in open_window.message.text())


def test_a_log_too_long_to_be_held_is_told_and_written_whole(
    qtbot, open_window, tmp_path, monkeypatch
):
    document = open_window.document
    rows = document.record.log.rows
    monkeypatch.setattr(averages, "MOST_READINGS", document.record.log.cell_v.size // 2)
    document.records.read(document.pack)
    qtbot.waitUntil(lambda: document.record is not None and document.record.log.averaged_s > 0)
    assert any("are more than are held at once" in a for a in document.record.diagnosis.advice)
    for name, told in (("a.csv", ""), ("a.parquet", "a log that is this long")):
        monkeypatch.setattr(
            QFileDialog, "getSaveFileName", lambda *_, name=name: (str(tmp_path / name), "")
        )
        write_log(open_window)
        wait_for_jobs()
        qtbot.waitUntil(lambda told=told: told in open_window.message.text())
    assert (tmp_path / "a.csv").read_bytes().count(b"\n") == rows + 1
    assert not (tmp_path / "a.parquet").exists()


def test_a_new_bench_never_takes_the_place_of_a_file(
    window, settings, make_setup, tmp_path, monkeypatch
):
    taken = tmp_path / "taken.nipper"
    taken.write_text("precious")
    settings.setValue("ask", "yes")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, **__: (str(taken), ""))
    window.opener.make(make_setup())
    assert "a name that is not taken" in window.message.text()
    assert taken.read_text() == "precious"
    assert window.document is None


@pytest.mark.parametrize("as_folder", [False, True])
def test_several_logs_are_dropped_at_once(qtbot, open_window, small_log, tmp_path, as_folder):
    folder = tmp_path / "logs"
    folder.mkdir()
    files = [folder / f"{name}.csv" for name in ("may", "april", "march")]
    for file in files:
        file.write_text(dialect(small_log.select(slice(0, 50))))
    (folder / "notes.doc").write_text("of the week")
    (folder / "._april.csv").write_text("what another system leaves")
    within = folder / "2026"
    within.mkdir()
    if as_folder:
        files[0].rename(within / "may.csv")
    drop(open_window, *([folder] if as_folder else [*files, folder / "notes.doc"]))
    page = open_window.importer.page
    qtbot.waitUntil(lambda: page.draft is not None)
    assert Path(page.draft.file).name == ("may.csv" if as_folder else "april.csv")
    assert ("no logs: notes.doc" in open_window.message.text()) == (not as_folder)
    assert page.take.text() == "Import 3 files"


def test_a_bench_is_made_of_several_logs(qtbot, window, small_log, tmp_path):
    files = [tmp_path / f"{day}.csv" for day in (1, 2)]
    for file in files:
        file.write_text(dialect(small_log.select(slice(0, 50))))
    drop(window, *files)
    page = window.start_page
    qtbot.waitUntil(page.isVisible)
    assert "A bench from 1.csv" in words(page)
    page.capacity.set_value(100.0)
    page.make.click()
    qtbot.waitUntil(lambda: window.importer.page.take.text() == "Import 2 files")
    with qtbot.waitSignal(window.importer.page.finished):
        window.importer.page.confirm()
    assert "2 files taken in, 50 new rows" in window.message.text()
    assert window.message.property("role") == "soft"


def test_what_several_files_brought_before_a_stop_is_shown(
    qtbot, open_window, small_log, tmp_path, monkeypatch
):
    files = [tmp_path / f"{day}.csv" for day in (1, 2, 3)]
    for day, file in enumerate(files, 10):
        later = replace(small_log, time_s=small_log.time_s + 86400.0 * 30 * day)
        file.write_text(dialect(later.select(slice(0, 300))))
    document, (pack, *_) = open_window.document, open_window.document.records.packs
    before = document.records.by_pack[pack.id].log.rows
    drop(open_window, *files)
    page = open_window.importer.page
    qtbot.waitUntil(lambda: page.draft is not None)
    stuck = threading.Event()

    def slow(path, *given):
        if path.endswith("3.csv"):
            stuck.wait(20.0)
        return read_draft(path, *given)

    monkeypatch.setattr(importmany, "read_draft", slow)
    page.confirm()
    qtbot.waitUntil(lambda: len(document.bench.logs.all()) >= 3)
    page.stop.click()
    stuck.set()
    qtbot.waitUntil(lambda: document.records.by_pack[pack.id].log.rows > before)
    assert document.records.by_pack[pack.id].log.rows == before + 600


def test_of_several_files_that_are_no_logs_the_rest_is_named(open_window, tmp_path, make_setup):
    files = [tmp_path / f"{name}.json" for name in ("one", "two", "three")]
    for file in files:
        file.write_text(dumps(make_setup()))
    drop(open_window, *files)
    assert "this is one.json. Drop the other 2" in open_window.message.text()


@pytest.mark.parametrize(
    ("name", "data", "log"),
    [
        ("a.zip", b"PK", True),
        ("a.parquet", b"PAR1", True),
        ("a.JSONL", b"{}", True),
        ("a.json", b'[{"t": 1}]', True),
        ("a.json", b'{"device": "x", "rows": [[1]]}', True),
        ("a.json", b'{"format": "nipper-setup", "packs": []}', False),
        ("a.json", b"{broken", False),
        ("a.nipper", b"", False),
        ("a.db", b"SQLite format 3", True),
    ],
)
def test_what_a_file_is_taken_for(tmp_path, name, data, log):
    (tmp_path / name).write_bytes(data)
    assert is_log(tmp_path / name) == log
    assert not is_log(tmp_path / "gone.json")


def test_any_other_file_is_read_as_a_log_and_says_what_it_is(qtbot, open_window, tmp_path):
    for name, data in (("sheet.pdf", b"%PDF-1.7 "), ("screen.png", b"\x89PNG\r\n\x1a\n")):
        (tmp_path / name).write_bytes(data + bytes(range(200)))
        drop(open_window, tmp_path / name)
        what = "a PDF document" if name.endswith("pdf") else "a picture"
        page = open_window.importer.page
        qtbot.waitUntil(lambda page=page, what=what: what in words(page))
        assert not page.columns.isVisible() and not page.take.isVisible()
    kept = Bench.create(tmp_path / "kept.nipper", open_window.document.setup).path
    renamed = kept.rename(tmp_path / "kept.bak")
    assert is_bench(renamed)
    assert not is_bench(tmp_path / "sheet.pdf")


def test_a_pipe_is_not_waited_for_and_a_closed_folder_is_told(open_window, tmp_path, monkeypatch):
    os.mkfifo(tmp_path / "pipe.json")
    assert not is_log(tmp_path / "pipe.json")
    closed = tmp_path / "closed"
    closed.mkdir()
    drop(open_window, closed)  # with nothing in it
    assert "closed" in open_window.message.text()

    def refused(*_):
        raise PermissionError

    monkeypatch.setattr(Path, "rglob", refused)
    open_window.say("")
    drop(open_window, closed)
    assert "closed" in open_window.message.text()


def test_typed_in_is_a_dated_revision(open_window):
    open_window.note_typed_in()
    assert "revision 1 · typed in" in open_window.top.revision.text()
    open_window.document.settings.change({"balancer.delta_mv": 5.0}, "Set")
    assert "changed since" in open_window.top.revision.text()
    assert open_window.top.revision.property("role") == "copper"
    open_window.undo()
    assert "changed since" not in open_window.top.revision.text()
    assert open_window.top.revision.property("role") == "soft"


def test_long_names_do_not_break_the_window(qtbot, open_window):
    open_window.document.settings.change({"name": "A very long name of a pack " * 7}, "Set")
    open_window.document.records.rename(1, "An equally long pack name that nobody would type")
    assert open_window.top.name.text().endswith("…")
    assert open_window.minimumSizeHint().width() <= 1280


def test_the_start_loads_nothing_heavy():
    """Tables, numerics, plots and the compiler cost 0.4 to 1.0 s each: not before the first
    paint.
    """
    code = (
        "import os; os.environ['QT_QPA_PLATFORM']='offscreen'\nimport sys, tempfile\nfrom "
        "pathlib import Path\nfrom PySide6.QtCore import QSettings\nfrom PySide6.QtWidgets "
        "import QApplication\napp = QApplication([])\nfrom nipper.app.start import "
        "make_window\nfolder = Path(tempfile.mkdtemp())\nwindow = "
        "make_window(QSettings(str(folder / 's.ini'), QSettings.Format.IniFormat), 'light', "
        "folder)\nwindow.show(); window.grab()\n"
        "print(sorted({'numba', 'scipy', 'polars', 'pyqtgraph'} & set(sys.modules)))\n"
    )
    done = subprocess.run(
        [sys.executable, "-c", code],
        capture_output=True,
        text=True,
        check=True,
        cwd=FILES.parents[1],
    )
    assert done.stdout.strip() == "[]"


def test_points_on_what_follows_show_their_setting(qtbot, open_window):
    view = open_window.view("protect")
    qtbot.waitUntil(lambda: bool(open_window.follows.entries()))
    entry = next(
        e for e in open_window.follows.entries() if "balancer.delta_mv" in e.consequence.settings
    )
    entry.pointed.emit(entry.consequence)
    assert view._stack.currentIndex() == 3
    assert entry.why_button.isCheckable()
    entry.why_button.click()
    assert entry._why.isVisibleTo(entry)


def test_name_and_number_of_packs_can_be_typed(qtbot, open_window):
    form = next(f for f in open_window.view("protect").forms if "name" in f.paths)
    name, packs = form.field("name"), form.field("packs_in_parallel")
    name.setText("Boat house")
    name.setModified(True)
    name.editingFinished.emit()
    assert open_window.top.name.text() == "Boat house"
    for text, expected in (("3", 3), ("2.5", 3)):
        packs.setText(text)
        packs.setModified(True)
        packs.editingFinished.emit()
        assert open_window.document.setup.packs_in_parallel == expected
    assert "valid integer" in open_window.message.text()
    assert len(open_window.document.records.packs) == 3


def test_ten_stages_fit_a_low_window(qtbot, theme):
    ten = [replace(STAGES[0], id=f"stage-{i}") for i in range(10)]
    rail = Rail(theme, ten)
    qtbot.addWidget(rail)
    assert rail.minimumSizeHint().height() <= 640 - 60  # menu bar and top line
    for entry in rail.entries.values():
        entry.say("watch", "a sentence that is too long for one line of the rail, and for two")
    rail.resize(rail.width(), 570)
    rail.show()
    assert {e.height() for e in rail.entries.values()} <= set(range(52, 60))
    rail.resize(rail.width(), 900)
    qtbot.waitUntil(lambda: all(e.height() == 76 for e in rail.entries.values()))


def test_a_stage_is_its_declaration(open_window):
    """Rail, commands, shortcuts and the walk know a stage from its declaration alone."""
    actions = {a.id: a for a in open_window.menus.actions}
    for stage in STAGES:
        assert open_window.rail.entries[stage.id].stage is stage
        assert actions[f"go.{stage.id}"].keys == f"Ctrl+{stage.key}"
        assert isinstance(open_window.view(stage.id), StageView)
        said = stage.sentence(open_window.desk.situation)
        assert said is not None
        assert said[1] == open_window.rail.entries[stage.id].sentence
        assert open_window.follows.shown == tuple(stage.follows(open_window.desk.situation))
    names = [picture.name for stage in STAGES for picture in stage.pictures]
    assert len(set(names)) == len(names)
    told = {s for rule in RULES for s in rule.stages}
    assert told <= {stage.id for stage in STAGES}


def test_the_window_closes_within_a_second_whatever_is_at_work(open_window):
    """A device that is always late, a file on a disk that hangs: nobody waits for them."""
    go_on = threading.Event()
    job = Job(go_on.wait).start()
    begin = time.monotonic()
    assert open_window.close()
    assert time.monotonic() - begin < 2.5  # twice the patience, and the bench
    assert not go_on.is_set()
    go_on.set()
    assert job.cancelled


def test_a_log_dropped_without_a_bench_fills_in_what_it_tells(qtbot, window):
    window.opener.open(str(FILES / "synthetic_06.csv.gz"))
    qtbot.waitUntil(lambda: window.pages.currentWidget() is window.start_page, timeout=20_000)
    page = window.start_page
    assert page.cells.value() == 16
    assert page.chemistry.currentData() == "lfp"
    assert page.capacity.value == pytest.approx(280.0, rel=0.05)
    told = " ".join(found.text() for found in page.findChildren(QLabel))
    assert "by charge counted while its percentage moved" in told
