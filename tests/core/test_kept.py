"""What a bench keeps of a diagnosis: facts, told in words later."""

from typing import Any, cast

import pytest

from nipper.core.imbalance.causes_base import Cause
from nipper.core.imbalance.diagnosis import Diagnosis
from nipper.core.report.sentences import of_history
from nipper.core.upkeep.kept import changed, findings, summary

CAUSES = (
    "soc_offset", "low_capacity", "high_resistance", "loose_joint", "self_discharge",
    "group_drain", "balancer_starved", "plateau_balancing", "sense_bias", "sense_lead",
    "temperature_gradient",
)  # fmt: skip
OF_NO_CELL = ("balancer_starved", "plateau_balancing")


def judged(cause: str, value: float = -12.5) -> Diagnosis:
    """A diagnosis with one finding; what it was estimated from does not matter here."""
    prose = ("Words.", ("Because.",), ("Do this.",), "Be sure.")
    found = Cause(cause, (4, 5), 0.9, "size", value, value - 1, value + 1, "mV", *prose)
    return Diagnosis("act", (found,), cast("Any", None), ())


@pytest.mark.parametrize("cause", CAUSES)
def test_no_prose_is_kept_and_it_is_told_all_the_same(cause):
    kept = cast("dict[str, Any]", summary(judged(cause)))
    assert set(kept["findings"][0]) == {"cause", "cells", "confidence", "magnitude"}
    [words] = findings(kept).values()
    assert words.endswith(".")
    assert cause not in words
    assert cause in OF_NO_CELL or ("4" in words and "5" in words)


def test_another_size_is_another_judgement():
    kept = summary(judged("sense_bias"))
    assert not changed(kept, summary(judged("sense_bias", -13.0)))
    assert changed(kept, summary(judged("sense_bias", -25.0)))
    assert changed(kept, summary(judged("soc_offset")))


def test_what_an_older_version_kept_is_told_in_its_own_words():
    old = {"cause": "loose_joint", "cells": [3], "summary": "Joint."}
    assert findings({"findings": [old]}) == {("loose_joint", (3,)): "Joint."}
    sized = old | {"magnitude": {"value": 0.4}, "mended": True}
    assert findings({"findings": [sized]}) == {
        ("loose_joint", (3,)): "A joint at cell 3 was loose: 0.40 mΩ."
    }


def test_a_strangers_cause_and_size_end_nothing():
    for item in (
        {"cause": "gremlins", "cells": [0, -3], "magnitude": {"value": 1e308}},
        {"cause": "soc_offset", "cells": [], "magnitude": {"value": 1e308}},
        {"cause": "sense_lead", "cells": [], "magnitude": {"value": float("nan")}},
    ):
        assert all(isinstance(words, str) for words in findings({"findings": [item]}).values())


@pytest.mark.parametrize("document", [{}, {"verdict": 3}, {"findings": "x", "verdict": "act?"}])
def test_the_judgement_before_is_passed_over_where_it_cannot_be_read(document):
    assert of_history([(1.0, document), (2.0, {})]) == []
