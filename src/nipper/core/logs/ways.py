"""A column that says which way a current without a sign flows: in words, or in codes that the
voltage tells apart.
"""

from collections.abc import Sequence

import numpy as np
import polars as pl

from nipper.core.logs import words
from nipper.core.logs.column import Column
from nipper.core.logs.signs import Witness, voltage_and_soc

Directions = tuple[tuple[str, int], ...]  # values, and 1 for charging, -1, or 0 for neither
IDLE_SHARE = 0.05  # of the largest current, and of the rows: more is no rest


def directed(
    column: Column, columns: Sequence[Column], witness: Witness
) -> tuple[str, Directions] | None:
    """The column that tells the way of an unsigned current, and what its values mean."""
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
            return other.name, meant
    return None


def _distinct(column: Column) -> list[str]:
    texts = column.texts.drop_nulls().unique(maintain_order=True).head(40)
    return [text for v in texts if (text := str(v).strip())]


def directions_of(texts: pl.Series) -> Directions:
    """The values of a column of directions with what their words mean; 0 where none is known."""
    distinct = texts.drop_nulls().unique(maintain_order=True).head(40)
    values = [text for v in distinct if (text := str(v).strip())]
    known = dict(_by_words(values) or ())
    return tuple((value, known.get(value, 0)) for value in values)


def _by_words(values: Sequence[str]) -> Directions | None:
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
) -> Directions | None:
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
