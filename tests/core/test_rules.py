"""Each rule fires on what it is for, keeps still on a sound setup, and its own cure silences it."""

import random
from dataclasses import replace

import pytest

from nipper.core.findings import Severity
from nipper.core.presets import new_setup
from nipper.core.rules import RULES, Evidence, check, to_json, verdict
from nipper.core.rules.schools import changes as school_changes
from nipper.core.rules.schools import limit_schools
from nipper.core.setup import Setup, get, load, put
from tests.conftest import FILES

P = "protection."


def pv(modules: int, in_series: int) -> dict[str, object]:
    """Modules of 49.5 V on an input of 150 V that tracks to 115 V, coldest morning -10 degC: three
    in series are too many.
    """
    module = {
        "voc_v": 49.5,
        "vmp_v": 41.6,
        "isc_a": 11.5,
        "imp_a": 10.9,
        "voc_pct_per_k": -0.27,
        "vmp_pct_per_k": -0.35,
    }
    return {
        "solar": {
            "module": module,
            "modules": modules,
            "in_series": in_series,
            "tracker": {"max_v": 150.0, "to_v": 115.0},
            "coldest_c": -10.0,
        }
    }


def separate(**changes: object) -> dict[str, object]:
    """An active balancer beside the BMS, sound but for what is changed."""
    sound = {
        "kind": "active",
        "current_a": 2.0,
        "start_v": 3.42,
        "delta_mv": 10.0,
        "when": "always",
        "low_v": 2.8,
        "high_v": 3.65,
        "low_c": 2.0,
    }
    return {"separate_balancer": {k: v for k, v in {**sound, **changes}.items() if v is not None}}


BAD: dict[str, list[dict[str, object]]] = {
    "voltages-of-another-count": [{"cells_in_series": 15}, {"cells_in_series": 14}],
    "no-such-bit-rate": [
        {"link": {"mode": "closed", "transport": "can", "bit_rate": 123}},
        {"link": {"mode": "closed", "transport": "rs485", "bit_rate": 500_000}},
    ],
    "no-common-protocol": [
        {
            "link": {
                "mode": "closed",
                "transport": "can",
                "battery_protocols": "P1, P2",
                "inverter_protocols": "Q1",
            }
        },
    ],
    "percentage-control-order": [
        {"link": {"low_cut_pct": 20.0, "low_alarm_pct": 15.0}},
        {"link": {"low_cut_pct": 20.0, "low_restart_pct": 20.0}},
        {"link": {"low_cut_pct": 30.0, "charge_start_pct": 10.0}},
    ],
    "uneven-row": [
        {"packs_in_parallel": 4, "wiring.joined": "same_end"},
        {"packs_in_parallel": 3, "wiring.joined": "same_end", "wiring.between_length_m": 2.0},
    ],
    "fuses-above-lead-between": [
        {"packs_in_parallel": 3, "wiring.joined": "diagonal", "wiring.between_mm2": 16.0},
    ],
    "main-fuse-breaking-capacity": [
        {"wiring.main_fuse_a": 250.0, "wiring.main_fuse_breaks_ka": 2.0},
    ],
    "switch-or-bar-too-small": [
        {"wiring.switch_a": 50.0},
        {"wiring.busbar_mm2": 20.0, "usage": {"continuous_w": 5000.0}},
    ],
    "connector-below-trip": [{"wiring.connector_a": 50.0}],
    "bus-too-long": [
        {"link": {"transport": "can", "bit_rate": 500_000, "bus_length_m": 180.0}},
    ],
    "over-voltage-release-above-trip": [
        {P + "cell_over_voltage.release_v": 3.65},
        {P + "cell_over_voltage.release_v": 3.70},
    ],
    "over-voltage-release-never-reached": [{P + "cell_over_voltage.release_v": 3.33}],
    "over-voltage-alarm-above-trip": [{P + "cell_over_voltage.alarm_v": 3.65}],
    "over-voltage-trip-beyond-sheet": [
        {P + "cell_over_voltage.trip_v": 3.75},
        {"cell.max_v": 3.60},
    ],
    "over-voltage-limit-too-low": [
        {P + "cell_over_voltage.trip_v": 3.40},
        {P + "cell_over_voltage.alarm_v": 3.40},
    ],
    "under-voltage-trip-too-high": [{P + "cell_under_voltage.trip_v": 3.27}],
    "under-voltage-release-below-trip": [{P + "cell_under_voltage.release_v": 2.60}],
    "under-voltage-alarm-below-trip": [{P + "cell_under_voltage.alarm_v": 2.50}],
    "under-voltage-trip-beyond-sheet": [
        {P + "cell_under_voltage.trip_v": 2.2, P + "power_off_v": 2.0}
    ],
    "voltage-window-crossed": [{P + "cell_under_voltage.release_v": 3.60}],
    "pack-over-voltage-against-cells": [
        {P + "pack_over_voltage.trip_v": 60.0},
        {P + "pack_over_voltage.release_v": 59.0},
    ],
    "pack-under-voltage-against-cells": [
        {P + "pack_under_voltage.trip_v": 38.0},
        {P + "pack_under_voltage.release_v": 42.0},
    ],
    "pack-window-for-other-cell-count": [
        {
            P + "pack_over_voltage.trip_v": 54.0 * 15 / 16 - 1,
            P + "pack_over_voltage.release_v": 48.0,
        }
    ],
    "over-current-beyond-cell": [
        {P + "charge_over_current.trip_a": 200.0},
        {P + "discharge_over_current.trip_a": 300.0},
    ],
    "over-current-timing": [
        {P + "discharge_over_current.delay_s": 120.0},
        {P + "charge_over_current.release_s": 5.0},
        {P + "discharge_over_current.delay_s": 0.2},
    ],
    "short-circuit-window": [
        {P + "short_circuit.delay_us": 5000.0},
        {P + "short_circuit.delay_us": 10.0},
        {P + "short_circuit.trip_a": 100.0},
    ],
    "power-off-order": [{P + "power_off_v": 2.7}, {P + "power_off_v": 2.2}],
    "charge-counter-reference": [
        {P + "soc_full_v": 3.5},
        {P + "soc_empty_v": 2.4},
        {P + "soc_full_v": 2.7},
    ],
    "alarm-after-trip": [
        {P + "discharge_over_current.alarm_a": 500.0},
        {P + "charge_over_temperature.alarm_c": 70.0},
        {P + "charge_under_temperature.alarm_c": -5.0},
        {P + "pack_over_voltage.alarm_v": 60.0},
        {P + "pack_under_voltage.alarm_v": 30.0},
    ],
    "charging-below-freezing": [
        {P + "charge_under_temperature.trip_c": -40.0},
        {P + "charge_under_temperature": None},
    ],
    "temperature-release-order": [
        {P + "charge_over_temperature.release_c": 50.0},
        {P + "discharge_under_temperature.release_c": -20.0},
    ],
    "discharge-cutoff-too-cold": [{P + "discharge_under_temperature.trip_c": -40.0}],
    "temperature-cutoff-too-hot": [
        {P + "charge_over_temperature.trip_c": 80.0},
        {P + "mosfet_over_temperature.trip_c": 130.0},
    ],
    "absorption-against-trip": [
        {"charging.absorption_v": 58.6, P + "pack_over_voltage.trip_v": 60.0},
        {"charging.absorption_v": 57.6},
    ],
    "absorption-against-pack-trip": [
        {P + "pack_over_voltage.trip_v": 55.0, P + "pack_over_voltage.release_v": 54.0},
        {"charging.equalise_v": 58.2},
    ],
    "absorption-under-the-knee": [{"charging.absorption_v": 53.0}],
    "float-order": [{"charging.float_v": 56.0}],
    "equalise": [
        {"charging.equalise_v": 58.6},
        {"charging.equalise_v": 56.0, "charging.equalise_every_days": 3.0},
        {"charging.equalise_v": 54.0},
    ],
    "charge-rate": [{"charging.max_charge_a": 200.0}],
    "balance-start-above-absorption": [{"balancer.start_v": 3.55}, separate(start_v=3.50)],
    "balance-start-on-the-flat": [{"balancer.start_v": 3.20}, separate(start_v=3.20)],
    "absorption-too-short-to-level": [{"charging.absorption_min": 5.0}],
    "balancing-only-at-rest": [
        {"balancer.when": "rest"},
        separate(when="rest"),
        {"balancer": None, **separate(when="rest")},
    ],
    "balancer-sleeps": [{"balancer.when": "always", "balancer.sleep_after_min": 10.0}],
    "balancer-switched-off": [{"balancer.switched": "off"}],
    "balance-trigger": [
        {"balancer.delta_mv": 0.0},
        {"balancer.delta_mv": 1.0},
        {"balancer.delta_mv": 80.0},
        separate(delta_mv=1.0),
    ],
    "balance-start-above-trip": [{"balancer.start_v": 3.70, "charging": None}],
    "fuse-above-lead": [{"wiring.fuse_a": 400.0}],
    "fuse-below-trip": [{"wiring.fuse_a": 80.0}],
    "pack-without-fuse": [{"wiring.fuse_a": None}],
    "closed-loop-without-transport": [{"link.mode": "closed"}],
    "link-time-out": [
        {"link.mode": "closed", "link.transport": "can", "link.loss_timeout_s": 600.0}
    ],
    "inverter-current-against-trips": [{"link.inverter_max_charge_a": 500.0}],
    "current-limit-missing": [
        {P + "discharge_over_current": None},
        {P + "charge_over_current": None},
        {P + "short_circuit": None},
    ],
    "fuse-before-bms": [
        {P + "short_circuit.trip_a": 2000.0},
        {"wiring.fuse_a": 160.0, P + "short_circuit.trip_a": 1500.0},
        {"wiring.fuse_kind": "fast", P + "short_circuit.trip_a": 700.0},
    ],
    "lead-ruined-before-fuse": [{"wiring.fuse_a": 630.0}, {"wiring.cable_mm2": 10.0}],
    "inrush": [
        {"usage.inrush_w": 15000.0, "usage.inrush_s": 12.0},
        {"usage.inrush_w": 25000.0, "usage.inrush_s": 0.5},
        {"usage.inrush_w": 60000.0, "usage.inrush_s": 0.5},
    ],
    "load-beyond-trip": [{"usage.continuous_w": 8000.0}, {"usage.continuous_w": 6300.0}],
    "fuse-breaking-capacity": [{"wiring.fuse_breaks_ka": 2.0}],
    "pulse-beyond-cell": [{"cell.pulse_discharge_a": 350.0, "cell.pulse_s": 5.0}],
    "main-fuse": [
        {"wiring.main_fuse_a": 400.0, "wiring.main_cable_mm2": 50.0},
        {"wiring.main_fuse_a": 63.0, "usage.continuous_w": 5000.0},
    ],
    "short-circuit-recovery": [{P + "short_circuit.release_s": 1.0}],
    "voltage-trip-delay": [
        {P + "cell_over_voltage.delay_s": 60.0},
        {P + "pack_under_voltage.delay_s": 0.1},
    ],
    "full-reference-on-the-flat": [{P + "soc_full_v": 3.32}],
    "empty-reference-on-the-flat": [{P + "soc_empty_v": 3.26}],
    "under-voltage-release-never-reached": [{P + "cell_under_voltage.release_v": 3.30}],
    "heat-limit-missing": [
        {P + "discharge_over_temperature": None},
        {P + "charge_over_temperature": None},
    ],
    "out-of-scale": [
        {"charging.float_v": 0.536},
        {P + "discharge_over_current.release_s": 60_000.0},
        {"wiring.cable_length_m": 0.015},
    ],
    "inverter-low-voltage": [
        {"link.low_cut_v": 40.0},
        {"link.low_cut_v": 46.0, "link.low_restart_v": 46.1},
        {"link.low_cut_v": 46.0, "link.low_alarm_v": 45.0},
    ],
    "loss-of-link": [
        {
            "link.mode": "closed",
            "link.transport": "can",
            "link.on_loss": "fallback",
            "charging": None,
        }
    ],
    "target-beyond-sheet": [{"charging.absorption_v": 60.0}, {"charging.equalise_v": 64.0}],
    "other-charger-against-trip": [
        {"other_chargers": [{"name": "shore", "absorption_v": 58.4, "max_charge_a": 20.0}]}
    ],
    "chargers-together": [
        {
            "other_chargers": [
                {"absorption_v": 55.2, "max_charge_a": 60.0},
                {"absorption_v": 55.2, "max_charge_a": 40.0},
            ]
        },
        {
            "charging.max_charge_a": 130.0,
            "other_chargers": [{"absorption_v": 55.2, "max_charge_a": 30.0}],
        },
    ],
    "temperature-compensation": [
        {"charging.compensation_mv_per_k": -72.0},
        {"charging.compensation_mv_per_k": -400.0},
    ],
    "tail-current": [{"charging.tail_a": 40.0}],
    "rate-table": [
        {"charging.rates": [{"from_c": 10.0, "c_rate": 0.5}, {"from_c": 0.0, "c_rate": 0.2}]},
        {"charging.rates": [{"from_c": -10.0, "c_rate": 0.1}, {"from_c": 10.0, "c_rate": 0.5}]},
        {"charging.rates": [{"from_c": 0.0, "c_rate": 2.0}]},
    ],
    "rate-in-the-cold": [
        {"charging.max_charge_a": 140.0},
        {"charging.rates": [{"from_c": 0.0, "c_rate": 0.05}, {"from_c": 15.0, "c_rate": 0.5}]},
    ],
    "pv-string": [pv(6, 3), pv(6, 1), pv(2, 3), {**pv(6, 2), "solar.tracker.max_short_a": 30.0}],
    "separate-balancer-window": [
        separate(low_v=2.2),
        separate(low_v=2.55),
        separate(high_v=3.80),
        separate(high_v=3.45),
    ],
    "separate-balancer-cold": [separate(low_c=-40.0), separate(low_c=0.0), separate(low_c=None)],
    "sheet-against-chemistry": [{"cell.max_v": 4.2}, {"cell.max_v": 3.3}, {"cell.min_v": 3.3}],
    "short-circuit-not-reached": [
        {"protection.short_circuit.trip_a": v} for v in (7000.0, 20000.0)
    ],
    "held-long-and-high": [
        {"charging.absorption_min": 2000.0},
        {"charging.absorption_v": 57.6, "charging.absorption_min": 900.0},
    ],
    "balancer-current-not-possible": [{"balancer.current_a": 150.0}],
    "lead-not-known": [{"wiring.cable_mm2": None}],
    "trip-beyond-lead": [{"wiring.fuse_a": None, "wiring.cable_mm2": 10.0}],
    "charge-beyond-fuse": [
        {"charging.max_charge_a": 210.0},
        {"charging.max_charge_a": 130.0, "wiring.main_fuse_a": 100.0},
        {"wiring.cable_mm2": 6.0, "charging.max_charge_a": 100.0},
    ],
}
CASES = [
    pytest.param(code, changes, id=f"{code}-{i}")
    for code, all_ in BAD.items()
    for i, changes in enumerate(all_)
]


@pytest.mark.parametrize(("code", "changes"), CASES)
def test_it_fires_and_its_own_cure_silences_it(make_setup, code, changes):
    setup = put(make_setup(), changes)
    rule = next(r for r in RULES if r.code == code)
    found = [f for f in rule.judge(setup, Evidence()) if f.severity is not Severity.NOTE]
    assert found, "kept still"
    finding = found[0]
    assert finding.settings
    assert len(finding.why) > 20
    if finding.suggestion:
        cured = put(setup, finding.suggestion)
        assert finding.message not in [
            f.message for f in rule.judge(cured, Evidence()) if f.severity is not Severity.NOTE
        ]


def test_every_rule_has_a_code_of_its_own_a_source_and_a_case():
    codes = [r.code for r in RULES]
    assert len(set(codes)) == len(codes) >= 60
    assert all(r.source for r in RULES)
    assert set(codes) - set(BAD) - set(NOTES) == {
        "balancer-against-drift",  # these need a log; tested below
        "chemistry-against-log",  # and in test_unfit
    }


def test_a_sound_setup_gets_neither_error_nor_warning(make_setup):
    assert {f.severity for f in check(make_setup())} <= {Severity.NOTE}


def test_the_most_serious_stands_first_and_the_verdict_follows(make_setup):
    setup = make_setup(balancer__delta_mv=1.0, protection__charge_under_temperature__trip_c=-20.0)
    findings = check(setup)
    assert [f.severity.rank for f in findings] == sorted(f.severity.rank for f in findings)
    assert verdict(findings) == "fix"
    assert verdict([f for f in findings if f.severity is not Severity.ERROR]) == "review"
    assert to_json(findings)["findings"][0]["code"] == "charging-below-freezing"


NOTES: dict[str, list[dict[str, object]]] = {
    "lead-beyond-table": [{"wiring.cable_mm2": 400.0}, {"wiring.main_cable_mm2": 630.0}],
    "charger-past-switch": [{"charging.joins": "at_battery"}],
    "over-current-at-once": [{P + "charge_over_current.delay_s": 0.0}],
    "reserve-after-trip": [{}],
    "balancing-ends-at-float": [{}],
    "rate-in-the-cold": [{"charging.max_charge_a": 100.0}],
    "standby-empties-pack": [{"wiring.standby_w": 8.0}],
    "two-balancers": [separate()],
    "balancing-only-while-charging": [
        {"balancer.when": "charging"},
        {"balancer.when": "charging", "balancer.in_over_voltage": "goes_on"},
    ],
    "balancer-idle-draw": [{"balancer.idle_a": 0.05}, separate(idle_a=0.02)],
    "load-beyond-trip": [{"usage.continuous_w": 8000.0, "packs_in_parallel": 2}],
    "main-fuse": [{"packs_in_parallel": 2, "wiring.main_fuse_a": 250.0}],
    "loss-of-link": [{"link.mode": "closed", "link.transport": "can"}],
    "fuse-before-bms": [{P + "short_circuit.trip_a": 700.0}],
    "heat-limit-missing": [{P + "mosfet_over_temperature": None}],
    "charging-below-freezing": [
        {P + "charge_under_temperature": None, "charging.cold_stop_c": 5.0}
    ],
}


@pytest.mark.parametrize(
    ("code", "changes"), [(code, c) for code, all_ in NOTES.items() for c in all_]
)
def test_facts_worth_knowing_are_notes_and_no_more(make_setup, code, changes):
    found = [f for f in check(put(make_setup(), changes)) if f.code == code]
    assert found
    assert all(f.severity is Severity.NOTE for f in found)


@pytest.mark.parametrize("chemistry", ["lfp", "nmc", "lto"])
@pytest.mark.parametrize("school", ["gentle", "balanced", "full"])
def test_a_school_of_limits_is_sound_and_costs_what_it_says(chemistry, school):
    setup = put(
        new_setup(chemistry, 16, 100.0),
        {"charging.equalise_v": 16 * 4.3 if chemistry == "nmc" else None},
    )
    taken = put(setup, school_changes(setup, school))
    assert verdict(check(taken)) == "ok", [
        f.message for f in check(taken) if f.severity is not Severity.NOTE
    ]
    told = {s.id: s for s in limit_schools(taken, Evidence())}
    assert told[school].followed
    assert told["now"].usable_ah == pytest.approx(told[school].usable_ah)
    assert told["gentle"].usable_ah < told["balanced"].usable_ah < told["full"].usable_ah
    if chemistry == "lto":  # its curve ends above these limits
        assert told["gentle"].days_after_trip is None
    else:
        assert told["gentle"].days_after_trip > told["full"].days_after_trip
    assert told["now"].room_mv == pytest.approx(
        1e3 * (taken.protection.cell_over_voltage.trip_v - taken.charging.absorption_v / 16) - 20.0,
        abs=0.1,
    )


def test_a_narrower_sheet_moves_a_school_inside_it(make_setup):
    setup = make_setup(cell__max_v=3.55, cell__min_v=2.8)
    for school in ("gentle", "balanced", "full"):
        taken = put(setup, school_changes(setup, school))
        assert taken.protection.cell_over_voltage.trip_v <= 3.55
        assert taken.protection.power_off_v >= 2.8
        assert taken.charging.absorption_v / 16 < 3.55


def test_the_contracts_own_example_is_sound():
    example = load(FILES / "contract.setup.json")
    assert verdict(check(example)) == "ok", [
        f.message for f in check(example) if f.severity is not Severity.NOTE
    ]


# common practice: with 150 mV between cells a charge to 3.55 V average puts the highest past 3.65 V
# and the BMS cuts the charge
def test_a_measured_deviation_makes_a_target_too_high(make_setup):
    setup = make_setup(charging__absorption_v=56.8)
    calm, spread = (
        Evidence(),
        Evidence(
            above_mean_mv=150.0, at_mean_v=3.55, highest_cell=4, when="charge of 2 Nov, 4.0 A"
        ),
    )
    assert "absorption-against-trip" not in [
        f.code for f in check(setup, calm) if f.severity is Severity.ERROR
    ]
    (found,) = [f for f in check(setup, spread) if f.code == "absorption-against-trip"]
    assert found.severity is Severity.ERROR
    assert "Cell 4" in found.message
    assert "2 Nov" in found.message
    cured = put(setup, found.suggestion)
    assert not [
        f
        for f in check(cured, spread)
        if f.code == "absorption-against-trip" and f.severity is Severity.ERROR
    ]


def test_a_deviation_is_carried_along_the_curve_not_in_millivolts(make_setup):
    """The same charge apart is fewer millivolts lower on the knee."""
    setup, high = make_setup(), Evidence(above_mean_mv=100.0, at_mean_v=3.52, highest_cell=2)
    (note,) = [f for f in check(setup, high) if f.code == "absorption-against-trip"]
    assert 30 < float(note.message.split("stands ")[1].split(" mV")[0]) < 95


# common practice: 100 to 150 mA for an hour a week moves about 0.15 Ah, too little for an offset of
# a few Ah
def test_the_balancer_is_held_against_the_measured_drift(make_setup):
    setup = make_setup(balancer__current_a=0.15)
    starved = Evidence(worst_drift_mah_per_day=-38.0, worst_cell=11, allowed_h_per_day=0.1)
    enough = Evidence(worst_drift_mah_per_day=-38.0, worst_cell=11, allowed_h_per_day=2.0)
    (finding,) = [f for f in check(setup, starved) if f.code == "balancer-against-drift"]
    assert finding.severity is Severity.WARNING
    # arithmetic.json: 0.15 A x 0.1 h = 15 mAh out of each cell bled; three of fifteen at a time, so
    # that the one that falls behind gains 15 x 3 / 15
    assert "15 mAh" in finding.why
    assert "3 mAh" in finding.message
    assert "35 mAh" in finding.why  # 38 - 3
    ahead = replace(starved, worst_drift_mah_per_day=38.0)
    (finding,) = [f for f in check(setup, ahead) if f.code == "balancer-against-drift"]
    assert "15 mAh" in finding.message  # a cell that runs ahead is bled itself
    assert "23 mAh" in finding.why  # 38 - 15
    (fine,) = [f for f in check(setup, enough) if f.code == "balancer-against-drift"]
    assert fine.severity is Severity.NOTE


def test_one_pack_leaving_is_foretold():
    setup = put(new_setup("lfp", 16, 280.0, 2), {"charging.max_charge_a": 200.0})
    (finding,) = [f for f in check(setup) if f.code == "charge-rate"]
    assert "If one of 2 packs leaves, the others get 200 A" in finding.message


def numbers(setup: Setup) -> list[str]:
    limits = [
        f"protection.{k}.{f}"
        for k, m in setup.protection.model_dump().items()
        if isinstance(m, dict)
        for f in m
    ]
    other = [
        "protection.soc_full_v",
        "protection.soc_empty_v",
        "protection.power_off_v",
        "balancer.start_v",
        "balancer.delta_mv",
    ]
    other += [
        "charging.absorption_v",
        "charging.float_v",
        "charging.max_charge_a",
        "charging.absorption_min",
        "wiring.fuse_a",
        "wiring.cable_mm2",
    ]
    return [p for p in limits + other if isinstance(get(setup, p), int | float)]


@pytest.mark.parametrize("seed", range(60))
def test_following_the_suggestions_ends_and_ends_sound(seed):
    """A wrong setup is led to a sound one by What follows alone, and no suggestion goes beyond the
    cell's sheet.
    """
    rng = random.Random(seed)
    setup = new_setup(
        rng.choice(["lfp", "nmc", "lto"]),
        rng.choice([4, 8, 16]),
        rng.choice([50.0, 280.0]),
        rng.choice([1, 2]),
    )
    changes = {}
    for path in rng.sample(numbers(setup), rng.randint(1, 8)):
        value = get(setup, path)
        changes[path] = (
            max(-60.0, value + rng.choice([-40, -20, -5, 5, 10, 30]))
            if path.endswith("_c")
            else round(value * rng.choice([0.5, 0.7, 0.9, 1.1, 1.3, 2.0]), 3)
        )
    setup = put(setup, changes)
    for _ in range(40):
        cure = next(
            (f for f in check(setup) if f.severity is not Severity.NOTE and f.suggestion), None
        )
        if cure is None:
            break
        setup = put(setup, cure.suggestion)
    assert verdict(check(setup)) == "ok", (
        changes,
        [f.message for f in check(setup) if f.severity is not Severity.NOTE],
    )


def test_a_cell_taken_out_is_one_change_of_all_pack_voltages():
    sixteen = put(
        new_setup("lfp", 16, 280.0),
        {"other_chargers": [{"name": "shore", "absorption_v": 55.6, "max_charge_a": 40.0}],
         "link.low_cut_v": 48.0, "charging.equalise_v": 56.8},
    )  # fmt: skip
    fifteen = put(sixteen, {"cells_in_series": 15})
    found = next(f for f in check(fifteen) if f.code == "voltages-of-another-count")
    assert found.severity is Severity.ERROR
    cured = put(fifteen, found.suggestion)
    scaled = ("charging.absorption_v", "charging.equalise_v", "link.low_cut_v")
    scaled += ("protection.pack_over_voltage.trip_v", "other_chargers.0.absorption_v")
    for path in scaled:
        assert get(cured, path) / 15 == pytest.approx(get(sixteen, path) / 16, abs=0.005)
    assert cured.protection.cell_over_voltage == sixteen.protection.cell_over_voltage
    assert not [f for f in check(cured) if f.code == "voltages-of-another-count"]


@pytest.mark.parametrize(
    ("chemistry", "cells"), [("lfp", 4), ("lfp", 16), ("nmc", 14), ("lto", 20)]
)
def test_a_pack_of_its_own_count_is_never_told_another(chemistry, cells):
    setup = new_setup(chemistry, cells, 100.0)
    assert "voltages-of-another-count" not in {f.code for f in check(setup)}


def test_a_target_that_is_only_too_high_is_no_other_count():
    high = put(new_setup("lfp", 16, 280.0), {"charging.absorption_v": 59.0})
    assert "voltages-of-another-count" not in {f.code for f in check(high)}


def test_of_two_balancers_it_is_said_which_one_and_none_that_is_off(make_setup):
    two = put(make_setup(), separate(when="rest"))
    told = [f.message for f in check(two) if f.code == "balancing-only-at-rest"]
    assert told == ["Separate balancer: the balancer runs only when no current is measured."]
    off = put(two, {"separate_balancer.switched": "off"})
    assert not [f for f in check(off) if f.code == "balancing-only-at-rest"]
    assert off.leveller_path == "balancer"
    alone = put(two, {"balancer.switched": "off"})
    assert alone.leveller_path == "separate_balancer"
