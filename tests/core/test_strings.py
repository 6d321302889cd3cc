"""PV strings as properties: more in series is more voltage, colder is more, and the ranking never
puts a forbidden way before an allowed one.
"""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nipper.core.presets import new_setup
from nipper.core.setup import Module, put
from nipper.core.sources import solar

MODULES = st.builds(
    lambda voc, share, isc, part, beta: Module(
        voc_v=round(voc, 1),
        vmp_v=round(share * voc, 1),
        isc_a=round(isc, 1),
        imp_a=round(part * isc, 2),
        voc_pct_per_k=round(beta, 3),
        vmp_pct_per_k=round(1.3 * beta, 3),
    ),
    st.floats(10.0, 60.0),
    st.floats(0.75, 0.88),
    st.floats(2.0, 18.0),
    st.floats(0.9, 0.97),
    st.floats(-0.4, -0.2),
)


@given(MODULES, st.integers(1, 20), st.floats(-40.0, 20.0), st.floats(0.5, 30.0))
def test_colder_and_longer_is_more_voltage(module, in_series, coldest, colder):
    here = solar.cold_open_v(module, in_series, coldest)
    assert solar.cold_open_v(module, in_series, coldest - colder) > here
    assert solar.cold_open_v(module, in_series + 1, coldest) > here
    assert solar.hot_operating_v(module, in_series, 70.0) < solar.hot_operating_v(
        module, in_series, 25.0
    )


@given(
    MODULES,
    st.integers(1, 24),
    st.floats(40.0, 600.0),
    st.floats(-30.0, 10.0),
    st.one_of(st.none(), st.floats(5.0, 60.0)),
)
def test_the_ranking_holds_what_it_says(module, count, limit, coldest, most_a):
    tracker = {"max_v": round(limit, 1)} | ({"max_a": round(most_a, 1)} if most_a else {})
    setup = put(
        new_setup("lfp", 16, 280.0),
        {
            "solar": {
                "module": module.model_dump(),
                "modules": count,
                "in_series": 1,
                "tracker": tracker,
                "coldest_c": round(coldest, 1),
            }
        },
    )
    ways = solar.arrangements(setup)
    assert len(ways) == count
    for way in ways:
        assert way.in_series * way.in_parallel + way.left == count
        assert bool(way.forbidden) is (way.cold_v > setup.solar.tracker.max_v)
        assert 0.0 < way.usable_w <= way.power_w + 1e-6
    allowed = [w for w in ways if not w.forbidden]
    assert ways[: len(allowed)] == allowed
    doubts = [len(w.doubts) for w in allowed]
    assert doubts == sorted(doubts)
    assert solar.as_set(setup).in_series == 1


@given(st.floats(-60.0, 60.0), st.floats(0.1, 20.0))
def test_the_standards_factor_rises_as_it_gets_colder(coldest, colder):
    assert solar.nec_factor(coldest - colder) >= solar.nec_factor(coldest) >= 1.0


def heat(in_series: int, hottest_c: float = 70.0, **tracker: float) -> solar.Arrangement:
    """A string on a 16-cell bank: absorption 55.2 V, starts at 60.2 V, runs at 56.2 V."""
    module = {"voc_v": 38.0, "vmp_v": 31.5, "isc_a": 10.0, "imp_a": 9.5}
    module |= {"voc_pct_per_k": -0.28, "vmp_pct_per_k": -0.36}
    sun = {"module": module, "modules": in_series, "in_series": in_series}
    sun |= {"tracker": {"max_v": 150.0, **tracker}, "hottest_c": hottest_c}
    setup = put(new_setup("lfp", 16, 280.0), {"solar": sun, "charging.absorption_v": 55.2})
    found = solar.as_set(setup)
    assert found
    return found


def test_it_starts_by_the_open_voltage_and_runs_by_the_operating_one():
    """Two in series in the heat: 66 V open, 53 V at work. It starts, and cannot go on."""
    two = heat(2)
    assert two.hot_open_v == pytest.approx(2 * 38.0 * (1 - 0.0028 * 45.0), abs=0.01)
    assert two.hot_v == pytest.approx(2 * 31.5 * (1 - 0.0036 * 45.0), abs=0.01)
    assert [flaw.kind for flaw in two.doubts] == [solar.Kind.NO_RUN]
    # at 50 degC at work 57.3 V, under the 60.2 V to start and above the 56.2 V to run: it works
    assert heat(2, 50.0).doubts == ()
    one = heat(1)
    assert [flaw.kind for flaw in one.doubts] == [solar.Kind.NO_START]
    assert heat(3).doubts == ()
    # by its sheet, one number for both
    assert [flaw.kind for flaw in heat(2, 50.0, from_v=60.0).doubts] == [solar.Kind.NO_RUN]
