"""From a file to a :class:`Log`: the plain log by a fast typed path, any other table through a
column mapping.
"""

import io
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import polars as pl
from numpy.typing import NDArray

from nipper.core.errors import InputError
from nipper.core.logs.mapping import SAMPLE_ROWS, ColumnMapping, plain_mapping, propose
from nipper.core.logs.model import Log, in_order
from nipper.core.logs.table import Table, as_number, read_bytes, read_table, table_of
from nipper.core.logs.times import to_unix_s

POSSIBLE_V = (
    0.2,
    5.5,
)  # outside this a cell reading is a broken lead or a placeholder, not a voltage


def read_log(path: str | Path, zone: str = "UTC") -> Log:
    """Read a log; a plain one as the headless contract has it, another table as Nipper proposes by
    itself.

    Raises
    ------
    InputError
        Names the file, the line and column, and what was expected there.
    """
    path = Path(path)
    if path.suffix.lower() in (".xlsx", ".xlsm", ".ods"):
        table = read_table(path)
        return to_log(table, proposal(table, zone))
    data = read_bytes(path)
    header, first = [*data[:100_000].split(b"\n", 2), b"", b""][:2]
    header = header.removeprefix(b"\xef\xbb\xbf").decode("utf-8", "replace").strip()
    mapping = plain_mapping([name.strip() for name in header.split(",")])
    if mapping:
        log = _read_plain(
            data, mapping, unix=first.split(b",", 1)[0].replace(b".", b"", 1).isdigit()
        )
        if log is not None:
            return _not_empty(log, str(path))
    table = table_of(data, str(path))
    return to_log(table, mapping or proposal(table, zone))


def proposal(table: Table, zone: str = "UTC") -> ColumnMapping:
    """The mapping Nipper proposes for a table.

    Raises
    ------
    InputError
        When times or cell voltages cannot be made out.
    """
    mapping = plain_mapping(table.columns)
    if mapping:
        return mapping
    numbers = {name: table.numbers(name, SAMPLE_ROWS) for name in table.columns}
    mapping = propose(table.head(SAMPLE_ROWS), numbers, zone)
    if mapping is None:
        raise InputError(
            table.file,
            "the header",
            "a time column and at least three numbered cell voltage columns",
        )
    return mapping


def to_log(table: Table, mapping: ColumnMapping) -> Log:
    """Read a table through a mapping.

    Raises
    ------
    InputError
        A mapped column is missing, or holds something that is no number or time; names line and
        column.
    """
    missing = [
        c
        for c in (
            mapping.time,
            mapping.second_time,
            mapping.current,
            mapping.pack,
            *mapping.cells,
            *mapping.temps,
        )
        if c and c not in table.columns
    ]
    if missing:
        raise InputError(table.file, "the header", f"a column {missing[0]!r}")

    def numbers(name: str, scale: float = 1.0) -> NDArray[np.floating]:
        text = table.frame.get_column(name)
        values = as_number(text, table.decimal)
        _refuse(table, name, text, values, "a number")
        return values.fill_null(np.nan).to_numpy() * scale

    def table_of_numbers(names: tuple[str, ...], scale: float) -> NDArray[np.floating]:
        out = np.empty((table.frame.height, len(names)), np.float32, order="F")
        for i, name in enumerate(names):
            out[:, i] = numbers(name, scale)
        return out

    temps = table_of_numbers(mapping.temps, 1.0)
    balancing = (
        table.frame.get_column(mapping.balancing) if mapping.balancing in table.columns else None
    )
    log = _assemble(
        time_s=times_as_written(table, mapping),
        current_a=numbers(mapping.current, mapping.current_scale)
        if mapping.current
        else np.full(table.frame.height, np.nan),
        pack_v=numbers(mapping.pack, mapping.pack_scale) if mapping.pack else None,
        cell_v=table_of_numbers(mapping.cells, mapping.cell_scale),
        temp_c=(temps - 32.0) / 1.8 if mapping.temp_unit == "F" else temps,
        soc_pct=numbers(mapping.soc, mapping.soc_scale).astype(np.float32) if mapping.soc else None,
        balancing=None if balancing is None else parse_balancing(balancing, len(mapping.cells)),
    )
    return _not_empty(log, table.file)


def times_as_written(table: Table, mapping: ColumnMapping) -> NDArray[np.floating]:
    """The times in the order of the file, float64[rows] Unix s; :class:`InputError` names the first
    that is none.
    """
    text = table.frame.get_column(mapping.time)
    if mapping.second_time:
        text = text + " " + table.frame.get_column(mapping.second_time)
    frame = text.alias("t").to_frame()
    times = frame.select(to_unix_s(pl.col("t"), mapping.time_form, mapping.zone)).to_series()
    bad = times.is_null()
    if bad.any():
        row = int(bad.arg_max() or 0)
        raise InputError(
            table.file,
            f"line {table.first_line + row} column {mapping.time}",
            f"a time, found {text[row]!r}",
        )
    return times.to_numpy()


def _refuse(table: Table, name: str, text: pl.Series, values: pl.Series, expected: str) -> None:
    """Empty means not read; anything else that is no number is refused by its place."""
    bad = (
        values.is_null()
        & text.is_not_null()
        & (text.str.strip_chars() != "")
        & ~text.str.strip_chars().str.to_lowercase().is_in(["nan", "null", "none", "-", "n/a"])
    )
    if bad.any():
        row = int(bad.arg_max() or 0)
        raise InputError(
            table.file,
            f"line {table.first_line + row} column {name}",
            f"{expected}, found {text[row]!r}",
        )


def _read_plain(data: bytes, mapping: ColumnMapping, unix: bool) -> Log | None:
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
        times = (
            frame.get_column("time")
            if unix
            else frame.select(to_unix_s(pl.col("time"), "iso", "UTC")).to_series()
        )
    except pl.exceptions.PolarsError:
        return None
    if not frame.height or times.null_count():
        return None
    return _assemble(
        time_s=times.to_numpy(),
        current_a=_numpy(frame, "current_a"),
        pack_v=_numpy(frame, "pack_v"),
        cell_v=_matrix(frame, mapping.cells),
        temp_c=_matrix(frame, mapping.temps),
        soc_pct=_numpy(frame, mapping.soc) if mapping.soc else None,
        balancing=parse_balancing(frame.get_column(mapping.balancing), len(mapping.cells))
        if mapping.balancing
        else None,
    )


def _numpy(frame: pl.DataFrame, name: str) -> NDArray[np.floating]:
    return frame.get_column(name).fill_null(np.nan).to_numpy()


def _matrix(frame: pl.DataFrame, names: tuple[str, ...]) -> NDArray[np.floating]:
    out = np.empty((frame.height, len(names)), np.float32, order="F")
    for i, name in enumerate(names):
        out[:, i] = _numpy(frame, name)
    return out


def parse_balancing(text: pl.Series, cells: int) -> NDArray[np.bool_]:
    """bool[n, cells] from texts such as ``"4 11"``; the few distinct texts are parsed once each.

    Unknown numbers are passed over.
    """
    text = text.fill_null("")
    distinct = text.unique().to_list()
    codes = text.cast(pl.Enum(distinct)).to_physical().to_numpy()
    patterns = np.zeros((len(distinct), cells), bool)
    for code, label in enumerate(distinct):
        for word in label.replace(",", " ").replace(";", " ").split():
            if word.isdigit() and 1 <= int(word) <= cells:
                patterns[code, int(word) - 1] = True
    return patterns[codes]


def _assemble(
    time_s: NDArray[np.floating],
    current_a: NDArray[np.floating],
    pack_v: NDArray[np.floating] | None,
    cell_v: NDArray[np.floating],
    temp_c: NDArray[np.floating],
    soc_pct: NDArray[np.floating] | None,
    balancing: NDArray[np.bool_] | None,
) -> Log:
    low, high = POSSIBLE_V
    with np.errstate(invalid="ignore"):
        bad = (cell_v < low) | (cell_v > high)
    if bad.any():
        cell_v = np.where(bad, np.float32(np.nan), cell_v)
    log = Log(
        time_s=time_s,
        current_a=current_a.astype(np.float64, copy=False),
        pack_v=np.asarray(np.sum(cell_v, axis=1, dtype=np.float64))
        if pack_v is None
        else pack_v.astype(np.float64, copy=False),
        cell_v=cell_v,
        temp_c=temp_c.astype(np.float32, copy=False),
        soc_pct=None if soc_pct is None else soc_pct.astype(np.float32, copy=False),
        balancing=balancing,
    )
    return in_order(_readable(log))


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
