"""Charge counted as a measure of state: what a meter's offset makes of it over weeks."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.imbalance.slopes import own_slope
from nipper.core.logs.charges import find_charges
from nipper.core.logs.drawn import anchored_ah, moved_ah
from nipper.core.logs.model import Log
from nipper.core.presets import new_setup
from tests.bench import spm
from tests.bench.cycles import cycled
from tests.bench.others import other
from tests.otherpack import published_curve

SETUP = new_setup("nmc", 4, 100.0)
DAY_ROWS = 288  # one every five minutes
CYCLE_A = np.r_[np.full(72, -5.0), np.full(72, 0.0), np.full(72, 5.0), np.full(72, 0.0)]
FULL_ROW = 215  # of each day: the last with a current that charges


def days_log(days: int, offset_a: float = 0.0) -> Log:
    """30 Ah drawn and put back every day, read by a meter that is off by so much."""
    amps = np.tile(CYCLE_A, days) + offset_a
    return Log(
        time_s=1.77e9 + 300.0 * np.arange(amps.size),
        current_a=amps,
        pack_v=np.full(amps.size, 16.0),
        cell_v=np.full((amps.size, 4), 4.0, np.float32),
        temp_c=np.full((amps.size, 1), 20, np.float32),
    )


def tops_s(log: Log) -> np.ndarray:
    return log.time_s[FULL_ROW::DAY_ROWS]


def full_s(made) -> np.ndarray:
    """When the full charges of a pack ended."""
    return made.log.time_s[[c.top for c in find_charges(made.log, made.setup) if c.full]]


@given(st.floats(-0.3, 0.3), st.integers(2, 60))
def test_a_meters_offset_moves_no_state(offset_a, days):
    log, right = days_log(days, offset_a), days_log(days)
    true_ah = moved_ah(right, SETUP) - moved_ah(right, SETUP)[FULL_ROW]
    assert np.abs(anchored_ah(log, SETUP, tops_s(log)) - true_ah).max() < 0.1


def test_counted_alone_it_adds_up_to_all_of_the_capacity():
    log = days_log(60, 0.15)
    assert moved_ah(log, SETUP)[-1] > 100.0
    assert anchored_ah(log, SETUP, np.empty(0)) == pytest.approx(moved_ah(log, SETUP))


def test_after_hours_that_are_missing_it_is_counted_back_from_the_next_full_charge():
    """A night is missing in which 25 Ah were drawn: at its end the cells stand lower by so much."""
    whole = days_log(6)
    seen = np.ones(whole.rows, bool)
    seen[3 * DAY_ROWS + 5 : 3 * DAY_ROWS + 65] = False
    log = whole.select(seen)
    true_ah = (moved_ah(whole, SETUP) - moved_ah(whole, SETUP)[FULL_ROW])[seen]
    assert np.abs(anchored_ah(log, SETUP, tops_s(whole)) - true_ah).max() < 0.5


def test_one_full_charge_is_enough_to_count_from():
    log = days_log(3)
    counted = anchored_ah(log, SETUP, tops_s(log)[:1])
    assert counted[FULL_ROW] == 0.0
    assert counted == pytest.approx(moved_ah(log, SETUP) - moved_ah(log, SETUP)[FULL_ROW])


@pytest.mark.parametrize("offset_a", [-0.3, 0.3])
def test_a_sloped_curve_is_known_by_a_meter_that_is_off(offset_a):
    """A third of an ampere in three weeks is all of these cells: the curve's slope, by which charge
    and a wrong reading differ, came out at half of it.
    """
    made = spm.pack("nmc", "", 1)
    log = replace(made.log, current_a=made.log.current_a + offset_a)
    rests = np.abs(made.log.current_a) < 0.5
    freed_v = np.median(log.cell_v[rests], axis=1).astype(float)
    below = freed_v < 4.05

    def slope(counted_ah: np.ndarray) -> float:
        drawn = counted_ah[rests][below] / made.setup.capacity_ah
        return float(np.median(own_slope(made.setup, freed_v[below], drawn)))

    # a discharge at C/100 of the same cell of the library: 9.2 mV a per cent from 40 to 84 %
    assert slope(anchored_ah(log, made.setup, full_s(made))) == pytest.approx(9.2e-3, rel=0.1)
    assert slope(moved_ah(log, made.setup)) < 6e-3


@pytest.mark.parametrize("number", [1, 5])
def test_a_wrong_reading_on_a_sloped_curve_is_told(number):
    """24 and 11 mV, as single-particle models have it: what is left from state to state tells it
    from charge; from row to row it is the meter's steps.
    """
    made = spm.pack("nmc", "sense_bias", number)
    found = diagnose(made.log, made.setup).findings[0]
    assert (found.cause, found.cells) == ("sense_bias", made.cells)
    assert found.low <= made.size <= found.high
    assert found.value == pytest.approx(made.size, abs=2.0)


@pytest.mark.parametrize("share", [0.3, -0.3])
def test_a_cell_of_another_curve_reads_rightly(share):
    """One cell in a pack was replaced by one of another make: its curve lies up to 40 mV beside the
    others' and meets them at the top. Charge does not explain that, and no meter is wrong.
    """
    made = other("", 303, "nmc")
    pct = 100.0 * (0.93 + anchored_ah(made.log, made.setup, full_s(made)) / made.setup.capacity_ah)
    beside = share * (
        np.interp(pct, *published_curve("ocv_nca.csv", "ocv_v"))
        - np.interp(pct, *published_curve("ocv_nmc.csv", "ocv_v"))
    )
    cell_v = made.log.cell_v.copy()
    cell_v[:, 1] += (beside - beside[np.argmax(pct)]).astype(np.float32)
    assert np.ptp(beside) > 0.03
    found = diagnose(replace(made.log, cell_v=cell_v), made.setup).findings
    assert not [f for f in found if f.cause == "sense_bias" and f.confidence > 0.3]


@pytest.mark.parametrize("number", [331, 310])
def test_a_wrong_reading_that_a_balancer_has_levelled_is_told(number):
    """The balancer brings the cell to where it reads as the others do: what it moved is known."""
    made = other("sense_bias", number, "nmc")
    assert made.setup.leveller is not None
    found = diagnose(made.log, made.setup).findings[0]
    assert (found.cause, found.cells) == ("sense_bias", made.truth.cells)
    assert found.high > made.truth.low
    assert found.low < made.truth.high


@pytest.mark.parametrize("bias_mv", [-22.0, 15.0])
def test_charged_at_one_current_a_wrong_reading_is_no_resistance(bias_mv):
    """While a current is the same in all rows what it makes of a resistance is a constant; that no
    cell has such a resistance is known by the steps.
    """
    log, setup, _ = cycled("", 141)
    cell_v = log.cell_v.copy()
    cell_v[:, 2] += np.float32(bias_mv / 1e3)
    found = diagnose(replace(log, cell_v=cell_v), setup).findings[0]
    assert (found.cause, found.cells) == ("sense_bias", (3,))
    assert found.value == pytest.approx(bias_mv, abs=3.0)
