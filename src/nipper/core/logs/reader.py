"""From a file to a :class:`Log`: the plain log by a fast typed path, any other table through a
column mapping.
"""

import io
import time
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
import polars as pl
from numpy.typing import NDArray

from nipper.core.errors import ChoiceError, InputError
from nipper.core.logs.alike import alike_doubts
from nipper.core.logs.amount import amount_doubts
from nipper.core.logs.begins import begun, date_doubts, dated
from nipper.core.logs.clockface import AHEAD_S
from nipper.core.logs.doubt import Doubt
from nipper.core.logs.mapping import ColumnMapping, plain_mapping
from nipper.core.logs.minor import parse_balancing
from nipper.core.logs.model import Log
from nipper.core.logs.propose import Options, Proposal, propose
from nipper.core.logs.reading import Reading
from nipper.core.logs.resets import longest_leap_years, put_right
from nipper.core.logs.shapes import shaped
from nipper.core.logs.timeforms import DATELESS, SECONDS_2060, TimeForm
from nipper.core.logs.times import to_unix
from nipper.core.logs.together import a_file_a_reading, beside, headed, same_shape
from nipper.core.logs.values import (
    AGAIN,
    Lost,
    assemble,
    not_empty,
    read_values,
    spread_doubts,
    unit_doubts,
)
from nipper.core.tables.packed import read_bytes
from nipper.core.tables.read import read_tables
from nipper.core.tables.table import Table

Floats = NDArray[np.floating]
SECONDS_1980 = 315532800.0
MOST_NAMED = 8  # logs in one file, of which the user chooses


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
            log = not_empty(log, str(path))
            doubts = clock_doubts(log, "plain")
            doubts += amount_doubts(log, plain[0].current, options.capacity_ah)
            return ReadLog(log, Reading(str(path), log.rows, plain[0], lost, tuple(doubts)))
    found = chosen(path, options)
    return read_proposal(found, options.capacity_ah)


def read_proposal(found: Proposal, capacity_ah: float | None) -> ReadLog:
    """The log of a table as it was understood, of cells of that capacity where it is known."""
    log, lost = read_values(found.table, found.mapping)
    again = sum(rows for rows, why in lost if why == AGAIN)
    doubts = [*found.doubts, *date_doubts(found.table, found.mapping)]
    doubts += spread_doubts(found.table, found.mapping) + unit_doubts(log, lost)
    doubts += clock_doubts(log, found.mapping.time_form) + alike_doubts(log)
    doubts += amount_doubts(log, found.mapping.current, capacity_ah)
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
    if log.rows and log.time_s[-1] > SECONDS_2060:
        return [
            Doubt("its times go beyond 2060: is the clock set, do they count from another day?")
        ]
    if log.rows and form not in DATELESS and log.time_s[-1] > time.time() + AHEAD_S:
        days = (log.time_s[-1] - time.time()) / 86400.0
        return [Doubt(f"its times go {days:.0f} days beyond today: is the clock set?")]
    if log.redated:
        text = (
            f"the clock began anew: {log.redated} rows are read as they stand in the file, "
            "up to when it was set"
        )
        return [Doubt(text)]
    years = longest_leap_years(log.time_s)
    if not years:
        return []
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
    tables = beside(list(map(dated, tables)) if len(tables) > 1 else tables)
    if options.mapping is not None:
        table = next((t for t in tables if _has(t, options.mapping)), None)
        table = table or a_file_a_reading(tables) or tables[0]
        return mapped(table, options.mapping, options.pack)
    found: list[Proposal] = []
    errors: list[tuple[int, InputError]] = []
    groups = same_shape(headed(tables))
    while groups and len(found) < MOST_NAMED:  # of more one is chosen, looked at or not
        group = groups.pop(0)
        try:
            found.append(propose(group, options))
        except InputError as error:
            errors.append((group.rows, error))
    if len(found) == 1:
        return found[0]
    joined = None if found else a_file_a_reading(tables)
    if joined is not None:
        return propose(joined, options)
    if not found:
        raise (
            max(errors, key=lambda e: e[0])[1]
            if errors
            else InputError(str(path), "the file", "a table")
        )
    parts = [table.part for table in (*(p.table for p in found), *groups)]
    names = ", ".join(parts[:MOST_NAMED])
    raise ChoiceError(str(path), "its tables", f"one log, found {names}", "--table", parts)


def _no_part(tables: list[Table]) -> list[Table]:
    names = ", ".join(t.part for t in tables[:MOST_NAMED])
    raise InputError(tables[0].file, "--table", f"one of {names}")


def _has(table: Table, mapping: ColumnMapping) -> bool:
    return set(mapping.columns()) <= set(table.columns)


def mapped(table: Table, mapping: ColumnMapping, pack: str | None = None) -> Proposal:
    """A table with a mapping that the user gives; brought into shape where its columns ask for
    that.
    """
    made, told = shaped(table, pack)  # of several packs below each other, one must be named
    mapping = mapping if mapping.begins else begun(table, mapping)
    if _has(made, mapping):
        return Proposal(made, mapping, told=tuple(told))
    return Proposal(table, mapping)


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
    times, moved = put_right(times)
    log, lost = assemble(
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
    return replace(log, redated=moved), lost


def _numpy(frame: pl.DataFrame, name: str) -> Floats:
    return frame.get_column(name).fill_null(np.nan).to_numpy()


def _matrix(frame: pl.DataFrame, names: tuple[str, ...]) -> Floats:
    if not names:
        return np.empty((frame.height, 0), np.float32)
    read = frame.select(pl.col(names).fill_null(np.nan))
    return read.to_numpy(order="fortran", writable=True)


def flip_current(mapping: ColumnMapping) -> ColumnMapping:
    """The same mapping with the other sign of current."""
    return replace(mapping, current_scale=-mapping.current_scale)
