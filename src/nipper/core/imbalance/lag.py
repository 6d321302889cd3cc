"""Do the voltages of a log belong to the currents in the same rows?

A BMS asks its parts one after the other, and some write down a current of now beside voltages of
the round before. Each step of current then shows a row late, and a resistance that is always there
seems to come and go.
"""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from nipper.core.chemistry import chemistry
from nipper.core.imbalance.causes_base import has
from nipper.core.logs.model import Log, nanmedian
from nipper.core.setup import Setup

Floats = NDArray[np.floating]
Ints = NDArray[np.intp]
Bools = NDArray[np.bool_]

LOOKED_AT = 100_000  # rows: a meter does not change its ways
MOST_ROWS = 2  # either way
STEP_RATE = 0.02  # of capacity an hour: a step of current that is seen in the voltage
LEAST_STEPS = 30
LEAST_CORRELATION = 0.5
HELD_V = 0.03
WILD = 3.0  # times the usual step
BETTER = 1.25  # so much more do the steps agree when moved, before they are


def lags(log: Log, setup: Setup) -> Ints:
    """By how many rows each cell's voltages come after the current, [cells]; negative where before,
    0 where they agree best as they are or too little is told.

    A BMS of two measuring chips may write down the cells of one a round later than the other's.
    """
    log = log.select(slice(0, LOOKED_AT))
    herd_v = nanmedian(log.cell_v.T).astype(float)
    if np.isfinite(herd_v).sum() < LEAST_STEPS:
        return np.zeros(log.cells, np.intp)
    amps, volts = np.diff(log.current_a), np.diff(log.cell_v, axis=0)
    # near the top a charger holds the voltage and moves the current: there steps tell nothing
    free = herd_v < min(chemistry(setup.chemistry).knee_v, np.nanquantile(herd_v, 0.995)) - HELD_V
    near = (np.diff(log.time_s) < 2.5 * log.interval_s) & free[1:] & free[:-1]
    tried = range(-MOST_ROWS, MOST_ROWS + 1)
    told = np.array(
        [_agreement(amps, volts, near, lag, STEP_RATE * setup.capacity_ah) for lag in tried]
    )
    best = np.argmax(told, axis=0)
    plainly = told.max(axis=0) > np.maximum(LEAST_CORRELATION, BETTER * told[MOST_ROWS])
    return np.where(plainly, best - MOST_ROWS, 0)


def _agreement(amps: Floats, volts: Floats, near: Bools, lag: int, least_a: float) -> Floats:
    """Correlation of the steps of current with those of each cell's voltage some rows later."""
    rows = np.arange(max(0, lag), amps.size + min(0, lag))
    moved = amps[rows - lag]
    good = near[rows] & near[rows - lag] & (np.abs(moved) > least_a)
    if good.sum() < LEAST_STEPS:
        return np.zeros(int(volts.shape[1]))
    i, v = moved[good], np.nan_to_num(volts[rows][good].astype(float))
    most_v = WILD * np.median(np.abs(v), axis=0)  # a knee or a switch is no step of load
    v = np.clip(v, -most_v, most_v)
    size = np.sqrt(np.maximum(float(i @ i) * np.sum(v * v, axis=0), 1e-30))
    return np.asarray(v.T @ i) / size


def common(rows: Ints) -> int:
    """The lag of most of the cells."""
    values, counts = np.unique(rows, return_counts=True)
    return int(values[np.argmax(counts)])


def aligned(log: Log, rows: Ints) -> Log:
    """The log with each row's current that of its voltages, and those of one moment; at an end,
    where there is none, the nearest.
    """
    if not rows.any():
        return log
    usual, here, cell_v = common(rows), np.arange(log.rows), log.cell_v
    if np.ptp(rows):
        moved = [cell_v[np.clip(here + lag - usual, 0, here[-1]), i] for i, lag in enumerate(rows)]
        cell_v = np.stack(moved, axis=1)
    return replace(log, cell_v=cell_v, current_a=log.current_a[np.clip(here - usual, 0, here[-1])])


def told_late(rows: Ints, interval_s: float) -> list[str]:
    """What is to be said of it."""
    if not rows.any():
        return []
    usual = common(rows)
    out: list[str] = []
    if usual:
        out.append(
            f"The voltages of this log come {_by(usual, interval_s)} the currents they belong to; "
            "they were put together again before anything was judged. Have the BMS asked for both "
            "at once."
        )
    for lag in np.unique(rows[rows != usual]):
        cells = [int(i) for i in np.flatnonzero(rows == lag)]
        out.append(
            f"{has(cells, 'comes', 'come')} {_by(int(lag) - usual, interval_s)} the other cells in "
            "this log; that was put right before anything was judged. The BMS reads the cells in "
            "rounds: have it asked no more often than a round takes."
        )
    return out


def _by(rows: int, interval_s: float) -> str:
    late = abs(rows)
    size = f"{late} row{'s' if late > 1 else ''} ({late * interval_s:.0f} s)"
    return f"{size} {'after' if rows > 0 else 'before'}"
