"""Samples in compressed columns: a stretch of a log as one Arrow IPC table, integers of 0.1 mV,
zstd.
"""

import io
from collections.abc import Generator, Iterator
from contextlib import contextmanager

import numpy as np
import polars as pl
from numpy.typing import NDArray

from nipper.core.errors import InputError
from nipper.core.logs.model import Log
from nipper.core.logs.values import POSSIBLE
from nipper.core.quiet import quiet

Floats = NDArray[np.floating]

ROWS = 200_000
MOST_COLUMNS = 500  # 200 cells, their balancing, and sensors
REAL, SMALL, BYTE = {pl.Float32, pl.Float64}, {pl.UInt16}, {pl.UInt8}
TYPES = {  # of the columns, by the first word of their names
    "time": {pl.Float64},
    "current": REAL,
    "pack": REAL,
    "cell": SMALL,
    "temp": SMALL,
    "soc": REAL,
    "balancing": BYTE,
}
TENTH_MV = 1e4
UNREAD = 65535  # a cell or sensor that was not read
# from here up, below UNREAD, stands what is below nought, as in two's complement: a cell that is
# turned round; 6 V of a cell, and 326 degC, are none that is kept
BELOW_NOUGHT = 60_000
KELVIN_TENTHS = 2732.0  # not a half: 2731.5 kept 72.0 and 72.1 as one


def split(log: Log) -> Iterator[Log]:
    """Stretches of at most :data:`ROWS` samples."""
    for start in range(0, log.rows, ROWS):
        yield log.select(slice(start, start + ROWS))


def pack(log: Log) -> bytes:
    """One stretch as bytes; voltages to 0.1 mV, temperatures to 0.1 K, balancing as one bit a
    cell.
    """
    columns = {
        "time_s": pl.Series(log.time_s),
        "current_a": pl.Series(log.current_a.astype(np.float32)),
        "pack_v": pl.Series(log.pack_v.astype(np.float32)),
    }
    for i in range(log.cells):
        columns[f"cell_{i + 1}"] = pl.Series(_coded(log.cell_v[:, i], TENTH_MV, 0.0))
    for i in range(log.temp_c.shape[1]):
        columns[f"temp_{i + 1}"] = pl.Series(_coded(log.temp_c[:, i], 10.0, KELVIN_TENTHS))
    if log.soc_pct is not None:
        columns["soc"] = pl.Series(log.soc_pct)
    if log.balancing is not None:
        bits = _packed(log.balancing)
        for i in range(bits.shape[1]):
            columns[f"balancing_{i + 1}"] = pl.Series(np.ascontiguousarray(bits[:, i]))
    out = io.BytesIO()
    pl.DataFrame(columns).write_ipc(out, compression="zstd")
    return out.getvalue()


def _packed(balancing: NDArray[np.bool_]) -> NDArray[np.uint8]:
    """One bit a cell, eight of a row in a byte; packed in one go, many times as fast as by rows."""
    rows, cells = balancing.shape
    octets = -(-cells // 8)
    whole = np.zeros((rows, 8 * octets), bool)
    whole[:, :cells] = balancing
    return np.packbits(whole).reshape(rows, octets)


def _coded(values: np.ndarray, scale: float, offset: float) -> np.ndarray:
    with np.errstate(invalid="ignore"):
        code = np.rint(values * np.float32(scale) + np.float32(offset))
        below = code < 0
        if below.any():
            code[below] = UNREAD + np.maximum(code[below], BELOW_NOUGHT - UNREAD)
        code[~((code >= 0) & (code < UNREAD))] = UNREAD
    return code.astype(np.uint16)


def unpack(data: bytes) -> Log:
    """The stretch of :func:`pack`.

    Raises
    ------
    InputError
        The bytes are damaged, or hold what no stretch holds.
    """
    with _told():
        columns = _examined(data)
        frame = pl.read_ipc(io.BytesIO(data), columns=columns)
    cells = [n for n in columns if n.startswith("cell_")]
    temps = [n for n in columns if n.startswith("temp_")]
    log = Log(
        time_s=_numbers(frame, "time_s"),
        current_a=_possible(frame, "current_a", "currents"),
        pack_v=_possible(frame, "pack_v", "pack voltages"),
        cell_v=_table(frame, cells, TENTH_MV, 0.0),
        temp_c=_table(frame, temps, 10.0, KELVIN_TENTHS),
        soc_pct=_possible(frame, "soc", "percentages") if "soc" in columns else None,
        balancing=_bits(frame, columns, len(cells)),
    )
    if not np.isfinite(log.time_s).all() or (np.diff(log.time_s) <= 0).any():
        raise _damaged("times that run")
    return log


def _possible(frame: pl.DataFrame, name: str, kind: str) -> Floats:
    """Without what no log that is read can hold, and older versions took: it counts as not read."""
    low, high = POSSIBLE[kind]
    values = _numbers(frame, name).astype(np.float64)
    return np.where((values >= low) & (values <= high), values, np.nan)


def times(data: bytes) -> Floats:
    """Only the times of a stretch, float64[rows] Unix s."""
    with _told():
        _examined(data)
        return _numbers(pl.read_ipc(io.BytesIO(data), columns=["time_s"]), "time_s")


def cells(data: bytes) -> int:
    """How many cells a stretch is of, without its samples."""
    with _told():
        return sum(name.startswith("cell_") for name in _examined(data))


def _examined(data: bytes) -> list[str]:
    """The columns of a stretch, looked at before anything is unpacked: a few bytes can be millions
    of rows.
    """
    found = pl.read_ipc_schema(io.BytesIO(data))
    rows = int(pl.scan_ipc(io.BytesIO(data)).select(pl.len()).collect().item())
    cells = sum(name.startswith("cell_") for name in found)
    if rows > ROWS or len(found) > MOST_COLUMNS:
        raise _damaged(
            f"at most {ROWS} rows of {MOST_COLUMNS} columns, found {rows} of {len(found)}"
        )
    numbered = [f"cell_{i + 1}" for i in range(cells)]
    needed = ["time_s", "current_a", "pack_v", *numbered]
    if not cells or not set(needed) <= set(found):
        raise _damaged("times, current, pack voltage and cells")
    for name, kind in found.items():
        if kind not in TYPES.get(name.partition("_")[0], ()):
            raise _damaged(f"the column {name} as Nipper makes it")
    return list(found)


def _bits(frame: pl.DataFrame, columns: list[str], cells: int) -> NDArray[np.bool_] | None:
    flags = [n for n in columns if n.startswith("balancing_")]
    if not flags:
        return None
    if len(flags) != (cells + 7) // 8:
        raise _damaged("a bit of balancing for each cell")
    packed = np.column_stack([frame.get_column(n).to_numpy() for n in flags])
    return np.unpackbits(packed, axis=1, count=cells).astype(bool)


def _numbers(frame: pl.DataFrame, name: str) -> Floats:
    return frame.get_column(name).to_numpy()


def _damaged(expected: str) -> InputError:
    return InputError("the bench", "a stretch of samples", f"undamaged data: {expected}")


DAMAGED = (OSError, TypeError, ValueError)  # a column of the base may hold what is no bytes


@contextmanager
def _told() -> Generator[None]:
    """What damaged bytes cause becomes one line."""
    try:
        with quiet():
            yield
    except (*DAMAGED, pl.exceptions.PolarsError, pl.exceptions.PanicException) as error:
        raise _damaged((str(error).splitlines() or ["unreadable"])[0][:100]) from None


def _table(frame: pl.DataFrame, names: list[str], scale: float, offset: float) -> np.ndarray:
    out = np.empty((frame.height, len(names)), np.float32, order="F")
    for i, name in enumerate(names):
        code = frame.get_column(name).to_numpy()
        below = np.where(code >= BELOW_NOUGHT, np.float32(UNREAD), np.float32(0.0))
        out[:, i] = (code - below - np.float32(offset)) / np.float32(scale)
        out[code == UNREAD, i] = np.nan
    return out
