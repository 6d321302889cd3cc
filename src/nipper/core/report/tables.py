"""Charges, cells and samples as tables for other programs: CSV, Parquet, or a spreadsheet."""

from collections.abc import Mapping, Sequence
from enum import StrEnum
from io import BytesIO
from pathlib import Path
from typing import Any, cast

import polars as pl

from nipper.core.errors import InputError
from nipper.core.imbalance.diagnosis import Diagnosis, to_json
from nipper.core.logs.model import Log
from nipper.core.setup import Setup

MOST_ROWS = 1_048_575  # of a spreadsheet, below its heads


class Kind(StrEnum):
    """What the table holds."""

    CHARGES = "charges"
    CELLS = "cells"


def table(kind: Kind, diagnosis: Diagnosis, log: Log, setup: Setup) -> pl.DataFrame:
    """The charges, or the cells, of a pack's log; columns as in the headless diagnosis."""
    rows = to_json(diagnosis, log, setup)[kind.value]
    return pl.DataFrame(cast("Sequence[Mapping[str, Any]]", rows), infer_schema_length=None)


def samples(log: Log) -> pl.DataFrame:
    """A log's samples, a column a quantity; times in UTC."""
    columns: dict[str, Any] = {
        "time": pl.from_epoch(pl.Series((log.time_s * 1e3).astype("int64")), "ms"),
        "current_a": log.current_a,
        "pack_v": log.pack_v,
    }
    columns |= {f"cell_{i + 1:02d}_v": log.cell_v[:, i] for i in range(log.cells)}
    columns |= {f"temp_{i + 1}_c": log.temp_c[:, i] for i in range(log.temp_c.shape[1])}
    if log.soc_pct is not None:
        columns["soc_pct"] = log.soc_pct
    found = pl.DataFrame(columns)
    return found.with_columns(pl.col("time").dt.replace_time_zone("UTC")).fill_nan(None)


def as_bytes(found: pl.DataFrame, path: Path) -> bytes:
    """A table in the form that a file's name asks for.

    Raises
    ------
    InputError
        The name asks for none of them, or a spreadsheet has no room for so many rows.
    """
    kind = path.suffix.lower()
    out = BytesIO()
    if kind == ".csv":
        found.write_csv(out, datetime_format="%Y-%m-%dT%H:%M:%S%.3f%z")
    elif kind == ".parquet":
        found.write_parquet(out)
    elif kind == ".xlsx":
        _spreadsheet(found, path, out)
    else:
        raise InputError(str(path), "its name", "an ending .csv, .parquet or .xlsx")
    return out.getvalue()


def _spreadsheet(found: pl.DataFrame, path: Path, out: BytesIO) -> None:
    if found.height > MOST_ROWS:
        raise InputError(
            str(path),
            "its rows",
            f"at most {MOST_ROWS:,} of a spreadsheet, there are {found.height:,}: write .parquet",
        )
    from xlsxwriter import Workbook

    # text stays text: a name that begins with = must not be run by whoever opens it
    book = Workbook(out, {"strings_to_formulas": False, "strings_to_urls": False,
                          "in_memory": True, "remove_timezone": True})  # fmt: skip
    with book:
        found.write_excel(book, worksheet="nipper")
