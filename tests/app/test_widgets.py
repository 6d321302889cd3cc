"""Fields, ladder, heat map and proof pictures, driven as a hand would."""

import itertools

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from nipper.app.stages.protect.ladder import VoltageLadder
from nipper.app.stages.record.heat import HeatMap
from nipper.app.theme import Theme
from nipper.app.theme.marks import icon
from nipper.app.theme.palette import DARK, LIGHT, ROLES
from nipper.app.widgets.basic import StatusMark, label
from nipper.app.widgets.field import UnitField
from nipper.core.presets import new_setup
from nipper.core.report.charges import HeatTable

TRIP = "protection.cell_over_voltage.trip_v"


def test_a_field_takes_arithmetic_and_tells_what_it_expected(qtbot, theme):
    field = UnitField("V", "absorption", "held by the charger")
    qtbot.addWidget(field)
    field.set_value(55.2)
    assert field.text() == "55.20 V"
    with qtbot.waitSignal(field.entered) as entered:
        field.selectAll()
        qtbot.keyClicks(field, "3.5*16")
        qtbot.keyClick(field, Qt.Key.Key_Return)
    assert entered.args == [56.0]
    assert field.text() == "56.00 V"
    field.selectAll()
    qtbot.keyClicks(field, "fifty")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    assert field.trouble
    assert "expected" in field.toolTip()
    assert field.value == 56.0
    qtbot.keyClick(field, Qt.Key.Key_Escape)
    assert not field.trouble
    assert field.text() == "56.00 V"


def test_an_optional_field_can_be_emptied(qtbot, theme):
    field = UnitField("V", "alarm", optional=True)
    qtbot.addWidget(field)
    field.set_value(3.6)
    with qtbot.waitSignal(field.entered) as entered:
        field.selectAll()
        qtbot.keyClick(field, Qt.Key.Key_Delete)
        qtbot.keyClick(field, Qt.Key.Key_Return)
    assert entered.args == [None]


@pytest.fixture
def ladder(qtbot, theme):
    ladder = VoltageLadder(theme)
    qtbot.addWidget(ladder)
    ladder.resize(720, 380)
    ladder.show_setup(new_setup("lfp", 16, 280.0))
    ladder.show()
    ladder.grab()
    return ladder


def test_a_limit_is_dragged_by_its_tag(qtbot, ladder):
    moved, dropped = [], []
    ladder.dragged.connect(lambda path, value: moved.append((path, value)))
    ladder.dropped.connect(lambda: dropped.append(True))
    at = ladder._tags[TRIP].center().toPoint()
    QTest.mousePress(ladder, Qt.MouseButton.LeftButton, pos=at)
    QTest.mouseMove(ladder, at + QPoint(0, 20))
    QTest.mouseRelease(ladder, Qt.MouseButton.LeftButton, pos=at + QPoint(0, 20))
    assert ladder.selected == TRIP
    assert moved
    assert moved[-1][0] == TRIP
    assert moved[-1][1] < 3.65
    assert dropped == [True]


def test_a_pack_voltage_moves_by_cells(qtbot, ladder):
    moved = []
    ladder.dragged.connect(lambda path, value: moved.append((path, value)))
    ladder.select("charging.absorption_v")
    qtbot.keyClick(ladder, Qt.Key.Key_Plus)
    assert moved == [("charging.absorption_v", pytest.approx(55.2 + 0.16))]


def test_the_keyboard_walks_the_rungs(qtbot, ladder):
    ladder.select(TRIP)
    with qtbot.waitSignal(ladder.picked) as picked:
        qtbot.keyClick(ladder, Qt.Key.Key_Down)
    assert picked.args == ["protection.cell_over_voltage.alarm_v"]


def test_tags_never_cover_each_other_and_stay_inside(ladder):
    for height in (320, 400, 700):
        ladder.resize(720, height)
        ladder.grab()
        tags = sorted(ladder._tags.values(), key=lambda t: t.top())
        assert all(a.bottom() <= b.top() for a, b in itertools.pairwise(tags))
        assert tags[-1].bottom() <= height


@pytest.mark.parametrize("chemistry", ["lfp", "nmc", "lto"])
def test_height_on_the_ladder_and_voltage_are_inverse(qtbot, theme, chemistry):
    ladder = VoltageLadder(theme)
    qtbot.addWidget(ladder)
    ladder.resize(700, 500)
    ladder.show_setup(new_setup(chemistry, 16, 100.0))
    for volts in np.linspace(ladder._chem.min_v, ladder._chem.max_v, 30):
        assert ladder._v(ladder._y(float(volts))) == pytest.approx(volts, abs=1e-9)


def test_a_column_of_the_heat_map_is_opened_and_another_put_beside(qtbot, theme):
    rng = np.random.default_rng(1)
    table = HeatTable(
        tuple([None] * 12),
        1.75e9 + np.arange(12) * 86400.0,
        rng.normal(0, 20, (16, 12)),
        rng.normal(0, 0.4, (16, 12)),
    )  # pyright: ignore[reportArgumentType]
    heat = HeatMap(theme)
    qtbot.addWidget(heat)
    heat.resize(640, 300)
    heat.show_table(table, [])
    heat.show()
    picked = []
    heat.picked.connect(lambda column, beside: picked.append((column, beside)))
    at = heat._box(3, 5).center().toPoint()
    QTest.mouseClick(heat, Qt.MouseButton.LeftButton, pos=at)
    QTest.mouseClick(
        heat,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.ShiftModifier,
        heat._box(3, 9).center().toPoint(),
    )
    QTest.mouseClick(heat, Qt.MouseButton.LeftButton, pos=QPoint(5, 5))
    assert picked == [(5, False), (9, True)]
    heat.show_picked(5, 9)
    qtbot.keyClick(heat, Qt.Key.Key_Right)
    assert picked[-1] == (6, False)


def test_the_stray_stands_out_of_the_heat_map(qtbot, theme):
    pct = np.zeros((8, 6))
    pct[3] = -2.0
    heat = HeatMap(theme)
    qtbot.addWidget(heat)
    heat.resize(500, 260)
    heat.show_table(HeatTable(tuple([None] * 6), np.arange(6) * 86400.0, pct * 10, pct), [])  # pyright: ignore[reportArgumentType]
    image = heat.grab().toImage()
    stray, other = (image.pixelColor(heat._box(row, 2).center().toPoint()) for row in (3, 4))
    assert stray.blueF() - stray.redF() > 0.2
    assert abs(other.blueF() - other.redF()) < 0.1


def test_status_is_told_by_shape_and_word(qtbot, theme):
    shapes = set()
    for status in ("ok", "watch", "act", "none"):
        mark = StatusMark(theme, status)
        qtbot.addWidget(mark)
        assert mark.accessibleName()
        image = mark.grab().toImage()
        paper = image.pixel(0, 0)
        shapes.add(
            tuple(
                image.pixel(x, y) == paper
                for x in range(image.width())
                for y in range(image.height())
            )
        )
    assert len(shapes) == 4


def test_unknown_names_list_the_known_ones(theme):
    with pytest.raises(KeyError, match="copper"):
        theme.colour("teal")
    with pytest.raises(KeyError, match="undo"):
        icon("disk", theme.colour("ink"))
    with pytest.raises(KeyError, match="dark"):
        Theme("light").set_mode("sepia")


def test_the_application_is_dressed_anew_where_the_tones_change_and_not_else(theme):
    seen = []
    theme.changed.connect(seen.append)
    for mode in ("light", "dark", "dark", "light", "light"):
        theme.set_mode(mode)
    assert seen == [DARK, LIGHT]


def _luminance(colour: str) -> float:
    parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    r, g, b = (p / 12.92 if p <= 0.03928 else ((p + 0.055) / 1.055) ** 2.4 for p in parts)
    return 0.2126 * r + 0.7152 * g + 0.0722 * b


@pytest.mark.parametrize("palette", [LIGHT, DARK], ids=["light", "dark"])
def test_words_can_be_read_on_paper_and_card(palette):
    """WCAG 2.1 asks 4.5 : 1 for text."""
    for ground in ("paper", "card", "side"):
        for role in ("ink", "soft", "copper", "ok", "watch", "act", "highest", "lowest"):
            high, low = sorted(
                (_luminance(palette.role(role)), _luminance(palette.role(ground))), reverse=True
            )
            assert (high + 0.05) / (low + 0.05) >= 4.4, (role, ground)
    assert len(ROLES) == len(set(ROLES))


def test_a_minus_is_a_minus(qtbot, theme):
    words = label("−5 at -3.2 V, cell-wise, 3-4 h")
    qtbot.addWidget(words)
    assert words.text() == "−5 at −3.2 V, cell-wise, 3-4 h"


def test_a_value_nobody_can_mean_is_told_at_its_field(qtbot, theme):
    field = UnitField("%", "Charge at the start")
    field.set_bounds(0.0, 100.0)
    qtbot.addWidget(field)
    field.set_value(80.0)
    taken = []
    field.entered.connect(taken.append)
    for typed in ("280", "-1", "1e400", "nan"):
        field.setFocus()
        field.setText(typed)
        field.setModified(True)
        field.editingFinished.emit()
        assert field.trouble, typed
    assert "expected" in field.toolTip()
    assert taken == []
    assert field.value == 80.0
    field.setText("100")
    field.setModified(True)
    field.editingFinished.emit()
    assert taken == [100.0]
    assert not field.trouble
