"""What is told to people: sentences, ladder, heat table, curves and proofs, with their numbers."""

from dataclasses import replace
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import numpy as np
import pytest

from nipper.core.findings import Finding, Severity
from nipper.core.forecast.limits import TripForecast
from nipper.core.imbalance.causes_base import names, sure
from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.logs.charges import full
from nipper.core.logs.moments import cells_at, cells_at_each
from nipper.core.presets import new_setup
from nipper.core.report import sentences
from nipper.core.report.charges import charge_curves, heat_table, nearest
from nipper.core.report.consequence import Consequence, Status, count, of_finding, protect_sentence
from nipper.core.report.ladder import ladder
from nipper.core.report.proof import TELLING, _with_error, about_cell, paths, proofs
from nipper.core.report.sentences import (
    diagnose_sentence,
    of_diagnosis,
    of_history,
    of_record,
    of_trip,
    record_sentence,
)
from nipper.core.rules import check
from nipper.core.setup import put
from nipper.core.upkeep.kept import changed, summary
from tests.builders import charge_log


@pytest.fixture(scope="module")
def setup():
    return new_setup("lfp", 8, 100.0)


@pytest.fixture(scope="module")
def log(setup):
    drift = np.zeros(8)
    drift[5] = -0.07
    return charge_log(
        setup, np.zeros(8), charges=12, drift_pct=drift, depth_pct=15.0, hold_min=45.0
    )


@pytest.fixture(scope="module")
def judged(setup, log):
    return diagnose(log, setup)


@pytest.fixture(scope="module")
def short_log(setup, log):
    return log.select(slice(0, 30))


def finding(severity: Severity, message: str = "First. Second part.") -> Finding:
    return Finding(
        severity,
        ("balancer.delta_mv",),
        message,
        "because",
        {"balancer.delta_mv": 10.0},
        "Trigger 10 mV",
        source="common practice",
    )


def test_the_first_sentence_leads():
    told = of_finding(finding(Severity.ERROR))
    assert (told.lead, told.text, told.status, told.place) == (
        "First.",
        "Second part.",
        Status.ACT,
        "common practice",
    )
    assert dict(told.suggestion) == {"balancer.delta_mv": 10.0}
    assert of_finding(finding(Severity.NOTE, "Only one")).lead == "Only one"


@pytest.mark.parametrize(
    ("severities", "status", "words"),
    [
        ([], Status.OK, "limits hold together"),
        ([Severity.NOTE], Status.OK, "limits hold together"),
        ([Severity.WARNING], Status.WATCH, "1 doubt"),
        (
            [Severity.ERROR, Severity.ERROR, Severity.WARNING],
            Status.ACT,
            "2 contradictions, 1 doubt",
        ),
    ],
)
def test_the_rail_counts_what_is_wrong(severities, status, words):
    assert protect_sentence([finding(s) for s in severities]) == (status, words)


def test_things_are_counted_in_words():
    assert [count(n, "charge") for n in (0, 1, 2)] == ["0 charges", "1 charge", "2 charges"]
    assert names([3]) == "Cell 4"
    assert names([0, 4, 9]) == "Cells 1, 5 and 10"


def test_the_rail_tells_of_record_and_diagnosis(setup, log, judged, short_log):
    status, words = record_sentence(log, setup, judged)
    assert status is Status.OK
    assert words.startswith("12 full charges · ")
    assert words.endswith(" mV")
    assert diagnose_sentence(judged) == (
        Status.ACT,
        judged.findings[0].summary.removesuffix(" against the others."),
    )
    assert record_sentence(None, setup, None) == (Status.NONE, "no log yet")
    assert diagnose_sentence(None) == (Status.NONE, "nothing to judge yet")
    nothing = diagnose(short_log, setup)
    assert record_sentence(short_log, setup, nothing)[1].startswith("no full charge in")
    assert diagnose_sentence(nothing) == (Status.NONE, "not enough recorded")


def test_what_follows_from_the_record(setup, log, judged):
    told = of_record(log, setup, judged, ZoneInfo("Europe/Vienna"))
    text = "\n".join(f"{c.lead} {c.text} {c.place}" for c in told)
    assert told[0].lead.startswith("Cell 6 sinks")
    assert told[0].goto == "diagnose"
    assert "at the top are" in text
    assert "% of charge" in text
    assert "The balancer could run" in text
    assert "20 °C" in text


def test_a_charge_that_did_not_get_there_is_told(setup, log):
    charges = full(diagnose(log, setup).estimate.charges)
    cut = log.select(np.r_[0 : charges[3].stop, charges[4].start : charges[4].start + 40])
    told = "\n".join(c.lead for c in of_record(cut, setup, diagnose(cut, setup)))
    assert "1 charge did not reach the top" in told


def test_what_follows_from_the_judgement(judged):
    told = of_diagnosis(judged)
    assert told[0].lead == judged.findings[0].summary
    assert told[0].status is Status.ACT
    assert told[0].place.startswith("confidence ")
    costs = next(c for c in told if "The imbalance costs" in c.lead)
    assert "cell 6 is empty first" in costs.text


def test_a_weak_cell_costs_its_capacity(setup, judged):
    """Level at the top, 14 Ah less: the pack gives 14 Ah less, whatever the offsets say."""
    held = replace(judged.estimate.capacities, deficit_ah=np.array([0, 0, -14.0, 0, 0, 0, 0, 0]))
    level = replace(judged.estimate.drift, offset_ah=np.zeros((3, 8)), sd_ah=np.full((3, 8), 0.1))
    weak = replace(judged, estimate=replace(judged.estimate, capacities=held, drift=level))
    costs = next(c for c in of_diagnosis(weak) if "The imbalance costs" in c.lead)
    assert costs.lead == "The imbalance costs up to 14.0 Ah now."
    assert "cell 3 is empty first" in costs.text


def test_a_healthy_pack_is_told_so(setup):
    log = charge_log(setup, np.zeros(8), charges=8, depth_pct=15.0)
    unseen = of_diagnosis(diagnose(log, setup))[0]
    assert unseen.lead == "The cells keep together; what the balancer makes good is not seen."
    told = of_diagnosis(diagnose(log, put(setup, {"balancer": None})))
    assert told[0] == Consequence(
        Status.OK,
        "The cells keep together.",
        "No cell stands apart or drifts beyond what healthy ones do.",
    )


def test_level_at_the_top_alone_is_no_health(setup):
    """Three charges in a row, little used: neither a loss nor a weak cell would have shown."""
    few = charge_log(setup, np.zeros(8), charges=3, depth_pct=15.0)
    told = diagnose(few, setup)
    assert told.verdict == "not_enough_data"
    said = of_diagnosis(told)
    assert said[0].lead == "Not enough recorded to judge."
    assert not any(c.status is Status.OK for c in said)
    assert any("Record four full charges" in c.text for c in said)


def test_history_tells_the_judgement_before(judged):
    now = summary(judged)
    healthy = {"verdict": "healthy", "findings": []}
    assert of_history([(1.75e9, now)]) == []
    assert of_history([(1.75e9, healthy), (1.76e9, now)], UTC)[0].text == "The cells kept together."
    assert "Cell 6 loses" in of_history([(1.75e9, now), (1.76e9, healthy)], UTC)[0].text


def test_a_judgement_counts_as_changed_by_cause_cell_or_a_fifth_of_size(judged):
    now = summary(judged)
    assert not changed(now, summary(judged))
    assert changed({"verdict": "healthy", "findings": []}, now)
    for key, value in (("cause", "soc_offset"), ("cells", [1]), ("magnitude", {"value": -200.0})):
        other = {**now, "findings": [{**now["findings"][0], key: value}]}
        assert changed(other, now)
    near = {
        **now,
        "findings": [
            {
                **now["findings"][0],
                "magnitude": {"value": now["findings"][0]["magnitude"]["value"] * 1.1},
            }
        ],
    }
    assert not changed(near, now)


def test_the_ladder_holds_every_voltage_per_cell(setup):
    rungs = ladder(put(setup, {"charging.equalise_v": 28.2}))
    assert [r.cell_v for r in rungs] == sorted((r.cell_v for r in rungs), reverse=True)
    by_path = {r.path: r for r in rungs}
    assert by_path["charging.equalise_v"].cell_v == pytest.approx(28.2 / 8)
    assert by_path["charging.absorption_v"].to_setting(3.5) == 28.0
    assert by_path["protection.cell_over_voltage.trip_v"].setting_v == 3.65
    assert "charging.equalise_v" not in {r.path for r in ladder(setup)}


def test_the_heat_table_shows_the_stray_sinking(setup, log, judged):
    table = heat_table(log, setup, judged.estimate)
    assert table.mv.shape == table.pct.shape == (8, 12)
    assert np.all(np.diff(table.time_s) > 0)
    assert table.pct[5, -1] < table.pct[5, 0] - 0.5
    assert np.argmin(table.mv[:, -1]) == 5
    assert np.abs(np.delete(table.pct, 5, axis=0)).max() < 0.1
    assert nearest(table.charges, log, float(table.time_s[4]) + 3000.0) is table.charges[4]
    assert nearest((), log, 0.0) is None


def test_a_charges_curves_begin_before_absorption_and_are_thinned(setup, log, judged):
    charge = judged.estimate.full[2]
    curves = charge_curves(log, charge)
    assert curves.minutes[0] < 0 < curves.end_min
    assert curves.minutes.size <= 900
    assert curves.cell_v.shape == (curves.minutes.size, 8)
    assert curves.end_min == pytest.approx(45.0, abs=3.0)


def test_the_main_picture_leaves_out_what_tells_nothing(setup, judged):
    shown = paths(judged, setup)
    assert shown.pct.shape == shown.low_pct.shape == shown.high_pct.shape == (12, 8)
    assert np.all((shown.low_pct <= shown.pct) & (shown.pct <= shown.high_pct))
    assert shown.pct[-1, 5] == pytest.approx(-0.77, abs=0.2)


@pytest.mark.parametrize("cause", [*TELLING, "unheard of"])
def test_each_cause_has_its_three_pictures(setup, judged, cause):
    found = proofs(judged, setup, replace(judged.findings[0], cause=cause))
    assert len(found) == 3
    assert all(
        p.title and p.text.endswith(".") and p.bars.size == 8 and p.marked == (6,) for p in found
    )


def test_the_proof_of_a_drift_names_it_and_the_next_largest(setup, judged):
    drift = proofs(judged, setup, judged.findings[0])[0]
    assert drift.title == "One drifts, the others do not"
    assert "Cell 6: −7" in drift.text
    assert "The next largest is" in drift.text


def test_what_cannot_be_told_of_a_cell_says_so(setup, short_log):
    rows = dict(about_cell(diagnose(short_log, setup), setup, 2))
    assert rows["charge against the median"] == "cannot be told from this log"
    assert rows["moved by the balancer"] == "not recorded"


def test_all_that_is_known_of_the_stray(setup, judged):
    rows = about_cell(judged, setup, 6)
    values = dict(rows)
    assert values["drift by itself"].startswith("−7")
    assert "mAh/day" in values["drift by itself"]
    assert values["judged"] == judged.findings[0].summary


def test_being_sure_rises_with_the_size_over_its_threshold():
    assert sure(1.0) == pytest.approx(0.49, abs=0.01)
    assert sure(0.5) < 0.25 < 0.9 < sure(2.0) < sure(10.0) <= 0.98


def test_every_message_of_every_rule_is_a_sentence(make_setup):
    bad = make_setup(
        protection__cell_over_voltage__release_v=3.7,
        protection__cell_under_voltage__trip_v=2.2,
        balancer__when="rest",
        charging__max_charge_a=400.0,
        protection__charge_under_temperature__trip_c=-40.0,
    )
    for f in check(bad):
        assert f.message.endswith(".")
        assert f.why.endswith(".")
        assert f.code
        assert not f.suggestion or f.suggestion_label


def test_an_uncertainty_is_never_shown_as_none():
    assert _with_error(0.27, 0.0004, "mΩ", 2) == "0.270 ± 0.001 mΩ"
    assert _with_error(1.0, 0.5, "%", 1) == "+1.0 ± 0.8 %"
    assert "cannot be told" in _with_error(float("nan"), 0.1, "%", 1)


def test_cells_are_read_around_many_rows_as_around_one():
    log = charge_log(new_setup("lfp", 4, 100.0), [0.0, 1.0, 0.0, -2.0])
    rows = np.array([0, 1, 7, log.rows - 1])
    many = cells_at_each(log, rows)
    assert np.allclose(many, [cells_at(log, int(row)) for row in rows])
    assert cells_at_each(log, np.empty(0, np.intp)).shape == (0, 4)


@pytest.mark.parametrize(("days", "day"), [(30, "10 Sep"), (435, "20 Oct 2026")])
def test_a_trip_of_next_year_carries_its_year(setup, judged, monkeypatch, days, day):
    """ "19 Oct" was read as this year's."""
    last_s = datetime(2025, 8, 11, 12, tzinfo=UTC).timestamp()
    drift = replace(judged.estimate.drift, time_s=np.array([last_s]))
    late = replace(judged, estimate=replace(judged.estimate, drift=drift))
    found = TripForecast(days, 1, 2)
    monkeypatch.setattr(sentences, "trip_forecast", lambda *_: found)
    assert of_trip(late, setup)[0].lead == f"At the present drift cell 1 trips about {day}."
