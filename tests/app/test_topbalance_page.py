"""A top balance in the window: begun from a reading, the charger set and set back, not over before
it is.
"""

import pytest

from nipper.app.shell.topbalancepage import TopBalancePage
from nipper.core.report.topbalance import reminder

SPREAD = "3.452 3.449 3.451 3.448 3.450 3.449 3.512 3.431"
LATER = "3.452 3.449 3.451 3.448 3.450 3.449 3.470 3.440"


def read(window, text, minutes=0):
    page = window.side.show("reading")
    field = page.fields["current_a"]
    field.set_value(2.0)
    page.at.setDateTime(page.at.dateTime().addSecs(60 * minutes))
    page.cells.setPlainText(text)
    page.keep.click()


@pytest.fixture
def page(qtbot, open_window):
    read(open_window, SPREAD, -1)
    qtbot.waitUntil(lambda: not open_window.document.busy, timeout=20_000)
    found = open_window.side.show("topbalance")
    assert isinstance(found, TopBalancePage)
    return found


def test_it_begins_from_the_last_reading_and_sets_the_charger(qtbot, open_window, page):
    document = open_window.document
    before = document.setup.charging
    assert "typed reading" in page._from.text()
    assert not page.set_now.isEnabled()
    page.begin.click()
    page.set_now.click()
    during = document.setup.charging
    assert during.absorption_min != before.absorption_min
    assert document.setup.protection == document.settings.setup.protection
    assert "Set back" in reminder(page.session, document.setup).text
    page = open_window.side.show("topbalance")
    page.begin.click()  # not over before the charger is set back
    assert "Set the charger back first" in page.progress.text()
    assert page.session is not None
    page.back.click()
    assert document.setup.charging == before
    page.begin.click()
    assert page.session is None


def test_readings_since_then_stand_on_the_curve(qtbot, open_window, page):
    page.begin.click()
    read(open_window, LATER, 30)
    qtbot.waitUntil(lambda: not open_window.document.busy, timeout=20_000)
    page = open_window.side.show("topbalance")
    assert "30 mV" in page.progress.text()
    assert "mV after 0.5 h" in page.figure.accessibleDescription()
    assert page.prompt.text()


def test_one_that_held_is_kept_as_the_day_the_cells_were_level(qtbot, open_window, page):
    document = open_window.document
    page.begin.click()
    for minutes in (30, 60):
        read(open_window, "3.452 3.449 3.451 3.450 3.450 3.449 3.453 3.449", minutes)
        qtbot.waitUntil(lambda: not document.busy, timeout=20_000)
    page = open_window.side.show("topbalance")
    assert "it held" in page.progress.text()
    assert "set the charger back" in page.prompt.text()
    page.begin.click()
    ended = document.history.events()[-1]
    assert (ended.kind, ended.pack) == ("levelled", document.pack.id)


def test_a_session_survives_closing(open_window, page):
    page.begin.click()
    kept = open_window.document.shelf.top_balance()
    assert kept.pack == open_window.document.pack.id
    assert len(kept.offset_ah) == 8
    assert any("top balance begun" in e.note for e in open_window.document.history.events())
