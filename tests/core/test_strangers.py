"""Tables of strangers: each is read rightly, told, or refused clearly; none is false in silence."""

import json

import numpy as np
import polars as pl
import pytest

from nipper.core.errors import InputError
from nipper.core.logs import shapes
from nipper.core.logs.column import Column, columns_of
from nipper.core.logs.families import Family, joined, without_last
from nipper.core.logs.model import Log
from nipper.core.logs.propose import Options
from nipper.core.logs.reader import chosen, read_file
from tests.bench import tables
from tests.core.journals import ALL
from tests.core.strangers import Stranger, a_log, usual

SLOTS = ((1, 1), (1, 2), (2, 1), (2, 2))


def wrong_in(read: Log, case: Stranger) -> list[str]:
    """What of a log is not what the table was written from."""
    log, out = case.log, []
    if case.rows is not None:
        log = log.select(slice(0, case.rows))
    if "cells_mean" in case.check:
        moments = np.interp(log.time_s, read.time_s, read.mean_cell_v)
        off = np.abs(moments - log.mean_cell_v)[5:-5]
        few = read.rows < 0.2 * log.rows
        return ["cells"] * bool(np.median(off) > 2e-3 or read.cells != log.cells or few)
    if read.rows != log.rows:
        return [f"{read.rows} rows"]
    if "rows" in case.check:
        return []
    if read.cells != log.cells:
        return [f"{read.cells} cells"]
    shift = read.time_s[0] - log.time_s[0] if case.shift else 0.0
    if "time" in case.check and np.abs(read.time_s - shift - log.time_s).max() > case.time_atol:
        out.append("time")
    seen = np.isfinite(read.cell_v)
    if np.abs(read.cell_v - log.cell_v)[seen].max() > case.cell_atol or seen.mean() < 0.98:
        out.append("cells")
    for name, ours, theirs, atol in (
        ("current", read.current_a, log.current_a, case.amps_atol),
        ("pack", read.pack_v, log.pack_v, 0.02),
        ("soc", read.soc_pct, log.soc_pct, 0.06),
        ("temps", read.temp_c, log.temp_c, 0.06),
    ):
        if name not in case.check:
            continue
        if ours is None or ours.shape != np.shape(theirs):
            out.append(f"{name} missing")
        elif not np.nanmax(np.abs(ours - theirs)) <= atol:
            out.append(name)
    if "balancing" in case.check and (
        read.balancing is None or not np.array_equal(read.balancing, log.balancing)
    ):
        out.append("balancing")
    return out


@pytest.mark.parametrize("case", ALL, ids=[case.name for case in ALL])
def test_a_strangers_table_is_read_rightly_told_or_refused(case, tmp_path):
    path = tmp_path / case.file
    path.write_bytes(case.data)
    if case.refused:
        with pytest.raises(InputError, match=case.refused) as caught:
            read_file(path, Options(**case.options))
        assert "\n" not in str(caught.value)
        return
    found = read_file(path, Options(**case.options))
    assert wrong_in(found.log, case) == []
    told = " ".join(map(str, found.reading.doubts))
    assert case.doubt in told
    if not case.doubt and not case.shift:
        assert told == ""


def test_there_are_enough_of_them():
    assert len(ALL) >= 80
    assert len({case.name for case in ALL}) == len(ALL)


def test_a_mapping_by_hand_does_not_mix_packs_below_each_other(tmp_path):
    case = next(c for c in ALL if c.name == "packs: below each other, one chosen")
    path = tmp_path / case.file
    path.write_bytes(case.data)
    mapping = chosen(path, Options(pack="B")).mapping
    with pytest.raises(InputError, match="--pack"):
        read_file(path, Options(mapping=mapping))
    found = read_file(path, Options(mapping=mapping, pack="B"))
    assert wrong_in(found.log, case) == []


@pytest.mark.parametrize("seed", range(100, 112))
def test_no_table_put_together_by_chance_is_false_in_silence(seed, tmp_path):
    kind, why = tables.try_one(seed, tmp_path)
    assert kind in ("right", "right, doubted", "told"), why


@pytest.mark.parametrize("share", [0.03, 0.2])
def test_readings_that_failed_by_chance_are_not_filled(tmp_path, share):
    """Fast steps, none of them twice the same: still no log that is written on change."""
    log = a_log(every=300.0)
    sheet = usual(log)
    rng = np.random.default_rng(5)
    failed = rng.random(log.cell_v.shape) < share
    moving = np.round(log.cell_v + 0.01 * np.arange(log.rows)[:, None] % 0.2, 3)
    log.cell_v[:] = np.where(failed, np.nan, moving)
    path = tmp_path / "log.csv"
    path.write_text(sheet.text().replace("nan", ""))
    found = read_file(path)
    assert found.reading.mapping.hold_s == 0.0
    assert np.array_equal(np.isnan(found.log.cell_v), failed)


def test_a_reader_of_lines_keeps_the_order_of_columns(tmp_path):
    path = tmp_path / "log.jsonl"
    names = [f"T{i}" for i in range(9, 0, -1)]
    rows = [{"time": 1772517600 + 60 * i, **{f"cell {c}": 3.3 for c in range(1, 9)},
             **dict.fromkeys(names, 20.0 + i / 10)} for i in range(50)]  # fmt: skip
    path.write_text("\n".join(map(json.dumps, rows)))
    assert read_file(path).reading.mapping.temps == tuple(names)


def test_a_wide_table_without_cells_is_judged_few_times(tmp_path):
    """Of 360 columns each that might name packs had all of them judged again: 23 s."""
    rows = ["Time," + ",".join(f"state {i}" for i in range(200))]
    for k in range(20):
        marks = (str(100 * i + k) for i in range(200))
        rows.append(f"2026-03-03 06:{k // 2:02d}:00," + ",".join(marks))
    path = tmp_path / "log.csv"
    path.write_text("\n".join(rows))
    judged = []
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(shapes, "columns_of", lambda t: judged.append(t) or columns_of(t))
        with pytest.raises(InputError):
            read_file(path)
    assert len(judged) < 6


def with_a_dead_cell(nothing: str, slots: int = 0, *, pack: bool = True) -> str:
    """The usual table, of whose fifth cell nothing is read, with so many unused slots behind."""
    log = a_log()
    sheet = usual(log) if pack else usual(log).without("Pack voltage (V)")
    sheet.fields[sheet.heads.index("Cell 5 (V)")] = lambda log, i: nothing
    for slot in range(slots):
        sheet.const(f"Cell {9 + slot} (V)", nothing)
    return sheet.text()


@pytest.mark.parametrize("nothing", ["", "0.000", "65.535", "n/a"])
@pytest.mark.parametrize("slots", [0, 8])
@pytest.mark.parametrize(("cells", "pack"), [(8, False), (8, True), (None, True)])
def test_a_cell_of_which_nothing_is_read_stays_a_cell(nothing, slots, cells, pack, tmp_path):
    """It was left out as an unused slot: "expected 8 cells as in the setup, found 7"."""
    path = tmp_path / "log.csv"
    path.write_text(with_a_dead_cell(nothing, slots, pack=pack))
    found = read_file(path, Options(cells=cells))
    log = a_log()
    assert found.log.cells == 8
    assert np.isnan(found.log.cell_v[:, 4]).all()
    others = np.delete(np.arange(8), 4)
    assert np.allclose(found.log.cell_v[:, others], log.cell_v[:, others], atol=6e-4)
    assert np.allclose(found.log.pack_v, log.pack_v, atol=0.02 * log.pack_v.mean())
    assert any(
        "Cell 5 (V): a cell of which nothing is read" in str(d) for d in found.reading.doubts
    )


def test_where_nothing_tells_whether_a_slot_is_a_cell_it_is_asked(tmp_path):
    path = tmp_path / "log.csv"
    path.write_text(with_a_dead_cell("0", pack=False))
    found = read_file(path)
    assert found.log.cells == 7
    assert any("is it one that is not read?" in str(doubt) for doubt in found.reading.doubts)


def test_the_first_and_the_last_cell_may_be_the_one_that_is_not_read(tmp_path):
    for head in ("Cell 1 (V)", "Cell 8 (V)"):
        sheet = usual(a_log())
        sheet.fields[sheet.heads.index(head)] = lambda log, i: "0"
        path = tmp_path / "log.csv"
        path.write_text(sheet.text())
        assert np.isnan(read_file(path).log.cell_v[:, int(head[5]) - 1]).all()


def test_a_mark_for_inches_is_no_open_quote(tmp_path):
    """No character parts such rows outside of quotes: the one that parts them all is told."""
    path = tmp_path / "log.csv"
    rows = [f'2026-03-03 06:{i:02d},19" rack,3.301,3.302,3.303,3.304,10.0' for i in range(30)]
    path.write_text("\n".join(["time,where,cell 1,cell 2,cell 3,cell 4,current", *rows]))
    with pytest.raises(InputError, match="as many fields as the header has"):
        read_file(path)


def test_slots_behind_the_modules_of_one_string():
    """Cells of several modules have no running number: they were missed, and raised."""
    columns = [Column(f"m{m} cell {c}", pl.Series([""]), np.full(3, 3.3)) for m, c in SLOTS]
    modules = [Family(tuple(columns[at : at + 2]), 1.0, ("cell", ""), (1, 2)) for at in (0, 2)]
    left = without_last(joined(modules), 1)
    assert left.names == ("m1 cell 1", "m1 cell 2", "m2 cell 1")
    assert not left.silent


def test_a_pack_of_fewer_cells_than_the_setup_is_doubted_not_only_a_cell(tmp_path):
    """Seven cells in a table of ten slots, under a setup of eight."""
    sheet = usual(a_log(7)).const("Cell 8 (V)", "0").const("Cell 9 (V)", "0")
    path = tmp_path / "log.csv"
    path.write_text(sheet.text())
    found = read_file(path, Options(cells=8))
    assert found.log.cells == 8
    assert any("that of 7 cells: has it so many?" in str(d) for d in found.reading.doubts)
