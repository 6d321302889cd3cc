"""The simulated pack: conservation, limits at their value, balancing arithmetic, and the sun."""

import json

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nipper.core.chemistry import chemistry as chemistries
from nipper.core.errors import InputError
from nipper.core.presets import new_setup
from nipper.core.setup import put
from nipper.core.simulate import scenario as scenarios
from nipper.core.simulate import sky
from nipper.core.simulate.report import to_json
from nipper.core.simulate.scenario import CellFault, Event, Scenario
from nipper.core.simulate.trial import run

CALM = {
    "spread_offset_pct": 0.0,
    "spread_capacity_pct": 0.0,
    "spread_resistance_pct": 0.0,
    "spread_leak_mah_per_day": 0.0,
}


@settings(max_examples=12)
@given(
    chemistry=st.sampled_from(["lfp", "nmc", "lto"]),
    cells=st.integers(1, 20),
    packs=st.integers(1, 4),
    kind=st.sampled_from(["passive", "active", "none"]),
    start_pct=st.floats(5.0, 95.0),
    leak=st.floats(0.0, 2000.0),
    seed=st.integers(0, 1000),
)
def test_charge_is_conserved_to_rounding(chemistry, cells, packs, kind, start_pct, leak, seed):
    """In every cell: what it gained is what flowed, less its leak, and what the balancer moved."""
    plan = Scenario(
        days=1.3,
        start_soc_pct=start_pct,
        cells=[CellFault(pack=1, cell=1, leak_mah_per_day=leak, offset_pct=1.0)],
        seed=seed,
    )
    trial = run(new_setup(chemistry, cells, 100.0, packs, kind), plan)
    flowed = (trial.charged_ah - trial.discharged_ah)[:, None]
    assert trial.gained_ah == pytest.approx(flowed - trial.leaked_ah + trial.moved_ah, abs=1e-8)


@pytest.mark.parametrize("chemistry", ["nmc", "lfp"])
def test_energy_is_conserved(chemistry):
    """What went into a pack is stored along the curve or became heat, hysteresis too, within what
    steps
    of 2 s leave (chosen: 0.2 %)."""
    setup = new_setup(chemistry, 6, 50.0, balancer="none")
    trial = run(setup, Scenario(days=2, step_s=2.0, **CALM))
    curve = np.linspace(0.0, 100.0, 20001)
    rest_v = chemistries(chemistry).curve.ocv(curve)
    stored_wh = (
        50.0 / 100.0 * np.r_[0.0, np.cumsum(np.diff(curve) * (rest_v[1:] + rest_v[:-1]) / 2)]
    )
    start, end = 60.0, 60.0 + trial.gained_ah[0] / 50.0 * 100.0
    gained_wh = float((np.interp(end, curve, stored_wh) - np.interp(start, curve, stored_wh)).sum())
    through_wh = float(trial.charged_ah[0] * 3.7 * 6)
    assert trial.heat_wh > 0
    assert trial.into_packs_wh == pytest.approx(gained_wh + trial.heat_wh, abs=0.002 * through_wh)


@settings(max_examples=6)
@given(step=st.sampled_from([5.0, 20.0]), chemistry=st.sampled_from(["lfp", "nmc"]))
def test_the_step_does_not_decide_the_result(step, chemistry):
    setup = new_setup(chemistry, 4, 100.0)
    coarse, fine = (
        run(setup, Scenario(days=2, weather="clear", step_s=s, log_every_s=300.0, seed=5, **CALM))
        for s in (step, 1.0)
    )
    assert coarse.charged_ah == pytest.approx(fine.charged_ah, rel=0.01)


@pytest.mark.parametrize("step_s", [10.0, 30.0, 60.0])
def test_packs_in_parallel_do_not_rock_on_the_knee(step_s):
    """Held at the top, two packs share a small current whatever the step: none charges the other in
    turn.
    """
    setup = put(
        new_setup("lfp", 16, 230.0, 2, "none"),
        {"charging.absorption_v": 56.6, "charging.tail_a": None},
    )
    trial = run(
        setup,
        Scenario(
            days=2, weather="clear", start_soc_pct=85.0, step_s=step_s, log_every_s=60.0, **CALM
        ),
    )
    top = trial.logs[0].pack_v > 56.4
    assert top.sum() > 20
    assert np.abs(trial.logs[0].current_a - trial.logs[1].current_a)[top].max() < 1.0
    assert not trial.trips


def test_the_same_seed_gives_the_same_run():
    setup, plan = new_setup("lfp", 8, 100.0), Scenario(days=2, seed=11)
    one, two = run(setup, plan), run(setup, plan)
    assert np.array_equal(one.logs[0].cell_v, two.logs[0].cell_v)
    assert not np.array_equal(
        one.logs[0].cell_v, run(setup, Scenario(days=2, seed=12)).logs[0].cell_v
    )


# common practice: with 150 mV between cells a pack charged to 3.55 V average trips at 3.65 V
def test_a_stray_full_cell_trips_the_over_voltage():
    setup = put(new_setup("lfp", 16, 280.0, balancer="none"), {"charging.absorption_v": 56.8})
    plan = Scenario(
        days=2,
        weather="clear",
        start_soc_pct=85.0,
        cells=[CellFault(cell=4, offset_pct=0.7)],
        **CALM,
    )
    trips = run(setup, plan).trips
    assert trips
    assert trips[0].protection == "cell_over_voltage"
    assert trips[0].cell == 4
    assert trips[0].value == pytest.approx(3.65, abs=0.02)
    level = Scenario(days=2, weather="clear", start_soc_pct=85.0, **CALM)
    assert not run(setup, level).trips


def test_a_release_ends_each_trip_on_its_side():
    setup = put(new_setup("lfp", 16, 280.0, balancer="none"), {"charging.absorption_v": 56.8})
    plan = Scenario(
        days=3,
        weather="clear",
        start_soc_pct=85.0,
        cells=[CellFault(cell=4, offset_pct=0.9)],
        **CALM,
    )
    ended = [
        e
        for e in run(setup, plan).events
        if e.kind == "release" and e.protection == "cell_over_voltage"
    ]
    assert ended
    assert all(e.value <= setup.protection.cell_over_voltage.release_v + 1e-9 for e in ended)


def test_nothing_charges_in_the_cold():
    setup = put(new_setup("lfp", 8, 100.0), {"protection.charge_under_temperature.trip_c": 2.0})
    trial = run(setup, Scenario(days=2, weather="clear", ambient_c=-8.0, season_c=0.0, day_c=1.0))
    cold = trial.logs[0].temp_c.min(axis=1) < 1.0
    after = np.arange(trial.logs[0].rows) > 60
    assert (trial.logs[0].current_a[cold & after] <= 0.1).all()
    assert "charge_under_temperature" in {e.protection for e in trial.events}


# common practice: an at-rest-only balancer never runs with loads fluttering around zero
def test_a_balancer_allowed_only_at_rest_hardly_runs():
    plan = Scenario(days=5, weather="mixed", cells=[CellFault(cell=5, offset_pct=0.3)], seed=2)
    base = new_setup("lfp", 16, 280.0)
    at_rest, always = (run(put(base, {"balancer.when": when}), plan) for when in ("rest", "always"))
    assert always.balancing_h > 1.0
    assert at_rest.balancing_h < 0.15 * always.balancing_h


def test_bleeding_moves_current_times_time():
    setup = put(new_setup("lfp", 8, 100.0), {"balancer.current_a": 0.2, "balancer.when": "always"})
    trial = run(
        setup,
        Scenario(
            days=3,
            weather="clear",
            cells=[CellFault(cell=2, offset_pct=0.6)],
            log_every_s=10.0,
            **CALM,
        ),
    )
    hours = trial.logs[0].balancing[:, 1].sum() * 10.0 / 3600.0
    assert trial.moved_ah[0, 1] == pytest.approx(-0.2 * hours, rel=0.01)


def test_an_event_changes_setting_and_cell_on_its_day():
    plan = Scenario(
        days=4,
        weather="clear",
        cells=[CellFault(cell=3, joint_mohm=1.0)],
        events=[
            Event(
                day=2.0,
                note="retorqued, longer",
                settings={"charging.absorption_min": 180.0},
                cells=[CellFault(cell=3, joint_mohm=0.0)],
            )
        ],
        **CALM,
    )
    log = run(new_setup("lfp", 4, 100.0), plan).logs[0]
    before, after = (
        log.time_s < log.time_s[0] + 2 * 86400,
        log.time_s > log.time_s[0] + 2 * 86400 + 60,
    )
    rise = [
        1e3
        * np.polyfit(
            log.current_a[part],
            (log.cell_v[part, 2] - np.median(log.cell_v[part], axis=1)).astype(float),
            1,
        )[0]
        for part in (before, after)
    ]
    assert rise[0] == pytest.approx(1.0, abs=0.1)
    assert rise[1] == pytest.approx(0.0, abs=0.1)


def test_a_fault_that_is_nowhere_is_refused():
    with pytest.raises(InputError, match="cell up to 4"):
        run(new_setup("lfp", 4, 100.0), Scenario(days=1, cells=[CellFault(cell=9)]))


def test_the_summary_is_json_and_counts_add_up():
    setup = new_setup("lfp", 4, 100.0)
    trial = run(setup, Scenario(days=2))
    document = json.loads(json.dumps(to_json(trial, setup, Scenario(days=2)), allow_nan=False))
    assert sum(document["limited_by"].values()) == pytest.approx(1.0, abs=1e-3)
    assert document["limited"][0]["by"] == "nothing to charge with"  # it begins at midnight
    assert np.shape(document["balanced_min"]) == (1, 4)
    assert document["trips"] == sum(document["trips_by_protection"].values())


@pytest.mark.parametrize(
    ("text", "place"),
    [
        ('{"days": 0}', "days"),
        ('{"days": 3, "wether": "clear"}', "wether"),
        ('{"days": ', "line 1"),
        ("{}", "days"),
    ],
)
def test_a_scenario_that_is_none_names_its_place(tmp_path, text, place):
    path = tmp_path / "scenario.json"
    path.write_text(text)
    with pytest.raises(InputError, match=place):
        scenarios.load(path)


def test_the_sun_stands_where_it_should():
    # noon at the equinox on the equator: overhead; midnight: none; solstice noon at 52 degrees: 90
    # - 52 + 23.45 = 61.45 degrees high
    assert float(sky.cos_zenith(np.array(81.0), np.array(12.0), 0.0)) == pytest.approx(
        1.0, abs=1e-3
    )
    assert float(sky.cos_zenith(np.array(172.0), np.array(0.0), 52.0)) == 0.0
    assert float(sky.cos_zenith(np.array(172.0), np.array(12.0), 52.0)) == pytest.approx(
        np.sin(np.radians(61.45)), abs=2e-3
    )
    # Haurwitz at zenith: 1098 exp(-0.057) = 1037.2 W/m2, by hand
    assert float(sky.clear_sky_w_m2(np.array(0.0), 172)) == 0.0
