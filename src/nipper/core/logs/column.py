"""One column of a stranger's table as evidence: its heading, its unit, and a sample of it."""

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
import polars as pl
from numpy.typing import NDArray

from nipper.core.logs import words
from nipper.core.tables.numbers import as_number, is_missing
from nipper.core.tables.table import Table

Floats = NDArray[np.floating]
WHOLE_ROWS = 24_000  # tables up to here are looked at as a whole
BLOCKS, BLOCK_ROWS = 12, 2000  # of longer ones, so many stretches


@dataclass(frozen=True, eq=False)
class Column:
    """A heading and a sample. ``factor`` turns what stands there into V, A, W, °C, % or s.

    ``texts`` and ``numbers`` are stretches of the column with one empty row between two of them,
    so that no step is seen across.
    """

    name: str
    texts: pl.Series
    numbers: Floats
    quantity: str = ""  # of the unit: V, A, W, C, F, K, %, Ah, Wh, s, ohm; empty when none is given
    factor: float = 1.0
    common: frozenset[str] = frozenset()  # words of all headings, which tell nothing of this one

    @cached_property
    def plain(self) -> str:
        """The heading without accents, case and marks."""
        heading = words.plain(self.name)
        if not self.common:
            return heading
        return " ".join(word for word in heading.split() if word not in self.common)

    def says(self, words_of: words.Words) -> bool:
        """Whether the heading holds a word of that kind."""
        return bool(words_of.search(self.plain))

    @cached_property
    def finite(self) -> Floats:
        """The numbers that are there."""
        return self.numbers[np.isfinite(self.numbers)]

    @cached_property
    def numeric(self) -> bool:
        """Whether most of what is written in it are numbers; a word for "no value" is none."""
        if not self.finite.size:
            return False
        written = self.texts.drop_nulls()
        if self.finite.size >= 0.6 * len(written):
            return True
        counts = written.value_counts()
        words_ = zip(*(c.to_list() for c in counts.iter_columns()), strict=True)
        return self.finite.size >= 0.6 * sum(n for text, n in words_ if not is_missing(text))

    def within(self, low: float, high: float, scale: float = 1.0, share: float = 0.98) -> bool:
        """Whether that share of the numbers lies in a range, after scaling."""
        values = self.finite * scale
        return values.size > 0 and float(np.mean((values >= low) & (values <= high))) >= share


def columns_of(table: Table) -> list[Column]:
    """The columns of a table as evidence; of a wide one they take a second."""
    return table.once(_columns_of)


def _columns_of(table: Table) -> list[Column]:
    # in quotes nothing is as empty as without
    frame = sampled(table.frame).with_columns(pl.all().replace("", None))
    common = words.of_all(frame.columns)
    return [
        replace(_column(table, name, frame.get_column(name)), common=common)
        for name in frame.columns
    ]


def sampled(frame: pl.DataFrame) -> pl.DataFrame:
    """A table whole, or stretches of it with an empty row between them."""
    if frame.height <= WHOLE_ROWS:
        return frame
    starts = np.linspace(0, frame.height - BLOCK_ROWS, BLOCKS).astype(int)
    empty = pl.DataFrame({name: [None] for name in frame.columns}, schema=frame.schema)
    parts: list[pl.DataFrame] = []
    for start in starts:
        parts += [frame.slice(int(start), BLOCK_ROWS), empty]
    return pl.concat(parts[:-1])


def unit_written(table: Table, name: str) -> tuple[str, float] | None:
    """Quantity and factor of the unit that is written with a column, behind its values, under its
    heading or in it; a letter that runs from A on is none.
    """
    written = words.unit_of(table.unit(name))
    if written or name in table.once(_lettered):
        return written
    return words.unit_in(name)


def _lettered(table: Table) -> set[str]:
    return words.lettered(table.columns)


def _column(table: Table, name: str, texts: pl.Series) -> Column:
    numbers = as_number(texts, table.mark(name)).fill_null(np.nan).to_numpy()
    unit = unit_written(table, name)
    quantity, factor = unit or ("", 1.0)
    return Column(name, texts, numbers, quantity, factor)
