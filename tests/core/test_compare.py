"""Before and after, the swap test, packs in parallel, and when it will trip: each against what was
put into simulated packs.
"""

from dataclasses import replace
from types import SimpleNamespace

import numpy as np
import pytest

from nipper.core.chemistry import chemistry
from nipper.core.forecast.limits import highest_at_top, trip_forecast
from nipper.core.imbalance.compare import (
    Change,
    Compared,
    Happening,
    Recorded,
    before_after,
    compare_all,
)
from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.imbalance.drift import Drift
from nipper.core.imbalance.resistance import turn
from nipper.core.imbalance.sharing import _ways, sharing
from nipper.core.imbalance.snapshot import snapshot
from nipper.core.imbalance.states import LEVELLED, states
from nipper.core.imbalance.swap import KIND, Outcome, Swap, parse, swap_test
from nipper.core.logs.model import Log
from nipper.core.presets import new_setup
from nipper.core.report.compared import of_compared
from nipper.core.setup import put
from nipper.core.simulate.scenario import CellFault, Event, Loads, Scenario
from nipper.core.simulate.trial import run

DAYS, TURN = 40.0, 20.0
EVEN = {
    "spread_offset_pct": 0.1,
    "spread_leak_mah_per_day": 0.5,
    "weather": "clear",
    "step_s": 20.0,
    "start_soc_pct": 70.0,
}


@pytest.fixture(scope="module")
def setup():
    return put(new_setup("lfp", 8, 100.0, balancer="none"), {"charging.tail_a": None})


def judged(log, setup):
    return log, setup, diagnose(log, setup).estimate


def changed(log, setup, known, at):
    return before_after(Recorded(log, known, setup), states(known.drift, setup), at)


def exchanged(packs, at, what="bms"):
    return swap_test([(s, states(known.drift, s)) for _, s, known in packs], at, what)


def simulated(setup, before, after=(), seed=1, **more):
    """Cells differ in one way up to the turn, and in another after it."""
    plan = Scenario(
        days=DAYS,
        seed=seed,
        cells=list(before),
        events=[Event(day=TURN, cells=list(after))] if after else [],
        **{**EVEN, **more},
    )
    trial = run(setup, plan)
    return judged(trial.logs[0], setup), trial.start_s + TURN * 86400.0


def test_a_joint_that_was_retorqued_helped(setup):
    (log, _, known), at = simulated(
        setup, [CellFault(cell=5, joint_mohm=1.2)], [CellFault(cell=5, joint_mohm=0.0)]
    )
    first = next(c for c in changed(log, setup, known, at) if c.quantity == "resistance")
    assert first.cell == 5
    assert first.before == pytest.approx(1.2, rel=0.15)
    assert first.after == pytest.approx(0.0, abs=0.1)
    assert first.real
    assert first.helped


def test_a_joint_that_was_mended_is_told_as_mended_with_its_day_and_size(setup):
    (log, _, known), at = simulated(
        setup, [CellFault(cell=5, joint_mohm=1.2)], [CellFault(cell=5, joint_mohm=0.0)]
    )
    change = turn(known.resistances, 4)
    assert change.time_s == pytest.approx(at, abs=86400.0)
    assert 1e3 * change.before_ohm == pytest.approx(1.2, rel=0.1)
    assert change.left_ohm < 1e-4
    found = next(f for f in diagnose(log, setup).findings if f.cells == (5,))
    assert found.cause == "loose_joint"
    assert "was loose until" in found.summary
    assert found.value == pytest.approx(1.2, rel=0.15)
    assert not found.serious
    assert found.actions[0].startswith("Nothing now")


def test_a_joint_that_is_still_loose_is_told_as_loose(setup):
    """Loosened at the turn: what came last is what counts."""
    (log, _, known), _ = simulated(setup, [], [CellFault(cell=5, joint_mohm=1.2)])
    change = turn(known.resistances, 4)
    assert 1e3 * change.after_ohm == pytest.approx(1.2, rel=0.1)
    found = next(f for f in diagnose(log, setup).findings if f.cells == (5,))
    assert "is loose" in found.summary
    assert found.serious


def test_what_was_done_days_before_is_not_credited_to_the_event_after_it(setup):
    """A joint mended at the turn, and a note twelve days later: only the first changed anything."""
    pack, at = simulated(
        setup, [CellFault(cell=5, joint_mohm=1.2)], [CellFault(cell=5, joint_mohm=0.0)]
    )
    log, _, known = pack
    done = [Happening(at, None, "note", "mended"), Happening(at + 12 * 86400.0, None, "note", "-")]
    mended, later = (
        changes
        for _, changes in compare_all({1: Recorded(log, known, setup)}, done, setup).changes[1]
    )
    assert any(c.quantity == "resistance" and c.cell == 5 and c.helped for c in mended)
    assert not [c for c in later if c.real]


def test_a_leak_that_was_ended_helped(setup):
    (log, _, known), at = simulated(
        setup, [CellFault(cell=2, leak_mah_per_day=40.0)], [CellFault(cell=2)]
    )
    changes = changed(log, setup, known, at)
    cell = next(c for c in changes if c.quantity == "drift" and c.cell == 2)
    assert cell.before == pytest.approx(-40.0, abs=10.0)
    assert abs(cell.after) < 12.0
    assert cell.helped
    spread = next(c for c in changes if c.quantity == "spread")
    assert spread.after < spread.before


@pytest.mark.parametrize("seed", range(6))
def test_nothing_done_is_no_change(setup, seed):
    (log, _, known), at = simulated(setup, [CellFault(cell=2, leak_mah_per_day=25.0)], seed=seed)
    assert not [c for c in changed(log, setup, known, at) if c.real]


def test_a_side_that_holds_too_little_is_not_compared(setup):
    (log, _, known), _ = simulated(setup, [])
    assert not [
        c
        for c in changed(log, setup, known, float(log.time_s[0]) + 86400.0)
        if c.quantity != "resistance"
    ]


def test_chance_is_that_of_the_normal_distribution():
    """1.96 standard deviations: one in twenty; 2.58: one in a hundred (tables of the normal
    distribution).
    """
    from nipper.core.imbalance.compare import _chance

    assert _chance(1.959964, 1.0) == pytest.approx(0.05, abs=1e-6)
    assert _chance(-2.575829, 1.0) == pytest.approx(0.01, abs=1e-6)
    assert not Change("drift", 1, -5.0, -1.0, 3.0, "mAh/day", 0.2).real


DRAIN = [CellFault(cell=1, to_cell=3, leak_mah_per_day=45.0)]
GONE = [CellFault(cell=1, to_cell=3)]
LEAK = [CellFault(cell=6, leak_mah_per_day=45.0)]


@pytest.mark.parametrize("seed", range(4))
def test_a_pattern_that_goes_with_the_bms_is_told(setup, seed):
    """The drain sits in the BMS: after the exchange it feeds on the same cells of the other
    pack.
    """
    a, at = simulated(setup, DRAIN, GONE, seed=seed)
    b, _ = simulated(setup, [], DRAIN, seed=seed + 50)
    result = exchanged([a, b], at)
    assert result.verdict == "followed"
    assert result.confidence > 0.9


@pytest.mark.parametrize("seed", range(4))
def test_a_pattern_that_stays_with_the_cells_is_told(setup, seed):
    a, at = simulated(setup, LEAK, seed=seed)
    b, _ = simulated(setup, [], seed=seed + 50)
    result = exchanged([a, b], at)
    assert result.verdict == "stayed"
    assert "cell 6" in result.sentence
    assert result.confidence > 0.9


def test_two_even_packs_tell_nothing(setup):
    a, at = simulated(setup, [], seed=3)
    b, _ = simulated(setup, [], seed=4)
    result = exchanged([a, b], at)
    assert result.verdict == "undecided"
    assert "full charges" in result.record_next


def test_a_swap_without_enough_on_one_side_is_undecided(setup):
    a, _ = simulated(setup, LEAK)
    b, _ = simulated(setup, [], seed=4)
    assert exchanged([a, b], float(a[0].time_s[0]) + 2 * 86400.0).verdict == "undecided"


@pytest.mark.parametrize(("packs", "extra"), [(2, 4.0), (3, 2.5)])
def test_a_bad_lead_is_found_with_its_milliohms(packs, extra):
    bank = put(new_setup("lfp", 16, 100.0, packs, "none"), {"charging.max_charge_a": 60.0 * packs})
    plan = Scenario(
        days=4.0,
        weather="clear",
        pv_w=9000.0,
        leads_mohm=[0.0, extra],
        loads=Loads(evening_w=2500.0, kettle_w=3000.0),
        seed=2,
        spread_offset_pct=0.05,
    )
    trial = run(bank, plan)
    shared = sharing(trial.logs, bank)
    assert shared is not None
    assert shared.share.sum() == pytest.approx(1.0)
    assert shared.guilty == 1
    # against the mean of all: what one of n has more stands (n - 1)/n above the mean, and 1/n of it
    # below for the others
    assert shared.way_mohm[1] == pytest.approx(extra * (packs - 1) / packs, rel=0.2)
    assert shared.share[1] < shared.fair


def test_where_one_of_three_packs_has_no_log_no_way_is_blamed():
    """The third pack's bad lead was told as the second's, whose log is the missing one."""
    bank = put(new_setup("lfp", 16, 100.0, 3, "none"), {"charging.max_charge_a": 180.0})
    plan = Scenario(days=3.0, weather="clear", pv_w=9000.0, leads_mohm=[0.0, 0.0, 4.0], seed=2)
    logs = run(bank, plan).logs
    known = {i + 1: Recorded(log, diagnose(log, bank).estimate, bank) for i, log in enumerate(logs)}
    assert compare_all(known, [], bank).shared.guilty == 2
    del known[2]
    assert compare_all(known, [], bank).shared is None


def test_equal_packs_share_alike():
    bank = new_setup("lfp", 16, 100.0, 2, "none")
    trial = run(
        bank,
        Scenario(
            days=4.0,
            weather="clear",
            seed=5,
            pv_w=6000.0,
            spread_offset_pct=0.05,
            spread_capacity_pct=0.2,
        ),
    )
    shared = sharing(trial.logs, bank)
    assert shared is not None
    assert shared.unequal == []
    assert shared.guilty is None
    assert sharing(trial.logs[:1], bank) is None


@pytest.mark.parametrize("extra_mohm", [0.0, 0.3, 2.0])
def test_no_way_is_known_better_than_its_meters(extra_mohm):
    """Readings without noise, by Ohm's law: a way comes out as it was put in, and is as sure as two
    meters' gains allow, 2 % of it and 4 µΩ.
    """
    amps = np.column_stack([30.0 + 20.0 * np.sin(np.arange(200.0)), 25.0 + np.arange(200.0) / 10])
    bus_v = 52.0 + 1e-3 * amps.sum(axis=1)
    volts = bus_v[:, None] - 1e-3 * amps * np.array([1.0, 1.0 + extra_mohm])
    way, sd = _ways(amps, volts)
    assert way == pytest.approx([-extra_mohm / 2, extra_mohm / 2], abs=1e-3)
    assert sd == pytest.approx(0.02 * np.abs(way) + 0.004, abs=5e-4)


@pytest.mark.parametrize(("apart_s", "compared"), [(80.0, True), (100.0, False), (125.0, False)])
def test_rows_far_apart_in_time_are_no_moment_of_both(apart_s, compared):
    """A load goes on and off within minutes: shares are of one moment, or none."""
    bank = new_setup("lfp", 16, 100.0, 2, "none")
    rows = 100
    log = Log(
        time_s=1.7e9 + 300.0 * np.arange(rows),
        current_a=np.full(rows, -30.0),
        pack_v=np.full(rows, 52.0),
        cell_v=np.full((rows, 16), 3.25, np.float32),
        temp_c=np.full((rows, 1), 20.0, np.float32),
    )
    later = replace(log, time_s=log.time_s + apart_s)
    assert (sharing([log, later], bank) is not None) == compared


def test_the_highest_cell_under_a_held_sum():
    """By hand: equal cells stand at the target's mean; with one cell lower the others stand above
    it, and the sum is the target.
    """
    bank = put(new_setup("lfp", 8, 100.0), {"charging.absorption_v": 27.6})
    assert highest_at_top(np.zeros(8), bank)[0] == pytest.approx(3.45, abs=1e-4)
    offset = np.zeros(8)
    offset[3] = -1.5
    volts, _ = highest_at_top(offset, bank)
    curve = chemistry("lfp").curve
    low_v = float(curve.ocv(float(curve.soc(volts)) - 1.5))
    assert 7 * volts + low_v == pytest.approx(27.6, abs=0.002)


def test_the_day_of_the_trip_at_the_present_drift():
    """Four cells held at 14.32 V: once one has sunk to the plateau, near 3.33 V, the others stand
    at (14.32 - 3.33) / 3 = 3.66 V, over the trip.
    """
    bank = put(
        new_setup("lfp", 4, 100.0, balancer="none"),
        {"charging.absorption_v": 14.32, "charging.tail_a": None},
    )
    (_, _, known), _ = simulated(bank, [CellFault(cell=4, leak_mah_per_day=15.0)])
    found = trip_forecast(known, bank)
    assert found is not None
    assert found.cause_cell == 4
    assert found.cell != 4
    sinks = np.where(np.arange(4) == 3, known.drift.ah_per_day, 0.0)
    trip = bank.protection.cell_over_voltage.trip_v
    assert highest_at_top(known.drift.last_ah + (found.days + 1) * sinks, bank)[0] >= trip - 0.005
    assert (
        found.days < 10
        or highest_at_top(known.drift.last_ah + (found.days - 9) * sinks, bank)[0] < trip
    )
    lower = put(bank, {"charging.absorption_v": 13.8})
    assert trip_forecast(known, lower) is None  # (13.8 - 3.33) / 3 = 3.49 V: never


def test_no_drift_no_day(setup):
    (_, _, known), _ = simulated(setup, [])
    assert trip_forecast(known, setup) is None


def test_all_bars_exchanged_is_seen_in_the_herd(setup):
    worn, new = ([CellFault(cell=i, joint_mohm=m) for i in range(1, 9)] for m in (0.35, 0.02))
    (log, setup_, known), at = simulated(setup, worn, new)
    changes = [c for c in changed(log, setup_, known, at) if c.real]
    herd = [c for c in changes if c.quantity == "herd_resistance"]
    assert herd and herd[0].helped
    assert herd[0].before - herd[0].after == pytest.approx(0.33, abs=0.08)
    assert not [c for c in changes if c.quantity == "resistance"]


def test_a_herd_left_alone_has_not_changed(setup):
    (log, setup_, known), at = simulated(setup, [])
    quantities = [c.quantity for c in changed(log, setup_, known, at) if c.real]
    assert "herd_resistance" not in quantities


def test_a_spread_that_only_stops_shrinking_was_not_helped():
    stopped = Change("spread", None, -50.0, 0.0, 5.0, "mAh/day", 1e-6)
    shrinks = Change("spread", None, 40.0, -30.0, 5.0, "mAh/day", 1e-6)
    assert not stopped.helped
    assert shrinks.helped


# the swap test beyond two packs with long logs


@pytest.mark.parametrize("seed", range(3))
def test_what_ended_with_the_exchange_was_left_behind(setup, seed):
    a, at = simulated(setup, DRAIN, GONE, seed=seed)
    b, _ = simulated(setup, [], seed=seed + 50)
    result = exchanged([a, b], at)
    assert result.verdict is Outcome.LEFT
    assert "left behind" in result.sentence
    assert result.confidence > 0.9


def readings(setup, leaks, days, levelled=False, seed=0):
    """A pack that nobody logs: readings near full on some days; leaks in mAh a day, by cell."""
    chem = chemistry(setup.chemistry)
    rng = np.random.default_rng(seed)
    shots = []
    for day in days:
        pct = np.full(setup.cells, 99.9)
        for cell, mah in leaks.items():
            pct[cell - 1] -= mah / 1e3 * day / setup.capacity_ah * 100.0
        volts = chem.curve.ocv(pct) + rng.normal(0.0, 0.0007, setup.cells)
        log = Log(
            time_s=np.array([day * 86400.0]),
            current_a=np.array([0.0]),
            pack_v=np.array([volts.sum()]),
            cell_v=np.round(volts, 3)[None, :].astype(np.float32),
            temp_c=np.empty((1, 0)),
        )
        shots.append(snapshot(log, setup))
    assert all(shot.deviation_pct is not None or not leaks for shot in shots[1:])
    return [shot for shot in shots if shot is not None]


def by_readings(setup, before, after, at_day=90.0, until=180.0):
    """Both levelled on the first day and at the exchange; a reading before it, and one later."""
    known = []
    for one, other in zip(before, after, strict=True):
        shots = readings(setup, one, [at_day - 1.0])
        later = readings(setup, other, [until - at_day])
        later = [replace(s, time_s=until * 86400.0) for s in later]
        levelled = [0.0, at_day * 86400.0]
        known.append((setup, states(NO_LOG, setup, [*shots, *later], levelled)))
    return swap_test(known, at_day * 86400.0, "bms")


NO_LOG = Drift(
    *(np.empty(shape) for shape in ((0,), *5 * ((0, 8),))),
    False,
    *3 * (np.empty(8),),
    0.15,
    np.zeros(8),
)


@pytest.mark.parametrize(
    ("after", "told"),
    [
        (({2: 10.0}, {}), Outcome.STAYED),
        (({}, {2: 10.0}), Outcome.FOLLOWED),
        (({}, {}), Outcome.LEFT),
    ],
)
def test_a_dated_level_state_and_one_reading_months_later_are_enough(setup, after, told):
    result = by_readings(setup, ({2: 10.0}, {}), after)
    assert result.verdict is told
    assert 0.6 < result.confidence < 0.9  # what was levelled in between is not known


def test_a_reading_soon_after_the_exchange_tells_nothing(setup):
    result = by_readings(setup, ({2: 10.0}, {}), ({}, {2: 10.0}), until=95.0)
    assert result.verdict is Outcome.UNDECIDED
    assert "read both near full" in result.record_next


def test_even_packs_tell_nothing_by_readings_either(setup):
    assert by_readings(setup, ({}, {}), ({}, {})).verdict is Outcome.UNDECIDED


def test_of_three_packs_it_is_the_two_that_were_exchanged(setup):
    a, at = simulated(setup, DRAIN, GONE, seed=1)
    b, _ = simulated(setup, [], DRAIN, seed=51)
    even, _ = simulated(setup, [], seed=7)
    packs = {i: Recorded(log, known, setup) for i, (log, _, known) in enumerate((a, even, b), 1)}
    named = Happening(at, None, KIND, "", Swap(packs=(1, 3), what="bms"))
    ((_, told),) = compare_all(packs, [named], setup).swaps
    assert told.verdict is Outcome.FOLLOWED
    assert "the BMS" in told.sentence
    unnamed = Happening(at, None, KIND, "exchanged")
    ((_, told),) = compare_all(packs, [unnamed], setup).swaps
    assert told.verdict is Outcome.UNDECIDED
    assert "between which" in told.sentence
    without = Happening(at, None, KIND, "", Swap(packs=(1, 9), what="bms"))
    ((_, told),) = compare_all(packs, [without], setup).swaps
    assert told.verdict is Outcome.UNDECIDED


@pytest.mark.parametrize(
    "note",
    ["words only", "", '{"packs": [1, 1]}', '{"packs": [1]}', '{"packs": [0, 2]}', "[1, 2]",
     '{"packs": [1, 2], "what": "the cat"}'],
)  # fmt: skip
def test_a_note_that_names_no_two_packs_is_none(note):
    assert parse(note) is None


def test_a_level_state_ends_what_was_before(setup):
    (log, _, known), at = simulated(setup, LEAK, seed=2)
    stood = states(known.drift, setup, levelled_s=[at])
    assert stood.levelled.sum() == 1
    whole = compare_all(
        {1: Recorded(log, known, setup)}, [Happening(at, 1, LEVELLED, "level")], setup
    )
    assert whole.changes[1]


def test_a_balancer_that_now_keeps_up_is_not_taken_for_a_cause_that_is_gone():
    """The exchange brought a balancer that works the leak off, and the log does not tell it."""
    weak = put(
        new_setup("lfp", 8, 100.0, balancer="active"),
        {"balancer.current_a": 0.01, "balancer.start_v": 3.4, "balancer.when": "always",
         "charging.tail_a": None, "charging.absorption_min": 300.0},
    )  # fmt: skip
    packs = []
    for seed, faults in ((1, LEAK), (51, [])):
        stronger = Event(day=TURN, settings={"balancer.current_a": 2.0})
        plan = Scenario(days=DAYS, seed=seed, cells=list(faults), events=[stronger], **EVEN)
        trial = run(weak, plan)
        packs.append(judged(replace(trial.logs[0], balancing=None), weak))
        at = trial.start_s + TURN * 86400.0
    result = exchanged(packs, at)
    assert result.verdict is not Outcome.LEFT
    assert "record" in result.record_next.lower() or result.verdict is not Outcome.UNDECIDED


def test_a_trip_of_a_few_days_is_not_passed_over():
    """A cell that stands high sinks to the others while another takes on: found by a property, it
    is over its trip from day 2 on for some days, and again from day 15.
    """
    rng = np.random.default_rng(1946)
    setup = new_setup("lfp", 8, 100.0)
    drift = SimpleNamespace(
        ah_per_day=rng.normal(0, 0.01, 8) * 10 ** rng.uniform(-1, 1.5),
        last_ah=rng.normal(0, 0.6, 8) * 10 ** rng.uniform(-1, 0.5),
        sd_ah_per_day=np.full(8, 1e-9),
        elsewhere=None,
        moved_known=False,
        days=30.0,
    )
    found = trip_forecast(SimpleNamespace(drift=drift), setup)
    assert found is not None
    assert found.days == 2


def test_of_hundreds_of_notes_those_that_changed_something_stay():
    """Each of 300 notes was an entry of its own, and the window stood still for a second."""
    real = Change("drift", 3, -0.05, -0.01, 0.002, "Ah/day", 1e-6)
    notes = [
        (Happening(86400.0 * day, None, "note", f"looked, day {day}"), []) for day in range(40)
    ]
    notes.insert(5, (Happening(4.5 * 86400.0, None, "note", "sense lead cleaned"), [real]))
    told = of_compared(Compared({1: notes}, [], None), 1, ["Pack A"])
    leads = [one.lead for one in told]
    assert sum("looked" in lead for lead in leads) == 6
    assert "day 39" in leads[-2]
    assert "sense lead cleaned" in leads[0]
    assert leads[-1] == "34 older notes:"
