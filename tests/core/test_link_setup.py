"""The link as it is built: chain, cable, switches, what the displays must show; and the document of
``nipper link``.
"""

import csv
import json

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nipper.cli import main
from nipper.core.link.answer import to_json
from nipper.core.link.cable import Socket, cable
from nipper.core.link.expect import judge
from nipper.core.link.points import load_registers, tell
from nipper.core.link.switches import address_of, addresses, longest_m, means, positions
from nipper.core.presets import new_setup
from nipper.core.setup import parse, put
from nipper.core.setup.pins import parse_pins
from nipper.core.wiring.chain import chain
from tests.conftest import FILES

REFERENCE = FILES.parent / "reference"


def lines(name):
    return (REFERENCE / name).read_text().splitlines()


def bank(packs=2, **link):
    setup = new_setup("lfp", 16, 280.0, packs_in_parallel=packs)
    changes = {
        "cell.max_charge_a": 140.0,
        "cell.max_discharge_a": 280.0,
        "protection.charge_over_current.trip_a": 120.0,
        "protection.discharge_over_current.trip_a": 200.0,
        "charging.absorption_v": 56.0,
        "wiring.fuse_a": 250.0,
        "link": {
            "mode": "closed",
            "transport": "can",
            "bit_rate": 500_000,
            "address": 1,
            "inverter_max_charge_a": 120.0,
            "inverter_max_discharge_a": 180.0,
            **link,
        },
    }
    return put(setup, changes)


def test_the_contract_s_example_comes_out():
    found = to_json(bank())
    chains = found["chain"]
    assert (chains["charge_limit_a"], chains["charge_weakest"]) == (120.0, "inverter")
    assert (chains["discharge_limit_a"], chains["discharge_weakest"]) == (180.0, "inverter")
    assert chains["one_pack_off"] == {"charge_limit_a": 120.0, "discharge_limit_a": 180.0}
    assert {p["part"]: p["limit_a"] for p in chains["charge"]}["pack fuse"] == 250.0
    assert [a["switches"] for a in found["addresses"]] == ["1000", "0100"]
    expect = found["expect"]
    assert (expect["packs_online"], expect["capacity_ah"]) == (2, 560.0)
    assert (expect["charge_limit_a"], expect["charge_voltage_v"]) == (120.0, 56.0)
    assert found["frames"][0]["id"] == 849
    assert found["frames"][0]["meaning"]["charge_voltage_limit_v"] == 56.0


def test_the_chain_adds_up_as_far_as_the_wiring_goes():
    # two packs of 220 A each allow 440 A, the main fuse is 400 A (common practice's own example)
    setup = put(
        bank(inverter_max_discharge_a=None),
        {
            "cell.max_discharge_a": 300.0,
            "protection.discharge_over_current.trip_a": 220.0,
            "wiring.main_fuse_a": 400.0,
        },
    )
    found = chain(setup, "discharge")
    assert (found.limit_a, found.weakest) == (400.0, "main fuse")
    assert found.one_off_a == 220.0


def test_unlike_packs_end_at_the_one_that_reaches_its_limit_first():
    document = bank(inverter_max_charge_a=None).model_dump(mode="json", exclude_none=True)
    document["packs"] = [
        {"name": "Low ohms", "cell": {"resistance_mohm": 0.1}},
        {"name": "High ohms", "cell": {"resistance_mohm": 0.5}},
    ]
    setup = parse(document)
    # by Kirchhoff: two ways in parallel, solved as linear equations
    joints, lead = 2e-3, 2 * 1.5 / 58.0 / setup.wiring.cable_mm2
    ohm = [16 * 0.1e-3 + joints + lead, 16 * 0.5e-3 + joints + lead]
    first, second = np.linalg.solve([[ohm[0], -ohm[1]], [1.0, 1.0]], [0.0, 1.0])
    assert first > second
    assert chain(setup, "charge").limit_a == pytest.approx(120.0 / first, rel=1e-6)


@given(st.integers(1, 8), st.floats(10, 500), st.floats(10, 500))
def test_a_pack_that_leaves_never_raises_a_limit(packs, trip_a, inverter_a):
    setup = put(
        bank(packs, inverter_max_charge_a=inverter_a),
        {"protection.charge_over_current.trip_a": trip_a},
    )
    found = chain(setup, "charge")
    assert found.one_off_a <= found.limit_a + 1e-9
    assert found.limit_a <= inverter_a + 1e-9


def test_nothing_known_is_no_limit():
    bare = parse(
        {
            "format": "nipper-setup",
            "version": 1,
            "chemistry": "lfp",
            "cells_in_series": 4,
            "capacity_ah": 100.0,
            "protection": {
                "cell_over_voltage": {"trip_v": 3.65, "release_v": 3.5},
                "cell_under_voltage": {"trip_v": 2.6, "release_v": 3.0},
            },
        }
    )
    found = chain(bare, "charge")
    assert (found.limit_a, found.weakest) == (None, "")
    document = to_json(bare)
    assert document["chain"]["charge_limit_a"] is None
    assert document["doubts"]
    json.dumps(document, allow_nan=False)


BATTERY = Socket("battery", {4: "can_h", 5: "can_l", 8: "ground"})
INVERTER = Socket("inverter", {7: "can_h", 8: "can_l", 2: "ground"})


def test_the_cable_to_make_is_drawn_pin_by_pin():
    found = cable(BATTERY, INVERTER, "can")
    pairs = {(w.battery, w.signal, w.inverter) for w in found.wires}
    assert pairs == {(4, "can_h", 7), (5, "can_l", 8), (8, "ground", 2)}
    assert found.straight == "wrong"
    assert "pin 8" in found.why
    assert (4, 8) in found.never_meet


def test_a_straight_cable_is_right_only_where_both_ends_are_alike():
    assert cable(BATTERY, BATTERY, "can").straight == "right"
    assert cable(BATTERY, Socket("x", {1: "can_h", 2: "can_l"}), "can").straight == "dead"
    powered = Socket("x", {4: "power", 5: "can_l", 8: "ground", 1: "can_h"})
    found = cable(BATTERY, powered, "can")
    assert found.straight == "wrong"
    assert (4, 4) in found.never_meet
    assert cable(BATTERY, Socket("x", {1: "can_h"}), "can").notes


def test_wire_colours_are_those_of_the_standard():
    # tests/reference/rj45.csv: T568B by TIA-568
    rows = {int(r["pin"]): r for r in csv.DictReader(lines("rj45.csv"))}
    for wire in cable(BATTERY, INVERTER, "can").wires:
        assert wire.colour == rows[wire.battery]["t568b_colour"]


def test_pins_are_typed_as_manuals_write_them():
    assert parse_pins("4 CAN-H, 5 CANL; 8: GND") == {4: "can_h", 5: "can_l", 8: "ground"}
    for wrong in ("4", "can_h", "4 xyz", "4 can_h, 4 can_l", "99 can_h", ""):
        with pytest.raises(ValueError, match="pin"):
            parse_pins(wrong)


@given(st.integers(0, 255), st.integers(8, 10), st.sampled_from((0, 1)), st.booleans())
def test_switches_set_and_read_are_the_same_address(address, count, on_is, lowest_first):
    shown = positions(address, count, on_is, lowest_first)
    assert len(shown) == count
    assert address_of(shown, on_is, lowest_first) == address


def test_on_may_mean_nothing():
    assert positions(1, 4) == "1000"
    assert positions(1, 4, on_is=0) == "0111"
    assert [a.switches for a in addresses(put(bank(), {"link.switch_on_means": "0"}))] == [
        "0111",
        "1011",
    ]


@pytest.mark.parametrize(
    ("ohm", "word"),
    [
        (60, "right"),
        (120, "only one end"),
        (40, "three"),
        (30, "four"),
        (0.5, "touch"),
        (1e6, "no r"),
    ],
)
def test_the_meter_across_the_pair_is_read(ohm, word):
    assert word in means(ohm)


def test_buses_are_no_longer_than_the_standard_allows():
    # tests/reference/can_physical.csv: CiA 301 / 303-1, from memory
    rows = csv.DictReader(lines("can_physical.csv"))
    for row in rows:
        if row["rule"] == "CiA 301 / CiA 303-1":
            assert longest_m("can", int(row["bit_rate"])) == float(row["bus_length_m"])
    assert longest_m("rs485", 9600) == 1200
    assert longest_m("rs485", 115200) == pytest.approx(868, abs=1)


def causes(inverter, battery=None, **link):
    judged = judge(bank(**link), battery or {}, inverter)
    return {j.expected.quantity: j.cause for j in judged if j.fits is False}


SOUND = {
    "packs_online": 2.0, "cells_in_series": 16.0, "capacity_ah": 560.0,
    "charge_voltage_limit_v": 56.0, "charge_current_limit_a": 120.0,
    "discharge_current_limit_a": 180.0, "pack_v": 53.1, "soc_pct": 76.0, "current_a": 12.0,
    "temperature_c": 21.0, "alarms": 0.0,
}  # fmt: skip


def test_two_ends_that_agree_leave_nothing_to_say():
    battery = SOUND | {"charge_current_limit_a": 240.0, "discharge_current_limit_a": 400.0}
    assert causes(SOUND, battery) == {}
    assert all(j.fits for j in judge(bank(), battery, SOUND))


@pytest.mark.parametrize(
    ("changes", "quantity", "word"),
    [
        ({"packs_online": 1.0}, "packs_online", "not heard"),
        ({"packs_online": 3.0}, "packs_online", "share an address"),
        ({"capacity_ah": 280.0}, "capacity_ah", "one pack's"),
        ({"capacity_ah": 1120.0}, "capacity_ah", "multiply"),
        ({"cells_in_series": 15.0}, "cells_in_series", "15 cells"),
        ({"charge_voltage_limit_v": 52.5}, "charge_voltage_limit_v", "15 cells"),
        ({"charge_voltage_limit_v": 560.0}, "charge_voltage_limit_v", "10 times"),
        ({"charge_voltage_limit_v": 58.4}, "charge_voltage_limit_v", "trip"),
        ({"current_a": -12.0}, "current_a", "sign"),
        ({"current_a": 1.2}, "current_a", "too much"),
        ({"soc_pct": 53.1}, "soc_pct", "shows volts"),
        ({"discharge_current_limit_a": 90.0}, "discharge_current_limit_a", "one pack's"),
        ({"pack_v": 531.0}, "pack_v", "10 times"),
    ],
)
def test_a_value_that_does_not_fit_names_its_likeliest_cause(changes, quantity, word):
    battery = SOUND | {"charge_current_limit_a": 240.0, "discharge_current_limit_a": 400.0}
    found = causes(SOUND | changes, battery)
    assert list(found) == [quantity]
    assert word in found[quantity]


def test_each_end_is_held_against_what_that_end_must_show():
    assert causes({"packs_online": 2.0}, {"packs_online": 1.0})["packs_online"]
    # the battery knows nothing of the inverter's own 120 A: its display shows 2 x 120 A
    assert causes({}, {"charge_current_limit_a": 240.0}) == {}
    assert causes({"charge_current_limit_a": 240.0}, {"charge_current_limit_a": 240.0})


def test_what_was_not_read_is_not_judged():
    judged = {j.expected.quantity: j.fits for j in judge(bank(), {}, {"soc_pct": 50.0})}
    assert judged["soc_pct"] is None
    assert judged["packs_online"] is None


def run(capsys, *arguments):
    status = main(["link", *arguments])
    told = capsys.readouterr()
    return status, told.out, told.err


def test_the_command_prints_one_document(tmp_path, capsys):
    file = tmp_path / "s.json"
    setup = bank(battery_pins="4 can_h, 5 can_l", inverter_pins="7 can_h, 8 can_l")
    file.write_text(json.dumps(setup.model_dump(mode="json", exclude_none=True)))
    status, out, err = run(capsys, str(file), "--json")
    document = json.loads(out)
    assert (status, err) == (0, "")
    assert document["format"] == "nipper-link"
    assert document["cable"]["straight"] == "dead"
    assert document["termination"] == {"ends": ["inverter", "Pack B"], "meter_ohm": 60}
    assert {line["name"] for line in document["open_loop"]} >= {"absorption", "charge current"}


def test_sockets_that_are_not_said_are_no_claim():
    found = to_json(bank())
    assert found["cable"]["straight"] == "unknown"
    assert found["cable"]["assumed"]


@pytest.mark.parametrize(
    "arguments", [[], ["none.json"], ["--decode", "none.log"], ["--decode", "x", "--profile", "y"]]
)
def test_bad_input_is_one_line(capsys, arguments):
    status, out, err = run(capsys, *arguments)
    assert (status, out) == (2, "")
    assert err.count("\n") == 1
    assert "Traceback" not in err


def test_a_profile_that_is_not_there_is_a_doubt_of_a_setup_and_an_error_of_an_argument(
    tmp_path, capsys
):
    document = to_json(bank(profile="house-protocol"))
    assert document["frames"] == []
    assert any("profile cannot be used" in d for d in document["doubts"])
    assert document["chain"]["charge_limit_a"] == 120.0
    file = tmp_path / "s.json"
    file.write_text(json.dumps(bank().model_dump(mode="json", exclude_none=True)))
    status, out, err = run(capsys, str(file), "--profile", "house-protocol")
    assert (status, out) == (2, "")
    assert "house-protocol" in err


@pytest.mark.parametrize("profile", [None, "sunspec-battery", "registers-simple"])
def test_over_rs485_registers_are_shown_in_place_of_frames(profile):
    document = to_json(bank(transport="rs485", profile=profile, bit_rate=9600))
    assert document["frames"] == []
    held = {r["address"]: r["value"] for r in document["registers"]}
    told = tell(load_registers(profile or "registers-simple"), held)
    assert told.values["charge_voltage_limit_v"] == pytest.approx(56.0)
    assert {w["signal"] for w in document["cable"]["wires"]} == {"d1_b", "d0_a", "ground"}


@given(
    st.sampled_from(["lfp", "nmc", "lto"]),
    st.integers(1, 32),
    st.integers(1, 8),
    st.fixed_dictionaries(
        {},
        optional={
            "transport": st.sampled_from(["can", "rs485", "none"]),
            "profile": st.sampled_from(["limits-can", "rvc-dc-source", "sunspec-battery", "x"]),
            "bit_rate": st.sampled_from([1, 123, 9600, 500_000, 100_000_000]),
            "address": st.integers(0, 255),
            "battery_pins": st.sampled_from(["4 b, 5 a", "25 power", "1 can_l"]),
            "bus_length_m": st.sampled_from([0.01, 1000.0]),
            "switch_count": st.integers(1, 8),
        },
    ),
)
def test_any_link_is_answered(chemistry, cells, packs, link):
    setup = put(new_setup(chemistry, cells, 100.0, packs), {"link": link})
    document = to_json(setup)
    json.dumps(document, allow_nan=False)
    assert len(document["addresses"]) == packs
