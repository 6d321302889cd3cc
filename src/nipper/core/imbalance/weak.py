"""Cells that hold less: level at the top, empty first; or full first and empty first."""

from collections.abc import Iterator
from functools import partial

import numpy as np
from numpy.typing import NDArray

from nipper.core.imbalance.capacity import LOW_PCT
from nipper.core.imbalance.causes_base import Cause, alike, has, names, resistance_doubt_ah, sure
from nipper.core.imbalance.estimate import Estimate
from nipper.core.imbalance.remedies import CAUTION
from nipper.core.imbalance.toldrange import told_range
from nipper.core.setup import Setup

Floats = NDArray[np.floating]

CAPACITY_PCT = 4.0  # cells of one batch differ by 1 to 3 %
WEAK_PCT = 8.0  # a cell so much weaker matters in any use: common practice
SIZE_SHARE = 0.16  # of a deficit: so much wider the range that is told
CURVE_PCT = 0.8  # what two cells' curves leave open of a capacity
SURELY = 0.45  # of a threshold: what the near end of an interval must reach as well
# of what one cell of a group that is not connected makes of its resistance
LEAST_OFF, MOST_OFF = 0.5, 2.0
BY_TOP_SURE, BY_LOW_SURE, UNLIKE_SURE = 0.75, 0.85, 0.6
OFF_SDS = 3.0


def weak(known: Estimate, setup: Setup) -> Iterator[Cause]:
    """A cell that holds less: level at the top, empty first."""
    pct = 100.0 * known.capacities.deficit_ah / setup.capacity_ah
    seen = np.nan_to_num(pct) < -0.6 * CAPACITY_PCT
    with np.errstate(invalid="ignore"):
        plain = _weakness(known, setup) > 1.0
    for some in (seen & plain, seen & ~plain):  # one that may be weak goes with none that is
        for cells in alike(np.flatnonzero(some), pct):
            yield _weak_cells(known, setup, cells)


def unseen_capacity_pct(known: Estimate, setup: Setup) -> float:
    """How much less than the others a cell may hold and not be found in this log, %."""
    held = known.capacities
    open_pct = 100.0 / setup.capacity_ah * (held.high_ah - held.deficit_ah)
    told = np.isfinite(open_pct)
    if 2 * told.sum() > told.size:
        doubt_pct = float(np.hypot(np.median(open_pct[told]), CURVE_PCT))
        return CAPACITY_PCT * max(1.0, SURELY + doubt_pct / CAPACITY_PCT)
    # it would have come to its own low end, however far the others were from theirs
    return max(CAPACITY_PCT, (held.deepest_pct - LOW_PCT) / (1.0 - LOW_PCT / 100.0))


def _weakness(known: Estimate, setup: Setup) -> Floats:
    """How far each cell's deficit is above its threshold, beyond doubt; float64[cells]."""
    pct, high_pct = (
        100.0 / setup.capacity_ah * x
        for x in (known.capacities.deficit_ah, known.capacities.high_ah)
    )
    # sure of *some* deficit is enough: where the others are on the flat how much may stay open
    resistive_pct = 100.0 / setup.capacity_ah * resistance_doubt_ah(known, setup)
    doubt_pct = np.hypot(np.hypot(high_pct - pct, CURVE_PCT), resistive_pct)
    surely_pct = doubt_pct + pct
    return np.minimum(-pct, -surely_pct / SURELY) / CAPACITY_PCT


def perhaps_weak(known: Estimate, setup: Setup) -> tuple[list[int], float]:
    """Cells (indices) that most likely hold less than the others, and not surely; and how much less
    the worst of them may hold, %.
    """
    pct = 100.0 / setup.capacity_ah * known.capacities.deficit_ah
    with np.errstate(invalid="ignore"):
        cells = np.flatnonzero((pct < -CAPACITY_PCT) & (_weakness(known, setup) <= 1.0))
    down_pct = pct[cells] - 100.0 / setup.capacity_ah * known.capacities.low_ah[cells]
    most_pct = np.hypot(down_pct, SIZE_SHARE * pct[cells]) - pct[cells]
    return [int(i) for i in cells], float(np.max(most_pct, initial=0.0))


def _weak_cells(known: Estimate, setup: Setup, cells: list[int]) -> Cause:
    per_pct, held = 100.0 / setup.capacity_ah, known.capacities
    pct, low_pct, high_pct = (
        per_pct * x[cells] for x in (held.deficit_ah, held.low_ah, held.high_ah)
    )
    ratio = float(np.mean(_weakness(known, setup)[cells]))
    less = -float(np.mean(pct))
    value = 100.0 - less
    low = value - float(np.hypot(np.mean(pct - low_pct), SIZE_SHARE * less))
    high = value + float(np.hypot(np.mean(high_pct - pct), SIZE_SHARE * less))
    if _most_sure(known, cells) == 1.0:  # else it goes from one kind of loss to another
        low, high = told_range("low_capacity", setup, value, (low, high))
    weakest = cells[int(np.argmin(pct))]
    one_off = [i for i in cells if _as_if_one_were_off(known, setup, i)]
    return Cause(
        cause="low_capacity",
        cells=tuple(i + 1 for i in cells),
        confidence=min(sure(ratio), _most_sure(known, cells)),
        quantity="capacity",
        value=value,
        low=low,
        high=high,
        unit="%",
        summary=f"{has(cells, 'holds', 'hold')} {less:.0f} % less than the others.",
        evidence=(
            *_told_by(known, cells),
            *_of_groups(known, setup, one_off),
        ),
        actions=(
            *_look_at_labels(known, cells),
            *_look_for_it(setup, one_off),
            f"The pack's usable capacity is that of cell {weakest + 1}: "
            f"{setup.capacity_ah * (100.0 + float(np.min(pct))) / 100:.0f} Ah. Levelling does not"
            " bring it back.",
            "Set the low limit for it, not for the average; replace it with one of the same make,"
            " age and capacity if it matters.",
        ),
        confirm="A full discharge at modest current from a level top must end at "
        f"{names(cells).lower()} again.",
        serious=less > WEAK_PCT,
        again=partial(_weak_cells, known, setup),
    )


def _most_sure(known: Estimate, cells: list[int]) -> float:
    """How sure it can be at most: a cell of another make has its step elsewhere, and without a
    discharge to the low end nothing tells it from one that holds less.
    """
    held = known.capacities
    told = held.by_step[cells]
    if held.unlike[cells].any():
        return UNLIKE_SURE
    if not told.any():
        return 1.0
    return BY_TOP_SURE if np.any(told & np.isnan(held.low_offset_ah[cells])) else BY_LOW_SURE


def _told_by(known: Estimate, cells: list[int]) -> Iterator[str]:
    """Where these cells stood at two places."""
    held, deep = known.capacities, known.capacities.discharges
    by_step = [i for i in cells if held.by_step[i]]
    plain = [i for i in cells if i not in by_step]
    for i in by_step:
        yield _by_step(known, i)
    if plain:
        lows = "; ".join(
            f"at the end of the discharge cell {i + 1} had {-held.low_offset_ah[i]:.1f} Ah less "
            f"than the median cell, at the top it was {known.drift.last_ah[i]:+.1f} Ah off"
            for i in plain
        )
        unlike = [i for i in plain if held.unlike[i]]
        at_both = f"{lows[:1].upper()}{lows[1:]}"
        if unlike:
            yield f"{at_both}: the difference is capacity, if all cells are of one make."
            yield (
                f"{has(unlike, 'takes', 'take')} the step in the middle of the plateau as cells of "
                "another make do."
            )
        else:
            yield f"{at_both}: the difference is capacity."
        yield f"From {deep} discharge{'s' if deep != 1 else ''} held against a full charge."


def _look_at_labels(known: Estimate, cells: list[int]) -> Iterator[str]:
    """What to do first where the step of the plateau speaks, which is another make's own."""
    held = known.capacities
    if doubted := [i for i in cells if held.unlike[i] or held.by_step[i]]:
        yield (
            f"Look at the labels of {names(doubted).lower()} first: one of another make may stand "
            "apart so and hold as much; a capacity test of one of them tells."
        )


def _by_step(known: Estimate, cell: int) -> str:
    """A cell that is told by the step of the plateau and one of the ends."""
    held = known.capacities
    at_step = (
        f"Where charges pass the step in the middle of the plateau cell {cell + 1} was "
        f"{held.at_step_ah[cell]:+.1f} Ah off the median cell"
    )
    low_ah, top_ah = held.low_offset_ah[cell], known.drift.last_ah[cell]
    if np.isfinite(low_ah):
        return (
            f"{at_step}, at the low end {low_ah:+.1f} Ah: the difference is capacity, if all cells "
            "are of one make."
        )
    return (
        f"{at_step}, at the top {top_ah:+.1f} Ah: it holds less, if all cells are of one make. How "
        "much is open between a cell that is smaller and one that has lost lithium: a discharge to "
        "the low end tells."
    )


def _look_for_it(setup: Setup, groups: list[int]) -> Iterator[str]:
    """What to do first where a cell of these groups may not be connected."""
    if not groups:
        return
    yield (
        f"{names(groups)}: first look for one of the {setup.cells_in_parallel} in parallel that is "
        "not connected: at a known current hold a clamp meter around each one's link. One that "
        "carries nothing is off, or dead."
    )
    # across some milliohms that makes some amperes (common practice)
    yield (
        "Join it again only once it stands within 10 mV of the others: between cells in parallel "
        "nothing but their resistance limits the current. " + CAUTION
    )


def _as_if_one_were_off(known: Estimate, setup: Setup, cell: int) -> bool:
    """Whether a group of cells in parallel lacks as much capacity, and has as much more resistance,
    as if one of them were not connected.
    """
    others = setup.cells_in_parallel - 1
    found, held = known.resistances, known.capacities
    if others < 1 or not found.herd_ohm > 0:
        return False
    lacks_ah = -setup.capacity_ah / (others + 1)
    less = SIZE_SHARE * lacks_ah
    holds = held.low_ah[cell] + less < lacks_ah < held.high_ah[cell] - less
    times = found.excess_ohm[cell] / found.herd_ohm * others
    plain = found.excess_ohm[cell] > OFF_SDS * found.sd_ohm[cell]
    return bool(holds and plain and LEAST_OFF < times < MOST_OFF)


def _of_groups(known: Estimate, setup: Setup, cells: list[int]) -> Iterator[str]:
    """What one cell missing in each of these groups would make of it."""
    size = setup.cells_in_parallel
    for i in cells:
        has_pct = 100.0 * known.resistances.excess_ohm[i] / known.resistances.herd_ohm
        yield (
            f"Cell {i + 1} is a group of {size} in parallel: with one of them not connected it "
            f"would hold {100.0 * (size - 1) / size:.0f} % and have {100.0 / (size - 1):.0f} % more"
            f" resistance than the others; it has {has_pct:.0f} % more."
        )
