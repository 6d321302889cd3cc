"""Earlier builds of a pack: older logs without the cells that left."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nipper.core.errors import RangeError
from nipper.core.logs.builds import (
    KIND,
    CellsChanged,
    as_built_now,
    kept,
    parse,
    typed_cells,
)
from nipper.core.logs.model import Log


def log_of(cells, last_s=1000.0):
    cell_v = (3.0 + 0.01 * np.arange(cells))[None, :].astype(np.float32)
    return Log(
        time_s=np.array([last_s]),
        current_a=np.array([1.0]),
        pack_v=cell_v.sum(axis=1, dtype=float),
        cell_v=cell_v,
        temp_c=np.empty((1, 0)),
        balancing=(np.arange(cells) % 2 == 0)[None, :],
    )


def test_the_cell_and_its_voltage_leave_the_log():
    now = as_built_now(log_of(16), [(2000.0, CellsChanged(before=16, left=(5,)))], 15)
    assert now.cells == 15
    assert now.cell_v[0, 4] == pytest.approx(3.05)  # the sixth is the fifth now
    assert now.pack_v[0] == pytest.approx(now.cell_v.sum(dtype=float), abs=1e-5)
    assert not now.balancing[0, 4]


def test_a_log_of_after_the_change_or_of_another_build_stands_aside():
    change = [(2000.0, CellsChanged(before=16, left=(5,)))]
    assert as_built_now(log_of(16, 3000.0), change, 15) is None
    assert as_built_now(log_of(14), change, 15) is None
    assert as_built_now(log_of(15), change, 15).cells == 15


@given(st.data())
def test_cells_that_leave_one_after_another_are_those_that_leave_together(data):
    first = data.draw(st.integers(1, 16))
    second = data.draw(st.integers(1, 15))
    changes = [
        (2000.0, CellsChanged(before=16, left=(first,))),
        (3000.0, CellsChanged(before=15, left=(second,))),
    ]
    at_once = second if second < first else second + 1
    together = [(2000.0, CellsChanged(before=16, left=(first, at_once)))]
    one, other = (as_built_now(log_of(16), c, 14) for c in (changes, together))
    assert np.array_equal(one.cell_v, other.cell_v)
    assert one.pack_v == pytest.approx(other.pack_v)


@pytest.mark.parametrize("text", ["", "17", "0", "five", "5 6", "5, 5", "-1", "99999", "5.5"])
def test_what_is_no_cell_of_the_pack_is_refused(text):
    with pytest.raises(RangeError, match="expected a cell from 1 to 16"):
        typed_cells(text, 16, 1)


def test_two_cells_are_typed_as_one_likes():
    assert typed_cells("9, 5", 16, 2) == typed_cells("5 9", 16, 2) == (5, 9)


@pytest.mark.parametrize(
    "note",
    [
        "",
        "a note",
        '{"before": 16, "left": []}',
        '{"before": 16, "left": [17]}',
        '{"before": 2, "left": [1, 2]}',
        '{"before": 16, "left": [5, 5]}',
        '{"before": 1e9, "left": [1]}',
    ],
)
def test_a_hostile_note_is_none(note):
    assert parse(note) is None
    assert kept([(1.0, 1, KIND, note)], 1) == []
