"""A cell that strays: what each cause would show is read off the simulator, and the walk finds it.

Outside checks: packs of another physics library (``tests/bench/spm.py``), of which the walk knows
nothing, are read by its probes; and what must hold of any lithium pack does (signs).
"""

from dataclasses import replace
from functools import cache

import numpy as np
import pytest

from nipper.core.errors import Cancelled
from nipper.core.logs.charges import find_charges, full
from nipper.core.logs.moments import readings
from nipper.core.presets import new_setup
from nipper.core.report.practise import cell_words, practised, score_words, taken_words
from nipper.core.setup import put
from nipper.core.upkeep.meter import stand
from nipper.core.upkeep.practise import Level, Named, judge, make_case
from nipper.core.upkeep.stray import JOINT_A, JOINT_MOHM, PROBES, stray_walk
from tests.bench import spm

LFP = new_setup("lfp", 16, 280.0)
BANKS = {
    "lfp": LFP,
    "nmc": new_setup("nmc", 14, 60.0),
    "lto": new_setup("lto", 24, 40.0),
    "lfp active": new_setup("lfp", 4, 100.0, 2, "active"),
}


@cache
def the_walk(bank="lfp"):
    walk = stray_walk(BANKS[bank])
    assert walk is not None
    return walk


def value(cause, probe, bank="lfp"):
    walk = the_walk(bank)
    return walk.reads(next(f for f in walk.faults if f.id == cause), probe).value


def walked(walk, truth):
    readings = {}
    while (probe := stand(walk, readings).ask) is not None:
        readings[probe.id] = walk.reads(truth, probe.id).value
    return stand(walk, readings)


@pytest.mark.parametrize("bank", list(BANKS))
def test_nobody_is_named_wrongly(bank):
    walk = the_walk(bank)
    for fault in walk.faults:
        found = walked(walk, fault)
        assert found.found in (None, fault), fault.id


def test_at_the_usual_bank_most_causes_are_named_and_the_true_one_is_likeliest():
    walk = the_walk()
    found = {f.id: walked(walk, f) for f in walk.faults}
    first = [id_ for id_, at in found.items() if at.likely[0][0].id == id_]
    named = [id_ for id_, at in found.items() if at.found is not None]
    assert len(first) >= 9
    assert len(named) >= 7


@pytest.mark.parametrize("bank", list(BANKS))
def test_what_must_be_so_in_any_pack(bank):
    assert value("none", "joint", bank) < 10 < value("joint", "joint", bank)
    assert value("reading", "meter", bank) > 20
    assert abs(value("low", "meter", bank)) < 1
    # more resistance or a bad joint drops more under load; charge alone hardly does
    assert value("resistance", "load", bank) > 5
    assert value("joint", "load", bank) > 5
    # a small cell is the lowest at the low end
    assert value("weak", "low", bank) < -3
    assert value("leak", "month", bank) > 5
    assert value("none", "month", bank) == 0


def test_offsets_stand_out_at_the_top_and_the_wrong_reading_leaves_with_the_bms():
    assert value("low", "top") < -30 < 30 < value("high", "top")
    assert value("low", "swap") == value("low", "top")
    assert value("reading", "swap") > value("reading", "top") + 20


def test_live_parts_and_long_work_are_told():
    told = {p.id: p for p in PROBES}
    assert told["meter"].caution
    assert told["joint"].caution
    assert told["swap"].caution
    assert told["swap"].minutes > told["month"].minutes


def test_a_pack_that_is_never_full_has_no_walk():
    low = put(LFP, {"charging.absorption_v": 52.0, "charging.float_v": 51.0})
    assert stray_walk(low) is None


def test_it_can_be_stopped():
    def stop(_share):
        raise Cancelled

    with pytest.raises(Cancelled):
        stray_walk(LFP, stop)


def test_cases_hide_one_cause_two_or_none_and_the_same_number_is_the_same_case():
    walk = the_walk()
    hidden = [make_case(LFP, n, Level.HARD, [walk]).hidden for n in range(1, 80)]
    assert {"none", "leak", "leak-joint"} <= {f.id for f in hidden}
    assert make_case(LFP, 7, Level.HARD, [walk]).hidden is hidden[6]


def the_case(cause, level=Level.EASY):
    cases = (make_case(LFP, n, level, [the_walk()]) for n in range(1, 400))
    return next(c for c in cases if c.hidden.id == cause)


def test_a_case_is_judged_by_what_was_read():
    case = the_case("leak")
    read = [case.read("top"), case.read("month"), case.read("joint", case.cell)]
    right = Named("leak", case.cell, case.hidden.cure)
    score = judge(case, read, right)
    told = {probe.id: bits for probe, bits in score.told}
    assert score.right
    assert score.right_cure
    assert told["month"] > 1.0
    assert [p.id for p in score.forgotten] == ["joint"]
    assert not judge(case, read, replace(right, fault="none")).right
    other = replace(right, cell=case.cell % LFP.cells + 1)
    assert not judge(case, read, other).right
    assert judge(case, read, replace(right, cure="Leave it alone.")).right
    assert not judge(case, read, replace(right, cure="Leave it alone.")).right_cure


def test_the_cell_is_found_on_the_screen_and_differs_from_case_to_case():
    hidden = [make_case(LFP, n, Level.HARD, [the_walk()]) for n in range(1, 80)]
    assert len({c.cell for c in hidden}) > 8
    for case in hidden:
        if case.hidden.id in ("low", "high"):
            row = case.read("top").values
            assert len(row) == LFP.cells
            assert max(range(LFP.cells), key=lambda i: abs(row[i])) == case.cell - 1


def test_the_probes_at_another_cell_tell_nothing_but_cost_their_minutes():
    case = the_case("joint")
    other = case.cell % LFP.cells + 1
    there, here = case.read("joint", other), case.read("joint", case.cell)
    assert there.values[0] < 15 < here.values[0]
    score = judge(case, [there, here], Named("joint", case.cell, case.hidden.cure))
    assert score.told[0][1] == pytest.approx(0.0)
    assert score.told[1][1] > 1.0
    assert score.minutes == 12
    said = [words for _, words in score_words(score)]
    assert said[0] == f"Right: cell {case.cell}: its joint is bad."
    assert sum("Not made safe" in words for words in said) == 1


def test_where_nothing_is_hidden_no_cell_need_be_named():
    case = the_case("none", Level.HARD)
    score = judge(case, [case.read("top")], Named("none", 0, case.hidden.cure))
    assert score.right
    assert not score.cell


def test_the_learner_is_not_told_the_cell():
    case = the_case("reading", Level.HARD)
    for probe in case.walk.probes:
        assert "odd" not in practised(case, probe)
    assert "each cell" in practised(case, case.walk.probe("top"))
    assert "the chosen cell" in practised(case, case.walk.probe("meter"))
    assert len(cell_words(case.read("top"))) == LFP.cells
    assert not [reads for _, reads in cell_words(case.read("top")) if reads in ("−0", "+0")]
    assert taken_words(case, case.read("meter", 4)).startswith("cell 4: ")


def test_a_week_of_log_tells_less_than_a_month():
    walk = the_walk()
    leak = next(f for f in walk.faults if f.id == "leak")
    assert walk.reads(leak, "week").around > 1.5 * walk.reads(leak, "month").around
    assert walk.probe("week").minutes < walk.probe("month").minutes


def test_a_pack_that_is_alone_is_not_asked_for_an_exchange():
    assert "swap" not in {p.id for p in the_walk("lfp").probes}
    assert "swap" in {p.id for p in the_walk("lfp active").probes}


# packs of another physics library

ALSO = {
    "soc_offset": ("low", "high"), "low_capacity": ("weak", "weak-low"),
    "high_resistance": ("resistance",), "self_discharge": ("leak", "leak-joint"),
    "sense_bias": ("reading",), "loose_joint": ("joint", "leak-joint"),
}  # fmt: skip


def seen_at(pack):
    """What the probes would read at such a pack; a rest after the charge is not among its days."""
    log, cell = pack.log, pack.cells[0] - 1
    charge = full(find_charges(log, pack.setup))[-1]
    told = readings(log, pack.setup, charge)

    def stray_mv(cell_v):
        return 1e3 * float(cell_v[cell] - np.nanmedian(cell_v))

    onset = min(max(int(np.argmin(np.diff(log.current_a))), 1), log.rows - 2)
    leak = abs(pack.size) if pack.cause == "self_discharge" else 0.0
    bias = pack.size if pack.cause == "sense_bias" else 0.0
    joint_mohm = JOINT_MOHM + (pack.size if pack.cause == "loose_joint" else 0.0)
    return {
        "begin": stray_mv((told.begin or told.end).cell_v),
        "top": stray_mv(told.end.cell_v),
        "load": stray_mv(log.cell_v[onset]) - stray_mv(log.cell_v[onset + 1]),
        "low": stray_mv(log.cell_v[int(np.nanargmin(log.pack_v))]),
        "week": leak,
        "month": leak,
        "meter": -bias,
        "joint": joint_mohm * JOINT_A,
    }


@pytest.mark.parametrize("chemistry", ["lfp", "nmc"])
def test_at_packs_of_another_physics_nobody_is_named_wrongly(chemistry):
    size = spm.library(chemistry).capacity_ah
    walk = stray_walk(new_setup(chemistry, 16, round(size, 1)))
    walk = replace(walk, probes=tuple(p for p in walk.probes if p.id != "rest"))
    first, named = [], []
    for cause, among in ALSO.items():
        for number in range(6):
            pack = spm.pack(chemistry, cause, number)
            seen, read = seen_at(pack), {}
            # a cell a quarter of a per cent fuller than the others stands 45 mV above them when
            # full: that is the matter too
            too = ("high",) if pack.stands_pct > 0.25 else ()
            while (probe := stand(walk, read).ask) is not None:
                read[probe.id] = seen[probe.id]
            found = stand(walk, read)
            first.append(found.likely[0][0].id in among + too)
            named += [] if found.found is None else [found.found.id in among + too]
    assert all(named)
    assert len(named) >= 10
    assert np.mean(first) >= 0.75


def test_a_meter_that_shows_nothing_wrong_clears_the_bms():
    """A stray of 20 mV on the screen, of which the meter knows nothing, is in the cell."""
    found = stand(the_walk(), {"top": -21.0, "begin": -18.0, "meter": 0.0})
    assert {f.id: share for f, share in found.likely}["reading"] < 0.05
