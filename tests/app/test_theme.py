"""Light and dark: one sheet, two palettes."""

import re

import pytest
from PySide6.QtGui import QColor, QPalette
from PySide6.QtWidgets import QApplication, QCalendarWidget, QPushButton, QVBoxLayout, QWidget

from nipper.app.theme.palette import DARK, LIGHT, ROLES
from nipper.app.theme.sheet import ALSO, CARRIED, FOLDER, colours, style_sheet
from nipper.app.widgets.basic import label
from nipper.app.widgets.catchup import CatchesUp


def back(widget: QWidget) -> str:
    """The colour in a corner of a widget, as painted."""
    return widget.grab().toImage().pixelColor(2, widget.height() // 2).name()


@pytest.fixture
def light(theme):
    theme.set_mode("light")
    yield theme
    theme.set_mode("light")
    theme.finish()


@pytest.fixture
def page(qtbot, light):
    """A button that is seen on a page, and one on another that is not."""
    page = QWidget()
    layout = QVBoxLayout(page)
    for button in (QPushButton("Seen"), QPushButton("Hidden")):
        button.setProperty("kind", "main")
        layout.addWidget(button)
    page.resize(200, 100)
    qtbot.addWidget(page)
    page.show()
    layout.itemAt(1).widget().hide()
    qtbot.waitExposed(page)
    return page


def buttons(page):
    return page.findChildren(QPushButton)


def test_what_is_seen_is_dressed_at_once_and_what_is_hidden_soon(qtbot, light, page):
    seen, hidden = buttons(page)
    assert [back(seen), back(hidden)] == [LIGHT.copper.lower()] * 2
    light.set_mode("dark")
    assert back(seen) == DARK.copper.lower()
    qtbot.waitUntil(lambda: back(hidden) == DARK.copper.lower())


def test_hidden_parts_can_be_asked_for(light, page):
    light.set_mode("dark")
    light.finish()
    assert back(buttons(page)[1]) == DARK.copper.lower()


def test_there_and_back_again_is_the_same(qtbot, light, page):
    before = page.grab().toImage()
    light.set_mode("dark")
    light.set_mode("light")
    light.finish()
    assert page.grab().toImage() == before


def test_a_widget_that_goes_meanwhile_is_left_alone(qtbot, light, page):
    light.set_mode("dark")
    page.layout().removeWidget(buttons(page)[1])
    buttons(page)[1].deleteLater()
    QApplication.sendPostedEvents(None, 52)  # DeferredDelete
    light.finish()
    assert back(buttons(page)[0]) == DARK.copper.lower()


def test_the_sheet_stays_and_the_palette_goes(light):
    sheet = QApplication.instance().styleSheet()
    light.set_mode("dark")
    assert QApplication.instance().styleSheet() == sheet
    assert QApplication.palette().color(QPalette.ColorRole.Window) == QColor(DARK.paper)


def test_every_name_in_the_sheet_is_a_role_that_is_carried():
    text = (FOLDER / "sheet.qss").read_text("utf-8")
    names = set(re.findall(r"\$(\w+)", text)) - {"chevron"}
    assert names <= set(CARRIED) <= set(ROLES)
    assert len(set(CARRIED.values())) == len(CARRIED)  # no two roles by one of Qt's
    assert "$" not in style_sheet()


@pytest.mark.parametrize("palette", [LIGHT, DARK])
def test_labels_wear_their_role(qtbot, light, palette):
    light.set_mode("dark" if palette is DARK else "light")
    for role in re.findall(r'QLabel\[role="(\w+)"\]', (FOLDER / "sheet.qss").read_text("utf-8")):
        words = label("3.45 V", role)
        qtbot.addWidget(words)
        words.ensurePolished()
        got = words.palette().color(QPalette.ColorRole.WindowText).name()
        assert got == palette.role(role).lower(), role


@pytest.mark.parametrize("palette", [LIGHT, DARK])
def test_disabled_words_are_faint(palette):
    found = colours(palette)
    for role in (QPalette.ColorRole.Text, QPalette.ColorRole.WindowText):
        got = found.color(QPalette.ColorGroup.Disabled, role)
        assert got == QColor(palette.faint)


@pytest.mark.parametrize("palette", [LIGHT, DARK])
def test_a_calendar_has_no_warning_for_its_week(qtbot, light, palette):
    """Its headings ask for Qt's alternate base, which carried the colour of a doubt."""
    light.set_mode("dark" if palette is DARK else "light")
    calendar = QCalendarWidget()
    qtbot.addWidget(calendar)
    calendar.resize(320, 240)
    light.finish()
    seen = calendar.grab().toImage()
    tones = {seen.pixelColor(x, y).name() for x in range(0, 320, 3) for y in range(0, 240, 3)}
    assert palette.watch.lower() not in tones
    assert {palette.card.lower(), palette.paper.lower()} <= tones


def test_what_widgets_ask_for_themselves_is_not_carried_for_the_sheet():
    assert not set(ALSO) & set(CARRIED.values())


def test_a_figure_that_nobody_sees_is_drawn_when_somebody_does(qtbot, light):
    """All figures of all stages were drawn anew in the turn that changed the theme."""
    window = QWidget()
    stage = QWidget(window)
    figure = CatchesUp(stage)
    drawn: list[bool] = []
    figure.follow(lambda: drawn.append(figure.isVisible()), light.changed)
    qtbot.addWidget(window)
    light.set_mode("dark")
    assert drawn == [False]  # not yet shown, and not hidden by anyone
    window.show()
    light.set_mode("light")
    assert drawn == [False, True]
    stage.hide()
    for mode in ("dark", "light", "dark"):
        light.set_mode(mode)
    assert len(drawn) == 2
    stage.show()
    assert len(drawn) == 3
