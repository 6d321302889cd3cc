"""Diagnose in the window: what events did, swaps between packs, and shares, as they are noted."""

import pytest

from nipper.app.stages.record.view import RecordView
from nipper.core.presets import new_setup
from nipper.core.setup import put
from nipper.core.simulate.scenario import CellFault, Event, Scenario
from nipper.core.simulate.trial import run
from nipper.store import Bench

TURN = 12.0


@pytest.fixture(scope="module")
def bank(tmp_path_factory):
    """Two packs of which the first has a joint that is retorqued after twelve days, and the second
    a poor lead.
    """
    setup = put(new_setup("lfp", 8, 100.0, 2, name="Two packs"), {"charging.tail_a": None})
    events = [Event(day=TURN, cells=[CellFault(pack=1, cell=5, joint_mohm=0.0)])]
    plan = Scenario(
        days=24,
        step_s=20.0,
        weather="clear",
        pv_w=5000.0,
        cells=[CellFault(pack=1, cell=5, joint_mohm=1.5)],
        events=events,
        leads_mohm=[0.0, 3.0],
    )
    trial = run(setup, plan)
    path = tmp_path_factory.mktemp("bank") / "bank.nipper"
    bench = Bench.create(path, setup)
    for pack, log in enumerate(trial.logs, 1):
        bench.logs.add(pack, log, f"{pack}.csv")
    bench.history.add_event(trial.start_s + TURN * 86400.0, "note", "bars retorqued", 1)
    bench.close()
    return path


@pytest.fixture
def judged(qtbot, window, bank):
    window.open_bench(Bench.open(bank))
    window.go("diagnose")
    qtbot.waitUntil(
        lambda: (
            not window.document.busy
            and not window.forecasts.busy
            and window.forecasts.comparison.value is not None
        ),
        timeout=60_000,
    )
    yield window
    window.new_bench()


def told(window):
    return [f"{c.lead} {c.text}" for c in window.follows.shown]


def test_what_an_event_did_is_told(judged):
    assert any(
        "Since “bars retorqued”" in words and "resistance of cell 5" in words and "mended" in words
        for words in told(judged)
    )


def test_the_poor_lead_is_named(judged):
    assert any("The way from" in words and "mΩ more" in words for words in told(judged))


def test_a_swap_noted_in_record_is_put_to_the_test(qtbot, judged):
    record = judged.view("record")
    assert isinstance(record, RecordView)
    line = record.events
    assert not line.what.isVisibleTo(line)
    line.kind.setCurrentIndex(line.kind.findData("swap"))
    assert line.what.isVisibleTo(line)
    line.what.setCurrentIndex(line.what.findData("bms"))
    line.keep()
    qtbot.waitUntil(
        lambda: not judged.forecasts.busy and bool(judged.forecasts.comparison.value.swaps),
        timeout=60_000,
    )
    judged.go("diagnose")
    assert any("Swap test, “BMS exchanged between packs”" in words for words in told(judged))
    event = judged.document.history.events()[-1]
    assert (event.kind, event.pack) == ("swap", None)
    judged.document.history.remove_event(event.id)
