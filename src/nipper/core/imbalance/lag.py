"""Do the voltages of a log belong to the currents in the same rows?

A BMS asks its parts one after the other, and some write down a current of now beside voltages of
the round before. Each step of current then shows a row late, and a resistance that is always there
seems to come and go.
"""

from dataclasses import replace

import numpy as np

from nipper.core.chemistry import chemistry
from nipper.core.logs.model import Log, nanmedian
from nipper.core.setup import Setup

LOOKED_AT = 100_000  # rows: a meter does not change its ways
MOST_ROWS = 2  # either way
STEP_RATE = 0.02  # of capacity an hour: a step of current that is seen in the voltage
LEAST_STEPS = 30
LEAST_CORRELATION = 0.5
HELD_V = 0.03
WILD = 3.0  # times the usual step
BETTER = 1.25  # so much more do the steps agree when moved, before they are


def lag_rows(log: Log, setup: Setup) -> int:
    """By how many rows the voltages come after the current; negative where before, 0 where they
    agree best as they are or too little is told.
    """
    log = log.select(slice(0, LOOKED_AT))
    herd_v = nanmedian(log.cell_v.T).astype(float)
    if np.isfinite(herd_v).sum() < LEAST_STEPS:
        return 0
    amps, volts = np.diff(log.current_a), np.diff(herd_v)
    # near the top a charger holds the voltage and moves the current: there steps tell nothing
    free = herd_v < min(chemistry(setup.chemistry).knee_v, np.nanquantile(herd_v, 0.995)) - HELD_V
    near = (np.diff(log.time_s) < 2.5 * log.interval_s) & free[1:] & free[:-1]
    told = {lag: _agreement(amps, volts, near, lag, STEP_RATE * setup.capacity_ah)
            for lag in range(-MOST_ROWS, MOST_ROWS + 1)}  # fmt: skip
    best = max(told, key=lambda lag: told[lag])
    plainly = told[best] > max(LEAST_CORRELATION, BETTER * told[0])
    return best if plainly else 0


def _agreement(
    amps: np.ndarray, volts: np.ndarray, near: np.ndarray, lag: int, least_a: float
) -> float:
    """Correlation of the steps of current with those of voltage some rows later."""
    rows = np.arange(max(0, lag), amps.size + min(0, lag))
    moved = amps[rows - lag]
    good = near[rows] & near[rows - lag] & (np.abs(moved) > least_a) & np.isfinite(volts[rows])
    if good.sum() < LEAST_STEPS:
        return 0.0
    i, v = moved[good], volts[rows][good]
    most_v = WILD * float(np.median(np.abs(v)))  # what a knee or a switch does is no step of load
    v = np.clip(v, -most_v, most_v)
    return float(i @ v / np.sqrt(max(float(i @ i) * float(v @ v), 1e-30)))


def aligned(log: Log, lag: int) -> Log:
    """The log with each row's current that of its voltages; at an end, where there is none, the
    nearest.
    """
    if lag == 0:
        return log
    rows = np.clip(np.arange(log.rows) - lag, 0, log.rows - 1)
    return replace(log, current_a=log.current_a[rows])
