"""Voltages that come rows after the currents they belong to are found and put right."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.imbalance.lag import aligned, lags, told_late
from nipper.core.imbalance.resistance import step_resistances
from nipper.core.imbalance.signals import signals
from nipper.core.logs.model import Log
from nipper.core.presets import new_setup
from tests.bench.meters import averaged, filtered, in_two_rounds, late
from tests.bench.others import other
from tests.bench.packs import make

SETUP = new_setup("lfp", 4, 100.0)


def used(lag: int, rows: int = 2000, seed: int = 1, ohm: float = 0.001) -> Log:
    """A plateau under a load that comes and goes, and a top, the voltages so many rows late."""
    rng = np.random.default_rng(seed)
    amps = np.repeat(rng.uniform(-40.0, 10.0, rows // 4 + 1), 4)[:rows]
    cell_v = 3.3 + ohm * amps[:, None] + rng.normal(0.0, 5e-4, (rows, 4))
    cell_v[-(rows // 40) :] = 3.45  # at last it is full
    cell_v = np.roll(cell_v, lag, axis=0).astype(np.float32)
    time_s = 1.75e9 + 60.0 * np.arange(rows)
    none = np.empty((rows, 0), np.float32)
    return Log(time_s, amps, cell_v.sum(axis=1).astype(float), cell_v, none)


@given(st.lists(st.integers(-2, 2), min_size=4, max_size=4), st.integers(0, 10_000))
def test_the_lag_of_each_cell_is_found_and_taken_out(rows, seed):
    log = used(0, seed=seed)
    cells = [np.roll(log.cell_v[:, i], lag) for i, lag in enumerate(rows)]
    log = replace(log, cell_v=np.stack(cells, axis=1))
    assert lags(log, SETUP).tolist() == rows
    assert not lags(aligned(log, np.array(rows)), SETUP).any()
    assert aligned(log, np.array(rows)).rows == log.rows


@given(st.integers(-60, 60), st.integers(-10, 10), st.integers(0, 10_000))
def test_two_clocks_and_a_cell_that_is_asked_late_are_found(all_rows, own_rows, seed):
    """Two records joined minutes apart, or a cell five rows late, made a loose joint at 0.98."""
    log = used(all_rows, seed=seed)
    log.cell_v[:, 2] = np.roll(log.cell_v[:, 2], own_rows)
    rows = lags(log, SETUP)
    assert rows.tolist() == [all_rows, all_rows, all_rows + own_rows, all_rows]
    assert not lags(aligned(log, rows), SETUP).any()


@pytest.mark.parametrize("log", [used(1, 20), used(1, ohm=0.0), used(1, rows=3)])
def test_what_is_not_plain_is_left_as_it_is(log):
    assert not lags(log, SETUP).any()
    assert aligned(log, lags(log, SETUP)) is log


def test_a_log_without_currents_has_no_lag():
    log = used(1)
    log.current_a[:] = np.nan
    assert not lags(log, SETUP).any()


def test_what_was_late_is_told():
    assert told_late(np.zeros(4, np.intp), 60.0) == []
    (all_,) = told_late(np.full(4, -2), 60.0)
    assert "2 rows (120 s) before the currents" in all_
    assert all_.endswith("asked for both at once.")
    (clocks,) = told_late(np.full(4, 12), 10.0)
    assert "12 rows (120 s) after the currents" in clocks
    assert clocks.endswith("set both by one clock.")
    (some,) = told_late(np.array([0, 0, 0, 1]), 10.0)
    assert some.startswith("Cell 4 comes 1 row (10 s) after the other cells")


def test_a_resistive_cell_is_no_loose_joint_because_its_log_lags():
    """It was called one at 0.98: each step of current showed a row late."""
    pack = other("high_resistance", 801)
    found = diagnose(late(pack.log, np.random.default_rng(1)), pack.setup)
    assert (found.findings[0].cause, found.findings[0].cells) == (
        "high_resistance",
        pack.truth.cells,
    )
    assert any("1 row (" in text and " s) after" in text for text in found.advice)


@pytest.mark.parametrize("rows", [5, -20])
def test_nor_because_it_was_joined_of_two_records(rows):
    pack = other("high_resistance", 801)
    log = replace(pack.log, cell_v=np.roll(pack.log.cell_v, rows, axis=0))
    found = diagnose(log, pack.setup)
    first = found.findings[0]
    assert (first.cause, first.cells) == ("high_resistance", pack.truth.cells)
    assert any("set both by one clock" in text for text in found.advice)


@pytest.mark.parametrize("meter", [in_two_rounds, averaged, filtered])
@pytest.mark.parametrize("number", [843, 844])
def test_nor_because_its_currents_are_not_of_the_moment(meter, number):
    """Half of the cells a row late, a current that is the mean of its interval, or voltages that
    follow slowly made a loose joint at 0.98 of five resistive cells of six.
    """
    pack = other("high_resistance", number)
    found = diagnose(meter(pack.log, np.random.default_rng(1)), pack.setup).findings[0]
    assert (found.cause, found.cells) == ("high_resistance", pack.truth.cells)


@pytest.mark.parametrize("meter", [in_two_rounds, averaged, filtered])
def test_a_loose_joint_stays_one_whatever_the_meter(meter):
    pack = make("loose_joint", 9703)
    found = diagnose(meter(pack.log, np.random.default_rng(1)), pack.setup).findings[0]
    assert (found.cause, found.cells) == ("loose_joint", pack.truth.cells)


def test_noise_between_a_meters_steps_is_no_joint_that_comes_and_goes():
    """In months of rows some readings are four millivolts apart by chance: eleven of 246,000 made
    a loose joint at 0.97, because the usual reading of that cell did not move at all.
    """
    rng, rows = np.random.default_rng(5), 150_000
    amps = np.repeat(rng.choice([-20.0, 15.0], rows // 50), 50)
    # most of the first cell's steps are none, some of its readings are restless
    noise_v = np.full((rows, 15), 7.5e-4)
    noise_v[:, 0] = np.where(rng.random(rows) < 0.04, 1.3e-3, 3e-4)
    volts = 3.3 + 4e-4 * amps[:, None] + rng.normal(0.0, noise_v)
    cell_v = np.round(volts, 3).astype(np.float32)
    time_s = 1.75e9 + 30.0 * np.arange(rows)
    none = np.empty((rows, 0), np.float32)
    log = Log(time_s, amps, cell_v.sum(axis=1).astype(float), cell_v, none)
    setup = new_setup("lfp", 15, 100.0)
    assert signals(log, setup, step_resistances(log, setup)).jumps.max() < 4
