"""Causes that show in voltage against current, on the plateau, or at the low knee: resistance,
joints, leads, bias, capacity, cold ends.
"""

from collections.abc import Callable, Iterator
from datetime import UTC, datetime

import numpy as np
from numpy.typing import NDArray

from nipper.core.imbalance.causes_base import Cause, sure
from nipper.core.imbalance.estimate import Estimate
from nipper.core.imbalance.remedies import CAUTION
from nipper.core.imbalance.resistance import Resistances, Turn, loose_ohm, turn
from nipper.core.setup import Setup

Floats = NDArray[np.floating]

EXCESS_SHARE = (
    0.28  # of the herd's resistance: healthy cells differ by some 5 to 10 % (common practice)
)
BLOCK_SHARE = 0.18  # each cell of a cold end at least this much above the herd
SENSOR_SPAN_C = 5.0  # between temperature sensors before one speaks of a gradient (common practice)
PER_KELVIN = (
    0.036  # resistance against temperature near 15 degC for 25 kJ/mol: 25000 / (8.314 * 288^2)
)
JUMPS = 4  # steps under load of one cell alone, before resistance is said to come and go
SOUND_DAYS, SOUND_STEPS = 7.0, 60  # before a joint counts as mended
# a steady resistance scatters about as the other cells do; one that comes and goes, by its own size
WANDER = 2.2
PAIR_JUMPS = 5
# a BMS's reading is seldom further off (from memory); beyond, on a sloped curve, an offset is as
# likely
USUAL_BIAS_V, SLOPED_SURE = 0.030, 0.6
BIAS_V = 0.006  # common practice: meters agree within some millivolts
CAPACITY_PCT = 4.0  # cells of one batch differ by 1 to 3 %


def resistive(known: Estimate, setup: Setup) -> Iterator[Cause]:
    """Cells whose voltage follows the current more than the herd's: a cold end, a joint that comes
    and goes, or the cell itself.
    """
    found, herd = known.resistances, known.resistances.herd_ohm
    if not np.isfinite(herd) or herd <= 0:
        return
    share = found.excess_ohm / herd
    block = cold_end(share, found.sd_ohm / herd)
    if block.size:
        yield from _gradient(known, setup, block, share)
    for i in np.flatnonzero((share > 0.6 * EXCESS_SHARE) & (found.excess_ohm > 5.0 * found.sd_ohm)):
        ratio = float(min(share[i] / EXCESS_SHARE, found.excess_ohm[i] / (6.0 * found.sd_ohm[i])))
        jumps = int(known.signals.jumps[i])
        others = np.delete(known.signals.jumps, i)
        wander = float(found.wander[i])
        if (jumps >= JUMPS and jumps > 4 * (1 + int(others.max(initial=0)))) or wander > WANDER:
            yield _joint(known, int(i), ratio, jumps)
        else:
            yield _cell(known, int(i), ratio)


def cold_end(share: Floats, sd: Floats) -> NDArray[np.intp]:
    """The longest run of two or more cells from either end that all stand above the rest by about
    as much; empty when there is none.
    """
    high = (share > BLOCK_SHARE) & (share > 4.0 * sd)
    best = np.empty(0, np.intp)
    for cells in (np.arange(share.size), np.arange(share.size)[::-1]):
        stop = int(np.argmin(high[cells])) if not high.all() else 0
        run = np.sort(cells[:stop])
        if (
            run.size >= 2
            and run.size > best.size
            and run.size <= 0.6 * share.size
            and share[run].max() < 3.0 * share[run].min()
        ):
            best = run
    return best


def _gradient(
    known: Estimate, setup: Setup, block: NDArray[np.intp], share: Floats
) -> Iterator[Cause]:
    sensors = known.sensors_c
    by_resistance_c = -float(np.log1p(np.mean(share[block]))) / PER_KELVIN
    cold_first = block[0] == 0
    if sensors.size >= 2:
        here, there = (
            (sensors[0], np.median(sensors[1:]))
            if cold_first
            else (sensors[-1], np.median(sensors[:-1]))
        )
        value = float(here - there)
        if value > -0.3 * SENSOR_SPAN_C:  # the sensors know of no cold end: then it is not the cold
            return
        ratio = min(-value / SENSOR_SPAN_C, float(np.mean(share[block])) / BLOCK_SHARE)
        basis = f"The sensors read {here:.0f} °C at that end and {there:.0f} °C elsewhere."
        width = 0.15 * abs(value) + 0.5
    else:
        value, ratio = by_resistance_c, min(1.6, block.size / 2.5)
        basis = "There are not two sensors to say so; the size is from resistance alone."
        width = 0.3 * abs(value) + 1.0
    first, last = int(block[0]) + 1, int(block[-1]) + 1
    yield Cause(
        cause="temperature_gradient",
        cells=tuple(int(i) + 1 for i in block),
        confidence=sure(ratio),
        quantity="temperature",
        value=value,
        low=value - width,
        high=value + width,
        unit="°C",
        summary=f"Cells {first} to {last} run {abs(value):.0f} °C colder than the rest, and their "
        "resistance follows.",
        evidence=(
            f"They are {100 * share[block].min():.0f} to {100 * share[block].max():.0f} % "
            "above the herd in resistance, all at one end of the string.",
            basis,
        ),
        actions=(
            "Insulate or warm that end, or move the pack: charge and discharge limits "
            "must be set for the coldest cell.",
            "Put a temperature sensor on it: the cold cutoff must see the coldest cell.",
        ),
        confirm="With the pack evenly warm for a day, their resistance must be that of the others.",
        serious=value < -10.0,
    )


def _joint(known: Estimate, i: int, ratio: float, jumps: int) -> Cause:
    found, cell = known.resistances, i + 1
    size = 1e3 * float(np.nan_to_num(known.signals.jump_ohm[i]))
    excess = 1e3 * float(found.excess_ohm[i])
    value = max(
        size, 1.4 * excess, 1e3 * (loose_ohm(found, i) or 0.0)
    )  # the mean excess over all steps holds the times at which the joint was sound
    mended = _mended(found, i)
    if mended:
        value = max(size, 1e3 * mended.before_ohm)
        excess = min(value, 1e3 * mended.before_ohm)
    return Cause(
        cause="loose_joint",
        cells=(cell,),
        confidence=sure(
            max(ratio, min(2.0, jumps / JUMPS), min(2.0, float(found.wander[i]) / WANDER))
        ),
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
            if jumps
            else f"Its steps of current scatter {found.wander[i]:.1f} times as much as the "
            "other cells': sometimes it is there, sometimes not.",
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


def _cell(known: Estimate, i: int, ratio: float) -> Cause:
    found, cell = known.resistances, i + 1
    # the slow part of a resistive cell does not show in steps: the excess at a long load lies
    # between this and half again as much
    warm = known.to_25_c
    value, sd = 1.15e3 * warm * float(found.excess_ohm[i]), 1e3 * warm * float(found.sd_ohm[i])
    return Cause(
        cause="high_resistance",
        cells=(cell,),
        confidence=sure(ratio),
        quantity="resistance",
        value=value,
        low=0.8 * value - 2 * sd,
        high=1.35 * value + 2 * sd,
        unit="mΩ",
        summary=f"Cell {cell} has {value:.2f} mΩ more than the others.",
        evidence=(
            f"From {found.steps} steps of current: "
            f"{1e3 * (found.herd_ohm + found.excess_ohm[i]):.2f} mΩ, the herd "
            f"{1e3 * found.herd_ohm:.2f} mΩ"
            f"{'' if warm == 1.0 else f'; the size is given for 25 °C ({warm:.2f} of that)'}.",
            "It dips on discharge, rises on charge and is level at rest; it does not come and go.",
        ),
        actions=(
            "First rule out the joints: measure millivolts across both bars of cell "
            f"{cell} at a known current, then across the cell's own poles.",
            f"If it is the cell, expect {50 * value:.0f} mV more at 50 A. Keep the charge "
            "target low enough that it does not trip, and plan to replace it.",
        ),
        confirm="The same at every state of charge and on every day; a joint would jump.",
        serious=value > 1.5e3 * found.herd_ohm,
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
    bias, sd = known.signals.bias_v, known.signals.bias_sd_v
    if not np.isfinite(bias).any():
        return
    for i in np.flatnonzero(np.nan_to_num(np.abs(bias)) > 0.6 * BIAS_V):
        ratio = float(min(abs(bias[i]) / BIAS_V, abs(bias[i]) / (4.0 * sd[i])))
        value, width = 1e3 * float(bias[i]), 1e3 * 2.0 * float(sd[i])
        rare = setup.chemistry != "lfp" and abs(bias[i]) > USUAL_BIAS_V
        yield Cause(
            cause="sense_bias",
            cells=(int(i) + 1,),
            confidence=min(sure(ratio), SLOPED_SURE) if rare else sure(ratio),
            quantity="bias",
            value=value,
            low=value - width,
            high=value + width,
            unit="mV",
            summary=f"Cell {i + 1} reads {abs(value):.0f} mV too "
            f"{'high' if value > 0 else 'low'}, always.",
            evidence=_bias_evidence(setup, value, rare),
            actions=(
                f"Measure cell {i + 1} at its poles with a trusted meter and compare with "
                "the BMS. Note by how much before calibrating anything.",
                "If it is the BMS, its limits for this cell are off by that amount: set "
                "the targets with that room.",
            ),
            confirm="The meter at the poles reads as the neighbours do.",
            serious=abs(value) > 20.0,
        )


def _bias_evidence(setup: Setup, value_mv: float, rare: bool) -> tuple[str, ...]:
    fitted = "Charge, capacity and resistance were fitted beside it and do not explain it."
    if setup.chemistry == "lfp":
        where = "On the plateau at small current, where 1 % of charge is under a millivolt,"
    else:
        where = "At small current"
    stands = f"{where} it stands {value_mv:+.0f} mV off the others through all states of charge."
    if not rare:
        return stands, fitted
    doubt = (
        "So much is rare for a meter, and on this sloped curve a standing difference in charge"
        " looks nearly the same: only a meter at the poles tells which it is."
    )
    return stands, doubt


def weak(known: Estimate, setup: Setup) -> Iterator[Cause]:
    """A cell that holds less: level at the top, empty first."""
    deficit, sd = known.capacities.deficit_ah, known.capacities.sd_ah
    if not np.isfinite(deficit).any():
        return
    pct, error = 100.0 * deficit / setup.capacity_ah, 100.0 * sd / setup.capacity_ah
    for i in np.flatnonzero(np.nan_to_num(pct) < -0.6 * CAPACITY_PCT):
        ratio = float(min(-pct[i] / CAPACITY_PCT, -pct[i] / (3.0 * np.hypot(error[i], 0.5))))
        value, width = 100.0 + float(pct[i]), 1.645 * float(np.hypot(error[i], 0.1 * pct[i]))
        yield Cause(
            cause="low_capacity",
            cells=(int(i) + 1,),
            confidence=sure(ratio),
            quantity="capacity",
            value=value,
            low=value - width,
            high=value + width,
            unit="%",
            summary=f"Cell {i + 1} holds {-pct[i]:.0f} % less than the others.",
            evidence=(
                f"At the low end it had {-known.capacities.low_offset_ah[i]:.1f} Ah less "
                "than the median cell, at the top it was "
                f"{known.drift.last_ah[i]:+.1f} Ah off: the difference is capacity.",
                f"From {known.capacities.discharges} deep "
                f"discharge{'s' if known.capacities.discharges != 1 else ''} after a full "
                "charge.",
            ),
            actions=(
                f"The pack's usable capacity is that of cell {i + 1}: "
                f"{setup.capacity_ah * value / 100:.0f} Ah. Levelling does not bring it "
                "back.",
                "Set the low limit for it, not for the average; replace it with one of "
                "the same make, age and capacity if it matters.",
            ),
            confirm="A full discharge at modest current from a level top must end at this cell "
            "again.",
            serious=pct[i] < -8.0,
        )


JUDGES: tuple[Callable[[Estimate, Setup], Iterator[Cause]], ...] = (resistive, leads, biased, weak)
