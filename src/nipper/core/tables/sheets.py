"""The sheets of a workbook as tables; how far they reach is looked at before they are opened."""

import logging
import re
from datetime import datetime
from typing import Any

import polars as pl

from nipper.core.errors import InputError
from nipper.core.tables.packed import ZIP, members
from nipper.core.tables.table import MOST_COLUMNS, Table
from nipper.core.tables.texts import sheet_table

SUFFIXES = (".xlsx", ".xlsm", ".xls", ".ods")
OLD_BINARY = b"\xd0\xcf\x11\xe0"
MAX_BYTES = 200_000_000
MOST_FIELDS = 20_000_000  # a cell each: a year of minutes of 16 cells is 10 million
MOST_UNPACKED = 600_000_000
SHEET = re.compile(r".*\.xml")  # which of them is a sheet, the workbook says as it likes
ROW = re.compile(rb"<(?:\w+:)?row\b[^>]*?\sr=[\"'](\d{1,8})[\"']")
CELL = re.compile(rb"<(?:\w+:)?c\b[^>]*?\sr=[\"']([A-Za-z]{1,3})(\d{1,8})[\"']")
REPEATED = re.compile(rb'number-(?:columns|rows)-repeated="(\d{1,9})"')
DAY_0 = datetime(1899, 12, 31)  # as a spreadsheet counts
FIRST_DAYS = r"^(?:1899-12-31|1900-0[12]-\d\d) \d"
MIDNIGHT = " 00:00:00"
AFTER_MIDNIGHT = r"^\d{4}-\d\d-\d\d (?:0[1-9]|[12]\d|00:(?:0[1-9]|[1-5]))"
ODS_ROW = re.compile(rb"<table:table-row([^>]*)>(.*?)</table:table-row>", re.S)
ODS_CELL = re.compile(rb"<table:(?:covered-)?table-cell([^>]*?)(/?)>")


def is_sheet(data: bytes) -> bool:
    """Whether the bytes are a workbook's."""
    if data.startswith(OLD_BINARY):
        return True
    return data.startswith(ZIP) and (
        b"xl/workbook.xml" in data or b"opendocument.spreadsheet" in data[:200]
    )


def sheet_tables(data: bytes, file: str) -> list[Table]:
    """The tables of a workbook, one a sheet that holds any.

    Raises
    ------
    InputError
        It is damaged, reaches too far, or holds no table.
    """
    import fastexcel  # here because it is needed for spreadsheets only

    if len(data) > MAX_BYTES:
        raise InputError(file, "the whole file", f"a spreadsheet of at most {MAX_BYTES} bytes")
    _refuse_wide(data, file)
    logging.getLogger("calamine").setLevel(logging.CRITICAL)  # what is wrong is said once, by us
    tables: list[Table] = []
    try:
        book: Any = fastexcel.read_excel(data)
        for name in book.sheet_names:
            frame: pl.DataFrame = book.load_sheet(
                name, header_row=None, dtypes="string"
            ).to_polars()
            rows = [list(row) for row in _with_clocks(frame).iter_rows()]
            table = sheet_table(rows, file, str(name)) if rows else None
            if table is not None:
                tables.append(table)
    except fastexcel.FastExcelError as error:
        text = (str(error).splitlines() or ["unreadable"])[0]
        kind = "a workbook without a password" if data.startswith(OLD_BINARY) else "a spreadsheet"
        raise InputError(file, "the whole file", f"{kind} ({text})") from None
    if not tables:
        raise InputError(file, "the sheets", "a table with a header and rows below it")
    return tables


def _with_clocks(frame: pl.DataFrame) -> pl.DataFrame:
    """Times of day and durations as clocks, not as moments of the first days of the calendar; the
    days beside them as days.
    """
    texts = [c for c in frame.columns if frame.schema[c] == pl.String]
    clocks = [c for c in texts if frame.get_column(c).str.contains(FIRST_DAYS).any()]
    if not clocks:
        return frame
    days = [c for c in texts if frame.get_column(c).str.ends_with(MIDNIGHT).any()]
    days = [c for c in days if not frame.get_column(c).str.contains(AFTER_MIDNIGHT).any()]
    return frame.with_columns(
        *(_clock(pl.col(c)).alias(c) for c in clocks),
        *(pl.col(c).str.strip_suffix(MIDNIGHT) for c in days if c not in clocks),
    )


def _clock(texts: pl.Expr) -> pl.Expr:
    """Hours, minutes and seconds since the day before the calendar's first."""
    moment = texts.str.extract(rf"({FIRST_DAYS}.*)").str.to_datetime(strict=False, time_unit="ms")
    s = (moment - DAY_0).dt.total_seconds()
    parts = (s // 3600, s // 60 % 60, s % 60)
    padded = [part.cast(pl.String).str.zfill(2) for part in parts]
    return pl.coalesce(pl.concat_str(padded, separator=":"), texts)


def _refuse_wide(data: bytes, file: str) -> None:
    """A value in the last cell of a sheet makes a reader fetch memory for all before it."""
    if not data.startswith(ZIP):
        return  # the older form ends at row 65,536 and column 256
    if b"xl/workbook.bin" in data:
        raise InputError(
            file, "the whole file", "a workbook saved as .xlsx, this is its binary form"
        )
    for name, text in members(data, file, SHEET.fullmatch, MOST_UNPACKED):
        rows, columns = _reach_ods(text) if name == "content.xml" else _reach(text)
        if rows * columns > MOST_FIELDS or columns > MOST_COLUMNS:
            expected = (
                f"at most {MOST_COLUMNS} columns and {MOST_FIELDS:,} cells, it reaches to row "
                f"{rows:,} and column {columns:,}: is there a value far out?"
            )
            raise InputError(file, f"sheet {name}", expected)


def _reach(text: bytes) -> tuple[int, int]:
    """The last row and column that hold anything, of a sheet in Office Open XML."""
    letters = set(CELL.findall(text))
    columns = max((_number(name) for name, _ in letters), default=0)
    last = max((int(row) for _, row in letters), default=0)
    return max(last, max((int(row) for row in set(ROW.findall(text))), default=0)), columns


def _number(letters: bytes) -> int:
    """The number of a column: A is 1, AA is 27."""
    out = 0
    for letter in letters.upper():
        out = 26 * out + letter - ord("A") + 1
    return out


def _reach_ods(text: bytes) -> tuple[int, int]:
    """The same of a sheet in OpenDocument, where cells and rows that repeat are written once."""
    row = last = columns = 0
    for head, cells in ODS_ROW.findall(text):
        row += _repeats(head)
        if b"office:value" in cells or b"<text:p" in cells:  # else it is empty
            last, columns = row, max(columns, _last_column(cells))
    return last, columns


def _repeats(attributes: bytes) -> int:
    found = REPEATED.search(attributes)
    return int(found[1]) if found else 1


def _last_column(cells: bytes) -> int:
    """The column of the last cell of a row that holds something."""
    column = last = 0
    for attributes, closed in ODS_CELL.findall(cells):
        column += _repeats(attributes)
        if not closed or b"office:value" in attributes:
            last = column
    return last
