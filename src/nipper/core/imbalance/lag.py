"""Do the voltages of a log belong to the currents in the same rows?

A BMS asks its parts one after the other, and some write down a current of now beside voltages of
the round before; a table may be joined of two records whose clocks are minutes apart. Each step of
current then shows rows late, and a resistance that is always there seems to come and go.
"""

from dataclasses import dataclass, replace

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
# either way: of all cells against the current, and of each against the others
MOST_ROWS, OWN_ROWS = 60, 10
STEP_RATE = 0.02  # of capacity an hour: a step of current that is seen in the voltage
LEAST_STEPS = 30
LEAST_CORRELATION = 0.5
HELD_V = 0.03
WILD = 3.0  # times the usual step
BETTER = 1.25  # so much more do the steps agree when moved, before they are

ROUNDS = 2  # rows: more is no BMS that asks its parts in turn
AT_ONCE = "Have the BMS asked for both at once."
CLOCKS = "If they come from two records, set both by one clock."


def lags(log: Log, setup: Setup) -> Ints:
    """By how many rows each cell's voltages come after the current, [cells]; negative where before,
    0 where they agree best as they are or too little is told.

    A BMS of two measuring chips may write down the cells of one a round later than the other's.
    """
    return lags_and_sign(log, setup)[0]


def lags_and_sign(log: Log, setup: Setup) -> tuple[Ints, bool]:
    """The same, and whether voltages plainly fall where, by the log, more current charges."""
    steps, herd_v = _steps(log, setup)
    herd = int(_best(steps, herd_v, 0, MOST_ROWS)[0])
    volts = np.diff(log.cell_v[:LOOKED_AT], axis=0)
    return _best(steps, volts, herd, OWN_ROWS), _turned(steps, herd_v)


def _turned(steps: "_Steps", herd_v: Floats) -> bool:
    if _agreement(steps, herd_v, 0)[0] > LEAST_CORRELATION:
        return False
    around = range(-OWN_ROWS, OWN_ROWS + 1)
    told = np.array([_agreement(steps, herd_v, by)[0] for by in around])
    return bool(-told.min() > max(LEAST_CORRELATION, BETTER * told.max()))


@dataclass(frozen=True, eq=False, slots=True)
class _Steps:
    """Steps of current, A, which of them lie between neighbours off the knees, and from what size
    on they count.
    """

    amps: Floats
    near: Bools
    least_a: float


def _steps(log: Log, setup: Setup) -> tuple[_Steps, Floats]:
    """The steps of current, and those of the median cell's voltage, V [steps, 1]."""
    log = log.select(slice(0, LOOKED_AT))
    herd_v = nanmedian(log.cell_v.T).astype(float)
    free = np.zeros(log.rows, bool)
    if np.isfinite(herd_v).sum() >= LEAST_STEPS:
        # near the top a charger holds the voltage and moves the current: steps tell nothing there
        top_v = min(chemistry(setup.chemistry).knee_v, np.nanquantile(herd_v, 0.995))
        free = herd_v < top_v - HELD_V
    near = (np.diff(log.time_s) < 2.5 * log.interval_s) & free[1:] & free[:-1]
    steps = _Steps(np.diff(log.current_a), near, STEP_RATE * setup.capacity_ah)
    return steps, np.diff(herd_v)[:, None]


def _best(steps: _Steps, volts: Floats, usual: int, most: int) -> Ints:
    """The lag at which the steps of each column agree best with those of current, within so many
    rows of the usual one; that one where no other is plainly better.
    """
    best = np.full(volts.shape[1], usual, np.intp)
    now = _agreement(steps, volts, usual)
    open_ = np.flatnonzero(BETTER * now < 1.0)  # nothing agrees better than wholly
    if not open_.size:
        return best
    volts, now = volts[:, open_], now[open_]
    told = np.array([_agreement(steps, volts, usual + by) for by in range(-most, most + 1)])
    plainly = told.max(axis=0) > np.maximum(LEAST_CORRELATION, BETTER * now)
    best[open_] += np.where(plainly, np.argmax(told, axis=0) - most, 0)
    return best


def _agreement(steps: _Steps, volts: Floats, lag: int) -> Floats:
    """Correlation of the steps of current with those of each column of voltage some rows later."""
    began = np.flatnonzero(steps.near & (np.abs(steps.amps) > steps.least_a))
    began = began[(began + lag >= 0) & (began + lag < steps.amps.size)]
    began = began[steps.near[began + lag]]
    if began.size < LEAST_STEPS:
        return np.zeros(int(volts.shape[1]))
    i, v = steps.amps[began], np.nan_to_num(volts[began + lag].astype(float))
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
        then = AT_ONCE if abs(usual) <= ROUNDS else CLOCKS
        out.append(
            f"The voltages of this log come {_by(usual, interval_s)} the currents they belong to; "
            f"they were put together again before anything was judged. {then}"
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
