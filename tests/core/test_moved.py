"""What was fed or bled by hand is not asked for again before the log tells how the cell stands."""

from dataclasses import replace
from datetime import UTC, datetime
from functools import cache

import numpy as np
import pytest

from nipper.core.errors import RangeError
from nipper.core.forecast.plan import Known
from nipper.core.forecast.twin import measured_cells
from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.imbalance.moved import KIND, Moved, Since, moved, since
from nipper.core.imbalance.states import LEVELLED
from nipper.core.logs import builds
from nipper.core.logs.builds import CellsChanged
from nipper.core.presets import new_setup
from nipper.core.report.diagnosed import diagnosis_html
from nipper.core.report.events import event_words
from nipper.core.report.keep import Kept, measured
from nipper.core.report.levelling import hand_sentences
from nipper.core.report.sentences import of_diagnosis
from nipper.core.upkeep.storage import of_lowest
from tests.builders import charge_log

SETUP = new_setup("lfp", 8, 100.0)
TOLD_S = [0.0, 100.0, 200.0, 300.0, 400.0]  # the log's begin, and its full charges
FED = Moved(cell=3, ah=4.0)
FED_NOTE = FED.model_dump_json()


@cache
def judged():
    off = np.zeros(8)
    off[2], off[5] = -4.0, -3.0
    log = charge_log(SETUP, off, charges=6)
    return log, diagnose(log, SETUP)


def after(*cells, levelled=False):
    log, found = judged()
    return log, replace(found, moved=Since(tuple(cells), levelled))


def test_two_full_charges_later_the_log_tells():
    event = (250.0, 1, KIND, FED_NOTE)
    assert since([event], 1, TOLD_S[:4]) == Since((FED,), levelled=False)
    assert since([event], 1, TOLD_S) is None
    assert since([event], 2, TOLD_S[:4]) is None  # of another pack
    assert since([event], 1, [0.0]) == Since((FED,), levelled=False)
    assert since([event], 1, [260.0]) is None  # before anything of this log
    assert since([(250.0, 1, KIND, "no document")], 1, [0.0]) is None


def test_a_clock_that_is_years_off_does_not_matter():
    ahead = FED.model_copy(update={"log_s": 350.0}).model_dump_json()  # noted in the log's past
    assert since([(1.0, 1, KIND, ahead)], 1, TOLD_S[:4]) is not None
    assert since([(1.0, 1, KIND, ahead)], 1, [*TOLD_S, 500.0]) is None
    assert since([(9e9, 1, KIND, ahead)], 1, [*TOLD_S, 500.0]) is None  # and one that is behind


def test_a_levelling_takes_the_place_of_what_was_moved_before():
    events = [(310.0, 1, KIND, FED_NOTE), (320.0, 1, LEVELLED, "all cells level")]
    assert since(events, 1, TOLD_S[:4]) == Since((), levelled=True)
    later = Moved(cell=5, ah=-1.0)
    events.append((330.0, 1, KIND, later.model_dump_json()))
    assert since(events, 1, TOLD_S[:4]) == Since((later,), levelled=True)


def test_cells_are_counted_as_they_were_when_it_was_done():
    gone = CellsChanged(before=9, left=(1,)).model_dump_json()
    events = [(310.0, 1, KIND, FED_NOTE), (320.0, 1, builds.KIND, gone)]
    assert since(events, 1, TOLD_S) is None


def test_only_what_was_not_moved_is_still_asked_for():
    _, before = judged()
    finding = before.findings[0]
    assert [m.cell for m in finding.moves] == [3, 6]
    assert 2.0 < finding.moves[0].ah < 4.5  # what is sure of it
    assert finding.to_json()["moves"] == [
        {"cell": m.cell, "ah": pytest.approx(m.ah, abs=0.01)} for m in finding.moves
    ]
    log, now = after(FED)
    asks = now.asks(finding)
    assert asks[0].startswith(
        "Charge fully twice, then read the log: since its full charges cell 3"
    )
    assert not any("Feed cell 3" in text for text in asks)
    assert any("Feed cell 6" in text for text in asks)
    assert "Feed cell 3" not in diagnosis_html(
        now, log, SETUP, "A", datetime(2026, 5, 4, tzinfo=UTC)
    )
    _, levelled = after(levelled=True)
    assert not any("Feed" in text for text in levelled.asks(finding))
    assert before.asks(finding) == finding.actions


def test_everywhere_the_cells_stand_as_they_were_left():
    log, before = judged()
    missing_ah = -before.estimate.drift.last_ah
    log, now = after(*(Moved(cell=i, ah=round(float(missing_ah[i - 1]), 1)) for i in (3, 6)))
    assert np.abs(now.now.drift.last_ah).max() < 0.5
    assert of_lowest(now.now.drift)[0] < 0.5
    assert all(abs(c.offset_pct) < 0.5 for c in measured_cells(SETUP, {1: Known(log, now.now)}))
    sentences, feeds = hand_sentences(SETUP, Known(log, now.now), now)
    assert not feeds
    assert f"cell 3 fed with {missing_ah[2]:.1f} Ah; cell 6 fed with" in sentences[0]
    facts = measured(UTC, [Kept(SETUP, "A", log, now)])
    assert facts.apart_ah < 0.5
    assert facts.remedies == ("Charge fully twice, then read the log",)
    costs = [c for c in of_diagnosis(now) if "costs up to" in c.lead]
    assert "and what was moved since" in costs[0].place
    assert float(costs[0].lead.split("up to ")[1].split(" Ah")[0]) < 0.5


def test_a_cell_fed_too_much_is_the_fullest_then():
    _, now = after(Moved(cell=3, ah=8.0))
    assert int(np.argmax(now.now.drift.last_ah)) == 2
    low, high = now.now.drift.last_range_ah
    assert low[2] <= now.now.drift.last_ah[2] <= high[2]


@pytest.mark.parametrize("ah", [None, 0.0, -1.0, 1e9, float("nan")])
def test_what_cannot_be_meant_is_refused(ah):
    with pytest.raises(RangeError, match="How many ampere-hours"):
        moved(3, ah, fed=True)


def test_it_is_told_in_words():
    assert event_words(KIND, FED_NOTE) == "cell 3 fed with 4 Ah"
    bled = moved(5, 1.5, fed=False)
    assert event_words(KIND, bled.model_dump_json()) == "cell 5 bled of 1.5 Ah"
    assert event_words(KIND, "something") == "something"
