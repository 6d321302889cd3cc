"""Causes that show as charge: drift, standing offsets, and what the balancer does about them.

Those that show otherwise: ``electrical``, ``weak``.

Confidence is a logistic function of how far the size stands above its own uncertainty and above
what healthy packs show. The thresholds are of common practice and from the spread of healthy cells
(0 to 0.5 % a month between cells of one batch).
"""

from collections.abc import Callable, Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from nipper.core.chemistry import chemistry
from nipper.core.imbalance import electrical
from nipper.core.imbalance.causes_base import Cause, has, names, resistance_doubt_ah, sure
from nipper.core.imbalance.estimate import Estimate
from nipper.core.imbalance.fallen import fallen, falling
from nipper.core.imbalance.losing import losing
from nipper.core.imbalance.reach import for_one_cell_ah
from nipper.core.imbalance.remedies import CAUTION, level
from nipper.core.imbalance.toldrange import told_range
from nipper.core.imbalance.weak import weak
from nipper.core.logs.model import nanmedian
from nipper.core.setup import Setup

Floats = NDArray[np.floating]

OFFSET_PCT = 1.6  # of capacity: below it an offset is that of a healthy pack
# of capacity: how much further apart the cells must be at the end of the log than at its start
STARVED_PCT = 0.7
# of capacity: ordinary cells lose some hundredths a day, bad ones some tenths (from memory)
MOST_DRIFT_PCT_DAY = 0.3
FLAT_SHARE = 0.4  # of balancing hours on the flat part


def find_causes(known: Estimate, setup: Setup) -> list[Cause]:
    """All causes the estimates speak for, strongest first; what a better explanation covers is not
    named again.
    """
    return weigh(known, setup)[0]


def weigh(
    known: Estimate,
    setup: Setup,
    told: Callable[[Sequence[Cause]], list[Cause]] = list,
) -> tuple[list[Cause], list[tuple[Cause, Cause]]]:
    """The causes that stand, strongest first, and those that lost, each with the one that explains
    it better. ``told`` leaves those that such a log can tell.
    """
    found = told([cause for judge in JUDGES for cause in judge(known, setup)])
    found.sort(key=lambda c: -c.confidence)
    kept: list[Cause] = []
    lost: list[tuple[Cause, Cause]] = []
    for cause in found:
        explained = [(other, cells) for other in found if (cells := _explained(other, cause))]
        left = sorted(set(cause.cells).difference(*(cells for _, cells in explained)))
        if not explained:
            kept.append(cause)
        elif left and cause.again:
            kept.append(cause.again([cell - 1 for cell in left]))
        else:
            lost.append((cause, explained[0][0]))
    return sorted(kept, key=lambda c: -c.confidence), lost


def _explained(better: Cause, cause: Cause) -> set[int]:
    """The cells of a finding that another one explains away; where each could explain the other,
    the surer one does. All or none of a finding that cannot be told for some of its cells.
    """
    if better.cause not in OVERRULED.get(cause.cause, ()) or better.confidence <= 0.5:
        return set()
    pair = {found.cause: found for found in (cause, better)}
    either_way = cause.cause in OVERRULED.get(better.cause, ())
    if set(pair) == {"soc_offset", "sense_bias"}:
        of_charge = _charge_reads_so(pair["soc_offset"], pair["sense_bias"])
        if of_charge != (cause.cause == "sense_bias"):
            return set()
    elif either_way and better.confidence <= cause.confidence:
        return set()
    if better.cause in WHOLE_PACK or cause.cause in WHOLE_PACK:
        return set(cause.cells) or {0}  # of the pack as a whole, where it names no cell
    both = set(cause.cells) & set(better.cells)
    return both if cause.again or both == set(cause.cells) else set()


def _charge_reads_so(offset: Cause, bias: Cause) -> bool:
    """Whether a cell reads otherwise because it holds so much more or less: offsets are told with
    the wrong reading already taken off, so that a large one is no part of it.
    """
    alike = offset.value * bias.value > 0.0 and abs(offset.value) >= PLAIN_OFFSET_PCT
    return alike and abs(bias.value) <= PLATEAU_MV * abs(offset.value)


# a finding gives way to one of these on the same cells (or on the whole pack): the reading, or the
# balancer, explains it
OVERRULED = {
    "soc_offset": (
        "low_capacity",
        "sense_bias",
        "sense_lead",
        "self_discharge",
        "group_drain",
        "plateau_balancing",
        "balancer_starved",
    ),
    "self_discharge": (
        "sense_bias",
        "sense_lead",
        "group_drain",
        "plateau_balancing",
        "balancer_starved",
    ),
    "balancer_starved": ("plateau_balancing", "self_discharge", "group_drain"),
    "high_resistance": ("loose_joint", "temperature_gradient", "sense_lead"),
    "loose_joint": ("sense_lead", "temperature_gradient"),
    "sense_bias": ("sense_lead", "low_capacity", "soc_offset"),
    "low_capacity": ("sense_lead",),
}
SLOPED_SURE = 0.9  # a reading that is wrong looks nearly so: only a meter tells
PLAIN_OFFSET_PCT = 3.0  # of capacity: more than a proven wrong reading leaves
OPEN_TIMES = 4.0  # the near end of a range: its middle says nothing
PLATEAU_MV = 4.0  # a per cent: the most that published LFP curves rise by between the knees
WHOLE_PACK = ("plateau_balancing", "balancer_starved")


def standing(known: Estimate, setup: Setup) -> Iterator[Cause]:
    """Cells that stand at another charge and stay there: never levelled."""
    drift = known.drift
    offset = drift.last_ah
    if not np.isfinite(offset).any():
        return
    doubt = resistance_doubt_ah(known, setup)
    threshold = OFFSET_PCT / 100.0 * setup.capacity_ah
    low, high = drift.last_range_ah
    with np.errstate(invalid="ignore"):
        # sure of *some* offset is enough: on the flat of the curve how much may stay open on the
        # far side
        least = np.where(offset < 0, np.maximum(0.0, -high), np.maximum(0.0, low))
        least = np.maximum(0.0, least - 1.645 * doubt)
        # a lopsided interval: what is most likely is then at its near end
        size = np.maximum(np.abs(offset), np.abs(low + high) / 2.0)
        ratio = np.minimum(size / threshold, least / (0.45 * threshold))
    moves = _moving(known) | fallen(known, setup)
    ratio = np.where(moves, 0.0, np.nan_to_num(ratio))
    for sign in (-1, 1):
        mine = np.where(np.sign(offset) == sign, ratio, 0.0)
        # beside one that is plainly off none is named that may be
        cells = [int(i) for i in np.flatnonzero(mine > (1.0 if mine.max() > 1.0 else 0.6))]
        if cells:
            yield _standing(known, setup, cells, offset, (low, high), ratio)


def _moving(known: Estimate) -> NDArray[np.bool_]:
    """Cells whose own drift made more than half of the offset: they do not stand anywhere."""
    drift = known.drift
    with np.errstate(invalid="ignore"):
        real = np.abs(drift.ah_per_day) > 3.0 * drift.sd_ah_per_day
        return real & (np.abs(drift.ah_per_day) * drift.days > 0.5 * np.abs(drift.last_ah))


def _standing(
    known: Estimate,
    setup: Setup,
    cells: list[int],
    offset: Floats,
    between: tuple[Floats, Floats],
    ratio: Floats,
) -> Cause:
    pct = 100.0 / setup.capacity_ah
    mean = float(np.mean(offset[cells])) * pct
    low, high = (float(np.mean(end[cells])) * pct for end in between)
    drift = known.drift
    fell_ah = (np.abs(drift.ah_per_day) + 1.645 * drift.sd_ah_per_day)[cells] * drift.days
    still = bool(np.all(fell_ah < 0.5 * np.abs(offset[cells])))
    # on the flat: how far it is behind, and whether it still falls
    flat = mean < 0 and setup.flat
    hidden = bool(flat and (high - low > abs(mean) or (np.isfinite(fell_ah).all() and not still)))
    if not hidden:  # else the range says that nobody knows
        low, high = told_range("soc_offset", setup, mean, (low, high))
    stands = "; over the log it stands still" if still and not hidden else ""
    stands = (
        "; on the flat of the curve a cell that falls further looks alike" if hidden else stands
    )
    sure_ah = np.maximum(between[0], 0.0) if mean > 0 else np.minimum(between[1], 0.0)
    moves = [level(i + 1, float(offset[i]), float(sure_ah[i]), setup, known.end) for i in cells]
    rest = np.abs(np.delete(offset, cells))
    told = rest[np.isfinite(rest)]
    others = (
        f"The other cells lie within {pct * float(told.max()):.1f} %."
        if told.size
        else "The others are on the flat of the curve, where voltage does not tell them apart."
    )
    return Cause(
        cause="soc_offset",
        cells=tuple(i + 1 for i in cells),
        confidence=min(sure(float(np.max(ratio[cells]))), 1.0 if setup.flat else SLOPED_SURE),
        quantity="soc_offset",
        value=mean,
        low=low,
        high=high,
        unit="%",
        summary=_how_far(cells, (mean, low, high), hidden),
        evidence=(
            "; ".join(_stands_at(i, offset, between if hidden else None, pct) for i in cells)
            + f", read along the pack's own charge curve at {known.drift.time_s.size} full "
            f"charges{stands}.",
            others,
        ),
        actions=(*_meter_first(known, setup, cells), *(move.sentence for move in moves), CAUTION),
        moves=tuple(moves),
        confirm="After levelling, a full charge must show these cells among the others at the "
        "end of absorption."
        + (
            " Charge fully again three days later: one that is behind by then loses charge, and "
            "may short inside."
            if hidden
            else ""
        ),
        serious=abs(mean) > 3.0,
        again=lambda left: _standing(known, setup, left, offset, between, ratio),
    )


def _stands_at(i: int, offset: Floats, between: tuple[Floats, Floats] | None, pct: float) -> str:
    """One cell's offset, with its range where that is asked for."""
    stands = f"cell {i + 1}: {offset[i] * pct:+.1f} % ({offset[i]:+.1f} Ah)"
    if between is None:
        return stands
    low, high = (pct * float(end[i]) for end in between)
    return f"{stands}, between {low:+.1f} and {high:+.1f} %"


def _how_far(cells: list[int], pct: tuple[float, float, float], hidden: bool) -> str:
    """By how much these cells are fuller or emptier, with the ends where nobody knows how far."""
    mean, *ends = pct
    who, word = has(cells, "is", "are"), "fuller" if mean > 0 else "emptier"
    near, far = sorted(abs(end) for end in ends)
    if hidden and far > OPEN_TIMES * near:
        return (
            f"{who} {near:.1f} to {far:.0f} % {word} than the others; how far, and whether it "
            "still falls, is not seen."
        )
    if hidden:
        return (
            f"{who} {abs(mean):.1f} % {word} than the others; whether it still falls is not seen."
        )
    levelled = "was never levelled" if len(cells) == 1 else "were never levelled"
    return f"{who} {abs(mean):.1f} % {word} than the others and {levelled}."


def _meter_first(known: Estimate, setup: Setup, cells: list[int]) -> Iterator[str]:
    """Where a reading that is wrong looks nearly the same: who feeds a cell because its BMS reads
    too low drives it too high.
    """
    if not setup.flat:
        who = names(cells)
        yield (
            f"First hold a trusted meter to the poles of {who[0].lower()}{who[1:]}, at rest: where "
            "it does not read as the BMS does, the reading is wrong and nothing is to be levelled."
        )
        return
    apart_v = known.knee.apart_v if known.knee else np.zeros(setup.cells)
    for i in cells:
        if apart_v[i] != 0.0:
            yield (
                f"First hold a trusted meter to the poles of cell {i + 1}, at rest: on the plateau "
                f"it reads {1e3 * apart_v[i]:+.0f} mV beside the others, as a cell on the "
                "other flat of the curve does, and one that is read wrongly and a little off. "
                "Where the meter does not read so, move no more than what is sure."
            )
        elif known.knee and known.knee.doubted[i]:
            yield (
                f"First hold a trusted meter to the poles of cell {i + 1}, at rest: at the knee it "
                "does not rise as a cell that is read rightly would, so its reading may be wrong "
                "and the cell further behind than it looks. Where the meter does not read as the "
                "BMS does, move no more than what is sure."
            )


def chasing(known: Estimate, setup: Setup) -> Iterator[Cause]:
    """Balancing on the flat part of the curve follows resistance and noise, and makes the top
    worse.
    """
    use, balancer = known.balancer, setup.leveller
    if (
        balancer is None
        or use.ran_h is None
        or not use.flat_h
        or use.ran_h < 10.0
        or use.moved_ah is None
    ):
        return
    share = use.flat_h / use.ran_h
    moved_pct = 100.0 * use.moved_ah / setup.capacity_ah
    if share < FLAT_SHARE / 2 or moved_pct < 1.0:
        return
    offset = known.drift.last_ah
    worst = [
        int(i) for i in np.flatnonzero(np.abs(np.nan_to_num(offset)) > 0.008 * setup.capacity_ah)
    ]
    value = 1e3 * use.moved_ah / max(use.days, 1e-6)
    spread = (
        100.0 * float(np.nanmax(offset) - np.nanmin(offset)) / setup.capacity_ah
        if np.isfinite(offset).any()
        else float("nan")
    )
    yield Cause(
        cause="plateau_balancing",
        cells=tuple(i + 1 for i in worst),
        confidence=sure(min(2.5, share / FLAT_SHARE * min(1.5, moved_pct / 5.0))),
        quantity="drift",
        value=value,
        low=0.3 * value,
        high=1.5 * value,
        unit="mAh/day",
        summary=f"The balancer ran {share:.0%} of its {use.ran_h:.0f} hours on the flat part of "
        "the curve, where it follows noise.",
        evidence=(
            f"It starts at {balancer.start_v:.2f} V and moved {use.moved_ah:.0f} Ah out "
            f"of the busiest cell in {use.days:.0f} days.",
            f"At the top the cells now stand {spread:.1f} % of charge apart.",
        ),
        actions=(
            f"Raise the start to the knee ({_knee(setup):.2f} V) and keep the trigger at "
            "10 mV: below it a few mV are many % of charge.",
        ),
        confirm="After a week at the new start the deviation at the end of absorption must "
        "shrink from charge to charge.",
        serious=spread > 2.0,
    )


def starved(known: Estimate, setup: Setup) -> Iterator[Cause]:
    """The cells drift apart, many of them, faster than the balancer brings them together."""
    drift, use, balancer = known.drift, known.balancer, setup.leveller
    if (
        balancer is None
        or drift.elsewhere
        or drift.time_s.size < 6
        or drift.days < 10.0
        or not np.isfinite(drift.ah_per_day).any()
    ):
        return
    part = max(2, drift.time_s.size // 8)
    first, last = nanmedian(drift.offset_ah[:part]), nanmedian(drift.offset_ah[-part:])
    untold = np.isfinite(first) & ~np.isfinite(last)
    if (np.isfinite(first) & np.isfinite(last)).sum() < 3:
        return
    # cells left on the flat by those that are full: no fuller than the herd, how much emptier is
    # open
    first, last = np.where(np.isfinite(last) | untold, first, np.nan), np.where(untold, 0.0, last)
    days = drift.days * (1.0 - 1.0 / 8.0)
    growth_ah = _span(last) - _span(first)
    # without the worst cell it must still grow: one stray alone is that cell's fault, not the
    # balancer's
    worst = int(np.nanargmax(np.abs(last - first)))
    others = _span(np.delete(last, worst)) - _span(np.delete(first, worst))
    sd = float(np.nanmedian(drift.last_sd_ah))
    share = max(others / growth_ah if growth_ah > 0 else 0.0, _shared(drift.ah_per_day))
    ratio = min(
        100.0 * growth_ah / setup.capacity_ah / STARVED_PCT, growth_ah / (4.0 * sd), share / 0.5
    )
    value = 1e3 * growth_ah / days
    if ratio < 0.6 or value > 10.0 * MOST_DRIFT_PCT_DAY * setup.capacity_ah:
        return  # so much is no drift of ordinary cells: a reading, or a charge read amiss
    falls = untold & (np.nan_to_num(drift.ah_per_day) < 0.0)
    behind = [int(i) for i in np.flatnonzero((last < -0.003 * setup.capacity_ah) | falls)]
    can = 1e3 * for_one_cell_ah(balancer, setup.cells, use.allowed_h, True) / max(use.days, 1e-6)
    ran = f", and ran {use.ran_h:.1f} h" if use.ran_h is not None else ""
    yield Cause(
        cause="balancer_starved",
        cells=tuple(i + 1 for i in behind),
        confidence=sure(ratio),
        quantity="shortfall",
        value=value,
        low=0.5 * value,
        high=1.4 * value,
        unit="mAh/day",
        summary=f"The balancer cannot keep up: the cells drift apart by {value:.0f} mAh a day.",
        evidence=(
            f"Fullest and emptiest cell stood {_span(first):.1f} Ah apart at the first "
            f"charges and {_span(last):.1f} Ah at the last, {drift.days:.0f} days later.",
            f"It starts at {balancer.start_v:.2f} V; in its permitted phase it could run "
            f"{use.allowed_h:.1f} h in {use.days:.0f} days{ran}: at most {can:.0f} mAh a "
            "day.",
        ),
        actions=(
            f"Give it time at the top: start it at the knee ({_knee(setup):.2f} V), hold "
            "absorption longer, let it run whenever a cell is above the start.",
            "Level once by hand or by a long hold, then see whether the longer time keeps it.",
        ),
        confirm="After two weeks with more time at the top, the deviation at the end of "
        "absorption must shrink.",
        serious=bool(_span(last) > 0.03 * setup.capacity_ah),
    )


def _span(values: Floats) -> float:
    """From the lowest to the highest of what is known."""
    return float(np.nanmax(values) - np.nanmin(values))


def _shared(ah_per_day: Floats) -> float:
    """How much of the spread of drifts is left without the cell that drifts most: next to nothing
    where one cell alone strays.
    """
    known = ah_per_day[np.isfinite(ah_per_day)]
    if known.size < 4:
        return 0.0
    without = np.delete(known, int(np.argmax(np.abs(known))))
    return float(np.ptp(without) / max(np.ptp(known), 1e-9))


def _knee(setup: Setup) -> float:
    return chemistry(setup.chemistry).usual["balance_start_v"].value


JUDGES: tuple[Callable[[Estimate, Setup], Iterator[Cause]], ...] = (
    losing,
    falling,
    standing,
    chasing,
    starved,
    *electrical.JUDGES,
    weak,
)
