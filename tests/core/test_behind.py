"""The pack nobody levelled: a fuller cell ends every charge with the others on the flat."""

import numpy as np
import pytest

from nipper.core.forecast.levelling import by_hand
from nipper.core.imbalance.capacity import Discharge
from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.imbalance.herd import Counted
from nipper.core.imbalance.lines import straight_line
from nipper.core.imbalance.losing import unseen_mah_per_day
from nipper.core.imbalance.offsets import Offsets
from nipper.core.presets import new_setup
from nipper.core.report.proof import paths, proofs
from nipper.core.report.sentences import of_record
from tests.bench import others
from tests.bench.behind import BOTH_ENDS, behind, judge


def named(found):
    return [f for f in found.findings if f.confidence > 0.5]


@pytest.fixture
def without_a_step(monkeypatch):
    """The same packs of cells whose plateau has no step: as where charges begin above it, or a
    meter hides it.
    """
    plain = others._curve

    def level(id_, rng):
        pct, volts = plain(id_, rng)
        flat = (pct > 40.0) & (pct < 90.0)
        line = np.interp(pct, pct[flat][[0, -1]], volts[flat][[0, -1]])
        return pct, np.where(flat, line, volts)

    monkeypatch.setattr(others, "_curve", level)


@pytest.mark.parametrize("number", [1, 3])
def test_a_leak_behind_it_shows_where_charges_pass_the_step(number):
    """Also of a pack that never comes low, and to some per cent."""
    pack, fuller = behind("self_discharge", number)
    found = diagnose(pack.log, pack.setup)
    leak = next(f for f in named(found) if f.cause == "self_discharge")
    assert leak.cells == pack.truth.cells
    true = (pack.truth.low + pack.truth.high) / 2
    assert leak.value == pytest.approx(true, rel=0.08)
    assert leak.low <= true <= leak.high < 0.0
    assert leak.evidence[0].startswith("At the step in the middle of the plateau charge fell")
    assert [f.cells for f in named(found) if f.cause == "soc_offset"] == [(fuller,)]
    charges = f"{found.estimate.drift.line_s.size} charges"
    assert charges in proofs(found, pack.setup, leak)[0].text
    assert any(c.text.startswith(charges) for c in of_record(pack.log, pack.setup, found))


def test_a_leak_behind_it_shows_at_the_low_ends(without_a_step):
    """None of 16 leaks was named: the tops tell of the fuller cell alone."""
    pack, fuller = behind("self_discharge", 3)
    found = diagnose(pack.log, pack.setup)
    leak = next(f for f in named(found) if f.cause == "self_discharge")
    assert leak.cells == pack.truth.cells
    assert leak.confidence > 0.8
    assert leak.low <= (pack.truth.low + pack.truth.high) / 2 <= leak.high < 0.0
    assert leak.evidence[0].startswith("Charge left at the low end fell against the median")
    assert "nan" not in "".join((leak.summary, *leak.evidence, *leak.actions, leak.confirm))
    assert not any("0.0 Ah:" in action for action in leak.actions)  # "feed 0.0 Ah, 0 min"
    assert [f.cells for f in named(found) if f.cause == "soc_offset"] == [(fuller,)]
    cell = leak.cells[0]
    shown = paths(found, pack.setup)
    assert shown.time_s.size == shown.pct.shape[0] == found.estimate.drift.line_s.size
    told = shown.pct[np.isfinite(shown.pct[:, cell - 1]), cell - 1]
    fell_pct = leak.value * found.estimate.drift.days * 1e-3
    assert told[-1] - told[0] == pytest.approx(fell_pct, rel=0.4)
    assert "10 discharges" in proofs(found, pack.setup, leak)[0].text
    said = [c for c in of_record(pack.log, pack.setup, found) if "charge to charge" in c.lead]
    assert [c.lead.split(" sinks")[0] for c in said] == [f"Cell {cell}"]
    assert said[0].text.startswith("10 discharges in ")


def test_a_block_that_is_fed_on_behind_it_is_named():
    assert judge(("group_drain", 1)).behind


@pytest.mark.parametrize("number", [2, 5])
def test_nothing_is_named_behind_it_where_nothing_is(number):
    """On its way over the knee, up and down, the fuller cell "jumped 7 times under load"."""
    done = judge(("", number))
    assert (done.fuller, done.others) == (True, 0), done.words


def test_a_weak_cell_is_not_fed_where_the_top_tells_of_some_cells(without_a_step):
    """Half of the others were told, on the flat: "9.1 % emptier" at 0.98, and to be fed."""
    pack, _ = behind("low_capacity", 3)
    found = diagnose(pack.log, pack.setup)
    (weak,) = pack.truth.cells
    assert all(weak not in f.cells for f in named(found))
    assert weak not in {one.cell for one in by_hand(pack.setup, found)}
    assert any(text.startswith(f"Cell {weak} had ") for text in found.advice)


@pytest.mark.parametrize("number", [3, 9])
def test_a_weak_cell_behind_it_is_named_by_the_step_and_the_low_end(number):
    """None of 16 was: less capacity, or less charge, was open of all."""
    pack, fuller = behind("low_capacity", number)
    found = diagnose(pack.log, pack.setup)
    weak = next(f for f in named(found) if f.cause == "low_capacity")
    assert weak.cells == pack.truth.cells
    assert weak.low <= (pack.truth.low + pack.truth.high) / 2 <= weak.high
    assert weak.evidence[0].startswith("Where charges pass the step in the middle of the plateau")
    assert "nan" not in "".join((weak.summary, *weak.evidence, *weak.actions, weak.confirm))
    assert {one.cell for one in by_hand(pack.setup, found)} == {fuller}


@pytest.mark.parametrize("number", [7, 10])
def test_a_lower_cell_behind_it_is_not_called_weak(number):
    """As far down at the step as at the low end: it stands lower, or has lost lithium."""
    pack, _ = behind("soc_offset", number)
    found = diagnose(pack.log, pack.setup)
    (lower,) = pack.truth.cells
    assert all(lower not in f.cells for f in named(found))
    assert any(text.startswith(f"Cell {lower} had ") for text in found.advice)
    assert lower not in {one.cell for one in by_hand(pack.setup, found)}


@pytest.mark.parametrize("number", [0, 4])
def test_a_cell_that_is_full_first_and_empty_first_is_weak(number):
    """Joined at half charge: how much fuller it is at the top is open, that it is is not, and at
    the low end it is the emptier one. None of nine was named; "never levelled, bleed 4.2 Ah".
    """
    pack, weak = behind(BOTH_ENDS, number)
    found = diagnose(pack.log, pack.setup)
    (one,) = named(found)
    assert (one.cause, one.cells) == ("low_capacity", (weak,))
    assert one.low <= (pack.truth.low + pack.truth.high) / 2 <= one.high
    assert weak not in {each.cell for each in by_hand(pack.setup, found)}


def test_a_cell_far_from_its_knee_moves_no_line(without_a_step):
    """At the low ends a fuller cell is on the flat: how far it stands off goes with load and cold,
    and autumn made "loses 155 mAh a day" of it.
    """
    pack, fuller = behind("", 6)
    found = diagnose(pack.log, pack.setup)
    drift = found.estimate.drift
    assert drift.elsewhere is not None
    # where it stands is drawn all the same: it is the finding
    assert np.isfinite(paths(found, pack.setup).pct[:, fuller - 1]).sum() > 2
    assert np.isnan(found.estimate.drift.ah_per_day[fuller - 1])


def test_no_size_of_an_unseen_leak_is_told_where_the_others_were_not_seen(without_a_step):
    """ "A cell that loses less than 880 mAh a day does not stand out", from the fuller cell alone:
    of the others a leak of any size would not.
    """
    pack, _ = behind("self_discharge", 1)
    found = diagnose(pack.log, pack.setup)
    assert not found.estimate.drift.tells
    assert unseen_mah_per_day(found.estimate, pack.setup) is None
    assert not any("does not stand out" in text for text in found.advice)
    assert found.verdict != "healthy"


def test_what_goes_with_the_depth_of_a_discharge_is_no_drift():
    """A weak cell passes its knee at less charge, and autumn takes more out from week to week."""
    rng = np.random.default_rng(4)
    days = np.arange(0.0, 30.0, 2.0)
    left_ah = 14.0 - 0.3 * days + rng.normal(0, 1.0, days.size)
    read = -9.0 + 0.14 * left_ah + rng.normal(0, 0.05, days.size)
    sd = np.full(days.size, 0.3)
    plain, plain_sd, _ = straight_line(days, read, sd)
    slope, slope_sd, _ = straight_line(days, read, sd, depth_ah=left_ah)
    assert abs(plain) > 3.0 * plain_sd
    assert abs(slope) < slope_sd
    losing, losing_sd, _ = straight_line(days, read - 0.06 * days, sd, depth_ah=left_ah)
    assert losing == pytest.approx(-0.06, abs=2.0 * losing_sd)
    assert losing < -3.0 * losing_sd


def ended(drawn_ah: float, apart_v: float) -> Discharge:
    """A discharge of 100 Ah at whose end the last cell stands so far below the others."""
    level = Offsets(0.0, *(np.zeros(8) for _ in range(4)))
    return Discharge(
        rows=np.arange(30),
        top=level,
        start=Counted(99.0),
        drawn_ah=drawn_ah,
        lowest_v=3.35,
        apart_v=np.append(np.zeros(7), apart_v),
    )


def test_cells_apart_at_the_upper_knee_tell_nothing_of_capacity():
    """An hour after a full charge a cell that leaks stood 80 mV below the others: "41 % less", at
    0.98.
    """
    setup = new_setup("lfp", 8, 100.0)
    assert not ended(1.0, 0.08).tells(setup)
    assert ended(75.0, 0.08).tells(setup)
    assert not ended(75.0, 0.04).tells(setup)
