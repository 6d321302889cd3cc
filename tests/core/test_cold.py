"""The cold: brine and thermistors against tables from outside, and what a test of the cutoff
proves.
"""

import json
from datetime import UTC, datetime
from types import SimpleNamespace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nipper.core.cold import bath, thermistor
from nipper.core.cold.plan import plan, safe_trip_c
from nipper.core.cold.proof import from_log, parse_readings, prove
from nipper.core.cold.record import event_words, last_proof, parse, record
from nipper.core.cold.recovery import recovery
from nipper.core.errors import RangeError
from nipper.core.imbalance.causes_base import Cause
from nipper.core.presets import new_setup
from nipper.core.report.cold import cold_sentence, of_cold
from nipper.core.rules import check, verdict
from nipper.core.setup import TemperatureLimit, put
from nipper.core.simulate.scenario import Event, Scenario
from nipper.core.simulate.trial import run
from tests.core.test_reference_curves import REFERENCE

LIMIT = TemperatureLimit(trip_c=4.0, release_c=6.0)
BRINE = np.genfromtxt(REFERENCE / "brine.csv", delimiter=",", names=True)
NTC = np.genfromtxt(REFERENCE / "ntc.csv", delimiter=",", names=True)


# source: CoolProp 8.0.0 "INCOMP::MNA", tests/reference/brine.csv; stated tolerance 0.1 K to 20 %,
# 0.2 K above
@pytest.mark.parametrize("row", range(1, BRINE.size))
def test_brine_against_a_property_library(row):
    salt = float(BRINE["nacl_mass_pct"][row])
    assert bath.brine_c(salt) == pytest.approx(
        float(BRINE["freezing_c_coolprop_mna"][row]), abs=0.1 if salt <= 20 else 0.2
    )
    assert bath.grams_per_kg_water(salt) == pytest.approx(
        float(BRINE["g_salt_per_kg_water"][row]), abs=0.01
    )


@given(st.floats(-21.0, -0.01))
def test_salt_and_temperature_are_each_other_s_inverse(target):
    salt = bath.salt_for_c(target)
    assert salt is not None
    assert bath.brine_c(salt) == pytest.approx(target, abs=1e-6)


def test_no_brine_is_colder_than_its_eutectic():
    assert bath.salt_for_c(-22.0) is None
    assert bath.brine_c(40.0) == -21.1


# source: closed formula evaluated outside, tests/reference/ntc.csv
@pytest.mark.parametrize("row", range(NTC.size))
def test_thermistors_against_the_table(row):
    here = float(NTC["temp_c"][row])
    for beta in (3380, 3435, 3950):
        assert thermistor.resistance_ohm(here, beta) == pytest.approx(
            float(NTC[f"r_b{beta}_ohm"][row]), rel=1e-4
        )
        assert thermistor.temperature_c(
            thermistor.resistance_ohm(here, beta), beta
        ) == pytest.approx(here, abs=1e-9)
    assert thermistor.shown_c(here, 3950, 3435) == pytest.approx(
        float(NTC["shown_c_if_3950_part_read_as_3435"][row]), abs=0.01
    )
    assert thermistor.shown_c(here, 3435, 3950) == pytest.approx(
        float(NTC["shown_c_if_3435_part_read_as_3950"][row]), abs=0.01
    )
    shown = thermistor.steinhart_hart_c(
        float(NTC["r_steinhart_hart_ohm"][row]), 1.129148e-3, 2.34125e-4, 8.76741e-8
    )
    assert shown == pytest.approx(here, abs=0.01)


def test_ice_water_cannot_trip_a_cutoff_at_freezing():
    status, words = bath.judge(bath.ice_water(), TemperatureLimit(trip_c=0.0, release_c=3.0))
    assert status == "act"
    assert "cannot trip a 0 °C cutoff" in words
    assert "salt would" in words
    assert bath.judge(bath.ice_water(), LIMIT)[0] == "ok"
    assert bath.judge(bath.salted_ice(5.0), TemperatureLimit(trip_c=0.0, release_c=3.0))[0] == "ok"
    assert (
        bath.judge(bath.salted_ice(2.0), TemperatureLimit(trip_c=0.0, release_c=3.0))[0] == "watch"
    )
    assert bath.judge(bath.freezer_mix(), TemperatureLimit(trip_c=-5.0, release_c=0.0))[0] == "ok"
    assert (
        "strong salt mix"
        in bath.judge(bath.ice_water(), TemperatureLimit(trip_c=-25.0, release_c=-20.0))[1]
    )
    assert bath.judge(bath.ice_water(), None)[0] == "act"


def cooled(stops_at=None, goes_on_at=None, lowest=0.0):
    """A sensor goes from 15 degC to the bath and back, a reading every 10 s."""
    temp = np.r_[np.linspace(15, lowest, 60), np.full(40, lowest), np.linspace(lowest, 15, 60)]
    current = np.full(temp.size, 20.0)
    if stops_at is not None:
        first = int(np.argmax(temp <= stops_at))
        current[first:] = 0.0
        if goes_on_at is not None:
            current[
                first
                + int(
                    np.argmax((temp[first:] >= goes_on_at) & (np.arange(temp.size - first) > 20))
                ) :
            ] = 20.0
    return np.arange(temp.size) * 10.0, temp, current


def test_a_cutoff_that_acts_is_proven_with_stop_and_resume():
    found = prove(*cooled(4.0, 6.0), LIMIT)
    assert found.verdict == "proven"
    assert found.stop_c == pytest.approx(4.0, abs=0.3)
    assert found.resume_c == pytest.approx(6.0, abs=0.3)
    kept = parse(record(found).model_dump_json())
    assert kept is not None
    assert kept.words == "stops at 3.8 °C, resumes at 6.1 °C"
    assert kept.is_of(LIMIT)
    assert not kept.is_of(TemperatureLimit(trip_c=1.0, release_c=6.0))


def test_a_bath_that_is_not_cold_enough_proves_nothing():
    found = prove(*cooled(lowest=4.5), LIMIT)
    assert found.verdict == "not_cold_enough"
    assert "proves nothing" in found.sentence


def test_a_cutoff_that_does_not_act_is_told():
    found = prove(*cooled(lowest=-3.0), LIMIT)
    assert found.verdict == "not_proven"
    assert "went on at −3 °C" in found.sentence


def test_stopping_below_freezing_or_elsewhere_is_no_proof():
    assert (
        prove(*cooled(-2.0, 0.0, lowest=-5.0), TemperatureLimit(trip_c=-2.0, release_c=0.0)).verdict
        == "not_proven"
    )
    assert "something else" in prove(*cooled(10.0, 12.0), LIMIT).sentence


def plunged(times=2, bath_c=-12.0, every_s=10.0, delay_s=3.0, limit=LIMIT):
    """A sensor straight from 18 degC into brine and out again; it follows within some seconds."""
    time_s = np.arange(0.0, 600.0 * times, every_s)
    in_bath = (time_s % 600.0 >= 120.0) & (time_s % 600.0 < 300.0)
    temp = np.where(in_bath, bath_c, 18.0)
    since = np.where(in_bath, time_s % 600.0 - 120.0, 0.0)
    warm = np.where(time_s % 600.0 >= 300.0, time_s % 600.0 - 300.0, 1e9)
    off = in_bath & (since >= delay_s) | (warm < 30.0)
    return time_s, temp, np.where(off, 0.0, 20.0)


@pytest.mark.parametrize("delay_s", [0.0, 3.0, 15.0])
def test_a_plunge_far_below_the_cutoff_proves_it_when_it_stops_twice(delay_s):
    once = prove(*plunged(1, delay_s=delay_s), LIMIT)
    assert once.verdict == "once"
    assert "a second time" in once.sentence
    twice = prove(*plunged(2, delay_s=delay_s), LIMIT)
    assert twice.verdict == "proven", twice.sentence
    assert twice.stop_c == -12.0
    assert "2 times" in twice.sentence
    kept = parse(record(twice).model_dump_json())
    assert kept is not None
    assert kept.words.startswith("stops between 18 and −12 °C")


def test_a_plunge_whose_charge_goes_on_is_no_proof():
    found = prove(*plunged(2, delay_s=150.0), LIMIT)
    assert found.verdict == "not_proven"
    assert "went on at −12 °C" in found.sentence
    late = prove(*plunged(2, delay_s=90.0), LIMIT)
    assert late.verdict == "not_proven"


def test_a_cloud_or_a_full_pack_is_no_stop_of_the_cold():
    """The charge pauses in the warm, then goes on far below the cutoff."""
    time_s, temp, current = cooled(lowest=-3.0)
    current[10:20] = 0.0  # a cloud at 13 degC
    assert prove(time_s, temp, current, LIMIT).verdict == "not_proven"
    warm = np.full(100, 18.0) - np.linspace(0, 2, 100)
    pause = np.r_[np.full(50, 20.0), np.zeros(50)]  # full at 17 degC
    found = prove(np.arange(100) * 10.0, warm, pause, LIMIT)
    assert found.verdict in ("not_proven", "not_cold_enough")
    assert found.verdict != "proven"


def test_a_sealed_packs_cutoff_is_found():
    found = prove(*cooled(3.0, 6.0), None)
    assert found.verdict == "proven"
    assert found.sentence.startswith("Found: charging stopped at")
    assert found.stop_c == pytest.approx(3.0, abs=0.3)
    cold = prove(*cooled(-4.0, 0.0, lowest=-8.0), None)
    assert cold.verdict == "not_proven"


@given(
    stops_at=st.floats(-6.0, 8.0),
    trip_c=st.floats(0.0, 6.0),
    every=st.sampled_from([1, 3, 6]),
)
def test_nothing_is_proven_that_charged_below_freezing_or_stopped_elsewhere(
    stops_at, trip_c, every
):
    time_s, temp, current = cooled(stops_at, lowest=-10.0)
    limit = TemperatureLimit(trip_c=trip_c, release_c=trip_c + 3.0)
    found = prove(time_s[::every], temp[::every], current[::every], limit)
    if found.verdict == "proven":
        assert found.stop_c <= trip_c + 2.5
        assert found.charging_c >= trip_c - 2.5
        assert found.charging_c >= -2.6


def test_one_stop_at_the_cutoff_does_not_mend_a_charge_that_went_on_below_it():
    """A cloud at 4 degC fits the cutoff of 4; then the sun is back and it charges at 1 degC."""
    temp = np.r_[np.linspace(15, 4, 60), np.full(20, 4.0), np.full(120, 1.0)]
    current = np.where((np.arange(200) >= 60) & (np.arange(200) < 80), 0.0, 20.0)
    found = prove(np.arange(200) * 10.0, temp, current, LIMIT)
    assert found.verdict == "not_proven"
    assert "went on at 1 °C" in found.sentence


def test_a_flutter_in_one_plunge_is_one_stop():
    time_s, temp, current = plunged(1)
    cold = np.flatnonzero(temp < 0.0)
    current[cold[1]] = 20.0  # on again for one reading, still in the brine
    assert prove(time_s, temp, current, LIMIT).verdict == "once"


@pytest.mark.parametrize("times", [1, 2, 3])
def test_an_unknown_cutoff_is_not_found_by_plunging(times):
    """Between 18 and -12 degC it may lie at -8: that is no cutoff above freezing."""
    found = prove(*plunged(times), None)
    assert found.verdict == "not_proven"
    assert not found.sentence.startswith("Found")


def test_a_kept_proof_is_read_whoever_wrote_it():
    old = "cold cutoff proven: stops at 3 °C, resumes at 6 °C"
    assert event_words("proof", old) == "cold cutoff proven: stops at 3 °C"
    assert event_words("note", "stops at 3 °C") == "stops at 3 °C"
    assert event_words("proof", "nonsense") == "nonsense"
    events = [(1.0, 1, "proof", old), (2.0, 2, "proof", old), (3.0, 1, "note", old)]
    assert last_proof(events, 1)[0] == 1.0
    assert last_proof(events, 3) is None
    assert parse(old).is_of(LIMIT)
    assert not parse(old).is_of(TemperatureLimit(trip_c=0.0, release_c=3.0))


def test_a_cutoff_moved_since_its_proof_is_not_proven():
    setup = put(
        new_setup("lfp", 8, 100.0), {"protection.charge_under_temperature": LIMIT.model_dump()}
    )
    now = datetime(2026, 7, 1, tzinfo=UTC)
    proof = (now.timestamp() - 86400.0, record(prove(*cooled(4.0, 6.0), LIMIT)))
    assert cold_sentence(setup, proof, now)[0] == "ok"
    moved = put(setup, {"protection.charge_under_temperature.trip_c": 1.0})
    status, words = cold_sentence(moved, proof, now)
    assert status == "watch"
    assert "proven for 4 °C, set to 1 °C" in words


def test_without_charge_current_there_is_nothing_to_judge():
    time_s, temp, current = cooled()
    assert prove(time_s, temp, 0.0 * current, LIMIT).verdict == "nothing"


def test_a_test_recorded_in_a_log_is_found():
    """The kernel's own cutoff in a made-up bath: it stops at its trip and goes on above its
    release.
    """
    setup = put(
        new_setup("lfp", 8, 100.0),
        {"protection.charge_under_temperature": {"trip_c": 4.0, "release_c": 6.0}},
    )
    events = [
        Event(day=0.42 + 0.002 * i, minutes=3.0, sensor=1, sensor_c=12.0 - i) for i in range(12)
    ]
    events += [
        Event(day=0.444 + 0.002 * i, minutes=3.0, sensor=1, sensor_c=1.0 + i) for i in range(10)
    ]
    log = run(
        setup,
        Scenario(days=0.6, weather="clear", start_soc_pct=20.0, log_every_s=10.0, events=events),
    ).logs[0]
    found = from_log(log, setup.protection.charge_under_temperature)
    assert found is not None
    when, proof = found
    assert proof.verdict == "proven"
    assert proof.stop_c == pytest.approx(3.0, abs=1.1)
    assert log.time_s[0] < when < log.time_s[-1]


def test_typed_readings():
    time_s, temp, current = parse_readings("0 15 20\n1; 8; 20\n\n2,4.0,20\n3\t3\t0\n")
    assert time_s.tolist() == [0.0, 60.0, 120.0, 180.0]
    assert temp.tolist() == [15.0, 8.0, 4.0, 3.0]
    assert current[-1] == 0.0
    with pytest.raises(RangeError, match="line 2"):
        parse_readings("0 15 20\n1 cold 20\n2 3 0")
    with pytest.raises(RangeError, match="three lines"):
        parse_readings("0 15 20")


@pytest.mark.parametrize("chemistry", ["lfp", "nmc", "lto"])
def test_a_supply_to_wake_a_pack_stays_inside_its_charge(chemistry):
    setup = new_setup(chemistry, 8, 100.0)
    found = recovery(setup)
    assert found.supply_v <= setup.charging.absorption_v
    assert 0 < found.supply_a <= 5.0
    assert found.steps[0].startswith("Bring the whole pack")
    assert any("Do not force" in step for step in found.steps)


def test_a_supply_to_wake_a_pack_stays_inside_the_cells_own_sheet():
    narrow = put(
        new_setup("nmc", 14, 100.0),
        {"cell.max_v": 4.0, "cell.min_v": 3.0, "cell.max_charge_a": 2.0, "charging": None},
    )
    found = recovery(narrow)
    assert found.supply_v <= 14 * 4.0
    assert found.supply_a <= 2.0
    assert any("Below 3.00 V on any" in step for step in found.steps)


# worked examples: safe trip = 0 + the sensor's error + how much colder the cell is
def test_a_safe_cutoff_covers_sensor_and_place():
    for row in json.loads((REFERENCE / "arithmetic.json").read_text())["cold_charge_chain"]["rows"]:
        assert safe_trip_c(row["sensor_error_k"], row["gradient_k"]) == row["safe_trip_c"]


def test_the_plan_names_what_each_source_needs(make_setup):
    assert plan(make_setup()).who == "bms"
    assert plan(make_setup()).steps == ()
    bare = put(
        make_setup(),
        {
            "protection.charge_under_temperature": None,
            "other_chargers": [{"absorption_v": 55.0, "max_charge_a": 10.0}],
        },
    )
    told = plan(bare)
    assert told.who == "nobody"
    assert "each of the 2 chargers" in told.steps[1]
    assert "70 A" in told.steps[1]  # 56 A x 1.25
    led = put(bare, told.stand_in)
    assert plan(led).who == "charger"
    assert led.charge_cutoff.trip_c == 5.0
    assert verdict(check(led)) == "ok"


def two_sensors(*means_c):
    return SimpleNamespace(sensors_c=np.array(means_c), sensors=np.arange(2))


def test_cells_that_run_colder_than_the_sensor_raise_the_cutoff(make_setup):
    cold = Cause(
        "temperature_gradient", (1, 2), 0.9, "temperature", -6.0, -8.0, -4.0, "°C", "", (), ()
    )
    told = of_cold(
        make_setup(),
        [],
        SimpleNamespace(dangers=(), findings=[cold], estimate=two_sensors(10.0, 10.5)),
    )
    found = next(c for c in told if c.suggestion)
    assert "run 6 K colder" in found.lead
    assert dict(found.suggestion)["protection.charge_under_temperature.trip_c"] == 7.0  # 0 + 1 + 6
    calm = of_cold(
        make_setup(),
        [],
        SimpleNamespace(dangers=(), findings=[], estimate=two_sensors(10.0, 14.0)),
    )
    assert any("reads 4 °C colder" in c.lead for c in calm)
    assert not any(c.suggestion for c in calm)
