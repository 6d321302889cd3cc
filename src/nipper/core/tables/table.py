"""A table as text, before anything is known about it."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any, TypeVar

import numpy as np
import polars as pl
from numpy.typing import NDArray

from nipper.core.errors import InputError
from nipper.core.tables.numbers import as_number, decimal_mark, unit_of_values

T = TypeVar("T")
MOST_FIELDS = 80_000_000  # of text: a month of seconds of 16 cells and the rest is 60 million
MOST_COLUMNS = 1500  # 64 packs of 16 cells beside each other are 1,024
MOST_HEADING = 400  # characters
PER_S = {"ms": 1e3, "us": 1e6, "ns": 1e9}  # of the units of moments
CALENDAR_S = (-62_135_510_400.0, 253_402_214_400.0)  # years 1 to 9999, a day less: zones move it
LOOKED_AT = 120  # values of a column that tell its decimal mark and its unit


@dataclass(frozen=True, slots=True)
class Table:
    """Text columns with what stood around them.

    ``first_line`` is the file's line of the first row; ``notes`` the lines above the header;
    ``dropped`` the rows that were left out, with the reason.
    """

    file: str
    frame: pl.DataFrame  # text columns only
    separator: str = ","
    first_line: int = 2
    units: Mapping[str, str] = field(default_factory=dict[str, str])
    notes: tuple[str, ...] = ()
    dropped: tuple[tuple[int, str], ...] = ()
    part: str = ""  # the sheet, the member of an archive, the table of a database
    decimal: str = ""  # the mark some of the columns are sure of
    _marks: dict[str, str] = field(  # found so far: each is asked for several times
        default_factory=dict[str, str], init=False, repr=False, compare=False
    )
    _made: dict[object, Any] = field(
        default_factory=dict[object, Any], init=False, repr=False, compare=False
    )

    def __post_init__(self) -> None:
        if self.frame.width > MOST_COLUMNS:
            expected = f"at most {MOST_COLUMNS} columns, found {self.frame.width}"
            raise InputError(self.file, "the header", expected)
        longest = max(self.frame.columns, key=len, default="")
        if len(longest) > MOST_HEADING:
            expected = f"headings of at most {MOST_HEADING} characters, found {longest[:20]!r}…"
            raise InputError(self.file, "the header", expected)

    @property
    def columns(self) -> list[str]:
        """Column names, as they stand in the header."""
        return self.frame.columns

    @property
    def rows(self) -> int:
        """How many rows it has."""
        return self.frame.height

    def text(self, name: str) -> pl.Series:
        """A column as it is written."""
        return self.frame.get_column(name)

    def once(self, make: Callable[["Table"], T]) -> T:
        """What is made of it, the first time it is asked for."""
        if make not in self._made:
            self._made[make] = make(self)
        return self._made[make]

    def mark(self, name: str) -> str:
        """The decimal mark of a column."""
        if name not in self._marks:
            texts = self.text(name).drop_nulls()
            every = max(1, len(texts) // LOOKED_AT)
            some = texts.gather_every(every).to_list()
            self._marks[name] = decimal_mark(some, self.decimal) or "."
        return self._marks[name]

    def unit(self, name: str) -> str:
        """The unit in the row of units or behind the values; empty when none is written."""
        written = self.units.get(name, "").strip(" []()")
        return written or unit_of_values(self.text(name).head(60).to_list()) or ""

    def numbers(self, name: str, rows: int | None = None) -> NDArray[np.float64]:
        """A column as float64, NaN where no number stands."""
        column = self.text(name)
        column = column if rows is None else column.head(rows)
        return as_number(column, self.mark(name)).fill_null(np.nan).to_numpy()

    def head(self, rows: int) -> dict[str, list[str | None]]:
        """The first rows as text, by column."""
        return self.frame.head(rows).to_dict(as_series=False)

    def place(self, row: int, column: str) -> str:
        """Where a value stands in the file; by rows of the table once rows have left it."""
        if self.dropped or not self.first_line:
            return f"row {row + 1} column {column}"
        return f"line {self.first_line + row} column {column}"

    def with_frame(self, frame: pl.DataFrame, dropped: tuple[int, str] | None = None) -> "Table":
        """The same table with other columns or rows; ``dropped`` says how many left, and why."""
        more = (dropped,) if dropped and dropped[0] else ()
        return replace(self, frame=frame, dropped=self.dropped + more)


def _in_calendar(column: pl.Series, per_s: float) -> pl.Series:
    """Moments without those that no calendar has (years 1 to 9999): to write one down ends in the
    library's panic, not in an error.
    """
    at_s = column.to_physical().cast(pl.Float64) / per_s
    return pl.select(pl.when(at_s.is_between(*CALENDAR_S)).then(column)).to_series()


def untellable(kind: Any) -> bool:
    """Whether a list holds what is no reading, and what the table library may have no text for:
    moments, arrays.
    """
    inner = kind.inner
    if isinstance(inner, pl.List):
        return untellable(inner)
    return isinstance(inner, pl.Array) or bool(inner.is_temporal())


def text_frame(frame: pl.DataFrame) -> pl.DataFrame:
    """A typed frame as text: moments in ISO form, durations in seconds, lists with spaces.

    What the table library has no text for (bytes, lists of structures) is no reading: blank.
    """
    return pl.DataFrame([_text_or_blank(column) for column in frame.iter_columns()])


def _text_or_blank(column: pl.Series) -> pl.Series:
    try:
        return _as_text(column).alias(column.name)
    except pl.exceptions.PolarsError:
        return pl.Series(column.name, [None] * len(column), pl.String)


def _as_text(column: pl.Series) -> pl.Series:
    kind = column.dtype
    if isinstance(kind, pl.Datetime):
        form = "%Y-%m-%dT%H:%M:%S%.f" + ("%:z" if kind.time_zone else "")
        return _in_calendar(column, PER_S[kind.time_unit]).dt.strftime(form)
    if kind == pl.Date:
        return _in_calendar(column, 1.0 / 86400.0).cast(pl.String)
    if isinstance(kind, pl.Duration):
        return (column.to_physical().cast(pl.Float64) / PER_S[kind.time_unit]).cast(pl.String)
    if kind == pl.Boolean:
        return column.cast(pl.Int8).cast(pl.String)
    if isinstance(kind, pl.Array):
        return _as_text(column.arr.to_list())
    if isinstance(kind, pl.List):
        if untellable(kind):
            return pl.Series([None] * len(column), dtype=pl.String)  # no readings
        return column.cast(pl.List(pl.String), strict=False).list.join(" ", ignore_nulls=False)
    return column.cast(pl.String, strict=False)
