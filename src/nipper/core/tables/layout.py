"""Where in a sheet of text the table stands: header rows, a row of units, the first row of data.

A row of data has the kinds (number, moment, word) that the rows after it have; what stands above
the first one is the header, and above that are remarks.
"""

import re
from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise

from nipper.core.tables.numbers import is_missing, looks_numeric

Row = Sequence[str | None]
MOMENT = re.compile(r"\d{1,2}:\d{2}|\d{1,4}[-/.]\d{1,2}[-/.]\d{1,4}|\d{8}[T _]?\d{4}")
UNIT = re.compile(
    r"[\[(]?\s*([mcdkµμ]?[vaw]h?|volts?|amp(?:ere)?s?|°?[cfk]|deg ?[cf]|%|m?ah|k?wh|m?ohms?|m?Ω"
    r"|ms|s|sec|min|h|hh:mm(?::ss)?|unix|iso|-|utc|local|yyyy.*|dd[./-]mm.*|bit|#)\s*[\])]?",
    re.I,
)
LOOKED_AT = 400  # rows that decide
MOST_DIGITS = 9  # of a number that may count something


@dataclass(frozen=True, slots=True)
class Layout:
    """Names and units of the columns, the index of the first row of data, the remarks above."""

    names: list[str]
    units: list[str]
    first: int
    notes: list[str]


@lru_cache(maxsize=1 << 16)
def kind(text: str | None) -> str:
    """What a field holds: ``empty``, ``number``, ``moment`` or ``word``."""
    if is_missing(text):
        return "empty"
    if looks_numeric(str(text)):
        return "number"
    return "moment" if MOMENT.search(str(text)) and len(str(text)) < 60 else "word"


def find_layout(rows: Sequence[Row]) -> Layout | None:
    """The layout of a sheet from its first rows, or None when it holds no table."""
    rows = rows[:LOOKED_AT]
    widths = Counter(len(row) for row in rows[_further_down(rows) :] if any(_filled(row)))
    if not widths:
        return None
    width = widths.most_common(1)[0][0]
    usual = _usual_kinds(rows, width)
    first = next((i for i in range(len(rows)) if _is_data(rows[i], usual)), None)
    if first is None or not any(k in ("number", "moment") for k in usual):
        return None
    while first > 1 and _odd_data(rows, first - 1, usual):
        first -= 1
    return _headed(rows, first, width)


def _further_down(rows: Sequence[Row]) -> int:
    """Where headers and remarks have ended: behind a third of the rows, and the first of few."""
    return max(len(rows) // 3, min(1, len(rows) - 1))


def _filled(row: Row) -> list[bool]:
    return [not is_missing(field) for field in row]


def _usual_kinds(rows: Sequence[Row], width: int) -> list[str]:
    """What each column holds in most of the rows further down."""
    body = [row for row in rows[_further_down(rows) :] if len(row) == width] or list(rows)
    usual: list[str] = []
    for i in range(width):
        kinds = Counter(kind(row[i]) for row in body if i < len(row))
        kinds.pop("empty", None)
        usual.append(kinds.most_common(1)[0][0] if kinds else "empty")
    return usual


def _is_data(row: Row, usual: Sequence[str]) -> bool:
    """No word where numbers or moments usually stand, and at least one of these there."""
    if len(usual) > 2 and _count(row) < 2:
        return False  # a remark of one field, may a date stand in it
    kinds = [kind(field) for field in row]
    pairs = list(zip(kinds, usual, strict=False))
    wrong = sum(k != u and k == "word" and u in ("number", "moment") for k, u in pairs)
    right = sum(k == u and u in ("number", "moment") for k, u in pairs)
    if wrong and (right <= 2 * wrong or _counts_up(row)):
        return False
    return right > 0 and (right >= 2 or usual.count("number") <= 1)


def _odd_data(rows: Sequence[Row], at: int, usual: Sequence[str]) -> bool:
    """A row of values with a word too many (a hexadecimal alarm), below a row of words only."""
    row, above = rows[at], rows[at - 1]
    if len(row) != len(usual) or len(above) != len(usual) or _counts_up(row):
        return False
    measured = ("number", "moment")
    values = any(kind(f) == u for f, u in zip(row, usual, strict=True) if u in measured)
    return values and all(kind(field) == "word" for field in above)


def _counts_up(row: Row) -> bool:
    """A heading whose cells are named 1, 2, 3 … only."""
    return counting(row) > 1


def counting(texts: Iterable[object]) -> int:
    """How many of these are whole numbers, when they count on; else 0."""
    words = [word for text in texts if (word := str(text).strip()).isdecimal()]
    numbers = [int(word) for word in words if len(word) < MOST_DIGITS]
    return len(numbers) * all(b - a == 1 for a, b in pairwise(numbers))


def _headed(rows: Sequence[Row], first: int, width: int) -> Layout:
    above = [i for i in range(first) if any(_filled(rows[i]))]
    units = [""] * width
    if above and _is_units(rows[above[-1]]) and len(above) > 1:
        units = _padded(rows[above.pop()], width)
    names = [""] * width
    own = ""
    if len(above) > 1 and _names_first(rows[above[-1]], rows[above[-2]]):
        own = str(rows[above.pop()][0])
    if above and _count(rows[above[-1]]) >= 0.5 * min(width, 4):
        width = max(width, _last_filled(rows[above[-1]]))  # names of what no row holds
        units = _padded(units, width)
        names = _padded(rows[above.pop()], width)
        names[0] = names[0] or own
        group = _padded(rows[above[-1]], width) if above else []
        if sum(map(bool, group)) >= 2 and _is_group(group, names):
            above.pop()
            names = [f"{g} {n}".strip() for g, n in zip(_carried(group), names, strict=True)]
    notes = ["  ".join(str(f).strip() for f in rows[i] if not is_missing(f)) for i in above]
    return Layout(unique(names), units, first, notes)


def _names_first(row: Row, above: Row) -> bool:
    """Whether a row names the first column only, and the one above it all others."""
    return _filled(row) == [True] + [False] * (len(row) - 1) and _filled(above)[:2] == [False, True]


def _count(row: Row) -> int:
    return sum(_filled(row))


def _last_filled(row: Row) -> int:
    return max((i for i, filled in enumerate(_filled(row), 1) if filled), default=0)


def _is_units(row: Row) -> bool:
    filled = [str(f).strip() for f in row if not is_missing(f)]
    return len(filled) >= 2 and all(UNIT.fullmatch(f) for f in filled)


def _is_group(group: Sequence[str], names: Sequence[str]) -> bool:
    """A row of group titles has gaps that the names below it fill."""
    gaps = [n for g, n in zip(group, names, strict=True) if not g and n]
    return bool(gaps) and bool(group[-1] or names[-1])


def _carried(group: Sequence[str]) -> list[str]:
    """Each group title over the columns up to the next one."""
    out: list[str] = []
    last = ""
    for title in group:
        last = title or last
        out.append(last)
    return out


def _padded(row: Row, width: int) -> list[str]:
    texts = ["" if field is None else " ".join(str(field).split()) for field in row[:width]]
    return texts + [""] * (width - len(texts))


def unique(names: Sequence[str]) -> list[str]:
    """Each name once: nameless columns are numbered, repeated names get a count behind them."""
    seen: set[str] = set()
    counts: dict[str, int] = {}
    out: list[str] = []
    for i, name in enumerate(names, 1):
        clean = re.sub("[\ufeff\u200b]", "", name).strip().strip("\"'").strip() or f"column {i}"
        own, count = clean, counts.get(clean, 2)
        while own in seen:
            own, count = f"{clean} ({count})", count + 1
        seen.add(own)
        counts[clean] = count  # thousands of one name are not counted from two each time
        out.append(own)
    return out
