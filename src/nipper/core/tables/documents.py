"""Tables in JSON, JSON lines, Parquet and SQLite, as text columns."""

import ast
import contextlib
import io
import json
import re
import sqlite3
from pathlib import Path
from typing import Any, cast

import polars as pl

from nipper.core.errors import InputError
from nipper.core.quiet import quiet
from nipper.core.tables.layout import kind as kind_of
from nipper.core.tables.packed import as_utf8
from nipper.core.tables.series import columns, long_rows
from nipper.core.tables.table import MOST_COLUMNS, Table, text_frame, untellable
from nipper.core.tables.texts import sheet_table

PARQUET, ARROW = b"PAR1", b"ARROW1\0\0"
MAX_JSON_BYTES = 400_000_000
MAX_DB_ROWS = 40_000_000
MOST_NAMED = 5000  # rows of a table that lists names
MAX_PRINTED_BYTES = 30_000_000
PRINTED = re.compile(rb"\s*\[?\s*\{\s*'")
BETWEEN = re.compile(r"[\s,]*")  # two documents
STAMPED = re.compile(
    rb"\s*\[?(\d{4}-\d\d-\d\d[T ][\d:.,]+ ?(?:Z|[+-]\d\d:?\d\d)?|\d{10,13})\]?[\s,;|:]++"
    rb"([\w./-]{1,100})?\s*(\{.*\})\s*$"
)
LINES_LOOKED_AT = 200
MAX_SLOTS = 400  # of a list that becomes columns


def json_table(data: bytes, file: str, part: str = "") -> Table:
    """The table in a JSON document, or in lines of one JSON object each."""
    data = as_utf8(data, file)
    if len(data) > MAX_JSON_BYTES:
        raise InputError(file, "the whole file", f"JSON of at most {MAX_JSON_BYTES} bytes")
    data = _with_double_quotes(data, file)
    first = data.lstrip().split(b"\n", 1)[0].rstrip()
    lines = first.endswith(b"}") and b"\n{" in data.replace(b"\r", b"")[:SAMPLE]
    try:
        if lines:
            frame = _as_written(pl.read_ndjson(io.BytesIO(data), infer_schema_length=None), data)
        else:
            found: Any = _longest_list(_document(data))
            if found is None:
                raise InputError(file, "the document", "a list of objects, one a reading")
            if isinstance(found, list) and isinstance(found[0], list):
                return _rows_of_lists(cast("list[list[Any]]", found), file, part)
            frame = pl.DataFrame(cast("Any", found), strict=False, infer_schema_length=None)
    except json.JSONDecodeError as error:
        place = f"line {error.lineno} column {error.colno}"
        raise InputError(file, place, f"JSON ({error.msg})") from None
    except (pl.exceptions.PolarsError, TypeError, ValueError, RecursionError) as error:
        text = (str(error).splitlines() or ["unreadable"])[0][:120]
        raise InputError(file, "the document", f"readings of one form ({text})") from None
    return Table(file, text_frame(_flat(_unwrapped(frame))), "json", 1, part=part)


def stamped_lines(data: bytes) -> bytes | None:
    """Objects with a moment, and maybe a name, before each, as JSON lines; None for other text."""
    head = data[:SAMPLE].splitlines()[:LINES_LOOKED_AT]
    if sum(map(bool, map(STAMPED.match, head))) < max(2, 0.9 * len(head) - 1):
        return None
    found = [STAMPED.match(line) for line in data.splitlines()]
    made = [b'{"time": "%s", "name": "%s", "said": %s}' % m.groups(b"") for m in found if m]
    return b"\n".join(made)


def _document(data: bytes) -> Any:
    """What a text of JSON holds: one document, or a list of several that follow each other."""
    text, decoder = data.decode("utf-8", "replace").strip(), json.JSONDecoder()
    document, end = decoder.raw_decode(text)
    if end == len(text):
        return _by_row(document)
    documents = [document]
    while (start := BETWEEN.match(text, end)) and start.end() < len(text):
        document, end = decoder.raw_decode(text, start.end())
        documents.append(document)
    return documents


def _by_row(document: Any) -> Any:
    """Objects of a table library: a column, or a row, by its number or its moment; names of the
    columns beside rows.
    """
    if not isinstance(document, dict):
        return document
    keys = cast("dict[str, Any]", document)
    names, rows = keys.get("columns"), keys.get("data")
    if isinstance(names, list) and isinstance(rows, list):
        return _headed(cast("list[Any]", names), cast("list[Any]", rows), keys.get("index"))
    inner = [cast("dict[str, Any]", v) for v in keys.values() if isinstance(v, dict) and v]
    if not 2 <= len(inner) == len(keys):
        return keys
    called = next(iter(inner[0]))
    if not _is_moment(next(iter(keys))) and (called.isdigit() or _is_moment(called)):
        return _by_column(keys, inner)
    if len({tuple(row) for row in inner}) == 1:
        return [{"time": moment} | row for moment, row in zip(keys, inner, strict=True)]
    return keys


def _by_column(document: dict[str, Any], columns: list[dict[str, Any]]) -> dict[str, Any]:
    """Columns whose values are called by their row's number, or by its moment."""
    called = columns[0]
    if any(column.keys() != called.keys() for column in columns):
        return document
    listed = {name: [v[c] for c in called] for name, v in zip(document, columns, strict=True)}
    return {"time": list(called)} | listed if _is_moment(next(iter(called))) else listed


def _is_moment(key: str) -> bool:
    """Whether a value, or a row, is called by when it was read rather than by its number."""
    return kind_of(key) == "moment" or (key.isdigit() and len(key) >= MOMENT_DIGITS)


def _headed(names: list[Any], rows: list[Any], index: Any) -> list[Any]:
    """Rows under their names; what they are called by stands first, unless it is only a number."""
    called = cast("list[Any]", index) if isinstance(index, list) else []
    if len(called) != len(rows) or not all(isinstance(row, list) for row in rows):
        return [names, *rows]
    if all(isinstance(name, int) and name < len(rows) for name in called):
        return [names, *rows]
    return [["index", *names], *([name, *row] for name, row in zip(called, rows, strict=True))]


def _with_double_quotes(data: bytes, file: str) -> bytes:
    """Objects as Python prints them, as JSON; other text as it is."""
    if not PRINTED.match(data) or len(data) > MAX_PRINTED_BYTES:
        return data
    text = data.decode("utf-8", "replace")
    parts = text.splitlines() if text.lstrip().startswith("{") else [text]
    try:
        read = [ast.literal_eval(part.strip()) for part in parts if part.strip()]
        return "\n".join(map(json.dumps, read)).encode()
    except (ValueError, TypeError, SyntaxError, RecursionError, MemoryError):
        expected = "JSON, or what Python prints of dictionaries, one a line"
        raise InputError(file, "the document", expected) from None


SAMPLE = 100_000
MOMENT_DIGITS = 10  # of seconds since 1970


def _as_written(frame: pl.DataFrame, data: bytes) -> pl.DataFrame:
    """Columns in the order of the first object: the reader of lines may shuffle them."""
    first: dict[str, Any] = json.loads(data.lstrip().split(b"\n", 1)[0])
    own = [name for name in first if name in frame.columns]
    return frame.select(*own, pl.exclude(own)) if own else frame


def _unwrapped(frame: pl.DataFrame) -> pl.DataFrame:
    """A document written as text within one, as what is passed on by a message is."""
    for name, kind in frame.schema.items():
        if kind != pl.String:
            continue
        first = frame.get_column(name).drop_nulls().head(1).to_list()
        if not first or not first[0].lstrip().startswith(("{", "[")):
            continue
        with contextlib.suppress(pl.exceptions.PolarsError):  # then it is a text
            inner = frame.get_column(name).str.json_decode(infer_schema_length=None)
            frame = frame.with_columns(inner)
    return frame


def _rows_of_lists(rows: list[list[Any]], file: str, part: str) -> Table:
    texts = [[None if v is None else str(v) for v in row] for row in rows]
    table = sheet_table(texts, file, part)
    if table is None:
        raise InputError(file, "the document", "a list of objects, one a reading")
    return table


def _longest_list(document: Any, depth: int = 0) -> Any:
    """The list of readings in a document: the longest one of objects or of rows, or an object of
    equally long lists.
    """
    if isinstance(document, list):
        rows = cast("list[Any]", document)
        alike = bool(rows) and all(type(r) is type(rows[0]) for r in rows)
        return long_rows(rows) or (rows if alike and isinstance(rows[0], dict | list) else None)
    if not isinstance(document, dict) or depth > 4:
        return None
    by_name = cast("dict[str, Any]", document)
    together = columns(by_name)
    if together:
        return together
    values = list(by_name.values())
    inner = [_longest_list(value, depth + 1) for value in values]
    return max((i for i in inner if i is not None), key=_rows, default=None)


def _rows(readings: Any) -> int:
    """How many rows a list has, or an object of lists."""
    if isinstance(readings, dict):
        return len(next(iter(cast("dict[str, list[Any]]", readings).values())))
    return len(readings)


def _flat(frame: pl.DataFrame) -> pl.DataFrame:
    """Objects within a row become columns, and so do lists of numbers."""
    for _ in range(6):
        kinds = frame.schema  # asked for once: it is made anew at each asking
        nested = [
            c for c, kind in kinds.items() if isinstance(kind, pl.Struct | pl.List | pl.Array)
        ]
        if not nested:
            break
        for name in nested:
            kind = kinds[name]
            if isinstance(kind, pl.Struct):
                frame = frame.unnest(name, separator=" ")
            elif isinstance(kind, pl.Array):  # a list, in the next round
                frame = frame.with_columns(pl.col(name).arr.to_list())
            elif untellable(kind):
                frame = frame.with_columns(pl.lit(None, pl.String).alias(name))
            else:
                frame = _spread(frame, name)
            if frame.width > MOST_COLUMNS:
                return frame  # more than a table may have: refused as one
    return frame


def _spread(frame: pl.DataFrame, name: str) -> pl.DataFrame:
    """A list in each row as columns, where the lists are equally long in most rows."""
    lengths = frame.get_column(name).list.len()
    most = lengths.drop_nulls().mode()
    width = int(most[0]) if len(most) else 0
    if not 2 <= width <= MAX_SLOTS or int((lengths == width).sum()) < 0.8 * len(lengths):
        inner = frame.schema[name]
        assert isinstance(inner, pl.List)
        text = (
            pl.col(name).list.join(" ")
            if inner.inner == pl.String
            else pl.col(name).list.eval(pl.element().cast(pl.String, strict=False)).list.join(" ")
        )
        if isinstance(inner.inner, pl.Struct | pl.List):
            return frame.drop(name)
        return frame.with_columns(text)
    fields = [
        pl.col(name).list.get(i, null_on_oob=True).alias(f"{name} {i + 1}") for i in range(width)
    ]
    at = frame.columns.index(name)
    spread = frame.select(fields)
    before, after = frame[:, :at], frame[:, at + 1 :]
    return pl.concat([before, spread, after], how="horizontal")


def columnar_table(data: bytes, file: str, part: str = "") -> Table:
    """The table in a Parquet or an Arrow file."""
    name, read = ("Arrow", pl.read_ipc) if data.startswith(ARROW) else ("Parquet", pl.read_parquet)
    try:
        with quiet():
            frame = read(io.BytesIO(data))
    except (pl.exceptions.PolarsError, pl.exceptions.PanicException, OSError) as error:
        text = (str(error).splitlines() or ["unreadable"])[0][:120]
        raise InputError(file, "the whole file", f"{name} ({text})") from None
    return Table(file, text_frame(_flat(frame)), name.lower(), 1, part=part)


def database_tables(path: Path) -> list[Table]:
    """The tables of an SQLite file, read only."""
    try:
        with contextlib.closing(
            sqlite3.connect(f"{path.resolve().as_uri()}?mode=ro", uri=True, timeout=2.0)
        ) as base:
            base.execute("PRAGMA trusted_schema = OFF")
            base.text_factory = _decoded
            names = [
                row[0]
                for row in base.execute(
                    "SELECT name FROM sqlite_master WHERE type = 'table'"
                    " AND name NOT LIKE 'sqlite_%' ORDER BY name"
                )
            ]
            return _named([_database_table(base, name, str(path)) for name in names])
    except sqlite3.Error as error:
        raise InputError(str(path), "the whole file", f"an SQLite file ({error})") from None
    except UnicodeDecodeError:  # of names, and of SQLite's own words about what is damaged
        raise InputError(str(path), "the whole file", "an undamaged SQLite file") from None


def _named(tables: list[Table]) -> list[Table]:
    """Tables whose readings carry the number of what was read, with its name from the table that
    lists them.
    """
    return [
        next((named for other in tables if (named := _joined(table, other)) is not None), table)
        for table in tables
    ]


def _joined(table: Table, other: Table) -> Table | None:
    """The table with the texts of another, where a column of numbers points into it."""
    if other is table or not 0 < other.rows < min(MOST_NAMED, table.rows):
        return None
    for key in filter(_points, table.columns):
        own = next((c for c in (key, "id") if c in other.columns), None)
        if own is None or other.text(own).n_unique() < other.rows:
            continue
        told = [c for c in other.columns if c != own and c not in table.columns]
        pointed = table.text(key).drop_nulls().unique()
        if told and len(pointed) > 1 and pointed.is_in(other.text(own).to_list()).all():
            names = other.frame.select(pl.col(own).alias(key), *told)
            frame = table.frame.join(names, on=key, how="left", maintain_order="left").drop(key)
            return table.with_frame(frame)
    return None


def _points(column: str) -> bool:
    """Whether a column holds the number of what was read; that of a cell is its place, and no
    serial number must put it in another order.
    """
    low = column.lower()
    return low.endswith("id") and not any(word in low for word in ("cel", "zell", "element"))


def _database_table(base: sqlite3.Connection, name: str, file: str) -> Table:
    quoted = name.replace('"', '""')
    cursor = base.execute(f'SELECT * FROM "{quoted}" LIMIT {MAX_DB_ROWS}')
    columns = [d[0] for d in cursor.description]
    texts = [[_text(v) for v in row] for row in cursor]
    schema = dict.fromkeys(columns, pl.String)
    frame = pl.DataFrame(texts, schema=schema, orient="row")
    return Table(file, frame, "database", 1, part=name)


def _decoded(text: bytes) -> str:
    """As written by a program that keeps to UTF-8, and by one that does not."""
    return text.decode("utf-8", "replace")


def _text(value: object) -> str | None:
    if value is None or isinstance(value, bytes):
        return None
    return str(value)
