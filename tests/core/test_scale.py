"""Values nobody can mean: refused at the place, or told; never taken in silence, never a
traceback.
"""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nipper.core.errors import InputError
from nipper.core.presets import new_setup
from nipper.core.rules import check, verdict
from nipper.core.setup import Setup, get, put

FULL = put(
    new_setup("lfp", 16, 280.0),
    {
        "usage": {"continuous_w": 3000.0, "inrush_w": 6000.0, "inrush_s": 1.0, "kwh_per_day": 5.0},
        "charging.equalise_v": 56.8,
        "charging.equalise_every_days": 30.0,
        "other_chargers": [{"absorption_v": 56.0, "max_charge_a": 20.0}],
        "wiring.main_fuse_a": 250.0,
        "wiring.main_cable_mm2": 95.0,
        "wiring.fuse_breaks_ka": 20.0,
    },
)
# a thousandth or a thousand times this is a choice, or switches a function off
A_CHOICE = ("delay_s", "absorption_min", "delta_mv", "delay_us", "trip_c")
A_CHOICE += ("release_c", "inrush_s", "version", "release_s")


def numbers(document: object, path: str = "") -> list[str]:
    """The paths of all numbers in a setup."""
    if isinstance(document, dict):
        return [p for k, v in document.items() for p in numbers(v, f"{path}.{k}".strip("."))]
    if isinstance(document, list):
        return [p for i, v in enumerate(document) for p in numbers(v, f"{path}.{i}")]
    return [path] if isinstance(document, int | float) else []


PATHS = numbers(FULL.model_dump(mode="json", exclude_none=True))


def told(setup: Setup) -> set[tuple[str, tuple[str, ...], str]]:
    return {(f.code, f.settings, f.severity) for f in check(setup)}


def tried(changes: dict[str, object]) -> tuple[Setup | None, str]:
    """The setup with the changes, or the words it is refused with."""
    try:
        return put(FULL, changes), ""
    except InputError as error:
        return None, str(error)


@pytest.mark.parametrize("path", [p for p in PATHS if not p.endswith(A_CHOICE)])
def test_a_slip_of_the_decimal_point_is_refused_or_told(path):
    value = get(FULL, path)
    before = told(FULL)
    for slipped in (value * 1000, value * 1e6, value / 1000, value / 1e4, -value, 1e308, 5e-324):
        after, refusal = tried({path: type(value)(slipped)})
        assert path in refusal if after is None else told(after) - before, (path, slipped)


@given(path=st.sampled_from(PATHS), value=st.floats() | st.integers(-(10**30), 10**30))
def test_no_number_anywhere_makes_the_rules_stumble(path, value):
    setup, refusal = tried({path: value})
    assert len(refusal) < 300
    assert setup is None or verdict(check(setup)) in ("ok", "review", "fix")


def test_a_sound_setup_is_in_scale():
    assert "out-of-scale" not in {f.code for f in check(FULL)}
