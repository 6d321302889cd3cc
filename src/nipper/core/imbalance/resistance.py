"""Resistance of each cell from load steps: what the voltage does at once when the current changes.

Between two neighbouring samples charge hardly changes, so a change of voltage with a change of
current is resistance. Relative to the herd even that little cancels, and the estimate is limited by
the meter alone: sd = sd_v / (sqrt(n) sd_i).
"""

from dataclasses import dataclass, field
from functools import partial

import numpy as np
from numpy.typing import NDArray

from nipper.core.chemistry import chemistry
from nipper.core.chemistry.cell import cell_resistance_ohm
from nipper.core.logs.drawn import moved_ah
from nipper.core.logs.model import Log, nanmedian, solved
from nipper.core.setup import Setup

Floats = NDArray[np.floating]

LEAST_STEP_RATE = (
    0.015  # of capacity per hour: smaller changes of current drown in the meter's steps
)
LONGEST_STEP_S = 240.0
LEAST_STEPS = 12
GROUP = 8  # steps taken together before one asks whether a joint was loose
LEAST_GROUPS = 8


def _off_the_knees(log: Log, setup: Setup) -> NDArray[np.bool_]:
    """Rows at which every cell, freed of the setup's drop, is between the knees."""
    chem = chemistry(setup.chemistry)
    drop = np.nan_to_num(log.current_a) * cell_resistance_ohm(setup)
    with np.errstate(invalid="ignore"):
        high = np.fmax.reduce(log.cell_v, axis=1) - drop
        low = np.fmin.reduce(log.cell_v, axis=1) - drop
    return (high < chem.knee_v - 0.02) & (low > float(chem.curve.ocv(15.0)))


def _none(*shape: int) -> Floats:
    return np.empty(shape or 0)


@dataclass(frozen=True, eq=False, slots=True)
class Resistances:
    """Step resistance: ``herd_ohm`` of the median cell, ``excess_ohm`` of each cell above it, and
    its standard deviation.

    All NaN where the log has too few steps of current. The values hold for the log's interval: the
    longer it is, the more of the slow part they contain.
    """

    herd_ohm: float
    excess_ohm: Floats
    sd_ohm: Floats
    steps: int
    # how much a cell's steps differ among themselves against the usual cell's: 1 is usual; at
    # strong steps
    wander: Floats
    time_s: Floats = field(default_factory=_none, repr=False)  # [steps]
    step_a: Floats = field(default_factory=_none, repr=False)  # [steps]
    # [steps, cells] beyond the herd's; NaN where the cell was not read
    own_v: Floats = field(default_factory=_none, repr=False)
    moved_ah: Floats = field(default_factory=_none, repr=False)  # [steps] charge counted there
    beside: Floats = field(default_factory=partial(_none, 0, 0), repr=False)  # [steps, columns]
    usual_v: float = 0.0  # scatter of the usual cell's strong steps about its own resistance
    whole: bool = False  # read from whole charges and discharges: the slow part is in it

    @property
    def basis(self) -> str:
        """What they are read from, to begin a sentence with."""
        if self.whole:
            return "From charging against discharging at the same charge"
        return f"From {self.steps} steps of current"

    def of(self, cell: int) -> "_Steps":
        """The steps at which this cell was read."""
        if not self.own_v.size:
            return _Steps(self.time_s, self.step_a, self.own_v, self.moved_ah, self.beside)
        v = self.own_v[:, cell]
        at = np.flatnonzero(np.isfinite(v))
        beside = self.beside[at] if self.beside.size else self.beside
        return _Steps(self.time_s[at], self.step_a[at], v[at], self.moved_ah[at], beside)


@dataclass(frozen=True, eq=False, slots=True)
class _Steps:
    """One cell's steps: when, of how many A, what it moved beyond the herd, V, the charge counted
    there, Ah, and what else moves it, [steps, columns].
    """

    time_s: Floats
    a: Floats
    v: Floats
    ah: Floats
    beside: Floats


@dataclass(frozen=True, slots=True)
class Turn:
    """The moment at which a cell's step resistance changed for good, and what it was before and
    after, ohm.
    """

    time_s: float
    before_ohm: float
    after_ohm: float
    after_sd_ohm: float
    after_steps: int
    after_days: float

    @property
    def left_ohm(self) -> float:
        """What may be left of it: the estimate, or two standard deviations."""
        return max(abs(self.after_ohm), 2.0 * self.after_sd_ohm)


def loose_ohm(found: Resistances, cell: int) -> float | None:
    """Resistance of a joint while it is loose, ohm: of groups of steps that fall into two kinds,
    the mean of the higher; None where they do not.
    """
    own = found.of(cell)
    a, v = own.a, own.v
    groups = a.size // GROUP
    if groups < LEAST_GROUPS:
        return None
    a, v = a[: groups * GROUP].reshape(groups, GROUP), v[: groups * GROUP].reshape(groups, GROUP)
    each: Floats = (a * v).sum(axis=1) / (a * a).sum(axis=1)
    high = each > 0.5 * float(np.percentile(each, 90))
    if not 0.1 < high.mean() < 0.95:
        return None
    level, rest = float(np.mean(each[high])), float(np.mean(each[~high]))
    return level if rest < 0.35 * level else None


def unsteady(found: Resistances, cell: int) -> float | None:
    """How much a cell's excess resistance itself varies over the strong steps, as a share of its
    mean and with the scatter of the usual cell taken out; None with too few steps.

    What follows the state of charge is left out: a cell's own does, most of all near its ends. So
    is what moves with the herd (``_beside``). One that is there for a share d of the time gives
    sqrt((1 - d) / d): 0.8 at 60 %, 0.3 at 90 %.
    """
    own = found.of(cell)
    size = np.abs(own.a)
    if size.size < 2 * LEAST_STEPS:
        return None
    strong = size >= np.quantile(size, 0.5)
    a, v, ah = own.a[strong], own.v[strong], own.ah[strong]
    x = a[:, None] * np.vander(evened(ah), 3)
    if own.beside.size:
        x = np.column_stack([x, own.beside[strong]])
    left_v = _left(x, v)
    varies = max(0.0, float(left_v @ left_v) / (a.size - x.shape[1]) - found.usual_v**2)
    mean_ohm = abs(float(own.a @ own.v)) / float(size @ size)
    return float(np.sqrt(varies / np.mean(a * a)) / max(mean_ohm, 1e-9))


def evened(x: Floats) -> Floats:
    """In standard deviations from the mean."""
    return (x - x.mean()) / max(float(x.std()), 1e-9)


def turn(found: Resistances, cell: int) -> Turn | None:
    """The one change of level that explains a cell's steps best; None where there are too few
    steps.

    Least squares with two levels: over all splits the one that leaves the least scatter.
    """
    own = found.of(cell)
    a, v = own.a, own.v
    if a.size < 4 * LEAST_STEPS:
        return None
    aa, av, vv = np.cumsum(a * a), np.cumsum(a * v), np.cumsum(v * v)
    k = np.arange(LEAST_STEPS, a.size - LEAST_STEPS)
    before, after = av[k] / aa[k], (av[-1] - av[k]) / (aa[-1] - aa[k])
    left = vv[-1] - before * av[k] - after * (av[-1] - av[k])
    best = int(np.argmin(left))
    split = int(k[best])
    rest = v[split + 1 :] - after[best] * a[split + 1 :]
    sd = float(np.sqrt(np.sum(rest**2) / max(1, rest.size - 1) / (aa[-1] - aa[split])))
    time_s = float(own.time_s[split + 1])
    return Turn(
        time_s,
        float(before[best]),
        float(after[best]),
        sd,
        rest.size,
        float(own.time_s[-1] - time_s) / 86400.0,
    )


def step_resistances(log: Log, setup: Setup, drawn_ah: Floats | None = None) -> Resistances:
    """Least squares over all steps of current in the log, outliers clipped; float64[cells].

    ``drawn_ah`` float64[rows] tells the states of charge, the charge counted where it is not given.
    """
    step_a = np.diff(log.current_a)
    near = (np.diff(log.time_s) <= LONGEST_STEP_S) & (
        np.abs(step_a) >= LEAST_STEP_RATE * setup.capacity_ah
    )
    flat = _off_the_knees(log, setup)
    if (
        np.count_nonzero(near & flat[1:] & flat[:-1]) >= LEAST_STEPS
    ):  # at the knees a step of current is also a step of charge
        near &= flat[1:] & flat[:-1]
    rows = np.flatnonzero(near)
    nothing = np.full(log.cells, np.nan)
    if rows.size < LEAST_STEPS:
        return Resistances(float("nan"), nothing, nothing, int(rows.size), nothing)
    step_a = step_a[rows]
    step_v = log.cell_v[rows + 1].astype(float) - log.cell_v[rows]
    herd_v = nanmedian(step_v.T)
    herd = float(step_a @ np.nan_to_num(herd_v) / (step_a @ step_a))
    own_v = step_v - herd_v[:, None]
    # a jumping lead or a knee crossed in one step would pull a plain fit: clip at three times the
    # usual size
    with np.errstate(invalid="ignore"):
        usual = 1.4826 * nanmedian(np.abs(own_v)) + 1e-4
        own_v = np.clip(own_v, -6 * usual - 0.02, 6 * usual + 0.02)
    unread = np.isnan(own_v)
    own_v = np.where(unread, 0.0, own_v)
    count = rows.size - unread.sum(axis=0)
    size = np.where(count < LEAST_STEPS, np.nan, (step_a * step_a) @ ~unread)
    excess = step_a @ own_v / size
    residual = np.where(unread, 0.0, own_v - step_a[:, None] * excess)
    beside = _beside(log, rows, np.nan_to_num(herd_v) / max(herd, 1e-6) - step_a)
    sd = np.sqrt(np.sum(residual**2, axis=0) / np.maximum(1, count - 1) / size)
    usual_ohm = _median(excess)
    own_v = own_v - step_a[:, None] * usual_ohm
    unlike_v = np.where(unread, np.nan, _left(np.column_stack([step_a, beside]), own_v))
    *scatter, usual_v = _noise_v(step_a, step_v, unlike_v)
    return Resistances(
        herd_ohm=herd,
        excess_ohm=excess - usual_ohm,
        sd_ohm=sd,
        steps=int(rows.size),
        wander=np.array(scatter) / usual_v,
        time_s=log.time_s[rows],
        step_a=step_a,
        own_v=np.where(unread, np.nan, own_v),
        moved_ah=(moved_ah(log, setup) if drawn_ah is None else drawn_ah)[rows],
        beside=beside,
        usual_v=float(usual_v),
    )


def _beside(log: Log, rows: NDArray[np.intp], herd_a: Floats) -> Floats:
    """What moves a resistive cell beyond the row's own step of current, and the others with it, A,
    [steps, 4]: it makes no joint that comes and goes.

    ``herd_a`` is the current that the herd's own step tells of beyond the one written down: a BMS
    may write the mean of the interval, or round it. The steps before and after belong to a slow
    part or a lag, the current itself to the charge that went in between.
    """
    all_a = np.nan_to_num(np.diff(log.current_a))
    all_a = np.pad(np.where(np.diff(log.time_s) <= LONGEST_STEP_S, all_a, 0.0), 1)
    level_a = np.nan_to_num(log.current_a[rows])
    return np.column_stack([herd_a, all_a[rows], all_a[rows + 2], level_a])


def _left(x: Floats, v: Floats) -> Floats:
    """What least squares on the columns of x leave of v."""
    return v - x @ solved(x.T @ x + 1e-9 * np.eye(x.shape[1]), x.T @ v)


def _noise_v(step_a: Floats, step_v: Floats, residual_v: Floats) -> Floats:
    """Scatter of each cell's strong steps about its own resistance, V, and last that of the usual
    cell: at least what the meter's own steps make of the difference of two readings.
    """
    strong = np.abs(step_a) >= np.quantile(np.abs(step_a), 0.5)
    size = residual_v[strong] ** 2
    read = np.isfinite(size).sum(axis=0)
    scatter = np.sqrt(np.nansum(size, axis=0) / np.where(read, read, np.nan))
    usual = np.fmax(_median(scatter), max(meter_noise_v(step_v), 1e-6))
    return np.append(scatter, usual)


def _median(cells: Floats) -> float:
    """Of those cells that are known; NaN where none is."""
    return float(nanmedian(cells[:, None])[0])


def meter_noise_v(step_v: Floats) -> float:
    """What the meter's resolution makes of the difference of two readings, one standard deviation,
    V: each is off by a step over the root of twelve.
    """
    return meter_step_v(step_v) / float(np.sqrt(6.0))


def meter_step_v(step_v: Floats) -> float:
    """The meter's resolution: of the steps that are none the usual least, V."""
    moved = np.abs(step_v[np.isfinite(step_v) & (step_v != 0)])
    return float(np.quantile(moved, 0.1)) if moved.size else 0.0
