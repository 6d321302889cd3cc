"""Each rule fires on what it is for, keeps still on a sound setup, and its own cure silences it."""

import random

import pytest

from nipper.core.findings import Severity
from nipper.core.presets import LEADS, new_setup
from nipper.core.rules import RULES, Evidence, check, to_json, verdict
from nipper.core.rules.build import lead_carries_a
from nipper.core.setup import Setup, get, put
from tests.core.test_curve import table

P = "protection."
BAD: dict[str, list[dict[str, object]]] = {
    "over-voltage-release-above-trip": [{P + "cell_over_voltage.release_v": 3.65}, {P + "cell_over_voltage.release_v": 3.70}],
    "over-voltage-release-never-reached": [{P + "cell_over_voltage.release_v": 3.33}],
    "over-voltage-alarm-above-trip": [{P + "cell_over_voltage.alarm_v": 3.65}],
    "over-voltage-trip-beyond-sheet": [{P + "cell_over_voltage.trip_v": 3.75}, {"cell.max_v": 3.60}],
    "over-voltage-limit-too-low": [{P + "cell_over_voltage.trip_v": 3.40}, {P + "cell_over_voltage.alarm_v": 3.40}],
    "under-voltage-trip-too-high": [{P + "cell_under_voltage.trip_v": 3.27}],
    "under-voltage-release-below-trip": [{P + "cell_under_voltage.release_v": 2.60}],
    "under-voltage-alarm-below-trip": [{P + "cell_under_voltage.alarm_v": 2.50}],
    "under-voltage-trip-beyond-sheet": [{P + "cell_under_voltage.trip_v": 2.2, P + "power_off_v": 2.0}],
    "voltage-window-crossed": [{P + "cell_under_voltage.release_v": 3.60}],
    "pack-over-voltage-against-cells": [{P + "pack_over_voltage.trip_v": 60.0}, {P + "pack_over_voltage.release_v": 59.0}],
    "pack-under-voltage-against-cells": [{P + "pack_under_voltage.trip_v": 38.0}, {P + "pack_under_voltage.release_v": 42.0}],
    "pack-window-for-other-cell-count": [{P + "pack_over_voltage.trip_v": 54.0 * 15 / 16 - 1, P + "pack_over_voltage.release_v": 48.0}],
    "over-current-beyond-cell": [{P + "charge_over_current.trip_a": 200.0}, {P + "discharge_over_current.trip_a": 300.0}],
    "over-current-timing": [{P + "discharge_over_current.delay_s": 120.0}, {P + "charge_over_current.release_s": 5.0}, {P + "discharge_over_current.delay_s": 0.2}],
    "short-circuit-window": [{P + "short_circuit.delay_us": 5000.0}, {P + "short_circuit.delay_us": 10.0}, {P + "short_circuit.trip_a": 100.0}],
    "power-off-order": [{P + "power_off_v": 2.7}, {P + "power_off_v": 2.2}],
    "charge-counter-reference": [{P + "soc_full_v": 3.5}, {P + "soc_empty_v": 2.4}, {P + "soc_full_v": 2.7}],
    "alarm-after-trip": [
        {P + "discharge_over_current.alarm_a": 500.0},
        {P + "charge_over_temperature.alarm_c": 70.0},
        {P + "charge_under_temperature.alarm_c": -5.0},
        {P + "pack_over_voltage.alarm_v": 60.0},
        {P + "pack_under_voltage.alarm_v": 30.0},
    ],
    "charging-below-freezing": [{P + "charge_under_temperature.trip_c": -40.0}, {P + "charge_under_temperature": None}],
    "temperature-release-order": [{P + "charge_over_temperature.release_c": 50.0}, {P + "discharge_under_temperature.release_c": -20.0}],
    "discharge-cutoff-too-cold": [{P + "discharge_under_temperature.trip_c": -40.0}],
    "temperature-cutoff-too-hot": [{P + "charge_over_temperature.trip_c": 80.0}, {P + "mosfet_over_temperature.trip_c": 130.0}],
    "absorption-against-trip": [{"charging.absorption_v": 58.6, P + "pack_over_voltage.trip_v": 60.0}, {"charging.absorption_v": 57.6}],
    "absorption-against-pack-trip": [{P + "pack_over_voltage.trip_v": 55.0, P + "pack_over_voltage.release_v": 54.0}, {"charging.equalise_v": 58.2}],
    "absorption-under-the-knee": [{"charging.absorption_v": 53.0}],
    "float-order": [{"charging.float_v": 56.0}],
    "equalise": [{"charging.equalise_v": 58.6}, {"charging.equalise_v": 56.0, "charging.equalise_every_days": 3.0}, {"charging.equalise_v": 54.0}],
    "charge-rate": [{"charging.max_charge_a": 200.0}],
    "balance-start-above-absorption": [{"balancer.start_v": 3.55}],
    "balance-start-on-the-flat": [{"balancer.start_v": 3.20}],
    "absorption-too-short-to-level": [{"charging.absorption_min": 5.0}],
    "balancing-only-at-rest": [{"balancer.when": "rest"}],
    "balance-trigger": [{"balancer.delta_mv": 1.0}, {"balancer.delta_mv": 80.0}],
    "balance-start-above-trip": [{"balancer.start_v": 3.70, "charging": None}],
    "fuse-above-lead": [{"wiring.fuse_a": 400.0}],
    "fuse-below-trip": [{"wiring.fuse_a": 80.0}],
    "pack-without-fuse": [{"wiring.fuse_a": None}],
    "closed-loop-without-transport": [{"link.mode": "closed"}],
    "link-time-out": [{"link.mode": "closed", "link.transport": "can", "link.loss_timeout_s": 600.0}],
    "inverter-current-against-trips": [{"link.inverter_max_charge_a": 500.0}],
}
CASES = [pytest.param(code, changes, id=f"{code}-{i}") for code, all_ in BAD.items() for i, changes in enumerate(all_)]


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
        assert finding.message not in [f.message for f in rule.judge(cured, Evidence()) if f.severity is not Severity.NOTE]


def test_every_rule_has_a_code_of_its_own_a_source_and_a_case():
    codes = [r.code for r in RULES]
    assert len(set(codes)) == len(codes) >= 20
    assert all(r.source for r in RULES)
    only_notes_or_evidence = {"reserve-after-trip", "balancing-ends-at-float", "balancer-against-drift"}
    assert set(codes) - set(BAD) == only_notes_or_evidence


def test_a_sound_setup_gets_neither_error_nor_warning(make_setup):
    assert {f.severity for f in check(make_setup())} <= {Severity.NOTE}


def test_the_most_serious_stands_first_and_the_verdict_follows(make_setup):
    setup = make_setup(balancer__delta_mv=1.0, protection__charge_under_temperature__trip_c=-20.0)
    findings = check(setup)
    assert [f.severity.rank for f in findings] == sorted(f.severity.rank for f in findings)
    assert verdict(findings) == "fix"
    assert verdict([f for f in findings if f.severity is not Severity.ERROR]) == "review"
    assert to_json(findings)["findings"][0]["code"] == "charging-below-freezing"


# common practice: with 150 mV between cells a charge to 3.55 V average puts the highest past 3.65 V and the BMS cuts the charge
def test_a_measured_deviation_makes_a_target_too_high(make_setup):
    setup = make_setup(charging__absorption_v=56.8)
    calm, spread = Evidence(), Evidence(above_mean_mv=150.0, at_mean_v=3.55, highest_cell=4, when="charge of 2 Nov, 4.0 A")
    assert "absorption-against-trip" not in [f.code for f in check(setup, calm) if f.severity is Severity.ERROR]
    (found,) = [f for f in check(setup, spread) if f.code == "absorption-against-trip"]
    assert found.severity is Severity.ERROR
    assert "Cell 4" in found.message
    assert "2 Nov" in found.message
    cured = put(setup, found.suggestion)
    assert not [f for f in check(cured, spread) if f.code == "absorption-against-trip" and f.severity is Severity.ERROR]


def test_a_deviation_is_carried_along_the_curve_not_in_millivolts(make_setup):
    """The same charge apart is fewer millivolts lower on the knee."""
    setup, high = make_setup(), Evidence(above_mean_mv=100.0, at_mean_v=3.52, highest_cell=2)
    (note,) = [f for f in check(setup, high) if f.code == "absorption-against-trip"]
    assert 30 < float(note.message.split("stands ")[1].split(" mV")[0]) < 95


# common practice: 100 to 150 mA for an hour a week moves about 0.15 Ah, too little for an offset of a few Ah
def test_the_balancer_is_held_against_the_measured_drift(make_setup):
    setup = make_setup(balancer__current_a=0.15)
    starved = Evidence(worst_drift_mah_per_day=-38.0, worst_cell=11, allowed_h_per_day=0.1)
    enough = Evidence(worst_drift_mah_per_day=-38.0, worst_cell=11, allowed_h_per_day=1.0)
    (finding,) = [f for f in check(setup, starved) if f.code == "balancer-against-drift"]
    assert finding.severity is Severity.WARNING
    assert "15 mAh" in finding.message  # 0.15 A x 0.1 h
    assert "23 mAh" in finding.why  # 38 - 15
    (fine,) = [f for f in check(setup, enough) if f.code == "balancer-against-drift"]
    assert fine.severity is Severity.NOTE


def test_one_pack_leaving_is_foretold():
    setup = put(new_setup("lfp", 16, 280.0, 2), {"charging.max_charge_a": 200.0})
    (finding,) = [f for f in check(setup) if f.code == "charge-rate"]
    assert "If one of 2 packs leaves, the others get 200 A" in finding.message


def test_leads_carry_what_the_standard_says():
    for row in table("ampacity_iso10133.csv"):  # ISO 10133, from memory
        size = float(row["area_mm2"])
        if size in [s for s, _, _ in LEADS]:
            assert lead_carries_a(size) == float(row["insulation_70c_a"])
            assert lead_carries_a(size, hot=True) == float(row["insulation_105c_a"])


def numbers(setup: Setup) -> list[str]:
    limits = [f"protection.{k}.{f}" for k, m in setup.protection.model_dump().items() if isinstance(m, dict) for f in m]
    other = ["protection.soc_full_v", "protection.soc_empty_v", "protection.power_off_v", "balancer.start_v", "balancer.delta_mv"]
    other += ["charging.absorption_v", "charging.float_v", "charging.max_charge_a", "charging.absorption_min", "wiring.fuse_a", "wiring.cable_mm2"]
    return [p for p in limits + other if isinstance(get(setup, p), int | float)]


@pytest.mark.parametrize("seed", range(60))
def test_following_the_suggestions_ends_and_ends_sound(seed):
    """A wrong setup is led to a sound one by What follows alone, and no suggestion goes beyond the cell's sheet."""
    rng = random.Random(seed)
    setup = new_setup(rng.choice(["lfp", "nmc", "lto"]), rng.choice([4, 8, 16]), rng.choice([50.0, 280.0]), rng.choice([1, 2]))
    changes = {}
    for path in rng.sample(numbers(setup), rng.randint(1, 8)):
        value = get(setup, path)
        changes[path] = max(-60.0, value + rng.choice([-40, -20, -5, 5, 10, 30])) if path.endswith("_c") else round(value * rng.choice([0.5, 0.7, 0.9, 1.1, 1.3, 2.0]), 3)
    setup = put(setup, changes)
    for _ in range(40):
        cure = next((f for f in check(setup) if f.severity is not Severity.NOTE and f.suggestion), None)
        if cure is None:
            break
        setup = put(setup, cure.suggestion)
    assert verdict(check(setup)) == "ok", (changes, [f.message for f in check(setup) if f.severity is not Severity.NOTE])
