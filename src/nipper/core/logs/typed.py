"""Readings taken by eye from a screen and typed in: a log of one row.

Cells are typed or pasted one after another (``3.452 3.449 …``, ``3452 mV``, ``3,452``), or single
ones by their number (``7: 3.455``), when a screen shows only the highest and the lowest.
"""

import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nipper.core.errors import RangeError
from nipper.core.logs.model import Log

Floats = NDArray[np.floating]
TYPED = "typed reading"  # the file a typed reading is said to be from
LEAST_V, MOST_V = -1.0, 10.0  # of any cell, be it ruined, that is not a slip
NUMBERED = re.compile(r"(\d{1,3})\s*[:=]\s*(\d[\d.,]*\d|\d)")
# ways of writing the number of a cell before its voltage, and what says nothing about either
NUMBER_FIRST = (
    r"(?i)\b(?:cell|zelle|c|u|v|no|nr)[ ._#]*(\d{1,3})[ \t]+(?=\d)",  # Cell 1 3.312
    r"(?<![\d.,])(\d{1,3})(?:\)|\.(?=\s))\s*(?=\d)",  # 1) 3.312, 1. 3.312
    r"(?m)^\s*(\d{1,3})\s+(?:-|–|→|=>)\s+(?=\d)",  # 1 - 3.312
)
NOISE = re.compile(r"(?i)m?v\b|volts?\b|\b[a-zäöü]+\s*:(?=\s)|[\[\]{}\"|/→–*]|(?<=\s)-(?=\s)")
GROUPED = re.compile(r"(?<=\d)'(?=\d{3})")
ROW = re.compile(r"(?<!\d)(?:\d*\.\d+|\d{4,})(?:,(?:\d*\.\d+|\d{4,}))+")  # of a table with commas
SEPARATORS = re.compile(r"[\s;|]+|,(?=\s)")
MOST_TEXT = 20_000


@dataclass(frozen=True, slots=True)
class Reading:
    """What was read at one moment; None is what the screen does not show. ``cells`` as typed."""

    time_s: float
    cells: str
    current_a: float | None = None
    pack_v: float | None = None
    soc_pct: float | None = None
    temp_c: tuple[float, ...] = ()


def parse_cells(text: str, cells: int) -> Floats:
    """Cell voltages as typed, float64[cells] V; NaN where one was not given.

    Raises
    ------
    RangeError
        Not as many as the pack has cells, a number that cannot be read, or no cell's voltage.
    """
    if len(text) > MOST_TEXT:
        raise RangeError(f"expected {cells} voltages, this is too long")
    text = _plain(text)
    numbered = NUMBERED.findall(text) or _in_rows(text)
    if numbered:
        return _by_number(numbered, cells)
    words = [w for w in SEPARATORS.split(text.strip()) if w]
    values = [_volts(word) for word in words]
    if len(values) != cells:
        raise RangeError(f"expected {cells} cells, found {len(values)}")
    return np.array(values)


def _plain(text: str) -> str:
    """The numbers with what parts them; that of a cell before a colon."""
    text = NOISE.sub(" ", GROUPED.sub("", text))
    for written in NUMBER_FIRST:
        text = re.sub(written, r" \1: ", text)
    return ROW.sub(lambda row: row[0].replace(",", " "), text)


def _in_rows(text: str) -> list[tuple[str, str]]:
    """A pasted table: a row a cell with its number before its voltage, or the numbers in one row
    and the voltages in the next. Empty where it is neither.
    """
    text = re.sub(r"(?i)\b(?:cell|zelle|c|u|no|nr)[ ._#]*(?=\d{1,3}\b(?![.,]\d))|#", " ", text)
    rows = [[w for w in SEPARATORS.split(line.strip()) if w] for line in text.splitlines()]
    rows = [row for row in rows if row]
    beside = _counted(rows)
    if beside or len(rows) != 2 or len(rows[0]) != len(rows[1]):
        return beside
    return _counted([list(pair) for pair in zip(*rows, strict=True)])


def _counted(rows: list[list[str]]) -> list[tuple[str, str]]:
    """Rows of two, if they are counted from 1; else none."""
    numbers = [str(i) for i in range(1, len(rows) + 1)]
    if len(rows) < 2 or any(len(row) != 2 for row in rows):
        return []
    return [(row[0], row[1]) for row in rows] if [row[0] for row in rows] == numbers else []


def _by_number(numbered: Sequence[tuple[str, str]], cells: int) -> Floats:
    out = np.full(cells, np.nan)
    for number, word in numbered:
        index = int(number) - 1
        if not 0 <= index < cells:
            raise RangeError(f"cell {number}: expected a cell from 1 to {cells}")
        if np.isfinite(out[index]):
            raise RangeError(f"cell {number}: given twice")
        out[index] = _volts(word)
    return out


def _volts(word: str) -> float:
    """One cell's voltage, typed in V or mV, with a point or a comma."""
    try:
        value = float(word.replace(",", "."))
    except ValueError:
        raise RangeError(f"“{word[:20]}”: expected a voltage such as 3.452") from None
    volts = value / 1e3 if value > 100.0 else value
    if not LEAST_V <= volts <= MOST_V:
        raise RangeError(f"“{word[:20]}”: expected a cell's voltage in V or mV")
    return volts


def typed_log(reading: Reading, cells: int) -> Log:
    """The reading as a log of one row.

    Raises
    ------
    RangeError
        As of :func:`parse_cells`, and when fewer than two cells are given.
    """
    cell_v = parse_cells(reading.cells, cells)
    if np.isfinite(cell_v).sum() < 2:
        raise RangeError("expected at least the highest and the lowest cell")
    all_read = bool(np.isfinite(cell_v).all())
    pack_v = reading.pack_v or (float(cell_v.sum()) if all_read else np.nan)
    return Log(
        time_s=np.array([reading.time_s]),
        current_a=np.array([np.nan if reading.current_a is None else reading.current_a]),
        pack_v=np.array([pack_v]),
        cell_v=cell_v[None, :].astype(np.float32),
        temp_c=np.array([reading.temp_c], dtype=np.float32).reshape(1, -1),
        soc_pct=None if reading.soc_pct is None else np.array([reading.soc_pct]),
    )
