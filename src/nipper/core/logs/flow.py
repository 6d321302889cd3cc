"""The current of a stranger's table: one column, two, one with a direction beside it, or a power;
its unit and its sign, by what voltage and percentage say to it.
"""

import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from nipper.core.logs import words
from nipper.core.logs.column import Column, Floats
from nipper.core.logs.doubt import Doubt
from nipper.core.logs.signs import (
    SURE,
    WILD_A,
    Witness,
    implied_capacity_ah,
    never_rests,
    runs_both_ways,
    sign_score,
    voltage_and_soc,
)
from nipper.core.logs.ways import directed

MILLI_ABOVE = 5000.0  # no pack of this trade carries as many amperes
MOST_A = 1000.0  # few do as many; from memory
MOST_RATE = 3.0  # of the capacity: beyond it no store is charged or drawn; from memory
STRAY_TIMES = 20.0  # as large as all others: a placeholder or a slip
PLUS_MINUS = re.compile(r"[\w)\] ][(\[ ]*([+\-−])[)\]]*\s*(?:[(\[]m?A[)\]])?$")  # A+ and A-
SAME_UNIT = 0.02  # of a power of ten: a current and its copy, rounded or smoothed


@dataclass(slots=True)
class Flow:
    """What was found: fields of the mapping, why, and what stayed in doubt."""

    fields: dict[str, Any] = field(default_factory=dict[str, Any])
    why: str = ""
    doubts: list[Doubt] = field(default_factory=list[Doubt])


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
        if np.std(a) == 0.0 or (np.std(b) > 0.0 and _alike(a, b) and _by_tens(a, b)):
            return False
    return _likely(column, witness) > _likely(chosen, witness) - 1.5


def _alike(a: Floats, b: Floats) -> bool:
    return abs(float(np.corrcoef(a, b)[0, 1])) > 0.99


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
        found = directed(column, columns, witness)
        if found is not None:
            fields |= {"direction": found[0], "directions": found[1], "current_scale": scale}
            return Flow(fields, f"{column.name} flows as {found[0]} says")
        if runs_both_ways(values, witness):
            text = (
                f"{column.name} has no sign and no column says which way it flows: it is not used"
            )
            return Flow(doubts=[Doubt(text)])
    sign, why, doubts = _sign(column, witness, discharge_positive)
    if column.says(words.STATISTIC) and not column.says(words.MEAN):
        text = f"{column.name}: by its heading this is not the current as it flows"
        doubts.append(Doubt(text, "--map"))
    if never_rests(values, witness.mean_v):
        text = f"{column.name} never rests, while the voltage goes up and down: is something added?"
        doubts.append(Doubt(text))
    fields["current_scale"] = scale * sign
    return Flow(fields, why, doubts)


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


def _amps(column: Column, scale: float) -> Floats:
    """A current as it would be counted: nothing where none is read, or none that can be."""
    with np.errstate(over="ignore"):
        amps = column.numbers * scale
    return np.nan_to_num(amps, posinf=0.0, neginf=0.0)


def _check_scale(
    flow: Flow, columns: Sequence[Column], witness: Witness, capacity_ah: float | None
) -> None:
    """The charge counted against the percentage: a current ten times too large shows there."""
    by_name = {c.name: c for c in columns}
    column = by_name[flow.fields["current"]]
    scale = abs(flow.fields["current_scale"])
    amps = _amps(column, scale)
    if flow.fields.get("discharge"):
        amps = amps - np.abs(_amps(by_name[flow.fields["discharge"]], scale))
    elif flow.fields.get("direction"):
        return
    told = _by_percentage(flow, column, amps, witness, capacity_ah)
    if told or column.quantity == "A":
        return
    if (most_a := _top(np.abs(amps))) > min(MOST_A, MOST_RATE * (capacity_ah or np.inf)):
        text = f"{column.name} without a unit reads up to {most_a:,.0f} A: are they parts of one?"
        flow.doubts.append(Doubt(text, "--map"))


def _by_percentage(
    flow: Flow, column: Column, amps: Floats, witness: Witness, capacity_ah: float | None
) -> bool:
    """Whether the percentage tells how large the current is; what it says is done, or told."""
    if witness.soc is None or not capacity_ah:
        return False
    implied = implied_capacity_ah(amps, witness.soc, witness.time_s)
    if implied is None:
        return False
    ratio = implied / capacity_ah
    if 0.33 < ratio < 3.0:
        return True
    power = round(float(np.log10(ratio)))
    if power and abs(np.log10(ratio) - power) < 0.3 and column.quantity != "A":
        flow.fields["current_scale"] *= 10.0**-power
        flow.why += f"; scaled by {10.0**-power:g}, as the percentage moves with it"
        return True
    text = f"by {column.name} and the percentage the pack would hold {implied:.3g} Ah"
    flow.doubts.append(Doubt(f"{text}, the setup says {capacity_ah:g} Ah"))
    return True
