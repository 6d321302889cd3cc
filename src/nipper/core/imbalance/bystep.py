"""What the step in the middle of LFP's plateau tells beside the ends: which cells hold less, and
how full those are that no end tells.

A cell that holds less charge is as far behind at the step as at either end. One that holds less of
it, level at the top, is so by a part of what it lacks: what it has given by then, if all of it is
smaller; all it lacks, if it has lost lithium, for its step stays where it was above empty (by the
electrodes' balance, docs/diagnosis.md). So the way from the step to the top tells either of them,
if not which. That from the step to the low end tells the first alone: a cell that has lost lithium
looks like one that stands lower.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from nipper.core.imbalance.capacity import (
    CAPACITY_SPREAD,
    EITHER_AT_STEP,
    Capacities,
    Second,
    helped,
)
from nipper.core.imbalance.doubt import NINE_IN_TEN
from nipper.core.imbalance.offsets import Offsets
from nipper.core.logs.model import Log, nanmedian
from nipper.core.setup import Setup

Floats = NDArray[np.floating]
Flags = NDArray[np.bool_]

# of capacity, from the step to the low end, and to the top
LEAST_WAY, LEAST_TOP, MOST_WAY = 0.25, 0.2, 0.85
SURELY_SHARE = 0.015  # of capacity: so much less is no other reading of the same
UNLIKE_PART = 6  # of more than a sixth of the cells it is the make
ALIKE_SHARE = 0.01  # of capacity: so near each other those that stand apart are one make's
FULLEST_SHARE = 0.01  # of capacity: fuller than the one that ended the charge none is
FEW = 3  # so many charges tell how a cell stood at first, and at last
LONGEST_S = 2 * 86400.0  # from one to the other: what leaks meanwhile is no capacity


@dataclass(frozen=True, eq=False, slots=True)
class _Told:
    """How much more each cell holds and between what it lies, float64[cells] Ah."""

    value: Floats
    low: Floats
    high: Floats


@dataclass(frozen=True, eq=False, slots=True)
class _ToTop:
    """What each cell is behind at the step beyond what it is at the top, float64[cells] Ah, its
    range to either side, and the way between the two, of capacity.
    """

    less_ah: Floats
    doubt_ah: Floats
    way: float

    def told(self) -> _Told:
        """From all of what it lacks, lithium lost, to a part of it, all of it smaller."""
        least, most = self.less_ah - self.doubt_ah, self.less_ah + self.doubt_ah
        return _Told(
            0.5 * (self.less_ah + self.less_ah / self.way),
            np.minimum(least, least / self.way),
            np.maximum(most, most / self.way),
        )

    def smaller(self, held: Capacities) -> _Told:
        """Cells that the discharges tell as smaller, by both: NaN where they may as well have lost
        lithium, or neither explains it.
        """
        part_ah, part_sd = self.less_ah / self.way, self.doubt_ah / self.way / NINE_IN_TEN
        with np.errstate(invalid="ignore"):
            lost = (self.less_ah > held.low_ah) & (self.less_ah < held.high_ah)
            part = (part_ah > held.low_ah) & (part_ah < held.high_ah)
        share = held.sd_ah**2 / (held.sd_ah**2 + part_sd**2)
        value = held.deficit_ah + share * (part_ah - held.deficit_ah)
        up, down = (
            np.hypot((1.0 - share) * way, NINE_IN_TEN * share * part_sd)
            for way in (held.high_ah - held.deficit_ah, held.deficit_ah - held.low_ah)
        )
        return _Told(np.where(part & ~lost, value, np.nan), value - down, value + up)


def with_step(
    held: Capacities, tops: Sequence[Offsets], mids: Sequence[Offsets], log: Log, setup: Setup
) -> Capacities:
    """The same, with cells told by the step and one of the ends, where no discharge from a full
    charge tells them; and better where it tells how they hold less.
    """
    if not mids:
        return held
    # what a cell falls by while it is watched is charge, and no capacity
    ends_ah = [
        nanmedian(np.array([m.offset_ah for m in some])) for some in (mids[:FEW], mids[-FEW:])
    ]
    held = replace(held, step_ah=np.fmax(*ends_ah))
    to_top = _to_top(tops, mids, log, setup)
    held = _by_top(held, to_top, setup) if to_top else held
    by_low = _against_lows(held.lows, mids, log, setup)
    return _by(held, by_low, ~np.isfinite(held.deficit_ah)) if by_low else held


def _contradicted(held: Capacities, told: _Told) -> Flags:
    """Cells that are not told otherwise, or by one discharge that neither kind of loss explains:
    hours that are missing from it look like capacity.
    """
    with np.errstate(invalid="ignore"):
        # one that a discharge knows to hold as much is of another make, if its step says less
        apart_ah = told.value - held.deficit_ah
        apart = apart_ah > np.hypot(held.high_ah - held.deficit_ah, told.value - told.low)
    return apart & (held.discharges < 2) | ~np.isfinite(held.deficit_ah)


def _by_top(held: Capacities, to_top: _ToTop, setup: Setup) -> Capacities:
    """The same with what the way from the step to the top tells."""
    both, told = to_top.smaller(held), to_top.told()
    with np.errstate(invalid="ignore"):
        apart = np.abs(to_top.less_ah) > EITHER_AT_STEP * setup.capacity_ah
        # neither kind of loss that the discharges tell is borne out by it
        unlike = ~((told.low < held.high_ah) & (told.high > held.low_ah))
    few = _few(apart)
    if not few and np.ptp(to_top.less_ah[apart]) < ALIKE_SHARE * setup.capacity_ah:
        unlike |= apart
    held = held.told_by(np.isfinite(both.value), both.value, both.low, both.high)
    held = replace(held, unlike_cells=unlike & np.isfinite(held.deficit_ah))
    if not few:
        return held
    held = _by(held, told, _contradicted(held, told))
    # a low end that the top and the step make no sense of is no reading of these cells
    return replace(held, low_offset_ah=np.where(held.by_step, np.nan, held.low_offset_ah))


def _few(apart: Flags) -> bool:
    """Whether so few cells stand apart that it is they. Cells of other makes have their step
    elsewhere, and are often several; one alone looks like a cell that holds less.
    """
    return int(apart.sum()) <= max(1, apart.size // UNLIKE_PART)


def _by(held: Capacities, told: _Told, cells: Flags) -> Capacities:
    """The same, with these cells told by the step where it tells them."""
    some = cells & np.isfinite(told.value)
    held = held.told_by(some, told.value, told.low, told.high)
    return replace(held, step_cells=held.by_step | some)


def _to_top(
    tops: Sequence[Offsets], mids: Sequence[Offsets], log: Log, setup: Setup
) -> _ToTop | None:
    """From the step of a charge to its top, where the herd was full."""
    pairs = [(mid, top) for top in tops if top.on_knee and (mid := _last_before(mids, top))]
    found = [
        (mid, top, way)
        for mid, top in pairs
        if LEAST_TOP < (way := _way(log, mid, top, setup) + 1.0 - top.herd_pct / 100.0) < MOST_WAY
    ]
    if not found:
        return None
    less_ah = nanmedian(np.array([mid.offset_ah - top.offset_ah for mid, top, _ in found]))
    doubt_ah = NINE_IN_TEN * nanmedian(np.array([np.hypot(m.sd_ah, t.sd_ah) for m, t, _ in found]))
    if 2 * np.isfinite(less_ah).sum() <= less_ah.size:
        return None
    way = float(np.median([way for _, _, way in found]))
    return _ToTop(less_ah - np.nanmedian(less_ah), doubt_ah, way)


def _against_lows(
    lows: Sequence[Offsets], mids: Sequence[Offsets], log: Log, setup: Setup
) -> _Told | None:
    """From the low end of a discharge to the step of the charge that follows; only cells that
    surely hold less, for those that do not may have lost lithium.
    """
    told = [one for low in lows if (one := _against_low(low, mids, log, setup))]
    if not told:
        return None
    value, least, most = (
        np.array(each) for each in zip(*((t.value, t.low, t.high) for t in told), strict=True)
    )
    # where the cell has just left the plateau that it has is sure, how far it has gone is not; the
    # further it has, the less is known of either
    best = np.argmin(np.where(np.isfinite(most), most, np.inf), axis=0)[None]
    value, least, most = (np.take_along_axis(x, best, axis=0)[0] for x in (value, least, most))
    with np.errstate(invalid="ignore"):
        surely = most < -SURELY_SHARE * setup.capacity_ah
    return _Told(*(np.where(surely, x, np.nan) for x in (value, least, most)))


def _against_low(low: Offsets, mids: Sequence[Offsets], log: Log, setup: Setup) -> _Told | None:
    mid = next((mid for mid in mids if mid.time_s > low.time_s), None)
    way = _way(log, low, mid, setup) if mid else 0.0
    if mid is None or not LEAST_WAY < way < MOST_WAY:
        return None
    less_ah = low.offset_ah - mid.offset_ah
    # cells of one batch hold about alike: where many differ it is the curve's tail that is not
    # known
    usual_ah = nanmedian(less_ah[:, None])
    apart_ah = np.nan_to_num(1.4826 * nanmedian(np.abs(less_ah - usual_ah)[:, None]))
    open_ah = NINE_IN_TEN * np.hypot(mid.sd_ah, apart_ah)
    # a cell above the others is on the flat there, one beside them is none that is empty first
    with np.errstate(invalid="ignore"):
        below = low.high_ah < -SURELY_SHARE * setup.capacity_ah
    less_ah = np.where(below, less_ah, np.nan)
    down = np.hypot(low.offset_ah - low.low_ah, open_ah)
    up = np.hypot(low.high_ah - low.offset_ah, open_ah)
    return _Told(less_ah / way, (less_ah - down) / way, (less_ah + up) / way)


def _last_before(mids: Sequence[Offsets], top: Offsets) -> Offsets | None:
    before = [mid for mid in mids if 0.0 < top.time_s - mid.time_s < LONGEST_S]
    return before[-1] if before else None


def _way(log: Log, first: Offsets, last: Offsets, setup: Setup) -> float:
    """Charge counted from one to the other, of capacity; 0 where too long passes."""
    if last.time_s - first.time_s > LONGEST_S:
        return 0.0
    ah = np.interp([first.time_s, last.time_s], log.time_s, log.charge_ah)
    return float(ah[1] - ah[0]) / setup.capacity_ah


def tops_by_step(
    tops: list[Offsets], held: Capacities, mids: Sequence[Offsets], log: Log, setup: Setup
) -> list[Offsets]:
    """Tops with what the step of their charge says of the cells that they leave open."""
    if not mids:
        return tops
    either_ah = EITHER_AT_STEP * setup.capacity_ah
    with np.errstate(invalid="ignore"):
        charge = np.isfinite(held.deficit_ah) | (held.at_step_ah > -either_ah)
    least_ah = np.where(charge, -np.inf, -either_ah)
    untold = np.isnan(nanmedian(np.array([top.offset_ah for top in tops]))) if tops else charge
    with np.errstate(invalid="ignore"):
        if not _few(untold & (np.abs(held.at_step_ah) > 2.0 * either_ah)):
            return tops
    known = _of_one_batch(held, CAPACITY_SPREAD * setup.capacity_ah)
    out: list[Offsets] = []
    for top in tops:
        mid = _last_before(mids, top)
        way = _way(log, mid, top, setup) if mid else 0.0
        second = mid and _possible(_at_top(mid, known, way, least_ah), top, setup)
        out.append(helped(top, second, setup.capacity_ah) if second else top)
    return out


def _of_one_batch(held: Capacities, spread_ah: float) -> Capacities:
    """The same, each cell's as likely as one of a batch has it, where it may as well be usual."""
    sd_ah = np.nan_to_num(held.sd_ah, nan=np.inf)
    with np.errstate(invalid="ignore"):
        open_ = (held.low_ah <= 0.0) & (held.high_ah >= 0.0) | ~np.isfinite(held.deficit_ah)
    told = np.where(open_, 1.0 / (1.0 + (sd_ah / spread_ah) ** 2), 1.0)
    return replace(
        held,
        deficit_ah=told * np.nan_to_num(held.deficit_ah),
        sd_ah=np.minimum(sd_ah, spread_ah),
    )


def _possible(second: Second, top: Offsets, setup: Setup) -> Second:
    """Without cells said to be fuller than the one that was full first: of another make."""
    told = np.isfinite(top.offset_ah)
    fullest_ah = np.max(second.ah[told], initial=0.0, where=np.isfinite(second.ah[told]))
    with np.errstate(invalid="ignore"):
        beyond = ~told & (second.ah > fullest_ah + FULLEST_SHARE * setup.capacity_ah)
    return replace(second, ah=np.where(beyond, np.nan, second.ah))


def _at_top(mid: Offsets, held: Capacities, way: float, least_ah: Floats) -> Second:
    """What the step of a charge says of its top, so much further on."""
    way = min(max(way, 0.0), MOST_WAY)
    at_top = mid.offset_ah - way * np.nan_to_num(held.deficit_ah)
    return Second(at_top, np.hypot(mid.sd_ah, way * held.sd_ah), least_ah)
