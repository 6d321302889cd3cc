"""What may be typed into a field."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nipper.core.errors import RangeError
from nipper.core.quantities import (
    Context,
    format_quantity,
    parse_quantity,
    unit_of,
    with_minus,
)


@pytest.mark.parametrize(
    ("text", "unit", "value"),
    [
        ("3.65", "V", 3.65),
        ("3,65 V", "V", 3.65),
        ("3650 mV", "V", 3.65),
        ("55.2/16", "V", 3.45),
        ("3.45*16", "V", 55.2),
        ("3.45 × 16 V", "V", 55.2),
        ("(3.4 + 3.5)/2", "V", 3.45),
        ("0.2C", "A", 56.0),
        ("0.15 A", "A", 0.15),
        ("150 mA", "A", 0.15),
        ("14 F", "°C", -10.0),
        ("−10", "°C", -10.0),
        ("273.15 K", "°C", 0.0),
        ("1.5 h", "min", 90.0),
        ("2 min", "s", 120.0),
        ("1 ms", "µs", 1000.0),
        ("300", "µs", 300.0),
        ("0.25 Ω", "mΩ", 250.0),
    ],
)
def test_arithmetic_and_units(text, unit, value):
    assert parse_quantity(text, unit, Context(280.0)) == pytest.approx(value)


@pytest.mark.parametrize(
    "text",
    [
        "",
        "abc",
        "3..5",
        "1/0",
        "3.4 A",
        "__import__('os')",
        "9**9**9",
        "1e400",
        "3.4 V V",
        "()",
        "[1]",
        "True",
        "9" * 200,
    ],
)
def test_anything_else_is_refused_in_words(text):
    with pytest.raises(RangeError, match="expected"):
        parse_quantity(text, "V")


def test_c_needs_a_capacity():
    with pytest.raises(RangeError, match="capacity"):
        parse_quantity("0.2C", "A")


@given(st.floats(0.5, 80.0).map(lambda v: round(v, 3)))
def test_what_is_shown_can_be_typed_again(value):
    assert parse_quantity(format_quantity(value, "V"), "V") == pytest.approx(value, abs=5e-4)


def test_names_end_in_their_unit():
    assert [
        unit_of(n)
        for n in (
            "trip_v",
            "delta_mv",
            "delay_us",
            "capacity_ah",
            "cable_mm2",
            "absorption_min",
            "kind",
        )
    ] == ["V", "mV", "µs", "Ah", "mm²", "min", ""]


@pytest.mark.parametrize(
    ("text", "shown"),
    [
        ("-0.00 ± 0.12 %", "0.00 ± 0.12 %"),
        ("−0.0 mV", "0.0 mV"),
        ("from -0 to -0.04", "from 0 to −0.04"),
        ("−0.5 and -10", "−0.5 and −10"),
        ("2026-08-10, can-0", "2026-08-10, can-0"),
    ],
)
def test_nothing_is_shown_without_a_sign(text, shown):
    assert with_minus(text) == shown
