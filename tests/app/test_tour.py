"""The tour: it opens the demo, goes from stop to stop, and leaves the window as it is."""

import pytest
from PySide6.QtCore import Qt

from nipper.app.shell.demo import DemoMaker
from nipper.app.shell.stages import STAGES
from nipper.app.shell.tour import STOPS


@pytest.fixture
def tour(qtbot, window, bench, monkeypatch):
    """The tour on the small bench, which stands for the demo."""
    path = bench.path
    bench.close()
    monkeypatch.setattr(DemoMaker, "start", lambda maker: maker.made.emit(str(path)))
    window.tour.begin()
    qtbot.waitUntil(window.tour.isVisible, timeout=30_000)
    return window.tour


def test_it_goes_from_stop_to_stop_and_back(qtbot, window, tour):
    assert window.stage == STOPS[0].stage
    assert not tour.back.isEnabled()
    for stop in STOPS[1:]:
        qtbot.mouseClick(tour.forth, Qt.MouseButton.LeftButton)
        assert window.stage == stop.stage
        assert tour.title.text() == stop.title
    assert tour.forth.text() == "Done"
    qtbot.mouseClick(tour.back, Qt.MouseButton.LeftButton)
    assert tour.title.text() == STOPS[-2].title
    tour._go(len(STOPS) - 1)
    qtbot.mouseClick(tour.forth, Qt.MouseButton.LeftButton)
    assert not tour.isVisible()
    assert window.document is not None


def test_it_stays_within_the_window_and_leaves_with_the_bench(window, tour):
    window.resize(1020, 640)
    assert window.rect().contains(tour.geometry())
    window.new_bench()
    assert not tour.isVisible()
    tour._forth()
    assert not tour.isVisible()


def test_it_can_be_left_while_the_demo_is_still_being_made(window, monkeypatch):
    monkeypatch.setattr(DemoMaker, "start", lambda maker: None)
    window.start_page.tour_asked.emit()
    assert window.tour.waits
    window.tour.end()
    assert not window.tour.waits


def test_it_shows_every_stage_but_the_one_that_follows_from_others():
    assert {stage.id for stage in STAGES} - {stop.stage for stop in STOPS} == {"charge"}


def test_it_waits_for_the_demo_where_another_bench_is_open(qtbot, open_window, monkeypatch):
    monkeypatch.setattr(DemoMaker, "start", lambda maker: None)
    open_window.tour.begin()
    qtbot.wait(500)
    assert open_window.tour.waits
    assert not open_window.tour.isVisible()
    open_window.tour.end()
