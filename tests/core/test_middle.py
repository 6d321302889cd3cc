"""The step in the middle of LFP's plateau, against packs of another physics: the truth is known."""

from dataclasses import replace

import numpy as np
import pytest

from nipper.core.imbalance.bystep import with_step
from nipper.core.imbalance.capacity import Capacities
from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.imbalance.lines import Lines
from nipper.core.imbalance.middle import middle_of, middles
from nipper.core.imbalance.offsets import Offsets, resistance_prior
from nipper.core.logs.charges import find_charges
from nipper.core.logs.model import Log, nanmedian
from nipper.core.presets import new_setup
from nipper.core.setup import put
from tests.bench.behind import behind
from tests.bench.others import CURVES
from tests.otherpack import Cells, Use, make, published_curve

OFFSETS_PCT = np.array([0.0, 0.3, -0.4, 2.0, -3.0, 6.0, -7.0, 0.1, -0.2, 0.0, 0.2])
CELLS = OFFSETS_PCT.size
TRUE = OFFSETS_PCT - np.median(OFFSETS_PCT)
# on charge and down again, at rates that come and go, never above 90 % and never below 25 %
DAYS = [
    (24.0 * day + at, 24.0 * day + until, rate)
    for day in range(10)
    for at, until, rate in (
        (1.0, 3.0, -0.12),
        (3.5, 6.0, -0.1),
        (10.0, 12.0, 0.15),
        (12.0, 14.0, 0.1),
    )
]


def walked(curve=CURVES["lfp"][0], **changes):
    """A pack of 100 Ah whose cells stand as OFFSETS_PCT says, never full and never empty."""
    setup = new_setup("lfp", CELLS, 100.0, balancer="none")
    usual = {"offset_pct": OFFSETS_PCT, "hysteresis_mv": 8.0}
    cells = Cells(published_curve(*curve), **(usual | changes))
    use = Use(days=10.0, start_pct=80.0, hours=DAYS, noise_mv=0.8, balance=False)
    return make(setup, cells, use)[0], setup


def told(log, setup):
    found = middles(log, setup, find_charges(log, setup), resistance_prior(setup))
    return np.array([one.offset_ah for one in found]), np.array([one.sd_ah for one in found])


@pytest.mark.parametrize("curve", CURVES["lfp"])
def test_where_cells_pass_the_step_tells_their_charge(curve):
    """Three published curves; the pack is never full: nothing else tells it."""
    ah, sd = told(*walked(curve))
    assert len(ah) >= 6
    good = np.isfinite(ah)
    assert good[:, np.abs(TRUE) < 6.5].all()  # one 7 % behind may pass its step after the charge
    off = np.abs(ah - TRUE)[good]
    assert np.all(off < 2.0 * sd[good])
    assert np.median(off) < 0.15


def test_neither_a_wrong_reading_nor_a_resistance_moves_it():
    bias = np.where(np.arange(CELLS) % 3 == 0, 12.0, 0.0)
    more = np.where(np.arange(CELLS) % 4 == 1, 1.6, 1.0)
    ah, _ = told(*walked(bias_mv=bias, resistance=more))
    plain, _ = told(*walked())
    moved = np.abs(nanmedian(ah) - nanmedian(plain))
    assert np.median(moved) < 0.5  # the wrong reading alone is 4 % of the curve's slope there
    assert np.nanmax(moved) < 1.0


def test_a_plateau_without_a_step_tells_nothing():
    pct, volts = published_curve(*CURVES["lfp"][0])
    flat = (pct > 20.0) & (pct < 95.0)
    level = np.where(flat, np.interp(pct, pct[flat][[0, -1]], volts[flat][[0, -1]]), volts)
    setup = new_setup("lfp", CELLS, 100.0, balancer="none")
    use = Use(days=10.0, start_pct=80.0, hours=DAYS, noise_mv=0.8, balance=False)
    log, _ = make(setup, Cells((pct, level), offset_pct=OFFSETS_PCT), use)
    assert not told(log, setup)[0].size


def test_sloped_curves_have_no_such_step():
    log, setup = walked()
    assert middles(log, new_setup("nmc", CELLS, 100.0), find_charges(log, setup), None) == []


def test_a_silent_cell_is_not_told_and_hides_no_other():
    log, setup = walked()
    cell_v = log.cell_v.copy()
    cell_v[:, 4] = np.nan
    ah, _ = told(replace(log, cell_v=cell_v), setup)
    assert np.isnan(ah[:, 4]).all()
    assert np.isfinite(np.delete(ah, [4, 6], axis=1)).all()


def test_a_charge_that_begins_above_the_step_tells_nothing():
    log, setup = walked()
    charge = find_charges(log, setup)[-1]
    late = replace(charge, start=charge.start + 2 * (charge.stop - charge.start) // 3)
    prior = resistance_prior(setup)
    assert middle_of(log, setup, charge, prior) is not None
    assert middle_of(log, setup, late, prior) is None


def test_a_coarse_meter_is_told_so_or_not_at_all():
    """Steps of 10 mV: what is told holds, within what it says of itself."""
    log, setup = walked()
    ah, sd = told(replace(log, cell_v=(np.round(log.cell_v * 100) / 100).astype(np.float32)), setup)
    good = np.isfinite(ah)
    assert np.mean((np.abs(ah - TRUE) < 2.0 * sd)[good]) > 0.9


def test_a_log_without_a_full_charge_tells_a_leak_by_the_step():
    """Never full, never empty: no other reading of this log tells anything."""
    leak = np.where(np.arange(CELLS) == 7, 400.0, 0.0)
    found = diagnose(*walked(leak_mah_day=leak, offset_pct=0.0))
    (one,) = (f for f in found.findings if f.confidence > 0.5)
    assert (one.cause, one.cells) == ("self_discharge", (8,))
    assert one.low < -400.0 < one.high
    assert one.value == pytest.approx(-400.0, rel=0.1)


def test_a_cell_that_sank_while_it_was_watched_is_told_how_far():
    """Level at first: what it is behind at the step now is charge, and to be fed."""
    pack, _ = behind("self_discharge", 1)
    found = diagnose(pack.log, pack.setup)
    (cell,) = pack.truth.cells
    missing_ah = -found.estimate.drift.last_ah[cell - 1]
    lost_ah = -pack.truth.low / 1.2 * 1e-3 * found.estimate.drift.days
    assert missing_ah == pytest.approx(lost_ah, rel=0.25)


def lines(slope, sd, share):
    """Of two cells over ten days."""
    time_s = np.array([0.0, 10 * 86400.0])
    return Lines(time_s, np.array(slope), np.array(sd), np.zeros(2), share, np.zeros(2))


def test_slopes_are_weighed_by_their_errors():
    both = lines([0.0, -1.0], [0.1, 0.1], 0.15).with_other(lines([0.0, -1.2], [0.1, 0.1], 0.06))
    assert both.ah_per_day[1] == pytest.approx(-1.125, abs=0.03)  # nearer to the surer scale
    assert both.sd_ah_per_day[0] == pytest.approx(0.1 / np.sqrt(2.0))
    assert both.scale_share == pytest.approx(1.0 / np.hypot(1.0 / 0.15, 1.0 / 0.06))
    # the line turns about its middle
    assert both.start_ah[1] == pytest.approx(5.0 * (-1.0 - both.ah_per_day[1]))


def test_slopes_that_contradict_each_other_are_told_with_more_doubt():
    both = lines([0.0, -1.0], [0.1, 0.1], 0.15).with_other(lines([0.0, 1.0], [0.1, 0.1], 0.06))
    assert both.sd_ah_per_day[1] > 3.0 * both.sd_ah_per_day[0]


def test_a_cell_that_one_of_the_two_does_not_tell_is_told_by_the_other():
    nan = float("nan")
    step = lines([0.0, -1.2], [0.1, 0.1], 0.06)
    both = lines([0.1, nan], [0.1, nan], 0.15).with_other(step)
    assert both.ah_per_day[1] == pytest.approx(-1.2)
    assert both.sd_ah_per_day[1] == pytest.approx(0.1)
    first = lines([0.1, -1.0], [0.1, 0.1], 0.15)
    assert first.with_other(lines([nan, nan], [nan, nan], 0.06)) is first


def test_without_a_step_capacities_stay_as_they_were():
    held = Capacities.untold(8, 40.0)
    log, setup = walked()
    assert with_step(held, [], [], log, setup) is held
    level = Offsets(float(log.time_s[0]), *(np.zeros(CELLS) for _ in range(4)))
    assert with_step(held, [], [level], log, setup).step_ah is not None


def test_without_a_full_charge_it_says_what_the_step_leaves_open():
    """Which cells will be full first, which may hold less, and nothing to feed."""
    found = diagnose(*walked())
    assert found.verdict == "not_enough_data"
    assert not [f for f in found.findings if f.confidence > 0.5]
    said = " ".join(found.advice)
    assert "Cells 4 and 6 had 2 to 6 Ah more than the others" in said
    assert "Cells 5 and 7 had 3 to 7 Ah less than the others" in said
    assert "until then no cell can be judged" not in said


def test_a_cell_that_sinks_is_not_said_to_hold_less():
    leak = np.where(np.arange(CELLS) == 7, 400.0, 0.0)
    found = diagnose(*walked(leak_mah_day=leak, offset_pct=0.0))
    assert not any("less capacity" in text for text in found.advice)


def judged(lacks_ah, low_ah, high_ah, at_step_ah=-4.0):
    """Capacities of five cells of 100 Ah: what a discharge tells of the first, which is level at
    the top and so far behind at the step, 40 Ah before.
    """
    setup = new_setup("lfp", 5, 100.0, balancer="none")
    time_s = np.arange(0.0, 4 * 3600.0 + 60.0, 60.0)
    cell_v = np.full((time_s.size, 5), 3.35, np.float32)
    amps, no_sensor = np.full(time_s.size, 10.0), np.empty((time_s.size, 0))
    log = Log(time_s, amps, cell_v.sum(axis=1), cell_v, no_sensor)
    first = np.array([1.0, 0.0, 0.0, 0.0, 0.0])
    sd = np.full(5, 0.2)
    top = Offsets(4 * 3600.0, 0.0 * first, sd, -sd, sd, herd_pct=100.0, on_knee=True)
    mid = Offsets(60.0, np.where(first > 0.0, at_step_ah, 0.0), sd, -sd, sd)
    held = replace(
        Capacities.untold(5, 10.0),
        deficit_ah=lacks_ah * first,
        sd_ah=np.where(first > 0.0, (high_ah - low_ah) / 3.29, 0.5),
        low_ah=np.where(first > 0.0, low_ah, -0.8),
        high_ah=np.where(first > 0.0, high_ah, 0.8),
        discharges=1,
    )
    return with_step(held, [top], [mid], log, setup)


def test_a_smaller_cell_is_told_more_surely_by_all_three():
    """A tenth less, all of it: it has lost four tenths of that by the step."""
    found = judged(-12.0, -20.0, -5.0)
    assert found.deficit_ah[0] == pytest.approx(-10.2, abs=0.3)
    assert found.high_ah[0] - found.low_ah[0] < 4.0
    assert not found.by_step.any()


def test_a_cell_that_lost_lithium_is_left_to_its_low_end():
    found = judged(-4.2, -5.0, -3.4)
    assert found.deficit_ah[0] == -4.2
    assert (found.low_ah[0], found.high_ah[0]) == (-5.0, -3.4)


def test_a_low_end_that_neither_loss_explains_is_not_believed():
    """Hours were missing from a discharge: "33 % less"."""
    found = judged(-33.0, -40.0, -26.0)
    assert found.by_step[0]
    assert -11.5 < found.low_ah[0] < found.deficit_ah[0] < found.high_ah[0] < -3.0


def test_a_loose_joint_is_no_step():
    """On a bench cycle a joint came and went by 22 mV: "holds 12 % less"."""
    log, setup = walked(offset_pct=0.0)
    on = (np.arange(log.rows) // 37) % 3 == 0
    cell_v = log.cell_v.copy()
    cell_v[:, 2] += (0.002 * np.nan_to_num(log.current_a) * on).astype(np.float32)
    ah, _ = told(replace(log, cell_v=cell_v), setup)
    assert np.isnan(ah[:, 2]).all()
    assert np.isfinite(np.delete(ah, 2, axis=1)).all()


def two_makes(odd, curves):
    """Level and equal, with their step and their low end elsewhere."""
    own, other = (published_curve(*CURVES["lfp"][i]) for i in curves)
    setup = new_setup("lfp", 8, 100.0, balancer="none")
    setup = put(setup, {"charging.absorption_v": 27.8, "charging.tail_a": None})
    cells = Cells(own, own_curves=dict.fromkeys(odd, other), hysteresis_mv=8.0)
    days = [
        (24.0 * day + at, 24.0 * day + until, rate)
        for day in range(8)
        for at, until, rate in ((1.0, 5.0, -0.15), (8.0, 15.0, 0.15))
    ]
    log, _ = make(setup, cells, Use(days=8.0, start_pct=90.0, hours=days, noise_mv=0.7))
    return diagnose(log, setup)


@pytest.mark.parametrize(("odd", "curves"), [((0, 2, 3, 7), (0, 1)), ((2,), (0, 2))])
def test_cells_of_another_make_are_not_called_weak(odd, curves):
    """ "Hold 27 to 68 % less", at 0.98."""
    found = two_makes(odd, curves)
    sure = [f for f in found.findings if f.confidence > (0.5 if len(odd) > 1 else 0.75)]
    assert not [f for f in sure if f.cause in ("low_capacity", "soc_offset")]


def test_cells_of_another_make_that_are_empty_first_are_told_with_doubt():
    """The discharge said "15 % less" at 0.98, and their step says the same of both."""
    (weak,) = two_makes((4, 6), (1, 2)).findings
    assert weak.cells == (5, 7)
    assert weak.confidence <= 0.6
    assert any("another make" in text for text in weak.evidence)
    assert "labels of cells 5 and 7 first" in weak.actions[0]


def test_a_weak_cell_is_of_the_same_make_where_its_step_says_so():
    assert not judged(-12.0, -20.0, -5.0).unlike.any()
    assert judged(-33.0, -40.0, -26.0, at_step_ah=np.nan).unlike[0]


def test_a_low_end_that_is_not_believed_is_not_cited():
    """ "At the low end −34 Ah: the difference is capacity", of a reading that was thrown out."""
    found = replace(judged(-33.0, -40.0, -26.0), discharges=1)
    assert np.isnan(found.low_offset_ah[0])
