"""A small part of the benchmark's made-up packs, so that a change that breaks the diagnosis is seen
at once; the whole runs with ``make bench``.
"""

import pytest

from tests.bench.packs import CAUSES
from tests.bench.score import judge, tables


@pytest.fixture(scope="module")
def scores():
    return [judge((cause, n)) for cause in CAUSES for n in (2000,)] + [
        judge(("", n)) for n in range(2000, 2005)
    ]


def test_the_first_finding_is_right_in_nearly_all(scores):
    faulty = [s for s in scores if s.cause]
    right = [s for s in faulty if s.top == s.cause]
    assert len(right) >= len(faulty) - 1, [s.name for s in faulty if s.top != s.cause]
    assert all(s.cells_right is not False for s in right)


def test_healthy_packs_raise_no_alarm(scores):
    assert [s.name for s in scores if not s.cause and s.top] == []


def test_a_high_confidence_is_seldom_wrong(scores):
    high = [right for s in scores for confidence, right in s.confidences if confidence > 0.9]
    assert len(high) > 5
    assert sum(high) / len(high) > 0.9


def test_the_table_counts_every_pack(scores):
    table = tables(scores)
    assert all(f"| {cause} | 1 |" in table for cause in CAUSES)
    assert "of 5 healthy packs" in table
