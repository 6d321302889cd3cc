"""Columns of a table as the values of a log, by a mapping: numbers, units, directions, and what is
out of all bounds left out and told.
"""

import re
from dataclasses import replace

import numpy as np
import polars as pl
from numpy.typing import NDArray

from nipper.core.errors import InputError
from nipper.core.logs.doubt import Doubt
from nipper.core.logs.mapping import ColumnMapping
from nipper.core.logs.minor import parse_balancing
from nipper.core.logs.model import (
    LEAST_TIMES,
    Log,
    in_order,
    summed_v,
    without_placeholder,
)
from nipper.core.logs.onchange import in_rounds, stands, words_stand
from nipper.core.logs.resets import put_right
from nipper.core.logs.times import to_unix
from nipper.core.tables.numbers import MISSING, as_number, is_missing
from nipper.core.tables.table import Table

Floats = NDArray[np.floating]
Lost = tuple[tuple[int, str], ...]  # how many rows or values, and why

POSSIBLE_V = (0.05, 5.5)  # outside this a cell reading is a broken lead or a placeholder
TURNED_V = -1.0  # down to here the others may drive a cell; from there on it is a placeholder
POSSIBLE = {  # outside these a value is a placeholder or a slip, whatever the pack
    "currents": (-5000.0, 5000.0),
    "pack voltages": (-1.0, 2000.0),
    "temperatures": (-60.0, 200.0),
    "percentages": (-10.0, 200.0),
}
OUT_OF_RANGE = "cells out of range"
AGAIN = "a moment that is there already"
REGISTER_ENDS, NINES = ("32767", "32768", "65535"), re.compile(r"9{3,}")
LEAST_END_A = 300.0  # 99.9 A may flow
EXTREME_TIMES = 5.0  # a placeholder is so many times the largest current there is
STRAY = 0.05  # of the rows may hold what is no time or no number, before it is refused


def read_values(table: Table, mapping: ColumnMapping) -> tuple[Log, Lost]:
    """A table as a log by its mapping, and what could not be taken from it.

    Raises
    ------
    InputError
        A mapped column is missing, or holds something that is no number or time; names line and
        column.
    """
    missing = [c for c in mapping.columns() if c not in table.columns]
    if missing:
        raise InputError(table.file, "the header", f"a column {missing[0]!r}")
    times = times_as_written(table, mapping)
    dated = np.isfinite(times)
    lost: list[tuple[int, str]] = []
    if not dated.all():
        lost.append((int(np.sum(~dated)), "no time in them"))
        table = replace(table, frame=table.frame.filter(pl.Series(dated)), first_line=0)
        times = times[dated]
    times, moved = put_right(spread_minutes(times))
    if mapping.hold_s:  # what stands is what was written before
        order = np.argsort(times, kind="stable")
        table, times = replace(table, frame=table.frame[order]), times[order]
    columns = _Columns(table, mapping, times)
    cell_v = columns.matrix(mapping.cells, mapping.cell_scale)
    log, beyond = assemble(
        time_s=times,
        current_a=columns.current(cell_v),
        pack_v=columns.numbers(mapping.pack, mapping.pack_scale) if mapping.pack else None,
        cell_v=cell_v,
        temp_c=columns.temperatures(),
        soc_pct=columns.soc(),
        balancing=columns.balancing(),
        written=columns.written if mapping.hold_s else None,
    )
    lost += beyond
    again = int(times.size) - log.rows - log.unreadable
    if again > 0 and not mapping.hold_s:
        lost.append((again, AGAIN))
    lost += [(n, f"values in {c} that are no numbers") for c, n in columns.stray.items()]
    return not_empty(replace(log, redated=moved), table.file), tuple(lost)


def times_as_written(table: Table, mapping: ColumnMapping) -> Floats:
    """The times in the order of the file, float64[rows] Unix s.

    NaN for the few rows that hold none (sums at the end, remarks between); :class:`InputError`
    names the first when they are many, or when the log is a plain one.
    """
    text = _time_texts(table, mapping)
    times = to_unix(text, mapping.time_form, mapping.zone, mapping.begins)
    bad = np.isnan(times)
    blank = _blank(text) & bad if bad.any() else bad
    wrong = int(bad.sum() - blank.sum())
    strict = mapping.time_form == "plain"
    if bad.any() and (
        strict or wrong > max(STRAY * bad.size, 3 if bad.size > 20 else 1) or bad.all()
    ):
        row = int(np.argmax(bad))
        raise InputError(table.file, table.place(row, mapping.time), f"a time, found {text[row]!r}")
    return spread_between(times, blank) if untimed_rows(blank) else times


def _time_texts(table: Table, mapping: ColumnMapping) -> pl.Series:
    """The time of each row as it is written, of both columns where there are two."""
    text = table.text(mapping.time)
    if not mapping.second_time:
        return text
    return text.str.strip_chars().str.replace(r"\.$", "") + " " + table.text(mapping.second_time)


def _blank(text: pl.Series) -> NDArray[np.bool_]:
    """Where a text says that there is none, bool[rows]."""
    said = text.str.strip_chars().str.to_lowercase()
    return (said.is_null() | said.is_in(list(MISSING))).to_numpy()


def untimed_rows(blank: NDArray[np.bool_]) -> int:
    """How many rows have no time of their own (bool[rows]); 0 where they are few, as sums at the
    end and remarks between are.
    """
    rows = int(blank.sum())
    return rows if rows > STRAY * blank.size else 0


def spread_doubts(table: Table, mapping: ColumnMapping) -> list[Doubt]:
    """That rows without a time were put between those that have one."""
    rows = untimed_rows(_blank(_time_texts(table, mapping)))
    if not rows:
        return []
    text = f"{mapping.time}: {rows} rows without one lie evenly between those that have one"
    return [Doubt(text)]


def unit_doubts(log: Log, lost: Lost) -> list[Doubt]:
    """That many rows hold no voltage a cell can have: a unit that changes half way, maybe."""
    rows = sum(count for count, why in lost if why == OUT_OF_RANGE)
    if rows <= STRAY * (log.rows + rows):
        return []
    text = f"{rows} rows hold no voltage a cell can have: is another unit meant there?"
    return [Doubt(text)]


def spread_between(times: Floats, blank: NDArray[np.bool_]) -> Floats:
    """Rows without a time evenly between those that have one; NaN before the first and after the
    last of these.
    """
    known = np.flatnonzero(np.isfinite(times))
    rows = np.arange(times.size)
    between = np.interp(rows, known, times[known], left=np.nan, right=np.nan)
    return np.where(blank, between, times)


def spread_minutes(times: Floats) -> Floats:
    """Times written to the minute with several rows in each: spread evenly over it, in order."""
    if times.size < 4 or np.any(times % 60.0) or np.unique(times).size > 0.7 * times.size:
        return times
    runs = np.flatnonzero(np.diff(times, prepend=times[0] - 60.0))
    counts = np.diff(np.append(runs, times.size))
    place = np.arange(times.size) - np.repeat(runs, counts)
    falling = np.sum(np.sign(np.diff(times))) < 0
    many = np.repeat(counts, counts)
    share = (many - 1 - place) / many if falling else place / many
    return times + 60.0 * share


class _Columns:
    """Columns as numbers; a few words among them are passed over and counted, many are refused."""

    def __init__(self, table: Table, mapping: ColumnMapping, time_s: Floats) -> None:
        self._table, self._mapping, self._time_s = table, mapping, time_s
        self._strict = mapping.time_form == "plain"
        self.stray: dict[str, int] = {}

    def numbers(self, name: str, scale: float = 1.0) -> Floats:
        text = self._table.text(name)
        values = as_number(text, self._table.mark(name))
        self._refuse(name, text, values)
        read = values.fill_null(np.nan).to_numpy() * scale
        if not self._mapping.hold_s:
            return read
        gap = ~np.isfinite(read)
        failed = gap & text.fill_null("").str.strip_chars().ne("").to_numpy()
        if failed.sum() > 0.5 * gap.sum():
            failed[:] = False  # a word in most of the gaps is how this log writes a blank
        return stands(read, failed, self._time_s, self._mapping.hold_s)

    def words(self, name: str) -> pl.Series:
        text = self._table.text(name)
        return words_stand(text) if self._mapping.hold_s else text.str.strip_chars()

    @property
    def written(self) -> NDArray[np.bool_]:
        """Where each cell's value stands in the table itself, bool[n, cells]."""
        table = self._table
        read = [as_number(table.text(c), table.mark(c)) for c in self._mapping.cells]
        return np.isfinite(np.array([v.fill_null(np.nan).to_numpy() for v in read])).T

    def _refuse(self, name: str, text: pl.Series, values: pl.Series) -> None:
        """Empty means not read; too much else that is no number is refused by its place."""
        left = values.is_null() & text.is_not_null()
        if not left.any():
            return
        distinct = {t: not is_missing(t) for t in text.filter(left).unique().to_list()}
        bad = left & text.replace_strict(distinct, default=False, return_dtype=pl.Boolean)
        count = int(bad.sum())
        if not count:
            return
        if self._strict or count > max(STRAY * len(text), 1):
            row = int(bad.arg_max() or 0)
            place = self._table.place(row, name)
            raise InputError(self._table.file, place, f"a number, found {text[row]!r}")
        self.stray[name] = count

    def matrix(self, names: tuple[str, ...], scale: float) -> Floats:
        out = np.empty((self._table.rows, len(names)), np.float32, order="F")
        with np.errstate(over="ignore"):  # beyond any number: out of range anyway
            for i, name in enumerate(names):
                out[:, i] = self.numbers(name, scale)
        return out

    def current(self, cell_v: Floats) -> Floats:
        """Amperes, charging positive, by whichever columns tell it."""
        m = self._mapping
        if m.current is None:
            return np.full(self._table.rows, np.nan)
        amps = self.numbers(m.current, m.current_scale)
        if m.discharge:
            out = np.abs(self.numbers(m.discharge, m.current_scale))
            neither = np.isnan(amps) & np.isnan(out)
            amps = np.abs(np.nan_to_num(amps)) - np.nan_to_num(out)
            amps[neither] = np.nan
        elif m.direction:
            ways = {text: float(way) for text, way in m.directions}
            said = self.words(m.direction)
            way = said.replace_strict(ways, default=None, return_dtype=pl.Float64)
            with np.errstate(invalid="ignore"):  # without end, and idle
                amps = np.abs(amps) * way.fill_null(np.nan).to_numpy()
        if m.power:
            volts = self.numbers(m.pack, m.pack_scale) if m.pack else summed_v(cell_v)
            with np.errstate(invalid="ignore", divide="ignore"):
                amps = np.where(volts > 0, amps / volts, np.nan)
        return amps

    def temperatures(self) -> Floats:
        m = self._mapping
        temps = self.matrix(m.temps, m.temp_scale)
        if m.temp_unit == "F":
            temps = (temps - 32.0) / 1.8
        elif m.temp_unit == "K":
            temps = temps - 273.15
        return temps

    def soc(self) -> Floats | None:
        m = self._mapping
        return self.numbers(m.soc, m.soc_scale) if m.soc else None

    def balancing(self) -> NDArray[np.bool_] | None:
        m = self._mapping
        if m.balancing_cells:
            return self.matrix(m.balancing_cells, 1.0) > 0.5
        if m.balancing is None or m.balancing not in self._table.columns:
            return None
        text = self.words(m.balancing)
        return parse_balancing(text, len(m.cells), m.balancing_form)


def assemble(
    time_s: Floats,
    current_a: Floats,
    pack_v: Floats | None,
    cell_v: Floats,
    temp_c: Floats,
    soc_pct: Floats | None,
    balancing: NDArray[np.bool_] | None,
    written: NDArray[np.bool_] | None = None,
) -> tuple[Log, Lost]:
    """A log in order of time; impossible values and rows of none are left out and counted.

    ``written``: where a cell stands in a table that is written on change; None for others.
    """
    cell_v, impossible = _possible_cells(cell_v)
    cell_v, said_v = without_placeholder(cell_v)
    current_a, said_a = _without_extreme(current_a)
    columns = {
        "currents": current_a,
        "pack voltages": np.full(time_s.size, np.nan) if pack_v is None else pack_v,
        "temperatures": temp_c,
        "percentages": np.empty(0) if soc_pct is None else soc_pct,
    }
    kept = {name: _within(values, POSSIBLE[name]) for name, values in columns.items()}
    log = Log(
        time_s=time_s,
        current_a=kept["currents"][0].astype(np.float64, copy=False),
        pack_v=kept["pack voltages"][0],
        cell_v=cell_v,
        temp_c=kept["temperatures"][0].astype(np.float32, copy=False),
        soc_pct=None if soc_pct is None else kept["percentages"][0].astype(np.float32, copy=False),
        balancing=balancing,
    )
    if written is not None:
        log = in_rounds(log, written)
    if pack_v is None:
        log = replace(log, pack_v=summed_v(log.cell_v))
    log = in_order(_readable(log))
    lost = [(beyond, f"{name} out of range") for name, (_, beyond) in kept.items() if beyond]
    lost += [(n, f"{name} of one value far from all others")
             for name, n in (("cells", said_v), ("currents", said_a)) if n]  # fmt: skip
    if log.unreadable:
        lost.append((log.unreadable, OUT_OF_RANGE if impossible else "without a cell"))
    return log, tuple(lost)


def _without_extreme(amps: Floats) -> tuple[Floats, int]:
    """Without a largest current that is the end of a register, or all nines, comes again and again,
    and is far beyond all others.
    """
    size = np.abs(amps)
    top = float(np.max(size, initial=0.0, where=np.isfinite(size)))
    at_top = size == top
    times = int(at_top.sum())
    digits = f"{top:.7g}".replace(".", "")
    ends = digits in REGISTER_ENDS or bool(NINES.fullmatch(digits))
    if top < LEAST_END_A or not ends or not LEAST_TIMES <= times <= 0.5 * size.size:
        return amps, 0
    next_ = float(np.max(size, initial=0.0, where=np.isfinite(size) & ~at_top))
    if next_ == 0.0 or top < EXTREME_TIMES * next_:
        return amps, 0
    return np.where(at_top, np.nan, amps), times


def _within(values: Floats, bounds: tuple[float, float]) -> tuple[Floats, int]:
    """The values with NaN where they are out of bounds, and how many were."""
    if _all_within(values, bounds):
        return values, 0
    with np.errstate(invalid="ignore"):
        beyond = (values < bounds[0]) | (values > bounds[1])
    return np.where(beyond, values.dtype.type(np.nan), values), int(beyond.sum())


def _all_within(values: Floats, bounds: tuple[float, float]) -> bool:
    """Whether all that is read is within bounds: so of most logs, and asked without a copy."""
    low, high = (ends.reduce(values, axis=None, initial=np.nan) for ends in (np.fmin, np.fmax))
    return not (low < bounds[0] or high > bounds[1])


def _possible_cells(cell_v: Floats) -> tuple[Floats, int]:
    """The cells without what none can have, and how many such readings there were. One that is
    turned round by the others stays: that is a danger, and no slip.
    """
    kept, count = _within(cell_v, POSSIBLE_V)
    if not count:
        return kept, 0
    with np.errstate(invalid="ignore"):
        turned = (cell_v < -POSSIBLE_V[0]) & (cell_v > TURNED_V)
    turned[2 * turned.sum(axis=1) > cell_v.shape[1]] = False  # most of them: it says "not read"
    return np.where(turned, cell_v, kept), count - int(turned.sum())


def _readable(log: Log) -> Log:
    """Without the rows in which no cell could be read: they say nothing of any."""
    if log.cells and np.isfinite(log.cell_v[:, 0]).all():  # as in most
        return log
    some = np.asarray(np.isfinite(log.cell_v).any(axis=1))
    if some.all():
        return log
    return replace(log.select(some), unreadable=int(log.rows - some.sum()))


def not_empty(log: Log, file: str) -> Log:
    """The log, if a cell can be read in any of its rows."""
    if log.rows or not log.unreadable:
        return log
    low, high = POSSIBLE_V
    expected = f"voltages between {low:g} and {high:g} V, none of {log.unreadable} rows has any"
    raise InputError(file, "the cells", expected)
