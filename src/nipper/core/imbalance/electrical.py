"""Causes that show in voltage against current, or on the plateau: resistance, joints, leads, bias,
cold ends.
"""

from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from functools import partial

import numpy as np
from numpy.typing import NDArray

from nipper.core.imbalance.causes_base import (
    Cause,
    alike,
    has,
    names,
    sure,
)
from nipper.core.imbalance.estimate import Estimate
from nipper.core.imbalance.remedies import CAUTION
from nipper.core.imbalance.resistance import Resistances, Turn, loose_ohm, turn, unsteady
from nipper.core.imbalance.toldrange import told_range
from nipper.core.imbalance.weak import perhaps_weak
from nipper.core.setup import Setup

Floats = NDArray[np.floating]

EXCESS_SHARE = (
    0.28  # of the herd's resistance: healthy cells differ by some 5 to 10 % (common practice)
)
BLOCK_SHARE = 0.18  # each cell of a cold end at least this much above the herd
# where sensors tell of it too, the last cell of the end may stand half way
NEAR_SHARE = 0.11
MOST_UNLIKE = 3.5  # times the least of a cold end the most of it may have
SENSOR_SPAN_C = 5.0  # between temperature sensors before one speaks of a gradient (common practice)
PER_KELVIN = (
    0.036  # resistance against temperature near 15 degC for 25 kJ/mol: 25000 / (8.314 * 288^2)
)
JUMPS = 4  # steps under load of one cell alone, before resistance is said to come and go
SOUND_DAYS, SOUND_STEPS = 7.0, 60  # before a joint counts as mended
# of an excess; one that comes and goes widens its own deviation
SEEN_SDS, STEADY_SDS, PLAIN_SDS = 2.5, 5.0, 6.0
# a steady resistance scatters about as the other cells do (up to 1.9 where a coarse meter's steps
# fall badly); one that comes and goes, by its own size
WANDER, SOME_WANDER = 2.2, 2.0
# of its mean: up to 0.23 in resistive cells of four simulators, 0.29 and more in loose joints
UNSTEADY = 0.26
PERHAPS_LESS = 1.1  # of the threshold at most, where it may be capacity
PAIR_JUMPS = 5
WEAK_SDS = 4.0
# no charge shows the knee: so reads a cell on the other flat as well (from memory)
UNPROVEN_SURE = 0.7
NOT_AT_KNEE = (
    "A cell that lies on the other flat of the curve, a third of its charge from the others, reads "
    "so too: a meter at the poles tells, or a full charge, where a wrong reading rises with the "
    "others."
)
# of what the other readings scatter by on a sloped curve: one that does not stand out is none (a
# healthy 4.2 V pack was called ill; of 20 wrong readings none is lost)
SCATTER_TIMES = 3.0
BIAS_V = 0.006  # common practice: meters agree within some millivolts


def resistive(known: Estimate, setup: Setup) -> Iterator[Cause]:
    """Cells whose voltage follows the current more than the herd's: a cold end, a joint that comes
    and goes, or the cell itself. Less than the herd's, at one end: a warm one.
    """
    found, herd = known.resistances, known.resistances.herd_ohm
    if not herd > 0:
        return
    share, sd = found.excess_ohm / herd, found.sd_ohm / herd
    yield from _gradient(known, share, sd, "colder")
    # the rest against the warm end, as if that were the herd
    less = np.maximum(1.0 + share, 0.1)
    yield from _gradient(known, -share / less, sd / less**2, "warmer")
    for i in np.flatnonzero(_jumpy(known)):
        ratio = min(
            _loose_ohm(known, int(i)) / (EXCESS_SHARE * herd), known.signals.jumps[i] / JUMPS
        )
        if ratio > 0.6:
            yield _joint(known, int(i), float(ratio))
    more = (share > 0.6 * EXCESS_SHARE) & (share > SEEN_SDS * sd) & ~_jumpy(known)
    ratios = np.minimum(share / EXCESS_SHARE, share / np.maximum(PLAIN_SDS * sd, 1e-12))
    loose = np.array([bool(more[i]) and _comes_and_goes(known, i) for i in range(share.size)])
    perhaps, _ = perhaps_weak(known, setup)
    for i in np.flatnonzero(loose):
        wander = min(2.0, float(found.wander[i]) / WANDER)
        ratio = max(float(ratios[i]), wander)
        # one that holds less is on its low knee while the others are on the flat, and strays there
        yield _joint(known, int(i), min(ratio, PERHAPS_LESS) if i in perhaps else ratio)
    for cells in alike(np.flatnonzero(more & ~loose & (share > STEADY_SDS * sd)), share):
        yield _resistive_cells(known, ratios, cells)


def _jumpy(known: Estimate) -> NDArray[np.bool_]:
    """Cells whose reading jumps under load with no change of current, and no other's does, and
    whose resistance does not show as steady.
    """
    found, jumps = known.resistances, known.signals.jumps
    others = np.array([np.delete(jumps, i).max(initial=0) for i in range(jumps.size)])
    steady = [(unsteady(found, i) or UNSTEADY) < UNSTEADY for i in range(jumps.size)]
    return (jumps >= JUMPS) & (jumps > 4 * (1 + others)) & ~np.array(steady)


def _comes_and_goes(known: Estimate, i: int) -> bool:
    """Whether the resistance is there at some times and not at others; by the plain scatter where
    steps are too few to say. Over whole charges a weak cell strays as well, by its charge.
    """
    found, held = known.resistances, known.capacities
    if found.whole and np.abs(held.deficit_ah[i]) > WEAK_SDS * held.sd_ah[i]:
        return False
    varies, wander = unsteady(found, i), float(found.wander[i])
    return wander > WANDER if varies is None else varies > UNSTEADY and wander > SOME_WANDER


def end_block(share: Floats, sd: Floats, least: float = BLOCK_SHARE) -> NDArray[np.intp]:
    """The longest run of two or more cells from either end that all stand above the rest, by at
    least so much and about as much; empty when there is none.
    """
    high = (share > least) & (share > 4.0 * sd)
    best, read = np.empty(0, np.intp), np.flatnonzero(np.isfinite(share))
    for cells in (read, read[::-1]):
        run = _run(cells, high)
        if run.size:  # where it fades out the cells are the rest's
            run = _run(run, share > share[run].max() / MOST_UNLIKE)
        if run.size >= 2 and best.size < run.size <= 0.6 * read.size:
            best = np.sort(run)
    return best


def _run(cells: NDArray[np.intp], high: NDArray[np.bool_]) -> NDArray[np.intp]:
    """The first of these cells that are high without a gap."""
    return cells[: int(np.argmin(np.append(high[cells], False)))]


def _gradient(known: Estimate, share: Floats, sd: Floats, way: str) -> Iterator[Cause]:
    """One end of the string that is ``way`` than the rest, colder or warmer.

    ``share`` is what the colder side has above the other. Without two sensors only a cold end is
    told, by resistance alone: that a whole block is better than the herd has other reasons as well.
    """
    sensors = known.sensors_c
    block = end_block(share, sd, BLOCK_SHARE if sensors.size < 2 else NEAR_SHARE)
    if not block.size or (way == "warmer" and sensors.size < 2):
        return
    sign = -1.0 if way == "colder" else 1.0
    size = float(np.mean(share[block]))
    if sensors.size >= 2:
        here, there = (
            (sensors[0], np.median(sensors[1:]))
            if block[0] < share.size - 1 - block[-1]
            else (sensors[-1], np.median(sensors[:-1]))
        )
        value = float(here - there)
        if sign * value < 0.3 * SENSOR_SPAN_C:  # the sensors know of no such end: then it is none
            return
        ratio = min(abs(value) / SENSOR_SPAN_C, size / BLOCK_SHARE)
        basis = f"The sensors read {here:.0f} °C at that end and {there:.0f} °C elsewhere."
        width = 0.15 * abs(value) + 0.5
    else:
        value = sign * float(np.log1p(size)) / PER_KELVIN
        ratio = min(1.6, block.size / 2.5)
        basis = "There are not two sensors to say so; the size is from resistance alone."
        width = 0.3 * abs(value) + 1.0
    first, last = int(block[0]) + 1, int(block[-1]) + 1
    low, high = 100 * share[block].min(), 100 * share[block].max()
    yield Cause(
        cause="temperature_gradient",
        cells=tuple(int(i) + 1 for i in block),
        confidence=sure(ratio),
        quantity="temperature",
        value=value,
        low=value - width,
        high=value + width,
        unit="°C",
        summary=f"Cells {first} to {last} run {abs(value):.0f} °C {way} than the rest, and their "
        "resistance follows.",
        evidence=(
            f"They are {low:.0f} to {high:.0f} % above the herd in resistance, all at one end of"
            " the string."
            if way == "colder"
            else f"The rest is {low:.0f} to {high:.0f} % above them in resistance, and they are all"
            " at one end of the string.",
            basis,
        ),
        actions=GRADIENT_ACTIONS[way],
        confirm="With the pack evenly warm for a day, their resistance must be that of the others.",
        serious=value < -10.0,
    )


GRADIENT_ACTIONS = {
    "colder": (
        "Insulate or warm that end, or move the pack: charge and discharge limits must be set for"
        " the coldest cell.",
        "Put a temperature sensor on it: the cold cutoff must see the coldest cell.",
    ),
    "warmer": (
        "Find what warms that end (sun, an inverter, a busbar that gets hot) and keep it away:"
        " these cells age first.",
        "The cold cutoff must see the coldest cell: put its sensor at the other end.",
    ),
}


def _loose_ohm(known: Estimate, i: int) -> float:
    """What a joint has while it is loose: by its jumps, by the steps that fall into two kinds, or
    by the mean over all steps, which holds the times at which it was sound.
    """
    found, jump = known.resistances, float(np.nan_to_num(known.signals.jump_ohm[i]))
    return max(jump, 1.4 * float(found.excess_ohm[i]), loose_ohm(found, i) or 0.0)


def _joint(known: Estimate, i: int, ratio: float) -> Cause:
    found, cell, jumps = known.resistances, i + 1, int(known.signals.jumps[i])
    size = 1e3 * float(np.nan_to_num(known.signals.jump_ohm[i]))
    value = 1e3 * _loose_ohm(known, i)
    excess = max(1e3 * float(found.excess_ohm[i]), 0.5 * value)
    mended = _mended(found, i)
    if mended:
        value = max(size, 1e3 * mended.before_ohm)
        excess = min(value, 1e3 * mended.before_ohm)
    return Cause(
        cause="loose_joint",
        cells=(cell,),
        confidence=sure(ratio),
        quantity="resistance",
        value=value,
        low=0.8 * min(value, excess),
        high=1.5 * value,
        unit="mΩ",
        summary=f"A joint at cell {cell} was loose until {_day(mended)}: {value:.2f} mΩ."
        if mended
        else f"A joint at cell {cell} is loose: {value:.2f} mΩ come and go.",
        evidence=(
            f"Its reading jumped {jumps} times under load with no change of current, by "
            f"about {size:.2f} mΩ; the herd has {1e3 * found.herd_ohm:.2f} mΩ."
            if jumps >= JUMPS
            else f"Under current its voltage scatters {found.wander[i]:.1f} times as much as the "
            "other cells': sometimes the resistance is there, sometimes not.",
            f"Since {_day(mended)} it is within {1e3 * mended.left_ohm:.2f} mΩ of the "
            f"others, over {mended.after_steps} steps of current."
            if mended
            else "A cell's own resistance does not come and go within a minute.",
        ),
        actions=(
            "Nothing now: it is sound since. Check its torque with the others at the "
            "next occasion.",
            "To be sure, measure millivolts across both its joints at 50 A: sound ones "
            f"of 0.05 mΩ show 2.5 mV. {CAUTION}",
        )
        if mended
        else (
            f"Pack off and fused: undo, clean and retorque both bars of cell {cell}. {CAUTION}",
            "Then measure millivolts across each joint at 50 A: a sound one of 0.05 mΩ "
            f"shows 2.5 mV, this one showed {50 * value:.0f} mV.",
        ),
        confirm="After retorquing, steps of current must move this cell as the others.",
        serious=value > found.herd_ohm * 1e3 and mended is None,
        mended=mended is not None,
    )


def _mended(found: Resistances, i: int) -> Turn | None:
    """Since when a joint is sound for good: a week and many steps without anything left of it; None
    while it is not.
    """
    if found.whole:  # rows of a few cycles are not weeks of steps
        return None
    change = turn(found, i)
    if change is None or change.after_days < SOUND_DAYS or change.after_steps < SOUND_STEPS:
        return None
    left = abs(change.after_ohm)
    sound = left < 0.2 * change.before_ohm and left < max(
        3.0 * change.after_sd_ohm, 0.1 * found.herd_ohm
    )
    return change if sound else None


def _day(change: Turn) -> str:
    moment = datetime.fromtimestamp(change.time_s, UTC)
    return f"{moment.day} {moment:%b}"


def _resistive_cells(known: Estimate, ratios: Floats, cells: list[int]) -> Cause:
    found, warm = known.resistances, known.to_25_c
    # told between what a step shows at once and what a long load shows: in steps the slow part is
    # missing, in whole charges it is all there
    between, least, most = (0.85, 0.7, 1.2) if found.whole else (1.15, 0.8, 1.35)
    excess_mohm = 1e3 * float(np.mean(found.excess_ohm[cells]))
    value = between * warm * excess_mohm
    sd = 1e3 * warm * float(np.mean(found.sd_ohm[cells]))
    herd_mohm = 1e3 * found.herd_ohm
    at_25_c = "" if warm == 1.0 else f"; the size is given for 25 °C ({warm:.2f} of that)"
    many = len(cells) > 1
    return Cause(
        cause="high_resistance",
        cells=tuple(i + 1 for i in cells),
        confidence=sure(float(np.mean(ratios[cells]))),
        quantity="resistance",
        value=value,
        low=least * value - 2 * sd,
        high=most * value + 2 * sd,
        unit="mΩ",
        summary=f"{has(cells, 'has', 'have')} {value:.2f} mΩ more than the others.",
        evidence=(
            f"{found.basis}: {herd_mohm + excess_mohm:.2f} mΩ, the herd"
            f" {herd_mohm:.2f} mΩ{at_25_c}.",
            f"{'They dip on discharge, rise' if many else 'It dips on discharge, rises'} on charge "
            f"and {'are' if many else 'is'} level at rest; it does not come and go.",
        ),
        actions=(
            "First rule out the joints: measure millivolts across both bars of "
            f"{names(cells).lower()} at a known current, then across the cell's own poles.",
            f"If it is the cell, expect {50 * value:.0f} mV more at 50 A. Keep the charge "
            "target low enough that it does not trip, and plan to replace it.",
        ),
        confirm="The same at every state of charge and on every day; a joint would jump.",
        serious=value > 1.5 * herd_mohm,
        again=partial(_resistive_cells, known, ratios),
    )


def leads(known: Estimate, setup: Setup) -> Iterator[Cause]:
    """A loose sense lead between two cells: what one reads too much the other reads too little, in
    jumps.
    """
    pairs = known.signals.pair_jumps
    for i in np.flatnonzero(pairs >= 0.6 * PAIR_JUMPS):
        if pairs[i] <= 3 * int(np.delete(pairs, i).max(initial=0)):
            continue
        size = 1e3 * float(known.signals.pair_jump_v[i])
        yield Cause(
            cause="sense_lead",
            cells=(int(i) + 1, int(i) + 2),
            confidence=sure(min(2.5, float(pairs[i]) / PAIR_JUMPS)),
            quantity="bias",
            value=size,
            low=0.7 * size,
            high=1.35 * size,
            unit="mV",
            summary=f"The sense lead between cells {i + 1} and {i + 2} is loose: their readings "
            f"jump against each other by {size:.0f} mV.",
            evidence=(
                f"{int(pairs[i])} jumps, opposite and equal, with no change of current; "
                "their sum stays where it was.",
            ),
            actions=(
                f"Pack off: look at the tap between cells {i + 1} and {i + 2}, its ring, "
                f"crimp and plug. {CAUTION}",
                "Until then distrust trips and balancing of these two: the BMS acts on "
                "what it reads.",
            ),
            confirm="Move the lead gently while watching both readings.",
            serious=size > 30.0,
        )


def biased(known: Estimate, setup: Setup) -> Iterator[Cause]:
    """A reading wrong by the same amount at every state."""
    bias, sd = (np.nan_to_num(x) for x in (known.signals.bias_v, known.signals.bias_sd_v))
    seen, plain = np.abs(bias) > 0.6 * BIAS_V, np.abs(bias) > 2.0 * sd
    for some in (seen & plain, seen & ~plain):  # one that charge explains goes with none that is
        for cells in alike(np.flatnonzero(some), bias):
            yield _biased_cells(known, setup, cells)


def _biased_cells(known: Estimate, setup: Setup, cells: list[int]) -> Cause:
    bias_v, sd_v = known.signals.bias_v[cells], known.signals.bias_sd_v[cells]
    least_v = np.maximum(BIAS_V, 4.0 * sd_v)
    if not setup.flat:
        least_v = np.maximum(least_v, SCATTER_TIMES * _scatter_v(known, cells))
    ratios = np.abs(bias_v) / least_v
    value, width = 1e3 * float(np.mean(bias_v)), 1e3 * 2.0 * float(np.mean(sd_v))
    unproven = known.knee is not None and bool(known.knee.unproven[cells].any())
    low, high = value - width, value + width
    if not unproven:  # else some of it may be charge
        low, high = told_range("sense_bias", setup, value, (low, high))
    return Cause(
        cause="sense_bias",
        cells=tuple(i + 1 for i in cells),
        confidence=min(sure(float(np.mean(ratios))), UNPROVEN_SURE if unproven else 1.0),
        quantity="bias",
        value=value,
        low=low,
        high=high,
        unit="mV",
        summary=f"{has(cells, 'reads', 'read')} {abs(value):.0f} mV too "
        f"{'high' if value > 0 else 'low'}, always.",
        evidence=(*_bias_evidence(setup, value), *((NOT_AT_KNEE,) if unproven else ())),
        actions=(
            f"Measure {names(cells).lower()} at the poles with a trusted meter and compare with "
            "the BMS. Note by how much before calibrating anything.",
            "If it is the BMS, its limits there are off by that amount: set the targets with that"
            " room.",
        ),
        confirm="The meter at the poles reads as the neighbours do.",
        serious=abs(value) > 20.0,
        again=partial(_biased_cells, known, setup),
    )


def _scatter_v(known: Estimate, cells: list[int]) -> float:
    """What the other cells' readings scatter by, V: on a sloped curve half a per cent of charge
    looks like a wrong reading, and cells of any pack differ by that.
    """
    others = np.delete(known.signals.bias_v, cells)
    others = others[np.isfinite(others)]
    return 1.4826 * float(np.median(np.abs(others))) if others.size > 2 else 0.0


def _bias_evidence(setup: Setup, value_mv: float) -> tuple[str, ...]:
    fitted = "Charge, capacity and resistance were fitted beside it and do not explain it."
    if setup.flat:
        where = "On the plateau at small current, where 1 % of charge is under a millivolt,"
    else:
        where = "At currents up to 0.25C"
    stands = f"{where} it stands {value_mv:+.0f} mV off the others through all states of charge."
    return stands, fitted


JUDGES: tuple[Callable[[Estimate, Setup], Iterator[Cause]], ...] = (resistive, leads, biased)
