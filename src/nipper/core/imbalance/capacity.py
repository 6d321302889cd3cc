"""Capacity of each cell against the median: what it has left at the low end, less what it missed at
the top.

A cell that is level at the top and empty first holds less; one that is as far down at the top as at
the bottom was never levelled.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from nipper.core.chemistry import chemistry
from nipper.core.imbalance.doubt import NINE_IN_TEN
from nipper.core.imbalance.herd import Counted
from nipper.core.imbalance.offsets import APART_V, HALF_PCT, OPEN_PCT, Offsets, low_offsets_at
from nipper.core.imbalance.shifts import Prior
from nipper.core.imbalance.walked import unseen_ah
from nipper.core.logs.charges import Charge
from nipper.core.logs.model import Log, nanmedian
from nipper.core.setup import Setup

Floats = NDArray[np.floating]
Flags = NDArray[np.bool_]

MOST_DISCHARGES = 6
MOST_LOW_ENDS = 60  # more only repeat each other
LEAST_ROWS = 10
END_ROWS = 5  # at the end of a discharge, whose middle tells how it ended
CAPACITY_SPREAD = 0.015  # of capacity: cells of one batch (common practice)
EITHER_SHARE = 0.03  # of capacity, twice the spread: so much less at the low end is a fault
EITHER_AT_STEP = 0.015  # the same where charges pass the step of the plateau
OPEN_SHARE = 0.008  # of capacity: an offset at the top less sure than this is helped by the low end
# so much more the intervals need to hold what they claim, on packs of two other simulators
WIDER = {"lfp": 1.15, "nmc": 1.8, "lto": 1.8}
TOP_WIDER = 3.0  # the same of a capacity told by the top alone
PLAIN = 1.4  # times the least doubt of any discharge
LEAST_SIZE = 0.05  # of capacity: doubts of what is smaller are held against each other as they are
SAME_SHARE = 0.0015  # of capacity
LOW_PCT = 16.0  # a discharge tells when its lowest cell comes below the rest voltage of this charge
SLOPED_SHARE = 0.15  # of capacity: on a sloped curve so large a discharge tells, wherever it ends


@dataclass(frozen=True, eq=False, slots=True)
class Capacities:
    """Capacity of each cell less the median one's, float64[cells] Ah, its standard deviation and
    ends between which nine in ten lie; NaN where no discharge tells.
    """

    deficit_ah: Floats  # + = holds more
    sd_ah: Floats
    low_ah: Floats
    high_ah: Floats
    low_offset_ah: Floats  # charge left against the median at the low end
    low_sd_ah: Floats
    discharges: int
    deepest_pct: float = 100.0  # charge left in the herd at the deepest discharge, by counting
    lows: tuple[Offsets, ...] = ()  # of each discharge
    # against the median where charges pass the step of the plateau, at first or at last, whichever
    # is more; None where it was not seen
    step_ah: Floats | None = None
    step_cells: Flags | None = None  # whose deficit it tells; None: of none
    unlike_cells: Flags | None = None  # whose step does not bear out what discharges tell

    @classmethod
    def untold(cls, cells: int, deepest_pct: float) -> "Capacities":
        """Nothing is told."""
        nothing = np.full(cells, np.nan)
        return cls(nothing, nothing, nothing, nothing, nothing, nothing, 0, deepest_pct)

    @property
    def by_step(self) -> Flags:
        """Cells whose deficit is told by the step of the plateau."""
        return self._or_none(self.step_cells)

    @property
    def unlike(self) -> Flags:
        """Cells that pass the step of the plateau otherwise than their deficit says, or not at all
        where most do: those of another make.
        """
        return self._or_none(self.unlike_cells) & ~self.by_step

    def _or_none(self, cells: Flags | None) -> Flags:
        return np.zeros(self.deficit_ah.size, bool) if cells is None else cells

    @property
    def at_step_ah(self) -> Floats:
        """Charge against the median at the step of the plateau; NaN where it was not seen."""
        return np.full(self.deficit_ah.size, np.nan) if self.step_ah is None else self.step_ah

    @property
    def behind_ah(self) -> Floats:
        """Charge against the median at the low end; at the step, where no discharge tells."""
        return np.where(np.isfinite(self.low_offset_ah), self.low_offset_ah, self.at_step_ah)

    def either(self, offset_ah: Floats, capacity_ah: float) -> list[int]:
        """Cells (indices) that are far down at the low end or at the step and may hold less, or
        stand lower: ``offset_ah`` float64[cells], as the tops tell them, does not say.
        """
        with np.errstate(invalid="ignore"):
            far = self.low_offset_ah < -EITHER_SHARE * capacity_ah
            far |= np.isnan(self.low_offset_ah) & (self.at_step_ah < -EITHER_AT_STEP * capacity_ah)
        untold = ~np.isfinite(offset_ah) & ~np.isfinite(self.deficit_ah)
        return [int(i) for i in np.flatnonzero(far & untold)]

    def moved(self, by_ah: Floats) -> "Capacities":
        """The same, each cell holding so much more."""
        value, low, high = (x + by_ah for x in (self.deficit_ah, self.low_ah, self.high_ah))
        return replace(self, deficit_ah=value, low_ah=low, high_ah=high)

    def told_by(self, some: Flags, value: Floats, low: Floats, high: Floats) -> "Capacities":
        """The same, with what else is told of these cells (bool[cells]): float64[cells] Ah."""
        return replace(
            self,
            deficit_ah=np.where(some, value, self.deficit_ah),
            sd_ah=np.where(some, (high - low) / (2.0 * NINE_IN_TEN), self.sd_ah),
            low_ah=np.where(some, low, self.low_ah),
            high_ah=np.where(some, high, self.high_ah),
        )


@dataclass(frozen=True, eq=False, slots=True)
class _Told:
    """What one discharge tells of each cell, float64[cells] Ah: how much more it holds, with its
    standard deviation and the ways to the ends of nine in ten, and what it had left at the low end.
    """

    value: Floats
    sd: Floats
    down: Floats
    up: Floats
    left: Floats
    left_sd: Floats


@dataclass(frozen=True, eq=False, slots=True)
class Discharge:
    """From a full charge to the lowest point before the next.

    ``rows`` of the log; ``start`` the herd's charge at the first of them; ``lowest_v`` of any
    cell at the end, freed of the current's drop, and ``apart_v``, float64[cells], how far each
    stands below the herd there.
    """

    rows: NDArray[np.intp]
    top: Offsets
    start: Counted
    drawn_ah: float
    lowest_v: float
    apart_v: Floats

    def deep(self, setup: Setup) -> bool:
        """Whether it tells of all cells: LFP does at its low knee, a sloped curve all along."""
        deep = self.lowest_v < float(chemistry(setup.chemistry).curve.ocv(LOW_PCT))
        far = self.drawn_ah > SLOPED_SHARE * setup.capacity_ah
        return deep or (far and not setup.flat)

    def tells(self, setup: Setup) -> bool:
        """Whether it tells of any cell: one may be on its knee long before the herd."""
        below = setup.flat and self.left_pct(setup.capacity_ah) < HALF_PCT
        apart = below and bool(np.any(self.apart_v > APART_V))
        return self.rows.size >= LEAST_ROWS and (self.deep(setup) or apart)

    def low_end(self, log: Log, setup: Setup, prior: Prior) -> Offsets:
        """Charge left in each cell that it tells of."""
        low = low_offsets_at(log, setup, self.rows, prior, self.start)
        if self.deep(setup):
            return low
        return replace(low, offset_ah=np.where(self.apart_v > APART_V, low.offset_ah, np.nan))

    def left_pct(self, capacity_ah: float) -> float:
        """Charge left in the herd at its end, by counting."""
        return self.start.pct - 100.0 * self.drawn_ah / capacity_ah


def capacities(
    log: Log, setup: Setup, found: Sequence[Discharge], tops: Sequence[Offsets], prior: Prior
) -> Capacities:
    """From the deepest discharges that follow a full charge: their median, cell by cell."""
    deepest_pct = min((d.left_pct(setup.capacity_ah) for d in found), default=100.0)
    telling = sorted((d for d in found if d.tells(setup)), key=lambda d: d.lowest_v)
    told: list[_Told] = []
    lows: list[Offsets] = []
    for one in telling[:MOST_DISCHARGES]:
        low = one.low_end(log, setup, prior)
        if low.scale is not None and low.scale_sd is not None and not setup.flat:
            told.append(_by_scale(log, one.rows, low, setup.capacity_ah))
        elif np.isfinite(low.offset_ah).any():
            told.append(_by_ends(low, _open_below(one.top, low, setup.capacity_ah)))
            lows.append(low)
    if not told:
        return Capacities.untold(log.cells, deepest_pct)
    return replace(_together(told, tops, setup), deepest_pct=deepest_pct, lows=tuple(lows))


def _together(told: Sequence[_Told], tops: Sequence[Offsets], setup: Setup) -> Capacities:
    """What several discharges tell."""
    # one that hardly tells, for it ended on the flat, has no voice beside those that do; most of an
    # uncertainty grows with the size, and must not give the word to the small answer
    size = np.array([np.abs(t.value) for t in told]) + LEAST_SIZE * setup.capacity_ah
    doubt = np.array([t.sd for t in told]) / size
    with np.errstate(invalid="ignore"):
        sure = doubt <= PLAIN * np.fmin.reduce(doubt, axis=0)
    value, sd, down, up = (
        np.where(sure, np.array(each), np.nan)
        for each in zip(*((t.value, t.sd, t.down, t.up) for t in told), strict=True)
    )
    # the median: an uncertainty that grows with the size would let small wrong answers weigh most
    mean = nanmedian(value)
    apart = nanmedian(np.abs(value - mean)) * 1.4826 / np.sqrt(len(told))
    # errors of the curve are the same in all discharges: they do not average out
    same_ah, wider = SAME_SHARE * setup.capacity_ah, WIDER[setup.chemistry]
    mean_sd = np.hypot(wider * np.hypot(nanmedian(sd), apart), same_ah)
    down, up = (
        np.hypot(wider * np.hypot(nanmedian(way), NINE_IN_TEN * apart), NINE_IN_TEN * same_ah)
        for way in (down, up)
    )
    if not setup.flat:
        mean, mean_sd = _with_tops(mean, mean_sd, tops, setup.capacity_ah)
        down = up = NINE_IN_TEN * mean_sd
    # where a weak cell ends the discharge the others are on the flat: then the herd is the zero
    herd_told = 2 * np.isfinite(mean).sum() > mean.size
    deficit = mean - np.nanmedian(mean) if herd_told else mean
    left, left_sd = (
        nanmedian(np.array(x)) for x in zip(*((t.left, t.left_sd) for t in told), strict=True)
    )
    return Capacities(deficit, mean_sd, deficit - down, deficit + up, left, left_sd, len(told))


def discharges(
    log: Log, setup: Setup, full: Sequence[Charge], tops: Sequence[Offsets], prior: Prior
) -> Iterator[Discharge]:
    """What lies between two full charges, each held against the one before it.

    A log may begin with the discharge: what is before its first full charge is held against that.
    """
    known = [np.isfinite(top.offset_ah).any() for top in tops]
    if full and known[0] and full[0].start >= LEAST_ROWS:
        charged_ah = float(log.charge_ah[full[0].top] - log.charge_ah[0])
        start_pct = tops[0].herd_pct - 100.0 * charged_ah / setup.capacity_ah
        unseen = unseen_ah(log, slice(0, full[0].top + 1), 1.0)
        start = Counted(start_pct, 100.0 * unseen / setup.capacity_ah)
        yield _discharge(log, np.arange(full[0].start), tops[0], start, prior)
    for i, (charge, top) in enumerate(zip(full, tops, strict=True)):
        until = full[i + 1].stop if i + 1 < len(full) else log.rows
        rows = np.arange(charge.stop, until)
        if rows.size >= LEAST_ROWS and known[i]:
            yield _discharge(log, rows, top, Counted(top.herd_pct), prior)


def _discharge(
    log: Log, walk: NDArray[np.intp], top: Offsets, start: Counted, prior: Prior
) -> Discharge:
    """That part of the walk which goes down to its lowest point."""
    rows = walk[: int(np.argmin(log.charge_ah[walk])) + 1]
    last = rows[-60:]
    amps = np.nan_to_num(log.current_a[last])
    freed_v = log.cell_v[last] - amps[:, None] * (prior.herd_ohm + prior.excess_ohm)
    end_v = nanmedian(freed_v[-END_ROWS:])
    return Discharge(
        rows=rows,
        top=top,
        start=start,
        drawn_ah=float(log.charge_ah[rows[0]] - log.charge_ah[rows[-1]]),
        lowest_v=float(np.nanmin(log.cell_v[last], initial=9.0))
        - min(0.0, amps.min()) * prior.herd_ohm,
        apart_v=nanmedian(end_v[:, None])[0] - end_v,
    )


def _open_below(top: Offsets, low: Offsets, capacity_ah: float) -> Offsets:
    """The top, with its cells that stayed on the flat there as far down as the low end has them: no
    reading says where on the flat, and that far ones are unusual is no proof of a weak cell.
    """
    down_ah, up_ah = top.offset_ah - top.low_ah, top.high_ah - top.offset_ah
    with np.errstate(invalid="ignore"):
        flat = (down_ah + up_ah > OPEN_PCT / 100.0 * capacity_ah) & (down_ah > up_ah)
    return replace(top, low_ah=np.where(flat, np.fmin(top.low_ah, low.low_ah), top.low_ah))


def _by_ends(low: Offsets, top: Offsets) -> _Told:
    """What a cell has left at the low end, less what it was off at the top."""
    sd = np.hypot(low.sd_ah, top.sd_ah)
    # a cell that ended the charge is surely fuller, how much is open: so much less it holds at most
    down = np.hypot(low.offset_ah - low.low_ah, top.high_ah - top.offset_ah)
    up = np.hypot(low.high_ah - low.offset_ah, top.offset_ah - top.low_ah)
    return _Told(low.offset_ah - top.offset_ah, sd, down, up, low.offset_ah, low.sd_ah)


def _by_scale(log: Log, rows: NDArray[np.intp], found: Offsets, capacity_ah: float) -> _Told:
    """The same from a sloped curve, on which a discharge tells the capacity all along."""
    assert found.scale is not None
    assert found.scale_sd is not None
    drawn_ah = float(log.charge_ah[rows[0]] - log.charge_ah[rows].min())
    left = found.offset_ah - drawn_ah * (1.0 / found.scale - 1.0)
    left_sd = np.hypot(found.sd_ah, drawn_ah * found.scale_sd)
    sd = found.scale_sd * capacity_ah
    way = NINE_IN_TEN * sd
    return _Told((found.scale - 1.0) * capacity_ah, sd, way, way, left, left_sd)


def _with_tops(
    deficit_ah: Floats, sd_ah: Floats, tops: Sequence[Offsets], capacity_ah: float
) -> tuple[Floats, Floats]:
    """The same weighed with what the upper third of the charges says of capacity.

    Below its end a curve falls as nobody has published it, and a cell that was driven there is
    told badly by the discharge; the top says less, but says it of every cell.
    """
    pairs = [(t.scale, t.scale_sd) for t in tops if t.scale is not None and t.scale_sd is not None]
    if not pairs:
        return deficit_ah, sd_ah
    scale, scale_sd = (nanmedian(np.array(x)) for x in zip(*pairs, strict=True))
    top_ah, top_sd_ah = (scale - 1.0) * capacity_ah, TOP_WIDER * scale_sd * capacity_ah
    share = sd_ah**2 / (sd_ah**2 + top_sd_ah**2)
    return deficit_ah + share * (top_ah - deficit_ah), sd_ah * np.sqrt(1.0 - share)


def low_ends(
    log: Log, setup: Setup, found: Sequence[Discharge], prior: Prior
) -> tuple[list[Offsets], Floats]:
    """Charge left in each cell against the median at the low ends of all discharges that tell, and
    in the herd itself, float64[discharges] Ah.
    """
    telling = [d for d in found if d.tells(setup)]
    telling = telling[:: -(-len(telling) // MOST_LOW_ENDS) or 1]
    ends = (discharge.low_end(log, setup, prior) for discharge in telling)
    out = [low for low in ends if np.isfinite(low.offset_ah).any()]
    return out, np.array([low.herd_pct for low in out]) * setup.capacity_ah / 100.0


@dataclass(frozen=True, eq=False, slots=True)
class Second:
    """What another reading says of how full each cell is, float64[cells] Ah; NaN where nothing.

    Below ``least_ah`` it may be capacity as well.
    """

    ah: Floats
    sd_ah: Floats
    least_ah: Floats


def with_low_end(
    tops: list[Offsets], held: Capacities, capacity_ah: float
) -> tuple[list[Offsets], Capacities]:
    """Where the top leaves a cell's offset open, let the low end help: cells of one batch hold
    about alike.

    A charge that one full cell ends early leaves the herd on the flat, and how far it was from full
    is a guess; the discharge that follows ends at the herd's own knee.
    """
    if not held.discharges or not tops:
        return tops, held
    spread_ah = CAPACITY_SPREAD * capacity_ah
    least_ah = np.full(held.low_sd_ah.size, -EITHER_SHARE * capacity_ah)
    low = Second(held.low_offset_ah, np.hypot(held.low_sd_ah, spread_ah), least_ah)
    out = [helped(top, low, capacity_ah) for top in tops]
    changed = np.array([o.offset_ah - t.offset_ah for o, t in zip(out, tops, strict=True)])
    moved = nanmedian(changed)
    return out, held.moved(-np.nan_to_num(moved))


def helped(top: Offsets, second: Second, capacity_ah: float) -> Offsets:
    """A top with what another reading says of the cells that it leaves open, both weighed by their
    uncertainty.
    """
    top_sd = np.where(np.isfinite(top.offset_ah), top.sd_ah, np.inf)
    start = np.nan_to_num(top.offset_ah)  # where the top tells nothing the other speaks alone
    open_ = (top_sd > OPEN_SHARE * capacity_ah) & np.isfinite(second.ah)
    # one that no charge which the top allows explains needs another capacity: then that alone is
    # likelier than both
    allowed = (second.ah + second.sd_ah > top.low_ah) & (second.ah - second.sd_ah < top.high_ah)
    # where the herd itself was on the flat at the top, a cell far down may as well be level and
    # hold less; where it was full, one that is not told stood lower
    untold = ~np.isfinite(top.offset_ah)
    either = untold & (second.ah < second.least_ah) & (not top.on_knee)
    open_ &= (allowed | untold) & ~either
    share = second.sd_ah**-2 / (second.sd_ah**-2 + top_sd**-2)
    both = start + share * (second.ah - start)
    # a reading outside of what the top allows is another capacity, not another charge
    both = np.fmin(np.fmax(both, top.low_ah), top.high_ah)
    offset = np.where(open_, both, top.offset_ah)
    sd = np.where(open_, np.sqrt(1.0 / (second.sd_ah**-2 + top_sd**-2)), top.sd_ah)
    # what the top alone rules out stays ruled out
    least = np.where(open_, np.fmax(offset - NINE_IN_TEN * sd, top.low_ah), top.low_ah)
    most = np.where(open_, np.fmin(offset + NINE_IN_TEN * sd, top.high_ah), top.high_ah)
    least, most = np.fmin(least, offset), np.fmax(most, offset)
    return replace(top, offset_ah=offset, sd_ah=sd, low_ah=least, high_ah=most)
