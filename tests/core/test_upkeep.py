"""What is due and why, storage, the walk with a meter, trip counters, the story."""

import json
import random
from dataclasses import replace
from datetime import UTC, datetime
from itertools import combinations

import pytest
from hypothesis import given
from hypothesis import strategies as st
from icalendar import Calendar

from nipper.core.chemistry import chemistry
from nipper.core.logs.charges import find_charges
from nipper.core.presets import new_setup
from nipper.core.report.keep import (
    Dates,
    expects_words,
    facts,
    growth_words,
    keep_sentence,
    life_rows,
    measured,
    of_keep,
    stand_words,
    storage_words,
    walk_note,
    when_words,
    year_html,
)
from nipper.core.report.practise import score_words
from nipper.core.setup import put
from nipper.core.upkeep import ageing
from nipper.core.upkeep.calendar import calendar
from nipper.core.upkeep.due import DAY_S, Due, Duty, Facts, due, weekend
from nipper.core.upkeep.followup import Outcome, cases
from nipper.core.upkeep.meter import stand
from nipper.core.upkeep.practise import Level, Named, cures, judge, make_case
from nipper.core.upkeep.storage import Rest, stored
from nipper.core.upkeep.story import Entry, Kind, diagnoses, events, logs, searched, story
from nipper.core.upkeep.trips import KIND, Counters, Trip, growths, kept, words
from nipper.core.upkeep.walks import walks
from tests.conftest import REFERENCE

SETUP = new_setup("lfp", 16, 280.0)
NOW = datetime(2026, 11, 27, 9, 0, tzinfo=UTC).timestamp()


def known(**changes) -> Facts:
    return replace(
        Facts(now_s=NOW, zone=UTC, last_log_s=NOW - DAY_S, last_full_s=NOW - 3 * DAY_S,
              last_cold_s=NOW - 40 * DAY_S, last_torque_s=NOW - 100 * DAY_S, torques=5,
              last_capacity_s=NOW - 100 * DAY_S, last_trips_s=NOW - DAY_S, apart_ah=0.3,
              drifts_ah_per_day=0.01, levels_ah_per_day=0.05), **changes
    )  # fmt: skip


def only(duty, facts_, setup=SETUP) -> Due:
    return next(d for d in due(setup, facts_) if d.duty == duty)


def day(at_s):
    return datetime.fromtimestamp(at_s, UTC).date().isoformat()


# what is due


def test_nothing_is_due_on_a_well_kept_bank():
    found = due(SETUP, known())
    assert all(d.days_from(NOW) > 0 for d in found)
    assert keep_sentence(found, NOW)[0] == "ok"
    assert of_keep([d for d in found if d.days_from(NOW) > 14], NOW)[0].status == "ok"


@pytest.mark.parametrize(
    ("proven", "south", "expected"),
    [
        (datetime(2026, 10, 18, tzinfo=UTC), False, "2027-10-01"),  # this autumn's
        (datetime(2026, 8, 1, tzinfo=UTC), False, "2027-10-01"),  # shortly before: counts too
        (datetime(2026, 3, 1, tzinfo=UTC), False, "2026-10-01"),  # last winter's: overdue
        (datetime(2025, 10, 10, tzinfo=UTC), False, "2026-10-01"),
        (datetime(2026, 10, 18, tzinfo=UTC), True, "2027-04-01"),
        (None, False, "2026-11-27"),  # never, and it is winter: now
        (None, True, "2027-04-01"),  # never, and it is summer there
    ],
)
def test_the_cold_proof_is_due_before_the_next_frost(proven, south, expected):
    at = None if proven is None else proven.timestamp()
    found = only(Duty.COLD, known(last_cold_s=at, latitude_deg=-40.0 if south else None))
    assert day(found.due_s) == expected


def test_a_cutoff_that_was_moved_wants_its_proof_now():
    found = only(Duty.COLD, known(cold_is_of_cutoff=False))
    assert found.days_from(NOW) <= 0
    assert "moved" in found.why


@given(st.floats(0.0, 86400.0))
def test_what_is_due_now_stands_by_its_worth_at_every_moment(past_s):
    """A proof due now stood behind all others at half of the moments: by a microsecond."""
    now_s = NOW + past_s
    found = due(SETUP, known(now_s=now_s, last_cold_s=None, last_torque_s=None))
    worths = [d.worth for d in found if d.due_s < now_s + 1.0]
    assert worths == sorted(worths, reverse=True)
    assert len(worths) >= 2


@given(apart=st.floats(0.0, 2.7), drift=st.floats(0.0, 0.5), moved=st.floats(0.0, 0.5))
def test_levelling_is_due_when_the_charge_between_cells_reaches_a_per_cent(apart, drift, moved):
    facts_ = known(apart_ah=apart, drifts_ah_per_day=drift, levels_ah_per_day=moved)
    bare = put(SETUP, {"charging.equalise_every_days": None})
    found = [d for d in due(bare, facts_) if d.duty == Duty.EQUALISE]
    if drift <= moved:
        assert found == []  # the balancer keeps up
        return
    reached = NOW - 3 * DAY_S + (2.8 - apart) / (drift - moved) * DAY_S
    assert found[0].due_s == pytest.approx(reached, rel=1e-6)


def test_what_is_apart_already_is_due_now_whatever_is_set():
    found = only(Duty.EQUALISE, known(apart_ah=5.0))
    assert found.days_from(NOW) == 0
    assert "5.0 Ah" in found.why


def test_settings_that_contradict_come_first():
    found = due(SETUP, known(errors=2, remedies=("Feed cell 6 with 5.1 Ah",)))
    assert [d.duty for d in found[:2]] == [Duty.SETTINGS, Duty.REMEDY]
    assert keep_sentence(found, NOW) == (
        "act",
        "due: Mend 2 contradictions of the settings; 1 more",
    )


def test_an_open_case_wants_its_log_sooner():
    calm, case = only(Duty.LOG, known()), only(Duty.LOG, known(remedies=("x",)))
    assert case.due_s < calm.due_s
    assert "a case is open" in case.why


def test_typed_settings_are_read_back_and_then_no_more():
    typed = known(last_typed_s=NOW - 9 * DAY_S)
    assert only(Duty.READ_BACK, typed).title == "Read the settings back"
    back = known(last_typed_s=NOW - 9 * DAY_S, last_read_back_s=NOW - 8 * DAY_S)
    assert not [d for d in due(SETUP, back) if d.duty == Duty.READ_BACK]


def test_a_weekend_is_ordered_by_worth_and_holds_nothing_of_next_summer():
    found = weekend(due(SETUP, known(errors=1, apart_ah=5.0)), NOW)
    assert [d.worth for d in found] == sorted((d.worth for d in found), reverse=True)
    assert all(d.days_from(NOW) <= 14 for d in found)


def test_the_calendar_opens_in_another_program():
    """RFC 5545, read back by the library's own parser."""
    found = due(SETUP, known(errors=1))
    parsed = Calendar.from_ical(calendar(found, "Hut; with, signs", NOW))
    entries = list(parsed.walk("VEVENT"))
    assert len(entries) == len(found)
    assert str(entries[0]["summary"]).startswith("Hut; with, signs: ")
    assert min(e["dtstart"].dt for e in entries) == datetime.fromtimestamp(NOW, UTC).date()
    assert len({str(e["uid"]) for e in entries}) == len(entries)


@pytest.mark.parametrize(
    ("days", "said"),
    [(-20, "3 weeks over"), (-150, "5 months over"), (0, "now"), (1.5, "in 2 days"),
     (40, "in 6 weeks"), (400, "in 13 months")],
)  # fmt: skip
def test_days_are_said_as_people_say_them(days, said):
    assert when_words(Due(Duty.LOG, "x", NOW + days * DAY_S, "", 5.0), NOW) == said


def test_facts_without_a_log_are_no_claims():
    found = facts(SETUP, NOW, Dates(), measured(UTC, []))
    assert found.last_full_s is None
    assert found.apart_ah is None
    asked = {d.duty for d in due(SETUP, found)}
    assert Duty.LOG in asked
    assert Duty.FULL not in asked


# storage


def test_self_discharge_agrees_with_the_reference():
    """tests/reference/arithmetic.json: what is left after months, compound."""
    rows = json.loads((REFERENCE / "arithmetic.json").read_text())["self_discharge"]["rows"]
    for row in rows:
        setup = put(SETUP, {"capacity_ah": row["capacity_ah"]})
        air_c = 25.0 + 10.0 * _log2(row["pct_per_month"] / 2.5)
        found = stored(setup, Rest(100.0, air_c))
        left = found.mean_pct[round(30.4 * row["months"])] / 100.0 * row["capacity_ah"]
        assert left == pytest.approx(row["left_ah_compound"], rel=2e-3)


def _log2(value):
    from math import log2

    return log2(value)


def test_a_standing_draw_empties_by_energy_over_power():
    """By hand: 10 W day and night out of a small pack, with next to no self-discharge."""
    small = new_setup("lfp", 4, 55.0)
    found = stored(small, Rest(100.0, -30.0, standby_w=10.0))
    hours = 55.0 * 4 * chemistry("lfp").nominal_v / 10.0
    trip = found.days_to("trip")
    assert trip is not None
    assert trip == pytest.approx(0.985 * hours / 24.0, rel=0.05)


def test_the_stages_come_in_their_order_and_a_lower_cell_comes_first():
    even = stored(SETUP, Rest(55.0, 20.0, 0.5))
    days = [s.days for s in even.stages if s.days is not None]
    assert days == sorted(days)
    low = stored(SETUP, Rest(55.0, 20.0, 0.5, behind_ah=20.0, drift_ah_per_day=0.05))
    assert (low.days_to("trip") or 0) < (even.days_to("trip") or 0)


def test_after_power_off_the_bms_takes_no_more():
    heavy = stored(SETUP, Rest(30.0, 5.0, standby_w=30.0))
    off, damage = heavy.days_to("power-off"), heavy.days_to("damage")
    assert off is not None
    assert damage is None or damage > off + 10


def test_switched_off_lasts_longest_and_it_is_told_what_to_do():
    on, off = stored(SETUP, Rest(55.0, 15.0, 5.0)), stored(SETUP, Rest(55.0, 15.0))
    assert (off.days_to("trip") or 1e9) > 3 * (on.days_to("trip") or 0)
    told = " ".join(w for _, w in storage_words(on, Rest(55.0, 15.0, 5.0)))
    assert "switch off" in told
    full = [w for _, w in storage_words(on, Rest(98.0, 15.0))]
    assert any("Store at 50 to 60 %" in w for w in full)


@given(soc=st.floats(0, 100), air=st.floats(-40, 60), watts=st.floats(0, 5000),
       behind=st.floats(0, 300), drift=st.floats(0, 5),
       chemistry_id=st.sampled_from(["lfp", "nmc", "lto"]))  # fmt: skip
def test_whatever_is_put_away_something_is_told(soc, air, watts, behind, drift, chemistry_id):
    setup = new_setup(chemistry_id, 8, 100.0)
    rest = Rest(soc, air, watts, behind, drift)
    found = stored(setup, rest)
    assert len(found.mean_pct) == len(found.lowest_pct)
    assert storage_words(found, rest)


# the walk


ALL = [(walk, fault) for walk in walks(SETUP) for fault in walk.faults]


def walked(walk, truth, noise=None):
    """The readings that are asked for one after another, with the true fault's values."""
    readings: dict[str, float] = {}
    while True:
        found = stand(walk, readings)
        if found.ask is None:
            return readings, found
        reads = walk.reads(truth, found.ask.id)
        off = noise.gauss(0.0, 0.3 * reads.around) if noise else 0.0
        readings[found.ask.id] = reads.value + off


def shortest(walk, truth):
    """The fewest readings of any that make it sure: all subsets are tried."""
    values = {p.id: walk.reads(truth, p.id).value for p in walk.probes}
    for count in range(len(values) + 1):
        for chosen in combinations(values, count):
            if stand(walk, {p: values[p] for p in chosen}).found is truth:
                return count
    raise AssertionError(f"{truth.id} cannot be told at all")


@pytest.mark.parametrize(("walk", "fault"), ALL, ids=[f"{w.id} {f.id}" for w, f in ALL])
def test_each_hidden_fault_is_found(walk, fault):
    readings, found = walked(walk, fault)
    assert found.found is fault
    assert len(readings) <= 2 * shortest(walk, fault) + 1


def test_the_walks_take_no_more_than_twice_the_shortest_way():
    took = [len(walked(w, f)[0]) for w, f in ALL]
    least = [shortest(w, f) for w, f in ALL]
    assert len(ALL) >= 30
    assert sum(took) <= 2 * sum(least)


@pytest.mark.parametrize("setup", [new_setup("lfp", 4, 100.0), new_setup("nmc", 14, 50.0, 3),
                                   new_setup("lto", 20, 40.0)])  # fmt: skip
def test_at_other_banks_with_a_meter_that_is_off_they_are_found_too(setup):
    noise, right, total = random.Random(4), 0, 0
    for walk in walks(setup):
        for fault in walk.faults:
            _, found = walked(walk, fault, noise)
            right += found.likely[0][0] is fault
            total += 1
    assert right >= 0.93 * total


def test_readings_that_fit_nothing_are_told_as_strange_and_name_nobody():
    walk = walks(SETUP)[0]
    found = stand(walk, {"stack": 52.5, "terminals": 21.0})
    assert found.strange
    assert found.found is None
    assert "fits none" in stand_words(found, 2)[1]


def test_one_slip_does_not_hide_the_fault_for_ever():
    walk = walks(SETUP)[0]
    fuse = next(f for f in walk.faults if f.id == "main-fuse")
    readings = {p.id: walk.reads(fuse, p.id).value for p in walk.probes}
    readings["stack"] = 0.0  # the probe slipped
    assert stand(walk, readings).likely[0][0] is fuse


def test_every_probe_says_what_to_expect_and_live_ones_what_to_heed():
    for walk in walks(SETUP):
        for probe in walk.probes:
            assert expects_words(walk, probe.id).endswith("where nothing is wrong")
            if "terminals" in probe.id or probe.id in ("stack", "array", "lugs"):
                assert probe.caution
        for fault in walk.faults:
            assert set(fault.reads) <= set(walk.normal)
            assert fault.cure
        assert sum(f.prior for f in walk.faults) == pytest.approx(1.0, abs=0.06)


def test_a_walk_is_noted_with_its_readings():
    walk = walks(SETUP)[0]
    note = walk_note(walk, {"stack": 52.8}, stand(walk, {"stack": 52.8}))
    assert note.startswith("The inverter or loads get nothing: ")
    assert "stack 52.8 V" in note


# trips, story, follow-up


def counters(**counts):
    return Counters(counts={Trip[k.upper()]: v for k, v in counts.items()})


def test_only_what_grew_is_told_with_what_happened_near_it():
    readings = [(0.0, counters(cell_high=2, short_circuit=1)),
                (60 * DAY_S, counters(cell_high=5, short_circuit=1))]  # fmt: skip
    found = growths(readings, [(30 * DAY_S, "absorption longer"), (300 * DAY_S, "later")])
    assert [(g.trip, g.by, g.near) for g in found] == [(Trip.CELL_HIGH, 3, ("absorption longer",))]
    assert "3 times in the 9 weeks" in growth_words(found[0], UTC)


def test_a_counter_that_fell_was_reset_and_counts_from_nothing():
    found = growths([(0.0, counters(cell_low=9)), (DAY_S, counters(cell_low=2))])
    assert [(g.trip, g.by) for g in found] == [(Trip.CELL_LOW, 2)]


def test_counters_come_back_and_nonsense_does_not():
    note = counters(pack_low=3).model_dump_json()
    found = kept([(2.0, 1, KIND, note), (1.0, 1, KIND, "{"), (3.0, 2, KIND, note)], 1)
    assert found == [(2.0, counters(pack_low=3))]
    assert words(note) == "trip counters: pack under-voltage 3"
    assert words("{") == "{"


def test_the_story_tells_what_came_and_what_went_newest_first():
    case = {"findings": [{"cause": "self_discharge", "cells": [6], "summary": "Cell 6 loses."}]}
    told = story(
        diagnoses("North", [(1.0, case), (2.0, case), (5.0, {"findings": []})]),
        events([(3.0, "", "note", "bars retorqued"), (4.0, "", "link-loss", "plug pulled")]),
        logs([("North", "a.csv", 0.5, 1200, 0.0, 10 * DAY_S)]),
    )
    assert [e.time_s for e in told] == sorted((e.time_s for e in told), reverse=True)
    assert [e.text for e in told if e.kind == Kind.FOUND] == [
        "no longer seen: Cell 6 loses.", "nothing stands out any more", "Cell 6 loses."
    ]  # fmt: skip
    assert [e.kind for e in told if e.text == "plug pulled"] == [Kind.PROOF]
    assert [e.text for e in searched(told, "NORTH a.csv")] == [
        "log a.csv read: 1,200 rows, 10 days"
    ]
    assert searched(told, "nowhere") == []


def test_a_case_is_judged_when_enough_was_recorded_after_what_was_done():
    case = [(1.0, {"findings": [{"cause": "loose_joint", "cells": [3], "summary": "Joint."}]})]
    key = [("loose_joint", (3,))]
    done = [(10 * DAY_S, "retorqued")]

    def outcome(present, last_days, full=()):
        return cases(case, done, present, list(full), last_days * DAY_S)[0].outcome

    few = [(12.0 + i) * DAY_S for i in range(3)]
    assert outcome([], 12) == Outcome.NOT_YET
    assert outcome([], 30) == Outcome.NOT_YET  # no full charge since: nothing can be told
    assert outcome([], 30, few) == Outcome.SOLVED
    assert outcome(key, 30, few) == Outcome.NOT_SOLVED
    assert cases(case, done, [], few, 30 * DAY_S, judged=False)[0].outcome == Outcome.NOT_YET
    assert outcome(key, 12) == Outcome.NOT_YET
    assert outcome([], 13, [(10.1 + 0.1 * i) * DAY_S for i in range(12)]) == Outcome.SOLVED
    assert cases(case, [], [], few, 30 * DAY_S)[0].outcome == Outcome.GONE


def test_the_report_says_nothing_that_is_not_there_and_lets_no_markup_in():
    when = datetime(2026, 11, 27, tzinfo=UTC)
    setup = put(SETUP, {"name": "<b>Hut</b>"})
    html = year_html(setup, "16 cells", [], [Entry(NOW, Kind.DONE, "<script>x", "A")], [], [], when)
    assert "<script>" not in html
    assert "&lt;b&gt;Hut" in html
    assert "no log" in html


@pytest.mark.parametrize(
    "document",
    [{}, {"findings": 3}, {"findings": [3, None, {"cause": "x"}]},
     {"findings": [{"cause": 1, "cells": "all", "summary": None}]}],
)  # fmt: skip
def test_a_strangers_diagnosis_is_passed_over_where_it_cannot_be_read(document):
    assert diagnoses("A", [(1.0, document)]) == []
    assert cases([(1.0, document)], [], [], [], 2.0) == []


def test_a_strangers_counters_are_bounded():
    assert words('{"counts": {"short circuit": 1' + "0" * 400 + "}}").startswith("{")
    assert words('{"counts": {"short circuit": -1}}').startswith("{")


# practice


@given(seed=st.integers(1, 999_999), level=st.sampled_from(list(Level)))
def test_a_case_is_the_same_for_two_people_and_can_be_solved(seed, level):
    one, two = make_case(SETUP, seed, level), make_case(SETUP, seed, level)
    assert (one.walk.id, one.hidden.id) == (two.walk.id, two.hidden.id)
    readings = [one.read(p.id) for p in one.walk.probes]
    assert readings == [two.read(p.id) for p in two.walk.probes]
    score = judge(one, readings, Named(one.hidden.id, cure=one.hidden.cure))
    assert score.right
    assert score.right_cure
    assert one.hidden.cure in cures(one)
    assert len(score.told) == len(readings)
    assert sum(bits for _, bits in score.told) <= 8.0
    assert {p.id for p in score.forgotten} == {p.id for p in one.walk.probes if p.caution}
    assert score_words(score)


def test_hard_cases_hide_what_easy_ones_do_not():
    def rare(level):
        cases_ = [make_case(SETUP, seed, level) for seed in range(400)]
        return sum(c.hidden.prior < 0.1 for c in cases_)

    assert rare(Level.EASY) < rare(Level.USUAL) < rare(Level.HARD)


def test_what_readings_told_adds_up_to_what_is_known_in_the_end():
    case = make_case(SETUP, 11, Level.EASY)
    taken = [case.read(p.id) for p in case.walk.probes[:3]]
    score = judge(case, taken, Named(""))
    assert not score.right
    assert not score.right_cure
    readings = {t.probe: t.values[0] for t in taken}
    end = next(s for f, s in stand(case.walk, readings).likely if f is case.hidden)
    start = next(s for f, s in stand(case.walk, {}).likely if f is case.hidden)
    assert start * 2.0 ** sum(b for _, b in score.told) == pytest.approx(end)


# life


def test_the_graphite_stands_where_the_model_says_at_half_charge():
    """Two numbers of the paper that must agree: the curve at half charge, and its reference."""
    assert ageing.graphite_v(50.0) == pytest.approx(ageing.HALF_V, abs=1e-3)


def test_time_alone_goes_with_its_root_and_doubles_by_warmth_as_arrhenius_says():
    from math import exp, sqrt

    rest = ageing.Life(50.0, 25.0, 0.0)
    year = ageing.lost_pct(rest, 1.0)
    assert year == pytest.approx(100 * 3.694e-4 * sqrt(8766.0), rel=5e-3)
    assert ageing.lost_pct(rest, 9.0) == pytest.approx(3.0 * year)
    warm = ageing.lost_pct(replace(rest, cell_c=45.0), 1.0)
    assert warm / year == pytest.approx(exp(20592 / 8.314462618 * (1 / 298.15 - 1 / 318.15)))


@given(
    soc=st.floats(5, 95), cell_c=st.floats(0, 50), cycles=st.floats(0, 3), rate=st.floats(0.05, 1)
)
def test_more_charge_more_warmth_more_use_never_make_it_live_longer(soc, cell_c, cycles, rate):
    life = ageing.Life(soc, max(20.0, cell_c), cycles, rate)
    years = ageing.years_until(life)
    assert ageing.years_until(replace(life, soc_pct=soc + 5)) <= years + 1e-6
    assert ageing.years_until(replace(life, cycles_a_day=cycles + 0.2)) <= years + 1e-6
    if rate <= 0.2:  # charged fast, a cool cell may lose more than a warmer one
        warmer = replace(life, cell_c=life.cell_c + 5)
        assert ageing.lost_pct(warmer, 5) >= ageing.lost_pct(life, 5) - 1e-9
    assert life_rows(ageing.ways(life))[0]


def test_charging_fast_in_the_cold_costs_most_by_throughput():
    slow = ageing.shares_pct(ageing.Life(60, 2, 1, 0.1), 1)[1]
    fast = ageing.shares_pct(ageing.Life(60, 2, 1, 1.0), 1)[1]
    assert fast > 2 * slow


def test_a_use_is_read_from_its_log():
    import numpy as np

    from tests.builders import charge_log

    setup = new_setup("lfp", 8, 100.0)
    log = charge_log(setup, np.zeros(8), charges=6, interval_s=60.0, depth_pct=40.0)
    full = [c for c in find_charges(log, setup) if c.full]
    found = ageing.life_of(log, setup, full)
    assert 60 < found.soc_pct < 100
    into = np.maximum(np.diff(log.charge_ah), 0).sum() / 100.0 / (log.steps_s.sum() / 86400.0)
    assert found.cycles_a_day == pytest.approx(into, abs=2e-3)
