"""Tables in text: separated by a character, or set in columns with spaces."""

import csv
import io
import re
from collections import Counter
from collections.abc import Iterator

import polars as pl

from nipper.core.errors import InputError
from nipper.core.tables.aligned import fractions_apart, with_row_numbers
from nipper.core.tables.blocks import block_table
from nipper.core.tables.damage import MOST_DAMAGED, without_damaged
from nipper.core.tables.layout import LOOKED_AT, Layout, find_layout, kind, unique
from nipper.core.tables.numbers import sure_mark
from nipper.core.tables.packed import as_utf8
from nipper.core.tables.pairs import pair_table
from nipper.core.tables.table import MOST_COLUMNS, MOST_FIELDS, Table

SEPARATORS = (";", "\t", "|", ",")
SAMPLE_BYTES = 400_000
SENTENCE = re.compile(rb"[$!][^\n]{1,400}\*[0-9A-Fa-f]{2}\r?\n")
KEPT_AS_TEXT = re.compile(rb'(?m)(?<![^,;\t\n])="')
HALF_WIDTH = {code: code - 0xFEE0 for code in range(0xFF01, 0xFF5F)}
FRACTION = re.compile(rb"(?m)^([^,\n]{8,30}:\d\d),(\d{3}(?:\d{3})?)(?=,)")
EXPECTED = "a header row and columns separated by comma, semicolon, tab or spaces"


def text_table(data: bytes, file: str, part: str = "") -> Table:
    """The table in the bytes of a text file.

    Raises
    ------
    InputError
        No table can be made out, or a row has more fields than the header.
    """
    data = _with_line_ends(as_utf8(data, file))
    data = _without_quotes(_without_checksums(_half_width(data)))
    for other in (pair_table, block_table):
        table = other(data, file, part)
        if table is not None:
            return table
    records = list(_records(data))
    separator = _separator([text for _, text in records])
    if separator is None:
        data = _columns_of_spaces(data, file)
        records, separator = list(_records(data)), "\t"
    rows = [_fields(text, separator) for _, text in records]
    layout = find_layout(rows)
    if layout is None:
        place = f"line {records[0][0] + 1 if records else 1}"
        _refuse_empty(rows, file)
        raise InputError(file, place, EXPECTED)
    _refuse_large(data, separator, len(layout.names), file)
    whole = FRACTION.sub(rb"\1.\2", data) if fractions_apart(layout, rows) else data
    if whole != data:
        return text_table(whole, file, part)
    layout = with_row_numbers(layout, rows)
    line = records[layout.first][0]
    _refuse_short_header(layout, rows, separator, line, file)
    body = _first_filled(data[_offset(data, line) :], separator, len(layout.names))
    frame, dropped = _frame(body, separator, line, layout, file)
    marks = [v for row in rows[layout.first :][:50] for v in row]
    return Table(
        file=file,
        frame=frame,
        separator=separator,
        first_line=line + 1,
        units={n: u for n, u in zip(layout.names, layout.units, strict=True) if u},
        notes=tuple(layout.notes),
        dropped=dropped,
        part=part,
        decimal=sure_mark(marks),
    )


def _with_line_ends(data: bytes) -> bytes:
    """Lines that end as all others do, where carriage returns alone end them."""
    return data if b"\n" in data[:SAMPLE_BYTES] else data.replace(b"\r", b"\n")


def _without_quotes(data: bytes) -> bytes:
    """Fields in single quotes, and those a spreadsheet is told to keep as texts, without them."""
    head = data[:SAMPLE_BYTES]
    fields = max(1, head.count(b"\n"))
    if len(KEPT_AS_TEXT.findall(head)) > 0.5 * fields:  # not the quoted values of name="value"
        data = KEPT_AS_TEXT.sub(b'"', data)
    if head.count(b"','") + head.count(b"';'") + head.count(b"'\t'") > fields:
        data = re.sub(rb"(?m)(?<![^,;\t\n])'|'(?=[,;\t\r\n]|\Z)", b'"', data)
    return data


def _half_width(data: bytes) -> bytes:
    """Digits and marks of East Asian keyboards as those of all others."""
    if b"\xef\xbc" not in data:
        return data
    return data.decode("utf-8", "replace").translate(HALF_WIDTH).encode()


def _without_checksums(data: bytes) -> bytes:
    """Sentences that begin with a mark and end in a sum of their letters, without that sum."""
    if not SENTENCE.match(data):
        return data
    return re.sub(rb"\*[0-9A-Fa-f]{2}(?=\r?\n|\r?$)", b"", data)


def _refuse_large(data: bytes, separator: str, columns: int, file: str) -> None:
    """Text takes tenfold its size in memory: that is looked at before it is read."""
    if columns > MOST_COLUMNS:
        raise InputError(file, "the header", f"at most {MOST_COLUMNS} columns")
    fields = data.count(separator.encode()) + data.count(b"\n")
    if fields > MOST_FIELDS:
        expected = f"at most {MOST_FIELDS:,} values, found about {fields:,}: split it by months"
        raise InputError(file, "the whole file", expected)


def _records(data: bytes) -> Iterator[tuple[int, str]]:
    """The first lines with their index; those in quotes that go on over a line end as one."""
    head = data[:SAMPLE_BYTES].decode("utf-8", "replace")
    lines = [line.rstrip("\r") for line in head.removesuffix("\n").split("\n")]
    if len(data) > SAMPLE_BYTES:
        lines = lines[:-1]
    held, start = "", 0
    for i, line in enumerate(lines[:LOOKED_AT]):
        start = start if held else i
        held = f"{held} {line}" if held else line
        if held.count('"') % 2 and (i - start < 5 or '"' in line):  # a heading over two lines each
            continue
        yield start, held
        held = ""


def _fields(text: str, separator: str) -> list[str]:
    try:
        return next(csv.reader([text], delimiter=separator), list[str]())
    except csv.Error:
        return text.split(separator)


def _separator(texts: list[str]) -> str | None:
    """The character that parts most lines into equally many numbers and moments, and none of them
    within quotes where one does so.
    """
    return _parting(texts, cut=False) or _parting(texts, cut=True)


def _parting(texts: list[str], cut: bool) -> str | None:
    best: tuple[float, str | None] = (0.45, None)
    for separator in SEPARATORS:
        rows = [_fields(text, separator) for text in texts[len(texts) // 4 :] if text.strip()]
        widths = Counter(
            len(row) for row in rows if len(row) >= 2 and (cut or not _cut_quotes(row))
        )
        if not widths:
            continue
        width, count = max(widths.items(), key=lambda item: (item[1], item[0]))
        others = [s for s in SEPARATORS[:3] if s != separator]  # a comma is a decimal mark too
        kinds = Counter(
            "word" if any(s in field for s in others) else kind(field)
            for row in rows
            if len(row) == width
            for field in row
        )
        named = max(1, kinds.total() - kinds["empty"])
        told = (kinds["number"] + kinds["moment"]) / named
        score = count / len(rows) * (0.5 + 0.5 * told)
        if score > best[0] + 1e-9:
            best = score, separator
    return best[1]


def _cut_quotes(row: list[str]) -> bool:
    """Whether a field ends within quotes: what parted it stands in a list."""
    return any(field.count('"') % 2 for field in row)


def _refuse_short_header(
    layout: Layout, rows: list[list[str]], separator: str, line: int, file: str
) -> None:
    """Values beyond the last heading belong to none: which one is shifted cannot be told."""
    named = [i for i, n in enumerate(layout.names, 1) if n != f"column {i}"]
    if not named:
        return
    body = rows[layout.first :][:50]
    beyond = [row for row in body if any(f.strip() for f in row[max(named) :])]
    if len(beyond) < 0.5 * len(body):
        return
    why = ""
    if separator == "," and len(layout.names) > 1.3 * max(named):
        why = "; it looks as if commas were decimal marks as well: use semicolons between columns"
    raise InputError(
        file,
        f"line {line + 1} column {max(named) + 1}",
        f"as many fields as the header has ({max(named)}), found {len(layout.names)}{why}",
    )


def _refuse_empty(rows: list[list[str]], file: str) -> None:
    """A header alone, or numbers that the separator has cut in two, have a reason of their own."""
    if len(rows) == 1 and len(rows[0]) >= 2 and any(kind(f) == "word" for f in rows[0]):
        raise InputError(file, "line 2", "rows below the header")


def _frame(
    body: bytes, separator: str, line: int, layout: Layout, file: str
) -> tuple[pl.DataFrame, tuple[tuple[int, str], ...]]:
    """The rows as text, and how many were left out, for which reason."""
    names = layout.names
    damaged = 0
    frame = _read_evenly(body, separator, names)
    if frame is None or 0 < frame.get_column(names[-1]).null_count() < MOST_DAMAGED * frame.height:
        body, damaged = without_damaged(body, separator, len(names))
        frame = _read_evenly(body, separator, names) if damaged or frame is None else frame
    if frame is None:
        _refuse_longer_rows(body, separator, line, names, file)
        try:
            frame = _csv(body, separator, names, ragged=True)
        except pl.exceptions.PolarsError as error:
            expected = f"rows of {len(names)} values with {separator!r} between them"
            raise InputError(file, f"the rows from line {line + 1}", expected) from error
    cut = int(_is_cut(body, separator) and frame.height > 1)
    lost = ((cut, "cut off at the end of the file"), (damaged, "too few or too many values"))
    return frame.head(frame.height - cut), tuple((rows, why) for rows, why in lost if rows)


def _is_cut(body: bytes, separator: str) -> bool:
    """Whether the last row has no end, and fewer values than the one before it."""
    if body.endswith(b"\n"):
        return False
    *_, before, last = [b"", *body[-SAMPLE_BYTES:].split(b"\n")]
    counts = [len(_fields(row.decode("utf-8", "replace"), separator)) for row in (before, last)]
    return counts[1] < counts[0]


def _read_evenly(body: bytes, separator: str, names: list[str]) -> pl.DataFrame | None:
    try:
        return _csv(body, separator, names, ragged=False)
    except pl.exceptions.PolarsError:
        return None


def _first_filled(body: bytes, separator: str, width: int) -> bytes:
    """The rows with separators for all columns in the first: the width of all is taken from it."""
    first, end, rest = body.partition(b"\n")
    missing = width - len(_fields(first.decode("utf-8", "replace").rstrip("\r"), separator))
    if missing <= 0 or first.count(b'"') % 2:
        return body
    return first.rstrip(b"\r") + separator.encode() * missing + end + rest


def _csv(body: bytes, separator: str, names: list[str], ragged: bool) -> pl.DataFrame:
    return pl.read_csv(
        io.BytesIO(body),
        has_header=False,
        new_columns=names,
        separator=separator,
        infer_schema=False,
        truncate_ragged_lines=ragged,
        schema=dict.fromkeys(names, pl.String),
    )


def _offset(data: bytes, line: int) -> int:
    """Where a line begins."""
    at = 0
    for _ in range(line):
        at = data.find(b"\n", at) + 1 or len(data)
    return at


def _refuse_longer_rows(
    body: bytes, separator: str, line: int, names: list[str], file: str
) -> None:
    """A row with more than the header names is refused by its place, unless the rest is empty."""
    longer: list[tuple[int, int]] = []
    rows = 0
    for number, text in enumerate(io.BytesIO(body), line + 1):
        fields = _fields(text.decode("utf-8", "replace").rstrip("\r\n"), separator)
        rows += 1
        if len(fields) > len(names) and any(f.strip() for f in fields[len(names) :]):
            longer.append((number, len(fields)))
    if not longer:
        return
    number, count = longer[0]
    why = ""
    if separator == "," and len(longer) > 0.8 * rows and count > 1.3 * len(names):
        why = "; it looks as if commas were decimal marks as well: use semicolons between columns"
    raise InputError(
        file,
        f"line {number} column {len(names) + 1}",
        f"as many fields as the header has ({len(names)}), found {count}{why}",
    )


def _columns_of_spaces(data: bytes, file: str) -> bytes:
    """A table set with spaces, with tabs in their place.

    Rows that have fewer words than most are left to be dropped: which value is missing cannot be
    told, and a value in the wrong column is worse than none.
    """
    lines = data.decode("utf-8", "replace").splitlines()
    words = [_words(line) for line in lines]
    counts = Counter(len(w) for w in words[len(words) // 3 :] if len(w) >= 3)
    if not counts:
        _refuse_empty([w for w in words if w], file)
        raise InputError(file, "line 1", EXPECTED)
    width = counts.most_common(1)[0][0]
    if counts[width] < 0.6 * sum(counts.values()):
        raise InputError(file, "line 1", f"{EXPECTED}; set with spaces, each row needs all values")
    rows = (i for i, w in enumerate(words) if len(w) == width and _mostly_data(w))
    first = next(rows, None)
    if first is None:
        raise InputError(file, "line 1", EXPECTED)
    out: list[str] = []
    for i, (line, row) in enumerate(zip(lines, words, strict=True)):
        if i < first:
            out.append("\t".join(_header_words(line, width, words[first])))
        else:
            out.append("\t".join(row) if len(row) == width else "")
    return "\n".join(out).encode() + b"\n"


def _words(line: str) -> list[str]:
    """What is parted by spaces; in quotes they are part of a value."""
    return _fields(line.strip(), " ") if line.count('"') > 1 else line.split()


def _mostly_data(words: list[str]) -> bool:
    return sum(kind(w) in ("number", "moment") for w in words) >= 0.6 * len(words)


def _header_words(line: str, width: int, row: list[str]) -> list[str]:
    """The titles of a header set with spaces: parted by two, or by one where the count fits.

    One title over a date and a time of day stands before an empty one.
    """
    wide = [w for w in re.split(r"\s{2,}|\t", line.strip()) if w]
    for titles in (wide, _words(line)):
        if len(titles) == width or (len(titles) == width - 1 and row[0].isdecimal()):
            return titles
        dated = kind(row[0]) == "moment" and kind(row[1]) == "moment"
        if len(titles) == width - 1 and dated:
            return [titles[0], f"{titles[0]} of day", *titles[1:]]
    return wide


def sheet_table(rows: list[list[str | None]], file: str, part: str) -> Table | None:
    """The table in the rows of a sheet, or None when it holds none."""
    layout = find_layout(rows)
    if layout is None:
        return None
    width = len(layout.names)
    body = [(list(r) + [None] * width)[:width] for r in rows[layout.first :]]
    names = unique(layout.names)
    frame = pl.DataFrame(body, schema=dict.fromkeys(names, pl.String), orient="row", strict=False)
    return Table(
        file=file,
        frame=frame,
        separator="sheet",
        first_line=layout.first + 1,
        units={n: u for n, u in zip(names, layout.units, strict=True) if u},
        notes=tuple(layout.notes),
        part=part,
        decimal=sure_mark(v for row in body[:50] for v in row),
    )
