"""A balancing column that cannot be what it says: told, and not used."""

from dataclasses import replace

import numpy as np
import polars as pl
import pytest

from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.imbalance.flags import without_flags
from nipper.core.imbalance.missing import hides_leaks
from nipper.core.logs.minor import find_balancing, parse_balancing
from nipper.core.logs.reader import read_file
from nipper.core.setup import put
from tests.bench.others import other


@pytest.fixture(scope="module")
def leaking():
    """Cell 5 of 14 loses 47 mAh a day, and all the others are bled for it."""
    return other("self_discharge", 771)


def stuck(flags):
    out = flags.copy()
    out[:, 2] = True
    return out


SPOILT = {
    "counted from 0": (lambda f: np.roll(f, 1, axis=1), "it counts the cells otherwise"),
    "from the other end": (lambda f: f[:, ::-1].copy(), "it counts the cells otherwise"),
    "one bit stuck": (stuck, "Cell 3: said to be balanced at all times"),
    "inverted": (np.logical_not, "said to be balanced at all times"),
    "one bit for all": (lambda f: np.repeat(f.any(axis=1)[:, None], 14, axis=1), "not which cell"),
    "balancing allowed": (np.ones_like, "not which cell"),
}


@pytest.mark.parametrize("name", SPOILT)
def test_what_a_balancing_column_cannot_mean_is_told_and_not_used(leaking, name):
    """Counted from 0, cell 6 leaked at 0.98; stuck, the BMS balanced 2.4 Ah a day on the flat."""
    spoil, words = SPOILT[name]
    log = replace(leaking.log, balancing=spoil(leaking.log.balancing))
    told = diagnose(log, leaking.setup)
    assert any(words in text for text in told.advice)
    assert not told.findings
    assert hides_leaks(told.estimate)  # and that is said beside


def test_as_it_was_written_it_is_used(leaking):
    log, why = without_flags(leaking.log, leaking.setup)
    assert (log, why) == (leaking.log, "")
    assert diagnose(log, leaking.setup).findings[0].cells == (5,)


@pytest.mark.parametrize(("cause", "n"), [("group_drain", 41), ("high_resistance", 43)])
def test_cells_that_are_bled_a_row_early_are_no_contradiction(cause, n):
    """Of those that begin to be bled here every sixth stood lower in the row before."""
    pack = other(cause, n)
    assert without_flags(pack.log, pack.setup)[1] == ""


def test_a_bleed_that_pulls_its_own_reading_down_is_no_contradiction(leaking):
    """An ampere through two sense leads of 10 mΩ: bled cells read 20 mV less."""
    log = leaking.log
    pulled = log.cell_v - np.where(log.balancing, 0.02, 0.0).astype(np.float32)
    assert without_flags(replace(log, cell_v=pulled), leaking.setup)[1] == ""


def test_of_an_active_balancer_the_lowest_is_named_rightly(leaking):
    setup = put(leaking.setup, {"balancer.kind": "active"})
    low = np.zeros_like(leaking.log.balancing)
    some = leaking.log.balancing.any(axis=1)
    low[some, 4] = True
    assert without_flags(replace(leaking.log, balancing=low), setup)[1] == ""
    assert without_flags(replace(leaking.log, balancing=low), leaking.setup)[1] != ""


def test_of_a_log_of_the_top_alone_a_cell_may_be_bled_all_the_while(leaking):
    log = leaking.log.select(leaking.log.mean_cell_v > leaking.setup.leveller.start_v)
    high = np.zeros_like(log.balancing)
    high[:, 2] = True
    highest = log.cell_v.copy()
    highest[:, 2] += np.float32(0.02)
    assert without_flags(replace(log, cell_v=highest, balancing=high), leaking.setup)[1] == ""


@pytest.mark.parametrize("odd", ["² 3", "²", "9" * 5000, "9" * 5000 + " 1", "٣ 4"])
def test_what_is_no_number_of_a_cell_is_told(leaking, tmp_path, odd):
    """It ended the reading with a ValueError."""
    _, text = table(leaking, 1, odd)
    path = tmp_path / "log.csv"
    path.write_text(text, encoding="utf-8")
    read = read_file(path)
    assert read.log.balancing is None
    assert any("balancing" in str(doubt) for doubt in read.reading.doubts)


def table(leaking, first, none=""):
    """The log as a table whose balancing column lists cells counted from ``first``."""
    log = leaking.log.select(slice(0, None, 3))
    lists = [" ".join(str(i + first) for i in np.flatnonzero(row)) or none for row in log.balancing]
    lines = ["time," + ",".join(f"u{i + 1}" for i in range(log.cells)) + ",current A,balancing"]
    lines += [
        f"{t:.0f},{','.join(f'{x:.3f}' for x in v)},{a:.2f},{b}"
        for t, v, a, b in zip(log.time_s, log.cell_v, log.current_a, lists, strict=True)
    ]
    return log, "\n".join(lines) + "\n"


@pytest.mark.parametrize("none", ["", "-"])
@pytest.mark.parametrize("first", [0, 1])
def test_cells_counted_from_0_are_read_so_and_told(leaking, tmp_path, first, none):
    log, text = table(leaking, first, none)
    path = tmp_path / "log.csv"
    path.write_text(text)
    read = read_file(path)
    np.testing.assert_array_equal(read.log.balancing, log.balancing)
    doubts = " ".join(map(str, read.reading.doubts))
    assert ("counted from 0" in doubts) is (first == 0)


def test_a_0_alone_may_be_none(leaking):
    texts = pl.Series(["0", "3", "0", "14"])
    np.testing.assert_array_equal(parse_balancing(texts, 14).any(axis=1), [False, True] * 2)
    assert parse_balancing(texts, 14, "list_from_0")[0, 0]
    assert not find_balancing([], 14, leaking.log.cell_v).fields
