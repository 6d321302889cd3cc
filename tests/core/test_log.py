"""Samples of a pack, against general-purpose libraries and whatever order they come in."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.integrate import cumulative_trapezoid

from nipper.core.logs.model import Log, in_order, join
from nipper.core.logs.values import assemble


def make(rows: int, seed: int = 1, sensors: int = 2, cells: int = 4, **more: object) -> Log:
    """Random samples at a minute's interval."""
    rng = np.random.default_rng(seed)
    volts = rng.uniform(3.0, 3.5, (rows, cells)).astype(np.float32)
    temps = rng.uniform(5.0, 30.0, (rows, sensors)).astype(np.float32)
    return Log(
        1_700_000_000.0 + 60.0 * np.arange(rows),
        rng.normal(0.0, 30.0, rows),
        volts.sum(axis=1),
        volts,
        temps,
        **more,
    )


@given(rows=st.integers(2, 200), seed=st.integers(0, 99))
def test_counted_charge_is_scipys_trapezoid(rows, seed):
    log = make(rows, seed)
    expected = cumulative_trapezoid(log.current_a, log.time_s, initial=0.0) / 3600.0
    np.testing.assert_allclose(log.charge_ah, expected, atol=1e-9)


@given(rows=st.integers(3, 200), cut=st.data(), seed=st.integers(0, 99))
def test_charge_of_the_parts_is_the_charge_of_the_whole(rows, cut, seed):
    log, at = make(rows, seed), cut.draw(st.integers(1, rows - 1))
    parts = log.select(slice(0, at + 1)), log.select(slice(at, rows))
    assert sum(float(p.charge_ah[-1]) for p in parts) == pytest.approx(
        float(log.charge_ah[-1]), abs=1e-9
    )


def test_an_unread_current_counts_as_none():
    log = make(10)
    log.current_a[4] = np.nan
    assert np.isfinite(log.charge_ah).all()


@given(order=st.permutations(range(12)), twice=st.lists(st.integers(0, 11), max_size=6))
def test_any_order_and_repeats_come_right(order, twice):
    log = make(12)
    back = in_order(log.select(np.array([*order, *twice])))
    np.testing.assert_array_equal(back.time_s, log.time_s)
    np.testing.assert_array_equal(back.cell_v, log.cell_v)


def test_a_log_in_order_is_not_copied():
    log = make(12)
    assert in_order(log) is log
    assert join([log]) is log


@given(pieces=st.lists(st.tuples(st.integers(0, 40), st.integers(1, 40)), min_size=1, max_size=5))
def test_joining_overlapping_pieces_is_their_union(pieces):
    log = make(80)
    joined = join([log.select(slice(first, first + count)) for first, count in pieces])
    rows = sorted({row for first, count in pieces for row in range(first, first + count)})
    np.testing.assert_array_equal(joined.time_s, log.time_s[rows])
    np.testing.assert_array_equal(joined.current_a, log.current_a[rows])


def test_what_one_log_has_and_the_other_has_not_is_unread():
    """A sensor, the counted charge and the balancing of the one are not made up for the other."""
    rich = make(6, soc_pct=np.full(6, 80.0, np.float32), balancing=np.ones((6, 4), bool))
    poor = make(12, sensors=1).select(slice(6, 12))
    both = join([rich, poor])
    assert both.temp_c.shape == (12, 2)
    assert np.isnan(both.temp_c[6:, 1]).all()
    assert both.soc_pct is not None
    assert both.balancing is not None
    assert np.isnan(both.soc_pct[6:]).all()
    assert (both.soc_pct[:6] == 80.0).all()
    assert both.balancing[:6].all()
    assert not both.balancing[6:].any()


def test_the_mean_cell_leaves_an_unread_cell_out():
    log = make(5)
    log.cell_v[2] = [3.2, np.nan, 3.4, 3.3]
    assert log.mean_cell_v[2] == pytest.approx(3.3)
    np.testing.assert_allclose(
        np.delete(log.mean_cell_v, 2), np.delete(log.cell_v, 2, axis=0).mean(axis=1), rtol=1e-6
    )


def test_an_empty_log_has_no_days():
    empty = make(3).select(slice(0, 0))
    assert (empty.rows, empty.days, empty.interval_s) == (0, 0.0, 0.0)


@pytest.mark.parametrize(
    ("extreme_a", "left_out"), [(999.9, 3), (327.67, 3), (99.9, 0), (500.0, 0)]
)
def test_a_current_at_the_end_of_a_register_is_none(extreme_a, left_out):
    current_a = np.tile([5.0, -8.0, 0.0], 20)
    current_a[[7, 20, 41]] = extreme_a
    cell_v = np.full((60, 8), 3.3, np.float32) + np.arange(8, dtype=np.float32) / 1000
    log, lost = assemble(
        time_s=60.0 * np.arange(60),
        current_a=current_a,
        pack_v=None,
        cell_v=cell_v,
        temp_c=np.empty((60, 0)),
        soc_pct=None,
        balancing=None,
    )
    assert int(np.isnan(log.current_a).sum()) == left_out
    assert [count for count, _ in lost] == [left_out] * bool(left_out)
