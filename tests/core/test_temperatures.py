"""The temperature rows: without gaps, in order, and their handles are the setup's own limits."""

from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nipper.core.presets import new_setup
from nipper.core.report.temperatures import HIGHEST_C, LOWEST_C, rows
from nipper.core.setup import get, put

DEGREES = st.integers(-60, 100).map(float)


@given(st.sampled_from(["lfp", "nmc", "lto"]), st.lists(DEGREES, min_size=10, max_size=10))
def test_rows_cover_the_scale_whatever_is_set(chemistry, values):
    """Also limits turned over, as they are while one drags them past each other."""
    setup, changes = new_setup(chemistry, 16, 100.0), {}
    names = ("charge_over", "charge_under", "discharge_over", "discharge_under", "mosfet_over")
    for i, name in enumerate(names):
        changes |= {
            f"protection.{name}_temperature.trip_c": values[2 * i],
            f"protection.{name}_temperature.release_c": values[2 * i + 1],
        }
    setup = put(setup, changes)
    for row in rows(setup):
        for zone in row.zones:
            assert zone.low_c < zone.high_c
            assert zone.kind in ("off", "waits", "slow", "on")
        for path, degrees in row.handles:
            assert get(setup, path) == degrees


@pytest.mark.parametrize("chemistry", ["lfp", "nmc", "lto"])
def test_a_sound_setup_has_no_gaps(chemistry):
    for row in rows(new_setup(chemistry, 16, 100.0)):
        assert row.zones[0].low_c == LOWEST_C
        assert row.zones[-1].high_c == HIGHEST_C
        assert all(a.high_c == b.low_c for a, b in pairwise(row.zones))


def test_the_charge_follows_the_table_of_rates():
    charge = rows(new_setup("lfp", 16, 100.0))[0]
    assert [(z.low_c, z.kind, z.text) for z in charge.zones] == [
        (LOWEST_C, "off", "off"),
        (2.0, "waits", "waits"),
        (5.0, "slow", "up to 0.2C"),
        (10.0, "on", "up to 0.5C"),
        (45.0, "waits", "waits"),
        (50.0, "off", "off"),
    ]
    late = put(new_setup("lfp", 16, 100.0), {"charging.rates": [{"from_c": 20.0, "c_rate": 0.3}]})
    assert [z.text for z in rows(late)[0].zones if z.low_c in (5.0, 20.0)] == [
        "no charge",
        "up to 0.3C",
    ]


def test_the_chargers_cutoff_is_a_handle_where_the_bms_has_none():
    setup = put(
        new_setup("lfp", 16, 100.0),
        {"protection.charge_under_temperature": None, "charging.cold_stop_c": 5.0},
    )
    handles = dict(rows(setup)[0].handles)
    assert handles["charging.cold_stop_c"] == 5.0
    assert handles["charging.cold_resume_c"] == 6.0
    bare = put(setup, {"charging.cold_stop_c": None})
    assert not any("under" in path or "cold" in path for path, _ in rows(bare)[0].handles)
