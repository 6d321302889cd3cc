"""Voltages that come rows after the currents they belong to are found and put right."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.imbalance.lag import aligned, lag_rows
from nipper.core.imbalance.resistance import step_resistances
from nipper.core.imbalance.signals import signals
from nipper.core.logs.model import Log
from nipper.core.presets import new_setup
from tests.bench.meters import late
from tests.bench.others import other

SETUP = new_setup("lfp", 4, 100.0)


def used(lag: int, rows: int = 2000, seed: int = 1, ohm: float = 0.001) -> Log:
    """A plateau under a load that comes and goes, the voltages so many rows late."""
    rng = np.random.default_rng(seed)
    amps = np.repeat(rng.uniform(-40.0, 10.0, rows // 4 + 1), 4)[:rows]
    cell_v = 3.3 + ohm * amps[:, None] + rng.normal(0.0, 5e-4, (rows, 4))
    cell_v = np.roll(cell_v, lag, axis=0).astype(np.float32)
    time_s = 1.75e9 + 60.0 * np.arange(rows)
    none = np.empty((rows, 0), np.float32)
    return Log(time_s, amps, cell_v.sum(axis=1).astype(float), cell_v, none)


@given(st.integers(-2, 2), st.integers(0, 10_000))
def test_the_lag_is_found_and_taken_out(lag, seed):
    log = used(lag, seed=seed)
    assert lag_rows(log, SETUP) == lag
    assert lag_rows(aligned(log, lag), SETUP) == 0
    assert aligned(log, lag).rows == log.rows


@pytest.mark.parametrize("log", [used(1, 20), used(1, ohm=0.0), used(1, rows=3)])
def test_what_is_not_plain_is_left_as_it_is(log):
    assert lag_rows(log, SETUP) == 0


def test_a_log_without_currents_has_no_lag():
    log = used(1)
    log.current_a[:] = np.nan
    assert lag_rows(log, SETUP) == 0


def test_a_resistive_cell_is_no_loose_joint_because_its_log_lags():
    """It was called one at 0.98: each step of current showed a row late."""
    pack = other("high_resistance", 801)
    found = diagnose(late(pack.log, np.random.default_rng(1)), pack.setup)
    assert (found.findings[0].cause, found.findings[0].cells) == (
        "high_resistance",
        pack.truth.cells,
    )
    assert any("1 row (" in text and " s) after" in text for text in found.advice)


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
