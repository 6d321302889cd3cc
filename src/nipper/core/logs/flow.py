"""The current of a stranger's table: one column, two, one with a direction beside it, or a power;
its unit and its sign, by what voltage and percentage say to it.
"""

import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any

import numpy as np
import polars as pl

from nipper.core.logs import words
from nipper.core.logs.column import Column, Floats
from nipper.core.logs.doubt import Doubt

SURE = 4.0  # a mean this many standard errors from zero is no chance
MILLI_ABOVE = 5000.0  # no pack of this trade carries as many amperes
MOST_A = 1000.0  # few do as many; from memory
STRAY_TIMES = 20.0  # as large as all others: a placeholder or a slip
WILD_A = 1e9  # what is beyond is refused or told elsewhere; here it must only stay a number
IDLE_SHARE = 0.05  # of the largest current, and of the rows: more is no rest
PLUS_MINUS = re.compile(r"[\w)\] ][(\[ ]*([+\-−])[)\]]*\s*(?:[(\[]m?A[)\]])?$")  # A+ and A-
RANGE_V = 0.03  # of the mean cell: less says nothing of which way a current flows
SAME_UNIT = 0.02  # of a power of ten: a current and its copy, rounded or smoothed
BOTH_WAYS = 0.2  # share of stretches that must run each way before a current is called unsigned


@dataclass(slots=True)
class Flow:
    """What was found: fields of the mapping, why, and what stayed in doubt."""

    fields: dict[str, Any] = field(default_factory=dict[str, Any])
    why: str = ""
    doubts: list[Doubt] = field(default_factory=list[Doubt])


@dataclass(frozen=True, slots=True)
class Witness:
    """What a current is held against: the mean cell, the percentage, the sample's times."""

    mean_v: Floats
    soc: Floats | None
    time_s: Floats


def find_flow(
    columns: Sequence[Column],
    witness: Witness,
    discharge_positive: bool | None,
    capacity_ah: float | None,
) -> Flow:
    """The current among the columns that are left."""
    amps = [c for c in columns if _is_current(c)]
    own = [c for c in amps if not c.says(words.ELSEWHERE)]
    if all(map(_nameless, columns)):
        return _by_the_voltage(columns, witness, discharge_positive)
    flow = _pair_or_one(own, columns, witness, discharge_positive)
    if not flow.fields:
        flow = _by_power(columns, witness, discharge_positive, flow)
    if not flow.fields and amps and not own:
        names = ", ".join(c.name for c in amps[:3])
        text = f"{names}: of something else than the pack, not taken for its current"
        flow.doubts.append(Doubt(text))
    if flow.fields and not flow.fields.get("power"):
        _check_scale(flow, columns, witness, capacity_ah)
    return flow


def _nameless(column: Column) -> bool:
    return bool(re.fullmatch(r"column \d+", column.name))


def _by_the_voltage(
    columns: Sequence[Column], witness: Witness, discharge_positive: bool | None
) -> Flow:
    """Where no column has a heading: the only one that goes both ways and the voltage follows."""
    follows = [
        c
        for c in columns
        if c.numeric
        and c.quantity in ("", "A")
        and _both_signs(c)
        and abs(sign_score(c.numbers, witness.mean_v)) > 2.0 * SURE
    ]
    if len(follows) != 1:
        return Flow()
    flow = _one(follows[0], columns, witness, discharge_positive)
    text = f"{follows[0].name} has no heading: it is taken for the current, the voltage follows it"
    flow.doubts.append(Doubt(text, "--map"))
    return flow


def _is_current(column: Column) -> bool:
    if not column.numeric or column.quantity not in ("", "A"):
        return False
    others = (words.LIMIT, words.CELLS_OWN, words.SOC, words.BALANCING)
    if any(column.says(kind) for kind in others):
        return False
    if column.quantity == "A":
        return not column.says(words.TEMPERATURE)
    return column.says(words.CURRENT) and not column.says(words.POWER)


def _ways(column: Column) -> tuple[bool, bool]:
    """Whether a heading speaks of charging, of discharging."""
    if marked := PLUS_MINUS.search(column.name):
        return marked[1] == "+", marked[1] != "+"
    heading = words.without_unit(column.name)
    without = re.sub(rf"\b\w*(?:{words.DISCHARGE.pattern})\w*", " ", heading)
    return bool(words.CHARGE.search(without)), bool(words.DISCHARGE.search(heading))


def _pair_or_one(
    own: Sequence[Column],
    columns: Sequence[Column],
    witness: Witness,
    discharge_positive: bool | None,
) -> Flow:
    ways = {c.name: _ways(c) for c in own}
    charges = [c for c in own if ways[c.name] == (True, False)]
    discharges = [c for c in own if ways[c.name] == (False, True)]
    general = [c for c in own if c not in charges and c not in discharges]
    general += [c for c in (*charges, *discharges) if _both_signs(c)]
    general.sort(key=lambda c: _likely(c, witness), reverse=True)
    if charges and discharges and not (general and _both_signs(general[0])):
        return _pair(_plainest(charges), _plainest(discharges))
    if not general:
        flow = Flow()
        if own:
            which = "charging" if charges else "discharging"
            text = f"only the {which} current is there ({own[0].name}): not taken for the pack's"
            flow.doubts.append(Doubt(text))
        return flow
    flow = _one(general[0], columns, witness, discharge_positive)
    rivals = [c.name for c in general[1:] if _rival(c, general[0], witness)]
    if rivals and flow.fields:
        also = ", ".join(rivals[:3])
        text = f"{general[0].name} is taken for the current; {also} could be too"
        flow.doubts.append(Doubt(text, "--map"))
    return flow


def _plainest(columns: Sequence[Column]) -> Column:
    """Without words of minimum and maximum, with the unit, the shortest heading."""
    return min(columns, key=lambda c: (c.says(words.STATISTIC), c.quantity != "A", len(c.name)))


def _both_signs(column: Column) -> bool:
    values = column.finite
    return bool(np.mean(values > 0) > 0.01) and bool(np.mean(values < 0) > 0.01)


def _likely(column: Column, witness: Witness) -> float:
    score = 2.0 * column.says(words.PACK) + 2.0 * column.says(words.CURRENT)
    score += 2.0 * (column.quantity == "A") + 2.0 * _both_signs(column)
    score -= 5.0 * column.says(words.STATISTIC)
    score += min(abs(sign_score(column.numbers, witness.mean_v)) / 4.0, 3.0)
    return score if np.any(column.finite) else score - 4.0


def _rival(column: Column, chosen: Column, witness: Witness) -> bool:
    """As likely as the chosen one by its name, and not the same current in another unit: two parts
    of one current go together too.
    """
    if column.says(words.STATISTIC) or not np.any(column.finite):
        return False
    both = np.isfinite(column.numbers) & np.isfinite(chosen.numbers)
    if both.sum() > 3:
        a, b = (np.clip(c.numbers[both], -WILD_A, WILD_A) for c in (column, chosen))
        if np.std(a) == 0.0 or (abs(float(np.corrcoef(a, b)[0, 1])) > 0.99 and _by_tens(a, b)):
            return False
    return _likely(column, witness) > _likely(chosen, witness) - 1.5


def _by_tens(a: Floats, b: Floats) -> bool:
    """Whether one is the other in another unit."""
    power = abs(float(np.log10(np.std(a) / np.std(b))))
    return abs(power - round(power)) < SAME_UNIT


def _pair(charge: Column, discharge: Column) -> Flow:
    """Two columns; the discharge is subtracted whichever sign it is written with."""
    scale = _amperes(charge)
    fields: dict[str, Any] = {
        "current": charge.name,
        "discharge": discharge.name,
        "current_scale": scale,
    }
    return Flow(fields, f"{charge.name} counts as charging, {discharge.name} as discharging")


def _amperes(column: Column) -> float:
    if column.quantity == "A":
        return column.factor
    scale = column.factor
    return scale * 1e-3 if _top(np.abs(column.finite)) * scale > MILLI_ABOVE else scale


def _top(values: Floats) -> float:
    """The largest value; a slip in one row of a thousand, far beyond all others, does not count."""
    few = max(1, values.size // 1000)
    if values.size <= few:
        return float(np.max(values, initial=0.0))
    last = np.partition(values, (-few - 1, -1))
    usual = last[-few - 1]
    return float(last[-1] if last[-1] / STRAY_TIMES <= usual else usual)


def _one(
    column: Column,
    columns: Sequence[Column],
    witness: Witness,
    discharge_positive: bool | None,
) -> Flow:
    scale = _amperes(column)
    values = column.numbers
    fields: dict[str, Any] = {"current": column.name}
    if _unsigned(column):
        directed = _directed(column, columns, witness)
        if directed is not None:
            directed.fields["current_scale"] = scale
            return directed
        if runs_both_ways(values, witness):
            text = (
                f"{column.name} has no sign and no column says which way it flows: it is not used"
            )
            return Flow(doubts=[Doubt(text)])
    sign, why, doubts = _sign(column, witness, discharge_positive)
    if _never_rests(values, witness.mean_v):
        text = f"{column.name} never rests, while the voltage goes up and down: is something added?"
        doubts.append(Doubt(text))
    fields["current_scale"] = scale * sign
    return Flow(fields, why, doubts)


def _never_rests(values: Floats, mean_v: Floats) -> bool:
    """Whether a current stays far from nought, as a register does whose nought is in its middle:
    the voltage falls and rises by most of its range meanwhile.
    """
    flows, volts = np.abs(values[np.isfinite(values)]), mean_v[np.isfinite(mean_v)]
    if not flows.size or flows.min() < 0.5 * flows.max() or np.ptp(volts) < RANGE_V:
        return False
    falls = np.max(np.maximum.accumulate(volts) - volts)
    rises = np.max(volts - np.minimum.accumulate(volts))
    return bool(min(falls, rises) > 0.6 * np.ptp(volts))


def _unsigned(column: Column) -> bool:
    values = column.finite
    one_sided = bool(values.size) and bool(values.min() >= 0 or values.max() <= 0)
    return one_sided and bool(np.any(values != 0))


def _sign(
    column: Column, witness: Witness, discharge_positive: bool | None
) -> tuple[float, str, list[Doubt]]:
    """The sign, who says so, and what contradicts."""
    seen, counted = voltage_and_soc(column.numbers, witness)
    if discharge_positive is not None:
        sign = -1.0 if discharge_positive else 1.0
        against = Doubt("the voltage speaks against the sign that was given")
        doubts = [against] if seen * sign < 0 else []
        return sign, "the sign as it was given", doubts
    if seen and counted and seen != counted:
        text = f"{column.name}: voltage and percentage disagree on its sign"
        doubt = Doubt(text, "--discharge-positive or --charging-positive")
        return float(seen), "the voltage follows it", [doubt]
    if seen or counted:
        sign = float(seen or counted)
        by = "the voltage follows it" if seen else "the percentage follows it"
        way = "charging" if sign > 0 else "discharging"
        return sign, f"{way} is positive, {by}", []
    said = _sign_in(column.plain)
    if said:
        return said, "the heading says the sign", []
    text = f"the sign of {column.name} cannot be seen in this log: charging is taken as positive"
    doubt = Doubt(text, "--discharge-positive or --charging-positive")
    return 1.0, "charging is taken as positive", [doubt]


def _sign_in(heading: str) -> float:
    """A heading such as "current (+ = discharge)" or "discharge positive"."""
    match = re.search(r"(\w+) (?:is )?(?:positive|positiv|pos\b|\+)|\+ ?=? ?(\w+)", heading)
    word = next((g for g in match.groups() if g), "") if match else ""
    if words.DISCHARGE.search(word):
        return -1.0
    return 1.0 if words.CHARGE.search(word) else 0.0


def voltage_and_soc(current: Floats, witness: Witness) -> tuple[int, int]:
    """What the voltage and the percentage say of the sign of a current: +1, -1 or 0 each."""
    counted = 0
    if witness.soc is not None:
        counted = soc_sign(current, witness.soc)
    return current_sign(current, witness.mean_v), counted


def current_sign(current: Floats, voltage: Floats) -> int:
    """+1 when charging is counted positive, -1 when discharging is, 0 when it cannot be told."""
    score = sign_score(current, voltage)
    return 0 if abs(score) < SURE else int(np.sign(score))


def sign_score(current: Floats, voltage: Floats) -> float:
    """How surely the voltage follows a current, in standard errors; negative when it falls.

    Two witnesses: resistance makes the voltage follow every large step of current, and between the
    steps the voltage creeps up while charging and down while discharging. Each is a mean against
    its own scatter; together they must stand clear of chance.
    """
    step_a, step_v = np.diff(current), np.diff(voltage)
    good = np.isfinite(step_a) & np.isfinite(step_v)
    step_a, step_v, amps = step_a[good], step_v[good], current[1:][good]
    if step_a.size < 8 or not np.any(amps):
        return 0.0
    large = (np.abs(step_a) >= 0.25 * np.abs(step_a).max()) & (step_a != 0)
    calm = (
        np.clip(step_v[~large], *np.quantile(step_v[~large], [0.02, 0.98]))
        if np.any(~large)
        else np.zeros(1)
    )
    follows = np.sign(step_a[large]) * step_v[large]
    creeps = np.sign(amps[~large]) * calm if np.any(~large) else calm
    return _against_chance(follows, float(np.std(calm))) + _against_chance(creeps, 0.0)


def _against_chance(values: Floats, least_sd: float) -> float:
    """Mean over its standard error; 0 for nothing."""
    if values.size == 0:
        return 0.0
    sd = max(float(np.std(values)), least_sd, 1e-9)
    return float(np.mean(values)) / sd * float(np.sqrt(values.size))


def soc_sign(current: Floats, soc: Floats) -> int:
    """The sign by the percentage: it rises while the pack is charged."""
    known = np.flatnonzero(np.isfinite(soc) & np.isfinite(current))
    if known.size < 8:
        return 0
    steps = np.diff(soc[known])
    steps[np.abs(steps) > 20.0] = 0.0  # the percentage was set anew
    flowed = np.add.reduceat(current[known], np.arange(known.size))[1:]
    moved = steps != 0
    if moved.sum() < 4:
        return 0
    agree = np.sign(steps[moved]) * np.sign(flowed[moved])
    score = _against_chance(agree, 0.3)
    return 0 if abs(score) < SURE and moved.sum() < 40 else int(np.sign(score))


def runs_both_ways(current: Floats, witness: Witness) -> bool:
    """Whether the pack is charged as well as discharged while this current flows.

    By the percentage where there is one; else by the voltage over stretches of current.
    """
    on = np.isfinite(current) & (np.abs(current) > 0.02 * np.nanmax(np.abs(current)))
    if witness.soc is not None:
        known = np.flatnonzero(np.isfinite(witness.soc))
        steps = np.diff(witness.soc[known])
        flowing = on[known[1:]] if known.size else np.zeros(0, bool)
        moves = steps[flowing & (steps != 0)]
        if moves.size >= 6:
            return min(float(np.mean(moves > 0)), float(np.mean(moves < 0))) > 0.1
    changes = np.flatnonzero(np.diff(on.astype(int), prepend=0))
    rises: list[float] = []
    for start, end in pairwise([*changes.tolist(), on.size]):
        stretch = witness.mean_v[start:end]
        stretch = stretch[np.isfinite(stretch)]
        if on[start] and stretch.size >= 6:
            third = max(1, stretch.size // 5)
            rises.append(float(np.mean(stretch[-third:]) - np.mean(stretch[third : 2 * third])))
    told = [r for r in rises if abs(r) > 0.002]
    if not told:
        return True  # nothing says that it flows one way only
    up = sum(r > 0 for r in told) / len(told)
    return min(up, 1 - up) > BOTH_WAYS


def _directed(column: Column, columns: Sequence[Column], witness: Witness) -> Flow | None:
    """An unsigned current whose way another column tells."""
    for other in columns:
        if other is column or not other.says(words.STATUS):
            continue
        values = _distinct(other)
        if not 2 <= len(values) <= 12:
            continue
        meant = _by_words(values)
        if meant and not _tells_all(meant, column, other):
            continue
        meant = meant or _by_voltage(column, other, values, witness)
        if meant:
            fields = {"current": column.name, "direction": other.name, "directions": meant}
            return Flow(fields, f"{column.name} flows as {other.name} says")
    return None


def _distinct(column: Column) -> list[str]:
    texts = column.texts.drop_nulls().unique(maintain_order=True).head(40)
    return [text for v in texts if (text := str(v).strip())]


def directions_of(texts: pl.Series) -> tuple[tuple[str, int], ...]:
    """The values of a column of directions with what their words mean; 0 where none is known."""
    distinct = texts.drop_nulls().unique(maintain_order=True).head(40)
    values = [text for v in distinct if (text := str(v).strip())]
    known = dict(_by_words(values) or ())
    return tuple((value, known.get(value, 0)) for value in values)


def _by_words(values: Sequence[str]) -> tuple[tuple[str, int], ...] | None:
    meant: list[tuple[str, int]] = []
    for value in values:
        word = words.plain(value) or value
        if words.DISCHARGING_WORDS.search(word):
            meant.append((value, -1))
        elif words.CHARGING_WORDS.search(word):
            meant.append((value, 1))
        elif words.IDLE_WORDS.search(word):
            meant.append((value, 0))
        else:
            return None
    ways = {way for _, way in meant}
    return tuple(meant) if {1, -1} & ways else None


def _tells_all(meant: Sequence[tuple[str, int]], column: Column, other: Column) -> bool:
    """Whether these words tell every current: both ways, or one and nothing flows beside it.

    A charger's state knows charging only: what the loads draw while it is off would be nought.
    """
    if {1, -1} <= {way for _, way in meant}:
        return True
    still = [text for text, way in meant if not way]
    said: list[bool] = other.texts.str.strip_chars().is_in(still).fill_null(False).to_list()
    idle = np.array(said, dtype=bool)
    flows = np.abs(column.numbers) > IDLE_SHARE * np.nanmax(np.abs(column.numbers))
    moving = int(np.count_nonzero(flows & idle))
    return moving <= IDLE_SHARE * sum(said)


def _by_voltage(
    column: Column, other: Column, values: Sequence[str], witness: Witness
) -> tuple[tuple[str, int], ...] | None:
    """Codes of a direction: two of them carry current; which one charges, voltage and percentage
    say.
    """
    texts = other.texts.str.strip_chars().fill_null("")
    amps = np.nan_to_num(np.abs(column.numbers))
    carried = {v: float(np.mean(amps[(texts == v).to_numpy()])) for v in values}
    top = max(carried.values())
    active = [v for v in values if carried[v] > 0.05 * top]
    if len(active) != 2:
        return None
    first = (texts == active[0]).to_numpy().astype(float)
    second = (texts == active[1]).to_numpy().astype(float)
    seen, counted = voltage_and_soc(amps * (first - second), witness)
    sign = seen or counted
    if not sign or (seen and counted and seen != counted):
        return None
    meant = {active[0]: sign, active[1]: -sign}
    return tuple((v, meant.get(v, 0)) for v in values)


def _by_power(
    columns: Sequence[Column],
    witness: Witness,
    discharge_positive: bool | None,
    flow: Flow,
) -> Flow:
    """Watts in place of amperes."""
    watts = [
        c
        for c in columns
        if c.numeric
        and (c.quantity == "W" or (not c.quantity and c.says(words.POWER)))
        and not c.says(words.LIMIT)
        and not c.says(words.ELSEWHERE)
        and not c.says(words.STATISTIC)
    ]
    ways = {c.name: _ways(c) for c in watts}
    charges = [c for c in watts if ways[c.name] == (True, False) and not _both_signs(c)]
    discharges = [c for c in watts if ways[c.name] == (False, True) and not _both_signs(c)]
    general = [c for c in watts if c not in charges and c not in discharges]
    if charges and discharges and not general:
        found = _pair(charges[0], discharges[0])
        found.fields["current_scale"] = charges[0].factor
    elif general:
        best = max(general, key=lambda c: _likely(c, witness))
        found = _one(best, columns, witness, discharge_positive)
        if found.fields:
            negative = found.fields.get("current_scale", 1.0) < 0
            found.fields["current_scale"] = -best.factor if negative else best.factor
    else:
        return flow
    found.doubts = flow.doubts + found.doubts
    if found.fields:
        found.fields["power"] = True
        text = "there is no current: it is the power over the pack's voltage, as coarse as both"
        found.doubts.append(Doubt(text))
    return found


def _check_scale(
    flow: Flow, columns: Sequence[Column], witness: Witness, capacity_ah: float | None
) -> None:
    """The charge counted against the percentage: a current ten times too large shows there."""
    by_name = {c.name: c for c in columns}
    column = by_name[flow.fields["current"]]
    amps = np.nan_to_num(column.numbers) * abs(flow.fields["current_scale"])
    if flow.fields.get("discharge"):
        other = by_name[flow.fields["discharge"]]
        amps = amps - np.abs(np.nan_to_num(other.numbers)) * abs(flow.fields["current_scale"])
    elif flow.fields.get("direction"):
        return
    if column.quantity != "A" and (most_a := _top(np.abs(amps))) > MOST_A:
        text = f"{column.name} without a unit reads up to {most_a:,.0f} A: are they parts of one?"
        flow.doubts.append(Doubt(text, "--map"))
    if witness.soc is None or not capacity_ah:
        return
    implied = implied_capacity_ah(amps, witness.soc, witness.time_s)
    if implied is None:
        return
    ratio = implied / capacity_ah
    if 0.33 < ratio < 3.0:
        return
    power = round(float(np.log10(ratio)))
    if power and abs(np.log10(ratio) - power) < 0.3 and column.quantity != "A":
        flow.fields["current_scale"] *= 10.0**-power
        flow.why += f"; scaled by {10.0**-power:g}, as the percentage moves with it"
        return
    text = f"by {column.name} and the percentage the pack would hold {implied:.3g} Ah"
    flow.doubts.append(Doubt(f"{text}, the setup says {capacity_ah:g} Ah"))


def implied_capacity_ah(amps: Floats, soc: Floats, time_s: Floats) -> float | None:
    """The capacity at which counted charge and percentage agree, Ah; None when too little moved."""
    step_s = np.diff(time_s, prepend=time_s[:1])
    known_steps = np.abs(step_s[1:][np.isfinite(step_s[1:])])
    usual = float(np.median(known_steps)) if known_steps.size > 1 else 0.0
    if usual <= 0:
        return None
    step_s = np.where(np.isfinite(step_s) & (np.abs(step_s) < 20 * usual), np.abs(step_s), 0.0)
    amps = np.clip(amps, -WILD_A, WILD_A)
    moved = pl.Series(amps * step_s / 3600.0).cum_sum().to_numpy()
    known = np.flatnonzero(np.isfinite(soc))
    if known.size < 10:
        return None
    hops = known[:: max(1, known.size // 40)]
    pct, ah = np.diff(soc[hops]), np.diff(moved[hops])
    good = (np.abs(pct) > 0.5) & (np.abs(pct) < 40)
    if good.sum() < 3 or np.sum(np.abs(pct[good])) < 5.0:
        return None
    slope = float(np.median(np.abs(ah[good] / pct[good])))
    return slope * 100.0 if slope > 0 else None
