"""A header with a name less than its rows have values, where it can be told which is missing."""

import re
from collections.abc import Sequence
from dataclasses import replace

from nipper.core.tables.layout import Layout, Row, counting, kind, unique

MANY = 3  # rows that count on
UNIX = re.compile(r"1\d{9,}")
SECONDS_LAST = re.compile(r".*:\d\d:\d\d")


def with_row_numbers(layout: Layout, rows: Sequence[Row]) -> Layout:
    """The numbers of the rows without a name of their own, as statistics programs write them: they
    count on, and a moment stands beside them.
    """
    body = _unnamed(layout, rows)
    if len(body) < MANY or any(layout.units):
        return layout
    counted = counting(row[0] for row in body) == len(body)
    if not counted or not all(_is_moment(str(row[1])) for row in body):
        return layout
    return replace(layout, names=unique(["", *layout.names[:-1]]))


def fractions_apart(layout: Layout, rows: Sequence[Row]) -> bool:
    """Whether a comma before the thousandths of each second has parted them from it."""
    body = _unnamed(layout, rows)
    return len(body) >= MANY and all(
        SECONDS_LAST.fullmatch(str(row[0])) and re.fullmatch(r"\d{3}(?:\d{3})?", str(row[1]))
        for row in body
    )


def _unnamed(layout: Layout, rows: Sequence[Row]) -> list[Row]:
    """The rows of values where the last of them, and no other, stands under no name."""
    width = len(layout.names)
    nameless = [name == f"column {i}" for i, name in enumerate(layout.names, 1)]
    if width < 3 or nameless.count(True) != 1 or not nameless[-1]:
        return []
    body = [row for row in rows[layout.first :] if len(row) == width]
    return body if all(kind(row[-1]) != "empty" for row in body) else []


def _is_moment(text: str) -> bool:
    return kind(text) == "moment" or bool(UNIX.match(text.strip()))
