"""Samples in compressed columns: a stretch of a log as one Arrow IPC table, integers of 0.1 mV,
zstd.
"""

import io
from collections.abc import Iterator

import numpy as np
import polars as pl

from nipper.core.errors import InputError
from nipper.core.logs.model import Log

ROWS = 200_000
TENTH_MV = 1e4
UNREAD = 65535  # a cell or sensor that was not read
KELVIN_TENTHS = 2731.5


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
        bits = np.packbits(log.balancing, axis=1)
        for i in range(bits.shape[1]):
            columns[f"balancing_{i + 1}"] = pl.Series(np.ascontiguousarray(bits[:, i]))
    out = io.BytesIO()
    pl.DataFrame(columns).write_ipc(out, compression="zstd")
    return out.getvalue()


def _coded(values: np.ndarray, scale: float, offset: float) -> np.ndarray:
    with np.errstate(invalid="ignore"):
        code = np.rint(values * np.float32(scale) + np.float32(offset))
        code[~((code >= 0) & (code < UNREAD))] = UNREAD
    return code.astype(np.uint16)


def unpack(data: bytes) -> Log:
    """The stretch of :func:`pack`.

    Raises
    ------
    InputError
        The bytes are damaged.
    """
    try:
        frame = pl.read_ipc(io.BytesIO(data))
    except (pl.exceptions.PolarsError, OSError) as error:
        raise InputError(
            "the bench", "a stretch of samples", f"undamaged data ({str(error).splitlines()[0]})"
        ) from None
    names = frame.columns
    cells = [n for n in names if n.startswith("cell_")]
    temps = [n for n in names if n.startswith("temp_")]
    flags = [n for n in names if n.startswith("balancing_")]
    cell_v = _table(frame, cells, TENTH_MV, 0.0)
    return Log(
        time_s=frame.get_column("time_s").to_numpy(),
        current_a=frame.get_column("current_a").to_numpy().astype(np.float64),
        pack_v=frame.get_column("pack_v").to_numpy().astype(np.float64),
        cell_v=cell_v,
        temp_c=_table(frame, temps, 10.0, KELVIN_TENTHS),
        soc_pct=frame.get_column("soc").to_numpy() if "soc" in names else None,
        balancing=np.unpackbits(
            np.column_stack([frame.get_column(n).to_numpy() for n in flags]),
            axis=1,
            count=len(cells),
        ).astype(bool)
        if flags
        else None,
    )


def times(data: bytes) -> np.ndarray:
    """Only the times of a stretch, float64[rows] Unix s."""
    return pl.read_ipc(io.BytesIO(data), columns=["time_s"]).get_column("time_s").to_numpy()


def _table(frame: pl.DataFrame, names: list[str], scale: float, offset: float) -> np.ndarray:
    out = np.empty((frame.height, len(names)), np.float32, order="F")
    for i, name in enumerate(names):
        code = frame.get_column(name).to_numpy()
        out[:, i] = (code - np.float32(offset)) / np.float32(scale)
        out[code == UNREAD, i] = np.nan
    return out
