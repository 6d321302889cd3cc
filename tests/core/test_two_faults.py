"""Two faults in one pack, in different cells: what one of them hides of the other is said."""

import numpy as np
import pytest

from nipper.core.forecast.levelling import by_hand
from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.report.proof import proofs
from nipper.core.report.sentences import of_diagnosis
from tests.bench.pairs import PAIRS, judge, two


@pytest.mark.parametrize(
    ("pair", "number"),
    [
        (("soc_offset", "sense_bias"), 4),  # told as two cells that are off
        (("high_resistance", "sense_bias"), 0),
        (("self_discharge", "low_capacity"), 0),
    ],
)
def test_both_are_named_and_nothing_else(pair, number):
    done = judge((PAIRS.index(pair), number))
    assert (done.found, done.others) == (2, 0), done.words


@pytest.mark.parametrize("number", [1, 3])
def test_a_weak_cell_is_not_fed_while_a_fuller_one_ends_the_charges(number):
    """A fuller cell ends the charges with the others on the flat, where nothing tells how full they
    are; at the low end a weak cell, level at the top, had 11 % less left. "10.5 % emptier" at 0.98:
    feed it 13.6 Ah, so much is sure.
    """
    pack, (fuller, weak) = two(PAIRS.index(("soc_offset", "low_capacity")), number)
    found = diagnose(pack.log, pack.setup)
    assert [f.cells for f in found.findings if f.confidence > 0.5] == [fuller.cells]
    cell = weak.cells[0]
    assert np.isnan(found.estimate.drift.last_ah[cell - 1])
    assert cell not in {one.cell for one in by_hand(pack.setup, found)}
    said = next(text for text in found.advice if "less left than the others" in text)
    assert said.startswith(f"Cell {cell} had ")
    assert "nothing is to be fed" in said


def test_the_cell_that_ends_the_discharge_is_named_also_where_it_may_be_weak_or_low():
    """The others' small offsets were known, and one of them was said to be empty first."""
    pack, (fuller, weak) = two(PAIRS.index(("soc_offset", "low_capacity")), 1)
    found = diagnose(pack.log, pack.setup)
    words = [c.text for c in of_diagnosis(found)]
    assert any(
        f"Cell {fuller.cells[0]} is full first" in text
        and f"cell {weak.cells[0]} is empty first" in text
        for text in words
    )
    texts = [proof.text for proof in proofs(found, pack.setup, found.findings[0])]
    assert len(texts) > 2
    assert not any("nan" in text for text in texts)
