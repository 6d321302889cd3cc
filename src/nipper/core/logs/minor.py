"""What else a stranger's table may hold: percentage, temperatures, and which cells are balanced."""

import re
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import polars as pl
from numpy.typing import NDArray

from nipper.core.logs import words
from nipper.core.logs.column import Column
from nipper.core.logs.doubt import Doubt
from nipper.core.logs.mapping import BalancingForm
from nipper.core.logs.model import nanmedian
from nipper.core.logs.sensors import of_cells
from nipper.core.logs.words import plain
from nipper.core.tables.numbers import is_missing

WHOLE = re.compile(r"[0-9]{1,160}")  # also of bits; a stranger's may be longer, or none: ²
IDLE = re.compile(r"off|none|no( cells?)?|idle|aus|keine|nein|non")  # for: none is balanced


@dataclass(slots=True)
class Minor:
    """Fields of the mapping, why, and doubts."""

    fields: dict[str, Any] = field(default_factory=dict[str, Any])
    why: dict[str, str] = field(default_factory=dict[str, str])
    doubts: list[Doubt] = field(default_factory=list[Doubt])


def find_soc(columns: Sequence[Column]) -> tuple[Column, float] | None:
    """The percentage and the factor that makes it one."""
    named = [
        c
        for c in columns
        if c.numeric
        and c.quantity in ("", "%")
        and c.says(words.SOC)
        and not c.says(words.HEALTH)
        and not c.says(words.LIMIT)
        and not (c.says(words.CELL) and re.search(r"\d", c.plain))  # of one cell
    ]
    named += [
        c
        for c in columns
        if c.numeric
        and c.quantity == "%"
        and c not in named
        and c.says(words.PACK)
        and not (c.says(words.HEALTH) or c.says(words.LIMIT) or c.says(words.STATISTIC))
    ]
    named.sort(key=lambda c: (c.says(words.STATISTIC), not np.ptp(c.finite)))
    for column in named:
        top = float(column.finite.max())
        if not column.within(0.0, 1100.0):
            continue
        if top <= 1.0 and np.any(column.finite % 1):
            return column, 100.0
        return column, 1.0 if top <= 110.0 else 0.1
    return None


def find_temperatures(columns: Sequence[Column]) -> Minor:
    """Temperatures on cells, and those of other places."""
    out = Minor()
    warm = [
        c
        for c in columns
        if c.numeric
        and not c.says(words.LIMIT)
        and (c.quantity in ("C", "F", "K") or (not c.quantity and c.says(words.TEMPERATURE)))
    ]
    plain = [c for c in warm if not c.says(words.STATISTIC)]
    warm = [c for c in plain or warm if c.within(-500.0, 4000.0)]
    forms: dict[tuple[str, float], list[Column]] = defaultdict(list)
    for column in warm:
        form = _temperature_form(column)
        if form is None:
            out.doubts.append(Doubt(f"{column.name}: its unit cannot be told, it is left out"))
        else:
            forms[form].append(column)
    if not forms:
        return out
    (unit, scale), chosen = max(forms.items(), key=lambda item: len(item[1]))
    others = [c.name for form, group in forms.items() for c in group if form != (unit, scale)]
    temps, elsewhere = of_cells([c.name for c in chosen])
    out.fields = {
        "temps": temps,
        "other_temps": (*elsewhere, *others),
        "temp_unit": unit,
        "temp_scale": scale,
    }
    return out


def _temperature_form(column: Column) -> tuple[str, float] | None:
    """Unit and factor: as the heading says, or as only one unit makes a battery's temperature."""
    values = column.finite[np.abs(column.finite) < 4000]
    if not values.size:
        return None
    middle = float(np.median(values))
    unit = column.quantity if column.quantity in ("C", "F", "K") else ""
    ranges = {"C": (-40.0, 100.0), "F": (-40.0, 212.0), "K": (233.0, 373.0)}
    if unit:
        low, high = ranges[unit]
        factor = column.factor
        for scale in (factor, 0.1 * factor, 0.01 * factor):
            if low <= middle * scale <= high:
                return unit, scale
        return None
    if -30.0 <= middle <= 58.0:
        return "C", column.factor
    if 2330.0 <= middle <= 3400.0:
        return "K", 0.1
    if 400.0 < middle <= 580.0:
        return "C", 0.1
    return None  # 75 may be °F, 253 may be tenths of °C or K


def find_balancing(columns: Sequence[Column], cells: int, cell_v: NDArray[np.floating]) -> Minor:
    """Which cells are balanced: a column a cell, or one with a list, flags or bits."""
    named = [c for c in columns if c.says(words.BALANCING) and c.quantity in ("", "s")]
    named = [c for c in named if not c.says(words.CURRENT) and not c.says(words.VOLTAGE)]
    own = [c for c in named if re.search(r"\d", c.plain) and c.within(0.0, 1.0)]
    if len(own) >= cells:
        ordered = sorted(own, key=lambda c: [int(n) for n in re.findall(r"\d+", c.plain)])
        return Minor({"balancing_cells": tuple(c.name for c in ordered[:cells])})
    for column in named:
        if column in own:
            continue
        return _one_balancing(column, cells, cell_v)
    return Minor()


def _one_balancing(column: Column, cells: int, cell_v: NDArray[np.floating]) -> Minor:
    texts = column.texts.fill_null("").str.strip_chars()
    said = [t for t in texts.unique().to_list() if not is_missing(t)]
    distinct = [t for t in said if not IDLE.fullmatch(plain(t))]
    if not distinct or len(distinct) > 4000:
        return Minor()
    forms = _balancing_forms(distinct, cells)
    if not forms:
        text = f"{column.name}: it does not say which cells are balanced, it is left out"
        return Minor(doubts=[Doubt(text)])
    if len(forms) > 1:
        forms = _by_highest(texts, forms, cells, cell_v)
    if len(forms) != 1:
        text = f"{column.name}: numbers of cells or bits, it cannot be told; it is left out"
        return Minor(doubts=[Doubt(text)])
    fields: dict[str, Any] = {"balancing": column.name, "balancing_form": forms[0]}
    if forms[0] == "list" and _counts_from_0(texts, distinct, cells, cell_v):
        text = f"{column.name}: its cells seem to be counted from 0, and are read so"
        return Minor(fields | {"balancing_form": "list_from_0"}, doubts=[Doubt(text)])
    return Minor(fields)


def _counts_from_0(
    texts: pl.Series, distinct: Sequence[str], cells: int, cell_v: NDArray[np.floating]
) -> bool:
    """Whether a list of cells begins with cell 0: it is there beside others, or those that stand
    high are then the balanced ones. A 0 alone may stand for none.
    """
    lists = [re.findall(r"[0-9]+", t) for t in distinct]
    numbers = {int(n) for own in lists for n in own}
    if not numbers or max(numbers) >= cells:
        return False
    if any(len(own) > 1 and "0" in own for own in lists):
        return True
    return _by_highest(texts, ["list", "list_from_0"], cells, cell_v) == ["list_from_0"]


def _balancing_forms(texts: Sequence[str], cells: int) -> list[BalancingForm]:
    """The ways in which all of these texts can be meant."""
    bare = [_bare(t) for t in texts]
    if any(re.fullmatch(r"0[xX][0-9a-fA-F]+", t) for t in bare):
        return ["bits"]
    if all(re.fullmatch(r"(0b)?[01]+", t) and len(t) >= cells for t in bare) and cells > 2:
        return ["flags", "flags_reversed"]
    split = [re.split(r"[ ,;/+|]+", t) for t in bare]
    if any(len(words_) > 1 for words_ in split):
        lists = [w for words_ in split for w in words_ if w]
        if all(len(w) >= cells and set(w) <= {"0", "1"} for w in split if len(w) > 1):
            return ["flags"]
        known = [_whole(w) for w in lists]
        return ["list"] if all(n is not None and n <= cells for n in known) else []
    numbers = [n for t in bare if (n := _whole(t)) is not None]
    if len(numbers) < len([t for t in bare if t]):
        return []
    if set(numbers) <= {0, 1}:
        return []
    if max(numbers) > cells:
        return ["bits"] if max(numbers) < 1 << cells else []
    return ["list", "bits"]


def _by_highest(
    texts: pl.Series, forms: Sequence[BalancingForm], cells: int, cell_v: NDArray[np.floating]
) -> list[BalancingForm]:
    """The form by which the balanced cells are those that stand high."""
    above = cell_v - nanmedian(cell_v.T)[:, None]
    scores: dict[BalancingForm, float] = {}
    for form in forms:
        on = parse_balancing(texts, cells, form)
        scores[form] = float(np.nanmean(above[on])) if on.any() else -1.0
    best = max(scores, key=lambda f: scores[f])
    rest = max(v for f, v in scores.items() if f != best)
    return [best] if scores[best] > 0.001 and scores[best] > 1.5 * max(rest, 0.0) else list(forms)


def parse_balancing(text: pl.Series, cells: int, form: BalancingForm = "list") -> NDArray[np.bool_]:
    """bool[n, cells] from texts such as ``"4 11"``, ``0x0408`` or ``0001000``.

    The few distinct texts are parsed once each, in most rows stands none; unknown numbers are
    passed over.
    """
    on = np.zeros((len(text), cells), bool)
    rows = text.is_not_null().arg_true().to_numpy()
    said = text.drop_nulls()
    distinct = said.unique().to_list()
    codes = said.cast(pl.Enum(distinct)).to_physical().to_numpy()
    patterns = np.zeros((len(distinct), cells), bool)
    for code, label in enumerate(distinct):
        for cell in _balanced(_bare(label), form):
            if 1 <= cell <= cells:
                patterns[code, cell - 1] = True
    on[rows] = patterns[codes]
    return on


def _bare(label: str) -> str:
    """Without brackets, and without the word "cell" before each number."""
    return re.sub(r"\b[A-Za-z]{1,8}[ _#-]?(?=\d)", "", label.strip("[](){}\"' "))


def _balanced(label: str, form: BalancingForm) -> list[int]:
    if form == "bits":
        try:
            bits = int(label, 16) if label.lower().startswith("0x") else int(label)
        except ValueError:
            return []
        return [i + 1 for i in range(min(bits.bit_length(), 512)) if bits >> i & 1]
    if form in ("flags", "flags_reversed"):
        flags = re.sub(r"[ ,;/|]+", "", label.removeprefix("0b"))
        flags = flags[::-1] if form == "flags_reversed" else flags
        return [i + 1 for i, flag in enumerate(flags) if flag == "1"]
    first = 1 if form == "list_from_0" else 0
    numbers = [_whole(w) for w in re.split(r"[ ,;/+|]+", label)]
    return [n + first for n in numbers if n is not None]


def _whole(text: str) -> int | None:
    return int(text) if WHOLE.fullmatch(text) else None
