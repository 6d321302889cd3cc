"""LFP cells that stand far behind, as one put in at half charge does: how far is told where charges
pass the step of the plateau, or left open, and no fault of the meter is made of it.
"""

from dataclasses import replace

import numpy as np
import pytest

from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.presets import new_setup
from tests.builders import charge_log

SETUP = new_setup("lfp", 8, 100.0)
CELL = 2


def log_of(behind_pct, depth_pct, a_day_pct=0.0, charges=4):
    off, drift = np.zeros(8), np.zeros(8)
    off[CELL], drift[CELL] = behind_pct, a_day_pct
    return charge_log(SETUP, off, charges=charges, drift_pct=drift, depth_pct=depth_pct)


def named(judged):
    return [(f.cause, f.cells) for f in judged.findings if f.confidence > 0.5]


@pytest.mark.parametrize("pct", [-6.0, -10.0, -16.0])
def test_where_charges_pass_the_step_it_is_told_how_far(pct):
    """A cell 10 % behind was 6 (4 to 8), one 16 % behind 8 (5 to 12)."""
    judged = diagnose(log_of(pct, 60.0), SETUP)
    drift = judged.estimate.drift
    assert named(judged) == [("soc_offset", (CELL + 1,))]
    assert drift.last_ah[CELL] == pytest.approx(pct, rel=0.06)
    low, high = (end[CELL] for end in drift.last_range_ah)
    assert low <= pct <= high


@pytest.mark.parametrize(("pct", "depth"), [(-10.0, 20.0), (-20.0, 60.0), (-26.0, 60.0)])
def test_where_they_do_not_it_is_open_how_far(pct, depth):
    """20 % behind was 2 %, and "reads 17 mV too low"; 26 % behind 1.3 %, and weak."""
    judged = diagnose(log_of(pct, depth), SETUP)
    low, high = (end[CELL] for end in judged.estimate.drift.last_range_ah)
    assert low <= pct <= high
    assert named(judged) == [("soc_offset", (CELL + 1,))]
    fed = [move.ah for finding in judged.findings for move in finding.moves]
    assert all(0.0 < ah <= -pct for ah in fed)  # and no more is fed than is missing


def test_a_cell_put_in_at_half_charge_reads_rightly():
    judged = diagnose(log_of(-28.0, 50.0), SETUP)
    assert named(judged) == [("soc_offset", (CELL + 1,))]


def test_one_that_falls_by_two_per_cent_a_day_is_told_while_the_step_shows_it():
    """Far behind it was read 12 % ahead at the step: "never levelled; it stands still"."""
    judged = diagnose(log_of(-4.0, 60.0, a_day_pct=-2.0, charges=12), SETUP)
    first = judged.findings[0]
    assert (first.cause, first.cells) == ("self_discharge", (CELL + 1,))
    assert first.low <= -2000.0 <= first.high
    assert "from -4.0 %" in first.evidence[0]


def test_what_the_flat_hides_is_not_claimed():
    judged = diagnose(log_of(-4.0, 20.0, a_day_pct=-1.0, charges=12), SETUP)
    first = judged.findings[0]
    assert "stands still" not in "".join(first.evidence)
    assert "never levelled" not in first.summary
    assert "three days later" in first.confirm


def test_a_coarse_meter_makes_no_far_cell_of_a_wrong_reading():
    log = log_of(0.0, 40.0)
    cell_v = log.cell_v.copy()
    cell_v[:, CELL] -= np.float32(0.025)
    judged = diagnose(replace(log, cell_v=np.round(cell_v, 2)), SETUP)
    assert named(judged) == [("sense_bias", (CELL + 1,))]
