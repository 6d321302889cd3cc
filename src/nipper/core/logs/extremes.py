"""Tables of the highest and the lowest cell only, with their numbers: as a table of all cells, in
which the others stand at the mean that the pack's voltage leaves for them.

That is exact for the two, and as good as can be known for the rest; what may be judged by such a
log is for :mod:`nipper.core.imbalance.few` to say.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import polars as pl

from nipper.core.logs import words
from nipper.core.logs.column import Column, Floats, columns_of
from nipper.core.tables.table import Table

LEAST_CELLS, MOST_CELLS = 4, 64
VOLT_SCALES = (1.0, 1e-3)
PACK_SCALES = (1.0, 1e-3, 1e-2, 0.1)
NEAR_CELLS = 0.3  # of a cell: the middle of two is not the mean of all
CELL_V = (0.5, 5.0)
MOST_V = 10.0  # of any reading of a cell, a slip of one row among them
DIGITS = 4  # of a mean, beyond those of any meter


@dataclass(frozen=True, eq=False, slots=True)
class _End:
    """The column of a voltage, its scale to volts, and the column that says of which cell it is."""

    volts: Column
    scale: float
    which: Column

    def read(self, table: Table) -> tuple[Floats, Floats]:
        """Voltages, V, and numbers of cells."""
        return table.numbers(self.volts.name) * self.scale, table.numbers(self.which.name)


@dataclass(frozen=True, eq=False, slots=True)
class _Extremes:
    """Both ends, the column of the pack with its scale to volts, and how many cells it has."""

    high: _End
    low: _End
    pack: str
    pack_scale: float
    cells: int


def spread_out(table: Table) -> tuple[Table, str] | None:
    """The table with a column a cell, and what was done; None where it is none of that kind."""
    found = _find(columns_of(table))
    if found is None:
        return None
    volts = _volts(table, found)
    names = [f"cell {i}" for i in range(1, found.cells + 1)]
    cells = [
        pl.Series(name, np.round(volts[:, i], DIGITS)).fill_nan(None).cast(pl.String)
        for i, name in enumerate(names)
    ]
    used = [column.name for end in (found.high, found.low) for column in (end.volts, end.which)]
    frame = pl.concat([table.frame.drop(used), pl.DataFrame(cells)], how="horizontal")
    told = (
        f"only the highest and the lowest of {found.cells} cells are written: the others are put "
        "at the mean of the rest"
    )
    return table.with_frame(frame), told


def _find(columns: Sequence[Column]) -> _Extremes | None:
    high = _end(columns, words.HIGHEST, words.LOWEST)
    low = _end(columns, words.LOWEST, words.HIGHEST)
    if high is None or low is None:
        return None
    middle = 0.5 * (high.volts.numbers * high.scale + low.volts.numbers * low.scale)
    most = max(high.which.finite.max(), low.which.finite.max())
    for column in columns:
        if not column.numeric or not _may_be_pack(column):
            continue
        for scale in PACK_SCALES:
            with np.errstate(all="ignore"):
                ratios = column.numbers * scale / middle
            cells = _cells(ratios)
            if cells is not None and most <= cells:
                return _Extremes(high, low, column.name, scale, cells)
    return None


def _end(columns: Sequence[Column], way: words.Words, other: words.Words) -> _End | None:
    """The voltage and the number of the highest cell, or of the lowest; None where not just one
    column can be either.
    """
    own = [c for c in columns if c.numeric and c.says(way) and not c.says(other)]
    volts = [(c, scale) for c in own if (scale := _scale(c)) is not None]
    which = [c for c in own if _is_number(c)]
    if len(volts) != 1 or len(which) != 1:
        return None
    return _End(*volts[0], which[0])


def _scale(column: Column) -> float | None:
    """To volts, where a column holds a cell's; None where it is of something else."""
    if column.quantity not in ("", "V") or column.says(words.TEMPERATURE):
        return None
    given = (column.factor,) if column.quantity == "V" else VOLT_SCALES
    return next((s for s in given if column.within(*CELL_V, scale=s) and _fine(column, s)), None)


def _fine(column: Column, scale: float) -> bool:
    """No whole numbers of a volt: those are of cells."""
    return bool(np.any(np.mod(column.finite * scale, 1.0)))


def _is_number(column: Column) -> bool:
    minutes = ("", "s")  # "cell min" is no unit
    if column.quantity not in minutes or column.says(words.TEMPERATURE):
        return False
    if not column.says(words.WHICH):
        return False
    return column.within(0, MOST_CELLS, share=1.0) and not np.any(np.mod(column.finite, 1.0))


def _may_be_pack(column: Column) -> bool:
    said = column.says(words.PACK) or column.says(words.VOLTAGE) or column.quantity == "V"
    return said and column.quantity in ("", "V") and not column.says(words.STATISTIC)


def _cells(ratios: Floats) -> int | None:
    """How many cells a pack has, by its voltage in those of the middle of two; None without."""
    ratios = ratios[np.isfinite(ratios)]
    if not ratios.size:
        return None
    ratio = float(np.median(ratios))
    near = abs(ratio - round(ratio)) < NEAR_CELLS
    return round(ratio) if near and LEAST_CELLS <= round(ratio) <= MOST_CELLS else None


def _volts(table: Table, found: _Extremes) -> Floats:
    """All cells, V, float64[n, cells]; NaN in rows that do not tell."""
    (high, at_high), (low, at_low) = found.high.read(table), found.low.read(table)
    pack = table.numbers(found.pack) * found.pack_scale
    first = 0.0 if min(np.nanmin(at_high), np.nanmin(at_low)) == 0.0 else 1.0
    with np.errstate(all="ignore"):
        rest = np.clip((pack - high - low) / (found.cells - 2), low, high)
        told = np.isfinite(rest) & ((at_high != at_low) | (high == low))
        told &= (low >= 0.0) & (low <= high) & (high <= MOST_V)
        inside = [(at >= first) & (at < found.cells + first) for at in (at_high, at_low)]
    known = np.flatnonzero(told & inside[0] & inside[1])
    volts = np.full((table.rows, found.cells), np.nan)
    volts[known] = rest[known, None]
    volts[known, (at_high[known] - first).astype(int)] = high[known]
    volts[known, (at_low[known] - first).astype(int)] = low[known]
    return volts
