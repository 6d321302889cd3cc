"""The guide in the window: opened where one is, from a name, from the finder; back to the field."""

import pytest
from PySide6.QtCore import Qt

from nipper.app.shell.helppage import GO_THERE, HelpPage
from nipper.app.shell.places import show_setting
from nipper.app.shell.stages import STAGES
from nipper.app.stage import PagedView
from nipper.app.widgets.basic import Term
from nipper.app.widgets.field import UnitField
from nipper.app.widgets.form import PROTECTION_COLUMNS
from nipper.core import guide as pages
from nipper.core.guide.words import word_in
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


def test_every_field_of_every_page_is_explained(open_window):
    """By its setting or by a word: what is asked for is said somewhere, offline."""
    for stage in STAGES:
        open_window.go(stage.id)
        view = open_window.desk.view(stage.id)
        for page in range(view.count if isinstance(view, PagedView) else 1):
            view.show_page(page)
            view.grab()
    for page in ("reading", "topbalance"):
        open_window.side.show(page)
    fields = [f for f in open_window.findChildren(UnitField) if not f.property("path")]
    assert len(fields) > 60
    assert [f.accessibleName() for f in fields if not word_in(f.accessibleName())] == []
    assert all(pages.explained(f"word:{word_in(f.accessibleName())}") for f in fields)


def test_f1_explains_the_word_of_a_field_that_is_no_setting(qtbot, open_window):
    open_window.go("keep")
    view = open_window.desk.view("keep")
    view.show_page(1)
    view.storage.fields["air"].setFocus()
    open_window.side.explain_here()
    assert open_window.pages.currentWidget().link == "word:air"


def test_names_outside_of_forms_are_explained_too(qtbot, open_window):
    open_window.go("link")
    view = open_window.desk.view("link")
    view.show_page(4)
    names = {t.text() for t in view.findChildren(Term)}
    assert {"charge voltage limit", "packs online", "state of charge"} <= names


@pytest.mark.parametrize(
    ("name", "word"),
    [
        ("charge current limit, battery", "charge current limit"),
        ("CHARGE CURRENT", "charge current"),
        ("sensor, °C", "sensor"),
        ("C", "C"),
        ("discharge", ""),  # no "charge"
        ("a name of more than six words with a trip in it", ""),
        ("", ""),
    ],
)
def test_the_longest_word_is_meant(name, word):
    assert word_in(name) == word
