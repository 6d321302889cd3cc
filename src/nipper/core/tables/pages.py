"""The tables of a web page, which many a program saves under a spreadsheet's name, and of a
spreadsheet written as one text of tags.
"""

import html
import re
from dataclasses import dataclass, field

from nipper.core.errors import InputError
from nipper.core.tables.packed import as_utf8
from nipper.core.tables.table import MOST_COLUMNS, Table
from nipper.core.tables.texts import sheet_table

MAX_BYTES = 30_000_000
MOST_FIELDS = 3_000_000
MOST_REPEATED = 64
MOST_TABLES = 40  # the longest of a page
BEGINS = (b"<!doctype", b"<html", b"<table", b"<?xml", b"<meta", b"<style", b"<div")
# a tag ends before the next begins, whatever a stranger wrote: each byte is looked at once
TAG = re.compile(r"<(/?)(?:\w+:)?([\w-]+)\b([^<>]*+)>")
SAID = re.compile(r"""(?<![\w:-])([\w:-]+)\s*=\s*["']?(\d{1,4})\b""")
VALUE = re.compile(r"""\boffice:(?:date-)?value\s*=\s*"([^"]*)\"""")  # what is shown is rounded
TABLES, ROWS = ("table",), ("tr", "row", "table-row")
CELLS = ("td", "th", "cell", "table-cell", "covered-table-cell")


def is_page(data: bytes) -> bool:
    """Whether the bytes are a text of tags."""
    head = data[:200].lstrip(b"\xef\xbb\xbf \r\n\t").lower()
    tags = re.match(rb"<[a-z][^<>\n]*>", head) and data[-64:].rstrip().endswith(b">")
    return head.startswith(BEGINS) or bool(tags)


def page_tables(data: bytes, file: str) -> list[Table]:
    """The tables of a page that have rows below a header.

    Raises
    ------
    InputError
        It holds no table, one that is too large, or cells that reach over rows.
    """
    if len(data) > MAX_BYTES:
        raise InputError(file, "the whole file", f"a page of at most {MAX_BYTES} bytes")
    text = as_utf8(data, file).decode("utf-8", "replace")
    tables = [(number, rows) for number, rows in enumerate(_rows(text, file), 1) if len(rows) > 1]
    longest = sorted(tables, key=lambda t: len(t[1]), reverse=True)[:MOST_TABLES]
    made = [sheet_table(rows, file, f"table {number}") for number, rows in sorted(longest)]
    found = [table for table in made if table is not None]
    if not found:
        expected = "a table with a header and rows below it, this is a web page or XML without"
        raise InputError(file, "the whole file", expected)
    return found


def _rows(text: str, file: str) -> list[list[list[str | None]]]:
    """The texts of all cells, row by row, of each table."""
    text = _without_remarks(text)
    reader, end = _Reader(file), 0
    for tag in TAG.finditer(text):
        reader.text(text[end : tag.start()])
        end = tag.end()
        name = tag[2].lower()
        if tag[1]:
            reader.close(name)
        else:
            reader.open(name, tag[3])
    return reader.tables


def _without_remarks(text: str) -> str:
    first, *others = text.split("<!--")
    return first + "".join(part.partition("-->")[2] for part in others)


@dataclass(slots=True)
class _Reader:
    """Cells as their tags come by; what stands outside of them is passed over."""

    file: str
    tables: list[list[list[str | None]]] = field(default_factory=list[list[list[str | None]]])
    fields: int = 0
    at: int = -1  # the cell of the last row that is open; -1: none
    same: int = 1  # cells from there on that hold the same
    known: bool = False  # whether its value was told beside its text

    def open(self, name: str, said: str) -> None:
        """A tag begins."""
        if name in TABLES:
            self.tables.append([])
        elif name in ROWS and self.tables:
            self.tables[-1].append([])
        elif name in CELLS and self.tables and self.tables[-1]:
            self._cell(dict(SAID.findall(said.lower())))
            if value := VALUE.search(said):
                self.text(value[1])
            self.known = bool(value)
            if said.endswith("/"):
                self.at = -1
            return
        if name in (*TABLES, *ROWS):
            self.at = -1

    def close(self, name: str) -> None:
        """A tag ends."""
        if name in (*TABLES, *ROWS, *CELLS):
            self.at = -1

    def text(self, text: str) -> None:
        """What stands between two tags."""
        if self.at >= 0 and not self.known and (words := html.unescape(text).strip()):
            row = self.tables[-1][-1]
            for at in range(self.at, min(self.at + self.same, len(row))):
                row[at] = f"{row[at] or ''} {words}".strip()

    def _cell(self, said: dict[str, str]) -> None:
        rows = self.tables[-1]
        row = rows[-1]
        if int(said.get("rowspan", 1)) > 1 or "ss:mergedown" in said:
            expected = "each cell in one row, one reaches over several"
            raise InputError(self.file, f"row {len(rows)}", expected)
        before = max(0, int(said.get("ss:index", 0)) - 1 - len(row))
        wide = max(1, int(said.get("colspan", 1)), int(said.get("ss:mergeacross", 0)) + 1)
        self.same = max(1, int(said.get("table:number-columns-repeated", 1)))
        self.same = min(self.same, MOST_REPEATED)  # blank up to the end of the sheet
        wide = max(wide, self.same)
        self.known, self.at = False, len(row) + before
        self.fields += before + wide
        if self.at + wide > MOST_COLUMNS or self.fields > MOST_FIELDS:
            expected = f"at most {MOST_COLUMNS} columns and {MOST_FIELDS:,} cells"
            raise InputError(self.file, f"row {len(rows)}", expected)
        row += [None] * (before + wide)
