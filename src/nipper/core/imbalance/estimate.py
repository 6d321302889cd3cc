"""Everything a log says about each cell, in one pass: charges, resistances, offsets, drift, what
the balancer did.
"""

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from nipper.core.chemistry import chemistry
from nipper.core.imbalance.atknee import Knee, at_knee, doubted_alike, either
from nipper.core.imbalance.bystep import tops_by_step, with_step
from nipper.core.imbalance.capacity import (
    Capacities,
    capacities,
    discharges,
    low_ends,
    with_low_end,
)
from nipper.core.imbalance.drift import Drift, drift_of, moved_of, told_elsewhere
from nipper.core.imbalance.lag import aligned, lags_and_sign
from nipper.core.imbalance.lines import Lines, Place, near_the_knee, through
from nipper.core.imbalance.middle import middles
from nipper.core.imbalance.offsets import Offsets, offsets_at, resistance_prior, with_lead
from nipper.core.imbalance.reach import for_one_cell_ah
from nipper.core.imbalance.remedies import TopEnd
from nipper.core.imbalance.resistance import Resistances, step_resistances
from nipper.core.imbalance.signals import Signals, signals
from nipper.core.imbalance.swing import swing
from nipper.core.logs.charges import Charge, find_charges
from nipper.core.logs.drawn import anchored_ah
from nipper.core.logs.model import Log, nanmedian
from nipper.core.logs.moments import cells_at_each
from nipper.core.logs.resets import LEAP_S
from nipper.core.setup import Setup

Floats = NDArray[np.floating]
Ints = NDArray[np.intp]

ARRHENIUS_K = 25_000.0 / 8.314  # 15 to 40 kJ/mol, from memory; published sets give 19 to 29
MOST_ROWS = 200_000  # rows looked at off the knees: more only repeat each other
ALIKE_V, PLAIN_V = (
    0.003,
    0.008,
)  # to the highest cell, and from the median: meters differ by some mV
SAME_TOP_V = 0.010  # a per cent of charge, or less
FEW_STEPS = 40  # of current: most of them are then those of a taper, at the knee
VAGUE_SHARE = 0.02  # of the herd's resistance, of the doubt about a cell's
TELLING_BIAS_V = 0.006  # smaller ones are left as they are: they may as well be charge


@dataclass(frozen=True, slots=True)
class BalancerUse:
    """What the balancer was allowed to do, and did, in the log."""

    above_start_h: float  # hours with a cell above the start voltage
    allowed_h: float  # of these, in the permitted phase
    ran_h: float | None  # None when the log does not record it
    flat_h: float | None  # of these, with every cell that was bled under the knee
    moved_ah: float | None  # out of the busiest cell
    days: float
    # the leak of one cell that it may have made good unseen, % of capacity a month: what it could
    # have moved in its hours, where the log does not say what it did
    hidden_pct_month: float = 0.0


@dataclass(frozen=True, eq=False, slots=True)
class Estimate:
    """The state of every cell against the median one."""

    charges: tuple[Charge, ...]
    resistances: Resistances
    drift: Drift
    balancer: BalancerUse
    capacities: Capacities
    signals: Signals
    sensors_c: Floats  # mean of each temperature sensor that was read; may be empty
    end: TopEnd
    # by which each cell's voltages came after the log's currents; empty: not looked for
    lag_rows: Ints = field(default_factory=lambda: np.empty(0, np.intp))
    sensors: Ints = field(default_factory=lambda: np.empty(0, np.intp))  # which of the log's
    turned: bool = False  # whether the log's current has the wrong sign
    knee: Knee | None = None  # what full charges say of wrong readings

    @property
    def to_25_c(self) -> float:
        """What a cell's resistance at the log's temperature is to be multiplied by for 25 degC
        (Arrhenius, 25 kJ/mol); 1 without sensors.
        """
        if not self.sensors_c.size:
            return 1.0
        return float(
            np.exp(
                -ARRHENIUS_K * (1.0 / (float(np.median(self.sensors_c)) + 273.15) - 1.0 / 298.15)
            )
        )

    @property
    def full(self) -> list[Charge]:
        """The full charges."""
        return [c for c in self.charges if c.full]


def estimate(
    log: Log, setup: Setup, tick: Callable[[float], None] = lambda _share: None
) -> Estimate:
    """Estimate all cells of one pack's log.

    Parameters
    ----------
    log, setup : the log's cells must be the setup's
    tick : called with the fraction done
    """
    lag, turned = lags_and_sign(log, setup)
    log = aligned(log, lag)
    charges = tuple(find_charges(log, setup))
    tick(0.3)
    full = [c for c in charges if c.full]
    plain = log.select(
        slice(None, None, max(1, log.rows // MOST_ROWS))
    )  # resistance and the plateau need no row a second
    drawn_ah = anchored_ah(plain, setup, _full_s(log, setup, full))
    resistances, seen = _electrical(plain, setup, drawn_ah, full)
    tick(0.45)
    knee = at_knee(log, setup, full, seen.bias_v)
    seen = replace(seen, bias_v=np.where(knee.apart_v != 0.0, np.nan, seen.bias_v))
    read, log = log, _freed_of_bias(log, seen)
    prior = resistance_prior(setup, resistances)
    prior = with_lead(prior, log, setup, full)
    tops: list[Offsets] = []
    for charge in full:
        tops.append(offsets_at(log, setup, charge, prior))
        tick(0.5 + 0.4 * len(tops) / len(full))
    tops = doubted_alike(tops)
    found = list(discharges(log, setup, full, tops, prior))
    knee = knee.with_doubts(tops).but([d.apart_v for d in found])
    mids = middles(log, setup, charges, prior)
    held = with_step(capacities(log, setup, found, tops, prior), tops, mids, log, setup)
    both, held = with_low_end(tops_by_step(tops, held, mids, log, setup), held, setup.capacity_ah)
    if knee.apart_v.any():
        righted = replace(log, cell_v=log.cell_v - knee.apart_v.astype(np.float32))
        other = [offsets_at(righted, setup, charge, prior) for charge in full]
        both = [either(*each, knee.apart_v) for each in zip(tops, other, both, strict=True)]
    told = [i for i, o in enumerate(both) if np.isfinite(o.offset_ah).any()]
    offsets, tops = [both[i] for i in told], [tops[i] for i in told]
    lows = partial(low_ends, log, setup, found, prior)
    drift = _drift(log, setup, _Readings(offsets, tops, mids, lows))
    tick(1.0)
    sensors = np.flatnonzero(np.isfinite(log.temp_c).any(axis=0))
    return Estimate(
        charges=charges,
        resistances=resistances,
        drift=drift,
        balancer=balancer_use(log, setup),
        capacities=held,
        signals=seen,
        sensors_c=np.nanmean(log.temp_c[:, sensors], axis=0) if sensors.size else np.empty(0),
        sensors=sensors,
        knee=knee,
        end=top_end(read, full),
        lag_rows=lag,
        turned=turned,
    )


def _electrical(
    plain: Log, setup: Setup, drawn_ah: Floats, full: list[Charge]
) -> tuple[Resistances, Signals]:
    """Resistances by steps of current, and what the plateau tells of each reading; by a cycle at
    steady currents, where those say little.
    """
    resistances = step_resistances(plain, setup, drawn_ah)
    both_ways = swing(plain, setup) if _vague(resistances) else None
    resistances = both_ways.resistances if both_ways else resistances
    seen = signals(plain, setup, resistances, drawn_ah)
    # without a full charge the state is not known, and a weak cell low down passes for a reading
    untold = bool(full) and not np.isfinite(seen.bias_v).any()
    if untold and (both_ways := both_ways or swing(plain, setup)):
        seen = replace(seen, bias_v=both_ways.bias_v, bias_sd_v=both_ways.bias_sd_v)
    return resistances, seen


@dataclass(frozen=True, eq=False, slots=True)
class _Readings:
    """Where the cells were told: at the tops of charges with what else helps them, by the tops
    alone, at the step of the plateau; and at the low ends, read where nothing else tells.
    """

    offsets: list[Offsets]
    tops: list[Offsets]
    mids: list[Offsets]
    lows: Callable[[], tuple[list[Offsets], Floats]]


def _drift(log: Log, setup: Setup, read: _Readings) -> Drift:
    """Lines through the tops and the step together; where the tops tell of too few cells, through
    the step alone, else through the low ends.
    """

    def by(readings: list[Offsets], place: Place = "top", depth_ah: Floats | None = None) -> Lines:
        moved = moved_of(log, setup.leveller, readings)
        return through(readings, moved, setup.capacity_ah, place, depth_ah)

    by_tops, by_step = by(read.tops), by(read.mids, "step")
    lines = by_tops.with_other(by_step) if by_tops.tells else by_tops
    drift = drift_of(read.offsets, moved_of(log, setup.leveller, read.offsets), lines)
    if by_tops.tells:
        return drift
    if by_step.tells:
        return told_elsewhere(drift, "step", read.mids, by_step)
    lows, left_ah = read.lows()
    near = [near_the_knee(low, setup.capacity_ah) for low in lows]
    by_lows = by(near, "low end", left_ah)
    return told_elsewhere(drift, "low end", lows, by_lows) if by_lows.tells else drift


def _full_s(log: Log, setup: Setup, full: list[Charge]) -> Floats:
    """When the herd was full as usual: a cell at its trip may end a charge with the others
    anywhere.
    """
    tops = np.array([c.top for c in full], np.intp)
    herd_v = nanmedian(cells_at_each(log, tops).T) if tops.size else np.empty(0)
    alike = np.abs(herd_v - np.median(herd_v)) < SAME_TOP_V if tops.size else np.empty(0, bool)
    return log.time_s[tops[alike & (herd_v > chemistry(setup.chemistry).knee_v)]]


def _vague(found: Resistances) -> bool:
    """Whether steps of current tell resistances badly or not at all."""
    if found.steps < FEW_STEPS or not found.herd_ohm > 0:
        return True
    return bool(np.nanmedian(found.sd_ohm) > VAGUE_SHARE * found.herd_ohm)


def _freed_of_bias(log: Log, told: Signals) -> Log:
    """The log with readings put right that are wrong by the same amount at every state: at the knee
    they would pass for charge.
    """
    with np.errstate(invalid="ignore"):
        wrong = (np.abs(told.bias_v) > TELLING_BIAS_V) & (
            np.abs(told.bias_v) > 4.0 * told.bias_sd_v
        )
    if not wrong.any():
        return log
    return replace(log, cell_v=(log.cell_v - np.where(wrong, told.bias_v, 0.0).astype(np.float32)))


NONE = (float("nan"), float("nan"))


def top_end(log: Log, full: list[Charge]) -> TopEnd:
    """Which cells stand highest and lowest at the end of most of the last full charges, as read."""
    found: list[tuple[set[int], set[int]]] = []
    ends: list[tuple[float, float]] = []
    for charge in full[-3:]:
        rows = slice(max(charge.start, charge.stop - 5), charge.stop)
        v = nanmedian(log.cell_v[rows]).astype(float)
        middle, high, low = np.nanmedian(v), np.nanmax(v), np.nanmin(v)
        above = np.flatnonzero((v >= high - ALIKE_V) & (v > middle + PLAIN_V))
        below = np.flatnonzero((v <= low + ALIKE_V) & (v < middle - PLAIN_V))
        ends.append((float(high), float(low)))
        found.append(({int(i) + 1 for i in above}, {int(i) + 1 for i in below}))

    def mostly(side: int) -> frozenset[int]:
        named = [cell for pair in found for cell in pair[side]]
        return frozenset(cell for cell in named if 2 * named.count(cell) > len(found))

    highest_v, lowest_v = (float(np.median(v)) for v in zip(*ends, strict=True)) if ends else NONE
    return TopEnd(mostly(0), mostly(1), highest_v, lowest_v)


def balancer_use(log: Log, setup: Setup) -> BalancerUse:
    """Hours the balancer could have run, was allowed to, and did."""
    balancer = setup.leveller
    if balancer is None or not log.rows:
        return BalancerUse(0.0, 0.0, None, None, None, log.days)
    hours = log.steps_s / 3600.0
    above = np.fmax.reduce(log.cell_v, axis=1) >= balancer.start_v
    rest_a = 0.05 + 0.0005 * setup.capacity_ah
    phase = {
        "charging": log.current_a > rest_a,
        "rest": np.abs(log.current_a) <= rest_a,
        "always": np.ones(log.rows, bool),
    }[balancer.when]
    if balancer.sleep_after_min is not None:
        flows = np.abs(log.current_a) > rest_a
        last_s = np.maximum.accumulate(np.where(flows, log.time_s, log.time_s[0]))
        phase = phase & (log.time_s - last_s <= 60.0 * balancer.sleep_after_min)
    ran = flat = moved = None
    if log.balancing is not None:
        busy = log.bled_rows
        bled, busy_h = log.balancing[busy], hours[busy]
        ran = float(busy_h.sum())
        # a full cell that stands on its knee alone is bled rightly, wherever the others are
        bled_v = np.where(bled, np.nan_to_num(log.cell_v[busy]), 0.0).max(axis=1)
        flat = float(busy_h[bled_v < chemistry(setup.chemistry).knee_v - 0.02].sum())
        moved = float(balancer.current_a * (busy_h[:, None] * bled).sum(axis=0).max())
    allowed_h = float(hours[above & phase].sum())
    hidden = 0.0
    if log.days > 0:
        unseen_h = _gaps_h(log, above) + (allowed_h if ran is None else 0.0)
        # how many are bled at once is seldom known: at most all of the others
        few = balancer.at_once is not None
        could_ah = for_one_cell_ah(balancer, setup.cells, unseen_h, loses=few)
        hidden = 100.0 * could_ah / setup.capacity_ah * 30.4 / log.days
    return BalancerUse(float(hours[above].sum()), allowed_h, ran, flat, moved, log.days, hidden)


def _gaps_h(log: Log, above: NDArray[np.bool_]) -> float:
    """Hours that are not in the log, before or after which a cell was above the start voltage: the
    balancer may have run all the while.
    """
    step_s = np.diff(log.time_s)
    gap = (log.steps_s[1:] == 0.0) & (step_s < LEAP_S) & (above[1:] | above[:-1])
    return float(np.sum(step_s[gap])) / 3600.0
