"""How much a current moves at a stretch, and when that cannot be of the cells."""

from dataclasses import replace

import numpy as np
import pytest

from nipper.core.logs.amount import amount_doubts, in_one_go_ah
from nipper.core.logs.reader import Options, read_file
from nipper.core.logs.writer import write_plain
from tests.core.strangers import a_log

MINUTE_S = 60.0 * np.arange(601)  # ten hours


def test_one_way_is_from_one_turn_to_the_next() -> None:
    amps = np.full(601, 30.0)
    assert in_one_go_ah(amps, MINUTE_S) == pytest.approx(300.0)
    assert in_one_go_ah(-amps, MINUTE_S) == pytest.approx(300.0)
    amps[200] = -1.0
    assert in_one_go_ah(amps, MINUTE_S) == pytest.approx(200.0)
    amps[200] = 0.0  # a rest is no turn
    assert in_one_go_ah(amps, MINUTE_S) == pytest.approx(299.5)


def test_nothing_is_counted_across_a_gap() -> None:
    amps, gap = np.full(601, 30.0), MINUTE_S.copy()
    gap[200:] += 86400.0
    assert in_one_go_ah(amps, gap) == pytest.approx(200.0)
    assert in_one_go_ah(amps[:1], MINUTE_S[:1]) == 0.0
    assert in_one_go_ah(amps[:0], MINUTE_S[:0]) == 0.0


def test_a_tenfold_current_is_too_much_and_a_month_of_float_is_not() -> None:
    log = a_log()  # 60 Ah in one go, 94 Ah out
    assert not amount_doubts(log, "i", 100.0)
    tenfold = replace(log, current_a=10.0 * log.current_a)
    assert "in one go" in amount_doubts(tenfold, "i", 300.0)[0].text
    assert not amount_doubts(tenfold, None, 300.0)
    assert not amount_doubts(tenfold, "i", None)
    month = a_log(rows=720, every=3600.0)
    month = replace(month, current_a=np.full(720, 1.0))  # what a meter is off by
    assert not amount_doubts(month, "i", 280.0)


def test_a_plain_log_is_asked_as_well(tmp_path) -> None:
    path = tmp_path / "log.csv"
    write_plain(a_log(), path)
    told = read_file(path, Options(capacity_ah=30.0)).reading.doubts
    assert any("in one go" in doubt.text for doubt in told)
    assert not read_file(path, Options(capacity_ah=100.0)).reading.doubts
