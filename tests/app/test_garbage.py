"""Who collects cyclic garbage, and where."""

import gc
import threading
import weakref

import pytest
from PySide6.QtCore import QObject, Qt

from nipper.app import start
from nipper.app.garbage import FULL_AFTER, Sweeper, put_aside
from nipper.app.shell.stages import STAGES
from nipper.store import Bench

MUCH = 20_000


class Ring:
    """Garbage only a collector finds; says in which thread it went."""

    def __init__(self, went: list[int]) -> None:
        self.me, self.went = self, went

    def __del__(self) -> None:
        self.went.append(threading.get_ident())


@pytest.fixture
def sweeper(qtbot):
    one = Sweeper()
    yield one
    with qtbot.waitSignal(one.destroyed):
        one.deleteLater()
    assert gc.isenabled()


def make_garbage(went: list[int]) -> None:
    for _ in range(MUCH):
        Ring(went)


def in_a_worker(went: list[int]) -> int:
    worker = threading.Thread(target=make_garbage, args=(went,))
    worker.start()
    worker.join()
    return worker.ident or 0


def test_without_it_a_workers_thread_collects():
    went: list[int] = []
    assert in_a_worker(went) in went  # what the sweeper is for


def test_with_it_nothing_is_destroyed_in_a_workers_thread(qtbot, sweeper):
    went: list[int] = []
    worker = in_a_worker(went)
    assert not went
    qtbot.waitUntil(lambda: len(went) == MUCH)
    assert worker not in went


def test_all_of_it_is_collected_in_time_but_not_during_a_drag(qtbot, sweeper, monkeypatch):
    done: list[int] = []
    buttons = "nipper.app.garbage.QApplication.mouseButtons"
    # other tests may have left one down
    monkeypatch.setattr(buttons, lambda: Qt.MouseButton.NoButton)
    monkeypatch.setattr(gc, "get_count", lambda: (0, 0, FULL_AFTER + 1))
    monkeypatch.setattr(gc, "collect", lambda generation=2: done.append(generation))
    sweeper.sweep()
    assert done == [2]
    monkeypatch.setattr(buttons, lambda: Qt.MouseButton.LeftButton)
    sweeper.sweep()
    assert done == [2]


def test_it_belongs_to_whoever_made_it(qtbot):
    parent = QObject()
    Sweeper(parent)
    assert not gc.isenabled()
    with qtbot.waitSignal(parent.destroyed):
        parent.deleteLater()
    assert gc.isenabled()


def test_the_program_is_put_aside_when_it_is_shown_and_when_all_is_loaded(
    qtbot, open_window, monkeypatch
):
    kept: list[str] = []
    monkeypatch.setattr("nipper.app.garbage.put_aside", lambda *_: kept.append("aside"))
    start.show(open_window)
    assert kept == ["aside"]
    qtbot.waitUntil(lambda: len(kept) == 2, timeout=20_000)  # all the stages need is there by then


def test_what_is_put_aside_holds_no_bench_that_has_closed(qtbot, open_window):
    gone = weakref.ref(open_window.document.history)
    open_window.go("diagnose")
    put_aside()
    open_window.new_bench()
    gc.collect()
    assert gone() is not None  # the bench itself was put aside
    qtbot.waitUntil(lambda: gone() is None, timeout=20_000)  # on a busy machine


def test_nor_does_what_is_put_aside_as_the_one_before_it_closes(qtbot, open_window, tmp_path):
    """Less was aside by then than before, so that it was taken for nothing new."""
    second = tmp_path / "second.nipper"
    open_window.document.bench.copy_to(second)
    much = [[] for _ in range(200_000)]
    put_aside()
    open_window.open_bench(Bench.open(second))
    gone = weakref.ref(open_window.document)
    del much
    qtbot.waitUntil(lambda: not open_window.document.busy, timeout=20_000)
    qtbot.wait(300)  # the first is looked for, and what is there is put aside again
    open_window.new_bench()
    qtbot.waitUntil(lambda: gone() is None, timeout=20_000)


def test_of_a_bench_that_has_closed_nothing_is_left(qtbot, open_window, monkeypatch):
    """The tour held the one that was open before the demo, and with it its logs."""
    monkeypatch.setattr(open_window, "open_demo", lambda: None)
    for stage in STAGES:
        open_window.go(stage.id)
    open_window.tour.begin()
    open_window.tour.end()
    gone = [weakref.ref(open_window.document), weakref.ref(open_window.document.record.log)]
    open_window.new_bench()
    qtbot.waitUntil(
        lambda: gc.collect() >= 0 and not any(one() for one in gone), timeout=20_000
    )  # on a busy machine
