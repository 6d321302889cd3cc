"""The guide in the window: opened where one is, from a name, from the finder; back to the field."""

import pytest
from PySide6.QtCore import Qt

from nipper.app.shell.helppage import GO_THERE, HelpPage
from nipper.app.shell.places import show_setting
from nipper.app.shell.stages import STAGES
from nipper.app.widgets.basic import Term
from nipper.app.widgets.form import PROTECTION_COLUMNS
from nipper.core import guide as pages
from nipper.core.setup import described


@pytest.fixture
def guide(open_window):
    open_window.side.explain("page:start")
    page = open_window.pages.currentWidget()
    assert isinstance(page, HelpPage)
    return page


def test_f1_explains_the_stage_that_is_shown(qtbot, open_window):
    open_window.go("cold")
    open_window.setFocus()
    qtbot.keyClick(open_window, Qt.Key.Key_F1)
    page = open_window.pages.currentWidget()
    assert isinstance(page, HelpPage)
    assert page.link == "page:cold"
    assert page.list.currentItem().text() == "Cold"


def test_f1_explains_the_field_that_is_typed_in(qtbot, open_window):
    open_window.go("protect")
    view = open_window.desk.view("protect")
    view.show_field("protection.cell_over_voltage.trip_v")
    field = view.forms[0].field("protection.cell_over_voltage.trip_v")
    field.setFocus()
    open_window.side.explain_here()
    page = open_window.pages.currentWidget()
    assert page.link == "setting:protection.cell_over_voltage.trip_v"
    assert GO_THERE in page.text.toPlainText()


def test_a_click_on_the_name_of_a_field_explains_it(qtbot, open_window):
    open_window.go("protect")
    view = open_window.desk.view("protect")
    name = next(t for t in view.findChildren(Term) if t.text() == "trip" and t.isVisible())
    qtbot.mouseClick(name, Qt.MouseButton.LeftButton)
    assert open_window.pages.currentWidget().link == "word:trip"


def test_a_link_is_followed_and_leads_back_to_the_field(qtbot, open_window, guide):
    guide.line.setText("cell over-voltage: trip")
    assert guide.link == "setting:protection.cell_over_voltage.trip_v"
    guide.text.anchorClicked.emit("word:trip")
    assert "switches off" in guide.text.toPlainText()
    guide.wanted.emit("protection.cell_over_voltage.trip_v")
    assert open_window.stage == "protect"


def test_a_search_without_an_answer_says_so(guide):
    guide.line.setText("zzzz")
    assert guide.list.item(0).text() == "nothing with these words"
    guide.line.clear()
    assert guide.list.count() > 12


def test_the_guide_is_there_before_any_bench(qtbot, window):
    window.side.explain_here()
    assert window.pages.currentWidget().link == "page:start"


def test_every_setting_leads_to_a_stage_without_trouble(open_window):
    for one in described():
        show_setting(open_window, one.path)
        assert open_window.message.text() == ""


def test_keys_list_every_action(open_window, guide):
    from nipper.app.shell.commands import ACTIONS

    guide.explain("all:keys")
    told = guide.text.toPlainText()
    assert all(action.help in told for action in ACTIONS)


def test_every_stage_has_its_page_in_the_order_of_the_rail():
    assert tuple(stage.id for stage in STAGES) == pages.STAGES
    for stage in STAGES:
        assert pages.page(stage.id).title == stage.title


def test_the_columns_of_the_limits_are_words_of_the_guide():
    assert [c for c in PROTECTION_COLUMNS if pages.explained(f"word:{c}") is None] == []
