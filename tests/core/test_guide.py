"""The guide explains every stage, every word it uses and every setting, and its links lead on."""

import re

import pytest

from nipper.core import guide
from nipper.core.setup import described, is_path

LINK = re.compile(r"\]\(<?([a-z]+:[^)>]*)>?\)")


@pytest.mark.parametrize("name", [n for n in guide.STAGES if n not in ("rehearse", "record")])
def test_a_page_of_work_that_can_hurt_ends_with_a_caution(name):
    assert re.search(r"^> .*\S", guide.page(name).text, re.M)


def test_no_link_is_dead():
    links = {link for topic in guide.topics() for link in LINK.findall(topic.text)}
    assert len(links) > 18
    assert [link for link in links if guide.explained(link) is None] == []
    assert guide.explained("word:no such word") is None
    assert guide.explained("page:../secret") is None


def test_every_setting_is_explained_by_its_path():
    for one in described():
        topic = guide.explained(f"setting:{one.path}")
        assert topic is not None
        assert one.path in topic.text
        assert is_path(one.path)


def test_any_of_a_list_is_explained_by_its_first():
    topic = guide.explained("setting:other_chargers.3.absorption_v")
    assert topic is not None
    assert "other_chargers.0.absorption_v" in topic.text


def test_what_is_searched_for_comes_first():
    assert guide.find("tail current")[0].link == "word:tail current"
    assert guide.find("freezing point of nothing") == []
    assert guide.find("x") == []
    assert {t.link for t in guide.find("ice water")} == {"page:cold", "word:bath"}
