"""Which charge the herd may have where a discharge ended."""

import numpy as np
import pytest

from nipper.core.chemistry import chemistry
from nipper.core.imbalance.herd import USUALLY_ABOVE_V, Counted, bottoms, learn
from nipper.core.presets import new_setup
from tests.bench.others import CURVES
from tests.otherpack import published_curve

SETUP = new_setup("lfp", 8, 100.0)


def weighed(rest_v: float, counted_pct: float) -> tuple[float, float, float]:
    """Least, mean and most charge, %."""
    pct, weight = bottoms(SETUP, rest_v - USUALLY_ABOVE_V, 0.0, Counted(counted_pct))
    assert weight.sum() == pytest.approx(1.0)
    return float(pct[0]), float(pct @ weight), float(pct[-1])


@pytest.mark.parametrize(("file", "column"), CURVES["lfp"])
@pytest.mark.parametrize("true_pct", [8.0, 15.0, 25.0])
def test_a_pack_that_holds_what_its_name_says_is_among_them(file, column, true_pct):
    rest_v = float(np.interp(true_pct, *published_curve(file, column)))
    least, mean, most = weighed(rest_v, true_pct)
    assert least - 3.0 <= true_pct <= most + 3.0  # the third curve lies 75 mV below the assumed one
    assert mean == pytest.approx(true_pct, abs=7.0)


def test_what_an_aged_pack_seems_to_have_left_its_voltage_denies():
    """Counted from its name 20 % are left, and it stands on the knee."""
    least, mean, most = weighed(float(chemistry("lfp").curve.ocv(4.0)), 20.0)
    assert mean < 9.0
    assert most < 15.0
    assert least > 0.5


def test_no_more_is_left_than_was_counted_where_the_voltage_tells_nothing():
    _, mean, most = weighed(float(chemistry("lfp").curve.ocv(35.0)), 25.0)
    assert mean == pytest.approx(25.0, abs=4.0)
    assert most < 36.0


def test_below_the_herd_the_fall_is_doubtful_and_within_its_walk_it_is_not():
    ah = np.linspace(0.0, -80.0, 400)
    rest_v = chemistry("lfp").curve.ocv(100.0 + ah)
    curve = learn(rest_v, ah, np.full(400, -0.1), SETUP, 1e-3, bottom=Counted(20.0))
    assert curve.down
    assert curve.doubt(curve.place(np.array([-40.0])))[0] < 0.001
    near, far = curve.doubt(curve.place(np.array([-90.0, -99.0])))
    assert 0.005 < near < far <= 0.060


@pytest.mark.parametrize(("file", "column"), CURVES["lfp"])
def test_how_steep_the_knee_goes_on_is_within_its_doubt(file, column):
    """Published curves take 0.53 to 0.71 % of charge from 3.42 to 3.54 V: cells fuller than a herd
    that stands on its knee were told 0.6 to 0.8 of what they were, and surely so.
    """
    true_pct, true_v = published_curve(file, column)
    end_pct = float(np.interp(3.42, true_v, true_pct))
    counted = np.arange(end_pct - 8.0, end_pct, 0.02)
    herd_v = np.interp(counted, true_pct, true_v)
    curve = learn(herd_v, counted, np.full(counted.size, 0.1), SETUP, 1e-3)
    assert curve.on_knee
    beyond_pct = end_pct + np.array([0.1, 0.2, 0.3])
    place = curve.place(beyond_pct)
    off_v = curve.volts(place) - np.interp(beyond_pct, true_pct, true_v)
    assert np.all(np.abs(off_v) < 1.3 * curve.doubt(place) + 0.004)


def test_from_the_flat_the_shape_of_the_knee_still_tells_the_ends_apart():
    counted = np.arange(60.0, 90.0, 0.1)
    herd_v = chemistry("lfp").curve.ocv(counted) + USUALLY_ABOVE_V
    curve = learn(herd_v, counted, np.full(counted.size, 0.1), SETUP, 1e-3)
    assert not curve.on_knee
    assert np.all(curve.doubt(curve.place(90.0 + np.arange(1.0, 9.0))) == 0.0)
