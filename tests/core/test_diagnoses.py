"""What is said of a log changes only on purpose."""

import json

import pytest

from tests.core.diagnoses import KEPT, cases, differences, said

SAID = json.loads(KEPT.read_text()) if KEPT.exists() else {}


@pytest.mark.parametrize(("name", "make"), list(cases()), ids=[name for name, _ in cases()])
def test_a_log_is_judged_as_it_was(name, make):
    assert list(differences(SAID[name], said(make))) == [], "python -m tests.core.diagnoses"


def test_a_change_would_be_seen():
    kept = {"a": [1.0, "9 of 10"], "b": None}
    assert list(differences(kept, {"a": [1.001, "9.01 of 10"], "b": None})) == []
    assert len(list(differences(kept, {"a": [1.05, "9 by 10"], "b": 1.0}))) == 3
    assert len(list(differences(kept, {"a": [1.0, "9 of 13"], "b": None}))) == 1
