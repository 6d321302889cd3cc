"""Settings over the link: registers there and back, the stand-in BMS over real Modbus frames, what
goes wrong said in one line.
"""

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nipper.core.errors import InputError
from nipper.core.link.modbus import ModbusDevice, StandInBms, read_bms
from nipper.core.link.registers import (
    NOT_SET,
    LinkError,
    Register,
    RegisterMap,
    decode,
    encode,
    load_map,
    parse_map,
    read_settings,
    standin_map,
)
from nipper.core.presets import new_setup
from nipper.core.report.readback import read_back
from nipper.core.report.typingsheet import TITLES
from nipper.core.setup import put
from tests.core.beginners import BEGINNERS

SETUP = new_setup("lfp", 16, 280.0)


def test_the_map_that_ships_holds_every_setting_once():
    registers = standin_map().registers
    assert {r.path for r in registers} == set(TITLES)
    assert len({r.address for r in registers}) == len(registers)


@pytest.mark.parametrize(
    "make",
    [
        lambda: SETUP,
        lambda: new_setup("nmc", 20, 40.0),
        lambda: new_setup("lto", 8, 100.0, 2, "none"),
        *BEGINNERS,
    ],
)
def test_a_setup_goes_into_registers_and_comes_back(make):
    setup = make()
    raw = encode(setup, standin_map())
    assert all(0 <= v <= 0xFFFF for v in raw.values())
    assert read_back(setup, decode(raw, standin_map())).lines == ()


@given(st.floats(-40.0, 80.0), st.booleans())
def test_a_temperature_keeps_its_tenth_of_a_degree(degrees, signed):
    form = Register(
        path="protection.charge_over_temperature.trip_c",
        address=7,
        factor=10.0,
        offset=0.0 if signed else 2731.0,
        signed=signed,
    )
    setup = put(SETUP, {"protection.charge_over_temperature.trip_c": degrees})
    got = decode(encode(setup, RegisterMap(registers=(form,))), RegisterMap(registers=(form,)))
    assert got[form.path] == pytest.approx(degrees, abs=0.051)


def test_what_is_left_out_is_no_setting():
    bare = put(SETUP, {"balancer": None, "protection.mosfet_over_temperature": None})
    raw = encode(bare, standin_map())
    at = {r.path: r.address for r in standin_map().registers}
    assert raw[at["balancer.start_v"]] == NOT_SET
    found = read_back(SETUP, decode(raw, standin_map()))
    assert found.shown.balancer is None
    assert found.shown.protection.mosfet_over_temperature is None


def test_a_value_that_has_no_place_is_refused():
    with pytest.raises(LinkError, match="fits its register"):
        encode(put(SETUP, {"capacity_ah": 9000.0}), standin_map())
    with pytest.raises(LinkError, match="passive or active"):
        decode({5: 9}, RegisterMap(registers=(Register(path="balancer.kind", address=5),)))


def test_only_registers_of_the_map_are_asked_for():
    asked: list[tuple[int, int]] = []

    class Device:
        def read(self, address: int, count: int) -> list[int]:
            asked.append((address, count))
            return [0] * count

        def close(self) -> None: ...

    registers = tuple(
        Register(path="balancer.start_v", address=a) for a in (*range(10, 130), 200, 202, 203)
    )
    read_settings(Device(), RegisterMap(registers=registers))
    assert asked == [(10, 100), (110, 20), (200, 1), (202, 2)]


def test_the_stand_in_answers_over_modbus():
    other = put(SETUP, {"protection.cell_over_voltage.trip_v": 3.6, "balancer.when": "rest"})
    with StandInBms(other) as bms:
        device = ModbusDevice(bms.place)
        values = read_settings(device, standin_map())
        with pytest.raises(LinkError, match="is this map for this BMS"):
            device.read(9, 1)
        device.close()
    found = read_back(SETUP, values)
    assert {line.path for line in found.lines} == {
        "protection.cell_over_voltage.trip_v",
        "balancer.when",
    }
    assert found.shown == other
    with pytest.raises(LinkError, match="nothing does"):
        ModbusDevice(bms.place)  # it is gone with its ``with``


def test_two_stand_ins_stand_beside_each_other():
    low, high = (put(SETUP, {"balancer.start_v": v}) for v in (3.40, 3.44))
    with StandInBms(low) as one, StandInBms(high) as two:
        assert read_bms(one.place, standin_map())["balancer.start_v"] == 3.40
        assert read_bms(two.place, standin_map())["balancer.start_v"] == 3.44


@pytest.mark.parametrize("place", ["", "127.0.0.1:port", "/dev/no-such-port"])
def test_a_place_that_is_none_is_one_clear_error(place):
    with pytest.raises(LinkError):
        ModbusDevice(place)


def test_a_map_of_ones_own(tmp_path):
    file = tmp_path / "map.json"
    document = {
        "format": "nipper-registers",
        "version": 1,
        "name": "mine",
        "registers": [
            {"path": "protection.cell_over_voltage.trip_v", "address": 144, "factor": 1000}
        ],
    }
    file.write_text(json.dumps(document))
    assert load_map(file).registers[0].factor == 1000
    for wrong, place in (
        (
            {**document, "registers": [{"path": "protection.secret", "address": 1}]},
            "registers.0.path",
        ),
        ({**document, "registers": []}, "registers"),
    ):
        with pytest.raises(InputError) as caught:
            parse_map(wrong)
        assert place in str(caught.value)
    file.write_text("{")
    with pytest.raises(InputError, match="line 1"):
        load_map(file)
