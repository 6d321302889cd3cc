"""A cell that loses some per cent a day: on the flat it was "never levelled", and to be fed."""

from dataclasses import replace

import numpy as np
import pytest

from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.presets import new_setup
from tests.builders import charge_log

SETUP = new_setup("lfp", 8, 100.0)
LEAKY = 3


def losing(pct_a_day, charges=8, begins_pct=0.0, setup=SETUP):
    offset, drift = np.zeros(setup.cells), np.zeros(setup.cells)
    offset[LEAKY], drift[LEAKY] = begins_pct, -pct_a_day
    return charge_log(setup, offset, charges=charges, drift_pct=drift)


@pytest.mark.parametrize("pct_a_day", [1.5, 2.0, 3.0, 4.0, 6.0])
def test_a_cell_that_shorts_inside_is_told_as_losing_and_is_not_fed(pct_a_day):
    first = diagnose(losing(pct_a_day), SETUP).findings[0]
    assert first.cause == "self_discharge"
    assert first.cells == (LEAKY + 1,)
    assert first.confidence > 0.7
    assert first.low <= -1000.0 * pct_a_day <= first.high
    assert first.value == pytest.approx(-1000.0 * pct_a_day, rel=0.5)
    assert "may short inside" in first.actions[0]
    assert not any("Feed" in action for action in first.actions) or pct_a_day < 2.0


def test_a_cell_that_never_was_level_stands_as_before():
    log = losing(0.0, begins_pct=-6.0)
    first = diagnose(log, SETUP).findings[0]
    assert first.cause == "soc_offset"
    assert "whether it still falls, is not seen" in first.summary
    assert "stands still" not in first.evidence[0]
    assert "three days later" in first.confirm


def test_a_pack_that_is_levelled_by_hand_upwards_does_not_fall():
    offset = np.zeros(8)
    offset[LEAKY] = -6.0
    before, after = charge_log(SETUP, offset, charges=4), charge_log(SETUP, np.zeros(8), charges=4)
    shift_s = before.time_s[-1] + 86400.0 - after.time_s[0]
    after = replace(after, time_s=after.time_s + shift_s)
    joined = {
        name: np.concatenate([getattr(before, name), getattr(after, name)])
        for name in ("time_s", "current_a", "pack_v", "cell_v", "temp_c")
    }
    found = diagnose(replace(before, **joined), SETUP).findings
    assert not any("was level and fell" in cause.summary for cause in found)


def test_a_usual_leak_is_told_by_its_line():
    first = diagnose(losing(0.1), SETUP).findings[0]
    assert first.cause == "self_discharge"
    assert "loses" in first.summary
    assert not any("short inside" in action for action in first.actions)


def test_a_leak_beyond_ordinary_cells_says_what_it_may_be():
    first = diagnose(losing(0.4), SETUP).findings[0]
    assert first.cause == "self_discharge"
    assert "may short inside" in first.actions[0]
