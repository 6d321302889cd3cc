"""The copy of a bank, what a rehearsal comes to, the schools, and the catch-up forecast."""

import itertools
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nipper.core.chemistry import chemistry
from nipper.core.forecast.levelling import by_hand, from_log, levelling, slope_along
from nipper.core.forecast.outcome import apart_ah, lanes, moment, outcome, trip_text
from nipper.core.forecast.plan import Known, Plan
from nipper.core.forecast.rehearsal import lanes_of, rehearse
from nipper.core.forecast.schools import schools
from nipper.core.forecast.twin import habits, loads, measured_cells, scenario
from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.presets import new_setup
from nipper.core.report.levelling import (
    hours_sentences,
    level_headline,
    level_sentence,
    of_levelling,
)
from nipper.core.report.rehearsing import figures, of_rehearsal, rehearse_sentence
from nipper.core.rules import check
from nipper.core.setup import get, put
from nipper.core.simulate.scenario import CellFault, Event, Loads, Scenario
from nipper.core.simulate.trial import run


@pytest.fixture(scope="module")
def setup():
    return put(
        new_setup("lfp", 8, 100.0),
        {"charging.tail_a": None, "balancer.current_a": 0.05, "balancer.when": "charging"},
    )


@pytest.fixture(scope="module")
def known(setup):
    """Twenty days of a pack whose cell 3 loses 50 mAh a day."""
    plan = Scenario(
        days=20.0,
        weather="clear",
        start_soc_pct=70.0,
        step_s=20.0,
        seed=4,
        cells=[CellFault(cell=3, leak_mah_per_day=50.0)],
        spread_offset_pct=0.0,
        spread_leak_mah_per_day=0.0,
    )
    log = run(setup, plan).logs[0]
    return {1: Known(log, diagnose(log, setup).estimate)}


def test_the_copy_has_the_measured_cell(setup, known):
    cell = next(f for f in measured_cells(setup, known) if f.cell == 3)
    assert cell.offset_pct == pytest.approx(-0.05 * 20.0, abs=0.25)
    assert cell.leak_mah_per_day == pytest.approx(50.0, rel=0.3)
    others = [f for f in measured_cells(setup, known) if f.cell != 3]
    assert all(abs(f.offset_pct) < 0.2 and abs(f.leak_mah_per_day) < 8.0 for f in others)


def test_a_pack_that_is_not_in_the_bank_is_left_out(setup, known):
    assert measured_cells(setup, {2: known[1]}) == []


@settings(max_examples=20)
@given(kwh=st.floats(0.1, 100.0))
def test_loads_take_what_was_asked(kwh):
    """Ten days of the made-up house take the energy it was scaled to, within a fifth (kettles are
    drawn).
    """
    from nipper.core.simulate import sky

    house = loads(kwh)
    hour = (np.arange(10 * 1440) / 60.0) % 24.0
    watts, _ = sky.loads_w(
        np.random.default_rng(1),
        hour,
        house.base_w,
        house.fridge_w,
        house.evening_w,
        house.kettle_w,
    )
    assert watts.mean() * 24.0 / 1e3 == pytest.approx(kwh, rel=0.2)


def test_habits_come_from_the_log(setup, known):
    seen = habits(known)
    assert seen.load_kwh_per_day == pytest.approx(known[1].log.days and seen.load_kwh_per_day)
    drawn = (
        -np.minimum(known[1].log.current_a * known[1].log.pack_v, 0.0)
        @ known[1].log.steps_s
        / 3.6e6
        / known[1].log.days
    )
    assert (
        drawn * 0.8 < seen.load_kwh_per_day < drawn * 3.0
    )  # by day the sun carries loads the BMS never saw
    assert scenario(setup, known, Plan()).pv_w == seen.sun_w
    assert scenario(setup, known, Plan(sun_w=777.0)).pv_w == 777.0
    assert habits({}).load_kwh_per_day is None


def test_apart_is_the_charge_between_fullest_and_emptiest(setup):
    plan = Scenario(
        days=0.1,
        pv_w=0.0,
        loads=Loads(base_w=0, fridge_w=0, evening_w=0, kettle_w=0),
        cells=[CellFault(cell=2, offset_pct=-2.0)],
        spread_offset_pct=0.0,
        spread_capacity_pct=0.0,
    )
    assert apart_ah(run(setup, plan))[0, 0] == pytest.approx(2.0, abs=0.01)


def test_a_trip_is_told_with_a_cure_that_was_tried():
    bank = put(
        new_setup("lfp", 16, 280.0, balancer="none"),
        {"charging.absorption_v": 57.0, "charging.tail_a": None},
    )
    high = [CellFault(pack=1, cell=4, offset_pct=0.6)]
    plan = Plan(days=2.0, events=(Event(day=0.0, cells=high, note="a fuller cell"),))
    done = rehearse(bank, {}, plan)
    assert done.main.outcome.trips > 0
    assert done.main.outcome.first is not None
    assert done.main.outcome.first.cell == 4
    assert done.cure is not None
    assert not rehearse(put(bank, done.cure.changes), {}, plan).main.outcome.trips
    first = of_rehearsal(done)[0]
    assert "cell 4, over-voltage" in first.lead
    assert dict(first.suggestion) == dict(done.cure.changes)
    assert rehearse_sentence(done)[1].startswith("cell 4 trips on day 1")
    spans = lanes(done.main.trial)
    assert next(s for s in spans if s.lane == "trip").text == trip_text(done.main.outcome.first)
    assert figures(done)[0].value == str(done.main.outcome.trips)


def test_two_settings_run_under_the_same_sky(setup):
    done = rehearse(
        setup,
        {},
        Plan(days=2.0, weather="mixed"),
        ("gentle", put(setup, {"charging.absorption_v": 27.2})),
    )
    assert done.other is not None
    assert np.array_equal(done.main.trial.bus_a[:200, 2] > 0, done.other.trial.bus_a[:200, 2] > 0)
    assert done.other.trial.logs[0].pack_v.max() < 27.3 < done.main.trial.logs[0].pack_v.max()
    assert any("Same sky, gentle" in c.lead for c in of_rehearsal(done))


def test_cold_and_darkness_are_told():
    bank = put(
        new_setup("lfp", 8, 100.0),
        {"protection.charge_under_temperature": {"trip_c": 2.0, "release_c": 4.0}},
    )
    done = rehearse(
        bank,
        {},
        Plan(
            days=3.0,
            air_c=-6.0,
            start="2026-01-10T00:00:00+00:00",
            start_soc_pct=15.0,
            load_kwh_per_day=2.0,
        ),
    )
    words = [c.lead for c in of_rehearsal(done)]
    assert any(w.startswith("Cold: charging waited") for w in words)
    assert any("without full power" in w for w in words)


def test_a_year_has_a_span_for_full_and_lean_times(setup):
    done = rehearse(setup, {}, Plan(days=120.0, weather="mixed"))
    kinds = {s.text for s in lanes_of(done.main.trial, 1) if s.lane == "limit"}
    assert kinds <= {"full", "not full"}
    assert "full" in kinds


def test_moments_are_said_by_the_run_s_own_sun(setup):
    trial = run(setup, Scenario(days=3, start="2026-06-01T06:00:00+00:00"))
    assert moment(trial, trial.start_s + 3600.0) == "day 1, 07:00"
    assert moment(trial, trial.start_s + 25 * 3600.0) == "day 2, 07:00"


@pytest.mark.parametrize("chemistry_id", ["lfp", "nmc", "lto"])
@pytest.mark.parametrize("kind", ["passive", "active", "none"])
def test_no_school_goes_beyond_the_cell_or_contradicts_itself(chemistry_id, kind):
    bank = new_setup(chemistry_id, 12, 100.0, balancer=kind)
    chem = chemistry(chemistry_id)
    for school in schools(bank):
        changed = put(bank, school.changes)
        for path in ("charging.absorption_v", "charging.equalise_v"):
            value = get(changed, path)
            assert (
                value is None
                or value / 12 < min(chem.max_v, changed.protection.cell_over_voltage.trip_v) - 0.03
            )
        errors = [f for f in check(changed) if f.severity == "error"]
        assert not errors, (school.id, [f.code for f in errors])
        assert changed != bank


def test_the_forecast_says_what_this_balancer_can_and_cannot(setup, known):
    """0.05 A while charging against 50 mAh a day and 1 Ah behind: it falls further behind; an
    active balancer catches up.
    """
    forecast = levelling(setup, known, 1, Plan())
    now = forecast.courses[0]
    assert now.school is None
    assert now.apart_ah[0] == pytest.approx(1.0, abs=0.3)
    assert now.apart_ah[-1] > now.apart_ah[0] + 0.5
    early = next(c for c in forecast.courses if c.school and c.school.id == "early")
    assert early.apart_ah[-1] < 0.3 * now.apart_ah[-1]
    assert forecast.told.need_cell == 3
    assert forecast.told.need_ah == pytest.approx(0.35, rel=0.3)
    assert level_headline(setup, forecast)[0].startswith("The balancer does not catch up")
    words = of_levelling(forecast, [])
    assert "Ah apart" in words[0].lead


def test_the_log_tells_hours_and_ampere_hours(setup, known):
    told = from_log(setup, known[1])
    assert told.above_h is not None
    assert told.allowed_h is not None
    assert 0.0 <= told.allowed_h <= told.above_h
    # the cell falls behind: seven others are bled, three at a time
    assert told.can_ah == pytest.approx(3 / 7 * 0.05 * told.allowed_h)
    status, words = level_sentence(setup, told)
    assert "cell 3 loses" in words
    assert str(status) == "watch"
    assert len(hours_sentences(setup, told, has_log=True)) == 3
    assert from_log(setup, None).need_ah is None


def test_what_takes_the_balancer_a_season_is_done_by_hand(setup, known):
    """40 Ah apart and 0.37 Ah a week was "can level 0.37 Ah a week", in green."""
    told = replace(from_log(setup, known[1]), need_ah=None, apart_ah=40.0, can_ah=0.37)
    status, words = level_sentence(setup, told)
    assert (str(status), words) == (
        "watch",
        "cells stand 40.0 Ah apart; levels 0.37 Ah a week: by hand",
    )
    status, words = level_sentence(setup, replace(told, apart_ah=2.0))
    assert words.startswith("can level")


def test_by_hand_names_the_cell_and_the_charge(setup, known):
    first, *rest = by_hand(setup, known[1])
    assert first.cell == 3
    assert first.ah == pytest.approx(-1.0, abs=0.3)
    assert "bench supply" in first.sentence
    assert not rest
    assert by_hand(setup, None) == []


# hand: at 3.40 V of the curve d(OCV)/d(SOC) by central difference over 0.2 %
def test_what_a_millivolt_is_worth(setup):
    volts, slope = slope_along(setup)
    curve = chemistry("lfp").curve
    soc = float(curve.soc(3.40))
    by_difference = 1e3 * float(curve.ocv(soc + 0.1) - curve.ocv(soc - 0.1)) / 0.2
    assert np.interp(3.40, volts, slope) == pytest.approx(by_difference, rel=0.03)


def test_outcome_adds_up(setup):
    trial = run(setup, Scenario(days=4, weather="mixed", start_soc_pct=80.0))
    result = outcome(trial)
    assert result.days == 4
    assert 0 <= result.full_days <= 4
    assert result.high_voltage_h <= result.top_h + 1e-9
    assert result.levelled_ah == pytest.approx(-np.minimum(trial.moved_ah, 0).sum())


def test_a_protection_that_chatters_is_a_few_spans_with_their_count():
    """A trip at 1 A without delay or recovery: tens of thousands of events in ten days."""
    limit = {"trip_a": 1.0, "delay_s": 0.0, "release_s": 0.0}
    setup = put(new_setup("lfp", 16, 280.0), {"protection.discharge_over_current": limit})
    trial = rehearse(setup, {}, Plan(days=10), None).main.trial
    assert len(trial.trips) > 10_000
    trips = [span for span in lanes(trial) if span.lane == "trip"]
    assert 0 < len(trips) < 500
    counted = [int(s.text.split(", ")[-1].split()[0]) if "times" in s.text else 1 for s in trips]
    assert sum(counted) == len(trial.trips)
    assert all(a.end_s <= b.start_s for a, b in itertools.pairwise(trips))
