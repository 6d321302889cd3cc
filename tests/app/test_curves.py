"""Many lines as one path: no extreme is lost, and each line still answers a click."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest

from nipper.app.widgets.curves import WHOLE_ROWS, Curves, thinned
from nipper.app.widgets.plot import Plot


@given(
    arrays(float, st.tuples(st.integers(1, 400), st.integers(1, 4)), elements=st.floats(-5.0, 5.0)),
    st.integers(1, 60),
)
def test_no_extreme_is_lost_and_none_invented(y, columns):
    x, drawn = thinned(np.arange(y.shape[0], dtype=float), y, columns)
    assert x.size == drawn.shape[0] <= max(2 * columns, 1)
    assert np.all(np.diff(x) >= 0)
    assert np.array_equal(drawn.max(axis=0), y.max(axis=0))
    assert np.array_equal(drawn.min(axis=0), y.min(axis=0))


def test_a_blank_stretch_stays_blank():
    y = np.ones((100, 1))
    y[40:60] = np.nan
    x, drawn = thinned(np.arange(100.0), y, 10)
    assert x.size == 20
    assert np.isnan(drawn[(x >= 40) & (x < 60)]).all()
    assert np.isfinite(drawn[(x < 40) | (x >= 60)]).all()


@pytest.fixture
def plot(qtbot, theme):
    out = Plot(theme)
    qtbot.addWidget(out)
    out.resize(500, 300)
    out.show()
    qtbot.waitExposed(out)
    return out


def click(plot: Plot, x: float, y: float) -> None:
    place = plot.item.vb.mapViewToScene(QPointF(x, y))
    QTest.mouseClick(plot.viewport(), Qt.MouseButton.LeftButton, pos=plot.mapFromScene(place))


def inked(plot: Plot, picture: QImage, x: float, y: float) -> bool:
    """Whether something dark was drawn within two pixels of a place."""
    place = plot.mapFromScene(plot.item.vb.mapViewToScene(QPointF(x, y)))
    near = [
        picture.pixelColor(place.x() + across, place.y() + down)
        for across in range(-2, 3)
        for down in range(-2, 3)
    ]
    return any(c.alpha() > 128 and c.lightness() < 120 for c in near)


@pytest.mark.qt_log_ignore("Mouse event")  # the library leaves the event to others
def test_a_click_picks_the_line_under_it_and_none_beside_it(plot):
    x = np.linspace(0.0, 10.0, 50)
    lines: Curves = plot.line(x, np.stack([np.full(50, 1.0), np.full(50, 2.0)], axis=1), "herd")
    lines.clickable = True
    found = []
    lines.picked.connect(found.append)
    plot.item.setRange(xRange=(0, 10), yRange=(0, 3), padding=0)
    click(plot, 5.0, 2.0)
    click(plot, 5.0, 1.02)
    click(plot, 5.0, 1.5)
    assert found == [1, 0]


def test_the_view_is_fitted_to_the_values_and_a_peak_of_a_long_line_is_drawn(plot):
    rows = 50 * WHOLE_ROWS
    y = np.zeros(rows)
    y[rows // 3] = 7.0
    line = plot.line(np.arange(float(rows)), y, "ink", 3.0)
    picture = plot.grab().toImage()
    low, high = plot.item.viewRange()[1]
    assert low <= 0.0 < 7.0 <= high
    assert line._shown()[0].size < 10_000
    assert inked(plot, picture, rows / 3, 6.8)
    assert not inked(plot, picture, rows / 2, 6.8)


@pytest.mark.parametrize("width", [1.0, 2.0])
@pytest.mark.parametrize("rows", [20, 2000])
def test_a_stretch_between_two_blanks_is_drawn_and_the_blanks_are_not(plot, width, rows):
    """Narrow and wide pens, few points and many: as one path, and piece by piece."""
    y = np.ones(rows)
    y[rows // 4 : rows // 2] = np.nan
    plot.line(np.arange(float(rows)), y, "ink", width)
    plot.item.setRange(xRange=(0, rows), yRange=(0, 2), padding=0)
    picture = plot.grab().toImage()
    seen = [inked(plot, picture, share * rows, 1.0) for share in (0.1, 0.3, 0.45, 0.7, 0.9)]
    assert seen == [True, False, False, True, True]


def test_a_line_of_nothing_but_blanks_hurts_nobody(plot):
    line = plot.line(np.arange(5.0), np.full(5, np.nan), "ink", dots=True)
    line.clickable = True
    plot.grab()
    assert line.boundingRect().isEmpty()
    assert line.line_at(QPointF(1.0, 1.0)) is None


@pytest.mark.parametrize(("rows", "lines"), [(5, 0), (0, 1), (0, 0), (10_000, 0)])
def test_no_lines_and_no_rows_hurt_nobody(plot, rows, lines):
    """A pack of two cells has no herd beside its highest and its lowest."""
    line = plot.line(np.arange(float(rows)), np.zeros((rows, lines)), "herd", dots=True)
    plot.item.autoRange()
    plot.grab()
    assert line.boundingRect().isEmpty()
    assert line.line_at(QPointF(1.0, 0.0)) is None


def test_a_playhead_that_moves_leaves_the_lines_as_they_are_and_a_zoom_draws_them(
    plot, qtbot, monkeypatch
):
    drawn = []
    paint = Curves.paint
    monkeypatch.setattr(Curves, "paint", lambda *given: (drawn.append(1), paint(*given))[1])
    plot.line(np.arange(100.0), np.sin(np.arange(100.0)), "ink")
    head = plot.item.addLine(x=0.0)
    qtbot.waitUntil(lambda: bool(drawn))
    QTest.qWait(50)
    drawn.clear()
    for x in range(20):
        head.setValue(float(x))
        plot.viewport().repaint()
    assert drawn == []
    plot.item.setRange(xRange=(20, 40))
    qtbot.waitUntil(lambda: bool(drawn))
