"""Sense leads, matching, joining, capacity tests, first power: the pack as it is put together."""

import json
import random
from dataclasses import replace
from itertools import combinations

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from scipy.integrate import solve_ivp

from nipper.core.assembly.capacity import CapacityResult, capacity_tests, kept, parse_result, plan
from nipper.core.assembly.cells import CellEntry, match, strays
from nipper.core.assembly.firstbalance import first_balance
from nipper.core.assembly.isolation import sources
from nipper.core.assembly.joining import Joined, joining
from nipper.core.assembly.measured import measured_shares
from nipper.core.assembly.notes import BuildNotes, parse_notes
from nipper.core.assembly.parts import all_pack_parts, bank_parts
from nipper.core.assembly.taps import Fault, expected_v, tap_test
from nipper.core.chemistry import chemistry
from nipper.core.chemistry.cell import cell_resistance_ohm
from nipper.core.logs.charges import find_charges
from nipper.core.presets import new_setup
from nipper.core.report.assembly import (
    agree_words,
    capacity_words,
    joining_words,
    since_words,
    soc_words,
    steps,
    tap_verdict,
    tap_words,
    unused_words,
)
from nipper.core.report.build import build_sentence, of_build
from nipper.core.report.cells import entry, judged, matched_words
from nipper.core.report.check import built
from nipper.core.report.current import carried_rows, fuse_rows, share_rows, way_rows
from nipper.core.report.parts import part_words
from nipper.core.setup import pack_setups, put
from nipper.core.wiring.currents import long_a
from nipper.core.wiring.sharing import lead_ohm
from tests.builders import charge_log

SETUP = new_setup("lfp", 16, 280.0)


# sense leads


def string(cells=16, cell_v=3.29, spread_v=0.01, seed=3):
    """What a meter reads at taps 1 to N of a sound string."""
    own = random.Random(seed)
    return list(np.cumsum([cell_v + own.uniform(-spread_v, spread_v) for _ in range(cells)]))


@given(
    cells=st.integers(4, 24),
    chemistry_id=st.sampled_from(["lfp", "nmc", "lto"]),
    soc=st.floats(3.0, 99.0),
    seed=st.integers(0, 1000),
    known=st.booleans(),
)
def test_leads_in_order_are_safe_at_any_charge(cells, chemistry_id, soc, seed, known):
    setup = new_setup(chemistry_id, cells, 100.0)
    cell_v = float(chemistry(chemistry_id).curve.ocv(soc))
    row = string(cells, cell_v, 0.003, seed)
    found = tap_test(setup, row, row[-1] if known else None)
    assert found.safe
    assert found.faults == ()


@given(
    cells=st.integers(4, 24),
    fault=st.sampled_from(["swap", "open", "twice", "skip", "turn"]),
    where=st.integers(0, 10_000),
    seed=st.integers(0, 1000),
    terminals=st.booleans(),
)
def test_no_wrong_lead_is_ever_called_safe(cells, fault, where, seed, terminals):
    """The claim that could hurt somebody."""
    setup = new_setup("lfp", cells, 100.0)
    row = string(cells, 3.29, 0.02, seed)
    pack_v = row[-1] if terminals else None
    at = where % (cells - 1)
    if fault == "swap":
        other = (at + 1 + where // cells % (cells - 1)) % cells
        assume(at != other)
        row[at], row[other] = row[other], row[at]
    elif fault == "open":
        row[at] = 0.01
    elif fault == "twice":
        row[at + 1 :] = row[at:-1]
    elif fault == "skip":
        row[at:] = [*row[at + 1 :], row[-1]]
    else:
        row = [row[-1] - v for v in row]
    found = tap_test(setup, row, pack_v)
    assert not found.safe
    assert tap_verdict(found)[0] == "act"


@pytest.mark.parametrize(
    ("change", "kind", "leads"),
    [
        (lambda r: [*r[:4], r[5], r[4], *r[6:]], Fault.SWAPPED, (5, 6)),
        (lambda r: [*r[:4], r[11], *r[5:11], r[4], *r[12:]], Fault.SWAPPED, (5, 12)),
        (lambda r: [*r[:7], 0.02, *r[8:]], Fault.OPEN, (8,)),
        (lambda r: [*r[:7], 24.8, *r[8:]], Fault.BETWEEN, (8,)),
        (lambda r: [*r[:4], r[3], *r[4:15]], Fault.TWICE, (5,)),
        (lambda r: [*r[:4], *r[5:], r[15]], Fault.SKIPPED, (5,)),
        (lambda r: [r[15] - v for v in r], Fault.REVERSED_ORDER, tuple(range(1, 17))),
        (lambda r: [-v for v in r], Fault.PROBES, ()),
        (lambda r: [*r[:6], *(v - 6.58 for v in r[6:])], Fault.REVERSED_CELL, (7,)),
        (lambda r: [*r[:6], *(v - 0.35 for v in r[6:])], Fault.UNLIKE_CELL, (7,)),
        (lambda r: [*r[:8], -r[8], *r[9:]], Fault.PROBES, (9,)),
        (lambda r: [r[1], *r[1:]], Fault.TWICE, (1,)),
    ],
)
def test_each_fault_is_named_at_its_lead(change, kind, leads):
    found = tap_test(SETUP, change(string()))
    assert (found.faults[0].kind, found.faults[0].leads) == (kind, leads)
    assert len(tap_words(found.faults[0], SETUP)) > 20


@pytest.mark.parametrize("cell_v", [2.0, 3.9])
def test_cells_outside_their_sheet_are_told_though_the_leads_are_in_order(cell_v):
    found = tap_test(SETUP, string(cell_v=cell_v))
    assert [f.kind for f in found.faults] == [Fault.OUTSIDE]
    assert not found.safe
    assert tap_verdict(found)[0] == "act"


def test_terminals_that_do_not_fit_the_leads_are_told():
    found = tap_test(SETUP, string(), pack_v=49.3)
    assert [f.kind for f in found.faults] == [Fault.TERMINALS]
    assert not found.safe


def test_what_is_not_read_is_not_safe():
    row: list[float | None] = [*string()[:9], None, *string()[10:]]
    found = tap_test(SETUP, row)
    assert (found.faults, found.safe, found.read) == ((), False, 15)
    assert not tap_test(SETUP, []).safe
    assert tap_verdict(tap_test(SETUP, []))[1].endswith("stays out.")


def test_the_voltage_across_an_input_is_told():
    row = string()
    row[8] = 0.02
    assert "32.9 V would stand across one input" in tap_verdict(tap_test(SETUP, row))[1]


def test_expected_voltages_are_whole_steps_of_the_terminals():
    assert expected_v(SETUP, 52.8) == pytest.approx([3.3 * i for i in range(1, 17)])


def test_unused_positions_are_only_told_of_a_larger_bms():
    assert unused_words(16, 16) == ""
    assert "positions 16 to 24".capitalize() in unused_words(15, 24)


# cells


def cells_of(*ah):
    return [CellEntry(capacity_ah=a) for a in ah]


def test_the_best_cells_are_chosen_and_the_smallest_left_over():
    found = match(put(SETUP, {"cells_in_series": 4}), cells_of(100, 98, 103, 101, 95, 102))
    assert found is not None
    assert found.spare == (2, 5)
    assert found.pack_ah == 100
    middle = {found.groups[1][0], found.groups[2][0]}
    assert middle == {3, 6}  # the strongest stand in the middle


@given(
    ah=st.lists(st.floats(2.0, 5.0), min_size=8, max_size=8),
)
def test_pairs_are_as_even_as_the_best_of_all_ways(ah):
    """Eight cells as four pairs: against every way there is."""
    setup = put(SETUP, {"cells_in_series": 4, "cells_in_parallel": 2})
    found = match(setup, cells_of(*ah))
    assert found is not None
    best = max(min(ah[a] + ah[b] for a, b in way) for way in pairings(tuple(range(8))))
    assert found.pack_ah >= best - 0.02 * max(ah)
    assert sorted(c for g in found.groups for c in g) == list(range(1, 9))


def pairings(left):
    if not left:
        yield ()
        return
    first, rest = left[0], left[1:]
    for other in rest:
        for more in pairings(tuple(c for c in rest if c != other)):
            yield ((first, other), *more)


def test_matching_needs_every_capacity():
    setup = put(SETUP, {"cells_in_series": 4})
    cells = [*cells_of(100, 101, 102), CellEntry()]
    assert match(setup, cells) is None
    assert matched_words(None, setup, cells).startswith("3 of 4")


def test_loose_cells_by_the_hundred_come_out_even():
    own = random.Random(7)
    setup = put(new_setup("nmc", 14, 50.0), {"cells_in_parallel": 10})
    found = match(setup, cells_of(*(own.gauss(5.0, 0.15) for _ in range(140))))
    assert found is not None
    assert found.spread_pct < 0.3
    assert found.pack_ah > found.as_they_lie_ah


def test_a_stray_cell_is_named_with_the_median():
    cells = [CellEntry(capacity_ah=230.0, rest_v=3.295, resistance_mohm=0.2) for _ in range(8)]
    cells[2] = CellEntry(capacity_ah=221.0, rest_v=3.262, resistance_mohm=0.31)
    found = strays(cells)
    assert {(s.cell, s.quantity) for s in found} == {
        (3, "capacity_ah"), (3, "rest_v"), (3, "resistance_mohm")
    }  # fmt: skip
    assert judged(cells)[0] == "watch"
    mixed = [*cells[:2], *(c.model_copy(update={"made": "old"}) for c in cells[3:])]
    mixed[0] = mixed[0].model_copy(update={"made": "new"})
    assert judged(mixed)[1].startswith("2 makes")


def test_a_line_of_the_table_is_read_with_units_and_wrong_words_are_told():
    made, wrong = entry(["A1", "lot 7", "230", "3290 mV", "zero"])
    assert (made.capacity_ah, made.rest_v, made.resistance_mohm) == (230.0, 3.29, None)
    assert list(wrong) == [4]
    assert entry(["", "", "-5", "", ""])[1]


# joining


def test_the_first_current_is_the_difference_over_both_ways():
    """By hand: two packs, their ohmic cells, joints of a milliohm, and both leads."""
    two = new_setup("lfp", 16, 280.0, 2)
    pack = pack_setups(two)[0]
    found = joining([Joined(pack, 53.0), Joined(pack, 52.6)])
    copper = 2.0 * (1.0 / 58.0) * 1.5 / (pack.wiring.cable_mm2 if pack.wiring else 1.0)
    each = 16 * 0.55 * cell_resistance_ohm(pack) + 1e-3 + copper
    assert found.first_a == pytest.approx(0.4 / (2 * each), rel=1e-6)
    assert found.packs_a[0] == pytest.approx(-found.packs_a[1])
    assert found.allowed_v == pytest.approx(0.5 * 140.0 * 2 * each, rel=1e-6)


def test_what_moves_agrees_with_an_outside_solver():
    """SciPy's solve_ivp on the same circuit: two curves behind one resistance."""
    two = new_setup("nmc", 14, 100.0, 2)
    pack = pack_setups(two)[0]
    curve = chemistry("nmc").curve
    rests = [14 * float(curve.ocv(s)) for s in (80.0, 60.0)]
    found = joining([Joined(pack, v) for v in rests])
    ohm = 2 * (14 * cell_resistance_ohm(pack) + lead_ohm(pack))

    def both(_t, soc):
        amps = 14 * (float(curve.ocv(soc[0])) - float(curve.ocv(soc[1]))) / ohm
        return [-amps / 36.0 / 100.0, amps / 36.0 / 100.0]

    assert found.hours is not None
    end = solve_ivp(both, (0, found.hours * 3600), [80.0, 60.0], max_step=30.0).y[:, -1]
    assert found.moved_ah == pytest.approx(80.0 - end[0], abs=0.3)
    assert found.moved_ah == pytest.approx(10.0, abs=1.0)  # half of the difference


def test_packs_far_apart_are_not_joined_and_near_ones_are():
    pack = pack_setups(new_setup("lfp", 16, 280.0, 2))[0]
    far = joining([Joined(pack, 54.4), Joined(pack, 52.0)])
    assert far.fine is False
    assert joining_words(far, ["A", "B"])[1].startswith("Do not join yet")
    near = joining([Joined(pack, 53.0), Joined(pack, 52.95)])
    assert near.fine is True
    assert joining_words(near, ["A", "B"])[0] == "ok"


def test_volts_that_cannot_tell_are_no_promise_that_nothing_moves():
    """Equal volts on the flat: thirty per cent may lie between the packs."""
    pack = pack_setups(new_setup("lfp", 16, 280.0, 2))[0]
    found = joining([Joined(pack, 53.1), Joined(pack, 53.1)])
    assert "cannot be told" in agree_words(found)
    top = joining([Joined(pack, 54.4), Joined(pack, 54.38)])
    assert "cannot be told" not in agree_words(top)


def test_counters_tell_what_volts_cannot_and_a_lost_one_is_found():
    pack = pack_setups(new_setup("lfp", 16, 280.0, 2))[0]
    found = joining([Joined(pack, 53.1, 90.0), Joined(pack, 53.0, 70.0)])
    assert found.counted
    assert 10.0 < found.moved_ah <= 28.5  # half the difference, less what the flat leaves
    lost = joining([Joined(pack, 53.1, 5.0), Joined(pack, 53.0, 70.0)])
    assert lost.astray == (0,)
    assert "lost its reference" in agree_words(lost)


@pytest.mark.parametrize("rest_v", [36.0, 60.0])
def test_a_pack_outside_its_sheet_is_never_joined(rest_v):
    """However little would flow: a pack that was drained flat is a danger of its own."""
    pack = pack_setups(new_setup("lfp", 16, 280.0, 2))[0]
    found = joining([Joined(pack, rest_v), Joined(pack, rest_v)])
    assert found.fine is False
    assert "do not join" in joining_words(found, ["A", "B"])[1]


def test_the_flat_of_the_curve_is_not_taken_for_knowledge():
    pack = pack_setups(new_setup("lfp", 16, 280.0, 2))[0]
    found = joining([Joined(pack, 53.1), Joined(pack, 53.1)])
    low, high = found.soc_pct[0]
    assert high - low > 15.0
    assert "volts cannot tell" in soc_words(found.soc_pct[0])


def test_without_any_limit_nothing_is_called_fine():
    bare = put(
        new_setup("lfp", 16, 280.0, 2),
        {"wiring": {}, "cell": {}, "protection.charge_over_current": None,
         "protection.discharge_over_current": None},
    )  # fmt: skip
    found = joining([Joined(bare, 53.0), Joined(bare, 52.9)])
    assert found.fine is None
    assert joining_words(found, ["A", "B"])[0] == "watch"


# capacity


def discharge_log(end_v=2.85):
    """A full charge, then a steady discharge to the first empty cell; cell 5 holds least."""
    setup = new_setup("lfp", 8, 100.0)
    made = charge_log(setup, np.zeros(8), charges=2, interval_s=60.0, hold_min=60.0)
    log = made.select(slice(0, find_charges(made, setup)[-1].stop))
    curve, amps, step_h = chemistry("lfp").curve, 20.0, 1.0 / 60.0
    ah = np.full(8, 100.0)
    ah[4] = 91.0
    drawn = np.arange(0.0, 120.0, amps * step_h)
    soc = 100.0 * (1.0 - drawn[:, None] / ah[None, :])
    volts = curve.ocv(np.clip(soc, 0.0, 100.0)) - amps * cell_resistance_ohm(setup)
    stop = int(np.flatnonzero(volts.min(axis=1) <= end_v)[0]) + 1
    times = log.time_s[-1] + 60.0 * np.arange(1, stop + 1)
    grown = replace(
        log,
        time_s=np.concatenate([log.time_s, times]),
        current_a=np.concatenate([log.current_a, np.full(stop, -amps)]),
        pack_v=np.concatenate([log.pack_v, volts[:stop].sum(axis=1)]),
        cell_v=np.concatenate([log.cell_v, volts[:stop].astype(np.float32)]),
        temp_c=np.zeros((log.rows + stop, 0), np.float32),
        soc_pct=None,
        balancing=None,
    )
    return grown, setup, float(drawn[stop - 1])


def in_log(log, setup):
    return capacity_tests(log, setup, [c for c in find_charges(log, setup) if c.full])


def test_a_capacity_test_in_a_log_is_found_with_the_cell_that_ended_it():
    log, setup, drawn_ah = discharge_log()
    found = in_log(log, setup)
    assert len(found) == 1
    _, result = found[0]
    assert result.ah == pytest.approx(drawn_ah, rel=0.02)
    assert result.cell == 5
    assert result.amps == pytest.approx(20.0)
    assert result.temp_c is None
    assert f"{result.ah:.1f} Ah" in capacity_words(result)
    left = [ah for i, ah in enumerate(result.left_ah) if i != 4 and ah is not None]
    assert all(ah == pytest.approx(9.0, abs=4.0) for ah in left)


def test_a_discharge_that_was_charged_in_between_is_no_test():
    log, setup, _ = discharge_log()
    amps = log.current_a.copy()
    amps[-120:-100] = 40.0
    assert in_log(replace(log, current_a=amps), setup) == []


def test_a_discharge_with_a_hole_is_no_test():
    log, setup, _ = discharge_log()
    times = log.time_s.copy()
    times[-60:] += 4 * 3600.0
    assert in_log(replace(log, time_s=times), setup) == []


def test_a_log_that_never_came_to_the_end_holds_no_test():
    log, setup, _ = discharge_log(end_v=3.1)
    assert in_log(log, setup) == []


def test_results_are_kept_as_values_and_compared_over_the_years():
    one = CapacityResult(ah=231.0, cell=6, temp_c=21.0, label_ah=230.0)
    two = CapacityResult(ah=226.4, cell=6, temp_c=9.0, label_ah=230.0)
    year = 365.25 * 86400.0
    notes = [(0.0, 1, "capacity-test", one.model_dump_json()),
             (year, 1, "capacity-test", two.model_dump_json()),
             (year, 2, "capacity-test", two.model_dump_json()),
             (year, 1, "capacity-test", "nonsense")]  # fmt: skip
    found = kept(notes, 1)
    assert [r for _, r in found] == [one, two]
    words = since_words(found)
    assert words.startswith("−2.0 % since the test before, −2.0 % a year")
    assert "cell 6 ended both" in words
    assert "temperatures differ" in words
    assert parse_result("{}") is None
    same_day = [(year, 1, "capacity-test", r.model_dump_json()) for r in (one, two)]
    assert [r for _, r in kept(same_day, 1)] == [one, two]


def test_the_plan_stays_under_sheet_and_trip():
    gentle = plan(put(SETUP, {"protection.discharge_over_current.trip_a": 50.0}))
    assert gentle.amps <= 40.0
    assert plan(SETUP, 1e6).amps == plan(SETUP).amps
    assert plan(SETUP).end_v >= SETUP.protection.cell_under_voltage.trip_v


# the rest


def test_shares_by_the_logs_are_those_of_the_currents():
    setup = new_setup("lfp", 8, 100.0)
    one = charge_log(setup, np.zeros(8), charges=3, interval_s=60.0)
    half = replace(one, current_a=0.5 * one.current_a)
    found = measured_shares([one, half], [100.0, 100.0])
    assert found == pytest.approx((2 / 3, 1 / 3), abs=1e-6)
    later = replace(one, time_s=one.time_s + 1e8)
    assert measured_shares([one, later], [100.0, 100.0]) is None


def test_the_first_balance_is_charge_over_current(make_setup):
    found = first_balance(make_setup(), 10.0, 40.0)
    assert found.all_ah == pytest.approx(16 * 280 * 0.6)
    assert found.all_h == pytest.approx(found.all_ah / 10.0, abs=2.0)
    assert found.supply_v < chemistry("lfp").max_v
    assert found.by_series_h < 0.2 * found.all_h
    narrow = first_balance(make_setup(cell__max_v=3.55))
    assert narrow.supply_v == pytest.approx(3.50)


def test_a_charger_past_the_switch_is_told_in_the_table():
    setup = put(SETUP, {"charging.joins": "at_battery"})
    by = {s.name: s for s in sources(setup)}
    assert by["main charger"].by_switch is False
    assert "goes on feeding" in by["main charger"].stays_live
    assert {s.name: s for s in sources(SETUP)}["main charger"].by_switch is None


def test_every_part_has_a_place_of_its_own():
    setup = new_setup("lfp", 16, 280.0, 3)
    parts = [*bank_parts(setup), *(p for own in all_pack_parts(setup) for p in own)]
    places = [p.place for p in parts]
    assert len(places) == len(set(places))
    assert sum(p.kind == "cell" for p in parts) == 48
    assert sum(p.kind == "bar" for p in parts) == 45


def test_notes_come_back_and_foreign_ones_are_empty():
    notes = BuildNotes()
    notes.pack(1).taps_v = [3.3, None]
    notes.words["switch"] = "red one"
    again = parse_notes(notes.model_dump_json())
    assert again.pack(1).taps_v == [3.3, None]
    assert again.words == {"switch": "red one"}
    for text in (
        None,
        "{",
        "[]",
        '{"packs": 3}',
        json.dumps({"torques": {"a": {"nm": -1}}}),
        '{"packs": {"0": {"taps_v": [1e308]}}}',
        json.dumps({"torques": {"a": {"nm": 5, "at_s": 1e300}}}),
    ):
        assert parse_notes(text) == BuildNotes()


def test_the_sentence_says_what_there_is_and_where_it_is_weak(make_setup):
    setup = put(make_setup(), {"packs_in_parallel": 2, "wiring.main_fuse_a": 100.0})
    assert build_sentence(setup)[1] == (
        "16 × 280 Ah LFP, 2 packs · 28.7 kWh · main fuse is the weak link at 100 A"
    )


def test_shares_that_differ_from_the_expected_are_to_be_looked_at():
    two = new_setup("lfp", 16, 280.0, 2)
    told = [c for c in of_build(two, 100.0, (0.68, 0.32)) if c.lead.startswith("Shares")]
    assert told[0].status == "watch"
    assert "Pack B carries less" in told[0].text


def test_the_steps_know_the_sense_leads(make_setup):
    setup = make_setup()
    balance = first_balance(setup)
    right = tap_test(setup, string())
    by = {s.id: s for s in steps(setup, BuildNotes(), [right], {"taps": 2}, balance)}
    assert by["taps"].done
    assert by["taps"].page == 2
    wrong = tap_test(setup, [])
    by = {s.id: s for s in steps(setup, BuildNotes(), [wrong], {}, balance)}
    assert not by["taps"].done
    assert "fewer cells than usual" in by["entry"].text.replace("Fewer", "fewer") or by["entry"]


def test_any_two_unlike_leads_are_noticed():
    """Every pair of sixteen: none passes, and both are named."""
    for a, b in combinations(range(16), 2):
        row = string()
        row[a], row[b] = row[b], row[a]
        found = tap_test(SETUP, row)
        assert {a + 1, b + 1} <= {lead for f in found.faults for lead in f.leads}, (a, b)


PARTS = ("wiring", "charging", "balancer", "link", "usage", "solar", "protection.short_circuit",
         "protection.discharge_over_current", "protection.charge_over_current")  # fmt: skip


@given(
    chemistry_id=st.sampled_from(["lfp", "nmc", "lto"]),
    cells=st.integers(1, 40),
    packs=st.integers(1, 6),
    gone=st.sets(st.sampled_from(PARTS)),
    joined=st.sampled_from(["busbar", "same_end", "diagonal"]),
    bare=st.booleans(),
)
def test_whatever_is_left_out_everything_of_the_stage_is_told(
    chemistry_id, cells, packs, gone, joined, bare
):
    setup = put(new_setup(chemistry_id, cells, 100.0, packs), dict.fromkeys(gone))
    if "wiring" not in gone or bare:
        setup = put(setup, {"wiring": {"joined": joined}} if bare else {"wiring.joined": joined})
    amps = long_a(setup)[0]
    assert build_sentence(setup)[1]
    assert all(c.lead for c in of_build(setup, amps, None))
    for part in (*bank_parts(setup), *(p for own in all_pack_parts(setup) for p in own)):
        assert part.title
        assert all(part_words(part, setup, amps, None))
    rows = [*carried_rows(setup, 50.0), *fuse_rows(setup, 50.0), *share_rows(setup, None)]
    assert all(row.cells for row in (*rows, *way_rows(setup)))
    assert json.dumps(built(setup), allow_nan=False)
    assert all(s.name for s in sources(setup))
    assert first_balance(setup).all_h > 0
    assert plan(setup).hours > 0
