"""A cell far below or above what such cells bear comes before all else, whatever else is told.

That copper dissolves in a cell far below its sheet, and that one far above it may vent, is common
knowledge of the trade (no single source); the bounds are from memory of cells' sheets.
"""

import json
from contextlib import closing
from dataclasses import replace
from functools import cache

import numpy as np
import pytest

from nipper.cli import main
from nipper.core.imbalance.danger import bears_v, dangers
from nipper.core.imbalance.diagnosis import diagnose, to_json
from nipper.core.logs.typed import Reading, typed_log
from nipper.core.logs.writer import write_plain
from nipper.core.presets import new_setup
from nipper.core.report.consequence import Status
from nipper.core.report.danger import of_dangers
from nipper.core.report.sentences import diagnose_sentence, of_diagnosis, of_record, record_sentence
from nipper.core.setup import dumps, put
from nipper.store import Bench
from nipper.store.chunks import pack, unpack
from tests.builders import charge_log

SETUP = new_setup("lfp", 8, 100.0, name="Shed")
STRAY = 4  # the cell that is in danger


@cache
def sound():
    return charge_log(SETUP, np.zeros(8), charges=2)


def with_cell(volts, log=None):
    log = log or sound()
    cell_v = log.cell_v.copy()
    cell_v[:, STRAY] = volts
    return replace(log, cell_v=cell_v, pack_v=cell_v.sum(axis=1, dtype=float))


def under_load(log):
    return np.where(log.current_a < -1.0, -0.3, log.cell_v[:, STRAY])


@pytest.mark.parametrize(
    ("volts", "worst_v"),
    [
        (0.31, 0.31),
        (-0.42, -0.42),
        (1.8, 1.8),
        (4.37, 4.37),
        (under_load(sound()), -0.3),
        (np.linspace(3.3, -0.2, sound().rows), -0.2),
        (np.linspace(3.3, 4.8, sound().rows), 4.8),
        (0.0, 0.0),
    ],
    ids=["flat", "turned", "deep", "over", "turned under load", "sinks", "rises", "nothing"],
)
def test_a_cell_that_may_be_ruined_is_told_first(volts, worst_v):
    """Each was "look at the sense lead", below "not enough recorded", or not told at all."""
    log = with_cell(volts)
    found = diagnose(log, SETUP)
    (danger,) = found.dangers
    assert danger.cells == (STRAY,)
    assert danger.worst_v == pytest.approx(worst_v, abs=0.01)
    assert found.verdict == "act"
    status, words = diagnose_sentence(found)
    assert status is Status.ACT
    assert words == f"Cell 5 read {worst_v:.2f} V: stop charging, and measure".replace("-", "−")
    assert record_sentence(log, SETUP, found) == (status, words)
    for told in (of_diagnosis(found), of_record(log, SETUP, found)):
        assert told[0].status is Status.ACT
        assert "with a meter at the cell's own terminals" in told[0].text
    never = "never charge it again" in told[0].text
    assert never == (worst_v < 2.0)
    assert ("call for help" in told[0].text) == (worst_v > 4.0)


def test_what_a_bus_stumbles_over_is_no_danger():
    log = sound()
    rows = np.arange(log.rows)
    for there in (rows % 37 == 3, rows == 9, np.isin(rows, (100, 101))):
        for volts in (0.4, 5.0):
            spoilt = with_cell(np.where(there, volts, log.cell_v[:, STRAY]))
            assert not dangers(spoilt, SETUP), (there.sum(), volts)


def test_a_sound_pack_is_in_no_danger():
    assert not diagnose(sound(), SETUP).dangers
    assert not of_dangers(diagnose(sound(), SETUP))
    assert not of_dangers(None)
    assert not dangers(sound().select(slice(0, 0)), SETUP)


def test_several_cells_are_one_sentence():
    cell_v = with_cell(1.2).cell_v.copy()
    cell_v[:, 1] = 1.4
    (danger,) = dangers(replace(sound(), cell_v=cell_v), SETUP)
    assert danger.summary == "Cells 2 and 5 read 1.20 V: stop charging, and measure."


def test_both_sides_are_told():
    cell_v = with_cell(1.2).cell_v.copy()
    cell_v[:, 1] = 4.4
    low, high = dangers(replace(sound(), cell_v=cell_v), SETUP)
    assert not low.above
    assert high.above


def test_how_long_and_how_long_ago():
    log = sound()
    first = np.arange(log.rows) < 120
    (danger,) = dangers(with_cell(np.where(first, 1.5, log.cell_v[:, STRAY])), SETUP)
    assert danger.lasted_s == pytest.approx(120 * 60.0, rel=0.02)
    assert danger.ago_s == pytest.approx(log.time_s[-1] - log.time_s[119])
    assert "for 2 h of this log, last" in danger.actions[0]


def test_the_packs_voltage_may_speak_for_a_wrong_reading_and_the_meter_still_decides():
    log = replace(with_cell(0.31), pack_v=sound().pack_v)
    (danger,) = dangers(log, SETUP)
    assert danger.pack_v == pytest.approx(3.35, abs=0.2)
    assert danger.actions[-1].endswith("which speaks for a wrong reading; the meter decides.")
    assert diagnose(log, SETUP).verdict == "act"
    (danger,) = dangers(with_cell(0.31), SETUP)  # the pack lacks what the cell does
    assert danger.pack_v is None


def test_a_sheet_that_allows_more_is_believed_and_a_slip_is_not():
    high = new_setup("nmc", 8, 50.0)
    assert bears_v(high) == (2.0, 4.3)
    assert bears_v(put(high, {"cell.max_v": 4.4}))[1] == pytest.approx(4.5)
    assert bears_v(put(high, {"cell.max_v": 42.0}))[1] == pytest.approx(4.6)
    assert bears_v(put(SETUP, {"cell.min_v": 0.02}))[0] == pytest.approx(1.5)
    assert bears_v(put(SETUP, {"cell.min_v": 2.5, "cell.max_v": 3.65})) == (2.0, 4.0)


@pytest.mark.parametrize("words", ["0.31", "0", "-0.3", "310"])
def test_a_ruined_cell_can_be_typed_in(words):
    """It was refused as a slip."""
    log = typed_log(Reading(1.75e9, f"3.31 3.31 {words} 3.30 3.31 3.31 3.31 3.31"), 8)
    (danger,) = diagnose(log, SETUP).dangers
    assert danger.summary.startswith("Cell 3 read")
    assert danger.actions[0].startswith("Below 2.0 V. Stop charging first")


def test_it_is_kept_in_a_bench_also_below_nought(tmp_path):
    log = with_cell(np.linspace(3.3, -0.4, sound().rows))
    with closing(Bench.create(tmp_path / "a.nipper", SETUP)) as bench:
        bench.logs.add(1, log, "log.csv")
        kept = bench.logs.load(1)
    assert np.allclose(kept.cell_v, log.cell_v, atol=1e-4)
    (danger,) = dangers(kept, SETUP)
    assert danger.worst_v == pytest.approx(-0.4, abs=1e-3)
    deep = unpack(pack(with_cell(-3.0)))
    assert np.allclose(deep.cell_v[:, STRAY], -0.55, atol=0.01)  # no less is kept
    holes = unpack(pack(with_cell(np.nan)))
    assert np.isnan(holes.cell_v[:, STRAY]).all()


def test_the_headless_answer_begins_with_it(tmp_path, capsys):
    log, setup = tmp_path / "log.csv", tmp_path / "setup.json"
    write_plain(with_cell(under_load(sound())), log)
    setup.write_text(dumps(SETUP))
    assert main(["diagnose", str(log), "--setup", str(setup), "--json"]) == 0
    said = json.loads(capsys.readouterr().out)
    assert said["verdict"] == "act"
    (danger,) = said["dangers"]
    assert danger["cells"] == [5]
    assert danger["worst_v"] == -0.3
    assert main(["diagnose", str(log), "--setup", str(setup)]) == 0
    assert capsys.readouterr().out.startswith("danger: Cell 5 read -0.30 V")
    assert to_json(diagnose(sound(), SETUP), sound(), SETUP)["dangers"] == []
