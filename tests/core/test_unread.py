"""A cell that a log does not read is not healthy, and a reading that stands still is no charge."""

import re
from dataclasses import replace

import numpy as np
import pytest

from nipper.core.imbalance.copies import without_copies
from nipper.core.imbalance.diagnosis import diagnose, to_json
from nipper.core.imbalance.resistance import step_resistances, turn
from nipper.core.imbalance.unread import without_spikes, without_still
from nipper.core.report.proof import paths, proofs
from nipper.core.report.sentences import diagnose_sentence, named, of_diagnosis, record_sentence
from tests.bench.lives import LIVES, lived


def made(life, number, cause=""):
    return lived([each.__name__ for each in LIVES].index(life), cause, number)


def never(v):
    v[:, 1] = np.nan


def no_more(v):
    v[len(v) * 7 // 10 :, 1] = np.nan


def not_when_high(v):
    v[v[:, 1] > 3.38, 1] = np.nan


@pytest.mark.parametrize(
    ("spoil", "said"),
    [
        (never, "Cell 2 gave no reading in this log"),
        (no_more, "Cell 2 gave no reading at the end"),
        (not_when_high, "Cell 2 gave no reading at the end"),
    ],
)
def test_a_pack_with_a_cell_that_is_not_read_is_not_called_healthy(spoil, said):
    """Each row wanted all cells: nothing was looked at, and that was "healthy"."""
    pack = made("commuter", 800)
    cell_v = pack.log.cell_v.copy()
    spoil(cell_v)
    found = diagnose(replace(pack.log, cell_v=cell_v), pack.setup)
    assert found.verdict == "not_enough_data"
    assert found.advice[0].startswith(said)
    assert found.unread == (1,)
    assert named(found) == "Cell 2: not read; nothing is found of the others"
    assert diagnose_sentence(found)[1] == "Cell 2: not read"


def test_a_log_whose_readings_are_full_of_holes_is_not_called_healthy():
    """No full charge told anything of any cell."""
    pack = made("boat", 805)
    holes = np.random.default_rng(1).random(pack.log.cell_v.shape) < 0.3
    cell_v = np.where(holes, np.nan, pack.log.cell_v).astype(np.float32)
    found = diagnose(replace(pack.log, cell_v=cell_v), pack.setup)
    assert found.verdict == "not_enough_data"
    assert any("tells how full a cell is" in a for a in found.advice)


def test_a_cell_that_was_never_read_leaves_the_rest_to_be_read_both_ways():
    """The fit of a cell without a reading ended in a singular matrix."""
    pack = made("backup", 803)
    cell_v = pack.log.cell_v.copy()
    cell_v[:, 2] = np.nan
    assert diagnose(replace(pack.log, cell_v=cell_v), pack.setup).verdict == "not_enough_data"


@pytest.mark.parametrize(
    ("life", "cause", "number", "unread"),
    [
        ("commuter", "high_resistance", 804, 7),
        ("backup", "self_discharge", 803, 0),
        ("hoist", "group_drain", 804, 3),
        ("winter_van", "low_capacity", 802, 2),
        ("boat", "sense_bias", 801, 1),
        ("night_rate", "soc_offset", 800, 4),
    ],
)
@pytest.mark.parametrize("since", [0.0, 0.95])
def test_a_cell_that_is_not_read_hides_no_fault_of_another(life, cause, number, unread, since):
    """A log with one dead sense lead told nothing of the fifteen other cells."""
    pack = made(life, number, cause)
    assert unread + 1 not in pack.truth.cells
    cell_v = pack.log.cell_v.copy()
    cell_v[int(since * len(cell_v)) :, unread] = np.nan
    found = diagnose(replace(pack.log, cell_v=cell_v), pack.setup)
    first = found.findings[0]
    assert (first.cause, first.cells) == (pack.truth.cause, pack.truth.cells)
    assert first.confidence > 0.5
    assert found.advice[0].startswith(f"Cell {unread + 1} gave no reading")
    told = to_json(found, pack.log, pack.setup)["cells"][unread]
    if not since:
        assert [told[key] for key in told if key != "cell"] == [None] * (len(told) - 1)


def test_a_resistance_read_half_of_the_time_is_told_whole():
    """What was not read counted as steps without any excess: half of it was told, or "mended"."""
    pack = made("commuter", 804, "high_resistance")
    cell = pack.truth.cells[0] - 1
    whole = step_resistances(pack.log, pack.setup)
    cell_v = pack.log.cell_v.copy()
    cell_v[len(cell_v) // 2 :, cell] = np.nan
    half = step_resistances(replace(pack.log, cell_v=cell_v), pack.setup)
    assert half.excess_ohm[cell] == pytest.approx(whole.excess_ohm[cell], rel=0.1)
    others = np.delete(half.excess_ohm - whole.excess_ohm, cell)
    assert np.abs(others).max() < 0.02 * whole.herd_ohm
    change = turn(half, cell)
    assert change.after_ohm == pytest.approx(change.before_ohm, rel=0.1)
    assert half.of(cell).a.size < 0.7 * whole.of(cell).a.size


@pytest.mark.parametrize("life", ["commuter", "boat", "hoist"])
def test_a_reading_that_stands_still_is_told_and_no_cell_is_fed_for_it(life):
    """At its usual number it was "6 % emptier" at 0.98, with a remedy, or the pack "healthy"."""
    pack = made(life, 803)
    cell_v = pack.log.cell_v.copy()
    cell_v[:, 1] = np.median(cell_v[:, 1])
    found = diagnose(replace(pack.log, cell_v=cell_v), pack.setup)
    assert found.verdict == "not_enough_data"
    assert found.advice[0].startswith(f"Cell 2 showed {cell_v[0, 1]:.3f} V for ")
    assert named(found) == "Cell 2: not read; nothing is found of the others"
    assert all(2 not in cause.cells for cause in found.findings)


def test_a_reading_that_stood_still_for_a_night_is_left_out_and_the_pack_judged():
    """Not for good: one bad night in a log was "not enough data"."""
    pack = made("commuter", 800)
    cell_v, hours = pack.log.cell_v.copy(), (pack.log.time_s - pack.log.time_s[0]) / 3600.0
    night = np.flatnonzero((hours > 48.0) & (hours < 56.0))
    cell_v[night, 2] = cell_v[night[0], 2]
    found = diagnose(replace(pack.log, cell_v=cell_v), pack.setup)
    assert found.verdict == "healthy"
    assert found.advice[0].startswith(f"Cell 3 showed {cell_v[night[0], 2]:.3f} V for 8 h")


@pytest.mark.parametrize("cause", ["", "soc_offset", "low_capacity", "group_drain"])
@pytest.mark.parametrize("step_v", [0.001, 0.01, 0.02])
def test_a_cell_on_the_flat_of_a_coarse_meter_does_not_stand_still(cause, step_v):
    pack = made("commuter", 802, cause)
    coarse = (np.round(pack.log.cell_v / step_v) * step_v).astype(np.float32)
    log = replace(pack.log, cell_v=coarse)
    seen, still = without_still(log, pack.setup)
    assert seen is log
    assert not still.cells.any()


@pytest.mark.parametrize("odd_v", [0.0, 5.0, 4.0])
def test_a_bus_that_stumbles_makes_no_fault(odd_v):
    """One reading in a hundred of one cell: it was "25 % fuller", to be bled, or a tenth weaker."""
    pack = made("commuter", 801)
    cell_v = pack.log.cell_v.copy()
    stumbles = np.random.default_rng(2).random(len(cell_v)) < 0.01
    stumbles[1:] &= ~stumbles[:-1]
    cell_v[stumbles, 1] = odd_v
    found = diagnose(replace(pack.log, cell_v=cell_v), pack.setup)
    assert [f.cause for f in found.findings if f.confidence > 0.2] == []
    counted = int(found.advice[0].removeprefix("Cell 2: ").partition(" readings")[0])
    assert stumbles.sum() <= counted <= stumbles.sum() + 3  # one between two of them, too


@pytest.mark.parametrize("cause", ["high_resistance", "sense_bias", "low_capacity", ""])
def test_no_reading_of_a_cell_in_hard_use_is_left_out(cause):
    pack = made("hoist", 801, cause)
    seen, spikes = without_spikes(pack.log, pack.setup)
    assert seen is pack.log
    assert not spikes.any()


def test_a_joint_and_a_sense_lead_that_jump_are_left_to_be_found():
    pack = made("hoist", 801)
    amps = np.abs(pack.log.current_a)
    cell_v = pack.log.cell_v.copy()
    cell_v[::7, 1] -= (0.008 * amps[::7]).astype(np.float32)  # a joint under load
    cell_v[3::7, 2] += np.float32(0.6)  # the lead between two cells
    cell_v[3::7, 3] -= np.float32(0.6)
    _, spikes = without_spikes(replace(pack.log, cell_v=cell_v), pack.setup)
    assert not spikes.any()


@pytest.mark.parametrize("off_v", [-0.6, -0.3, -0.12, 0.12, 0.3, 0.6])
def test_a_reading_far_off_on_a_flat_curve_is_a_reading(off_v):
    """Beyond the plateau's own span the cell was not looked at: "healthy" at 2.7 V, or emptier."""
    pack = made("night_rate", 804)
    cell_v = pack.log.cell_v.copy()
    cell_v[:, 5] += np.float32(off_v)
    top = diagnose(replace(pack.log, cell_v=cell_v), pack.setup).findings[0]
    assert (top.cause, top.cells) == ("sense_bias", (6,))
    assert top.confidence > 0.9
    assert top.value == pytest.approx(1e3 * off_v, abs=3.0)


@pytest.mark.parametrize("shown_v", [0.0, np.nan, np.inf])
@pytest.mark.parametrize("share", [0.3, 1.0])
def test_stretches_in_which_no_cell_was_read_end_nothing(shown_v, share):
    """A bus that was silent, or wrote zeros: a charge that was not seen had no highest voltage."""
    pack = made("commuter", 800)
    cell_v = pack.log.cell_v.copy()
    silent = np.arange(len(cell_v)) // 500 % 10 < 10 * share
    cell_v[silent] = shown_v
    log = replace(pack.log, cell_v=cell_v)
    found = diagnose(log, pack.setup)
    assert [f.cause for f in found.findings if f.confidence > 0.5] == []
    assert found.verdict != "healthy" or share < 1.0


@pytest.mark.parametrize("seed", range(3))
def test_a_charge_whose_end_was_silent_is_told_by_the_nearest_rows(seed):
    pack = made("commuter", 800)
    cell_v = pack.log.cell_v.copy()
    silent = np.repeat(np.random.default_rng(seed).random(len(cell_v) // 7 + 1) < 0.5, 7)
    cell_v[silent[: len(cell_v)]] = np.nan
    log = replace(pack.log, cell_v=cell_v)
    told = to_json(diagnose(log, pack.setup), log, pack.setup)
    assert told["charges"]


def test_a_column_under_two_names_is_told_and_stands_for_one_cell():
    """Thirteen healthy packs of fourteen stayed "healthy" with every second cell unread."""
    pack = made("commuter", 804, "high_resistance")
    cell = pack.truth.cells[0] - 1
    cell_v = pack.log.cell_v.copy()
    cell_v[:, cell + 1] = cell_v[:, cell]
    found = diagnose(replace(pack.log, cell_v=cell_v), pack.setup)
    assert found.advice[0].startswith(f"Cells {cell + 1} and {cell + 2} show one and the same")
    assert not any("gave no reading" in text for text in found.advice)
    assert (found.findings[0].cause, found.findings[0].cells) == ("high_resistance", (cell + 1,))
    healthy = made("commuter", 804)
    cell_v = healthy.log.cell_v.copy()
    cell_v[:, 1::2] = cell_v[:, 0 : cell_v.shape[1] // 2 * 2 : 2]
    found = diagnose(replace(healthy.log, cell_v=cell_v), healthy.setup)
    assert found.verdict == "not_enough_data"
    told = [text for text in found.advice if "one and the same" in text]
    assert len(told) == healthy.log.cells // 2


@pytest.mark.parametrize(("step_v", "each"), [(0.01, 1), (0.05, 1), (0.02, 5)])
def test_level_cells_on_a_coarse_meter_are_no_copies(step_v, each):
    log = made("commuter", 804).log.select(slice(None, None, each))
    cell_v = (np.round(log.cell_v / step_v) * step_v).astype(np.float32)
    assert without_copies(replace(log, cell_v=cell_v))[1] == []


@pytest.mark.parametrize("kept", [(0,), (0, 1), (1, 2, 3)])
@pytest.mark.parametrize("cause", ["", "self_discharge", "low_capacity"])
def test_what_is_drawn_and_said_of_a_pack_with_cells_unread_warns_of_nothing(kept, cause):
    pack = made("boat", 801, cause)
    unread = [i for i in range(pack.log.cells) if i not in kept]
    cell_v = pack.log.cell_v.copy()
    cell_v[:, unread] = np.nan
    log = replace(pack.log, cell_v=cell_v)
    found = diagnose(log, pack.setup)
    to_json(found, log, pack.setup)
    assert np.isnan(paths(found, pack.setup).pct[:, unread]).all()
    for finding in (None, *found.findings):
        assert len(proofs(found, pack.setup, finding)) == 3
    assert of_diagnosis(found)
    assert record_sentence(log, pack.setup, found)


@pytest.mark.parametrize(("life", "number"), [("commuter", 800), ("bicycle", 802), ("hoist", 802)])
def test_a_leak_that_a_balancer_makes_good_unseen_is_not_ruled_out(life, number):
    """Of ten logs without the balancing such a pack was healthy without a word."""
    pack = made(life, number, "self_discharge")
    log = replace(pack.log, balancing=None)
    found = diagnose(log, pack.setup)
    assert found.verdict == "healthy"
    assert named(found).endswith("what the balancer makes good is not seen")
    assert diagnose_sentence(found)[1] == "cells keep together, as far as is seen"
    (said,) = (text for text in found.advice if "kept level by the balancer" in text)
    most_mah = float(re.search(r"up to (\d+) mAh", said)[1])
    truth_mah = -0.5 * (pack.truth.low + pack.truth.high)
    assert 0.0 < truth_mah < most_mah
    whole = diagnose(replace(log, balancing=np.zeros(log.cell_v.shape, bool)), pack.setup)
    assert not any("kept level by the balancer" in text for text in whole.advice)
