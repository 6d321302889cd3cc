"""The document: undo, autosave, rules and logs as they arrive."""

from datetime import UTC

from nipper.app.document import Document
from nipper.app.stage import Situation
from nipper.app.stages import cold
from nipper.core.cold.proof import Proof
from nipper.core.setup import get
from nipper.store import Bench

TRIP = "protection.cell_over_voltage.trip_v"


def test_a_change_is_judged_kept_and_undone(qtbot, read_document, bench):
    document = read_document
    assert "balance-trigger" in [f.code for f in document.judgement.findings]
    with qtbot.waitSignal(
        document.judgement.changed,
        check_params_cb=lambda found: "balance-trigger" not in [f.code for f in found],
    ):
        assert document.settings.change({"balancer.delta_mv": 10.0}, "Set trigger")
    document.settings.settle()
    assert get(bench.setup(), "balancer.delta_mv") == 10.0
    document.settings.undo_stack.undo()
    document.settings.save()
    assert get(bench.setup(), "balancer.delta_mv") == 1.0
    document.settings.undo_stack.redo()
    assert get(document.setup, "balancer.delta_mv") == 10.0


def test_a_drag_is_one_step_and_the_next_drag_another(document):
    for value in (3.64, 3.63, 3.62):
        document.settings.change({TRIP: value}, "Move", merge=TRIP)
    document.settings.settle()
    for value in (3.61, 3.60):
        document.settings.change({TRIP: value}, "Move", merge=TRIP)
    document.settings.settle()
    assert document.settings.undo_stack.count() == 2
    document.settings.undo_stack.undo()
    assert get(document.setup, TRIP) == 3.62
    document.settings.undo_stack.undo()
    assert get(document.setup, TRIP) == 3.65


def test_a_value_that_cannot_stand_is_told_and_changes_nothing(qtbot, document):
    before = document.setup
    with qtbot.waitSignal(document.trouble) as told:
        assert not document.settings.change({TRIP: -1.0}, "Set")
    assert "greater than or equal to 0.01" in told.args[0]
    assert document.setup == before
    assert document.settings.undo_stack.count() == 0


def test_a_change_is_kept_soon_by_itself(qtbot, document, bench):
    document.settings.change({TRIP: 3.62}, "Set")
    qtbot.waitUntil(lambda: get(bench.setup(), TRIP) == 3.62)


def test_the_logs_speak_to_the_rules(read_document):
    evidence = read_document.evidence
    assert evidence
    assert evidence.worst_cell == 3
    assert evidence.worst_drift_mah_per_day < -50
    assert any(
        f.code == "absorption-against-trip" and "Cell" in f.message
        for f in read_document.judgement.findings
    )


def test_each_pack_has_its_own_record(qtbot, read_document):
    assert read_document.record
    with qtbot.waitSignal(read_document.pack_changed):
        read_document.choose_pack(2)
    assert read_document.record is None
    assert read_document.evidence is None


def test_more_packs_in_the_settings_are_more_packs_on_the_bench(qtbot, document):
    document.settings.change({"packs_in_parallel": 3}, "Set")
    document.settings.save()
    assert len(document.records.packs) == 3


def test_closing_keeps_what_was_just_changed(qtbot, bench, tmp_path):
    from nipper.app.document import Document

    document = Document(bench)
    document.settings.change({TRIP: 3.60}, "Set")
    document.close()
    again = Bench.open(bench.path)
    assert get(again.setup(), TRIP) == 3.60
    again.close()


def test_a_judgement_is_kept_when_it_changes(qtbot, read_document, small_log):
    from nipper.core.report.sentences import of_history

    document, bench = read_document, read_document.bench
    assert len(bench.history.diagnoses(1)) == 1
    document.records.read(document.pack)
    qtbot.waitUntil(lambda: not document.busy, timeout=30_000)
    assert len(bench.history.diagnoses(1)) == 1  # the same again adds nothing
    assert of_history(bench.history.diagnoses(1)) == []
    bench.logs.remove(bench.logs.all()[0].id)
    bench.logs.add(1, small_log.select(slice(0, 300)), "short.csv")
    document.records.read(document.pack)
    qtbot.waitUntil(lambda: not document.busy, timeout=30_000)
    assert len(bench.history.diagnoses(1)) == 2
    (told,) = of_history(bench.history.diagnoses(1))
    assert "Cell 3 loses" in told.text


def test_time_comes_from_the_benchs_clock(qtbot, tmp_path, make_setup):
    """A year and a day after its proof the cutoff is to be proven again."""
    day = 86400.0
    now = [1.80e9]
    bench = Bench.create(tmp_path / "clock.nipper", make_setup(), clock=lambda: now[0])
    assert bench.history.revisions()[0].time_s == 1.80e9
    document = Document(bench)
    trip_c = document.setup.charge_cutoff.trip_c
    proof = Proof("proven", "", charging_c=trip_c + 0.5, stop_c=trip_c, trip_c=trip_c)
    document.history.keep_proof(bench.clock(), proof, document.pack.id)
    situation = Situation(document, None, None, UTC)
    assert cold.STAGE.sentence(situation)[0] == "ok"
    now[0] += 400 * day
    status, words = cold.STAGE.sentence(situation)
    assert status == "watch"
    assert "over a year old" in words
    assert document.now(UTC).year == 2028
    document.close()
