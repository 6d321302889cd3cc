"""The check that a test leaves nothing behind can fail: each kind of leftover is seen."""

import threading
import time

import pytest
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QWidget

from nipper.app.jobs import Job, Stream, wait_for_jobs
from tests.app.conftest import left_behind


def beats(*, stopped):
    while not stopped():
        time.sleep(0.002)
        yield 1


def test_nothing_is_left_at_first(qapp):
    assert left_behind() == []


def test_a_thread_at_work_is_seen(qtbot):
    go_on = threading.Event()
    job = Job(go_on.wait)
    with qtbot.waitSignal(job.ended):
        job.start()
        assert left_behind() == ["1 jobs that were asked"]
        qtbot.waitUntil(lambda: left_behind() == ["1 threads of the pool"])
        go_on.set()
    assert left_behind() == []


def test_a_stream_is_seen(qtbot):
    stream = Stream(beats)
    with qtbot.waitSignal(stream.ended):
        stream.start()
        assert "nipper-stream" in left_behind()
        wait_for_jobs()
    qtbot.waitUntil(lambda: left_behind() == [])


def test_a_running_timer_is_seen(qtbot):
    timer = QTimer(interval=60_000)
    timer.start()
    assert any("60000 ms" in found for found in left_behind())
    timer.stop()
    assert left_behind() == []


@pytest.mark.parametrize("shown", [True, False])
def test_an_open_window_is_seen(qtbot, shown):
    window = QWidget()
    window.setVisible(shown)
    assert bool(left_behind()) is shown
    window.close()
    window.deleteLater()
    assert left_behind() == []
