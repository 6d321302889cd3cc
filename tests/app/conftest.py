"""A window on a small bench, and nothing left behind."""

import gc
import importlib
import threading
import time

import numpy as np
import pytest
import shiboken6
from PySide6.QtCore import QSettings, QThreadPool, QTimer
from PySide6.QtWidgets import QApplication

from nipper.app import jobs
from nipper.app.document import Document
from nipper.app.jobs import wait_for_jobs
from nipper.app.shell import rescue
from nipper.app.shell.window import Window
from nipper.app.start import make_window
from nipper.app.theme import Theme, load_fonts
from nipper.core.presets import new_setup
from nipper.core.setup import put
from nipper.store import Bench
from tests.builders import charge_log


@pytest.fixture(scope="session", autouse=True)
def libraries_put_aside(qapp):
    """What the libraries hold stays for ever: no look for what is left behind goes through it."""
    for name in ("polars", "pyqtgraph"):
        importlib.import_module(name)
    gc.collect()
    gc.freeze()
    yield
    gc.unfreeze()


@pytest.fixture(scope="session")
def small_log():
    drift = np.zeros(8)
    drift[2] = -0.08
    return charge_log(
        new_setup("lfp", 8, 100.0),
        np.zeros(8),
        charges=12,
        drift_pct=drift,
        interval_s=60.0,
        depth_pct=15.0,
        hold_min=45.0,
    )


TIMERS = frozenset([QTimer, *QTimer.__subclasses__()])


def left_behind() -> list[str]:
    """What is still at work or open, in words."""
    threads = QThreadPool.globalInstance().activeThreadCount()
    found = [f"{threads} threads of the pool"] if threads else []
    found += [f"{len(jobs._ASKED)} jobs that were asked"] if jobs._ASKED else []
    found += [t.name for t in threading.enumerate() if t.name.startswith("nipper")]
    timers = [o for o in gc.get_objects() if type(o) in TIMERS]  # of half a million objects
    found += [
        f"timer of {t.parent()}, {t.interval()} ms"
        for t in timers
        if shiboken6.isValid(t) and t.isActive()
    ]
    return found + [f"window {w}" for w in QApplication.topLevelWidgets() if w.isVisible()]


@pytest.fixture(autouse=True)
def no_questions(monkeypatch):
    """A question nobody foresaw fails the test rather than wait for an answer for ever."""

    def ask(_window, text, more, _answers):
        raise AssertionError(f"{text} {more}")

    monkeypatch.setattr(rescue, "ask", ask)


@pytest.fixture
def bench(tmp_path, small_log):
    setup = put(new_setup("lfp", 8, 100.0, 2, name="Test bench"), {"balancer.delta_mv": 1.0})
    bench = Bench.create(tmp_path / "test.nipper", setup)
    bench.logs.add(1, small_log, "one.csv")
    bench.history.add_event(float(small_log.time_s[0]) + 4 * 86400, "note", "bars retorqued", 1)
    yield bench
    bench.close()


@pytest.fixture
def theme(qapp):
    load_fonts()
    theme = Theme("light")
    theme.apply()
    yield theme
    theme.deleteLater()


@pytest.fixture
def document(qapp, bench):
    document = Document(bench)
    yield document
    document.close()


@pytest.fixture
def read_document(qtbot, document):
    document.ask_rules()
    document.records.read_all()
    qtbot.waitUntil(
        lambda: not document.busy and len(document.records.by_pack) == 2, timeout=30_000
    )
    return document


@pytest.fixture
def settings(tmp_path):
    settings = QSettings(str(tmp_path / "settings.ini"), QSettings.Format.IniFormat)
    settings.setValue("ask", "no")
    return settings


@pytest.fixture
def window(qtbot, tmp_path, settings) -> Window:
    window = make_window(settings, "light", tmp_path / "benches")
    qtbot.addWidget(window)
    window.show()
    return window


@pytest.fixture
def open_window(qtbot, window, bench):
    window.open_bench(bench)
    document = window.document
    assert document
    qtbot.waitUntil(
        lambda: not document.busy and len(document.records.by_pack) == 2, timeout=30_000
    )
    entries = window.rail.entries.values()
    qtbot.waitUntil(lambda: all(entry.sentence != "reading …" for entry in entries))
    return window


@pytest.fixture(autouse=True)
def nothing_left_behind(qapp):
    """A test ends with no thread at work, no timer running and no window of its own still open."""
    yield
    for _ in range(40):  # an answer that arrives may put the question that waited behind it
        wait_for_jobs()
        qapp.processEvents()
        gc.collect()
        left = left_behind()
        if not left:
            break
        time.sleep(0.05)  # a stream that was told to end is asleep between two readings
    assert left == []
