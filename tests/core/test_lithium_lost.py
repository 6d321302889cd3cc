"""A cell that has lost lithium: its step stays where it was above empty, so step and low end tell
nothing of it, and the top does. Its curves are another physics library's
(``tests/worlds/lithium_lost.py``).
"""

import csv

import numpy as np
import pytest

from nipper.core.forecast.levelling import by_hand
from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.presets import new_setup
from nipper.core.setup import put
from tests.bench.lives import bicycle, night_rate
from tests.conftest import FILES
from tests.otherpack import Cells, Use, make

STEP_S, DAYS, CELL = 120.0, 16.0, 3


def curves():
    """Capacity against the cell that lost none, and the rest curve, of each share of lithium."""
    with (FILES / "lfp_lithium_lost.csv").open(encoding="utf-8") as text:
        rows = [tuple(map(float, row.values())) for row in csv.DictReader(text)]
    out = {}
    for share in dict.fromkeys(row[0] for row in rows):
        capacity_ah, pct, volts = np.array([row[1:] for row in rows if row[0] == share]).T
        out[share] = capacity_ah[0] / rows[0][1], (pct, volts)
    return out


CURVES = curves()


def pack(share, life, fuller_pct=0.0, gentle=1.0):
    """Eight cells of 100 Ah, one with that share of its lithium, level at the top."""
    setup = new_setup("lfp", 8, 100.0, balancer="none")
    setup = put(setup, {"charging.absorption_v": 27.8, "charging.tail_a": None})
    hours = np.arange(int(DAYS * 86400 / STEP_S)) * STEP_S / 3600.0
    rows_c = life(hours, np.random.default_rng(5))
    rows_c = np.where(rows_c < 0.0, gentle * rows_c, rows_c)
    holds, own = CURVES[share]
    cells = Cells(
        CURVES[1.0][1],
        own_curves={CELL - 1: own},
        capacity=np.where(np.arange(8) == CELL - 1, holds, 1.0),
        offset_pct=np.where(np.arange(8) == 6, fuller_pct, 0.0),
        hysteresis_mv=8.0,
    )
    use = Use(days=DAYS, step_s=STEP_S, start_pct=60.0, rows_c=rows_c, noise_mv=0.7)
    return make(setup, cells, use)[0], setup, 100.0 * holds


def step_ah(share):
    """Charge above empty at the steepest place of the middle of its curve."""
    holds, (pct, volts) = CURVES[share]
    middle = np.flatnonzero((pct > 30.0) & (pct < 90.0))
    return holds * pct[middle[np.argmax(np.gradient(volts)[middle])]]


def test_its_step_stays_where_it_was_above_empty():
    """What :mod:`nipper.core.imbalance.bystep` says of it, by the electrodes' balance."""
    at = [step_ah(share) for share in CURVES]
    assert np.ptp(at) < 0.02 * at[0]
    assert CURVES[0.85][0] == pytest.approx(0.846, abs=0.003)


@pytest.mark.parametrize(("share", "gentle"), [(0.85, 1.0), (0.85, 0.6), (0.9, 0.6)])
def test_it_is_told_as_weak_also_where_the_pack_stays_far_from_empty(share, gentle):
    log, setup, holds_pct = pack(share, night_rate, gentle=gentle)
    found = diagnose(log, setup)
    (weak,) = (f for f in found.findings if f.confidence > 0.5)
    assert (weak.cause, weak.cells) == ("low_capacity", (CELL,))
    assert weak.low <= holds_pct <= weak.high


@pytest.mark.parametrize("life", [bicycle, night_rate])
def test_behind_a_fuller_cell_it_is_neither_called_lower_nor_fed(life):
    """As far down at the step as at the low end, like a cell that was never levelled."""
    log, setup, _ = pack(0.9, life, fuller_pct=6.0)
    found = diagnose(log, setup)
    named = [f for f in found.findings if f.confidence > 0.5]
    assert [f.cells for f in named if f.cause == "soc_offset"] == [(7,)]
    assert CELL not in {one.cell for one in by_hand(setup, found)}
    assert any(text.startswith(f"Cell {CELL} had ") for text in found.advice)
