"""The causes one by one, from estimates made by hand: what each fires on, and what it leaves
alone.
"""

from dataclasses import replace

import numpy as np
import pytest

from nipper.core.imbalance import electrical
from nipper.core.imbalance.capacity import Capacities
from nipper.core.imbalance.causes import find_causes
from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.imbalance.drift import Drift
from nipper.core.imbalance.electrical import end_block
from nipper.core.imbalance.estimate import BalancerUse, Estimate
from nipper.core.imbalance.losing import _blocks
from nipper.core.imbalance.remedies import TopEnd
from nipper.core.imbalance.resistance import Resistances, Turn
from nipper.core.imbalance.signals import Signals
from nipper.core.presets import new_setup
from nipper.core.report import sentences
from nipper.core.setup import put
from tests.builders import charge_log

N, CAP = 16, 100.0
SETUP = new_setup("lfp", N, CAP)
NAN = np.full(N, np.nan)


def calm(charges: int = 20) -> Estimate:
    """A healthy pack of 16 cells: everything known, nothing wrong."""
    rng = np.random.default_rng(1)
    time_s = 1.75e9 + np.arange(charges) * 2 * 86400.0
    offset = rng.normal(0, 0.03, (charges, N))
    drift = Drift(
        time_s,
        offset,
        np.full_like(offset, 0.05),
        offset - 0.1,
        offset + 0.1,
        np.zeros_like(offset),
        True,
        rng.normal(0, 5e-4, N),
        np.full(N, 5e-4),
        np.zeros(N),
        0.15,
        np.zeros(N),
    )
    return Estimate(
        charges=(),
        resistances=Resistances(1e-3, rng.normal(0, 3e-5, N), np.full(N, 5e-6), 900, np.ones(N)),
        drift=drift,
        balancer=BalancerUse(30.0, 20.0, 10.0, 0.0, 1.0, 40.0),
        capacities=held(rng.normal(0, 0.3, N), 0.3),
        signals=Signals(
            rng.normal(0, 1e-3, N),
            np.full(N, 8e-4),
            np.zeros(N, int),
            NAN,
            np.zeros(N - 1, int),
            np.full(N - 1, np.nan),
            20_000,
        ),
        sensors_c=np.array([20.0, 20.5]),
        end=TopEnd(),
    )


def held(deficit_ah: np.ndarray, sd_ah: float) -> Capacities:
    """Three discharges that tell these capacities, and a level low end."""
    sd, way = np.full(N, sd_ah), 1.645 * sd_ah
    return Capacities(
        deficit_ah, sd, deficit_ah - way, deficit_ah + way, np.zeros(N), np.full(N, 0.3), 3, 5.0
    )


def at(values: np.ndarray, cells: list[int], value: float) -> np.ndarray:
    out = values.copy()
    out[[c - 1 for c in cells]] = value
    return out


def named(known: Estimate) -> list[tuple[str, tuple[int, ...]]]:
    return [(f.cause, f.cells) for f in find_causes(known, SETUP) if f.confidence > 0.5]


def test_a_calm_pack_gets_no_name():
    assert named(calm()) == []


def with_drift(cells: list[int], ah_per_day: float) -> Estimate:
    known = calm()
    slope = at(known.drift.ah_per_day, cells, ah_per_day)
    days = (known.drift.time_s - known.drift.time_s[0]) / 86400.0
    offset = known.drift.offset_ah + np.outer(days, at(np.zeros(N), cells, ah_per_day))
    return replace(
        known,
        drift=replace(
            known.drift,
            ah_per_day=slope,
            offset_ah=offset,
            low_ah=offset - 0.1,
            high_ah=offset + 0.1,
        ),
    )


@pytest.mark.parametrize(
    ("cells", "cause"),
    [([4], "self_discharge"), ([4, 5, 6, 7], "group_drain"), ([1, 2, 3], "group_drain")],
)
def test_drift_alone_or_of_a_block(cells, cause):
    assert named(with_drift(cells, -0.05)) == [(cause, tuple(cells))]


def test_two_leaking_cells_apart_are_told_together_and_are_no_group():
    assert named(with_drift([3, 12], -0.05)) == [("self_discharge", (3, 12))]


def test_a_cell_that_loses_much_more_is_told_by_itself():
    known = with_drift([3, 12], -0.05)
    slope = known.drift.ah_per_day.copy()
    slope[11] *= 4.0
    known = replace(known, drift=replace(known.drift, ah_per_day=slope))
    assert set(named(known)) == {("self_discharge", (3,)), ("self_discharge", (12,))}


def test_drift_within_what_healthy_cells_differ_by_is_left_alone():
    assert named(with_drift([4], -0.003)) == []


def test_a_less_sure_neighbour_belongs_to_the_block():
    mah = at(np.zeros(N), [13, 14, 15, 16], -70.0)
    mah[14] = -35.0
    (block,) = _blocks(np.array([12, 13, 15]), mah)
    assert block.tolist() == [12, 13, 14, 15]


def with_offset(
    cells: list[int], ah: float, low: float | None = None, high: float | None = None
) -> Estimate:
    known = calm()
    offset = known.drift.offset_ah.copy()
    offset[:, [c - 1 for c in cells]] = ah
    low_ah, high_ah = offset - 0.2, offset + 0.2
    if low is not None:
        low_ah[:, [c - 1 for c in cells]] = low
        high_ah[:, [c - 1 for c in cells]] = high
    return replace(
        known, drift=replace(known.drift, offset_ah=offset, low_ah=low_ah, high_ah=high_ah)
    )


def test_a_standing_offset_is_named_with_its_side():
    found = [f for f in find_causes(with_offset([2, 9], 4.0), SETUP) if f.confidence > 0.5]
    assert [(f.cause, f.cells, f.unit) for f in found] == [("soc_offset", (2, 9), "%")]
    assert found[0].value == pytest.approx(4.0)
    assert sum("Bleed" in a for a in found[0].actions) == 2


def test_an_offset_that_may_be_nothing_is_not_named_and_one_that_is_surely_large_is():
    assert named(with_offset([5], -3.0, -9.0, -0.2)) == []
    assert named(with_offset([5], -3.0, -14.0, -1.8)) == [("soc_offset", (5,))]


def test_the_range_told_is_narrower_than_the_one_that_charge_is_moved_by():
    (found,) = (f for f in find_causes(with_offset([2], 4.0, 2.0, 6.0), SETUP) if f.confidence)
    low, _ = with_offset([2], 4.0, 2.0, 6.0).drift.last_range_ah
    assert float(low[1]) < 2.6 < 3.0 < found.low < 4.0 < found.high < 5.0
    (move,) = found.moves
    assert move.ah == pytest.approx(-float(low[1]))


def test_a_range_that_says_nobody_knows_how_far_is_told_whole():
    for known in (with_offset([5], -3.0, -14.0, -1.8), with_offset([5], 3.0, 2.0, 9.0)):
        (found,) = (f for f in find_causes(known, SETUP) if f.confidence > 0.5)
        low, high = known.drift.last_range_ah
        assert (found.low, found.high) == pytest.approx((float(low[4]), float(high[4])))


def with_resistance(cells: list[int], share: float, **signals: object) -> Estimate:
    known = calm()
    return replace(
        known,
        resistances=replace(
            known.resistances, excess_ohm=at(known.resistances.excess_ohm, cells, share * 1e-3)
        ),
        signals=replace(known.signals, **signals),
    )


def test_a_resistive_cell_and_a_loose_joint_are_told_apart_by_jumps():
    assert named(with_resistance([6], 0.8)) == [("high_resistance", (6,))]
    jumps, size = at(np.zeros(N, int), [6], 12), at(NAN, [6], 1.2e-3)
    found = [
        f
        for f in find_causes(with_resistance([6], 0.5, jumps=jumps, jump_ohm=size), SETUP)
        if f.confidence > 0.5
    ]
    assert [(f.cause, f.cells) for f in found] == [("loose_joint", (6,))]
    assert found[0].low < 1.2 < found[0].high


def test_ten_per_cent_of_resistance_is_what_healthy_cells_differ_by():
    assert named(with_resistance([6], 0.12)) == []


def test_a_end_block_needs_the_sensors_to_agree():
    known = with_resistance([1, 2, 3], 0.45)
    assert named(replace(known, sensors_c=np.array([8.0, 20.0]))) == [
        ("temperature_gradient", (1, 2, 3))
    ]
    agreed = replace(known, sensors_c=np.array([20.0, 20.0]))
    assert {cause for cause, _ in named(agreed)} == {"high_resistance"}
    (found,) = [
        f
        for f in find_causes(replace(known, sensors_c=np.array([8.0, 20.0])), SETUP)
        if f.confidence > 0.5
    ]
    assert found.value == pytest.approx(-12.0)


@pytest.mark.parametrize(("colder_c", "considered"), [(1.4, False), (1.6, True), (-1.6, False)])
def test_sensors_that_hardly_differ_know_of_no_cold_end(colder_c, considered):
    """By 1.5 °C, a third of what one speaks of a gradient at."""
    known = replace(with_resistance([1, 2, 3], 0.45), sensors_c=np.array([20.0 - colder_c, 20.0]))
    colder = [f for f in find_causes(known, SETUP) if f.cause == "temperature_gradient"]
    assert bool(colder) == considered


@pytest.mark.parametrize(
    ("high", "expected"),
    [
        ([0, 1, 2], [0, 1, 2]),
        ([13, 14, 15], [13, 14, 15]),
        ([0], []),
        ([4, 5, 6], []),
        (list(range(14)), []),
    ],
)
def test_a_end_block_is_a_run_from_an_end(high, expected):
    share = np.zeros(N)
    share[high] = 0.4
    assert end_block(share, np.full(N, 0.01)).tolist() == expected


def test_resistance_is_given_for_25_degrees():
    """25 kJ/mol: at 0 degC a cell has 2.517 times the resistance it has at 25 degC (worked by hand
    from the Arrhenius law).
    """
    cold = replace(with_resistance([6], 0.8), sensors_c=np.array([0.0]))
    assert cold.to_25_c == pytest.approx(1 / 2.517, rel=1e-3)
    here, there = (
        next(f for f in find_causes(k, SETUP) if f.cause == "high_resistance")
        for k in (with_resistance([6], 0.8), cold)
    )
    assert there.value == pytest.approx(here.value / calm().to_25_c / 2.517, rel=1e-3)
    assert replace(cold, sensors_c=np.empty(0)).to_25_c == 1.0


def test_a_loose_lead_names_its_two_cells():
    pairs, size = np.zeros(N - 1, int), np.full(N - 1, np.nan)
    pairs[7], size[7] = 40, 0.045
    known = calm()
    found = [
        f
        for f in find_causes(
            replace(known, signals=replace(known.signals, pair_jumps=pairs, pair_jump_v=size)),
            SETUP,
        )
        if f.confidence > 0.5
    ]
    assert [(f.cause, f.cells, f.unit) for f in found] == [("sense_lead", (8, 9), "mV")]
    assert found[0].low < 45.0 < found[0].high


def test_a_wrong_reading_is_named_and_takes_its_offset_with_it():
    known = with_offset([10], 3.0)
    biased = replace(
        known, signals=replace(known.signals, bias_v=at(known.signals.bias_v, [10], 0.017))
    )
    assert named(biased) == [("sense_bias", (10,))]
    small = replace(calm(), signals=replace(calm().signals, bias_v=at(np.zeros(N), [10], 0.003)))
    assert named(small) == []


def test_on_a_sloped_curve_a_wrong_reading_stands_out_of_what_the_others_scatter_by():
    """Cells of a healthy pack hold half a per cent more or less: four of 16 "read wrongly"."""
    sloped = new_setup("nmc", N, 60.0)
    known = calm()

    def found(bias_mv):
        bias_v = 1e-3 * np.array(bias_mv)
        seen = replace(known.signals, bias_v=bias_v, bias_sd_v=np.full(N, 2.5e-3))
        causes = find_causes(replace(known, signals=seen), sloped)
        return [c for c in causes if c.cause == "sense_bias" and c.confidence > 0.5]

    scatter = [-6.2, 0.0, 2.2, 1.8, 0.0, 3.5, -5.3, 5.9, -2.0, 0.4, 4.4, -3.1]
    assert not found([-12.9, 11.2, -10.6, 11.0, *scatter])
    (alone,) = found([-14.0, 0.5, 0.0, 1.6, *(0.3 * mv for mv in scatter)])
    assert alone.cells == (1,)


def test_a_weak_cell_is_named_with_its_share_and_takes_its_offset_with_it():
    known = with_offset([7], -2.5)
    weak = replace(
        known,
        capacities=replace(
            held(at(known.capacities.deficit_ah, [7], -13.5), 0.3),
            low_offset_ah=at(np.zeros(N), [7], -16.0),
        ),
    )
    found = [f for f in find_causes(weak, SETUP) if f.confidence > 0.5]
    assert [(f.cause, f.cells) for f in found] == [("low_capacity", (7,))]
    assert found[0].value == pytest.approx(86.5)
    assert "86" in found[0].actions[0]


def test_a_balancer_on_the_flat_is_named_before_what_it_makes():
    known = with_drift([3], -0.05)
    use = BalancerUse(500.0, 500.0, 480.0, 400.0, 60.0, 38.0)
    assert named(replace(known, balancer=use)) == [("plateau_balancing", (3,))]
    assert named(replace(known, balancer=replace(use, flat_h=5.0))) == [("self_discharge", (3,))]


@pytest.mark.parametrize(
    ("flat_h", "moved_ah", "confidence"),
    [
        (200.0, 5.0, 0.49),  # at the threshold of its hours, and of what it moved
        (200.0, 7.5, 0.80),
        (200.0, 90.0, 0.80),  # however much it moved: its hours speak as well
        (500.0, 7.5, 0.97),
        (500.0, 90.0, 0.97),
    ],
)
def test_how_sure_a_balancer_on_the_flat_is(flat_h, moved_ah, confidence):
    use = BalancerUse(500.0, 500.0, 500.0, flat_h, moved_ah, 38.0)
    found = find_causes(replace(with_drift([3], -0.05), balancer=use), SETUP)
    (flat,) = [f for f in found if f.cause == "plateau_balancing"]
    assert flat.confidence == pytest.approx(confidence, abs=0.005)


def test_a_starved_balancer_is_many_cells_apart_not_one():
    known = calm(30)
    days = (known.drift.time_s - known.drift.time_s[0]) / 86400.0
    rates = np.linspace(-0.012, 0.012, N)
    offset = known.drift.offset_ah + np.outer(days, rates)
    spread = replace(
        known,
        drift=replace(
            known.drift,
            offset_ah=offset,
            ah_per_day=rates,
            low_ah=offset - 0.1,
            high_ah=offset + 0.1,
        ),
    )
    (found,) = [f for f in find_causes(spread, SETUP) if f.confidence > 0.5]
    assert found.cause == "balancer_starved"
    assert found.value == pytest.approx(24.0, rel=0.15)
    assert set(found.cells) <= set(range(1, 9))
    assert "balancer_starved" not in dict(named(with_drift([4], -0.05)))
    without = SETUP.model_copy(update={"balancer": None})
    assert not [f for f in find_causes(spread, without) if f.cause == "balancer_starved"]


def test_findings_come_strongest_first_and_are_json():
    import json

    both = with_resistance([6], 2.0)
    both = replace(both, drift=with_drift([12], -0.02).drift)
    found = find_causes(both, SETUP)
    assert [f.confidence for f in found] == sorted((f.confidence for f in found), reverse=True)
    assert {("high_resistance", (6,)), ("self_discharge", (12,))} <= set(named(both))
    assert json.loads(json.dumps([f.to_json() for f in found], allow_nan=False))


def test_a_cell_near_its_trip_is_no_health_and_wide_millivolts_are_said():
    setup = new_setup("lfp", 8, 100.0)
    volts = setup.charging.absorption_v / 8
    low_trip = put(setup, {"protection.cell_over_voltage.trip_v": round(volts + 0.012, 3),
                           "protection.cell_over_voltage.release_v": round(volts - 0.1, 3),
                           "protection.cell_over_voltage.alarm_v": None})  # fmt: skip
    log = charge_log(setup, np.zeros(8), charges=6)
    assert diagnose(log, setup).verdict == "healthy"
    judged = diagnose(log, low_trip)
    assert judged.verdict == "watch"
    assert "of its trip" in " ".join(judged.advice) or "by its trip" in " ".join(judged.advice)
    wide = diagnose(log, setup)
    end = replace(wide.estimate.end, highest_v=volts + 0.1, lowest_v=volts - 0.06)
    told = sentences.named(replace(wide, estimate=replace(wide.estimate, end=end)))
    assert told.startswith("160 mV at the top")


def offset_pct(pct: float) -> Estimate:
    known = calm()
    offset = known.drift.offset_ah.copy()
    offset[:, 4] = pct / 100.0 * SETUP.capacity_ah
    ends = {"low_ah": offset - 0.1, "high_ah": offset + 0.1}
    return replace(known, drift=replace(known.drift, offset_ah=offset, **ends))


def excess(times_the_herds: float) -> Estimate:
    known = calm()
    ohm = at(known.resistances.excess_ohm, [5], times_the_herds * known.resistances.herd_ohm)
    return replace(known, resistances=replace(known.resistances, excess_ohm=ohm))


def bias(mv: float) -> Estimate:
    known = calm()
    return replace(
        known, signals=replace(known.signals, bias_v=at(known.signals.bias_v, [5], 1e-3 * mv))
    )


def deficit(pct: float) -> Estimate:
    known = calm()
    ah = at(known.capacities.deficit_ah, [5], -pct / 100.0 * SETUP.capacity_ah)
    return replace(known, capacities=held(ah, 0.3))


def loss(pct_month: float) -> Estimate:
    return with_drift([5], -pct_month / 100.0 * SETUP.capacity_ah / 30.4)


@pytest.mark.parametrize(
    ("cause", "made", "mild", "grave"),
    [
        ("soc_offset", offset_pct, 2.8, 3.2),
        ("soc_offset", offset_pct, -2.8, -3.2),
        ("high_resistance", excess, 1.4, 1.6),
        ("sense_bias", bias, 19.0, 21.0),
        ("sense_bias", bias, -19.0, -21.0),
        ("low_capacity", deficit, 7.7, 8.3),
        ("self_discharge", loss, 0.45, 0.55),
    ],
)
def test_what_is_grave_asks_for_action_and_the_rest_for_watching(cause, made, mild, grave):
    for size, serious in ((mild, False), (grave, True)):
        found = find_causes(made(size), SETUP)[0]
        assert (found.cause, found.cells, found.serious) == (cause, (5,), serious)


@pytest.mark.parametrize(("apart_pct", "serious"), [(2.8, False), (3.5, True)])
def test_a_starved_balancer_asks_for_action_where_the_cells_stand_far_apart(apart_pct, serious):
    known = calm(30)
    days = (known.drift.time_s - known.drift.time_s[0]) / 86400.0
    rates = np.linspace(-0.5, 0.5, N) * apart_pct / 100.0 * SETUP.capacity_ah / days[-1]
    offset = np.outer(days, rates)
    ends = {"ah_per_day": rates, "low_ah": offset - 0.1, "high_ah": offset + 0.1}
    spread = replace(known, drift=replace(known.drift, offset_ah=offset, **ends))
    (found,) = [f for f in find_causes(spread, SETUP) if f.cause == "balancer_starved"]
    assert found.serious is serious


@pytest.mark.parametrize(
    ("missing_pct", "sd_pct", "confidence"),
    [(9.0, 0.3, 0.957), (9.0, 3.0, 0.954), (9.0, 4.0, 0.707), (9.0, 5.0, 0.142), (4.0, 0.1, 0.49)],
)
def test_how_sure_a_weak_cell_is(missing_pct, sd_pct, confidence):
    weak_one = replace(calm(), capacities=held(at(np.zeros(N), [7], -missing_pct), sd_pct))
    (weak,) = [f for f in find_causes(weak_one, SETUP) if f.cause == "low_capacity"]
    assert weak.confidence == pytest.approx(confidence, abs=0.006)


@pytest.mark.parametrize(("apart_pct", "serious"), [(1.5, False), (2.5, True)])
def test_a_balancer_on_the_flat_is_grave_where_the_cells_stand_far_apart(apart_pct, serious):
    use = BalancerUse(500.0, 500.0, 480.0, 400.0, 60.0, 38.0)
    known = replace(with_offset([3], -apart_pct), balancer=use)
    (flat,) = [f for f in find_causes(known, SETUP) if f.cause == "plateau_balancing"]
    assert flat.serious == serious


@pytest.mark.parametrize(
    ("after_ohm", "sd_ohm", "sound"),
    [
        (0.0, 1e-6, True),
        (0.09e-3, 1e-6, True),
        (0.11e-3, 1e-6, False),  # a tenth of the herd's is left
        (0.11e-3, 0.04e-3, True),  # or three of its standard deviations
        (0.13e-3, 0.04e-3, False),
        (0.21e-3, 0.2e-3, False),  # a fifth of what it was is no cure
    ],
)
def test_a_joint_is_sound_again_where_nothing_of_it_is_left(monkeypatch, after_ohm, sd_ohm, sound):
    change = Turn(1.75e9, 1e-3, after_ohm, sd_ohm, 500, 30.0)
    monkeypatch.setattr(electrical, "turn", lambda *_: change)
    assert (electrical._mended(calm().resistances, 3) is not None) == sound
