"""Strings of unlike modules on one input: against the points of the sheet, and a search."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import minimize_scalar

from nipper.core.presets import new_setup
from nipper.core.setup import Module, OtherString, Solar, Tracker, put
from nipper.core.sources.mixed import current_a, mixed
from nipper.core.sources.solar import Kind, as_set, modules

HALVED = Module(
    name="a", voc_v=41.0, vmp_v=34.2, isc_a=13.8, imp_a=13.0,
    voc_pct_per_k=-0.25, vmp_pct_per_k=-0.33,
)  # fmt: skip
SHORTER = HALVED.model_copy(update={"voc_v": 27.0, "vmp_v": 22.5})
WIDE = Tracker(max_v=250.0)


def on_one_input(module, other, in_series=2, other_in_series=2, strings=1):
    return Solar(
        module=module, modules=2 * in_series, in_series=in_series, tracker=WIDE,
        other=OtherString(module=other, in_series=other_in_series, strings=strings),
    )  # fmt: skip


@pytest.mark.parametrize("module", [HALVED, SHORTER, *modules()])
def test_the_curve_goes_through_the_points_of_the_sheet(module):
    at = np.array([0.0, module.vmp_v, module.voc_v])
    found = current_a(module, at)
    assert found[0] == pytest.approx(module.isc_a, rel=1e-6)
    assert found[1] == pytest.approx(module.imp_a, rel=0.01)
    assert abs(found[2]) < 0.02 * module.isc_a
    volts = np.linspace(0.0, module.voc_v, 500)
    assert np.all(np.diff(current_a(module, volts)) < 0.0)
    best = volts[np.argmax(volts * current_a(module, volts))]
    assert best == pytest.approx(module.vmp_v, rel=0.03)


def test_strings_of_one_kind_lose_nothing():
    both = mixed(on_one_input(HALVED, HALVED), 2, 2)
    assert both.lost == pytest.approx(0.0, abs=1e-6)
    assert both.together_w == pytest.approx(6 * 34.2 * 13.0, rel=0.01)


@given(shorter=st.floats(0.4, 1.0), series=st.integers(1, 3), strings=st.integers(1, 3))
def test_what_they_give_is_the_best_common_voltage(shorter, series, strings):
    update = {"voc_v": 41.0 * shorter, "vmp_v": 34.2 * shorter}
    other = HALVED.model_copy(update=update)
    both = mixed(on_one_input(HALVED, other, strings=strings, other_in_series=series), 2, 1)

    def power(volts):
        at = np.array([volts])
        own = current_a(HALVED, at / 2) + strings * current_a(other, at / series)
        return -float(volts * own[0])

    found = [
        -minimize_scalar(power, bounds=(low, low + 20.0), method="bounded").fun
        for low in range(0, 140, 10)
    ]
    assert both.together_w == pytest.approx(max(found), rel=2e-3)
    assert both.together_w <= both.apart_w * (1.0 + 1e-9)


def bank(other):
    solar = on_one_input(HALVED, other).model_dump(exclude_none=True)
    return put(new_setup("lfp", 16, 200.0), {"solar": solar})


def test_unlike_strings_are_told_with_what_they_lose():
    alike = as_set(bank(HALVED))
    assert not [f for f in alike.doubts if f.kind in (Kind.UNLIKE, Kind.BACK_FED)]
    unlike = as_set(bank(SHORTER))
    kinds = {flaw.kind for flaw in unlike.doubts}
    assert {Kind.UNLIKE, Kind.BACK_FED} <= kinds
    assert unlike.usable_w < 0.97 * unlike.power_w


def test_the_string_that_opens_highest_must_not_destroy_the_input():
    taller = HALVED.model_copy(update={"voc_v": 140.0, "vmp_v": 115.0})
    assert any(flaw.kind is Kind.DESTROYS for flaw in as_set(bank(taller)).forbidden)
    assert not as_set(bank(HALVED)).forbidden
