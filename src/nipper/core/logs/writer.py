"""Writing a log as the plain log of the headless contract."""

import gzip
import io
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import polars as pl

from nipper.core.errors import InputError
from nipper.core.files import whole, write_whole
from nipper.core.logs.model import Log


@dataclass(frozen=True, slots=True)
class Columns:
    """Which columns a plain log has beside time, current, pack and cells."""

    sensors: int
    soc: bool
    balancing: bool

    @classmethod
    def of(cls, log: Log) -> "Columns":
        """Those that a log has."""
        return cls(log.temp_c.shape[1], log.soc_pct is not None, log.balancing is not None)


def plain_csv(log: Log, columns: Columns | None = None, header: bool = True) -> bytes:
    """The log as CSV text, as coarse as a real meter: 1 mV, 0.1 A, 0.01 V pack, 1 degC.

    Parameters
    ----------
    columns : those of the whole, where this is a piece of it
    """
    has = columns or Columns.of(log)
    found: dict[str, pl.Series] = {
        "time": pl.Series(log.time_s.round(3))
        if np.any(log.time_s % 1)
        else pl.Series(log.time_s.astype(np.int64)),
        "current_a": pl.Series(log.current_a.round(1)),
        "pack_v": pl.Series(log.pack_v.round(2)),
    }
    for i in range(log.cells):
        found[f"cell_{i + 1:02d}_v"] = pl.Series(log.cell_v[:, i].astype(float).round(3))
    for i in range(has.sensors):
        found[f"temp_{i + 1}_c"] = _sensor(log, i)
    if has.soc:
        found["soc_pct"] = _percentage(log)
    if has.balancing:
        found["balancing"] = _balancing(log)
    out = io.BytesIO()
    frame = pl.DataFrame(found).fill_nan(None)
    frame.write_csv(out, quote_style="never", include_header=header)
    return out.getvalue()


def _unread(log: Log) -> pl.Series:
    return pl.Series([None] * log.rows, dtype=pl.Float64)


def _sensor(log: Log, i: int) -> pl.Series:
    if i >= log.temp_c.shape[1]:
        return _unread(log)
    return pl.Series(log.temp_c[:, i].astype(float).round(1))


def _percentage(log: Log) -> pl.Series:
    return _unread(log) if log.soc_pct is None else pl.Series(log.soc_pct.astype(float).round(1))


def _balancing(log: Log) -> pl.Series:
    if log.balancing is None:
        return pl.Series([""] * log.rows)
    return pl.Series(
        [" ".join(map(str, np.flatnonzero(row) + 1)) if row.any() else "" for row in log.balancing]
    )


def write_plain(log: Log, path: Path) -> None:
    """Write a plain log, gzipped where the name ends so; :class:`InputError` when it cannot be
    written.
    """
    data = plain_csv(log)
    write_whole(path, gzip.compress(data, 6) if path.suffix == ".gz" else data)


def write_pieces(pieces: Callable[[], Iterable[Log]], path: Path) -> None:
    """As :func:`write_plain`, of a log that is too long to be held: its pieces, in order of time,
    asked for twice.
    """
    if path.exists() and not path.is_file():
        raise InputError(str(path), "the file", "one on a disk, for a log that is this long")
    some = [Columns.of(log) for log in pieces()]
    columns = Columns(
        sensors=max((c.sensors for c in some), default=0),
        soc=any(c.soc for c in some),
        balancing=any(c.balancing for c in some),
    )
    opened = gzip.open if path.suffix == ".gz" else open
    with whole(path) as partial, opened(partial, "wb") as file:
        for i, log in enumerate(pieces()):
            file.write(plain_csv(log, columns, header=i == 0))
