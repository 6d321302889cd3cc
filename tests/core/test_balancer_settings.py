"""Switched off, asleep, on in over-voltage, idle draw: a balancer does what its menu says."""

import numpy as np
import pytest

from nipper.core.presets import new_setup
from nipper.core.report.readback import parse_shown
from nipper.core.report.typingsheet import shown
from nipper.core.setup import put
from nipper.core.simulate.scenario import Scenario
from nipper.core.simulate.trial import run
from nipper.core.upkeep.storage import Rest, stored

SETUP = put(
    new_setup("lfp", 4, 100.0, balancer="active"),
    {"charging.absorption_v": 14.2, "charging.float_v": 13.9, "charging.tail_a": 2.0},
)
NOTHING_ON = {"base_w": 0.0, "fridge_w": 0.0, "evening_w": 0.0, "kettle_w": 0.0}
HIGH = {"loads": NOTHING_ON, "cells": [{"cell": 2, "offset_pct": 3.0}], "seed": 4, "days": 2}


def moved_ah(**balancer):
    setup = put(SETUP, {f"balancer.{name}": value for name, value in balancer.items()})
    trial = run(setup, Scenario.model_validate(HIGH))
    return float(np.abs(trial.moved_ah).max())


def test_one_that_is_off_moves_nothing():
    assert moved_ah() > 0.2
    assert moved_ah(switched="on") == moved_ah()
    assert moved_ah(switched="off") == 0.0


def test_one_that_sleeps_moves_less():
    weak = {"current_a": 0.02, "when": "always", "start_v": 3.3}
    awake = moved_ah(**weak)
    assert moved_ah(**weak, sleep_after_min=5.0) < 0.8 * awake
    assert moved_ah(**weak, sleep_after_min=100_000.0) == awake


def test_one_that_goes_on_in_over_voltage_bleeds_the_cell_that_cut_the_charge():
    high = {"charging.absorption_v": 14.6, "protection.pack_over_voltage": None}
    held = put(SETUP, {**high, "balancer.when": "charging"})
    goes_on = put(held, {"balancer.in_over_voltage": "goes_on"})
    scenario = Scenario.model_validate({**HIGH, "cells": [{"cell": 2, "offset_pct": 6.0}]})
    stops, on = (run(s, scenario) for s in (held, goes_on))
    assert any(e.protection == "cell_over_voltage" for e in stops.trips)
    assert np.abs(on.moved_ah).max() > 1.2 * np.abs(stops.moved_ah).max()


def test_the_idle_draw_empties_the_cells_in_use_and_put_away():
    idle = put(SETUP, {"balancer.idle_a": 0.02})
    quiet = Scenario.model_validate({"days": 5, "seed": 1, "pv_w": 0.0, "loads": NOTHING_ON})
    less = run(SETUP, quiet).gained_ah - run(idle, quiet).gained_ah
    assert less == pytest.approx(0.02 * 24 * 5, rel=0.05)
    # to the power-off and past it: a pack forgotten is emptied by it alone
    left = Rest(soc_pct=60.0)
    assert stored(SETUP, left).days_to("damage") is None
    days = stored(idle, left).days_to("damage")
    assert 0.7 * 60.0 / 0.02 / 24.0 < days < 60.0 / 0.02 / 24.0  # the cells' own loss beside it


@pytest.mark.parametrize(
    ("path", "typed", "value"),
    [
        ("balancer.switched", "Off", "off"),
        ("balancer.in_over_voltage", "goes on", "goes_on"),
        ("balancer.in_over_voltage", "goes_on", "goes_on"),
        ("balancer.sleep_after_min", "12 h", 720.0),
    ],
)
def test_it_is_read_back_as_a_menu_says_it(path, typed, value):
    assert parse_shown(path, typed) == value
    assert parse_shown(path, shown(path, value)) == value


def test_the_hours_of_the_log_in_which_it_slept_are_not_counted():
    from nipper.core.imbalance.estimate import balancer_use

    setup = put(SETUP, {"balancer.when": "always", "balancer.start_v": 3.2})
    log = run(setup, Scenario.model_validate(HIGH)).logs[0]
    asleep = put(setup, {"balancer.sleep_after_min": 30.0})
    awake_h, asleep_h = (balancer_use(log, s).allowed_h for s in (setup, asleep))
    assert 0.2 * awake_h < asleep_h < 0.9 * awake_h
    moved_h = float((log.steps_s * (abs(log.current_a) > 0.2)).sum()) / 3600.0
    assert asleep_h > moved_h


def test_an_equalise_charge_is_held_for_its_own_time():
    monthly = {
        "charging.equalise_v": 14.4,
        "charging.equalise_every_days": 1.0,
        "charging.tail_a": None,
        "charging.absorption_min": 20.0,
    }
    clear = {"days": 4, "seed": 2, "weather": "clear", "pv_w": 2000.0, "loads": NOTHING_ON}

    def held_h(setup):
        log = run(setup, Scenario.model_validate(clear)).logs[0]
        return float(log.steps_s[log.pack_v > 14.3].sum()) / 3600.0

    short = held_h(put(SETUP, monthly))
    assert held_h(put(SETUP, {**monthly, "charging.equalise_min": 120.0})) > short + 2.0
