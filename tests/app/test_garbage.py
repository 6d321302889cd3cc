"""Who collects cyclic garbage, and where."""

import gc
import threading

import pytest
from PySide6.QtCore import QObject, Qt

from nipper.app.garbage import FULL_AFTER, Sweeper

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
