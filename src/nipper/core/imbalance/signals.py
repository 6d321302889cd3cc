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
from nipper.core.imbalance.fitting import robust
from nipper.core.imbalance.resistance import Resistances, meter_step_v
from nipper.core.logs.charges import moved_ah
from nipper.core.logs.model import Log, nanmedian
from nipper.core.setup import Setup

Floats = NDArray[np.floating]
Ints = NDArray[np.intp]

STEP_S = 300.0  # neighbours further apart are not compared
CALM_RATE = 0.02  # of capacity per hour: a smaller step of current explains no jump
JUMP_V = 0.004  # the least jump: four times the resolution of most meters
JUMP_SDS = 5.0
STAYS_SHARE = 0.6  # of a step: half of it is left of a single reading's
METER_STEPS = 1.6  # one step of a coarse meter is no jump
REST_RATE = 0.05  # of capacity per hour: below it the current's drop is small
LEAST_ROWS = 200
LEAST_STEPS = 60
AS_GOOD = 2.5  # times what is left with a wrong reading: so much worse charge alone must explain it
# a BMS's reading is seldom further off (from memory); beyond, on a sloped curve, a standing offset
# is likelier
USUAL_BIAS_V = 0.030
FAR_V = 0.045  # on the plateau of LFP: the assumed curve falls by 41 mV from 90 to 30 %
BIN_SHARE = 0.02  # of capacity: states of charge that are told apart
LEAST_SPAN = 0.12  # of capacity, between the rows a bias is read from


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


def signals(log: Log, setup: Setup, resistances: Resistances) -> Signals:
    """Look at the plateau of a whole log."""
    herd = nanmedian(log.cell_v.T)
    r_ohm = (
        resistances.herd_ohm if np.isfinite(resistances.herd_ohm) else cell_resistance_ohm(setup)
    )
    freed = herd - np.nan_to_num(log.current_a) * r_ohm
    chem = chemistry(setup.chemistry)
    low, high = (
        float(chem.curve.ocv(18.0)),
        chem.knee_v - 0.02 if setup.chemistry == "lfp" else chem.knee_v + 0.1,
    )
    plateau = (freed > low) & (freed < high) & (herd < high)
    bias, sd = _bias(log, setup, resistances, herd, freed, plateau, (low, high))
    on_it = np.empty(log.cell_v.shape, bool)
    for i in range(log.cells):  # one by one: all of a month of seconds is a third of a gigabyte
        own = log.cell_v[:, i] - (herd - freed)
        on_it[:, i] = plateau & (own > low) & (own < high)  # a weak cell leaves it before the herd
    jumps, jump_ohm, pairs, pair_v = _jumps(log, setup, herd, on_it)
    return Signals(bias, sd, jumps, jump_ohm, pairs, pair_v, int(plateau.sum()))


def _bias(
    log: Log,
    setup: Setup,
    resistances: Resistances,
    herd: Floats,
    freed: Floats,
    plateau: NDArray[np.bool_],
    window_v: tuple[float, float],
) -> tuple[Floats, Floats]:
    """Least squares of the difference on a constant, the curve's slope (charge), slope times charge
    drawn (capacity) and the current.

    Weighted twice more against outliers. Only the constant is the reading's own.
    """
    nothing = np.full(log.cells, np.nan)
    rows = np.flatnonzero(plateau & (np.abs(log.current_a) < REST_RATE * setup.capacity_ah))
    if rows.size < LEAST_ROWS:
        return nothing, nothing
    rows = rows[:: max(1, rows.size // 4000)]
    drawn = moved_ah(log, setup)[rows] / setup.capacity_ah
    slope = _slope(setup, freed[rows], drawn)
    drawn = drawn - np.median(drawn)
    x = np.column_stack([np.ones(rows.size), slope, slope * drawn, log.current_a[rows]])
    # charge may differ by some per cent, capacity by some more, resistance by what steps show:
    # ridge terms keep short logs honest
    herd_ohm = resistances.herd_ohm if np.isfinite(resistances.herd_ohm) else 1e-3
    usual_sizes = np.array([np.inf, 8.0, 20.0, max(0.3 * herd_ohm, 1e-5)])
    ridge = np.diag(4e-6 / usual_sizes**2)
    bias, sd = nothing.copy(), nothing.copy()
    for i in range(log.cells):
        y = log.cell_v[rows, i].astype(float) - herd[rows]
        # a weak or a full cell leaves the plateau before the herd; one that reads far off lies
        # beside it all along
        own = y + freed[rows] - _far_off_v(y, setup)
        good = np.isfinite(y) & (own > window_v[0] - 0.02) & (own < window_v[1] + 0.02)
        if good.sum() < LEAST_ROWS / 2:
            continue
        a, b = x[good], y[good]
        fit = robust(a, b, ridge)
        usual = fit.left_v
        bias[i] = fit.beta[0]
        by_charge_v = _left_by_charge(a, b, fit.weight, ridge)
        # a reading that is wrong is wrong in both halves of the plateau; one that only falls away
        # further down is not (where the curve is flattest: a step of the curve shows charge, not
        # the reading)
        flattest = slope[good] <= (np.median(slope[good]) if setup.chemistry == "lfp" else np.inf)
        if np.ptp(drawn[good]) < LEAST_SPAN:
            # at one state of charge a reading that is wrong and a cell that is fuller look the same
            bias[i] = np.nan
            continue
        halves = [
            float(np.median(b[part & flattest]))
            for part in (drawn[good] >= 0, drawn[good] < 0)
            if (part & flattest).any()
        ]
        seen = [np.sign(bias[i]) * h for h in halves]
        everywhere = _nearly_everywhere(np.sign(bias[i]) * b, drawn[good])
        # wrong on one half only, or far from what is read on either, or not seen at many charges:
        # the fit made it, not the meter
        if (
            min(seen) < 0.5 * abs(bias[i])
            or max(seen) < 0.67 * abs(bias[i])
            or everywhere < 0.5 * abs(bias[i])
        ):
            bias[i], sd[i] = 0.0, abs(bias[i])
            continue
        if setup.chemistry != "lfp" and (
            by_charge_v < AS_GOOD * usual or abs(bias[i]) > USUAL_BIAS_V
        ):
            sd[i] = abs(bias[i])  # charge alone explains it nearly as well: then it is charge
            continue
        independent = min(b.size, 60)  # what the model leaves out lasts for hours
        # on a sloped curve charge and capacity move the reading at every state: what the fit leaves
        # is less sure
        sd[i] = np.sqrt(np.linalg.inv(fit.gram)[0, 0] * b.size / independent) * usual + (
            5e-4 if setup.chemistry == "lfp" else 4e-3
        )
    return bias - (np.nanmedian(bias) if np.isfinite(bias).any() else 0.0), sd


def _far_off_v(own_v: Floats, setup: Setup) -> float:
    """By how much a cell of a flat curve reads beyond what charge can make on it, V; else 0."""
    known = own_v[np.isfinite(own_v)]
    usual = float(np.median(known)) if known.size else 0.0
    return usual if setup.chemistry == "lfp" and abs(usual) > FAR_V else 0.0


def _slope(setup: Setup, freed_v: Floats, drawn: Floats) -> Floats:
    """How the rest voltage rises with charge at each row, V per %.

    On a sloped curve as the pack itself shows it: published ones of 4.2 V cells differ by a third,
    and what they get wrong would pass for a wrong reading.
    """
    assumed = chemistry(setup.chemistry).curve.slope_at_voltage(freed_v) * 1e-3
    if setup.chemistry == "lfp" or np.ptp(drawn) < LEAST_SPAN:
        return assumed
    cubic = np.polynomial.Polynomial.fit(drawn, freed_v, 3)
    own = cubic.deriv()(drawn) / 100.0
    usual = float(np.median(assumed))
    return np.clip(own, 0.4 * usual, 2.0 * usual)


def _nearly_everywhere(off_v: Floats, drawn: Floats) -> float:
    """What a reading is off by at three in four of the states of charge it was read at, V.

    Steps of the curve, which lie elsewhere than where they are published, show charge between
    states that show none.
    """
    bins = np.floor(drawn / BIN_SHARE)
    return float(np.quantile([np.median(off_v[bins == b]) for b in np.unique(bins)], 0.25))


def _left_by_charge(a: Floats, b: Floats, weight: Floats, ridge: Floats) -> float:
    """What is left, V, where charge, capacity and current alone explain a cell, and the reading is
    right.
    """
    x, rest = a[:, 1:], ridge[1:, 1:]
    beta = np.linalg.solve(x.T @ (x * weight[:, None]) + rest, x.T @ (weight * b))
    return 1.4826 * float(np.median(np.abs(b - x @ beta))) + 2e-4


def _stays(log: Log, herd: Floats, rows: NDArray[np.intp], step_v: Floats) -> NDArray[np.bool_]:
    """Which steps lead to another level: two readings after each against two before, bool[rows,
    cells]. One restless reading is gone again in the next row.
    """

    def own(at: NDArray[np.intp]) -> Floats:
        return log.cell_v[at] - herd[at, None]

    before, after = own(np.maximum(rows - 1, 0)), own(np.minimum(rows + 2, log.rows - 1))
    level_v = 0.5 * (own(rows + 1) + after - own(rows) - before)
    with np.errstate(invalid="ignore"):
        return np.abs(level_v) > STAYS_SHARE * np.abs(step_v)


def _at_strong_current(ohm: Floats, amps: Floats) -> float:
    """Median over the jumps at the stronger currents, where the meter's steps matter least; NaN for
    none.
    """
    return float(np.median(ohm[amps >= np.median(amps)])) if ohm.size else float("nan")


def _big_steps(
    log: Log, herd: Floats, on_it: NDArray[np.bool_], rows: NDArray[np.intp]
) -> tuple[NDArray[np.intp], Floats, NDArray[np.bool_]]:
    """Of steps from these rows to the next: rows with a large one of any cell, all steps there, V
    against the herd, and which are large, [rows, cells].
    """
    raw = log.cell_v[rows + 1] - log.cell_v[rows]
    least = max(JUMP_V, METER_STEPS * meter_step_v(raw))
    herd_step = herd[rows + 1] - herd[rows]
    big = np.empty(raw.shape, bool)
    for i in range(log.cells):
        away = np.abs(np.nan_to_num(raw[:, i] - herd_step))
        # between a meter's steps more than half of the readings may not move at all: their median
        # says nothing of the noise, their mean does
        usual = 1.4826 * float(np.median(away))
        usual = max(usual, 1.2533 * float(np.mean(np.minimum(away, JUMP_V)))) + 3e-4
        big[:, i] = away > max(JUMP_SDS * usual, least)
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
    rows, step, big = _big_steps(log, herd, on_it, rows)
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
