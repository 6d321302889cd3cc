"""Cells that lose charge by themselves, alone or as a block that something feeds on."""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray

from nipper.core.imbalance.causes_base import Cause, alike, has, names, sure
from nipper.core.imbalance.drift import Drift
from nipper.core.imbalance.estimate import Estimate
from nipper.core.imbalance.fallen import SHORTS_PCT_DAY, fallen, short_inside
from nipper.core.imbalance.remedies import CAUTION, Move, level
from nipper.core.imbalance.toldrange import told_range
from nipper.core.logs.model import Floats
from nipper.core.setup import Setup

# of capacity a month against the median: healthy cells of one batch usually stay within it (common
# practice)
DRIFT_PCT_MONTH = 0.12
TELLS_PCT_MONTH = 1.0  # of capacity: a leak that is worth knowing (common practice)
DRIFT_TOTAL_PCT = 0.25  # of capacity over the log: less cannot be seen at the knee
# of a block's drift at the tops, one standard deviation: how far sizes are off on packs of other
# simulators
BLOCK_SHARE = 0.07


def losing(known: Estimate, setup: Setup) -> Iterator[Cause]:
    """Cells that drift down by themselves: one is self-discharge, a block of neighbours is
    electronics that feed on them.
    """
    drift = known.drift
    if not np.isfinite(drift.ah_per_day).any():
        return
    mah, sd = 1e3 * _against_the_rest(drift.ah_per_day), 1e3 * drift.sd_ah_per_day
    spread = _spread(mah)
    usual = max(spread, DRIFT_PCT_MONTH / 100 / 30.4 * setup.capacity_ah * 1e3)
    total_pct = 0.1 * np.abs(mah) * drift.days / setup.capacity_ah
    with np.errstate(invalid="ignore"):
        ratio = np.minimum.reduce(
            [-mah / (3.0 * sd), -mah / (3.0 * usual), np.sign(-mah) * total_pct / DRIFT_TOTAL_PCT]
        )
    ratio = np.where(fallen(known, setup), 0.0, np.nan_to_num(ratio))
    losers = np.flatnonzero(ratio > 0.6)
    blocks = _blocks(losers, mah)
    groups = [b for b in blocks if 3 <= len(b) <= setup.cells * 0.6]
    for block in groups:
        yield _group(known, setup, block, mah, sd, ratio)
    alone = np.setdiff1d(
        np.concatenate([*blocks, losers[:0]]), np.concatenate([*groups, losers[:0]])
    )
    for cells in alike(alone, mah):
        yield _leaking(known, setup, _Losses(mah, sd, ratio, spread), cells)


def _spread(mah: Floats) -> float:
    """How much those that keep their charge differ, mAh a day."""
    keepers = np.abs(mah[np.abs(mah) <= np.nanquantile(np.abs(mah), 0.5)])
    return min(
        1.4826 * float(np.nanmedian(np.abs(mah - np.nanmedian(mah)))),
        3.0 * float(np.nanmedian(keepers)) + 1e-6,
    )


def unseen_mah_per_day(known: Estimate, setup: Setup) -> float | None:
    """The leak that would just have been found in this log, mAh a day; None where no drift of most
    cells could be read.
    """
    drift = known.drift
    if not drift.tells or drift.days <= 0:
        return None
    mah = 1e3 * _against_the_rest(drift.ah_per_day)
    usual = max(_spread(mah), DRIFT_PCT_MONTH / 100 / 30.4 * setup.capacity_ah * 1e3)
    total = DRIFT_TOTAL_PCT / 100 * setup.capacity_ah * 1e3 / drift.days
    return max(3.0 * 1e3 * float(np.nanmedian(drift.sd_ah_per_day)), 3.0 * usual, total)


def worth_mah_per_day(setup: Setup) -> float:
    """The least leak that is worth knowing, mAh a day."""
    return TELLS_PCT_MONTH / 100 / 30.4 * setup.capacity_ah * 1e3


def _against_the_rest(ah_per_day: Floats) -> Floats:
    """Drift against those that keep their charge: where up to six tenths of the cells lose
    together, the median lies among or between them.
    """
    known = np.sort(ah_per_day[np.isfinite(ah_per_day)])
    if known.size < 4:
        return ah_per_day
    gaps = np.diff(known)
    split = int(np.argmax(gaps)) + 1
    losers, rest = known[:split], known[split:]
    apart = gaps[split - 1] > max(np.ptp(losers), np.ptp(rest))
    if not apart or losers.size < 2 or losers.size > 0.6 * known.size:
        return ah_per_day
    return ah_per_day - float(np.median(rest))


def _blocks(cells: NDArray[np.intp], mah: Floats) -> list[NDArray[np.intp]]:
    """Runs of neighbours that lose about alike.

    A neighbour less sure than the rest, between or beside them, belongs to the run too.
    """
    if not cells.size:
        return []
    usual = float(np.median(mah[cells]))
    alike = np.flatnonzero(np.nan_to_num(mah) < 0.35 * usual)
    out: list[NDArray[np.intp]] = []
    for run in np.split(alike, np.flatnonzero(np.diff(alike) > 1) + 1):
        sure_ones = np.intersect1d(run, cells)
        together = (
            run.size >= 3
            and sure_ones.size >= 0.6 * run.size
            and np.abs(mah[run] / np.median(mah[run]) - 1.0).max() < 0.75
        )
        out += [run] if together else [np.array([i]) for i in sure_ones]
    return out


@dataclass(frozen=True, eq=False, slots=True)
class _Losses:
    """Drift of all cells, mAh a day, its deviation, how far above the threshold, and the usual."""

    mah: Floats
    sd: Floats
    ratio: Floats
    spread: float


def _leaking(known: Estimate, setup: Setup, losses: _Losses, cells: list[int]) -> Cause:
    drift, mah, days = known.drift, losses.mah, 14
    value = float(np.mean(mah[cells]))
    width = 1.645 * float(np.hypot(np.mean(losses.sd[cells]), drift.scale_share * value))
    further = 1e3 * float(np.mean(drift.further_ah_per_day[cells]))
    low, high = value - float(np.hypot(width, further)), value + width
    if drift.place == "top":
        low, high = told_range("self_discharge", setup, value, (low, high))
    part = (
        " after taking out what the balancer moved" if drift.moved_known and setup.leveller else ""
    )
    ends_ah = drift.start_ah, drift.moved_on_ah if drift.elsewhere else drift.last_ah
    start, last = (100.0 / setup.capacity_ah * end for end in ends_ah)
    fell = "; ".join(f"cell {i + 1} from {start[i]:+.1f} % to {last[i]:+.1f} %" for i in cells)
    others = np.delete(mah, cells)
    missing_ah = np.maximum(0.0, -np.nan_to_num(drift.last_ah[cells]))
    moves = tuple(_fed(known, setup, cells))
    a_week = " and ".join(f"{-7 * mah[i] / 1e3:.2f} Ah" for i in cells)
    return Cause(
        cause="self_discharge",
        cells=tuple(i + 1 for i in cells),
        confidence=sure(float(np.mean(losses.ratio[cells]))),
        quantity="drift",
        value=value,
        low=low,
        high=high,
        unit="mAh/day",
        summary=f"{has(cells, 'loses', 'lose')} {-value:.0f} mAh a day against the others.",
        evidence=(
            _fell(drift, fell),
            f"The slope is {value:.0f} mAh/day (90 %: {low:.0f} to {high:.0f}){part}.",
            f"The other cells lie within {np.nanmin(others):+.0f} to "
            f"{np.nanmax(others):+.0f} mAh/day, usually {losses.spread:.1f}.",
        ),
        actions=(
            *_fast(setup, value, cells),
            *(move.sentence for move in moves),
            f"Until replaced, level at least {a_week} a week. " + CAUTION,
        ),
        moves=moves,
        confirm=f"Leave the pack disconnected at rest for {days} days: expect "
        f"{days * value / 1e3:.2f} Ah on {names(cells).lower()} alone.",
        serious=total_loss_serious(value, setup)
        or bool(np.max(missing_ah) > 0.02 * setup.capacity_ah),
        again=partial(_leaking, known, setup, losses),
    )


def _fell(drift: Drift, fell: str) -> str:
    """``fell`` says of each cell from where to where."""
    number, days = drift.line_s.size, drift.days
    match drift.place:
        case "low end":
            return (
                f"Charge left at the low end fell against the median, {fell} of capacity, over"
                f" {number} discharges in {days:.0f} days; the ends of the charges do not tell."
            )
        case "step":
            return (
                "At the step in the middle of the plateau charge fell against the median,"
                f" {fell} of capacity, over {number} charges in {days:.0f} days; their ends do not"
                " tell."
            )
        case "top":
            return (
                f"Charge fell against the median, {fell} of capacity, over {number} full charges"
                f" in {days:.0f} days."
            )


def _fast(setup: Setup, mah_per_day: float, cells: list[int]) -> tuple[str, ...]:
    """A word more where a cell loses what no ordinary one does."""
    fast = -mah_per_day > 10.0 * SHORTS_PCT_DAY * setup.capacity_ah
    return tuple(short_inside(names([cell])) for cell in cells) if fast else ()


def _fed(known: Estimate, setup: Setup, cells: list[int]) -> Iterator[Move]:
    """What each of these cells is to be given now, as far as any of it is sure."""
    drift, least_ah = known.drift, 0.002 * setup.capacity_ah
    for i in cells:
        missing_ah = -float(np.nan_to_num(drift.last_ah[i]))
        sure_ah = min(0.0, float(np.nan_to_num(drift.last_range_ah[1][i])))
        if missing_ah > least_ah and -sure_ah > least_ah:
            yield level(i + 1, -missing_ah, sure_ah, setup, known.end)


def total_loss_serious(mah_per_day: float, setup: Setup) -> bool:
    """More than 0.5 % of capacity a month: beyond what healthy cells of one batch differ by."""
    return -mah_per_day * 30.4 / 1e3 > 0.005 * setup.capacity_ah


def _group(
    known: Estimate, setup: Setup, block: NDArray[np.intp], mah: Floats, sd: Floats, ratio: Floats
) -> Cause:
    rest = np.setdiff1d(np.arange(setup.cells), block)
    value = float(np.median(mah[block]) - np.nanmedian(mah[rest]))
    # what all cells of the block share does not average out among them
    scatter = float(np.std(mah[block])) / np.sqrt(block.size)
    open_ = known.drift.scale_share
    share = open_ if known.drift.place == "low end" else min(BLOCK_SHARE, open_)
    error = 1.645 * float(np.hypot(np.hypot(np.median(sd[block]), scatter), share * value))
    further = 1e3 * float(np.median(known.drift.further_ah_per_day[block]))
    low, high = value - float(np.hypot(error, further)), value + error
    if known.drift.place == "top":
        low, high = told_range("group_drain", setup, value, (low, high))
    first, last = int(block[0]) + 1, int(block[-1]) + 1
    return Cause(
        cause="group_drain",
        cells=tuple(int(i) + 1 for i in block),
        confidence=sure(float(np.median(ratio[block]))),
        quantity="drift",
        value=value,
        low=low,
        high=high,
        unit="mAh/day",
        summary=f"Cells {first} to {last} lose {-value:.0f} mAh a day together: something feeds "
        "on that part of the string.",
        evidence=(
            f"These {block.size} neighbours lose {-mah[block].max():.0f} to "
            f"{-mah[block].min():.0f} mAh/day; the other cells "
            f"{np.nanmin(mah[rest]):+.0f} to {np.nanmax(mah[rest]):+.0f}.",
            "Cells that fail by themselves do not fail side by side and alike; electronics do.",
        ),
        actions=(
            "Look for what is fed from a tap in the string: a part of the BMS, a "
            "display, a relay, a balancer lead. Measure its current.",
            "Swap the BMS with another pack's and compare a full charge: a pattern that "
            "goes with the BMS is the BMS's. " + CAUTION,
        ),
        confirm="With the BMS unplugged the block must stand still against the rest over two "
        "weeks.",
        serious=True,
    )
