"""Tables for other programs, read back by other libraries than wrote them."""

from dataclasses import replace
from io import BytesIO
from pathlib import Path

import numpy as np
import openpyxl
import polars as pl
import pytest

from nipper.core.errors import InputError
from nipper.core.imbalance.diagnosis import diagnose, to_json
from nipper.core.logs.reader import read_log
from nipper.core.presets import new_setup
from nipper.core.report.tables import Kind, as_bytes, samples, table
from tests.builders import charge_log

SETUP = new_setup("lfp", 8, 100.0)


@pytest.fixture(scope="module")
def judged():
    log = charge_log(SETUP, np.zeros(8), charges=4, interval_s=60.0)
    return log, diagnose(log, SETUP)


@pytest.mark.parametrize("kind", list(Kind))
def test_a_spreadsheet_holds_what_the_diagnosis_says(judged, kind):
    log, diagnosis = judged
    found = table(kind, diagnosis, log, SETUP)
    book = openpyxl.load_workbook(BytesIO(as_bytes(found, Path("a.xlsx"))))
    head, *rows = book["nipper"].iter_rows(values_only=True)
    expected = to_json(diagnosis, log, SETUP)[kind.value]
    assert list(head) == list(expected[0])
    assert len(rows) == len(expected)
    assert rows[0][0] == next(iter(expected[0].values()))


def test_a_log_comes_back_from_parquet_and_csv_as_it_was(judged, tmp_path):
    log, _ = judged
    log = replace(log, current_a=np.where(np.arange(log.rows) == 5, np.nan, log.current_a))
    parquet = pl.read_parquet(BytesIO(as_bytes(samples(log), Path("a.parquet"))))
    assert parquet["cell_03_v"].to_numpy() == pytest.approx(log.cell_v[:, 2])
    assert parquet["current_a"].null_count() == 1
    seconds = parquet["time"].dt.epoch("ms").to_numpy() / 1e3
    assert seconds == pytest.approx(log.time_s, abs=1e-3)
    (tmp_path / "a.csv").write_bytes(as_bytes(samples(log), Path("a.csv")))
    again = read_log(tmp_path / "a.csv")
    assert again.time_s == pytest.approx(log.time_s, abs=1e-3)
    assert again.cell_v == pytest.approx(log.cell_v, abs=1e-5)


def test_text_that_looks_like_a_formula_stays_text():
    found = pl.DataFrame({"name": ["=1+1", "http://x.example"]})
    book = openpyxl.load_workbook(BytesIO(as_bytes(found, Path("a.xlsx"))))
    cell = book["nipper"]["A2"]
    assert (cell.value, cell.data_type) == ("=1+1", "s")
    assert book["nipper"]["A3"].hyperlink is None


def test_other_names_and_too_many_rows_are_refused():
    with pytest.raises(InputError, match=r"\.csv, \.parquet or \.xlsx"):
        as_bytes(pl.DataFrame({"a": [1]}), Path("a.doc"))
    with pytest.raises(InputError, match="parquet"):
        as_bytes(pl.DataFrame({"a": range(1_048_576)}), Path("a.xlsx"))
