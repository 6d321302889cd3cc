"""Facts of the trade that must come out of the simulated pack without being put in.

All: common practice, no published source.
"""

import numpy as np
import pytest

from nipper.core.presets import new_setup
from nipper.core.setup import put
from nipper.core.simulate.scenario import CellFault, Event, Loads, OtherCharger, Scenario
from nipper.core.simulate.trial import run

EQUAL = {
    "spread_offset_pct": 0.0,
    "spread_capacity_pct": 0.0,
    "spread_resistance_pct": 0.0,
    "spread_leak_mah_per_day": 0.0,
}
QUIET = Loads(base_w=0.0, fridge_w=0.0, evening_w=0.0, kettle_w=0.0)


def deviation_mv(log):
    return 1e3 * (log.cell_v.max(axis=1) - log.cell_v.min(axis=1))


def test_an_hour_a_week_at_the_top_cannot_hold_a_weekly_drift_of_a_third_of_an_ampere_hour():
    setup = put(
        new_setup("lfp", 16, 280.0),
        {
            "balancer.current_a": 0.15,
            "balancer.start_v": 3.40,
            "charging.absorption_min": 60.0,
            "charging.tail_a": None,
        },
    )
    weeks = 6
    clouds = [Event(day=7.0 * w + 1.0, minutes=6 * 1440.0, sun_share=0.0) for w in range(weeks)]
    plan = Scenario(
        days=7.0 * weeks,
        weather="clear",
        start_soc_pct=90.0,
        events=clouds,
        cells=[CellFault(cell=7, leak_mah_per_day=300.0 / 7.0)],
        **EQUAL,
    )
    trial = run(setup, with_loads(plan, base_w=60.0))
    behind_ah = 2.8 * (
        np.delete(trial.true_pct[:, 0], 6, axis=1).mean(axis=1) - trial.true_pct[:, 0, 6]
    )
    assert behind_ah[-1] > 0.5 * 0.3 * weeks  # most of what it lost is still missing
    assert np.diff(behind_ah[:: 7 * 1440]).min() > 0.0  # more each week


def with_loads(plan, **loads):
    return plan.model_copy(update={"loads": QUIET.model_copy(update=loads)})


def held(charger, hours, offset_pct, capacity_ah=280.0, loads=QUIET, **balancer):
    """A charger from the mains on a quiet pack with one cell fuller; deviation from when the pack
    reaches the charger's voltage.
    """
    settings = {f"balancer.{k}": v for k, v in balancer.items()} | {"charging.absorption_v": 55.2}
    setup = put(new_setup("lfp", 16, capacity_ah, balancer=balancer["kind"]), settings)
    plan = Scenario(
        days=hours / 24.0,
        pv_w=0.0,
        loads=loads,
        start_soc_pct=97.0,
        chargers=[charger],
        cells=[CellFault(cell=4, offset_pct=offset_pct)],
        **EQUAL,
    )
    trial = run(setup, plan)
    log = trial.logs[0]
    top = int(np.argmax(log.pack_v >= charger.absorption_v - 0.06))
    return trial, deviation_mv(log)[top:]


def test_holding_the_top_levels_within_hours_what_a_night_of_the_usual_profile_does_not():
    """A supply held at 3.60 V a cell, against an hour at 3.45 V and then float at 3.35 V with the
    house on it: same balancer, same pack, one cell low.
    """
    moves = {"kind": "active", "current_a": 1.0, "start_v": 3.40, "delta_mv": 5.0, "when": "always"}
    supply = OtherCharger(max_a=40.0, absorption_v=57.6, absorption_min=6000.0)
    _, high = held(supply, 9.0, -0.9, **moves)
    assert 110 <= high[0] <= 220
    assert high[5 * 60] < 10  # about five hours
    usual = OtherCharger(max_a=40.0, absorption_v=55.2, absorption_min=60.0, float_v=53.6)
    night, _ = held(usual, 11.0, -0.9, loads=QUIET.model_copy(update={"base_w": 150.0}), **moves)
    assert night.moved_ah[0, 3] < 0.5 * 0.009 * 280.0


def test_an_active_balancer_of_two_amperes_levels_65_mv_in_half_an_hour():
    supply = OtherCharger(max_a=30.0, absorption_v=55.2, absorption_min=6000.0)
    _, mv = held(
        supply,
        3.0,
        0.33,
        capacity_ah=280.0,
        kind="active",
        current_a=2.0,
        start_v=3.40,
        delta_mv=10.0,
        when="always",
    )
    assert mv[0] == pytest.approx(65, abs=12)
    assert mv[30] <= 16


def test_150_mv_at_an_average_of_3_55_v_trips_at_3_65():
    setup = put(new_setup("lfp", 16, 280.0, balancer="none"), {"charging.absorption_v": 56.8})
    supply = OtherCharger(max_a=28.0, absorption_v=56.8, absorption_min=600.0)
    plan = Scenario(
        days=0.3,
        pv_w=0.0,
        loads=QUIET,
        start_soc_pct=92.0,
        chargers=[supply],
        cells=[CellFault(cell=9, offset_pct=0.6)],
        **EQUAL,
    )
    trial = run(setup, plan)
    log = trial.logs[0]
    at = int(np.searchsorted(log.time_s, trial.trips[0].time_s)) - 1
    assert trial.trips[0].protection == "cell_over_voltage"
    assert trial.trips[0].cell == 9
    assert deviation_mv(log)[: at + 1].max() > 120
    assert log.cell_v[at].mean() < 3.56


def test_a_pack_cut_off_by_cold_comes_back_with_warmth_and_a_small_charger():
    """Empty and frozen: the BMS is off and the house dark; it is warmed on the second day, and a 5
    A charger wakes it.
    """
    setup = put(new_setup("lfp", 8, 100.0), {"protection.power_off_v": 2.9})
    small = OtherCharger(max_a=5.0, absorption_v=27.6, absorption_min=120.0, float_v=26.8)
    plan = Scenario(
        days=4.0,
        pv_w=0.0,
        ambient_c=15.0,
        season_c=0.0,
        day_c=0.0,
        start_soc_pct=2.0,
        loads=Loads(base_w=40.0, fridge_w=0.0, evening_w=0.0, kettle_w=0.0),
        chargers=[small.model_copy(update={"from_hour": 0.0})],
        events=[Event(day=0.0, minutes=2 * 1440.0, colder_c=28.0)],
        **EQUAL,
    )
    trial = run(setup, plan)
    log = trial.logs[0]
    frozen = (log.time_s - trial.start_s > 0.9 * 86400) & (log.time_s - trial.start_s < 2 * 86400)
    warm = (log.time_s - trial.start_s > 2.3 * 86400) & (log.time_s - trial.start_s < 3.0 * 86400)
    assert (log.temp_c[frozen] < 0).all()
    assert (log.current_a[frozen] <= 0.0).all()
    assert (log.current_a[warm] > 1.0).all()
    assert log.cell_v[-1].min() > log.cell_v[frozen][-1].min()


def test_the_lower_of_two_chargers_stops_first_and_the_higher_goes_on():
    low = OtherCharger(max_a=20.0, absorption_v=54.4, absorption_min=600.0)
    high = OtherCharger(max_a=10.0, absorption_v=55.6, absorption_min=600.0)
    plan = Scenario(
        days=0.6, pv_w=0.0, loads=QUIET, start_soc_pct=85.0, chargers=[low, high], **EQUAL
    )
    log = run(new_setup("lfp", 16, 100.0, balancer="none"), plan).logs[0]
    bulk, late = log.pack_v < 54.0, log.pack_v > 54.6
    assert np.median(log.current_a[bulk]) == pytest.approx(30.0, abs=0.3)
    assert log.current_a[late].max() <= 10.2
    assert log.pack_v.max() == pytest.approx(55.6, abs=0.05)


def test_a_pack_that_leaves_takes_its_share_of_what_is_asked_with_it():
    """Two packs of 50 A each: the inverter sees 100 A, and 50 A when one is taken off (closed
    loop).
    """
    setup = put(
        new_setup("lfp", 16, 250.0, 2),
        {
            "charging.max_charge_a": 100.0,
            "link": {
                "mode": "closed",
                "transport": "can",
                "inverter_max_charge_a": 120.0,
                "loss_timeout_s": 10.0,
            },
        },
    )
    plan = Scenario(
        days=0.2,
        weather="clear",
        pv_w=20_000.0,
        loads=QUIET,
        start_soc_pct=10.0,
        events=[Event(day=2 / 24, offline=2)],
        start="2026-06-01T09:00:00+00:00",
        log_every_s=60.0,
        **EQUAL,
    )
    trial = run(setup, plan)
    hour = (trial.logs[0].time_s - trial.start_s) / 3600.0
    total = trial.logs[0].current_a + trial.logs[1].current_a
    assert np.median(total[(hour > 1.0) & (hour < 1.9)]) == pytest.approx(100.0, abs=1.0)
    assert np.median(total[(hour > 2.1) & (hour < 3.0)]) == pytest.approx(50.0, abs=1.0)
    assert (trial.logs[1].current_a[hour > 2.1] == 0.0).all()


@pytest.mark.parametrize(("on_loss", "goes_on"), [("fallback", True), ("stop", False)])
def test_a_lost_link_ends_in_fallback_or_stop_after_its_time_out(on_loss, goes_on):
    setup = put(
        new_setup("lfp", 16, 250.0),
        {
            "link": {
                "mode": "closed",
                "transport": "can",
                "inverter_max_charge_a": 45.0,
                "loss_timeout_s": 60.0,
                "on_loss": on_loss,
            }
        },
    )
    plan = Scenario(
        days=0.1,
        weather="clear",
        pv_w=9000.0,
        loads=QUIET,
        start_soc_pct=10.0,
        events=[Event(day=1 / 24, link_lost=True)],
        start="2026-06-01T09:00:00+00:00",
        log_every_s=10.0,
        **EQUAL,
    )
    trial = run(setup, plan)
    hour = (trial.logs[0].time_s - trial.start_s) / 3600.0
    assert (
        np.median(trial.logs[0].current_a[(hour > 1.0) & (hour < 1.01)]) > 40.0
    )  # the time-out is not over
    after = np.median(trial.logs[0].current_a[hour > 1.1])
    assert after == pytest.approx(45.0, abs=0.5) if goes_on else after == 0.0


def test_a_sensor_in_ice_stops_the_charge_and_lets_it_go_on():
    setup = put(
        new_setup("lfp", 16, 250.0),
        {"protection.charge_under_temperature": {"trip_c": 4.0, "release_c": 6.0}},
    )
    plan = Scenario(
        days=0.6,
        weather="clear",
        start_soc_pct=30.0,
        events=[Event(day=10 / 24, minutes=30.0, sensor=1, sensor_c=0.0)],
        log_every_s=10.0,
    )
    trial = run(setup, plan)
    cold = [
        (e.kind, round((e.time_s - trial.start_s) / 60.0))
        for e in trial.events
        if e.protection == "charge_under_temperature"
    ]
    assert cold == [("trip", 600), ("release", 630)]


@pytest.mark.parametrize(("delay_us", "trips"), [(300.0, 1), (400_000.0, 0)])
def test_a_motor_start_trips_what_acts_faster_than_it_lasts(delay_us, trips):
    setup = put(
        new_setup("lfp", 8, 100.0),
        {"protection.short_circuit": {"trip_a": 200.0, "delay_us": delay_us, "release_s": 60.0}},
    )
    loads = QUIET.model_copy(update={"surge_w": 6000.0, "surge_s": 0.3})
    trial = run(setup, Scenario(days=0.1, pv_w=0.0, loads=loads, **EQUAL))
    assert min(1, sum(e.protection == "short_circuit" for e in trial.trips)) == trips


def test_an_inverter_that_stops_without_its_link_feeds_no_load_by_day_either():
    """Common practice: its output is off, however bright the sun."""
    setup = put(
        new_setup("lfp", 16, 280.0),
        {
            "link": {
                "mode": "closed",
                "transport": "can",
                "loss_timeout_s": 10.0,
                "on_loss": "stop",
            }
        },
    )
    sunny = Scenario(days=1, weather="clear", step_s=10.0, start_soc_pct=60.0, seed=4)
    lost = Event(day=11 / 24, minutes=180.0, link_lost=True)
    without, with_it = run(setup, sunny), run(setup, sunny.model_copy(update={"events": [lost]}))
    assert without.not_served_wh == 0.0
    assert with_it.dark_h == pytest.approx(3.0, abs=0.1)
    log = with_it.logs[0]
    hour = (log.time_s - log.time_s[0]) / 3600.0
    silent = (hour > 11.1) & (hour < 13.9)
    assert np.abs(log.current_a[silent]).max() < 0.5
    served_wh = without.not_served_wh
    assert with_it.not_served_wh > served_wh + 3 * 100.0
