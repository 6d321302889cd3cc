"""A log that a BMS keeps in its registers, pulled into an ordinary log; and the registers of a
stand-in that keeps one.
"""

from collections.abc import Callable, Mapping

import numpy as np
from numpy.typing import NDArray

from nipper.core.link.points import ABSENT, WIDTH, LogBlock, LogColumn
from nipper.core.link.registers import LinkError, Registers
from nipper.core.logs.model import Floats, Log, in_order

Words = NDArray[np.int64]
AT_ONCE = 125  # registers in one request: Modbus Application Protocol V1.1b3, 6.3
SANE_S = (315532800.0, 4102444800.0)  # 1980 to 2100
LEAST_V, MOST_V = 0.05, 6.0  # of a cell, to be one
KEPT_ROWS = 1440  # of a stand-in: a day, a row a minute


def pull_log(
    device: Registers, block: LogBlock, tick: Callable[[float], None] = lambda _share: None
) -> Log:
    """All rows that are kept.

    Parameters
    ----------
    tick : called with the fraction read; what it raises ends the pulling

    Raises
    ------
    LinkError
        The device does not answer, keeps no row, or what it keeps is no log.
    """
    count = device.read(block.count_at, 1)[0]
    if not 0 < count <= block.most:
        raise LinkError(f"expected 1 to {block.most} rows of a log, the device tells {count}")
    words: Words = np.array(_words(device, block, count, tick), np.int64)
    return _log(block, words.reshape(count, block.width))


def _words(
    device: Registers, block: LogBlock, count: int, tick: Callable[[float], None]
) -> list[int]:
    """Every register of the rows, a few rows at a time."""
    step = AT_ONCE // block.width
    out: list[int] = []
    for row in range(0, count, step):
        rows = min(step, count - row)
        out += device.read(block.first + row * block.width, rows * block.width)
        tick((row + rows) / count)
    return out


def _log(block: LogBlock, words: Words) -> Log:
    told = {c.quantity: _column(c, words) for c in block.columns}
    times = told.get("time_s")
    raw = words[:, block.cells_at :]
    cells: Floats = np.where(raw == ABSENT["uint16"], np.nan, raw * block.cell_factor)
    cells[(cells < LEAST_V) | (cells > MOST_V)] = np.nan
    there = np.isfinite(cells).any(axis=0)
    if times is None or not there.any():
        raise LinkError("expected a time and cells in each row of the log")
    cells = cells[:, : int(np.flatnonzero(there)[-1]) + 1]
    sane = (times >= SANE_S[0]) & (times <= SANE_S[1]) & np.isfinite(cells).any(axis=1)
    if not sane.any():
        raise LinkError("expected rows of 1980 to 2100: is the clock of the BMS set?")
    nothing = np.full(times.size, np.nan)
    pack_v, summed = told.get("pack_v", nothing), np.asarray(np.nansum(cells, axis=1))
    log = Log(
        time_s=times,
        current_a=told.get("current_a", nothing),
        pack_v=np.where(np.isfinite(pack_v), pack_v, summed),
        cell_v=cells.astype(np.float32),
        temp_c=told.get("temperature_c", nothing)[:, None].astype(np.float32),
        soc_pct=told.get("soc_pct", nothing).astype(np.float32),
        unreadable=int((~sane).sum()),
    )
    return in_order(log.select(sane))


def _column(column: LogColumn, words: Words) -> Floats:
    """One quantity of all rows; NaN where it is marked as absent."""
    raw = words[:, column.at].astype(np.int64)
    bits = 16 * WIDTH[column.type]
    if bits == 32:
        raw = raw << 16 | words[:, column.at + 1]
    absent = raw == ABSENT[column.type]
    if column.type.startswith("int"):
        raw = np.where(raw >= 1 << (bits - 1), raw - (1 << bits), raw)
    return np.where(absent, np.nan, raw * column.factor)


def kept(log: Log, block: LogBlock) -> dict[int, int]:
    """The registers of a stand-in that keeps the last day of a log, a row a minute at most."""
    day = log.select(log.time_s >= log.time_s[-1] - 86400.0)
    rows = min(KEPT_ROWS, block.most, day.rows)
    day = day.select(np.unique(np.linspace(0, day.rows - 1, rows).round().astype(int)))
    words = np.full((day.rows, block.width), ABSENT["uint16"], np.int64)
    told: Mapping[str, Floats | None] = {
        "time_s": day.time_s,
        "pack_v": day.pack_v,
        "current_a": day.current_a,
        "soc_pct": day.soc_pct,
        "temperature_c": _coldest(day),
    }
    for column in block.columns:
        _put(words, column, told[column.quantity])
    room = block.width - block.cells_at
    cells = day.cell_v[:, :room]
    raw = np.where(np.isfinite(cells), np.round(cells / block.cell_factor), ABSENT["uint16"])
    words[:, block.cells_at : block.cells_at + cells.shape[1]] = raw
    values = words.ravel().tolist()
    return {block.count_at: day.rows} | dict(enumerate(values, block.first))


def _coldest(log: Log) -> Floats | None:
    return np.fmin.reduce(log.temp_c, axis=1) if log.temp_c.shape[1] else None


def _put(words: Words, column: LogColumn, values: Floats | None) -> None:
    """Write a column; what is not known is marked as absent."""
    bits = 16 * WIDTH[column.type]
    raw = np.full(words.shape[0], ABSENT[column.type], np.int64)
    if values is not None:
        known = np.isfinite(values)
        raw[known] = np.round(values[known] / column.factor).astype(np.int64) & ((1 << bits) - 1)
    if bits == 32:
        words[:, column.at], words[:, column.at + 1] = raw >> 16, raw & 0xFFFF
    else:
        words[:, column.at] = raw
