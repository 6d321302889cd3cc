"""Lines of ``name=value`` as scripts and databases of measurements write them, as a table.

The moment stands before the first pair, or as a number of digits behind the last.
"""

import re
from collections import Counter

import polars as pl

from nipper.core.errors import InputError
from nipper.core.tables.table import MOST_COLUMNS, MOST_FIELDS, Table

# each word is looked at once, however long a line a stranger wrote; a comma before a digit is a
# decimal mark, or parts a list
VALUE = r"""("[^"]*"|[^\s,;|]+(?:,\d[^\s,;|]*)*)"""
PAIR = re.compile(
    r"(?<![\w.\-])([A-Za-z_][\w.\-]*+)\s*+(?:=|:\s(?!\s*+[\w.\-]+=))"  # no name before its pairs
    rf"\s*+{VALUE}"
)
LEAST = 3  # pairs in a line that is one, or values of a list
LOOKED_AT = 200  # lines at the start, and so many times ten over the whole file
BEFORE = (  # a level and a name may stand before it
    r"^(?:[A-Za-z]+:[\w.]*:)?\W*(\d[^=]*?\d(?:Z|\s?[APap]\.?[Mm]\.?)?)[\s,;|\]]+"
    r"[^\d=]*?[A-Za-z_][\w.\-]*\s*(?:=|:\s)"
)
# as a system's journal writes it, without a year
JOURNAL = r"^(?:<\d{1,3}>)?([A-Z][a-z]{2} [ \d]\d \d\d:\d\d:\d\d) "
BEHIND = r"\s(\d{10,19})\s*$"


def pair_table(data: bytes, file: str, part: str = "") -> Table | None:
    """The table in text of such lines; None where it is something else.

    Raises
    ------
    InputError
        More names than a table may have columns, or more values than memory holds.
    """
    head = data[:100_000].decode("utf-8", "replace").splitlines()[:LOOKED_AT]
    found = [PAIR.findall(line) for line in head if line.strip()]
    good = [p for p in found if len(p) >= LEAST or sum(v.count(",") for _, v in p) >= LEAST]
    if len(good) < 2 or len(good) < 0.8 * len(found):
        return None
    if Counter(name for name, _ in good[0]).most_common(1)[0][1] > 1:
        return None  # a sentence, not a row: which of two is meant cannot be told
    text = data.decode("utf-8", "replace").splitlines()
    spread = text[:: max(1, len(text) // (10 * LOOKED_AT))]  # some are only said at times
    named = [*good, *(PAIR.findall(line) for line in spread)]
    names = list(dict.fromkeys(name for pairs in named for name, _ in pairs))
    if len(names) > MOST_COLUMNS:
        raise InputError(file, "the lines", f"at most {MOST_COLUMNS} names")
    if len(names) * data.count(b"\n") > MOST_FIELDS:
        raise InputError(file, "the lines", f"at most {MOST_FIELDS:,} values: split it by months")
    lines = pl.Series("line", text, dtype=pl.String)
    frame = lines.to_frame().select(
        pl.coalesce(
            pl.col("line").str.extract(pattern) for pattern in (JOURNAL, BEFORE, BEHIND)
        ).alias(_free("time", names)),
        *(pl.col("line").str.extract(_of(name)).str.strip_chars('"').alias(name) for name in names),
    )
    written = frame.filter(~pl.all_horizontal(pl.all().is_null()))
    lost = sum(map(bool, map(str.strip, text))) - written.height
    dropped = ((lost, "without a value"),) if lost else ()
    return Table(file, written, "pairs", 1, part=part, dropped=dropped)


def _of(name: str) -> str:
    return rf"(?:^|[\s,;|\[]){re.escape(name)}\s*(?:=|:\s+)\s*{VALUE}"


def _free(name: str, taken: list[str]) -> str:
    return name if name not in taken else f"{name} of the line"
