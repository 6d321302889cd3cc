"""A log of other cells than the settings speak of is told, and nothing else is judged by it."""

from dataclasses import replace

import numpy as np
import pytest

from nipper.core.imbalance.counted import counted_share, one_way_ah
from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.logs import alike
from nipper.core.logs.guess import other_chemistry
from nipper.core.logs.model import Log
from nipper.core.presets import new_setup
from nipper.core.report.sentences import diagnose_sentence, of_diagnosis, of_record, record_sentence
from nipper.core.rules import check
from nipper.core.rules.measured import measured
from tests.bench.banks import bank
from tests.bench.lives import LIVES, lived
from tests.bench.others import other
from tests.builders import charge_log


@pytest.mark.parametrize(("number", "said"), [(960, "lfp"), (962, "nmc"), (962, "lto")])
def test_nothing_is_judged_or_advised_by_another_chemistry(number, said):
    """A 16-cell LFP log under 4.2 V settings: "record one full charge held at 65.6 V"; a 4.2 V one
    under LFP settings was healthy but for its trips.
    """
    pack = other("", number)
    assert pack.setup.chemistry != said
    setup = new_setup(said, pack.setup.cells, pack.setup.capacity_ah)
    found = diagnose(pack.log, setup)
    assert (found.verdict, found.findings, found.unfit) == ("not_enough_data", (), True)
    (text,) = found.advice
    assert "Do not charge" in text
    assert "held at" not in text
    for told in (diagnose_sentence(found), record_sentence(pack.log, setup, found)):
        assert "do not fit" in told[1]
    for told in (of_diagnosis(found), of_record(pack.log, setup, found)):
        assert [t.text for t in told] == [text]
    assert not found.estimate.full
    assert not found.estimate.drift.time_s.size
    codes = [f.code for f in check(setup, measured(pack.log, setup, found.estimate))]
    assert codes[0] == "chemistry-against-log"


@pytest.mark.parametrize("cause", ["", "soc_offset", "low_capacity", "self_discharge"])
@pytest.mark.parametrize("chemistry", ["lfp", "nmc", "lto"])
def test_cells_that_are_what_they_are_said_to_be_are_judged(cause, chemistry):
    pack = other(cause, 7, chemistry)
    assert other_chemistry(pack.log, chemistry, pack.setup.capacity_ah) is None


def test_lfp_cells_driven_to_4_3_v_are_lfp_cells_still():
    """Of a bank without limits: an overcharge is no other chemistry."""
    made = bank("soc_offset", 904)
    for log, setup in zip(made.logs, made.setups, strict=True):
        assert other_chemistry(log, "lfp", setup.capacity_ah) is None
    assert max(float(log.cell_v.max()) for log in made.logs) > 4.3


@pytest.mark.parametrize("times", [2.0, 10.0])
def test_a_current_of_another_scale_is_no_ground_for_a_judgement(times):
    """Ten times too much made a healthy pack three cells 10.4 % emptier, to be acted on."""
    pack = other("", 963)
    found = diagnose(replace(pack.log, current_a=times * pack.log.current_a), pack.setup)
    assert found.unfit
    assert f"into cells of {pack.setup.capacity_ah:g} Ah" in found.advice[0]
    assert not diagnose(pack.log, pack.setup).unfit


def days_of(amps_by_hour, days=20):
    """A log of a row a minute whose days are alike."""
    amps = np.tile(np.repeat(amps_by_hour, 60), days).astype(float)
    cell_v = np.full((amps.size, 4), 3.3, np.float32)
    none = np.empty((amps.size, 0), np.float32)
    return Log(60.0 * np.arange(amps.size), amps, np.full(amps.size, 13.2), cell_v, none)


def test_what_goes_one_way_is_told_from_standby_and_from_a_meters_offset():
    setup = new_setup("lfp", 4, 100.0)
    charge, day = [20.0] * 4, [0.0] * 16
    assert one_way_ah(days_of([*charge, *day, 0.0, 0.0, 0.0, 0.0]), setup) == pytest.approx(
        1600.0, rel=1e-3
    )
    assert one_way_ah(days_of([*charge, *[-1.5] * 20]), setup) == 0.0  # a house's standby
    assert one_way_ah(days_of([*charge, *day, *[-20.0] * 4]), setup) == 0.0
    assert one_way_ah(days_of([1.0] * 24), setup) == 0.0  # float, and a meter's offset
    assert one_way_ah(days_of([-20.0] * 4 + [0.0] * 20), setup) == pytest.approx(-1600.0, rel=1e-3)
    assert one_way_ah(days_of([]), setup) == 0.0


@pytest.mark.parametrize(("life", "number"), [("bicycle", 800), ("hoist", 801), ("boat", 804)])
def test_hours_that_were_not_recorded_are_no_small_capacity(life, number):
    """Half of the hours, or of the currents, gone: what was not counted is no scale."""
    pack = lived([each.__name__ for each in LIVES].index(life), "", number)
    known = diagnose(pack.log, pack.setup).estimate
    night = np.mod(pack.log.time_s / 3600.0, 24.0) < 12.0
    whole = counted_share(pack.log, pack.setup, known)
    for log in (
        pack.log.select(~night),
        replace(pack.log, current_a=np.where(night, np.nan, pack.log.current_a)),
    ):
        share = counted_share(log, pack.setup, diagnose(log, pack.setup).estimate)
        assert share is None or share == pytest.approx(whole, abs=0.15)


def swapped(log):
    return replace(log, current_a=-log.current_a)


def unsigned(log):
    return replace(log, current_a=np.abs(log.current_a))


def charge_only(log):
    return replace(log, current_a=np.maximum(log.current_a, 0.0))


def shared_out(log):
    mean_v = np.round(log.cell_v.mean(axis=1), 3)
    return replace(log, cell_v=np.repeat(mean_v[:, None], log.cells, axis=1))


def by_height(log):
    return replace(log, cell_v=np.sort(log.cell_v, axis=1)[:, ::-1])


@pytest.mark.parametrize(
    ("spoil", "said"),
    [
        (by_height, "they were sorted"),
        (swapped, "the wrong sign"),
        (unsigned, "no sign"),
        (charge_only, "one direction is missing"),
        (shared_out, "no reading of any cell"),
    ],
)
@pytest.mark.parametrize("life", ["commuter", "boat", "hoist"])
def test_a_log_that_cannot_be_right_is_no_healthy_pack(spoil, said, life):
    """Half to all of fourteen healthy packs so spoilt were "healthy", though nothing of theirs had
    been read rightly; so were cells that no BMS had read.
    """
    number = 800 if life == "hoist" else 801  # none of them driven below all sheets
    pack = lived([each.__name__ for each in LIVES].index(life), "", number)
    found = diagnose(spoil(pack.log), pack.setup)
    assert (found.verdict, found.unfit, found.findings) == ("not_enough_data", True, ())
    assert said in found.advice[0]


@pytest.mark.parametrize("cells", [4, 16])
def test_cells_in_order_by_chance_or_of_a_coarse_meter_were_not_sorted(cells):
    """Each a millivolt above the one before it, or all but the last level in every row."""
    rows = np.arange(2000)
    herd_v = 3.3 + 0.02 * np.sin(rows / 50.0)
    log = made(herd_v, np.zeros(rows.size))
    steps = 0.001 * np.arange(cells)
    apart = replace(log, cell_v=herd_v[:, None] + steps)
    assert not alike.by_height(apart)
    last_low = np.round(herd_v[:, None] - 0.02 * (np.arange(cells) == cells - 1), 2)
    assert not alike.by_height(replace(log, cell_v=last_low))
    noise_v = np.random.default_rng(1).normal(0.0, 0.001, apart.cell_v.shape)
    noisy = np.round(apart.cell_v + noise_v, 3)
    assert not alike.by_height(replace(log, cell_v=noisy))
    assert alike.by_height(replace(log, cell_v=np.sort(noisy, axis=1)))


@pytest.mark.parametrize(("chemistry", "cells"), [("nmc", 7), ("nmc", 10), ("lto", 12)])
def test_cells_whose_charge_falls_along_the_pack_were_not_sorted(chemistry, cells):
    """As in a pack with one end at a warm wall: told "they were sorted", and not judged."""
    setup = new_setup(chemistry, cells, 100.0)
    log = charge_log(setup, np.linspace(-6.0, 6.0, cells), charges=4)
    found = diagnose(log, setup)
    assert not found.unfit
    assert found.verdict in ("act", "watch")


@pytest.mark.parametrize(
    ("life", "number"), [("bicycle", 800), ("hoist", 800), ("night_rate", 801)]
)
def test_a_clock_that_runs_sixty_times_too_fast_is_told(life, number):
    """Minutes taken for seconds: the pack went up and down on hardly any charge, "healthy"."""
    pack = lived([each.__name__ for each in LIVES].index(life), "", number)
    assert not any("clock" in text for text in diagnose(pack.log, pack.setup).advice)
    fast = replace(pack.log, time_s=pack.log.time_s / 60.0)
    found = diagnose(fast, pack.setup)
    assert found.verdict == "watch"
    assert any("its clock runs too fast" in text for text in found.advice)


def test_a_log_of_charges_alone_with_gaps_between_is_judged():
    """Somebody who records only while he charges has a current of one direction, rightly."""
    pack = lived([each.__name__ for each in LIVES].index("winter_van"), "", 801)
    log = pack.log.select(pack.log.current_a > 0.0)
    assert one_way_ah(log, pack.setup) <= 1.05 * pack.setup.capacity_ah
    assert not diagnose(log, pack.setup).unfit


@pytest.mark.parametrize(("life", "times"), [("commuter", 0.1), ("boat", 0.1), ("hoist", 0.5)])
def test_a_current_of_too_small_a_scale_is_told(life, times):
    """A tenth of the current: "healthy", by thirteen of fourteen."""
    pack = lived([each.__name__ for each in LIVES].index(life), "", 803 if life == "hoist" else 801)
    found = diagnose(replace(pack.log, current_a=times * pack.log.current_a), pack.setup)
    assert found.verdict == "watch"
    assert any("the scale of the" in text for text in found.advice)
    known = diagnose(pack.log, pack.setup)
    assert not any("the scale of the" in text for text in known.advice)


@pytest.mark.parametrize(("times", "told"), [(1.0, False), (0.5, True), (1.3, False)])
def test_a_current_is_held_against_the_percentage_of_the_bms(times, told):
    """Of LFP that never comes to its low end nothing else tells half of the current."""
    pack = lived([each.__name__ for each in LIVES].index("commuter"), "", 800)
    log, capacity_ah = pack.log, pack.setup.capacity_ah
    soc = np.clip(70.0 + 100.0 * log.charge_ah / capacity_ah, 0.0, 100.0).astype(np.float32)
    log = replace(log, soc_pct=soc, current_a=times * log.current_a)
    found = diagnose(log, pack.setup)
    assert found.verdict == ("watch" if told else "healthy")
    assert any("its own percentage" in text for text in found.advice) == told


@pytest.mark.parametrize("times", [0.0, 0.01])
def test_a_current_that_is_hardly_there_is_told(times):
    """Of 4.2 V cells, whose voltage tells charge all along."""
    pack = lived([each.__name__ for each in LIVES].index("bicycle"), "", 800)
    log, late = pack.log, np.arange(pack.log.rows) > pack.log.rows // 20
    log = replace(log, current_a=np.where(late, times, 1.0) * log.current_a)
    found = diagnose(log, pack.setup)
    assert found.verdict in ("watch", "not_enough_data")
    assert any("hardly any" in text for text in found.advice)


def made(herd_v: np.ndarray, amps: np.ndarray) -> Log:
    rows = herd_v.size
    cell_v = np.repeat(herd_v[:, None], 4, axis=1).astype(np.float32)
    return Log(60.0 * np.arange(rows), amps, 4.0 * herd_v, cell_v, np.empty((rows, 0), np.float32))


def test_cells_balanced_at_the_top_for_days_are_lfp_cells_still():
    up, held = np.linspace(3.25, 3.65, 600), np.full(4000, 3.66)
    log = made(np.r_[up, held], np.r_[np.full(600, 8.0), np.zeros(4000)])
    assert other_chemistry(log, "lfp", 100.0) is None


def test_a_drained_pack_at_rest_is_no_lfp_pack():
    """4.2 V cells from a third down to empty, and then days at 3.3 V."""
    down, rest = np.linspace(3.65, 3.0, 300), np.full(4000, 3.3)
    log = made(np.r_[down, rest], np.r_[np.full(300, -6.0), np.zeros(4000)])
    assert other_chemistry(log, "nmc", 100.0) is None


def test_a_pack_that_lies_empty_tells_no_chemistry():
    rows = 1000
    cell_v = np.full((rows, 8), 2.4, np.float32)
    none = np.empty((rows, 0), np.float32)
    log = Log(60.0 * np.arange(rows), np.zeros(rows), np.full(rows, 19.2), cell_v, none)
    assert other_chemistry(log, "lfp", 100.0) is None
    moved = replace(log, current_a=np.full(rows, -5.0))
    assert other_chemistry(moved, "lfp", 100.0) == "lto"


def test_one_cell_alone_is_not_called_healthy():
    setup = new_setup("lfp", 1, 100.0)
    found = diagnose(charge_log(setup, [0.0], charges=3), setup)
    assert found.verdict == "not_enough_data"
    assert "no others" in found.advice[0]
