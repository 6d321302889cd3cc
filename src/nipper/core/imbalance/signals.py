"""What each cell's reading does against the herd on the plateau, where charge hardly shows: steady
bias, jumps, and resistance that comes and goes.

On the flat part a difference is not charge. What is left is the reading itself (bias, a loose sense
lead) or resistance (cell, joint).
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nipper.core.chemistry import chemistry
from nipper.core.chemistry.cell import cell_resistance_ohm
from nipper.core.imbalance.bias import Calm, Plateau, biases
from nipper.core.imbalance.resistance import Resistances, meter_step_v
from nipper.core.logs.drawn import moved_ah
from nipper.core.logs.model import Log, nanmedian
from nipper.core.setup import Setup

Floats = NDArray[np.floating]
Ints = NDArray[np.intp]

STEP_S = 300.0  # neighbours further apart are not compared
CALM_RATE = 0.02  # of capacity per hour: a smaller step of current explains no jump
JUMP_V = 0.004  # the least jump: four times the resolution of most meters
JUMP_SDS = 5.0
STAYS_SHARE = 0.6  # of a step: half of it is left of a single reading's
GOES_ON_SHARE, GOES_ON_V = 0.4, 0.002  # of a step, in the rows beside it
# V a share of capacity: what a cell moves against the herd while it passes a step of the curve that
# the herd does not (published LFP curves rise by up to 4 mV a per cent between the knees)
PASSING_V = {"lfp": 0.6, "nmc": 0.3, "lto": 0.3}
METER_STEPS = 1.6  # one step of a coarse meter is no jump
LEAST_STEPS = 60


@dataclass(frozen=True, eq=False, slots=True)
class Signals:
    """Against the herd, per cell; NaN where the log has no calm plateau.

    Parameters
    ----------
    bias_v, bias_sd_v : part of the reading that is the same at every state
    jumps : steps of the reading on the plateau without a step of current, alone: [cells]
    jump_ohm : median size of those, over the current they happened at
    pair_jumps : the same, but with the next cell jumping the other way: [cells - 1]
    pair_jump_v : median size of those
    rows : plateau rows looked at
    """

    bias_v: Floats
    bias_sd_v: Floats
    jumps: Ints
    jump_ohm: Floats
    pair_jumps: Ints
    pair_jump_v: Floats
    rows: int


def signals(
    log: Log, setup: Setup, resistances: Resistances, drawn_ah: Floats | None = None
) -> Signals:
    """Look at the plateau of a whole log; ``drawn_ah`` float64[rows] tells its states of charge,
    the charge counted where it is not given.
    """
    herd = nanmedian(log.cell_v.T)
    r_ohm = (
        resistances.herd_ohm if np.isfinite(resistances.herd_ohm) else cell_resistance_ohm(setup)
    )
    freed = herd - np.nan_to_num(log.current_a) * r_ohm
    chem = chemistry(setup.chemistry)
    low, high = (
        float(chem.curve.ocv(18.0)),
        chem.knee_v - 0.02 if setup.flat else chem.knee_v + 0.1,
    )
    plateau = (freed > low) & (freed < high) & (herd < high)
    drawn_ah = moved_ah(log, setup) if drawn_ah is None else drawn_ah
    calm = Calm.of(log, setup, Plateau(herd, freed, plateau, resistances, (low, high)), drawn_ah)
    bias, sd = biases(calm, setup, log.cells)
    on_it = np.empty(log.cell_v.shape, bool)
    for i in range(log.cells):  # one by one: all of a month of seconds is a third of a gigabyte
        own = log.cell_v[:, i] - (herd - freed)
        on_it[:, i] = plateau & (own > low) & (own < high)  # a weak cell leaves it before the herd
    jumps, jump_ohm, pairs, pair_v = _jumps(log, setup, herd, on_it)
    return Signals(bias, sd, jumps, jump_ohm, pairs, pair_v, int(plateau.sum()))


def _stays(log: Log, herd: Floats, rows: NDArray[np.intp], step_v: Floats) -> NDArray[np.bool_]:
    """Which steps lead at once to another level, bool[rows, cells]: two readings after each against
    two before. One restless reading is gone again in the next row, and what goes on the same way in
    the row before or after is a cell on its way over a knee.
    """

    def own(at: NDArray[np.intp]) -> Floats:
        return log.cell_v[at] - herd[at, None]

    before = own(rows) - own(np.maximum(rows - 1, 0))
    after = own(np.minimum(rows + 2, log.rows - 1)) - own(rows + 1)
    with np.errstate(invalid="ignore"):
        size, way = np.abs(step_v), np.sign(step_v)
        stays = np.abs(step_v + 0.5 * (before + after)) > STAYS_SHARE * size
        goes_on_v = np.fmax(way * before, way * after)
        return stays & (goes_on_v < np.maximum(GOES_ON_SHARE * size, GOES_ON_V))


def _at_strong_current(ohm: Floats, amps: Floats) -> float:
    """Median over the jumps at the stronger currents, where the meter's steps matter least; NaN for
    none.
    """
    return float(np.median(ohm[amps >= np.median(amps)])) if ohm.size else float("nan")


def _big_steps(
    log: Log, setup: Setup, herd: Floats, on_it: NDArray[np.bool_], rows: NDArray[np.intp]
) -> tuple[NDArray[np.intp], Floats, NDArray[np.bool_]]:
    """Of steps from these rows to the next: rows with a large one of any cell, all steps there, V
    against the herd, and which are large, [rows, cells].
    """
    raw = log.cell_v[rows + 1] - log.cell_v[rows]
    moved = np.abs(np.nan_to_num(log.current_a[rows + 1])) * log.steps_s[rows + 1] / 3600.0
    passing_v = PASSING_V[setup.chemistry] * moved / setup.capacity_ah
    least = np.maximum(passing_v, max(JUMP_V, METER_STEPS * meter_step_v(raw)))
    herd_step = herd[rows + 1] - herd[rows]
    big = np.empty(raw.shape, bool)
    for i in range(log.cells):
        away = np.abs(np.nan_to_num(raw[:, i] - herd_step))
        # between a meter's steps more than half of the readings may not move at all: their median
        # says nothing of the noise, their mean does
        usual = 1.4826 * float(np.median(away))
        usual = max(usual, 1.2533 * float(np.mean(np.minimum(away, JUMP_V)))) + 3e-4
        big[:, i] = away > np.maximum(JUMP_SDS * usual, least)
    big &= on_it[rows] & on_it[rows + 1]
    some = np.flatnonzero(big.any(axis=1))
    step = np.nan_to_num(raw[some] - herd_step[some, None])
    return rows[some], step, big[some]


def _jumps(
    log: Log, setup: Setup, herd: Floats, on_it: NDArray[np.bool_]
) -> tuple[Ints, Floats, Ints, Floats]:
    """Jumps of one cell alone, and of neighbours against each other; ``on_it`` says at which rows
    each cell is on the plateau, bool[rows, cells].
    """
    near = (np.diff(log.time_s) <= STEP_S) & (on_it[1:] & on_it[:-1]).any(axis=1)
    calm = near & (np.abs(np.diff(log.current_a)) < CALM_RATE * setup.capacity_ah)
    rows = np.flatnonzero(calm)
    if rows.size < LEAST_STEPS:
        zeros = np.zeros(log.cells, np.intp)
        return zeros, np.full(log.cells, np.nan), zeros[:-1], np.full(log.cells - 1, np.nan)
    rows, step, big = _big_steps(log, setup, herd, on_it, rows)
    left, right = step[:, :-1], step[:, 1:]
    against = (
        big[:, :-1]
        & big[:, 1:]
        & (np.abs(left + right) < 0.35 * np.maximum(np.abs(left), np.abs(right)))
    )
    pairs = against.sum(axis=0)
    size = np.array(
        [
            np.median(np.abs(step[against[:, i], i])) if pairs[i] else np.nan
            for i in range(log.cells - 1)
        ]
    )
    paired = np.zeros_like(big)
    paired[:, :-1] |= against
    paired[:, 1:] |= against
    # a jump of one cell counts when it stands against a current: resistance that comes and goes
    loaded = np.abs(log.current_a[rows + 1]) > 0.02 * setup.capacity_ah
    alone = big & ~paired & (big.sum(axis=1) == 1)[:, None] & loaded[:, None]
    alone &= _stays(log, herd, rows, step)
    ohm = np.abs(step) / np.maximum(np.abs(log.current_a[rows + 1]), 1e-3)[:, None]
    amps = np.abs(log.current_a[rows + 1])
    jump_ohm = np.array(
        [_at_strong_current(ohm[alone[:, i], i], amps[alone[:, i]]) for i in range(log.cells)]
    )
    # what comes also goes: a cell on its knee steps one way only
    more = np.sign(step) == np.sign(log.current_a[rows + 1])[:, None]
    comes, goes = (alone & more).sum(axis=0), (alone & ~more).sum(axis=0)
    jumps = np.minimum(comes + goes, 3 * np.minimum(comes, goes) + 1)
    return jumps, jump_ohm, pairs, size
