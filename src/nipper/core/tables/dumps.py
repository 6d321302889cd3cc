"""A database written as the statements that fill it again, as a table."""

import csv
import re

import polars as pl

from nipper.core.errors import InputError
from nipper.core.tables.packed import as_utf8
from nipper.core.tables.table import MOST_COLUMNS, Table

LOOKED_AT = 200_000  # bytes in which the first row must stand
MAX_BYTES = 100_000_000
MOST_FIELDS = 10_000_000
NAME = r"[`\"\[]?([\w.\-]{1,64})[`\"\]]?"
# each letter is looked at once: what stands between brackets holds none, but in quotes
INSERT = re.compile(rf"(?i)\bINSERT\s+INTO\s+{NAME}\s*(?:\(([^()]*)\)\s*)?VALUES\s*")
CREATED = re.compile(r"(?i)\bCREATE\s+TABLE\s+(?:IF\s+NOT\s+EXISTS\s+)?")
COLUMN = re.compile(r"\s*[`\"\[]?(\w[\w .()%°/\-]*?)[`\"\]]?(?:\s.*)?", re.S)
ROW = re.compile(r"\(((?:[^()']++|'(?:[^'\\]++|\\.|'')*+')*+)\)\s*(,|;|$)")
NO_COLUMN = ("primary", "key", "unique", "constraint", "index", "foreign")


def is_dump(data: bytes) -> bool:
    """Whether the bytes are such statements."""
    return bool(re.search(rb"(?i)\bINSERT\s+INTO\s[^;]{1,2000}?\bVALUES\s*\(", data[:LOOKED_AT]))


def dumped_table(data: bytes, file: str, part: str = "") -> Table:
    """The rows of the table most rows are put into.

    Raises
    ------
    InputError
        It is too large, or no row can be made out.
    """
    if len(data) > MAX_BYTES:
        raise InputError(file, "the whole file", f"statements of at most {MAX_BYTES} bytes")
    text = as_utf8(data, file).decode("utf-8", "replace")
    rows: dict[str, list[list[str]]] = {}
    names: dict[str, list[str]] = {}
    for insert in INSERT.finditer(text):
        table = insert[1]
        names.setdefault(table, _listed(insert[2]) if insert[2] else _created(text, table))
        rows.setdefault(table, []).extend(_rows(text, insert.end()))
    table = max(rows, key=lambda name: len(rows[name]), default="")
    if not table or not rows[table]:
        raise InputError(file, "the statements", "INSERT INTO a table VALUES (…), (…)")
    return _made(names[table], rows[table], file, part or table)


def _made(names: list[str], rows: list[list[str]], file: str, part: str) -> Table:
    width = max(map(len, rows))
    if width > MOST_COLUMNS or width * len(rows) > MOST_FIELDS:
        raise InputError(file, "the statements", f"at most {MOST_FIELDS:,} values")
    names = names if len(set(names)) == width else [f"column {i + 1}" for i in range(width)]
    whole = [row for row in rows if len(row) == width]
    frame = pl.DataFrame(whole, schema=dict.fromkeys(names, pl.String), orient="row")
    frame = frame.with_columns(pl.all().replace("NULL", None))
    cut = len(rows) - len(whole)
    dropped = ((cut, "with fewer values"),) if cut else ()
    return Table(file, frame, "statements", 0, part=part, dropped=dropped)


def _listed(text: str) -> list[str]:
    """The names of columns between brackets, without their marks and kinds."""
    found = [match[1] for item in text.split(",") if (match := COLUMN.fullmatch(item))]
    return [name.strip() for name in found if name.split()[0].lower() not in NO_COLUMN]


def _created(text: str, table: str) -> list[str]:
    """The columns as the statement names them that makes the table; none where it is not there."""
    for made in CREATED.finditer(text):
        named = re.compile(NAME + r"\s*\(").match(text, made.end())
        if named and named[1] == table:
            inner = re.sub(r"\([^()]*\)", "", text[named.end() : named.end() + LOOKED_AT])
            return _listed(inner.partition(")")[0])
    return []


def _rows(text: str, at: int) -> list[list[str]]:
    """The rows from there up to the end of the statement."""
    out: list[list[str]] = []
    while row := ROW.match(text, at):
        out.append(_values(row[1]))
        at = row.end()
        if row[2] != ",":
            break
        at += len(text[at : at + 100]) - len(text[at : at + 100].lstrip())
    return out


def _values(inner: str) -> list[str]:
    """What stands between the brackets of a row; nothing where a text in it has no end."""
    line = " ".join(inner.replace("\\'", "''").splitlines())
    try:
        values = next(csv.reader([line], quotechar="'", skipinitialspace=True), list[str]())
    except csv.Error:
        return []
    return [value.strip() for value in values]
