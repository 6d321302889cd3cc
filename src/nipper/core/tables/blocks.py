"""Readings written below each other, ``name: value`` a line, as a table: a line of its own for each
quantity is how a terminal shows a device.
"""

import re
from itertools import pairwise

import polars as pl

from nipper.core.errors import InputError
from nipper.core.tables.layout import kind
from nipper.core.tables.table import MOST_FIELDS, Table

LINE = re.compile(
    r"[ \t]*([A-Za-z][^:=\t,;|]{0,39}?)[ \t]*[:=][ \t]*([^\s,;|][^\t,;|]*(?:,[^\t,;|]*)?)"
)
LOOKED_AT = 400  # lines that decide
LEAST = 3  # lines of a reading
MOST_NAMES = 400
USUAL = 0.8  # of the lines, of the values


def block_table(data: bytes, file: str, part: str = "") -> Table | None:
    """The table in text of such lines; None where it is something else.

    A reading begins where the name of the first line comes again.

    Raises
    ------
    InputError
        More values than memory holds.
    """
    head = data[:100_000].decode("utf-8", "replace").splitlines()[:LOOKED_AT]
    if not _are_blocks([line for line in head if line.strip()]):
        return None
    if data.count(b"\n") > MOST_FIELDS:
        raise InputError(file, "the lines", f"at most {MOST_FIELDS:,} values: split it by months")
    lines = data.decode("utf-8", "replace").splitlines()
    pairs = [(m[1], m[2].strip()) for line in lines if (m := LINE.fullmatch(line))]
    begins = [i for i, (name, _) in enumerate(pairs) if name == pairs[0][0]]
    rows = [dict(pairs[a:b]) for a, b in pairwise([*begins, len(pairs)])]
    names = list(dict.fromkeys(name for name, _ in pairs))
    if len(names) > MOST_NAMES:
        return None
    frame = pl.DataFrame(
        {n: pl.Series([row.get(n) for row in rows], dtype=pl.String) for n in names}
    )
    return Table(file, frame, "lines", 0, part=part)


def _are_blocks(lines: list[str]) -> bool:
    """Whether the same few names come again and again, most of them with a number or a moment."""
    found = [match for line in lines if (match := LINE.fullmatch(line))]
    if len(found) < max(2 * LEAST, USUAL * len(lines)):
        return False
    names = [match[1] for match in found]
    times, kinds = names.count(names[0]), len(set(names))
    told = sum(kind(match[2].strip()) in ("number", "moment") for match in found)
    whole = times > 1 and kinds >= LEAST and len(names) >= USUAL * kinds * (times - 1)
    return whole and told >= USUAL * len(found)
