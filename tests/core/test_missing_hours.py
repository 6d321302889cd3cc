"""Logs that are written only by day, or only while it charges: what they cannot show is told."""

import numpy as np
import pytest

from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.imbalance.estimate import balancer_use
from nipper.core.imbalance.missing import hides_leaks
from nipper.core.imbalance.walked import unseen_ah
from nipper.core.logs.charges import find_charges
from nipper.core.logs.model import Log
from tests.bench.others import other


@pytest.fixture(scope="module")
def leaking():
    """A leak of 47 mAh a day, which a balancer makes good from week to week."""
    return other("self_discharge", 771)


def test_what_is_balanced_in_hours_that_are_missing_may_hide_a_leak(leaking):
    """By day alone the pack was healthy, and nothing was said: it is balanced in the evening."""
    log, setup = leaking.log, leaking.setup
    hour = log.time_s / 3600.0 % 24.0
    by_day = log.select((hour >= 7.0) & (hour < 18.0))
    told = diagnose(by_day, setup)
    assert told.verdict == "healthy"
    assert hides_leaks(told.estimate)
    assert any("Hours at the top are missing" in text for text in told.advice)
    whole = diagnose(log, setup)
    assert whole.findings[0].cause == "self_discharge"
    assert balancer_use(log, setup).hidden_pct_month == 0.0


def test_hours_missing_away_from_the_top_hide_nothing(leaking):
    log, setup = leaking.log, leaking.setup
    low = log.mean_cell_v < setup.leveller.start_v - 0.05
    lowest = np.flatnonzero(low & np.roll(low, 300) & np.roll(low, -300))
    some = np.ones(log.rows, bool)
    some[lowest] = False
    assert some.mean() < 0.9
    assert balancer_use(log.select(some), setup).hidden_pct_month == 0.0


def test_a_log_of_charges_alone_has_a_charge_a_day(leaking):
    """All of it was one charge of 2,400 Ah, and the current was said to be wrong."""
    log, setup = leaking.log, leaking.setup
    alone = log.select(log.current_a > 0.005 * setup.capacity_ah)
    charges = find_charges(alone, setup)
    assert len(charges) > 0.75 * len(find_charges(log, setup))
    assert max(c.charged_ah for c in charges) < 1.1 * setup.capacity_ah
    told = diagnose(alone, setup)
    assert not told.unfit
    assert hides_leaks(told.estimate)


def test_a_charge_goes_on_over_a_short_gap_and_not_over_a_long_one(leaking):
    log, setup = leaking.log, leaking.setup
    charge = find_charges(log, setup)[1]
    middle = (charge.start + charge.absorption[0]) // 2
    assert middle - 45 > charge.start
    counts = []
    for minutes in (0, 20, 90):
        half = minutes // 2
        some = np.ones(log.rows, bool)
        some[middle - half : middle + half] = False
        counts.append(len(find_charges(log.select(some), setup)))
    assert counts[0] == counts[1] == counts[2] - 1


def test_what_flowed_in_a_gap_is_taken_from_its_sides():
    time_s = np.r_[np.arange(0.0, 3600.0, 60.0), np.arange(7200.0, 10800.0, 60.0)]
    amps = np.where(time_s < 5000.0, -10.0, -6.0)
    cells = np.full((time_s.size, 4), 3.3, np.float32)
    log = Log(time_s, amps, cells.sum(axis=1), cells, np.empty((time_s.size, 0)))
    whole = slice(0, time_s.size)
    assert unseen_ah(log, whole, -1.0) == pytest.approx(8.0 * 3660.0 / 3600.0)
    assert unseen_ah(log, whole, 1.0) == 0.0
    assert unseen_ah(log, slice(0, 50), -1.0) == 0.0
