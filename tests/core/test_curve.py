"""The charge curves against published ones, and the interpolation against SciPy's."""

import csv

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.interpolate import PchipInterpolator

from nipper.core.chemistry import CHEMISTRIES, Curve, chemistry
from tests.conftest import REFERENCE

ALL = [pytest.param(c, id=c.id) for c in CHEMISTRIES.values()]


def table(name: str) -> list[dict[str, str]]:
    with (REFERENCE / name).open() as file:
        return list(csv.DictReader(file))


@pytest.mark.parametrize("chem", ALL)
def test_interpolation_agrees_with_scipy(chem):
    ours, theirs = chem.curve, PchipInterpolator(chem.curve.soc_pct, chem.curve.ocv_v)
    soc = np.linspace(0, 100, 4001)
    np.testing.assert_allclose(ours.ocv(soc), theirs(soc), atol=2e-6)
    inner = soc[(soc > 1) & (soc < 99)]
    np.testing.assert_allclose(ours.slope(inner), 1e3 * theirs(inner, 1), rtol=1e-6, atol=1e-6)


@pytest.mark.parametrize("chem", ALL)
@given(soc=st.floats(0.0, 100.0))
def test_the_inverse_undoes_the_curve(chem, soc):
    assert float(chem.curve.soc(chem.curve.ocv(soc))) == pytest.approx(soc, abs=1e-4)


@given(
    steps=st.lists(st.tuples(st.floats(0.1, 5.0), st.floats(1e-4, 0.3)), min_size=2, max_size=30),
    soc=st.lists(st.floats(0, 1), min_size=2, max_size=20),
)
def test_any_rising_table_stays_monotone(steps, soc):
    x = np.concatenate([[0.0], np.cumsum([s[0] for s in steps])])
    y = np.concatenate([[2.5], 2.5 + np.cumsum([s[1] for s in steps])])
    values = Curve(x, y).ocv(np.sort(np.array(soc)) * x[-1])
    assert np.all(np.diff(values) >= -1e-9)


def test_a_table_that_falls_is_refused():
    with pytest.raises(ValueError, match="rises strictly"):
        Curve(np.array([0.0, 50.0, 100.0]), np.array([3.0, 3.2, 3.1]))


@pytest.mark.parametrize(
    ("name", "column", "id_"),
    [("ocv_lfp_constructed.csv", "ocv_mohtat_v", "lfp"), ("ocv_nmc.csv", "ocv_v", "nmc")],
)
def test_curves_are_the_published_fits(name, column, id_):
    rows = table(name)
    soc, volts = np.array([[float(r["soc_pct"]), float(r[column])] for r in rows]).T
    np.testing.assert_allclose(
        chemistry(id_).curve.ocv(soc), volts, atol=1e-4
    )  # tables are rounded to 0.01 mV


def test_lfp_rests_where_data_sheets_say():
    # from memory of data sheets, +-10 mV there; the constructed curve promises +-25 mV
    expected = {10: 3.20, 20: 3.235, 30: 3.265, 50: 3.295, 70: 3.325, 90: 3.335}
    for soc, volts in expected.items():
        assert float(chemistry("lfp").curve.ocv(soc)) == pytest.approx(volts, abs=0.027), soc


def test_a_second_4_2_volt_chemistry_is_near_above_half():
    # pybamm NCA_Kim2011; published sets of this family lie 75 to 102 mV apart from 50 to 80 % and
    # 20 mV at 90 %
    rows = {float(r["soc_pct"]): float(r["ocv_v"]) for r in table("ocv_nca.csv")}
    for soc, within in ((50.0, 0.102), (70.0, 0.078), (90.0, 0.020)):
        assert float(chemistry("nmc").curve.ocv(soc)) == pytest.approx(rows[soc], abs=within)


@pytest.mark.parametrize("name", ["ocv_lfp_constructed.csv", "ocv_nmc.csv"])
def test_what_a_millivolt_is_worth(name):
    curve = chemistry("lfp" if "lfp" in name else "nmc").curve
    rows = [r for r in table("mv_to_soc.csv") if r["curve"].removesuffix(":mohtat") == name]
    assert len(rows) >= 10
    for row in rows:
        volts, soc = float(row["ocv_v"]), float(row["soc_pct"])
        if 3.0 <= volts <= 4.15:
            assert float(curve.soc(volts)) == pytest.approx(soc, abs=0.25), volts


def test_the_same_millivolts_mean_another_charge():
    # common practice: 100 mV at 3.45 V is under 1 %, 5 mV on the plateau can be 5 %
    curve = chemistry("lfp").curve
    assert 100.0 / float(curve.slope_at_voltage(3.45)) < 1.0
    assert 5.0 / float(curve.slope_at_voltage(3.31)) > 5.0


def test_windows_are_those_of_data_sheets():
    rows = {
        r["chemistry"]: r
        for r in table("chemistry_limits.csv")
        if r["quantity"].startswith("cell voltage window")
    }
    for id_ in ("lfp", "nmc", "lto"):
        chem = chemistry(id_)
        assert (chem.min_v, chem.max_v) == (float(rows[id_]["low"]), float(rows[id_]["high"]))
        usual = {name: s.value for name, s in chem.usual.items()}
        assert usual["over_trip_v"] <= chem.max_v
        assert usual["under_trip_v"] >= chem.min_v


@pytest.mark.parametrize("chem", ALL)
def test_every_default_says_where_it_is_from(chem):
    assert chem.curve_source
    assert all(sourced.source for sourced in chem.usual.values())


def test_an_unknown_chemistry_names_the_known():
    with pytest.raises(KeyError, match="lfp, nmc, lto"):
        chemistry("lead")
