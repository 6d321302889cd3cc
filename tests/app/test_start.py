"""Starting: with and without a screen, and where things are kept."""

import pytest

from nipper.app import start
from nipper.app.shell.demo import DemoMaker, demo_copy


@pytest.mark.parametrize(
    ("env", "there"),
    [
        ({}, False),
        ({"DISPLAY": ":0"}, True),
        ({"WAYLAND_DISPLAY": "wayland-0"}, True),
        ({"QT_QPA_PLATFORM": "offscreen"}, True),
    ],
)
def test_a_screen_is_there_or_not(monkeypatch, env, there):
    for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"):
        monkeypatch.delenv(name, raising=False)
    for name, value in env.items():
        monkeypatch.setenv(name, value)
    assert start.has_screen() is there


def test_without_a_screen_only_the_demo_walks(monkeypatch, capsys):
    monkeypatch.setattr(start, "has_screen", lambda: False)
    assert start.main(["pack.nipper"]) == 2
    assert "expected a display" in capsys.readouterr().err
    called = []
    monkeypatch.setattr(start.shutil, "which", lambda _: None)
    monkeypatch.setattr(
        start.subprocess,
        "call",
        lambda command, env: called.append((command, env["QT_QPA_PLATFORM"])) or 0,
    )
    assert start.main(["--demo"]) == 0
    command, platform = called[0]
    assert command[-2:] == ["--pictures", start.PICTURES]
    assert platform == "offscreen"


def test_the_zone_has_a_name_and_benches_a_place(qapp, monkeypatch, tmp_path):
    assert str(start.local_zone())
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    assert start.default_data_folder() == tmp_path / "nipper"


def test_the_demo_is_made_once_and_copied_each_time(monkeypatch, tmp_path):
    from nipper import demo

    made = []
    monkeypatch.setattr(
        demo, "make", lambda path, _tick: (made.append(path), path.write_text("bench"))
    )
    one, two = demo_copy(tmp_path), demo_copy(tmp_path)
    assert len(made) == 1
    assert one != two
    assert one.read_text() == two.read_text() == "bench"


def test_the_demo_maker_says_how_far_it_is_and_where_it_lies(qtbot, monkeypatch, tmp_path):
    from nipper import demo

    monkeypatch.setattr(demo, "make", lambda path, tick: (tick(0.5), path.write_text("bench")))
    maker, told = DemoMaker(tmp_path), []
    maker.told.connect(told.append)
    with qtbot.waitSignal(maker.made) as made:
        maker.start()
        maker.start()
    assert made.args[0].endswith("Quarry Lane workshop.nipper")
    assert any("50%" in text for text in told)


def test_nothing_heavy_is_loaded_before_the_first_paint(tmp_path, bench):
    """Numerics, tables, plots and the compiler come after the window: they take seconds on a slow
    machine.
    """
    import subprocess
    import sys

    bench.copy_to(tmp_path / "copy.nipper")
    code = (
        "import sys; from pathlib import Path; from PySide6.QtCore import QSettings; "
        "from PySide6.QtWidgets import QApplication; a = QApplication([])\n"
        "from nipper.app.start import make_window; from nipper.store import Bench\n"
        f"w = make_window(QSettings({str(tmp_path / 's.ini')!r}, "
        f"QSettings.Format.IniFormat), 'light', Path({str(tmp_path)!r}))\n"
        f"b = Bench.open({str(tmp_path / 'copy.nipper')!r}); from "
        "nipper.app.document import Records; Records.read_all = lambda self: None\n"
        "w.open_bench(b); w.show(); w.grab(); print([m for m in ('scipy', 'polars', "
        "'numba', 'pyqtgraph') if m in sys.modules]); w.close()\n"
    )
    answer = subprocess.run(
        [sys.executable, "-c", code],
        check=True,
        capture_output=True,
        text=True,
        env={**__import__("os").environ, "QT_QPA_PLATFORM": "offscreen"},
    )
    assert answer.stdout.strip() == "[]"
