"""The diagnosis on packs that live otherwise than on a house's roof (``tests/bench/lives.py``)."""

import pytest

from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.report.sentences import named
from tests.bench.lives import LIVES, lived


def judged(life, cause, number):
    made = lived([each.__name__ for each in LIVES].index(life), cause, number)
    return made, diagnose(made.log, made.setup)


@pytest.mark.parametrize(
    ("life", "number"),
    [
        ("boat", 800),  # 15 % weak, and its fall fitted no published curve: nothing was said
        ("bicycle", 801),  # 5.8 % weak, told as 3 %
        # 4.2 V, never below a third: 15 % weak was "2.7 % emptier and was never levelled" at 0.87
        ("hoist", 803),
        ("backup", 952),
    ],
)
def test_a_weak_cell_is_told_with_its_size(life, number):
    made, found = judged(life, "low_capacity", number)
    top = found.findings[0]
    assert (top.cause, top.cells) == ("low_capacity", made.truth.cells)
    assert top.confidence > 0.5
    assert made.truth.low < top.value < made.truth.high
    assert top.low < 100.0 + made.capacity_pct[top.cells[0] - 1] < top.high


def test_a_weak_cell_of_a_vehicle_is_told_though_it_mostly_stands_still():
    """Most rows are of rests at two charges; level at the top, it was told as 1.6 % emptier."""
    made, found = judged("commuter", "low_capacity", 800)
    top = found.findings[0]
    assert (top.cause, top.cells) == ("low_capacity", made.truth.cells)


def test_a_cell_that_is_perhaps_weak_is_no_health_and_its_charge_is_asked_for():
    """A tenth weaker by all it shows, not surely: it was told in a corner, below "healthy"."""
    made, found = judged("night_rate", "low_capacity", 953)
    (cell,) = made.truth.cells
    assert found.verdict == "watch"
    assert named(found).startswith(f"Perhaps: Cell {cell} holds")
    (said,) = (a for a in found.advice if a.startswith(f"Cell {cell} may hold up to "))
    worst_pct = float(said.partition("up to ")[2].partition(" %")[0])
    assert worst_pct > -made.capacity_pct[cell - 1]


def test_an_emptier_cell_on_a_curve_with_a_step_elsewhere_reads_rightly():
    """7 % emptier; between steps of the curve it stands 2 mV off, on them 28: "reads 10 mV too
    low, always".
    """
    made, found = judged("commuter", "soc_offset", 805)
    assert [(f.cause, f.cells) for f in found.findings if f.confidence > 0.5] == [
        ("soc_offset", made.truth.cells)
    ]


def test_a_weak_cell_shows_at_the_step_however_far_the_pack_stays_from_empty():
    """A tenth weaker, and never below a third: "healthy", as far as the log told."""
    made, found = judged("hoist", "low_capacity", 800)
    (weak,) = found.findings
    assert (weak.cause, weak.cells) == ("low_capacity", made.truth.cells)
    assert weak.low <= (made.truth.low + made.truth.high) / 2 <= weak.high
    assert "one that has lost lithium" in weak.evidence[0]


def test_a_log_that_could_show_no_weak_cell_says_so():
    """A fifth weaker, and never discharged that far: healthy, as far as the log tells."""
    made, found = judged("backup", "low_capacity", 803)
    assert found.verdict == "healthy"
    (said,) = (a for a in found.advice if "would not show in this log" in a)
    hidden_pct = float(said.partition("up to ")[2].partition(" %")[0])
    assert hidden_pct > -made.capacity_pct[made.truth.cells[0] - 1]


def test_one_charge_alone_tells_a_weak_cell_by_the_step():
    """No discharge at all: what a cell is behind at the step, and is not at the top, it lacks."""
    made, found = judged("boat", "low_capacity", 800)
    charge = found.estimate.full[0]
    alone = diagnose(made.log.select(slice(charge.start, charge.stop)), made.setup)
    (weak,) = alone.findings
    assert (weak.cause, weak.cells) == ("low_capacity", made.truth.cells)
    assert weak.low <= (made.truth.low + made.truth.high) / 2 <= weak.high


def test_a_log_without_a_discharge_shows_no_weak_cell_and_says_no_silly_number():
    """The end of a charge, cut out: "a cell that holds up to 100 % less would not show"."""
    made, found = judged("boat", "low_capacity", 800)
    charge = found.estimate.full[0]
    above_step = charge.absorption[0] - 60
    alone = diagnose(made.log.select(slice(above_step, charge.stop)), made.setup)
    assert any(a.startswith("No discharge in this log goes low enough") for a in alone.advice)
    assert not any("would not show" in a for a in alone.advice)
