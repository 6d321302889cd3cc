"""What a pack was driven to beyond what its cells bear comes before all else.

That copper dissolves in a cell far below its sheet, that one far above it may vent, that lithium
plates in the cold and that a hot cell heats itself is common knowledge of the trade (no single
source); the bounds are from memory of cells' sheets.
"""

import json
import re
from contextlib import closing
from dataclasses import replace
from datetime import UTC, datetime
from functools import cache

import numpy as np
import pytest

from nipper.cli import main
from nipper.core.errors import RangeError
from nipper.core.forecast.plan import Known
from nipper.core.imbalance.danger import dangers
from nipper.core.imbalance.danger.measured import checked
from nipper.core.imbalance.danger.volts import bears_v, sheet_v
from nipper.core.imbalance.diagnosis import diagnose, to_json
from nipper.core.link.watch import Sample, as_log
from nipper.core.logs import builds
from nipper.core.logs.builds import CellsChanged
from nipper.core.logs.looked import (
    CELL,
    SENSOR,
    CellMeasured,
    Looked,
    SensorElsewhere,
    kept,
    without_sensors,
)
from nipper.core.logs.model import join
from nipper.core.logs.typed import Reading, typed_log
from nipper.core.logs.writer import write_plain
from nipper.core.presets import new_setup
from nipper.core.report.cold import cold_sentence, of_cold
from nipper.core.report.consequence import Status
from nipper.core.report.danger import live_words, of_dangers
from nipper.core.report.diagnosed import diagnosis_html
from nipper.core.report.keep import Kept, measured
from nipper.core.report.levelling import hand_sentences
from nipper.core.report.sentences import diagnose_sentence, of_diagnosis, of_record, record_sentence
from nipper.core.setup import dumps, put
from nipper.core.sources.rates import coldest_charge_c
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
    assert danger.worst == pytest.approx(worst_v, abs=0.01)
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
    high, low = dangers(replace(sound(), cell_v=cell_v), SETUP)
    assert (high.kind, low.kind) == ("high_cell", "low_cell")


def test_how_long_and_how_long_ago():
    log = sound()
    first = np.arange(log.rows) < 120
    (danger,) = dangers(with_cell(np.where(first, 1.5, log.cell_v[:, STRAY])), SETUP)
    assert danger.spell.lasted_s == pytest.approx(120 * 60.0, rel=0.02)
    assert danger.spell.ago_s == pytest.approx(log.time_s[-1] - log.time_s[119])
    assert "for 2 h of this log, last" in danger.actions[0]


def test_the_packs_voltage_may_speak_for_a_wrong_reading_and_the_meter_still_decides():
    log = replace(with_cell(0.31), pack_v=sound().pack_v)
    (danger,) = dangers(log, SETUP)
    assert danger.actions[-1].endswith("which speaks for a wrong reading; the meter decides.")
    left = re.search(r"leaves ([\d.]+) V for it", danger.actions[-1])
    assert left
    assert float(left[1]) == pytest.approx(3.35, abs=0.2)
    assert diagnose(log, SETUP).verdict == "act"
    (danger,) = dangers(with_cell(0.31), SETUP)  # the pack lacks what the cell does
    assert not any("leaves" in action for action in danger.actions)


def test_a_sheet_that_allows_more_is_believed_and_a_slip_is_not():
    high = new_setup("nmc", 8, 50.0)
    assert bears_v(high) == (2.0, 4.3)
    assert bears_v(put(high, {"cell.max_v": 4.4}))[1] == pytest.approx(4.5)
    assert sheet_v(put(high, {"cell.max_v": 4.4, "cell.min_v": 3.0})) == (3.0, 4.4)
    assert bears_v(put(high, {"cell.max_v": 42.0}))[1] == pytest.approx(4.6)
    assert bears_v(put(SETUP, {"cell.min_v": 0.02}))[0] == pytest.approx(1.5)
    assert bears_v(put(SETUP, {"cell.min_v": 2.5, "cell.max_v": 3.65})) == (2.0, 4.0)


@pytest.mark.parametrize("words", ["0.31", "0", "-0.3", "310"])
def test_a_ruined_cell_can_be_typed_in(words):
    """It was refused as a slip."""
    log = typed_log(Reading(1.75e9, f"3.31 3.31 {words} 3.30 3.31 3.31 3.31 3.31"), 8)
    (danger,) = diagnose(log, SETUP).dangers
    assert danger.summary.startswith("Cell 3 read")
    assert danger.actions[0].startswith("Below 2.0 V in one reading. Stop")


def test_it_is_kept_in_a_bench_also_below_nought(tmp_path):
    log = with_cell(np.linspace(3.3, -0.4, sound().rows))
    with closing(Bench.create(tmp_path / "a.nipper", SETUP)) as bench:
        bench.logs.add(1, log, "log.csv")
        kept = bench.logs.load(1)
    assert np.allclose(kept.cell_v, log.cell_v, atol=1e-4)
    (danger,) = dangers(kept, SETUP)
    assert danger.worst == pytest.approx(-0.4, abs=1e-3)
    deep = unpack(pack(with_cell(-0.9)))
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
    assert danger["worst"] == -0.3
    assert main(["diagnose", str(log), "--setup", str(setup)]) == 0
    assert capsys.readouterr().out.startswith("danger: Cell 5 read -0.30 V")
    assert to_json(diagnose(sound(), SETUP), sound(), SETUP)["dangers"] == []


def warm(temp_c, log=None):
    log = log or sound()
    temps = np.full((log.rows, 2), 20.0, np.float32)
    temps[:, 1] = temp_c
    return replace(log, temp_c=temps)


def one(log, setup=SETUP):
    (danger,) = dangers(log, setup)
    return danger


def test_a_charge_in_the_cold_is_told_with_what_should_have_stopped_it():
    """Twelve days of it were "healthy: the cells keep together"."""
    log = warm(-6.0)
    found = diagnose(log, SETUP)
    assert found.verdict == "act"
    (danger,) = found.dangers
    charged_ah = np.maximum(log.current_a[:-1], 0.0) @ np.diff(log.time_s) / 3600.0
    told_ah = float(re.search(r"(\d+) Ah went in below 0", danger.summary)[1])
    assert told_ah == pytest.approx(charged_ah, rel=0.05)
    assert "The cutoff of 2 °C did not stop it" in danger.actions[1]
    assert record_sentence(log, SETUP, found)[1].startswith("Charged at −6 °C")
    none = put(SETUP, {"protection.charge_under_temperature": None})
    assert one(log, none).actions[1] == "Nothing stops it: set a cutoff in Cold, and prove it."


def test_what_is_no_charge_in_the_cold():
    log = sound()
    assert not dangers(warm(np.where(log.current_a > 0.1, 5.0, -6.0)), SETUP)  # drawn from only
    assert not dangers(warm(-0.4), SETUP)  # a meter of whole degrees
    assert not dangers(warm(-40.0), SETUP)  # not plugged in
    assert not dangers(warm(np.where(np.arange(log.rows) % 900 < 450, -40.0, 20.0)), SETUP)
    assert not dangers(warm(np.nan), SETUP)
    few = np.arange(log.rows) == int(np.argmax(log.current_a > 1.0))
    assert not dangers(warm(np.where(few, -6.0, 20.0)), SETUP)
    lto = new_setup("lto", 8, 100.0)  # its anode does not plate
    cold = warm(-15.0, charge_log(lto, np.zeros(8)))
    assert not dangers(cold, lto)


def test_cells_whose_own_sheet_allows_the_cold_are_not_in_danger():
    rates = [{"from_c": -20.0, "c_rate": 0.3}, {"from_c": 10.0, "c_rate": 0.5}]
    assert not dangers(warm(-6.0), put(SETUP, {"charging.rates": rates}))


@pytest.mark.parametrize(("temp_c", "away"), [(65.0, False), (95.0, True)])
def test_heat_stops_all_current(temp_c, away):
    """A sensor that climbed to 95 °C left the pack healthy."""
    log = sound()
    rows = np.arange(log.rows)
    climbs = np.interp(rows, [0, log.rows - 200, log.rows - 1], [20.0, 20.0, temp_c])
    found = diagnose(warm(climbs), SETUP)
    (danger,) = found.dangers
    assert danger.kind == "too_hot"
    assert danger.summary == f"Sensor 2 read {temp_c:.0f} °C: stop all current."
    assert any("call for help" in action for action in danger.actions) == away
    assert danger.stops_all
    assert found.verdict == "act"
    slip = np.where(rows == 90, 120.0, 20.0)
    assert not dangers(warm(slip), SETUP)


def test_a_trip_that_did_not_act_is_told():
    log = sound()
    own = log.cell_v[:, STRAY]
    high = one(with_cell(np.where(own > 3.4, own + 0.3, own)))
    assert high.kind == "above_sheet"
    assert high.summary == f"Cell 5 rose to {high.worst:.2f} V, above the sheet's 3.65 V."
    assert "The trip of 3.65 V did not end it" in high.actions[0]
    low = one(with_cell(np.where(log.current_a < -1.0, 2.3, own)))
    assert low.kind == "below_sheet"
    assert "The trip of 2.6 V did not end it" in low.actions[0]
    assert high.pressing
    assert not high.stops_all
    assert not low.pressing  # dips under load, and the pack may be healthy all the same
    beyond = put(SETUP, {"protection.cell_under_voltage.trip_v": 2.2})
    told = one(with_cell(np.where(log.current_a < -1.0, 2.3, own)), beyond)
    assert "lies beyond it: set it within the sheet" in told.actions[0]


def test_what_a_trip_lets_through_is_no_danger():
    log = sound()
    own = log.cell_v[:, STRAY]
    top = np.where(own > 3.4, np.minimum(own + 0.3, 3.69), own)
    assert not dangers(with_cell(top), SETUP)
    assert not dangers(with_cell(np.where(log.current_a < -1.0, 2.45, own)), SETUP)


def test_what_is_long_past_is_no_alarm_and_keeps_a_pack_from_being_healthy():
    log = charge_log(SETUP, np.zeros(8), charges=40)
    assert diagnose(log, SETUP).verdict == "healthy"
    first = log.time_s < log.time_s[0] + 86400.0
    found = diagnose(warm(np.where(first, -6.0, 20.0), log), SETUP)
    (danger,) = found.dangers
    assert not danger.pressing
    assert found.alarm is None
    assert found.verdict == "watch"
    assert diagnose_sentence(found)[0] is Status.WATCH
    assert diagnose_sentence(found)[1].startswith("Charged at −6 °C")
    (told,) = of_dangers(found)
    assert told.status is Status.WATCH


def test_a_watch_names_no_cell_where_the_device_names_none():
    two = as_log([Sample(1.75e9, (3.31, 1.2), 26.0, 5.0, 50.0, 20.0)])
    assert live_words(two, SETUP) == "A cell read 1.20 V: stop charging, and measure"
    cold = as_log([Sample(1.75e9, (3.31, 3.30), 26.0, 5.0, 50.0, -8.0)])
    assert live_words(cold, SETUP) == "Charged at −8 °C, below 0 °C"
    well = as_log([Sample(1.75e9, (3.31, 3.30), 26.0, 5.0, 50.0, 8.0)])
    assert live_words(well, SETUP) == ""


def test_a_current_that_its_trip_did_not_end_is_told_and_starts_of_motors_are_not():
    log = sound()
    amps = log.current_a
    long = np.where(amps < -1.0, -140.0, amps)
    (told,) = dangers(replace(log, current_a=long), SETUP)
    trip_a = SETUP.protection.discharge_over_current.trip_a
    assert trip_a < 130.0
    assert told.summary == f"Drew 140 A, above the trip of {trip_a:g} A."
    assert not told.grave
    starts = np.where((amps < -1.0) & (np.arange(log.rows) % 3 == 0), -140.0, amps)
    assert not dangers(replace(log, current_a=starts), SETUP)
    (told,) = dangers(replace(log, current_a=np.where(amps > 1.0, 140.0, amps)), SETUP)
    assert told.summary.startswith("Charged with 140 A")
    assert not dangers(log, put(SETUP, {"protection.discharge_over_current": None}))


def test_cold_and_keep_say_so_too_and_nothing_else_is_due_while_all_is_stopped():
    found = diagnose(warm(-6.0), SETUP)
    now = datetime.fromtimestamp(float(sound().time_s[-1]), UTC)
    told = cold_sentence(SETUP, None, now, found)
    assert told == (Status.ACT, "the log shows a charge at −6 °C")
    assert of_cold(SETUP, [], found)[0].lead.startswith("Charged at")
    assert cold_sentence(SETUP, None, now, diagnose(sound(), SETUP))[0] is Status.WATCH
    log = charge_log(SETUP, np.r_[-6.0, np.zeros(7)], charges=2)
    plain = measured(UTC, [Kept(SETUP, "A", log, diagnose(log, SETUP))])
    assert plain.remedies[0].startswith("Feed cell 1")
    hot = warm(90.0, log)
    stopped = measured(UTC, [Kept(SETUP, "A", hot, diagnose(hot, SETUP))])
    assert stopped.remedies == ("Sensor 2 read 90 °C: stop all current",)


def test_a_printed_diagnosis_asks_for_nothing_else_while_all_is_stopped():
    log = charge_log(SETUP, np.r_[-6.0, np.zeros(7)], charges=2)
    when = datetime.fromtimestamp(float(log.time_s[-1]), UTC)
    pages = [
        diagnosis_html(diagnose(each, SETUP), each, SETUP, "A", when)
        for each in (log, warm(90.0, log))
    ]
    assert "Feed cell 1" in pages[0]
    assert "What to do before all else" not in pages[0]
    assert "Feed cell 1" not in pages[1]
    assert "What to do before all else" in pages[1]


@pytest.mark.parametrize(("off_v", "said"), [(-1.3, "charge none of them"), (0.85, "stay clear")])
def test_a_whole_pack_that_may_be_ruined_is_not_only_of_another_kind(off_v, said):
    """LFP cells at 2.0 V are like LTO's: "the settings say LFP"."""
    log = sound()
    found = diagnose(replace(log, cell_v=log.cell_v + np.float32(off_v)), SETUP)
    assert found.unfit
    assert said in found.advice[0]


def test_a_table_that_allows_no_charge_in_the_cold_says_so_by_a_rate_of_nought():
    """The first step's temperature was taken for the least at which charge is allowed."""
    rates = [{"from_c": -20.0, "c_rate": 0.0}, {"from_c": 5.0, "c_rate": 0.3}]
    told = one(warm(2.0), put(SETUP, {"charging.rates": rates}))
    assert told.bound == 5.0
    never = put(SETUP, {"charging.rates": [{"from_c": -20.0, "c_rate": 0.0}]})
    assert coldest_charge_c(never) == 0.0


def test_a_log_that_cannot_be_right_hides_no_cell_in_danger():
    """With its current in a wrong unit, a cell at 0.3 V was not told at all."""
    log = with_cell(0.31)
    found = diagnose(replace(log, current_a=5.0 * log.current_a), SETUP)
    assert found.unfit
    assert found.verdict == "act"
    assert [danger.kind for danger in found.dangers] == ["low_cell"]
    assert of_diagnosis(found)[0].lead.startswith("Cell 5 read 0.31 V")
    assert "cannot both be right" in of_diagnosis(found)[1].lead
    assert diagnose_sentence(found)[1].startswith("Cell 5 read 0.31 V")
    other = replace(log, cell_v=log.cell_v + np.float32(0.85))  # of another kind: only heat holds
    assert [d.kind for d in diagnose(warm(90.0, other), SETUP).dangers] == ["too_hot"]


def test_nothing_is_fed_by_hand_in_level_while_all_is_stopped():
    log = charge_log(SETUP, np.r_[-1.5, np.zeros(7)], charges=4)
    for each, feeds in ((log, True), (warm(90.0, log), False)):
        found = diagnose(each, SETUP)
        sentences, told = hand_sentences(SETUP, Known(each, found.estimate), found)
        assert told == feeds
        assert ("nothing is fed or bled" in sentences[0]) != feeds


NOW_S = float(sound().time_s[-1]) + 3600.0


def looked(cell=STRAY + 1, bms_v=0.31, meter_v=3.31, at_s=NOW_S):
    return Looked(((at_s, CellMeasured(cell=cell, bms_v=bms_v, meter_v=meter_v)),))


def test_what_a_meter_disproved_is_a_cell_that_no_limit_guards():
    log = with_cell(np.float32(0.31))
    found = dangers(log, SETUP, looked())
    assert [d.kind for d in found] == ["misread"]
    assert found[0].summary == (
        "The BMS reads cell 5 at 0.31 V where a meter showed 3.31 V: no limit guards it."
    )
    judged = diagnose(log, SETUP, looked=looked())
    assert judged.verdict == "act"  # and not healthy, whatever the others are
    assert not judged.stopped


@pytest.mark.parametrize(
    ("found", "why"),
    [
        ({"meter_v": 1.2}, "then the cell is what the log says"),
        ({"meter_v": 2.2}, "beyond the sheet too"),
        ({"bms_v": 3.30}, "A cell that came back reads like any other"),
        ({"cell": 9}, "expected one from 1 to 8"),
    ],
)
def test_what_clears_no_cell_is_refused_and_counts_for_nothing(found, why):
    given = looked(**found)
    with pytest.raises(RangeError, match=re.escape(why)):
        checked(given.cells[0][1], SETUP)
    log = with_cell(np.float32(0.31))
    assert [d.kind for d in dangers(log, SETUP, given)] == ["low_cell"]


def test_a_cell_that_falls_after_it_was_read_soundly_again_is_told_anew():
    log, half = sound(), sound().rows // 2
    volts = log.cell_v[:, STRAY].copy()
    volts[: half // 2] = 0.31  # the lead, measured then and mended
    volts[half + half // 2 :] = 0.31  # the cell
    early = looked(at_s=float(log.time_s[half // 4]))
    assert dangers(with_cell(volts), SETUP, early)[0].kind == "low_cell"
    volts[half:] = log.cell_v[half:, STRAY]
    assert [d.grave for d in dangers(with_cell(volts), SETUP, early)] == [True]
    assert not any(d.stops_all for d in dangers(with_cell(volts), SETUP, early))


def test_what_was_long_before_is_not_cleared_with_it():
    first, later = with_cell(np.float32(0.31)), sound()
    later = replace(later, time_s=later.time_s + 60 * 86400.0)
    found = dangers(join([first, later]), SETUP, looked(at_s=float(later.time_s[-1])))
    assert [d.kind for d in found] == ["low_cell"]
    assert not found[0].pressing


def test_an_old_log_is_cleared_by_what_is_measured_today():
    found = dangers(with_cell(np.float32(0.31)), SETUP, looked(at_s=NOW_S + 90 * 86400.0))
    assert [d.kind for d in found] == ["misread"]


def test_the_other_side_is_not_cleared_with_it():
    volts = np.where(np.arange(sound().rows) % 2, np.float32(0.31), np.float32(4.6))
    kinds = [d.kind for d in dangers(with_cell(volts), SETUP, looked())]
    assert "high_cell" in kinds
    assert "low_cell" not in kinds


def test_cells_are_counted_as_they_were_measured():
    measured_, left = looked().cells[0][1], CellsChanged(before=9, left=(1,))
    events = [
        (NOW_S, 1, CELL, measured_.model_dump_json()),
        (NOW_S, 2, CELL, measured_.model_dump_json()),
        (NOW_S, 1, CELL, "no document"),
        (NOW_S, 1, SENSOR, SensorElsewhere(sensor=2, where="in the air").model_dump_json()),
    ]
    assert kept(events, 1) == Looked(((NOW_S, measured_),), (2,))
    events.append((NOW_S + 1.0, 1, builds.KIND, left.model_dump_json()))
    assert kept(events, 1) == Looked((), (2,))


def test_without_a_sensor_on_the_cells_no_warmth_is_known():
    log = replace(sound(), temp_c=np.full((sound().rows, 2), 20.0, np.float32))
    one_left = without_sensors(log, Looked(sensors=(2, 9)))
    assert np.isfinite(one_left.temp_c).all(axis=0).tolist() == [True, False]
    none_left = without_sensors(log, Looked(sensors=(1, 2)))
    assert none_left.temp_c.shape[1] == 0
    for fewer in (one_left, none_left):
        assert diagnose(fewer, SETUP).verdict == diagnose(log, SETUP).verdict


def test_measurements_are_read_from_a_file(tmp_path, capsys):
    setup, log, file = (tmp_path / n for n in ("setup.json", "log.csv", "looked.json"))
    setup.write_text(dumps(SETUP))
    write_plain(with_cell(np.float32(0.31)), log)
    told = {
        "time": f"{datetime.fromtimestamp(NOW_S, UTC):%FT%TZ}",
        "cell": 5,
        "bms_v": 0.31,
        "meter_v": 3.31,
    }
    document = {"format": "nipper-looked", "version": 1, "cells": [told]}
    arguments = ["diagnose", str(log), "--setup", str(setup), "--looked", str(file), "--json"]
    file.write_text(json.dumps(document))
    assert main(arguments) == 0
    assert [d["kind"] for d in json.loads(capsys.readouterr().out)["dangers"]] == ["misread"]
    for wrong, place in (
        (told | {"meter_v": 0.4}, "cells.0"),
        (told | {"time": told["time"].rstrip("Z")}, "cells.0.time"),
        (told | {"meter_v": 1e308}, "cells.0.meter_v"),
        (told | {"meter": 3.3}, "cells.0.meter"),
    ):
        file.write_text(json.dumps(document | {"cells": [wrong]}))
        assert main(arguments) == 2
        assert place in capsys.readouterr().err


def test_cold_says_which_sensors_lie_elsewhere_and_numbers_the_others_rightly():
    temp_c = np.tile(np.float32([30.0, 5.0, 25.0]), (sound().rows, 1))
    log = replace(sound(), temp_c=temp_c)
    told = diagnose(log, SETUP, looked=Looked(sensors=(1,)))
    leads = [c.lead for c in of_cold(SETUP, [], told, elsewhere=(1,))]
    assert leads[0] == "Sensor 1 does not lie on the cells."
    assert "Sensor 2 reads 20 °C colder than sensor 3." in leads


def test_what_reads_a_little_low_wrongly_clears_no_cell_that_may_be_ruined():
    found = dangers(with_cell(np.float32(0.31)), SETUP, looked(bms_v=2.3))
    assert [d.kind for d in found] == ["low_cell"]
    cleared = dangers(with_cell(np.float32(2.3)), SETUP, looked(bms_v=2.3))
    assert [d.kind for d in cleared] == ["misread"]
