"""Writing a log as the plain log of the headless contract."""

import gzip
import io
from pathlib import Path

import numpy as np
import polars as pl

from nipper.core.files import write_whole
from nipper.core.logs.model import Log


def plain_csv(log: Log) -> bytes:
    """The log as CSV text, as coarse as a real meter: 1 mV, 0.1 A, 0.01 V pack, 1 degC."""
    columns: dict[str, pl.Series] = {
        "time": pl.Series(log.time_s.round(3))
        if np.any(log.time_s % 1)
        else pl.Series(log.time_s.astype(np.int64)),
        "current_a": pl.Series(log.current_a.round(1)),
        "pack_v": pl.Series(log.pack_v.round(2)),
    }
    for i in range(log.cells):
        columns[f"cell_{i + 1:02d}_v"] = pl.Series(log.cell_v[:, i].astype(float).round(3))
    for i in range(log.temp_c.shape[1]):
        columns[f"temp_{i + 1}_c"] = pl.Series(log.temp_c[:, i].astype(float).round(1))
    if log.soc_pct is not None:
        columns["soc_pct"] = pl.Series(log.soc_pct.astype(float).round(1))
    if log.balancing is not None:
        columns["balancing"] = pl.Series(
            [
                " ".join(map(str, np.flatnonzero(row) + 1)) if row.any() else ""
                for row in log.balancing
            ]
        )
    frame = pl.DataFrame(columns).fill_nan(None)
    out = io.BytesIO()
    frame.write_csv(out, quote_style="never")
    return out.getvalue()


def write_plain(log: Log, path: Path) -> None:
    """Write a plain log, gzipped where the name ends so; :class:`InputError` when it cannot be
    written.
    """
    data = plain_csv(log)
    write_whole(path, gzip.compress(data, 6) if path.suffix == ".gz" else data)
