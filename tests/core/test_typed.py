"""Readings by hand: as people type them, what they say, and two of them against each other."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nipper.core.chemistry import chemistry
from nipper.core.errors import RangeError
from nipper.core.forecast.reading import between, targets
from nipper.core.imbalance.snapshot import snapshot
from nipper.core.logs.typed import Reading, parse_cells, typed_log
from nipper.core.presets import new_setup
from nipper.core.report.reading import heading, says, since


@pytest.mark.parametrize(
    "text",
    [
        "3.452 3.449 3.451 3.470",
        "3452 3449 3451 3470",
        "3452mV, 3449mV, 3451mV, 3470mV",
        "3,452; 3,449; 3,451; 3,470",
        "3.452 V\n3.449 V\n3.451 V\n3.470 V",
        "3.452\t3.449\t3.451\t3.470\n",
        "1: 3.452  2: 3.449  3=3.451 4:3470",
        "4: 3.470, 1: 3.452, 2: 3.449, 3: 3.451",
        "3.452,3.449,3.451,3.470",
        "3452,3449,3451,3470",
        "[3452,3449,3451,3470]",
        '"3.452","3.449","3.451","3.470"',
        '{"1": 3.452, "2": 3.449, "3": 3.451, "4": 3.470}',
        "Cell 1 3.452 Cell 2 3.449 Cell 3 3.451 Cell 4 3.470",
        "1) 3.452 2) 3.449 3) 3.451 4) 3.470",
        "1. 3.452\n2. 3.449\n3. 3.451\n4. 3.470",
        "1 - 3.452\n2 - 3.449\n3 - 3.451\n4 - 3.470",
        "3.452 – 3.449 – 3.451 – 3.470",
        "cells: 3.452 3.449* 3.451 3.470",
        "3452mV/3449mV/3451mV/3470mV",
        "3'452 3'449 3'451 3'470",
        "3.452 volts, 3.449 volts, 3.451 volts, 3.470 volts",
    ],
)
def test_cells_are_read_as_people_type_them(text):
    assert parse_cells(text, 4) == pytest.approx([3.452, 3.449, 3.451, 3.470])


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("3.452 3.449", "expected 4 cells, found 2"),
        ("3.452 3.449 3.451 34.70", "expected a cell's voltage"),
        ("3.452 3.449 3.451 ok", "expected a voltage"),
        ("5: 3.45 1: 3.4", "expected a cell from 1 to 4"),
        ("1: 3.45 1: 3.4", "given twice"),
        ("3.4 " * 9000, "too long"),
        ("3,452,3,449,3,451,3,470", "expected a voltage"),
        ("3,952 3,949", "expected 4 cells, found 2"),
        ("3.312 3.313 3.351 3.298 13.274", "expected a cell's voltage"),
        ("0: 3.31 1: 3.32 2: 3.33 3: 3.34", "expected a cell from 1 to 4"),
        ("nan inf 3.4 3.4", "expected a cell's voltage"),
    ],
)
def test_slips_are_told_and_nothing_is_guessed(text, expected):
    with pytest.raises(RangeError, match=expected):
        parse_cells(text, 4)


@given(st.text(max_size=60), st.integers(1, 20))
def test_any_text_is_read_or_refused(text, cells):
    try:
        volts = parse_cells(text, cells)
    except RangeError:
        return
    assert volts.shape == (cells,)
    assert all(not np.isfinite(v) or -1.0 <= v <= 10.0 for v in volts)


@given(st.lists(st.integers(2000, 4300), min_size=2, max_size=24))
def test_millivolts_and_volts_say_the_same(mv):
    as_mv, as_v = " ".join(map(str, mv)), " ".join(f"{v / 1e3:.3f}" for v in mv)
    assert parse_cells(as_mv, len(mv)) == pytest.approx(parse_cells(as_v, len(mv)))


SETUP = new_setup("lfp", 4, 100.0)


def shot_of(cells, amps=2.0, at=0.0, **more):
    log = typed_log(Reading(at, cells, current_a=amps, **more), SETUP.cells)
    found = snapshot(log, SETUP)
    assert found
    return found


def test_the_highest_cell_at_each_target_is_on_the_curve():
    # cells 0.6 % apart of charge: the sum is held, so the others stand below the target
    curve = chemistry("lfp").curve
    volts = curve.ocv(np.array([98.6, 98.0, 98.0, 98.0]))
    found = targets(shot_of(" ".join(f"{v:.4f}" for v in volts), amps=0.0), SETUP)
    assert [t.cell for t in found] == [1] * len(found)
    assert all(t.highest_v > t.cell_target_v for t in found)
    for target in found:  # the charger holds the sum: the common charge that gives it is the one
        mean = [
            t
            for t in np.linspace(-2, 4, 6001)
            if curve.ocv(np.array([98.6, 98.0, 98.0, 98.0]) + t).mean() <= target.cell_target_v
        ]
        assert target.highest_v == pytest.approx(float(curve.ocv(98.6 + mean[-1])), abs=0.004)
    assert [t.highest_v for t in found] == sorted(t.highest_v for t in found)
    trip = SETUP.protection.cell_over_voltage.trip_v
    assert [t.trips for t in found] == [t.highest_v >= trip for t in found]


def test_on_the_flat_nothing_is_forecast():
    assert targets(shot_of("3.331 3.330 3.332 3.329"), SETUP) == []


def test_a_screen_that_shows_only_two_cells_is_enough_for_the_deviation():
    shot = shot_of("2: 3.431 4: 3.512")
    assert shot.deviation_mv == pytest.approx(81, abs=0.5)
    assert (shot.highest_cell, shot.lowest_cell) == (4, 2)
    assert targets(shot, SETUP) == []


def test_one_cell_is_no_reading():
    with pytest.raises(RangeError, match="highest and the lowest"):
        typed_log(Reading(0.0, "2: 3.431"), 4)


def test_two_readings_of_one_point_are_compared_and_others_are_not():
    first = shot_of("3.450 3.452 3.449 3.512", at=0.0)
    later = shot_of("3.455 3.456 3.454 3.497", at=1800.0)
    found = between(first, later, SETUP)
    assert (round(found.before_mv), round(found.after_mv), found.minutes) == (63, 43, 30.0)
    assert found.level_minutes == pytest.approx(49.5, abs=1.0)  # 33 mV at 20 mV in 30 min
    assert "63 → 43 mV" in since(found)
    other = shot_of("3.350 3.352 3.349 3.353", at=3600.0)
    assert not between(later, other, SETUP).comparable
    assert "not to be compared" in since(between(later, other, SETUP))
    assert "does not shrink" in since(
        between(first, shot_of("3.450 3.452 3.449 3.515", at=1800.0), SETUP)
    )


def test_what_does_not_fit_together_leads():
    shot = shot_of("3.450 3.452 3.449 3.512", pack_v=14.5)
    assert says(shot, targets(shot, SETUP))[0].status == "act"
    assert heading(shot).startswith("63 mV at 3.466 V, +2 A")


@pytest.mark.parametrize(
    "text",
    [
        "1\t3.452\n2\t3.449\n3\t3.451\n4\t3.470",
        "1  3452 mV\n2  3449 mV\n3  3451 mV\n4  3470 mV\n",
        "1;3,452\n2;3,449\n3;3,451\n4;3,470",
        "Cell 1  3.452 V\nCell 2  3.449 V\nCell 3  3.451 V\nCell 4  3.470 V",
        "#1 3.452\n#2 3.449\n#3 3.451\n#4 3.470",
        "1\t2\t3\t4\n3.452\t3.449\t3.451\t3.470",
        "Zelle 1 3,452\n\nZelle 2 3,449\nZelle 3 3,451\nZelle 4 3,470",
        "3.452 3.449\n3.451 3.470",
        "1: 3.452\n2: 3.449\n3: 3.451\n4: 3.470",
    ],
)
def test_a_pasted_table_is_read_as_it_stands(text):
    assert parse_cells(text, 4) == pytest.approx([3.452, 3.449, 3.451, 3.470])


def test_two_cells_with_their_numbers():
    assert parse_cells("1 3.452\n2 3.449", 2) == pytest.approx([3.452, 3.449])
    assert parse_cells("1 2\n3.452 3.449", 2) == pytest.approx([3.452, 3.449])


@pytest.mark.parametrize("text", ["1 3.452\n3 3.449", "1 3.452 20\n2 3.449 21", "2 3.4\n1 3.5"])
def test_a_table_that_is_not_counted_from_1_is_refused(text):
    with pytest.raises(RangeError):
        parse_cells(text, 2)
