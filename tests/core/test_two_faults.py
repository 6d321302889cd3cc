"""Two faults in one pack, in different cells: what one of them hides of the other is said."""

import numpy as np
import pytest

from nipper.core.forecast.levelling import by_hand
from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.presets import new_setup
from nipper.core.report.proof import proofs
from nipper.core.report.sentences import of_diagnosis
from nipper.core.setup import put
from tests.bench.others import finished, usual_cells
from tests.bench.packs import Truth
from tests.bench.pairs import PAIRS, judge, ridden, two


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


@pytest.mark.parametrize(("number", "known"), [(1, True), (3, False)])
def test_a_weak_cell_is_not_fed_while_a_fuller_one_ends_the_charges(number, known):
    """A fuller cell ends the charges with the others on the flat, where nothing tells how full they
    are; at the low end a weak cell, level at the top, had 11 % less left. "10.5 % emptier" at 0.98:
    feed it 13.6 Ah, so much is sure. The step of the plateau knows it of the larger ones.
    """
    pack, (fuller, weak) = two(PAIRS.index(("soc_offset", "low_capacity")), number)
    found = diagnose(pack.log, pack.setup)
    named = {f.cells for f in found.findings if f.confidence > 0.5}
    assert named == ({fuller.cells, weak.cells} if known else {fuller.cells})
    said = [text for text in found.advice if "feed nothing there" in text]
    assert [text.startswith(f"Cell {weak.cells[0]} had ") for text in said] == [True] * (not known)
    assert {one.cell for one in by_hand(pack.setup, found)} == set(fuller.cells)


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


def of_offsets(offset_pct):
    """A ridden LFP pack whose cells stand so far apart, judged."""
    setup = put(
        new_setup("lfp", 13, 100.0, balancer="none"),
        {"charging.absorption_v": 45.2, "charging.tail_a": None},
    )
    rng = np.random.default_rng(5)
    made = usual_cells(setup, rng)
    for cell, pct in offset_pct.items():
        made.offset_pct[cell - 1] += pct
    pack = finished(setup, ridden(setup, 20.0, rng), made, Truth("soc_offset"))
    return diagnose(pack.log, setup)


def test_a_cell_that_alone_stands_far_down_is_still_told_as_such():
    """The others were full: one that is 20 % lower at the low end was so at the top as well."""
    found = of_offsets({4: -20.0})
    assert (found.findings[0].cause, found.findings[0].cells) == ("soc_offset", (4,))


def test_beside_a_fuller_cell_one_that_stands_lower_is_not_told_as_weak_either():
    found = of_offsets({2: 6.0, 5: -9.0})
    assert [f.cells for f in found.findings if f.confidence > 0.5] == [(2,)]
    assert any(text.startswith("Cell 5 had ") for text in found.advice)
    assert found.verdict != "healthy"
