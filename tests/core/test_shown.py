"""Texts turned over for their reader: the number that is meant stays the same."""

import re
from datetime import date, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nipper.core.quantities import parse_quantity
from nipper.core.shown import USUAL, Dates, Form, as_shown

F, COMMA = Form(fahrenheit=True), Form(comma=True)


@pytest.mark.parametrize(
    ("text", "shown"),
    [
        # fixed points of the two scales: ice and steam by definition, -40 the same in both
        ("0 °C and 100 °C and −40 °C", "32 °F and 212 °F and −40 °F"),
        ("stops at 5 °C, 5 K above freezing", "stops at 41 °F, 9 °F above freezing"),
        ("Many stop at 2 to 5 °C.", "Many stop at 35.6 to 41 °F."),
        ("defaults of −20 or −40 °C exist", "defaults of −4 or −40 °F exist"),
        ("between 4.5 and 3 °C", "between 40.1 and 37.4 °F"),
        ("Sensor 1 reads 5 °C colder than sensor 2.", "Sensor 1 reads 9 °F colder than sensor 2."),
        ("The sensors agree within 3 °C.", "The sensors agree within 5.4 °F."),
        ("8 ± 1 °C", "14.4 ± 1.8 °F"),
        ("0 °C + 2 K of the sensor's error + 3 K = 5 °C or more.",
         "32 °F + 3.6 °F of the sensor's error + 5.4 °F = 41 °F or more."),
        ("−3 mV/K, 0.3 %/K, 10 kΩ, 5 Kelly, minutes, °C, A",
         "−3 mV/K, 0.3 %/K, 10 kΩ, 5 Kelly, minutes, °C, A"),
    ],
)  # fmt: skip
def test_temperatures(text, shown):
    assert as_shown(text, F) == shown


@pytest.mark.parametrize(
    ("text", "shown"),
    [
        ("3.45 V, 0.2C and 12.5 %", "3,45 V, 0,2C and 12,5 %"),
        ("0.1.0 at 127.0.0.1:502, 27.11.2026", "0.1.0 at 127.0.0.1:502, 27.11.2026"),
        ("log2.csv and cell_over.trip_v", "log2.csv and cell_over.trip_v"),
        ("It is 5. Then 6.", "It is 5. Then 6."),
    ],
)  # fmt: skip
def test_a_decimal_comma(text, shown):
    assert as_shown(text, COMMA) == shown


@pytest.mark.parametrize(
    ("text", "digits", "shown"),
    [
        ("12.345 Ah", 3, "12.3 Ah"),
        ("0.04567 Ah", 2, "0.046 Ah"),
        ("125 A and 12.5 A", 2, "125 A and 12 A"),
        ("3.452 V and 137.25 mV", 2, "3.452 V and 137.25 mV"),
        ("1234.5 Wh", 3, "1234 Wh"),
        ("0.0 A", 2, "0.0 A"),
    ],
)
def test_digits(text, digits, shown):
    assert as_shown(text, Form(digits=digits)) == shown


@given(st.integers(-999, 1999), st.sampled_from([Form(fahrenheit=True, comma=c) for c in (0, 1)]))
def test_what_is_shown_reads_back_as_the_same_temperature(tenths, form):
    shown = as_shown(f"{tenths / 10:g} °C".replace("-", "−"), form)
    assert parse_quantity(shown, "°C") == pytest.approx(tenths / 10, abs=0.03)


@given(st.dates(date(1980, 1, 1), date(2099, 12, 31)), st.sampled_from(Dates))
def test_a_date_stays_the_same_day(day, form):
    shown = as_shown(f"{day.day} {day:%b %Y}", Form(dates=form))
    numbers = [int(n) for n in re.findall(r"\d+", shown)]
    if form == Dates.WORD:
        assert shown == f"{day.day} {day:%b %Y}"
    elif form == Dates.ISO:
        assert date(*numbers) == day
    elif form == Dates.POINTS:
        assert date(*reversed(numbers)) == day
    else:
        assert date(numbers[2], numbers[0], numbers[1]) == day


@given(st.text(max_size=80), st.booleans(), st.booleans(), st.sampled_from(Dates))
def test_any_text_comes_through_and_twice_is_as_once(text, fahrenheit, comma, dates):
    form = Form(fahrenheit=fahrenheit, comma=comma, dates=dates)
    once = as_shown(text, form)
    assert as_shown(text, USUAL) == text
    if not comma:  # "1.2,3.4" has two numbers, and one that is not
        assert as_shown(once, form) == once


def test_the_days_around_a_new_year():
    for n in range(3):
        day = date(2026, 12, 31) + timedelta(days=n)
        assert as_shown(f"{day.day} {day:%B %Y}", Form(dates=Dates.ISO)) == day.isoformat()
