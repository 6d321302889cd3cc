"""The diagnosis on cells of another physics library (single-particle models, see
``tests/worlds/spm_cells.py``): what it finds there is kept, what it does not is in the docs.
"""

import numpy as np
import pytest

from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.imbalance.lines import straight_line
from tests.bench import banks
from tests.bench.others import other
from tests.bench.spm import CAUSES, judge, library, pack


@pytest.mark.parametrize("chemistry", ["lfp", "nmc"])
@pytest.mark.parametrize("number", [0, 3])  # 3 is read by a coarse meter
def test_a_sound_pack_of_other_physics_raises_no_alarm(chemistry, number):
    right, _, words, _, _ = judge(chemistry, "", number)
    assert right, words


@pytest.mark.parametrize(
    ("chemistry", "cause"),
    [
        ("lfp", "soc_offset"),
        ("lfp", "self_discharge"),
        ("lfp", "group_drain"),
        ("lfp", "sense_bias"),
        ("lfp", "loose_joint"),
        ("nmc", "high_resistance"),
        ("nmc", "self_discharge"),
        ("nmc", "group_drain"),
        ("nmc", "soc_offset"),
    ],
)
def test_a_fault_of_other_physics_is_found_in_its_cells(chemistry, cause):
    found = [judge(chemistry, cause, number)[1] for number in range(2)]
    assert all(found)


@pytest.mark.parametrize("chemistry", ["lfp", "nmc"])
def test_a_drain_is_read_with_its_size(chemistry):
    made = pack(chemistry, "self_discharge", 2)
    finding = diagnose(made.log, made.setup).findings[0]
    assert finding.low <= made.size <= finding.high


@pytest.mark.parametrize("chemistry", ["lfp", "nmc"])
def test_the_kept_cells_lose_nothing_but_their_leaks(chemistry):
    """What a solver loses or gains at the steps of the current would be a drift of each cell's own:
    in the first cells that were kept it hid all leaks of LFP.
    """
    shelf = library(chemistry)
    tenth = shelf.amps.size // 10
    tops = [
        shelf.volts[part].max(axis=0) for part in (slice(0, 2 * tenth), slice(-2 * tenth, None))
    ]
    sound = [i for i, c in enumerate(shelf.cells) if not c["cause"]]
    leaks = [i for i, c in enumerate(shelf.cells) if c["leak_mah_day"] > 40.0]
    gone_v = tops[1] - tops[0]
    assert np.abs(gone_v[sound]).max() < 0.008
    assert gone_v[leaks].max() < -0.002


def test_the_kept_cells_are_whole():
    for chemistry in ("lfp", "nmc"):
        shelf = library(chemistry)
        assert np.isfinite(shelf.volts).all()
        assert {c["cause"] for c in shelf.cells} >= set(CAUSES) - {"sense_bias", "loose_joint"}
        assert shelf.volts.shape == (shelf.amps.size, len(shelf.cells))


def test_what_all_readings_share_widens_no_slope():
    """Ten readings on a line, each uncertain by five times their scatter: the slope is known by
    the scatter. Where they scatter as they may, it is not.
    """
    days = np.arange(10.0)
    rng = np.random.default_rng(3)
    wide = np.full(10, 1.0)
    close = straight_line(days, 0.5 * days + rng.normal(0, 0.2, 10), wide)
    loose = straight_line(days, 0.5 * days + rng.normal(0, 1.0, 10), wide)
    assert close[0] == pytest.approx(0.5, abs=0.1)
    assert close[1] < 0.7 * loose[1]


@pytest.mark.parametrize("number", [900, 901, 907])
def test_a_large_error_of_reading_on_a_sloped_curve_is_charge_until_a_meter_says_so(number):
    """85 mV "too high, always", where the cell was 7.3 % fuller; and told as charge it was 13 %,
    along a published curve that is three times as flat there as this cell's.
    """
    made = other("soc_offset", number, "nmc")
    found = diagnose(made.log, made.setup).findings[0]
    assert (found.cause, found.cells) == ("soc_offset", made.truth.cells)
    assert found.value == pytest.approx(made.offset_pct[found.cells[0] - 1], rel=0.25)
    assert "trusted meter to the poles" in found.actions[0]


def test_a_balancer_on_a_full_cell_alone_does_not_follow_noise():
    """Of a herd on the flat one cell stood on its knee and was bled, rightly: "97 % of its hours on
    the flat part of the curve".
    """
    bank = banks.bank("soc_offset", 904)
    log, setup = bank.logs[bank.pack], bank.setups[bank.pack]
    found = diagnose(log, setup).findings[0]
    assert (found.cause, found.cells) == ("soc_offset", bank.cells)


@pytest.mark.parametrize(("cause", "number"), [("high_resistance", 3), ("low_capacity", 3)])
def test_a_coarse_meters_step_is_no_loose_joint(cause, number):
    """Read in steps of 5 mV a resistive and a weak cell were called a loose joint at 0.98."""
    right, _, words, _, findings = judge("lfp", cause, number)
    assert right, words
    assert all(f.cause != "loose_joint" for f in findings)


def test_what_a_short_log_cannot_show_is_said():
    """A leak that hides in the spread of the herd within a week is not found: the log says from
    where on it would be.
    """
    made = pack("lfp", "self_discharge", 0)
    week = made.log.time_s < made.log.time_s[0] + 7 * 86400.0
    found = diagnose(made.log.select(week), made.setup)
    assert found.verdict == "healthy"
    said = next(a for a in found.advice if "does not stand out" in a)
    least = float(said.split("less than ")[1].split(" mAh")[0])
    assert least > abs(made.size)
