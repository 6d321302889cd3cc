"""Handles of the figures: the same hands, keys and words for all three."""

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest

from nipper.app.stages.protect.currents import CurrentChart
from nipper.app.stages.protect.ladder import VoltageLadder
from nipper.app.widgets.temperatures import TemperatureChart
from nipper.core.presets import new_setup
from nipper.core.report.temperatures import HIGHEST_C, LOWEST_C, rows
from nipper.core.setup import get, put


def ladder(theme, setup):
    figure = VoltageLadder(theme)
    figure.show_setup(setup)
    return figure


def currents(theme, setup):
    figure = CurrentChart(theme)
    figure.show_setup(setup)
    return figure


def temperatures(theme, setup):
    figure = TemperatureChart(theme, LOWEST_C, HIGHEST_C)
    figure.show_rows(rows(setup), [])
    return figure


@pytest.fixture(params=[ladder, currents, temperatures], ids=lambda f: f.__name__)
def figure(request, qtbot, theme):
    figure = request.param(theme, new_setup("lfp", 16, 280.0))
    qtbot.addWidget(figure)
    figure.resize(760, 480)
    figure.show()
    qtbot.waitExposed(figure)
    figure.grab()
    return figure


def places(figure) -> dict[str, QPoint]:
    """Where each handle is, found as a hand would."""
    found: dict[str, QPoint] = {}
    for y in range(0, figure.height(), 4):
        for x in range(0, figure.width(), 6):
            path = figure.handle_at(QPointF(x, y))
            if path:
                found.setdefault(path, QPoint(x, y))
    return found


def place_of(figure, path: str) -> QPoint:
    return places(figure)[path]


def test_every_handle_can_be_found_and_says_what_it_is(figure):
    handles = figure.handles()
    assert len(handles) >= 4
    assert len({h.path for h in handles}) == len(handles)
    setup, found = new_setup("lfp", 16, 280.0), places(figure)
    for handle in handles:
        assert handle.value == pytest.approx(get(setup, handle.path))
        assert any(c.isdigit() for c in handle.words)
        assert handle.path in found


def test_a_drag_moves_what_was_grabbed_and_ends_when_dropped(figure):
    moved, picked, dropped = [], [], []
    figure.dragged.connect(lambda path, value: moved.append((path, value)))
    figure.picked.connect(picked.append)
    figure.dropped.connect(lambda: dropped.append(True))
    handle = figure.handles()[0]
    start = place_of(figure, handle.path)
    QTest.mousePress(figure, Qt.MouseButton.LeftButton, pos=start)
    assert figure.grabbed == handle.path
    for step in range(1, 13):
        QTest.mouseMove(figure, start + QPoint(3 * step, 3 * step))
    QTest.mouseRelease(figure, Qt.MouseButton.LeftButton, pos=start)
    assert picked == [handle.path]
    assert moved
    assert {path for path, _ in moved} == {handle.path}
    assert moved[-1][1] != pytest.approx(handle.value)
    assert dropped == [True]
    assert figure.grabbed == ""


def test_what_is_pressed_beside_a_handle_moves_nothing(figure):
    moved = []
    figure.dragged.connect(lambda path, value: moved.append((path, value)))
    QTest.mousePress(figure, Qt.MouseButton.LeftButton, pos=QPoint(1, 1))
    QTest.mouseMove(figure, QPoint(200, 200))
    QTest.mouseRelease(figure, Qt.MouseButton.LeftButton, pos=QPoint(200, 200))
    path = figure.handles()[0].path
    QTest.mousePress(figure, Qt.MouseButton.RightButton, pos=place_of(figure, path))
    QTest.mouseMove(figure, QPoint(200, 200))
    assert moved == []


def test_the_keys_choose_and_move_and_a_reader_is_told(figure):
    moved = []
    figure.dragged.connect(lambda path, value: moved.append((path, value)))
    figure.setFocus()
    figure.select("")
    seen = set()
    for _ in figure.handles():
        QTest.keyClick(figure, Qt.Key.Key_Down)
        seen.add(figure.selected)
    assert seen == {h.path for h in figure.handles()}
    chosen = next(h for h in figure.handles() if h.path == figure.selected)
    assert figure.accessibleDescription() == chosen.words
    QTest.keyClick(figure, Qt.Key.Key_Plus)
    QTest.keyClick(figure, Qt.Key.Key_Minus)
    (up, more), (down, less) = moved
    assert up == down == chosen.path
    assert more == pytest.approx(chosen.value + chosen.step)
    assert less == pytest.approx(chosen.value - chosen.step)


def test_a_handle_undone_under_the_hand_is_let_go(qtbot, theme):
    setup = new_setup("lfp", 16, 280.0)
    figure = ladder(theme, setup)
    qtbot.addWidget(figure)
    figure.resize(760, 480)
    figure.grab()
    path = "protection.soc_full_v"
    QTest.mousePress(figure, Qt.MouseButton.LeftButton, pos=place_of(figure, path))
    figure.show_setup(put(setup, {path: None}))
    QTest.mouseMove(figure, QPoint(100, 100))
    QTest.mouseRelease(figure, Qt.MouseButton.LeftButton, pos=QPoint(100, 100))
    assert figure.grabbed == ""
