"""A full cell is never called the emptiest, on curves that are not the one Nipper assumes.

The packs are of ``tests/otherpack`` (another physics); their rest curves are published ones
(tests/reference, with their sources), up to 40 mV from the curve of ``core.chemistry``.
"""

from dataclasses import replace
from functools import cache

import numpy as np
import pytest

from nipper.core.imbalance.diagnosis import Diagnosis, diagnose
from nipper.core.imbalance.estimate import top_end
from nipper.core.imbalance.remedies import TopEnd, level
from nipper.core.logs.charges import find_charges
from nipper.core.presets import new_setup
from nipper.core.report.consequence import Status
from nipper.core.report.sentences import NAMED, diagnose_sentence
from nipper.core.setup import Setup, put
from tests.otherpack import Cells, Use, make, published_curve

CELL = 5
LFP = "ocv_lfp_constructed.csv"
CURVES = {
    "ecker": (LFP, "ocv_ecker_v"),
    "mohtat": (LFP, "ocv_mohtat_v"),
    "nmc": ("ocv_nmc.csv", "ocv_v"),
    "nca": ("ocv_nca.csv", "ocv_v"),
}


@cache
def judged(curve: str, offset_pct: float, hysteresis_mv: float) -> tuple[Setup, Diagnosis, float]:
    """A pack of 16 whose cell 5 is fuller (or emptier) by that much, used for a week."""
    rng = np.random.default_rng(3)
    setup = put(new_setup("lfp", 16, 280.0), {"balancer": None})
    offset = rng.normal(0.0, 0.1, 16)
    offset[CELL - 1] += offset_pct
    cells = Cells(
        published_curve(*CURVES[curve]),
        offset_pct=offset,
        capacity=1.0 + rng.normal(0.0, 0.005, 16),
        resistance=1.0 + np.abs(rng.normal(0.0, 0.04, 16)),
        hysteresis_mv=hysteresis_mv,
    )
    log, true_pct = make(setup, cells, Use(days=6, start_pct=60.0))
    return setup, diagnose(log, setup), float(true_pct[CELL - 1])


FULLER = [
    (c, size, h) for c in ("ecker", "mohtat") for size in (3.0, 4.5, 8.0) for h in (0.0, 10.0)
]


@pytest.mark.parametrize(("curve", "size", "hysteresis"), FULLER)
def test_a_cell_that_ends_the_charge_by_its_trip_is_fuller_and_is_bled(curve, size, hysteresis):
    setup, found, true_pct = judged(curve, size, hysteresis)
    drift = found.estimate.drift
    pct = 100.0 / setup.capacity_ah
    low, high = (pct * float(end[CELL - 1]) for end in drift.last_range_ah)
    assert low <= true_pct <= high
    assert low > 0.0
    assert found.verdict in ("watch", "act")
    told = [a for f in found.findings if CELL in f.cells for a in f.actions]
    assert not any(f"Feed cell {CELL}" in a for a in told)
    assert found.estimate.end.highest == {CELL}


@pytest.mark.parametrize("curve", ["ecker", "mohtat"])
def test_no_sound_cell_is_to_be_fed_because_another_is_full(curve):
    _, found, _ = judged(curve, 8.0, 0.0)
    fed = [
        a for f in found.findings if f.confidence > 0.5 for a in f.actions if a.startswith("Feed")
    ]
    assert not fed


@pytest.mark.parametrize("lower_v", [0.0, 0.010, 0.018])
@pytest.mark.parametrize("step_s", [30.0, 180.0])
def test_a_herd_whose_flat_lies_lower_does_not_make_the_full_cell_the_emptiest(lower_v, step_s):
    """The herd ends at 95 %, and by the assumed curve its voltage is that of 60 %: so the shift
    once ran to
    the far end of its search, and the full cell was to be fed."""
    rng = np.random.default_rng(5)
    setup = put(new_setup("lfp", 16, 280.0), {"balancer": None})
    pct, volts = published_curve(*CURVES["mohtat"])
    flat = volts - lower_v * ((pct > 20.0) & (pct < 97.5))
    curve = (pct, np.maximum.accumulate(flat + 1e-9 * np.arange(flat.size)))
    offset = rng.normal(0.0, 0.1, 16)
    offset[CELL - 1] += 7.0
    hours = [
        (24 * d + a, 24 * d + b, c) for d in range(5) for a, b, c in ((0, 4.5, 0.12), (6, 10, -0.1))
    ]
    use = Use(days=5, step_s=step_s, start_pct=70.0, hours=hours)
    log, _ = make(setup, Cells(curve, offset_pct=offset, hysteresis_mv=6.0), use)
    found = diagnose(log, setup)
    assert not found.estimate.drift.last_ah[CELL - 1] < 0.0
    assert not [a for f in found.findings for a in f.actions if a.startswith("Feed")]
    assert found.verdict != "healthy"


@pytest.mark.parametrize("curve", ["ecker", "mohtat"])
def test_an_emptier_cell_is_still_emptier(curve):
    setup, found, true_pct = judged(curve, -4.5, 10.0)
    drift, pct = found.estimate.drift, 100.0 / setup.capacity_ah
    low, high = (pct * float(end[CELL - 1]) for end in drift.last_range_ah)
    assert low <= true_pct <= high < 0.0
    top = found.findings[0]
    assert (top.cause, top.cells) == ("soc_offset", (CELL,))
    assert top.actions[0].startswith(f"Feed cell {CELL}")


def test_the_last_guard_speaks_against_feeding_the_highest_and_bleeding_the_lowest():
    setup = new_setup("lfp", 16, 280.0)
    end = TopEnd(highest=frozenset({5}), lowest=frozenset({9}))
    assert level(5, -56.9, -50.0, setup, end).sentence.startswith(
        "Do not feed cell 5: it is the highest"
    )
    assert level(9, 4.0, 3.0, setup, end).sentence.startswith(
        "Do not bleed cell 9: it is the lowest"
    )
    assert level(5, 4.0, 3.5, setup, end).sentence.startswith("Bleed 4.0 Ah from cell 5")
    assert level(9, -4.0, -3.5, setup, end).sentence.startswith("Feed cell 9 with 4.0 Ah")


def test_only_what_is_sure_is_moved_first():
    setup = new_setup("lfp", 16, 280.0)
    assert level(5, 14.0, 5.0, setup, TopEnd()).sentence.startswith("Bleed 5.0 Ah from cell 5")
    assert "may be 14 Ah" in level(5, 14.0, 5.0, setup, TopEnd()).sentence


def test_the_highest_at_the_end_is_read_from_the_log_itself():
    rng = np.random.default_rng(1)
    setup = put(new_setup("lfp", 8, 100.0), {"balancer": None})
    offset = np.array([0.0, 0.0, 0.6, 0.0, 0.0, 0.0, -0.6, 0.0]) + rng.normal(0.0, 0.02, 8)
    log, _ = make(setup, Cells(published_curve(*CURVES["mohtat"]), offset_pct=offset), Use(days=4))
    found = top_end(log, [c for c in find_charges(log, setup) if c.full])
    assert (found.highest, found.lowest) == ({3}, {7})


def test_a_pack_of_which_half_is_fuller_is_not_healthy():
    """None stands out from the median: the halves stand on either side of it."""
    setup = put(new_setup("lfp", 8, 100.0), {"balancer": None})
    offset = np.array([4.0, 4.0, 4.0, 4.0, 0.0, 0.0, 0.0, 0.0])
    log, _ = make(setup, Cells(published_curve(*CURVES["ecker"]), offset_pct=offset), Use(days=6))
    found = diagnose(log, setup)
    assert found.verdict != "healthy"
    assert any("apart" in a or "trip" in a for a in found.advice)
    untold = replace(found, calm="watch", findings=())
    assert diagnose_sentence(untold) == (Status.WATCH, "not level, no single cause")
    assert NAMED["watch"].startswith("The cells are not level")


@cache
def deep(curve: str, offset_pct: float, capacity: float) -> Diagnosis:
    """A 4.2 V pack of 14 charged to 4.10 V a cell and taken down to its low end, twice."""
    rng = np.random.default_rng(5)
    setup = put(new_setup("nmc", 14, 100.0), {"balancer": None, "charging.absorption_v": 57.4})
    held = 1.0 + rng.normal(0.0, 0.006, 14)
    held[CELL - 1] = capacity
    offset = rng.normal(0.0, 0.1, 14)
    offset[CELL - 1] = offset_pct
    hours = [(0, 6, 0.25), (7, 10.4, -0.25), (12.5, 20, 0.25), (20.3, 23.7, -0.25), (26, 33, 0.25)]
    cells = Cells(
        published_curve(*CURVES[curve]),
        offset_pct=offset,
        capacity=held,
        resistance=1.0 + np.abs(rng.normal(0.0, 0.04, 14)),
        hysteresis_mv=0.0,
    )
    log, _ = make(setup, cells, Use(days=1.5, step_s=20.0, start_pct=60.0, hours=hours))
    return diagnose(log, setup)


@pytest.mark.parametrize("curve", ["nmc", "nca"])
@pytest.mark.parametrize("size", [-2.5, -4.0, -6.0])
def test_an_emptier_cell_of_a_pack_not_charged_to_the_brim_is_not_called_weak(curve, size):
    found = deep(curve, size, 1.0)
    causes = {(f.cause, f.cells) for f in found.findings if f.confidence > 0.5}
    assert causes == {("soc_offset", (CELL,))}
    assert found.findings[0].low <= size <= found.findings[0].high


@pytest.mark.parametrize("curve", ["nmc", "nca"])
@pytest.mark.parametrize("capacity", [0.88, 0.80])
def test_a_weak_cell_comes_out_within_two_points(curve, capacity):
    found = deep(curve, 0.0, capacity)
    strong = [f for f in found.findings if f.confidence > 0.5]
    assert [(f.cause, f.cells) for f in strong] == [("low_capacity", (CELL,))]
    assert abs(strong[0].value - 100.0 * capacity) < 2.0
