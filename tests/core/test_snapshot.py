"""One reading of all cells: what it says, and what it does not."""

import numpy as np
import pytest

from nipper.core.imbalance.snapshot import FEW_ROWS, snapshot
from nipper.core.logs.model import Log
from nipper.core.presets import new_setup
from nipper.core.setup import put
from nipper.core.simulate import trial
from nipper.core.simulate.scenario import Scenario

SETUP = new_setup("lfp", 16, 280.0)


def reading(cells: list[float], amps: float = 5.0, pack: float | None = None, soc=None) -> Log:
    cell_v = np.array([cells], np.float32)
    return Log(
        time_s=np.array([1.77e9]),
        current_a=np.array([amps]),
        pack_v=np.array([sum(cells) if pack is None else pack]),
        cell_v=cell_v,
        temp_c=np.empty((1, 0), np.float32),
        soc_pct=None if soc is None else np.array([soc], np.float32),
    )


def level(**apart: float) -> list[float]:
    cells = [3.45 + 0.001 * (i % 2) for i in range(16)]
    for name, volts in apart.items():
        cells[int(name[1:]) - 1] = volts
    return cells


def test_one_cell_apart_at_the_top_is_charge_with_an_interval_and_hours():
    found = snapshot(reading(level(c7=3.52)), SETUP)
    assert (found.highest_cell, found.pattern, found.outliers) == (7, "single", (7,))
    assert found.deviation_mv == pytest.approx(70, abs=1)
    assert 0 < found.low < found.deviation_pct < found.high
    hours = found.deviation_pct / 100 * 280.0 / SETUP.leveller.current_a
    assert found.level_hours == pytest.approx(hours)


def test_a_block_of_neighbours_is_not_a_spread():
    assert snapshot(reading(level(c4=3.42, c5=3.421, c6=3.42)), SETUP).pattern == "block"
    assert snapshot(reading(level(c4=3.42, c9=3.421)), SETUP).pattern == "spread"
    assert snapshot(reading(level(c4=3.42, c5=3.50)), SETUP).pattern == "spread"
    assert snapshot(reading(level()), SETUP).pattern == "spread"


def test_on_the_flat_of_the_curve_volts_tell_nothing():
    found = snapshot(reading([3.30 + 0.001 * i for i in range(16)], amps=0.0), SETUP)
    assert (found.deviation_pct, found.low, found.high, found.level_hours) == (None,) * 4
    assert found.deviation_mv == pytest.approx(15, abs=0.1)
    assert "too flat" in found.tells


def test_a_strong_current_hides_what_a_weak_one_shows():
    cells = level(c7=3.455)
    weak, strong = (snapshot(reading(cells, amps=a), SETUP) for a in (5.0, 140.0))
    assert weak.high - weak.low < (strong.high - strong.low if strong.high else np.inf)


def test_a_reading_that_contradicts_itself_says_so():
    assert any("sum to" in d for d in snapshot(reading(level(), pack=52.0), SETUP).doubts)
    assert any("look first" in d for d in snapshot(reading(level(c3=3.9)), SETUP).doubts)
    empty = snapshot(reading([3.0] * 15 + [3.01], amps=0.0, soc=80.0), SETUP)
    assert any("80 %" in d for d in empty.doubts)
    fitting = snapshot(reading([3.30] * 15 + [3.301], amps=0.0, soc=55.0), SETUP)
    assert fitting.doubts == ()


def test_nothing_is_made_up_where_cells_or_current_are_missing():
    one = reading([3.4] + [float("nan")] * 15)
    assert snapshot(one, SETUP) is None
    assert "Without the current" in snapshot(reading(level(c7=3.5), amps=np.nan), SETUP).tells
    assert snapshot(reading(level(c7=3.5)), put(SETUP, {"balancer": None})).level_hours is None


def test_the_interval_holds_the_truth_on_simulated_packs():
    """Single readings near full of packs with known spread, under another curve than the
    chemistry's: the interval holds the truth in at least 85 of 100.
    """
    held, told = 0, 0
    for seed in range(12):
        plan = Scenario(
            days=2, seed=seed, start_soc_pct=80.0, spread_offset_pct=0.5, weather="clear",
            curve_mv=1.5,
        )  # fmt: skip
        result = trial.run(put(SETUP, {"balancer": None}), plan)
        log = result.logs[0]
        gentle = (log.current_a > 1.0) & (log.current_a < 12.0)
        rows = np.flatnonzero((log.mean_cell_v > 3.42) & (log.mean_cell_v < 3.52) & gentle)
        for row in rows[:: max(1, rows.size // 20)]:
            found = snapshot(log.select(slice(row, row + 1)), SETUP)
            if found.deviation_pct is None:
                continue
            truth = result.true_pct[row, 0]
            gap = float(truth[found.highest_cell - 1] - truth[found.lowest_cell - 1])
            told += 1
            held += found.low - 0.03 <= gap <= found.high + 0.03
    assert told >= 20
    assert held >= 0.85 * told


def test_a_few_rows_are_a_snapshot_in_the_document(tmp_path, capsys):
    import json

    from nipper.cli import main
    from nipper.core.logs.writer import write_plain
    from nipper.core.setup import dumps

    log, file, setup = reading(level(c7=3.52)), tmp_path / "one.csv", tmp_path / "s.json"
    write_plain(log, file)
    setup.write_text(dumps(SETUP))
    assert main(["diagnose", str(file), "--setup", str(setup), "--json"]) == 0
    document = json.loads(capsys.readouterr().out)
    assert document["verdict"] == "not_enough_data"
    assert document["findings"] == []
    assert document["snapshot"]["highest_cell"] == 7
    assert log.rows <= FEW_ROWS
