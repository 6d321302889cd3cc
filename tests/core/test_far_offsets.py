"""LFP cells that stand far behind, as one put in at half charge does: how far is told where charges
pass the step of the plateau, or left open, and no fault of the meter is made of it.
"""

from dataclasses import replace

import numpy as np
import pytest

from nipper.core.forecast.levelling import from_log
from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.imbalance.missing import missing
from nipper.core.presets import new_setup
from nipper.core.report.consequence import Status
from nipper.core.report.levelling import level_sentence
from nipper.core.report.proof import paths
from nipper.core.report.sentences import of_diagnosis
from tests.builders import charge_log

SETUP = new_setup("lfp", 8, 100.0)
CELL = 2


def log_of(behind_pct, depth_pct, a_day_pct=0.0, charges=4, rate=0.2, interval_s=60.0):
    off, drift = np.zeros(8), np.zeros(8)
    off[CELL], drift[CELL] = behind_pct, a_day_pct
    plain = charge_log(
        SETUP,
        off,
        charges=charges,
        drift_pct=drift,
        depth_pct=depth_pct,
        rate=rate,
        interval_s=10.0 if interval_s > 60.0 else interval_s,
    )
    return plain.select(slice(None, None, int(interval_s // 10.0) if interval_s > 60.0 else 1))


def reads_wrongly(log, bias_mv):
    cell_v = log.cell_v.copy()
    cell_v[:, CELL] += np.float32(bias_mv / 1e3)
    return replace(log, cell_v=cell_v)


def fed_ah(judged):
    return [move.ah for finding in judged.findings for move in finding.moves]


def range_of(judged):
    return [float(end[CELL]) for end in judged.estimate.drift.last_range_ah]


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
    assert all(0.0 < ah <= -pct for ah in fed_ah(judged))  # and no more is fed than is missing


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


@pytest.mark.parametrize("interval_s", [60.0, 180.0])
def test_a_drift_that_ends_far_on_the_flat_may_be_larger_rather_than_smaller(interval_s):
    """There each charge tells that the cell is behind, not how far."""
    log = log_of(0.0, 20.0, a_day_pct=-0.15, charges=40, interval_s=interval_s)
    first = diagnose(log, SETUP).findings[0]
    assert (first.cause, first.cells) == ("self_discharge", (CELL + 1,))
    assert first.low <= -150.0 <= first.high
    assert first.value - first.low > 1.3 * (first.high - first.value)
    assert first.low > 1.5 * first.value  # the charges before told how far it was


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


@pytest.mark.parametrize("pct", [-30.0, -35.0, -40.0])
@pytest.mark.parametrize("depth", [20.0, 30.0, 45.0, 55.0])
def test_a_cell_on_the_lower_flat_is_no_wrong_reading(pct, depth):
    """At 35 % and more it was "reads 40 mV too low" at 0.98, and 52 Ah were fed to one that lacked
    40: at the knee such a cell stays where it was, which a wrong reading does not.
    """
    judged = diagnose(log_of(pct, depth), SETUP)
    low, high = range_of(judged)
    assert low <= pct <= high
    assert not [f for f in judged.findings if f.cause == "sense_bias"]
    assert all(0.0 < ah <= -pct for ah in fed_ah(judged))
    assert judged.verdict in ("act", "watch")


@pytest.mark.parametrize("bias_mv", [-40.0, -25.0, 25.0, 40.0, 60.0])
def test_a_reading_that_rises_with_the_others_is_wrong(bias_mv):
    judged = diagnose(reads_wrongly(log_of(0.0, 40.0), bias_mv), SETUP)
    assert named(judged) == [("sense_bias", (CELL + 1,))]


@pytest.mark.parametrize("bias_mv", [-40.0, -25.0, -12.0])
@pytest.mark.parametrize("pct", [-1.0, -3.0])
def test_one_that_reads_wrongly_and_is_behind_is_fed_with_what_is_sure(bias_mv, pct):
    """For it stands as one that is far behind: 33 Ah were fed where 3 were missing."""
    judged = diagnose(reads_wrongly(log_of(pct, 40.0), bias_mv), SETUP)
    low, high = range_of(judged)
    assert low <= pct <= high
    assert all(0.0 < ah <= max(-pct, 1.4) for ah in fed_ah(judged))
    first = judged.findings[0]
    if first.cause == "soc_offset" and judged.estimate.knee.apart_v[CELL]:
        assert "trusted meter to the poles of cell 3" in first.actions[0]


def test_a_cell_that_is_far_behind_is_not_weak_for_that():
    """One 45 % behind "holds 42 % less" at 0.98: no reading at the top says how far it is."""
    judged = diagnose(log_of(-45.0, 45.0), SETUP)
    assert named(judged) == [("soc_offset", (CELL + 1,))]


@pytest.mark.parametrize("rate", [0.2, 0.5])
@pytest.mark.parametrize("pct", [-2.0, -4.0, -8.0, -15.0, -40.0])
def test_rows_of_five_minutes_tell_what_they_tell(pct, rate):
    """The whole knee lies between two of them: no charge was seen to be full, and what flowed in
    between was not counted, so that 5.3 Ah were fed where 2 were missing.
    """
    judged = diagnose(log_of(pct, 20.0, rate=rate, interval_s=300.0), SETUP)
    low, high = range_of(judged)
    assert judged.estimate.full
    assert high < 0.0
    assert low <= pct <= high or pct < -16.0
    assert judged.verdict != "healthy"
    assert all(0.0 < ah <= -pct for ah in fed_ah(judged))
    if low < -12.0:
        assert any("may be off by" in text for text in judged.advice)


def test_level_cells_stay_level_where_the_knee_lies_between_two_rows():
    """At 0.5C and five minutes cells 0.3 % off were told 5 % off: any lead of the surface fits."""
    setup = new_setup("lfp", 16, 304.0)
    off = np.random.default_rng(41).normal(0.0, 0.3, 16)
    log = charge_log(setup, off, charges=3, depth_pct=26.0, rate=0.5, interval_s=10.0)
    judged = diagnose(log.select(slice(None, None, 30)), setup)
    assert named(judged) == []
    assert np.nanmax(np.abs(judged.estimate.drift.last_ah)) < 0.01 * setup.capacity_ah


@pytest.mark.parametrize("interval_s", [10.0, 60.0])
@pytest.mark.parametrize(("pct", "bias_mv"), [(-25.0, 40.0), (-38.0, 40.0), (-12.0, 25.0)])
def test_one_that_reads_too_high_and_stands_still_is_not_told_narrowly(pct, bias_mv, interval_s):
    """Behind and read too high by what hides it, it was 1 % behind, give or take 0.3 %: at the knee
    it stands where it was, while one that is a per cent behind passes.
    """
    log = reads_wrongly(log_of(pct, 20.0, interval_s=interval_s), bias_mv)
    judged = diagnose(log, SETUP)
    low, high = range_of(judged)
    assert low <= pct <= high < 0.0
    near_and_far = f"−{-high:.1f} to −{-low:.0f} %"  # its near end alone would seem sure
    assert paths(judged, SETUP).told(CELL)[1] == near_and_far
    assert all(0.0 < ah <= -pct for ah in fed_ah(judged))
    assert judged.verdict in ("act", "watch")
    said = [action for finding in judged.findings for action in finding.actions]
    assert any("meter" in action for action in said)


def test_one_a_per_cent_behind_is_not_doubted():
    judged = diagnose(log_of(-1.0, 40.0), SETUP)
    low, high = range_of(judged)
    assert low > -2.0
    assert high < 0.0
    assert " to " not in paths(judged, SETUP).told(CELL)[1]


def on_change(log, setup):
    """The rows a recorder keeps that writes when something moved, and each quarter of an hour."""
    kept = [0]
    for i in range(1, log.rows):
        before = kept[-1]
        moved_v = np.abs(log.cell_v[i] - log.cell_v[before]).max()
        moved_a = abs(log.current_a[i] - log.current_a[before])
        late = log.time_s[i] - log.time_s[before] >= 900.0
        if moved_v > 0.006 or moved_a > 0.01 * setup.capacity_ah or late:
            kept.append(i)
    return log.select(np.array(kept))


def test_a_cell_driven_high_is_neither_weak_nor_read_wrongly_in_a_log_of_changes():
    """Most of its rows lie at the top: it "read 700 mV too high" and "held 59 % less"."""
    setup = new_setup("lfp", 16, 50.0)
    off = np.zeros(16)
    off[15], off[8] = 3.9, -22.4
    log = charge_log(setup, off, charges=8, depth_pct=20.0, hold_min=20.0, noise_mv=1.0)
    judged = diagnose(on_change(log, setup), setup)
    assert not {"low_capacity", "sense_bias"} & {cause for cause, _ in named(judged)}


def test_nothing_is_claimed_of_one_whose_place_is_not_seen():
    """Level was green, "no cell drifts", and the imbalance "costs up to 1.0 Ah"."""
    judged = diagnose(reads_wrongly(log_of(-25.0, 20.0), 40.0), SETUP)
    status, told = level_sentence(SETUP, from_log(SETUP, judged))
    assert status is not Status.OK
    assert "cell 3" in told
    costs = next(c for c in of_diagnosis(judged) if "The imbalance costs" in c.lead)
    assert costs.status is not Status.OK
    assert " to 6" in costs.lead
    assert any("trusted meter to its poles" in text for text in judged.advice)


def test_a_coarse_meter_leaves_no_health_where_a_cell_is_likely_off():
    """A cell of 4.2 V 3 % fuller, by a meter of 10 mV between 0.4 and 4.8 %, was "healthy"."""
    setup = new_setup("nmc", 16, 280.0)
    off = np.random.default_rng(9).normal(0.0, 0.3, 16)
    off[3] = 3.0
    log = charge_log(setup, off, charges=4, depth_pct=67.0, rate=0.08, noise_mv=1.0)
    judged = diagnose(replace(log, cell_v=np.round(log.cell_v, 2)), setup)
    assert judged.verdict == "watch"
    assert named(judged) or any("Cell 4 may be off" in text for text in judged.advice)


def test_the_charge_a_trip_ends_without_a_highest_cell_is_told():
    judged = diagnose(log_of(-0.5, 40.0), SETUP)
    known = replace(
        judged.estimate,
        charges=tuple(replace(c, ended_by="trip") for c in judged.estimate.charges),
        end=replace(judged.estimate.end, highest=frozenset()),
    )
    said = missing(known, log_of(-0.5, 40.0), SETUP)
    assert any(text.startswith("One cell ends the charge by its trip") for text in said)
