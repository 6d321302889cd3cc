"""Any table as text columns: CSV with its separator and decimal sign found, plain or gzipped, or a
spreadsheet.
"""

import gzip
import io
import re
import zlib
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import polars as pl
from numpy.typing import NDArray

from nipper.core.errors import InputError

MAX_BYTES = 4_000_000_000  # of text: a stranger's small gzip may not fill the memory
MAX_SHEET_BYTES = 200_000_000
MAX_COLUMNS = 1000
CHUNK = 16_000_000


@dataclass(frozen=True, slots=True)
class Table:
    """A table as text, before anything is known about it.

    ``first_line`` is the file's line of the first row.
    """

    file: str
    frame: pl.DataFrame  # text columns only
    decimal: str
    separator: str
    first_line: int = 2

    @property
    def columns(self) -> list[str]:
        """Column names, as they stand in the header."""
        return self.frame.columns

    def numbers(self, name: str, rows: int | None = None) -> NDArray[np.float64]:
        """A column as float64, NaN where no number stands."""
        column = self.frame.get_column(name)
        return (
            as_number(column if rows is None else column.head(rows), self.decimal)
            .fill_null(np.nan)
            .to_numpy()
        )

    def head(self, rows: int) -> dict[str, list[str | None]]:
        """The first rows as text, by column."""
        return self.frame.head(rows).to_dict(as_series=False)


def as_number(text: pl.Series, decimal: str) -> pl.Series:
    """Numbers of a text column; null where there is none.

    Thin spaces and trailing units are not guessed at.
    """
    clean = text.str.strip_chars()
    if decimal == ",":
        clean = clean.str.replace_all(".", "", literal=True).str.replace(",", ".", literal=True)
    return clean.cast(pl.Float64, strict=False)


def read_bytes(path: Path) -> bytes:
    """The file's text bytes, unpacked where gzipped.

    Raises
    ------
    InputError
        Unreadable, damaged or too large.
    """
    try:
        if path.suffix.lower() != ".gz":
            if path.stat().st_size > MAX_BYTES:
                raise InputError(str(path), "the whole file", f"at most {MAX_BYTES} bytes")
            return path.read_bytes()
        chunks: list[bytes] = []
        size = 0
        with gzip.open(path) as packed:
            while chunk := packed.read(CHUNK):
                size += len(chunk)
                if size > MAX_BYTES:
                    raise InputError(str(path), "the unpacked file", f"at most {MAX_BYTES} bytes")
                chunks.append(chunk)
        return b"".join(chunks)
    except (gzip.BadGzipFile, EOFError, zlib.error) as error:
        raise InputError(str(path), "the whole file", f"a complete gzip file ({error})") from None
    except OSError as error:
        raise InputError(
            str(path), "the file", f"a readable file ({error.strerror or error})"
        ) from None


def read_table(path: str | Path) -> Table:
    """Read any table file as text.

    Raises
    ------
    InputError
        Names the file and what was expected of it.
    """
    path = Path(path)
    if path.suffix.lower() in (".xlsx", ".xlsm", ".ods"):
        return _read_sheet(path)
    return table_of(read_bytes(path), str(path))


def table_of(data: bytes, file: str) -> Table:
    """The table in the bytes of a CSV file."""
    data = _utf8(data, file)
    lines = data[:200_000].decode("utf-8", "replace").splitlines()
    separator, skip = _layout(lines, file)
    try:
        frame = pl.read_csv(
            io.BytesIO(data),
            separator=separator,
            infer_schema=False,
            skip_lines=skip,
            raise_if_empty=False,
        )
    except pl.exceptions.PolarsError as error:
        raise InputError(
            file,
            _ragged_line(data, separator, skip),
            f"as many fields as the header has ({_first_line(error)})",
        ) from None
    if frame.width > MAX_COLUMNS:
        raise InputError(file, f"line {skip + 1}", f"at most {MAX_COLUMNS} columns")
    if not frame.height:
        raise InputError(file, f"line {skip + 2}", "rows below the header")
    frame = frame.rename({name: name.strip() for name in frame.columns})
    return Table(file, frame, _decimal(frame, separator), separator, skip + 2)


def _read_sheet(path: Path) -> Table:
    import fastexcel  # here because it is needed for spreadsheets only

    try:
        if path.stat().st_size > MAX_SHEET_BYTES:
            raise InputError(
                str(path), "the whole file", f"a spreadsheet of at most {MAX_SHEET_BYTES} bytes"
            )
        book: Any = fastexcel.read_excel(path)
        frame: pl.DataFrame = book.load_sheet(0, dtypes="string").to_polars()
    except OSError as error:
        raise InputError(str(path), "the file", f"a readable file ({error.strerror})") from None
    except fastexcel.FastExcelError as error:
        raise InputError(
            str(path), "the whole file", f"a spreadsheet ({_first_line(error)})"
        ) from None
    if not frame.height:
        raise InputError(str(path), "row 2", "rows below the header")
    return Table(
        str(path), frame.rename({name: name.strip() for name in frame.columns}), ".", "sheet"
    )


def _utf8(data: bytes, file: str) -> bytes:
    data = data.removeprefix(b"\xef\xbb\xbf")
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        return data.decode("utf-16").encode()
    if b"\0" in data[:4096]:
        raise InputError(file, f"byte {data.index(0)}", "text, this is a binary file")
    return data if _valid_utf8(data) else data.decode("latin-1").encode()


def _valid_utf8(data: bytes) -> bool:
    if data.isascii():
        return True
    try:
        data.decode("utf-8")
    except UnicodeDecodeError:
        return False
    return True


def _layout(lines: list[str], file: str) -> tuple[str, int]:
    """Separator, and how many lines stand above the header: the first line that splits as most
    lines do.

    The comma is asked last: where it is the decimal sign there are even more of them.
    """
    lines = lines[:200]
    for separator in (";", "\t", "|", ","):
        counts = [line.count(separator) for line in lines if line.strip()]
        usual = max(set(counts), key=counts.count, default=0)
        if usual >= 2 and counts.count(usual) >= 0.6 * len(counts):
            return separator, next(
                i for i, line in enumerate(lines) if line.count(separator) == usual
            )
    raise InputError(
        file, "line 1", "a header row and columns separated by comma, semicolon or tab"
    )


def _decimal(frame: pl.DataFrame, separator: str) -> str:
    if separator == ",":
        return "."
    text = "\n".join(v for column in frame.head(50).iter_columns() for v in column.to_list() if v)
    commas, points = (
        len(re.findall(r"(?m)^-?\d+,\d+$", text)),
        len(re.findall(r"(?m)^-?\d+\.\d+$", text)),
    )
    return "," if commas > points else "."


def _ragged_line(data: bytes, separator: str, skip: int) -> str:
    header: int | None = None
    for number, line in enumerate(io.BytesIO(data), 1):
        if number <= skip:
            continue
        fields = line.count(separator.encode())
        header = fields if header is None else header
        if fields > header:
            return f"line {number} column {header + 2}"
    return "the table"


def _first_line(error: Exception) -> str:
    return (str(error).splitlines() or [type(error).__name__])[0]
