"""Finding the charges: full ones, those that did not get there, and what is read of them."""

import json

import numpy as np
import pytest

from nipper.core.logs.charges import find_charges, full
from nipper.core.logs.model import Log
from nipper.core.logs.moments import read_at, readings
from nipper.core.logs.reader import read_log
from nipper.core.presets import new_setup
from nipper.core.setup import load, put
from tests.builders import charge_log
from tests.conftest import FILES

TRUTH = json.loads((FILES / "truth.json").read_text())


@pytest.mark.parametrize("case", TRUTH)
def test_the_number_of_full_charges_is_right(case):
    setup, log = load(FILES / f"{case}.setup.json"), read_log(FILES / f"{case}.csv.gz")
    assert len(full(find_charges(log, setup))) == TRUTH[case]["full_charges"]


@pytest.mark.parametrize(
    ("chemistry", "interval_s"),
    [("lfp", 10.0), ("lfp", 60.0), ("lfp", 180.0), ("nmc", 60.0), ("lto", 60.0)],
)
def test_bulk_absorption_and_rest_are_told_apart(chemistry, interval_s):
    setup = new_setup(chemistry, 8, 100.0)
    log = charge_log(setup, np.zeros(8), charges=3, interval_s=interval_s, hold_min=60.0)
    charges = find_charges(log, setup)
    assert len(full(charges)) == 3
    for charge in charges:
        assert charge.absorption
        begin, end = charge.absorption
        assert (
            log.current_a[charge.start] > 0 >= log.current_a[charge.start - 1] or charge.start == 0
        )
        held_min = (log.time_s[end - 1] - log.time_s[begin]) / 60.0
        # where a full cell rests near the held voltage, the pause after it cannot be told from
        # holding
        assert 50 <= held_min <= (75 if chemistry == "lfp" else 130)
        assert charge.level_v == pytest.approx(setup.charging.absorption_v / 8, abs=0.006)
        assert charge.charged_ah == pytest.approx(
            log.charge_ah[charge.top] - log.charge_ah[charge.start], abs=0.5
        )
        assert 30.0 < charge.charged_ah < 44.0
        if chemistry == "lfp":
            assert charge.rest
            assert np.abs(log.current_a[slice(*charge.rest)]).max() <= 1.0


def test_a_charge_cut_short_on_the_plateau_is_not_full():
    setup = new_setup("lfp", 8, 100.0)
    log = charge_log(setup, np.zeros(8), charges=1, hold_min=60.0)
    cut = log.select(slice(0, 60))
    (charge,) = find_charges(cut, setup)
    assert not charge.full
    assert charge.ended_by == "short"
    assert charge.absorption is None


def test_a_strong_current_on_the_plateau_is_not_the_top():
    """On the way up the current's own drop looks like the top: 1 mohm at 100 A is 100 mV."""
    setup = put(new_setup("lfp", 4, 100.0), {"cell.resistance_mohm": 1.0})
    log = charge_log(setup, np.zeros(4), rate=0.9, depth_pct=60.0, hold_min=30.0)
    volts = log.mean_cell_v
    cut = log.select(slice(0, int(np.argmax(volts > 3.40)) + 3))
    assert cut.mean_cell_v.max() > 3.40
    assert full(find_charges(cut, setup)) == []


def test_a_trip_ends_a_full_charge():
    setup = put(new_setup("lfp", 4, 100.0), {"charging.absorption_v": 14.4})
    offsets = np.array([1.2, 0.0, 0.0, 0.0])
    log = charge_log(setup, offsets, hold_min=60.0, interval_s=10.0)
    at = int(np.argmax(log.cell_v.max(axis=1) >= 3.645))
    tripped = Log(
        log.time_s[: at + 40],
        np.r_[log.current_a[: at + 1], np.zeros(39)],
        log.pack_v[: at + 40],
        np.r_[log.cell_v[: at + 1], np.repeat(log.cell_v[at : at + 1], 39, axis=0) - 0.05],
        log.temp_c[: at + 40],
    )
    (charge,) = find_charges(tripped, setup)
    assert charge.ended_by == "trip"
    assert charge.full


def test_filling_up_after_a_kettle_is_a_top_up():
    setup = new_setup("lfp", 8, 100.0)
    one = charge_log(setup, np.zeros(8), depth_pct=40.0)
    again = charge_log(setup, np.zeros(8), depth_pct=3.0, seed=8)
    end = int(np.argmax(one.current_a < -1))
    shifted = Log(
        again.time_s - again.time_s[0] + one.time_s[end] + 3600.0,
        again.current_a,
        again.pack_v,
        again.cell_v,
        again.temp_c,
    )
    first = one.select(slice(0, end))
    both = Log(
        *(
            np.concatenate([getattr(a, n) for a in (first, shifted)])
            for n in ("time_s", "current_a", "pack_v", "cell_v", "temp_c")
        )
    )
    assert [c.ended_by for c in find_charges(both, setup)] == ["held", "top-up"]


def test_readings_name_cells_condition_and_meaning():
    setup = new_setup("lfp", 8, 100.0)
    offset = np.array([0.0, 0.0, 0.3, 0.0, 0.0, -0.4, 0.0, 0.0])
    log = charge_log(setup, offset, hold_min=90.0)
    (charge,) = find_charges(log, setup)
    read = readings(log, setup, charge)
    assert (read.end.highest, read.end.lowest) == (3, 6)
    assert read.end.deviation_pct == pytest.approx(0.7, abs=0.08)
    assert read.end.temp_c == 20.0
    assert read.end.pack_v == pytest.approx(setup.charging.absorption_v, abs=0.05)
    assert read.begin
    assert read.half_hour
    assert read.half_hour.time_s - read.begin.time_s == pytest.approx(1800.0, abs=120.0)
    assert read.rest


def test_the_same_deviation_is_more_charge_lower_down():
    setup = new_setup("lfp", 4, 100.0)
    volts = np.array([[3.50, 3.40, 3.45, 3.45], [3.3025, 3.2975, 3.30, 3.30]], np.float32).repeat(
        5, axis=0
    )
    log = Log(
        np.arange(10.0) * 60,
        np.zeros(10),
        volts.sum(axis=1).astype(float),
        volts,
        np.empty((10, 0), np.float32),
    )
    top, flat = read_at(log, setup, 2), read_at(log, setup, 7)
    assert top.deviation_mv == pytest.approx(100.0, abs=0.1)
    assert flat.deviation_mv == pytest.approx(5.0, abs=0.1)
    assert flat.deviation_pct > top.deviation_pct
    assert top.deviation_pct < 1.0
    assert np.isnan(top.temp_c)


def test_a_log_without_current_or_rows_has_no_charges():
    setup = new_setup("lfp", 8, 100.0)
    log = charge_log(setup, np.zeros(8))
    assert (
        find_charges(
            Log(log.time_s, np.full(log.rows, np.nan), log.pack_v, log.cell_v, log.temp_c), setup
        )
        == []
    )
    assert find_charges(log.select(slice(0, 3)), setup) == []


def test_a_log_without_any_charge_has_none_and_is_judged_all_the_same():
    from nipper.core.imbalance.diagnosis import diagnose
    from nipper.core.simulate.scenario import Scenario
    from nipper.core.simulate.trial import run

    setup = new_setup("lfp", 4, 100.0)
    log = run(setup, Scenario(days=0.5, pv_w=0.0)).logs[0]
    assert find_charges(log, setup) == []
    assert diagnose(log, setup).verdict == "not_enough_data"
