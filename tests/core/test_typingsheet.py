"""The typing sheet: every setting once, in the menu's order and units; differences; files that come
back as they were written.
"""

import csv
import io
import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nipper.core.errors import InputError, RangeError
from nipper.core.presets import new_setup
from nipper.core.report.typingsheet import (
    TITLES,
    Item,
    Menu,
    differences,
    dumps_menu,
    load_menu,
    own_lines,
    parse_menu,
    plain_menu,
    sheet,
    shown,
    to_csv,
    to_html,
    units_of,
    with_own,
    without_own,
)  # fmt: skip
from nipper.core.setup import get, pack_setup, put, put_own


@pytest.fixture
def setup():
    return new_setup("lfp", 16, 280.0)


def test_every_setting_that_is_set_stands_once(setup):
    lines = sheet(setup, None, plain_menu())
    assert [line.path for line in lines] == [
        path for path in TITLES if get(setup, path) is not None
    ]
    assert len({line.path for line in lines}) == len(lines)


def test_the_menu_s_own_order_labels_and_units(setup):
    menu = Menu(
        name="mine",
        items=[
            Item(path="charging.absorption_v", label="Bulk"),
            Item(path="protection.cell_over_voltage.trip_v", label="COVP", unit="mV"),
            Item(path="protection.charge_under_temperature.trip_c", unit="0.1 K"),
        ],
    )
    lines = sheet(setup, None, menu)
    assert [(line.label, line.value) for line in lines[:2]] == [
        ("Bulk", "55.20 V"),
        ("COVP", "3650 mV"),
    ]
    assert (
        lines[2].value == "2752 0.1 K"
    )  # by hand: (2 + 273.15) * 10 = 2751.5, rounded to even tenths by the format
    assert len(lines) == len(
        sheet(setup, None, plain_menu())
    )  # what the menu does not name follows


# by hand
@pytest.mark.parametrize(
    ("path", "value", "unit", "words"),
    [
        ("protection.cell_over_voltage.trip_v", 3.65, "", "3.65 V"),
        ("protection.cell_over_voltage.trip_v", 3.655, "", "3.655 V"),
        ("protection.cell_over_voltage.trip_v", 3.6, "10 mV", "360 10 mV"),
        ("protection.charge_under_temperature.trip_c", -20.0, "", "−20 °C"),
        ("protection.charge_under_temperature.trip_c", -40.0, "°F", "−40 °F"),
        ("protection.short_circuit.delay_us", 300.0, "ms", "0.3 ms"),
        ("charging.absorption_min", 90.0, "h", "1.5 h"),
        ("balancer.when", "always", "", "always"),
        ("charging.tail_a", None, "", "–"),
    ],
)
def test_values_as_a_bms_shows_them(path, value, unit, words):
    assert shown(path, value, unit) == words


def test_old_and_new(setup):
    new = put(setup, {"protection.cell_over_voltage.trip_v": 3.6, "charging.tail_a": None})
    changed = {line.path: (line.before, line.value) for line in differences(setup, new)}
    assert changed == {
        "protection.cell_over_voltage.trip_v": ("3.65 V", "3.60 V"),
        "charging.tail_a": ("5.6 A", "–"),
    }
    assert differences(setup, setup) == []


@given(st.permutations(list(TITLES)))
def test_a_menu_file_comes_back_as_it_was(order):
    menu = Menu(name="ünïcode", items=[Item(path=p, unit=(units_of(p) or [""])[-1]) for p in order])
    assert parse_menu(json.loads(dumps_menu(menu))) == menu


@pytest.mark.parametrize(
    ("text", "place"),
    [
        ("{", "line 1"),
        ('{"items": [{"path": "nonsense"}]}', "items.0.path"),
        ('{"items": [{"path": "charging.float_v", "unit": "kV"}]}', "items.0.unit"),
        ('{"items": [{"pfad": "x"}]}', "items.0"),
        ("[]", "the whole document"),
    ],
)
def test_a_menu_that_is_none_names_its_place(tmp_path, text, place):
    path = tmp_path / "menu.json"
    path.write_text(text)
    with pytest.raises(InputError, match=place):
        load_menu(path)


def test_a_menu_that_is_not_there(tmp_path):
    with pytest.raises(InputError, match="readable"):
        load_menu(tmp_path / "none.json")


def test_csv_and_page_hold_every_line(setup):
    lines = sheet(setup, None, plain_menu())
    rows = list(csv.DictReader(io.StringIO(to_csv(lines))))
    assert [row["path"] for row in rows] == [line.path for line in lines]
    page = to_html(lines, "A <b>name")
    assert "A &lt;b&gt;name" in page
    assert page.count("☐") == len(lines)


def test_devices_ask_for_one_battery_or_the_whole_bank():
    bank = new_setup("lfp", 16, 100.0, packs_in_parallel=6)
    lines = {line.path: line for line in sheet(bank, None, plain_menu())}
    assert lines["charging.max_charge_a"].value == "120 A"
    assert lines["charging.max_charge_a"].also == "whole bank; one battery: 20 A"
    assert lines["charging.tail_a"].also == "whole bank; one battery: 2 A"
    assert lines["capacity_ah"].also == "one battery; whole bank: 600 Ah"
    assert lines["protection.charge_over_current.trip_a"].also == "one battery"
    assert lines["protection.cell_over_voltage.trip_v"].also == ""
    for paper in (to_csv(list(lines.values())), to_html(list(lines.values()), "six")):
        assert "whole bank; one battery: 20 A" in paper
    alone = sheet(new_setup("lfp", 16, 100.0), None, plain_menu())
    assert not any(line.also for line in alone)


def test_of_unlike_packs_each_types_its_own_share():
    bank = new_setup("lfp", 16, 100.0, packs_in_parallel=2)
    unlike = put_own(bank, 1, {"capacity_ah": 300.0})
    lines = {line.path: line for line in sheet(pack_setup(unlike, 1), None, plain_menu())}
    assert lines["capacity_ah"].also == "one battery; whole bank: 400 Ah"
    assert lines["charging.max_charge_a"].also == "whole bank; one battery: 30 A"


@pytest.mark.parametrize(
    ("label", "value"), [("", "1"), ("a", " "), ("x" * 201, "1"), ("a", "y" * 101)]
)
def test_a_line_of_ones_own_needs_a_name_and_a_value(label, value):
    with pytest.raises(RangeError):
        with_own(plain_menu(), label, value)


def test_a_line_of_ones_own_stands_once_and_goes_with_the_menu():
    menu = with_own(with_own(plain_menu(), "Sleep", "10 h"), "Sleep", "12 h")
    assert [line.value for line in own_lines(menu)] == ["12 h"]
    assert own_lines(parse_menu(json.loads(dumps_menu(menu)))) == own_lines(menu)
    assert own_lines(without_own(menu, "Sleep")) == []
