"""What follows, as findings come and go under a drag."""

import pytest

from nipper.app.shell.follows import MOST_SPARE, Follows, FollowsEntry
from nipper.core.report.consequence import Consequence, Status


@pytest.fixture
def follows(qtbot, theme):
    panel = Follows(theme)
    qtbot.addWidget(panel)
    panel.show()
    return panel


def said(panel):
    return [(e.consequence, e._lead.text(), e._text.text()) for e in panel.entries()]


def consequences(*numbers, why=""):
    return [Consequence(Status.WATCH, f"{n} mV.", f"About {n}.", why=why) for n in numbers]


def test_what_comes_and_goes_is_said_again_by_the_same_entries(qapp, follows):
    follows.show_all(consequences(1, 2, 3))
    before = set(follows.entries())
    for numbers in ((1, 3), (4, 1, 3), (5,), (6, 7, 8)):
        follows.show_all(consequences(*numbers))
        qapp.processEvents()
        assert said(follows) == [(c, c.lead, c.text) for c in consequences(*numbers)]
        assert all(entry.isVisible() for entry in follows.entries())
        assert set(follows.entries()) <= before


def test_what_waits_is_not_seen_and_is_not_many(follows, qtbot):
    follows.show_all(consequences(*range(20)))
    follows.show_all([])
    assert not any(entry.isVisible() for entry in follows.findChildren(FollowsEntry))
    qtbot.waitUntil(lambda: len(follows.findChildren(FollowsEntry)) == MOST_SPARE)


def test_an_opened_why_is_not_anothers(follows):
    """A reused entry stood open with the reason of another finding."""
    first = Consequence(Status.WATCH, "One.", "", why="Because.", settings=("capacity_ah",))
    other = Consequence(Status.WATCH, "Other.", "", why="For that.", settings=("chemistry",))
    follows.show_all([first])
    follows.entries()[0].why_button.setChecked(True)
    follows.show_all([])
    follows.show_all([other])
    assert not follows.entries()[0].why_button.isChecked()
    assert follows.entries()[0]._why.text() == "For that."
