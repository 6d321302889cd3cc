"""What a BMS shows becomes values again, in every unit it may show them in."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nipper.core.errors import InputError, RangeError
from nipper.core.presets import new_setup
from nipper.core.quantities import unit_of
from nipper.core.report.readback import in_force, parse_shown, read_back, read_table, values_of_csv
from nipper.core.report.typingsheet import (
    TITLES,
    UNITS,
    Item,
    Menu,
    plain_menu,
    sheet,
    shown,
    to_csv,
)
from nipper.core.setup import get, put
from nipper.store import Revision

SETUP = put(
    new_setup("lfp", 16, 280.0),
    {"charging.equalise_v": 56.8, "charging.equalise_every_days": 30.0, "link.low_cut_v": 46.4},
)
NUMBERS = [p for p in TITLES if isinstance(get(SETUP, p), float)]


@given(st.sampled_from(NUMBERS), st.data())
def test_what_is_shown_is_read_as_what_was_set(path, data):
    unit = data.draw(st.sampled_from(sorted(UNITS[unit_of(path)])))
    value = get(SETUP, path)
    text = shown(path, value, unit)
    assert shown(path, parse_shown(path, text, unit), unit) == text
    bare = text.removesuffix(unit).strip()
    if unit in bare or not bare:
        return
    factor, _, digits = UNITS[unit_of(path)][unit]
    assert parse_shown(path, bare, unit) == pytest.approx(value, abs=0.51 * 10.0**-digits / factor)


@pytest.mark.parametrize(
    ("path", "text", "unit", "value"),
    [
        ("protection.cell_over_voltage.trip_v", "3650", "mV", 3.65),
        ("protection.cell_over_voltage.trip_v", "3.65", "", 3.65),
        ("protection.cell_over_voltage.trip_v", "3650 mV", "", 3.65),
        ("protection.charge_under_temperature.trip_c", "275.15 K", "", 2.0),
        ("protection.charge_under_temperature.trip_c", "2752 0.1 K", "", 2.05),
        ("balancer.current_a", "0.1 A", "", 0.1),  # not a unit without a number
        ("balancer.current_a", "12 0.1 A", "", 1.2),
        ("balancer.kind", "Active", "", "active"),
        ("charging.float_v", "–", "", None),
        ("cells_in_series", "16", "", 16),
    ],
)
def test_readings_as_they_are_typed(path, text, unit, value):
    assert parse_shown(path, text, unit) == (
        pytest.approx(value) if isinstance(value, float) else value
    )


def test_a_word_for_a_number_is_refused():
    with pytest.raises(RangeError):
        parse_shown("protection.cell_over_voltage.trip_v", "high")


def test_the_typing_sheets_own_table_is_read_back():
    menu = Menu(items=[Item(path="protection.cell_over_voltage.trip_v", label="OVP", unit="mV")])
    for order in (plain_menu(), menu):
        found = read_back(SETUP, values_of_csv(to_csv(sheet(SETUP, None, order)), order))
        assert found.lines == ()
        assert found.note.endswith("as set")


def test_labels_of_ones_own_and_decimal_commas():
    menu = Menu(items=[Item(path="protection.cell_over_voltage.trip_v", label="OVP", unit="mV")])
    assert values_of_csv("setting;value\nOVP;3600\n", menu) == {
        "protection.cell_over_voltage.trip_v": 3.6
    }
    assert values_of_csv("section;setting;value\nBalancer;balance from;3,41 V\n", menu) == {
        "balancer.start_v": 3.41
    }


@pytest.mark.parametrize(
    ("text", "place"),
    [
        ("", "line 1"),
        ("name,number\na,1\n", "line 1"),
        ("path,value\nprotection.secret_v,1\n", "line 2"),
        ("setting,value\ntrip,3.6\n", "line 2"),  # which trip?
        ("path,value\n\nprotection.cell_over_voltage.trip_v,a lot\n", "line 3, value"),
        ("path,value\n", "the table"),
    ],
)
def test_a_table_that_cannot_be_read_names_the_place(text, place):
    with pytest.raises(InputError) as caught:
        values_of_csv(text, plain_menu(), "shown.csv")
    assert place in str(caught.value)
    assert "shown.csv" in str(caught.value)


def test_a_protection_the_settings_leave_out_comes_as_a_whole():
    bare = put(SETUP, {"protection.mosfet_over_temperature": None})
    both = {
        "protection.mosfet_over_temperature.trip_c": 95.0,
        "protection.mosfet_over_temperature.release_c": 80.0,
    }
    assert read_back(bare, both).shown.protection.mosfet_over_temperature.trip_c == 95.0
    with pytest.raises(InputError):
        read_back(bare, {"protection.mosfet_over_temperature.trip_c": 95.0})  # half a limit


def test_which_settings_were_in_force():
    kinds = ("draft", "typed in", "draft", "read back")
    made = [Revision(i, 100.0 * i, kind, "", SETUP) for i, kind in enumerate(kinds)]
    assert in_force(made, 50.0) is None
    assert in_force(made, 100.0) is made[1]
    assert in_force(made, 250.0) is made[1]
    assert in_force(made, 1e9) is made[3]


def test_a_file_that_is_not_there_is_one_clear_error(tmp_path):
    with pytest.raises(InputError):
        read_table(str(tmp_path / "none.csv"))
