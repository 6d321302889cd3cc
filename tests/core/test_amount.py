"""How much a current moves at a stretch, and when that cannot be of the cells."""

import numpy as np
import pytest

from nipper.core.logs.amount import one_way_ah, too_much_ah

MINUTE_S = 60.0 * np.arange(601)  # ten hours


def test_one_way_is_from_one_turn_to_the_next() -> None:
    amps = np.full(601, 30.0)
    assert one_way_ah(amps, MINUTE_S) == pytest.approx(300.0)
    assert one_way_ah(-amps, MINUTE_S) == pytest.approx(300.0)
    amps[200] = -1.0
    assert one_way_ah(amps, MINUTE_S) == pytest.approx(200.0)
    amps[200] = 0.0  # a rest is no turn
    assert one_way_ah(amps, MINUTE_S) == pytest.approx(299.5)


def test_nothing_is_counted_across_a_gap_or_an_unknown_time() -> None:
    amps, gap, unknown = np.full(601, 30.0), MINUTE_S.copy(), MINUTE_S.copy()
    gap[200:] += 86400.0
    unknown[200] = np.nan
    assert one_way_ah(amps, gap) == pytest.approx(200.0)
    assert one_way_ah(amps, unknown) == pytest.approx(199.5)
    assert one_way_ah(amps, np.full(601, np.nan)) == 0.0
    assert one_way_ah(amps[:1], MINUTE_S[:1]) == 0.0


def test_a_tenfold_current_is_too_much_and_a_month_of_float_is_not() -> None:
    whole = np.full(601, 25.0)  # 250 Ah into cells of 280
    assert too_much_ah(whole, MINUTE_S, 280.0) == 0.0
    assert too_much_ah(10.0 * whole, MINUTE_S, 280.0) == pytest.approx(2500.0)
    month_s = 3600.0 * np.arange(720.0)
    assert too_much_ah(np.full(720, 1.0), month_s, 280.0) == 0.0  # what a meter is off by
