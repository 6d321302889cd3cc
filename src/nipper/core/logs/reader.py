"""From a file to a :class:`Log`: the plain log by a fast typed path, any other table through a
column mapping.
"""

import io
from dataclasses import dataclass, replace
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
import polars as pl
from numpy.typing import NDArray

from nipper.core.errors import ChoiceError, InputError
from nipper.core.logs.doubt import Doubt
from nipper.core.logs.mapping import ColumnMapping, plain_mapping
from nipper.core.logs.minor import parse_balancing
from nipper.core.logs.model import Log, in_order
from nipper.core.logs.propose import Options, Proposal, propose
from nipper.core.logs.reading import Reading
from nipper.core.logs.shapes import shaped, time_columns
from nipper.core.logs.times import DATELESS, TimeForm, possible_forms, to_unix
from nipper.core.tables.numbers import as_number, is_missing
from nipper.core.tables.packed import read_bytes
from nipper.core.tables.read import read_tables
from nipper.core.tables.table import Table

Floats = NDArray[np.floating]
POSSIBLE_V = (0.2, 5.5)  # outside this a cell reading is a broken lead or a placeholder
POSSIBLE = {  # outside these a value is a placeholder or a slip, whatever the pack
    "currents": (-5000.0, 5000.0),
    "pack voltages": (-1.0, 2000.0),
    "temperatures": (-60.0, 200.0),
    "percentages": (-10.0, 200.0),
}
AGAIN = "a moment that is there already"
SECONDS_1980 = 315532800.0
LEAP_DAYS = 200.0  # no log pauses as long: a clock was set anew
OVERLAP = 0.1  # of the shorter of two tables: more, and they are not one after the other
STRAY = 0.05  # of the rows may hold what is no time or no number, before it is refused


@dataclass(frozen=True, slots=True)
class ReadLog:
    """A log, how it was read, and the table it came from (None for the plain log)."""

    log: Log
    reading: Reading


def read_log(path: str | Path, zone: str | None = None) -> Log:
    """Read a log as :func:`read_file` does."""
    return read_file(path, Options(zone=zone)).log


def read_file(path: str | Path, options: Options = Options()) -> ReadLog:  # noqa: B008 - immutable
    """Read a log; a plain one as the headless contract has it, another table as Nipper proposes by
    itself or as ``options.mapping`` says.

    Raises
    ------
    InputError
        Names the file, the line and column, and what was expected there.
    """
    path = Path(path)
    if options.mapping is None and ".csv" in "".join(path.suffixes[-2:]).lower():
        data = read_bytes(path)
        plain = _plain_header(data)
        read = _read_plain(data, *plain) if plain else None
        if plain and read is not None:
            log, lost = read
            log = _not_empty(log, str(path))
            doubts = tuple(clock_doubts(log, "plain"))
            return ReadLog(log, Reading(str(path), log.rows, plain[0], lost, doubts))
    found = chosen(path, options)
    return read_proposal(found)


def read_proposal(found: Proposal) -> ReadLog:
    """The log of a table as it was understood."""
    log, lost = _read(found.table, found.mapping)
    again = sum(rows for rows, why in lost if why == AGAIN)
    doubts = [*found.doubts, *clock_doubts(log, found.mapping.time_form)]
    if again > 0.2 * (log.rows + again):
        text = f"{again} rows are of a moment that has another row already: left out"
        doubts.append(Doubt(text))
    return ReadLog(
        log,
        Reading(
            found.table.file,
            log.rows,
            found.mapping,
            found.table.dropped + lost,
            tuple(doubts),
            found.told,
            found.table.part,
        ),
    )


def clock_doubts(log: Log, form: TimeForm) -> list[Doubt]:
    """What dates before any such battery say, and a pause of most of a year: a clock that was
    never set, lost, or set anew.
    """
    if log.rows and form not in DATELESS and log.time_s[0] < SECONDS_1980:
        return [Doubt("its times begin before 1980: was the clock never set? The dates are wrong")]
    if log.rows < 2:
        return []
    longest = float(np.diff(log.time_s).max()) / 86400.0
    if longest < LEAP_DAYS:
        return []
    years = longest / 365.25
    text = f"the times leap over {years:.1f} years: was the clock reset for some of the rows?"
    return [Doubt(text)]


def _plain_header(data: bytes) -> tuple[ColumnMapping, bool] | None:
    """The plain log's mapping, and whether its times are Unix seconds."""
    header, first = [*data[:100_000].split(b"\n", 2), b"", b""][:2]
    names = header.removeprefix(b"\xef\xbb\xbf").decode("utf-8", "replace").strip()
    mapping = plain_mapping([name.strip() for name in names.split(",")])
    if mapping is None:
        return None
    return mapping, first.split(b",", 1)[0].replace(b".", b"", 1).isdigit()


def chosen(path: str | Path, options: Options = Options()) -> Proposal:  # noqa: B008 - immutable
    """The table of a file that holds the log, and how to read it.

    Tables of one shape (a sheet a month, a file a day) are put together.

    Raises
    ------
    InputError
        None can be read, or several of unlike shape can.
    """
    tables = read_tables(path)
    if options.part is not None:
        tables = [t for t in tables if t.part.lower() == options.part.lower()] or _no_part(tables)
    if options.mapping is not None:
        table = next((t for t in tables if _has(t, options.mapping)), tables[0])
        return mapped(table, options.mapping, options.pack)
    found: list[Proposal] = []
    errors: list[tuple[int, InputError]] = []
    for group in _same_shape(tables):
        try:
            found.append(propose(group, options))
        except InputError as error:
            errors.append((group.rows, error))
    if len(found) == 1:
        return found[0]
    if not found:
        raise (
            max(errors, key=lambda e: e[0])[1]
            if errors
            else InputError(str(path), "the file", "a table")
        )
    parts = [p.table.part for p in found]
    names = ", ".join(parts[:8])
    raise ChoiceError(str(path), "its tables", f"one log, found {names}", "--table", parts)


def _no_part(tables: list[Table]) -> list[Table]:
    names = ", ".join(t.part for t in tables[:8])
    raise InputError(tables[0].file, "--table", f"one of {names}")


def _has(table: Table, mapping: ColumnMapping) -> bool:
    return set(mapping.columns()) <= set(table.columns)


def mapped(table: Table, mapping: ColumnMapping, pack: str | None = None) -> Proposal:
    """A table with a mapping that the user gives; brought into shape where its columns ask for
    that.
    """
    made, told = shaped(table, pack)  # of several packs below each other, one must be named
    if _has(made, mapping):
        return Proposal(made, mapping, told=tuple(told))
    return Proposal(table, mapping)


def _same_shape(tables: list[Table]) -> list[Table]:
    """Tables with the same columns as one, in the order of their names, where one goes on after the
    other; those of the same time are of several packs, and stay apart.
    """
    groups: dict[tuple[str, ...], list[Table]] = {}
    for table in tables:
        groups.setdefault(tuple(table.columns), []).append(table)
    out: list[Table] = []
    for group in groups.values():
        first = group[0]
        if len(group) > 1 and not _one_after_another(group):
            out += group
            continue
        if len(group) > 1:
            frame = pl.concat([t.frame for t in group])
            lost = tuple(d for t in group for d in t.dropped)
            first = replace(first, frame=frame, dropped=lost, part=f"{len(group)} of one shape")
        out.append(first)
    return out


def _one_after_another(tables: list[Table]) -> bool:
    """Whether the stretches of time of some tables do not lie over each other."""
    spans = sorted(span for table in tables if (span := _span(table)) is not None)
    if len(spans) < len(tables):
        return False
    return all(
        this[1] - following[0] <= OVERLAP * min(this[1] - this[0], following[1] - following[0])
        for this, following in pairwise(spans)
    )


def _span(table: Table) -> tuple[float, float] | None:
    """From when to when a table goes, Unix s; None where its times cannot be read by themselves."""
    names = time_columns(table)
    if not names:
        return None
    text = table.text(names[0])
    for other in names[1:]:
        text = text + " " + table.text(other)
    forms = possible_forms(text.drop_nulls().head(500).to_list())
    times = to_unix(text, forms[0], "UTC") if forms else np.empty(0)
    known = times[np.isfinite(times)]
    return (float(known.min()), float(known.max())) if known.size else None


def proposal(table: Table, zone: str | None = None) -> ColumnMapping:
    """The mapping Nipper proposes for a table that is a row a moment already.

    Raises
    ------
    InputError
        When times or cell voltages cannot be made out.
    """
    return propose(table, Options(zone=zone)).mapping


def to_log(table: Table, mapping: ColumnMapping) -> Log:
    """Read a table through a mapping.

    Raises
    ------
    InputError
        A mapped column is missing, or holds something that is no number or time; names line and
        column.
    """
    return _read(table, mapping)[0]


Lost = tuple[tuple[int, str], ...]


def _read(table: Table, mapping: ColumnMapping) -> tuple[Log, Lost]:
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
    times = spread_minutes(times)
    columns = _Columns(table, mapping)
    cell_v = columns.matrix(mapping.cells, mapping.cell_scale)
    log, beyond = _assemble(
        time_s=times,
        current_a=columns.current(cell_v),
        pack_v=columns.numbers(mapping.pack, mapping.pack_scale) if mapping.pack else None,
        cell_v=cell_v,
        temp_c=columns.temperatures(),
        soc_pct=columns.soc(),
        balancing=columns.balancing(),
        hold_s=mapping.hold_s,
    )
    lost += beyond
    again = int(times.size) - log.rows - log.unreadable
    if again > 0 and not mapping.hold_s:
        lost.append((again, AGAIN))
    lost += [(n, f"values in {c} that are no numbers") for c, n in columns.stray.items()]
    return _not_empty(log, table.file), tuple(lost)


def times_as_written(table: Table, mapping: ColumnMapping) -> Floats:
    """The times in the order of the file, float64[rows] Unix s.

    NaN for the few rows that hold none (sums at the end, remarks between); :class:`InputError`
    names the first when they are many, or when the log is a plain one.
    """
    text = table.text(mapping.time)
    if mapping.second_time:
        first = text.str.strip_chars().str.replace(r"\.$", "")
        text = first + " " + table.text(mapping.second_time)
    times = to_unix(text, mapping.time_form, mapping.zone)
    bad = np.isnan(times)
    empty = np.array([is_missing(t) for t in text.filter(pl.Series(bad)).to_list()], bool)
    wrong = int(bad.sum() - empty.sum())
    strict = mapping.time_form == "plain"
    if bad.any() and (
        strict or wrong > max(STRAY * bad.size, 3 if bad.size > 20 else 1) or bad.all()
    ):
        row = int(np.argmax(bad))
        raise InputError(table.file, table.place(row, mapping.time), f"a time, found {text[row]!r}")
    return times


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

    def __init__(self, table: Table, mapping: ColumnMapping) -> None:
        self._table, self._mapping = table, mapping
        self._strict = mapping.time_form == "plain"
        self.stray: dict[str, int] = {}

    def numbers(self, name: str, scale: float = 1.0) -> Floats:
        text = self._table.text(name)
        values = as_number(text, self._table.mark(name))
        self._refuse(name, text, values)
        return values.fill_null(np.nan).to_numpy() * scale

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
            out = np.abs(np.nan_to_num(self.numbers(m.discharge, m.current_scale)))
            amps = np.where(np.isnan(amps), -out, np.abs(amps) - out)
        elif m.direction:
            ways = {text: float(way) for text, way in m.directions}
            said = self._table.text(m.direction).str.strip_chars()
            way = said.replace_strict(ways, default=None, return_dtype=pl.Float64)
            amps = np.abs(amps) * way.fill_null(np.nan).to_numpy()
        if m.power:
            volts = self.numbers(m.pack, m.pack_scale) if m.pack else np.sum(cell_v, axis=1)
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
        text = self._table.text(m.balancing).str.strip_chars()
        return parse_balancing(text, len(m.cells), m.balancing_form)


def _read_plain(data: bytes, mapping: ColumnMapping, unix: bool) -> tuple[Log, Lost] | None:
    """The typed fast path; None when something in the file needs the slow one, which can say
    where.
    """
    names = (mapping.current, mapping.pack, *mapping.cells, *mapping.temps, mapping.soc)
    schema: dict[str, Any] = {name: pl.Float32 for name in names if name} | {
        "time": pl.Float64 if unix else pl.String
    }
    schema |= {"current_a": pl.Float64, "pack_v": pl.Float64}
    if mapping.balancing:
        schema[mapping.balancing] = pl.String
    try:
        frame = pl.read_csv(
            io.BytesIO(data),
            schema_overrides=schema,
            null_values=["nan", "NaN"],
            columns=list(schema),
            raise_if_empty=False,
        )
    except pl.exceptions.PolarsError:
        return None
    if not frame.height:
        return None
    text = frame.get_column("time")
    times = text.fill_null(np.nan).to_numpy() if unix else to_unix(text, "iso", "UTC")
    if np.isnan(times).any():
        return None
    return _assemble(
        time_s=times,
        current_a=_numpy(frame, "current_a"),
        pack_v=_numpy(frame, "pack_v"),
        cell_v=_matrix(frame, mapping.cells),
        temp_c=_matrix(frame, mapping.temps),
        soc_pct=_numpy(frame, mapping.soc) if mapping.soc else None,
        balancing=parse_balancing(frame.get_column(mapping.balancing), len(mapping.cells))
        if mapping.balancing
        else None,
    )


def _numpy(frame: pl.DataFrame, name: str) -> Floats:
    return frame.get_column(name).fill_null(np.nan).to_numpy()


def _matrix(frame: pl.DataFrame, names: tuple[str, ...]) -> Floats:
    out = np.empty((frame.height, len(names)), np.float32, order="F")
    for i, name in enumerate(names):
        out[:, i] = _numpy(frame, name)
    return out


def _assemble(
    time_s: Floats,
    current_a: Floats,
    pack_v: Floats | None,
    cell_v: Floats,
    temp_c: Floats,
    soc_pct: Floats | None,
    balancing: NDArray[np.bool_] | None,
    hold_s: float = 0.0,
) -> tuple[Log, Lost]:
    cell_v, _ = _within(cell_v, POSSIBLE_V)
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
    if hold_s:
        from nipper.core.logs.onchange import held

        log = held(log, hold_s)
    if pack_v is None:
        summed = np.asarray(np.sum(log.cell_v, axis=1, dtype=np.float64))
        log = replace(log, pack_v=summed)
    log = in_order(_readable(log))
    lost = [(beyond, f"{name} out of range") for name, (_, beyond) in kept.items() if beyond]
    if log.unreadable:
        lost.append((log.unreadable, "cells out of range"))
    return log, tuple(lost)


def _within(values: Floats, bounds: tuple[float, float]) -> tuple[Floats, int]:
    """The values with NaN where they are out of bounds, and how many were."""
    with np.errstate(invalid="ignore"):
        beyond = (values < bounds[0]) | (values > bounds[1])
    count = int(beyond.sum())
    if not count:
        return values, 0
    return np.where(beyond, values.dtype.type(np.nan), values), count


def _readable(log: Log) -> Log:
    """Without the rows in which no cell could be read: they say nothing of any."""
    some = np.asarray(np.isfinite(log.cell_v).any(axis=1))
    if some.all():
        return log
    return replace(log.select(some), unreadable=int(log.rows - some.sum()))


def _not_empty(log: Log, file: str) -> Log:
    """The log, if a cell can be read in any of its rows."""
    if log.rows or not log.unreadable:
        return log
    low, high = POSSIBLE_V
    expected = f"voltages between {low:g} and {high:g} V, none of {log.unreadable} rows has any"
    raise InputError(file, "the cells", expected)


def flip_current(mapping: ColumnMapping) -> ColumnMapping:
    """The same mapping with the other sign of current."""
    return replace(mapping, current_scale=-mapping.current_scale)
