"""Rising curves and rising values: the same as SciPy's, whatever the points."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays
from scipy.interpolate import PchipInterpolator
from scipy.optimize import isotonic_regression

from nipper.core.monotone import pchip, rising

STEPS = st.integers(2, 60).flatmap(
    lambda n: st.tuples(
        arrays(float, n, elements=st.floats(1e-3, 10.0)),
        # many readings at one voltage: flat stretches are the rule, not the exception
        arrays(float, n, elements=st.sampled_from([0.0, 0.0, 1e-4, 1e-3, 0.02, 0.5])),
    )
)


@given(STEPS)
def test_the_curve_is_scipy_s(steps):
    x, y = (np.cumsum(step) for step in steps)
    at = np.union1d(x, np.linspace(x[0], x[-1], 301))
    assert pchip(x, y, at) == pytest.approx(PchipInterpolator(x, y)(at), abs=1e-9)
    assert np.all(np.diff(pchip(x, y, at)) >= -1e-9)


@given(
    st.integers(1, 80).flatmap(
        lambda n: st.tuples(
            arrays(float, n, elements=st.floats(-5.0, 5.0)),
            arrays(float, n, elements=st.floats(0.5, 50.0)),
        )
    )
)
def test_the_rising_values_are_scipy_s(given_):
    values, weights = given_
    found = rising(values, weights)
    assert found == pytest.approx(isotonic_regression(values, weights=weights).x, abs=1e-9)
    assert np.all(np.diff(found) >= 0.0)


def test_what_rises_already_stays():
    values = np.array([1.0, 2.0, 2.0, 3.0])
    assert np.array_equal(rising(values, np.ones(4)), values)
