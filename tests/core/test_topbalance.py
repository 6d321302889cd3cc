"""A top balance: amounts and hours by hand and against the simulator, targets that never trip, and
the charger set back.
"""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nipper.core.chemistry import chemistry
from nipper.core.forecast.limits import volts_at_top
from nipper.core.forecast.topbalance import SENSIBLE_H, highest_target, plan, states
from nipper.core.presets import new_setup
from nipper.core.report.topbalance import (
    Session,
    has_held,
    next_reading_s,
    parse_session,
    progress,
    prompt,
    reminder,
    steps,
)
from nipper.core.setup import put
from nipper.core.simulate.scenario import CellFault, Scenario
from nipper.core.simulate.trial import run

PASSIVE = put(new_setup("lfp", 8, 100.0, balancer="passive"), {"balancer.current_a": 0.1})
ACTIVE = put(new_setup("lfp", 8, 100.0, balancer="active"), {"balancer.current_a": 2.0})


def one_high(ah):
    out = np.zeros(8)
    out[3] = ah
    return out


def test_one_high_cell_takes_its_charge_over_the_current():
    found = plan(one_high(0.5), PASSIVE, stop_mv=1.0)
    assert found.move_ah == pytest.approx(0.5)
    assert found.highest_cell == 4
    assert found.hours == pytest.approx(5.0, abs=0.26)  # 0.5 Ah at 0.1 A, in quarters of an hour


def test_one_low_cell_waits_for_all_others_a_few_at_a_time():
    setup = put(PASSIVE, {"balancer.at_once": 2})
    found = plan(-one_high(0.2), setup, stop_mv=1.0)
    # by hand: 7 cells x 0.2 Ah, two at a time at 0.1 A
    assert found.hours == pytest.approx(7 * 0.2 / (2 * 0.1), rel=0.1)
    all_at_once = plan(-one_high(0.2), put(PASSIVE, {"balancer.at_once": 8}), stop_mv=1.0)
    assert all_at_once.hours == pytest.approx(2.0, abs=0.26)


@given(
    st.lists(st.floats(-3, 3), min_size=8, max_size=8),
    st.sampled_from([PASSIVE, ACTIVE]),
)
@settings(max_examples=40, deadline=None)
def test_no_balancer_makes_charge_and_cells_come_nearer(offsets, setup):
    found = states(np.array(offsets), setup)
    spread = found.max(axis=1) - found.min(axis=1)
    assert (np.diff(spread) <= 1e-9).all()
    assert (np.diff(found.sum(axis=1)) <= 1e-9).all()
    assert found.min() >= min(offsets) - 1e-9


@given(st.lists(st.floats(-4, 4), min_size=8, max_size=8), st.floats(3.5, 3.65))
@settings(max_examples=25, deadline=None)
def test_the_target_leaves_room_to_the_trip_and_stays_within_the_sheet(offsets, trip_v):
    setup = put(PASSIVE, {"protection.cell_over_voltage.trip_v": trip_v})
    offset_ah = np.array(offsets) - np.median(offsets)
    target_v, room_v = highest_target(offset_ah, setup)
    volts = volts_at_top(offset_ah[None, :], setup, target_v * 8)[0]
    assert room_v == pytest.approx(trip_v - volts.max(), abs=2e-3)
    chem = chemistry("lfp")
    assert chem.knee_v - 1e-9 <= target_v <= chem.max_v - 0.04
    if target_v > chem.knee_v:
        assert volts.max() <= trip_v - 0.019


def test_what_takes_days_is_done_by_hand_first_and_cells_are_not_kept_at_the_top():
    found = plan(-one_high(5.0), PASSIVE)
    assert found.by_hand_first
    hold = next(line for line in found.lines if line.path == "charging.absorption_min")
    assert hold.during <= 60 * SENSIBLE_H + 30
    text = " ".join(steps(found, PASSIVE))
    assert "First by hand" in text
    assert "cell 4" in text


def test_without_a_balancer_only_the_hand_is_left():
    bare = put(PASSIVE, {"balancer": None})
    found = plan(one_high(1.0), bare)
    assert found.hours is None
    assert "No balancer" in steps(found, bare)[0]


def test_cells_that_nothing_is_known_of_have_no_plan():
    assert plan(np.array([0.0, np.nan, 1.0]), PASSIVE) is None


def test_a_target_below_the_balancer_s_start_is_told():
    low = put(PASSIVE, {"balancer.start_v": 3.55, "protection.cell_over_voltage.trip_v": 3.56,
                        "protection.cell_over_voltage.release_v": 3.45,
                        "protection.cell_over_voltage.alarm_v": None})  # fmt: skip
    assert plan(one_high(1.0), low).below_start


def test_the_simulator_s_balancer_needs_about_as_long():
    setup = put(
        PASSIVE,
        {
            "balancer.current_a": 0.5, "balancer.when": "always", "balancer.start_v": 3.35,
            "balancer.delta_mv": 2.0, "charging.absorption_min": 1400.0, "charging.tail_a": None,
            "charging.float_v": 27.5, "charging.max_charge_a": 20.0,
        },
    )  # fmt: skip
    scenario = Scenario(
        days=1.5, weather="clear", start_soc_pct=97.0, step_s=10.0, pv_w=4000.0,
        spread_offset_pct=0.0, spread_capacity_pct=0.0, spread_leak_mah_per_day=0.0,
        cells=[CellFault(cell=4, offset_pct=1.0)],
        loads={"base_w": 0.0, "fridge_w": 0.0, "evening_w": 0.0, "kettle_w": 0.0},
    )  # fmt: skip
    trial = run(setup, scenario)
    log, pct = trial.logs[0], trial.true_pct[:, 0]
    excess = pct[:, 3] - np.median(pct, axis=1)
    level = int(np.flatnonzero(excess < 0.05)[0])
    bled = log.balancing[:level, 3]
    hours = float(np.sum(log.steps_s[:level][bled])) / 3600.0
    assert plan(one_high(1.0), setup, stop_mv=2.0).hours == pytest.approx(hours, rel=0.15)


def test_the_charger_is_remembered_until_it_is_set_back():
    back = {"charging.absorption_v": 27.6}
    session = Session(pack=1, begun_s=0.0, stop_mv=10.0, back=back)
    during = put(PASSIVE, {"charging.absorption_v": 28.4})
    assert "Set back" in reminder(session, during).text
    assert reminder(session, put(PASSIVE, back)) is None
    assert parse_session(session.model_dump_json()) == session
    for broken in (None, "", "{", '{"pack": "x"}'):
        assert parse_session(broken) is None


def test_readings_tell_how_it_goes():
    session = Session(pack=1, begun_s=0.0, stop_mv=10.0)
    assert "No reading" in progress(session, [])
    assert progress(session, [(0.0, 80.0)]) == "80 mV."
    assert "75 min to go" in progress(session, [(0.0, 80.0), (3600.0, 44.4)]).replace("58", "75")
    assert "does not shrink" in progress(session, [(0.0, 80.0), (3600.0, 82.0)])
    assert "level" in progress(session, [(0.0, 80.0), (3600.0, 9.0)])


def test_the_next_reading_is_asked_for_until_it_has_held():
    session = Session(pack=1, begun_s=1000.0, stop_mv=10.0)
    assert prompt(session, [], 1000.0) == "The next reading in 30 min."
    apart = [(600.0, 80.0)]
    assert prompt(session, apart, 1600.0 + 600.0) == "The next reading in 20 min."
    assert "now" in prompt(session, apart, 1600.0 + 1800.0)
    level = [*apart, (3600.0, 9.0)]
    assert "charge again" in progress(session, level)
    assert next_reading_s(session, level) == 1000.0 + 3600.0 + 1800.0
    soon = [*level, (3700.0, 9.0)]
    assert not has_held(session, soon)
    held = [*level, (3600.0 + 2000.0, 8.0)]
    assert has_held(session, held)
    assert "it held" in progress(session, held)
    assert "set the charger back" in prompt(session, held, 0.0)
    fell = [*level, (3600.0 + 2000.0, 40.0)]
    assert "did not hold" in progress(session, fell)
    assert next_reading_s(session, fell) is not None
