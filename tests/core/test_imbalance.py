"""Offsets, drift, resistance and the judgement, against packs whose answer is known."""

import csv
import json
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nipper.core.chemistry import chemistry as core_chemistry
from nipper.core.chemistry.cell import cell_resistance_ohm
from nipper.core.imbalance.causes import starved
from nipper.core.imbalance.diagnosis import diagnose, to_json
from nipper.core.imbalance.drift import balanced_ah, drift_of
from nipper.core.imbalance.estimate import balancer_use, estimate
from nipper.core.imbalance.lines import Moved, straight_line, through
from nipper.core.imbalance.offsets import Offsets, offsets_at
from nipper.core.imbalance.remedies import BLEED_W, E12_OHM, bleed, feed
from nipper.core.imbalance.resistance import Resistances, loose_ohm, step_resistances
from nipper.core.imbalance.signals import signals
from nipper.core.logs.charges import find_charges
from nipper.core.logs.model import Log
from nipper.core.logs.reader import read_log
from nipper.core.presets import new_setup
from nipper.core.setup import Balancer, load, put
from tests.builders import charge_log
from tests.conftest import FILES, REFERENCE
from tests.core.test_causes import calm
from tests.otherpack import Cells, Use, make, published_curve

TRUTH = json.loads((FILES / "truth.json").read_text())


@settings(max_examples=15)
@given(
    st.lists(st.floats(-1.5, 1.5), min_size=8, max_size=8), st.sampled_from(["lfp", "nmc", "lto"])
)
def test_offsets_come_back_as_they_were_put_in(offsets, chemistry):
    setup = new_setup(chemistry, 8, 100.0)
    log = charge_log(setup, offsets, hold_min=60.0)
    (charge,) = find_charges(log, setup)
    found = offsets_at(log, setup, charge)
    expected = np.array(offsets) - np.median(offsets)
    # a cell of a herd that ends on the flat may stay untold (NaN); one that is told must be right
    told = np.isfinite(found.offset_ah)
    assert told[np.abs(expected) > 1.0].any() or np.abs(expected).max() <= 1.0
    assert told.all() or chemistry == "lfp"
    error = np.abs(found.offset_ah - expected)[told]
    assert np.all(error < np.maximum(0.12, 3.0 * found.sd_ah[told])), (found, expected)
    assert np.all(found.low_ah[told] - 0.6 <= expected[told])
    assert np.all(expected[told] <= found.high_ah[told] + 0.6)


@pytest.mark.parametrize("case", ["synthetic_06", "synthetic_07", "synthetic_15"])
def test_offsets_agree_with_another_simulators_truth(case):
    setup, log = load(FILES / f"{case}.setup.json"), read_log(FILES / f"{case}.csv.gz")
    known = estimate(log, setup)
    truth = np.array(TRUTH[case]["offset_end_pct"])
    truth -= np.median(truth)
    found = 100.0 * known.drift.last_ah / setup.capacity_ah
    assert np.median(np.abs(found - truth)) < 0.2
    assert np.all(np.abs(found - truth) < np.maximum(0.5, 0.12 * np.abs(truth)))


def test_a_straight_line_is_fitted_as_least_squares_does():
    """tests/reference/ls_dataset.csv: y = a + d t + R I; with the current's part taken out the line
    is a textbook one.
    """
    with (REFERENCE / "ls_dataset.csv").open() as file:
        rows = list(csv.DictReader(file))
    keys = list(rows[0])
    t, current, y = (np.array([float(r[k]) for r in rows]) for k in keys[:3])
    y = y - 0.146254 * current
    expected = np.polyfit(t, y, 1)
    slope, sd, start = straight_line(
        t, y, np.full(t.size, 1e6)
    )  # equal weights, no point far out at such a scale
    assert slope == pytest.approx(expected[0], rel=0.03)
    assert start == pytest.approx(expected[1] + expected[0] * t.min() * 0, rel=0.03)
    assert sd > 0


def test_drift_is_found_within_its_interval_and_the_bound_is_kept():
    """Bound for a slope from N offsets dt apart: sd sqrt(12 / (N (N2 - 1))) / dt; 0.1 Ah, 10
    offsets, 10 days apart: 1.1 mAh/day.
    """
    rng = np.random.default_rng(3)
    true = np.array([-0.038, *np.zeros(7)])
    errors = []
    for _ in range(60):
        table = np.outer(np.arange(10) * 10.0, true) + rng.normal(0, 0.1, (10, 8))
        offsets = [
            Offsets(i * 864000.0, row, np.full(8, 0.1), row - 0.16, row + 0.16)
            for i, row in enumerate(table)
        ]
        found = through(offsets, Moved.nothing(10, 8), 100.0)
        errors.append(
            (found.ah_per_day[0] - np.median(found.ah_per_day[1:]) - true[0])
            / found.sd_ah_per_day[0]
        )
    bound = 0.1 * np.sqrt(12.0 / (10 * 99)) / 10.0
    assert found.sd_ah_per_day[0] >= bound
    assert (
        0.3 < np.std(errors) < 1.2
    )  # an honest interval: not much wider, not narrower than the errors


def test_what_the_balancer_moved_is_taken_out():
    setup = new_setup("lfp", 8, 100.0)
    rows = 1000
    flags = np.zeros((rows, 8), bool)
    flags[100:400, 3] = True  # 5 h at 60 s
    log = Log(
        np.arange(rows) * 60.0,
        np.ones(rows),
        np.full(rows, 26.4),
        np.full((rows, 8), 3.4, np.float32),
        np.empty((rows, 0), np.float32),
        balancing=flags,
    )
    at = np.array([50, 250, 999])
    moved = balanced_ah(
        log, Balancer(kind="passive", current_a=0.15, start_v=3.4, delta_mv=10.0, when="always"), at
    )
    np.testing.assert_allclose(moved[:, 3], [0.0, -0.15 * 151 / 60, -0.75], atol=1e-9)
    assert np.all(moved[:, 4] == 0)
    volts = log.cell_v.copy()
    volts[:, 3] += 0.02
    flags[100:400, 5] = True
    active = balanced_ah(
        Log(log.time_s, log.current_a, log.pack_v, volts, log.temp_c, balancing=flags),
        Balancer(kind="active", current_a=2.0, start_v=3.0, delta_mv=5.0, when="always"),
        at,
    )
    np.testing.assert_allclose(active[-1, [3, 5]], [-10.0, 10.0], atol=1e-9)
    assert balanced_ah(log, None, at) is None
    assert balancer_use(log, put(setup, {"balancer.start_v": 3.39})).above_start_h == pytest.approx(
        999 / 60
    )


def test_resistance_shows_in_steps_of_current():
    rng = np.random.default_rng(5)
    setup = new_setup("lfp", 8, 280.0)
    current = np.repeat(rng.uniform(-100, 50, 100), 4)
    r_mohm = np.full(8, 0.3)
    r_mohm[4] = 0.75
    volts = 3.3 + 1e-3 * np.outer(current, r_mohm) + rng.normal(0, 1e-3, (400, 8))
    log = Log(
        np.arange(400) * 60.0,
        current,
        volts.sum(axis=1),
        volts.astype(np.float32),
        np.empty((400, 0), np.float32),
    )
    found = step_resistances(log, setup)
    assert 1e3 * found.herd_ohm == pytest.approx(0.3, abs=0.02)
    assert 1e3 * found.excess_ohm[4] == pytest.approx(0.45, abs=0.03)
    assert np.all(np.abs(1e3 * np.delete(found.excess_ohm, 4)) < 0.03)
    # bound: sd_v sqrt(2) / (sqrt n sd_I); the clipped fit stays near it
    step = np.diff(current)
    bound = 1e-3 * np.sqrt(2) / np.sqrt(np.sum(step**2))
    assert bound * 0.8 < found.sd_ohm[0] < 3 * bound
    assert np.isnan(step_resistances(log.select(slice(0, 5)), setup).herd_ohm)


@pytest.mark.parametrize("case", TRUTH)
def test_the_judgement_agrees_with_the_truth(case):
    setup, log = load(FILES / f"{case}.setup.json"), read_log(FILES / f"{case}.csv.gz")
    found = diagnose(log, setup)
    assert found.verdict in TRUTH[case]["verdicts"]
    strong = [f for f in found.findings if f.confidence > 0.5]
    expected = TRUTH[case]["faults"]
    if not expected:
        assert strong == []
        return
    assert strong[0].cause == expected[0]["cause"]
    assert sorted(strong[0].cells) == sorted(expected[0]["cells"])
    size = expected[0]["magnitude"]
    assert strong[0].value == pytest.approx(size["value"], rel=0.12)
    assert strong[0].low <= size["value"] <= strong[0].high


def long_log(
    drift: np.ndarray,
    offset: np.ndarray | None = None,
    charges: int = 24,
    chemistry: str = "lfp",
    noise_mv: float = 0.5,
):
    setup = new_setup(chemistry, drift.size, 100.0)
    start = np.zeros(drift.size) if offset is None else offset
    return setup, charge_log(
        setup,
        start,
        charges=charges,
        drift_pct=drift,
        interval_s=60.0,
        hold_min=45.0,
        noise_mv=noise_mv,
        depth_pct=20.0,
    )


def test_a_leaking_cell_is_named_with_its_rate_and_cure():
    drift = np.zeros(16)
    drift[10] = -0.06  # % a day of 100 Ah: 60 mAh
    setup, log = long_log(drift)
    found = diagnose(log, setup)
    finding = found.findings[0]
    assert (finding.cause, finding.cells, found.verdict) == ("self_discharge", (11,), "act")
    assert finding.value == pytest.approx(-60.0, rel=0.15)
    assert finding.low < -60.0 < finding.high
    assert finding.confidence > 0.8
    assert "Feed cell 11" in finding.actions[0]
    assert finding.confirm


def test_a_block_that_sinks_together_is_fed_on_by_electronics():
    drift = np.zeros(16)
    drift[:5] = -0.05
    setup, log = long_log(drift)
    finding = diagnose(log, setup).findings[0]
    assert finding.cause == "group_drain"
    assert finding.cells == (1, 2, 3, 4, 5)
    assert finding.value == pytest.approx(-50.0, rel=0.2)


def test_a_standing_offset_is_not_called_drift_and_drift_not_an_offset():
    offset = np.zeros(16)
    offset[2] = 3.0
    setup, log = long_log(np.zeros(16), offset, charges=8, chemistry="nmc")
    found = [f for f in diagnose(log, setup).findings if f.confidence > 0.5]
    assert [(f.cause, f.cells) for f in found] == [("soc_offset", (3,))]
    assert "meter to the poles" in found[0].actions[0]  # a wrong reading looks nearly so
    assert "Bleed" in found[0].actions[1]


@pytest.mark.parametrize("chemistry", ["lfp", "nmc", "lto"])
@pytest.mark.parametrize("seed", [1, 2])
def test_a_healthy_pack_stays_healthy(chemistry, seed):
    rng = np.random.default_rng(seed)
    setup, log = long_log(
        rng.normal(0, 0.001, 16),
        rng.normal(0, 0.2, 16),
        charges=10,
        chemistry=chemistry,
        noise_mv=1.0,
    )
    found = diagnose(log, setup)
    assert found.verdict == "healthy"
    assert all(f.confidence <= 0.5 for f in found.findings)


def test_not_enough_says_what_to_record():
    setup = new_setup("lfp", 16, 100.0)
    log = charge_log(setup, np.zeros(16)).select(slice(0, 50))
    found = diagnose(log, setup)
    assert found.verdict == "not_enough_data"
    assert "one full charge held at 55.2 V for an hour" in found.advice[0]
    document = json.loads(json.dumps(to_json(found, log, setup), allow_nan=False))
    assert document["cells"][0]["soc_offset_pct"] is None
    assert document["findings"] == []


def test_the_document_is_that_of_the_contract():
    setup, log = load(FILES / "synthetic_06.setup.json"), read_log(FILES / "synthetic_06.csv.gz")
    document = json.loads(json.dumps(to_json(diagnose(log, setup), log, setup), allow_nan=False))
    assert (document["format"], document["version"]) == ("nipper-diagnosis", 1)
    assert set(document["findings"][0]) >= {
        "cause",
        "cells",
        "confidence",
        "magnitude",
        "summary",
        "evidence",
        "actions",
    }
    assert set(document["findings"][0]["magnitude"]) == {"quantity", "value", "low", "high", "unit"}
    assert len(document["cells"]) == 16
    assert set(document["cells"][0]) >= {
        "cell",
        "soc_offset_pct",
        "capacity_ah",
        "resistance_mohm",
        "drift_mah_per_day",
        "bias_mv",
    }
    assert set(document["charges"][0]) >= {
        "start",
        "end",
        "full",
        "top_pack_v",
        "deviation_top_mv",
        "deviation_rest_mv",
        "highest_cell",
        "lowest_cell",
    }


def test_work_that_is_cancelled_stops():
    setup, log = load(FILES / "synthetic_07.setup.json"), read_log(FILES / "synthetic_07.csv.gz")

    class StopError(Exception):
        pass

    def tick(_: float) -> None:
        raise StopError

    with pytest.raises(StopError):
        diagnose(log, setup, tick)


def test_bleeding_arithmetic_agrees_with_hand_calculation():
    # hand: 3.296 V on 1 ohm is 3.3 A and 10.9 W; 2.8 Ah take 0.85 h
    plan = bleed(2.8, new_setup("lfp", 16, 280.0))
    assert plan.current_a == pytest.approx(plan.power_w / (plan.current_a * plan.resistor_ohm))
    assert plan.power_w <= 12.0
    assert plan.hours == pytest.approx(2.8 / plan.current_a)
    assert f"{plan.resistor_ohm:g} Ω" in plan.sentence(4)


def test_resistors_to_bleed_with_can_be_bought():
    """The E12 row of IEC 60063 (two digits, from a table of its values), over three decades."""
    row = (10, 12, 15, 18, 22, 27, 33, 39, 47, 56, 68, 82)
    assert [round(100 * ohm) for ohm in E12_OHM] == [n * ten for ten in (1, 10, 100) for n in row]


@pytest.mark.parametrize("sheet_a", [0.4, 1.0, 3.0, 100.0])
@pytest.mark.parametrize("chemistry", ["lfp", "nmc", "lto"])
def test_the_next_smaller_resistor_would_be_too_warm_or_beyond_the_sheet(chemistry, sheet_a):
    setup = put(new_setup(chemistry, 4, 100.0), {"cell.max_discharge_a": sheet_a})
    plan = bleed(5.0, setup)
    assert plan.power_w <= BLEED_W
    smaller = max(ohm for ohm in E12_OHM if ohm < plan.resistor_ohm)
    volts = plan.current_a * plan.resistor_ohm
    assert volts**2 / smaller > BLEED_W or volts / smaller > sheet_a


def test_feeding_never_exceeds_the_sheet():
    for chemistry, top in (("lfp", 3.65), ("nmc", 4.20), ("lto", 2.80)):
        setup = put(new_setup(chemistry, 4, 100.0), {"cell.max_v": top - 0.1})
        plan = feed(5.0, setup)
        assert plan.supply_v <= top - 0.1
        assert plan.hours == pytest.approx(5.0 / plan.current_a)


@pytest.mark.parametrize("chemistry", ["lfp", "nmc", "lto"])
def test_a_forgotten_resistor_comes_off_long_before_the_cell_is_empty(chemistry):
    setup = new_setup(chemistry, 4, 100.0)
    plan, curve = bleed(5.0, setup), core_chemistry(chemistry).curve
    assert curve.ocv(5.0) < plan.stop_v < curve.ocv(40.0)
    assert f"take it off at {plan.stop_v:.2f} V" in plan.sentence(1)
    high = put(setup, {"cell.min_v": plan.stop_v + 0.1})
    assert bleed(5.0, high).stop_v == plan.stop_v + 0.1


def test_feeding_past_the_bms_says_how_cold_the_cell_may_be():
    setup = new_setup("lfp", 4, 100.0)
    place = "protection.charge_under_temperature"
    for trip_c, least_c in ((-10.0, 2.0), (5.0, 5.0)):
        cold = put(setup, {f"{place}.trip_c": trip_c, f"{place}.release_c": trip_c + 3.0})
        assert feed(5.0, cold).least_c == least_c
        assert f"no colder than {least_c:g} °C" in feed(5.0, cold).sentence(1)
    assert feed(5.0, put(setup, {place: None})).least_c >= 0.0


# faults put into the simulated pack: the estimator does not know the simulator, and its curve is
# not asked for
FAULTS = {
    "healthy": ([], None),
    "self_discharge": ([{"cell": 5, "leak_mah_per_day": 90.0}], -90.0),
    "high_resistance": ([{"cell": 3, "resistance_mohm": 0.8}], None),
    "sense_bias": ([{"cell": 7, "bias_mv": 18.0}], 18.0),
    "low_capacity": ([{"cell": 2, "capacity_pct": 85.0}], 85.0),
    "group_drain": ([{"cell": c, "leak_mah_per_day": 90.0} for c in (4, 5, 6, 7)], -90.0),
    "temperature_gradient": ([{"cell": c, "colder_c": 13.0} for c in (1, 2, 3, 4)], None),
}


@pytest.mark.parametrize("cause", FAULTS)
def test_each_cause_is_told_from_a_simulated_log(cause):
    from nipper.core.simulate.scenario import CellFault, Loads, Scenario
    from nipper.core.simulate.trial import run

    faults, size = FAULTS[cause]
    setup = new_setup("lfp", 16, 100.0)
    deep = Loads(base_w=120.0, fridge_w=60.0, evening_w=640.0, kettle_w=700.0)
    plan = Scenario(
        days=21,
        seed=4,
        weather="clear" if cause == "low_capacity" else "mixed",
        pv_w=6000.0 if cause == "low_capacity" else 2600.0,
        cells=[CellFault(**f) for f in faults],
    )
    plan = plan.model_copy(
        update={"loads": deep if cause == "low_capacity" else None, "start_soc_pct": 70.0}
    )
    log = run(setup, plan).logs[0]
    found = [f for f in diagnose(log, setup).findings if f.confidence > 0.5]
    if not faults:
        assert found == []
        return
    assert found, "nothing named"
    assert found[0].cause == cause
    assert sorted(found[0].cells) == sorted({f["cell"] for f in faults})
    if size is not None:
        assert found[0].value == pytest.approx(size, rel=0.25)
    assert found[0].evidence
    assert found[0].actions
    assert found[0].confirm


def plateau_log(step_v: np.ndarray, current: np.ndarray, cells: int = 8, seed: int = 1) -> Log:
    """Readings on the plateau: noise, a resistance of 1 mohm, and what ``step_v`` [rows, cells]
    adds.
    """
    rng = np.random.default_rng(seed)
    volts = 3.31 + 1e-3 * current[:, None] + step_v + rng.normal(0, 6e-4, (current.size, cells))
    return Log(
        np.arange(current.size) * 60.0,
        current,
        volts.sum(axis=1),
        np.round(volts, 3).astype(np.float32),
        np.empty((current.size, 0), np.float32),
    )


def test_a_loose_lead_jumps_two_neighbours_against_each_other():
    from nipper.core.imbalance.signals import signals

    rng = np.random.default_rng(2)
    rows = 3000
    loose = np.repeat(rng.random(rows // 20) < 0.3, 20) * 0.03
    step = np.zeros((rows, 8))
    step[:, 3], step[:, 4] = loose, -loose
    setup = new_setup("lfp", 8, 100.0)
    log = plateau_log(step, np.full(rows, -3.0))
    told = signals(log, setup, step_resistances(log, setup))
    assert told.pair_jumps[3] > 20
    assert np.delete(told.pair_jumps, 3).max() == 0
    assert told.pair_jump_v[3] == pytest.approx(0.03, abs=0.002)


def test_a_loose_joint_jumps_alone_and_with_the_current():
    from nipper.core.imbalance.signals import signals

    rng = np.random.default_rng(3)
    rows = 4000
    current = np.repeat(rng.choice([-25.0, -12.0, 8.0], rows // 50), 50)
    step = np.zeros((rows, 8))
    step[:, 5] = np.repeat(rng.random(rows // 25) < 0.5, 25) * 0.9e-3 * current
    setup = new_setup("lfp", 8, 100.0)
    log = plateau_log(step, current)
    told = signals(log, setup, step_resistances(log, setup))
    assert told.jumps[5] >= 10
    assert np.delete(told.jumps, 5).max() <= 1
    assert 1e3 * told.jump_ohm[5] == pytest.approx(0.9, rel=0.15)


@pytest.mark.parametrize("duty", [0.2, 0.5, 0.8])
def test_a_joint_that_comes_and_goes_is_measured_while_it_is_loose(duty):
    """The mean over all steps would say ``duty`` times as much."""
    rng = np.random.default_rng(3)
    step_a = rng.normal(0.0, 30.0, 1600)
    loose = np.repeat(rng.random(40) < duty, 40)
    own_v = np.column_stack(
        [
            rng.normal(0.0, 1e-3, 1600),
            np.where(loose, 0.6e-3, 0.0) * step_a + rng.normal(0.0, 1e-3, 1600),
        ]
    )
    nothing = np.zeros(2)
    time_s, still = np.arange(1600.0), np.zeros(1600)
    found = Resistances(1e-3, nothing, nothing, 1600, nothing, time_s, step_a, own_v, still)
    assert 1e3 * loose_ohm(found, 1) == pytest.approx(0.6, rel=0.1)
    steady = replace(found, own_v=0.6e-3 * step_a[:, None] + own_v[:, :1])
    assert loose_ohm(steady, 0) is None


@pytest.mark.parametrize("chemistry", ["lfp", "nmc", "lto"])
@pytest.mark.parametrize("offset_a", [0.05, 0.5, 1.5])
def test_days_of_rest_tell_nothing_of_a_wrong_reading(chemistry, offset_a):
    """One state of charge: a reading that is wrong and a cell that is fuller look the same.

    The meter's
    offset, counted for two days, is no other state of charge."""
    rng = np.random.default_rng(3)
    setup = put(new_setup(chemistry, 14, 100.0), {"balancer": None})
    curve = published_curve("ocv_nmc.csv", "ocv_v")
    if chemistry != "nmc":
        own = core_chemistry(chemistry).curve
        curve = (own.soc_pct, own.ocv_v)
    use = Use(days=2, start_pct=55.0, hours=[(0.0, 0.01, 0.0)], current_offset_a=offset_a)
    log, _ = make(setup, Cells(curve, offset_pct=rng.normal(0.0, 0.6, 14), hysteresis_mv=0.0), use)
    found = diagnose(log, setup)
    assert found.verdict == "not_enough_data"
    assert not [f for f in found.findings if f.confidence > 0.3]


def test_a_balancer_is_not_starved_by_a_drift_that_no_cells_have(make_setup):
    """2.5 Ah a day of 280 Ah: a charge read amiss, not ordinary cells that differ."""
    setup = make_setup()
    days = np.arange(20.0)
    spread = np.linspace(-1.0, 1.0, 16)
    for ah_per_day, named in ((0.3, True), (2.5, False)):
        table = days[:, None] * spread * ah_per_day / 2.0
        sd = np.full_like(table, 0.05)
        offsets = [
            Offsets(1.75e9 + 86400.0 * d, row, s, row - 0.1, row + 0.1)
            for d, row, s in zip(days, table, sd, strict=True)
        ]
        still = Moved.nothing(*table.shape)
        drift = drift_of(offsets, still, through(offsets, still, 230.0))
        known = replace(calm(), drift=drift)
        assert bool([c for c in starved(known, setup) if c.confidence > 0.5]) is named


def test_levelling_by_hand_stays_inside_the_cells_own_sheet():
    setup = put(
        new_setup("nmc", 14, 100.0),
        {"cell.max_v": 4.0, "cell.max_charge_a": 1.5, "cell.max_discharge_a": 1.0},
    )
    assert feed(5.0, setup).supply_v <= 4.0
    assert feed(5.0, setup).current_a <= 1.5
    assert bleed(5.0, setup).current_a <= 1.0
    double = put(setup, {"cells_in_parallel": 2})
    assert 1.5 < feed(5.0, double).current_a <= 3.0


# 14s20p of 22 mohm cells: each group has a twentieth
def test_cells_in_parallel_share_their_resistance():
    single = put(new_setup("nmc", 14, 100.0), {"cell.resistance_mohm": 22.0})
    group = put(single, {"cells_in_parallel": 20})
    assert cell_resistance_ohm(single) == pytest.approx(0.022)
    assert cell_resistance_ohm(group) == pytest.approx(0.0011)
    # by the chemistry alone the group's capacity decides, however many cells make it
    usual = put(new_setup("nmc", 14, 100.0), {"cell.resistance_mohm": None})
    assert cell_resistance_ohm(put(usual, {"cells_in_parallel": 20})) == cell_resistance_ohm(usual)


@pytest.mark.parametrize(("span", "told"), [(0.10, False), (0.15, True)])
def test_a_wrong_reading_is_told_from_two_states_of_charge_and_no_less(span, told):
    """By 12 % of capacity: at one state a reading that is wrong and a cell that is fuller look the
    same.
    """
    rows, rate = 2000, 0.03
    drawn = np.linspace(0.0, span, rows)
    volts = np.tile(core_chemistry("lfp").curve.ocv(60.0 - 100.0 * drawn)[:, None], (1, 16))
    volts[:, 4] += 0.015
    log = Log(
        time_s=1.7e9 + drawn / rate * 3600.0,
        current_a=np.full(rows, -rate * 100.0),
        pack_v=volts.sum(axis=1),
        cell_v=volts.astype(np.float32),
        temp_c=np.full((rows, 1), 20.0, np.float32),
    )
    found = signals(log, new_setup("lfp", 16, 100.0), calm().resistances)
    assert found.bias_v[4] == pytest.approx(0.015 if told else np.nan, abs=1e-3, nan_ok=True)


def test_what_a_balancer_moved_is_known_to_some_per_cent():
    """27 Ah out of each cell in 38 days, by the log's own word: what was left of their offsets was
    told as a block that loses 19 mAh a day, at 0.86.
    """
    rng = np.random.default_rng(6)
    table = rng.normal(0, 0.05, (20, 8))
    offsets = [
        Offsets(i * 2 * 86400.0, row, np.full(8, 0.1), row - 0.16, row + 0.16)
        for i, row in enumerate(table)
    ]
    still = through(offsets, Moved.nothing(20, 8), 100.0)
    busy = Moved(np.zeros((20, 8)), np.full(8, -27.0), True)
    moved = through(offsets, busy, 100.0)
    assert np.all(moved.ah_per_day == still.ah_per_day)
    assert np.all(moved.sd_ah_per_day > 0.02 * 27.0 / 38.0)
    assert np.all(still.sd_ah_per_day < 0.01)
