"""Packs that differ, in the window: each pack shows its own settings, and a change goes where it
is meant to.
"""

from nipper.core.setup import own_paths, pack_setup

TRIP = "protection.cell_over_voltage.trip_v"


def test_a_change_goes_to_all_packs_until_one_is_chosen(open_window):
    settings = open_window.document.settings
    settings.change({TRIP: 3.6}, "all")
    assert [pack_setup(settings.bank, i).protection.cell_over_voltage.trip_v for i in (0, 1)] == [
        3.6,
        3.6,
    ]
    settings.set_scope(True)
    settings.change({TRIP: 3.55}, "one")
    assert own_paths(settings.bank, 0) == [TRIP]
    assert settings.setup.protection.cell_over_voltage.trip_v == 3.55
    settings.undo_stack.undo()
    assert own_paths(settings.bank, 0) == []


def test_showing_the_other_pack_shows_its_settings(open_window):
    document = open_window.document
    document.settings.set_scope(True)
    document.settings.change({TRIP: 3.55}, "one")
    open_window.go("protect")
    view = open_window.desk.view("protect")
    field = next(f.field(TRIP) for f in view.forms if TRIP in f.paths)
    assert field.value == 3.55
    assert field.property("own")
    document.choose_pack(document.records.packs[1].id)
    assert document.setup.protection.cell_over_voltage.trip_v == 3.65
    assert field.value == 3.65
    assert not field.property("own")


def test_the_top_line_says_who_is_set_and_who_differs(open_window):
    top, settings = open_window.top, open_window.document.settings
    assert top.scope.isVisibleTo(open_window)
    assert top.scope.itemText(1) == "set only Pack A"
    top.scope.setCurrentIndex(1)
    top.scope.activated.emit(1)
    assert settings.only_shown
    settings.change({TRIP: 3.55}, "one")
    texts = [b.text() for b in top.pack_group.buttons()]
    assert texts == ["Pack A ≠", "Pack B"]
    actions = {a.id: a for a in open_window.menus.actions}
    assert actions["settings.all-alike"].enabled(open_window)
    actions["settings.all-alike"].run(open_window)
    assert [b.text() for b in top.pack_group.buttons()] == ["Pack A", "Pack B"]


def test_a_change_for_all_takes_away_what_one_had_there(open_window):
    settings = open_window.document.settings
    settings.set_scope(True)
    settings.change({TRIP: 3.55, "capacity_ah": 90.0}, "one")
    settings.set_scope(False)
    settings.change({TRIP: 3.6}, "all")
    assert own_paths(settings.bank, 0) == ["capacity_ah"]


def test_findings_of_another_pack_are_told_with_its_name(qtbot, open_window):
    document = open_window.document
    document.settings.set_scope(True)
    document.settings.change({TRIP: 3.9}, "one")
    qtbot.waitUntil(lambda: not document.busy, timeout=20_000)
    own = [f for f in document.judgement.findings if f.code == "over-voltage-trip-beyond-sheet"]
    assert own[0].settings == (TRIP,)
    document.choose_pack(document.records.packs[1].id)
    qtbot.waitUntil(lambda: not document.busy, timeout=20_000)
    other = [f for f in document.judgement.findings if f.code == "over-voltage-trip-beyond-sheet"]
    assert other[0].settings == (f"packs[0].{TRIP}",)
    assert other[0].message.startswith("Pack A: ")
    open_window.document.settings.change(dict(other[0].suggestion), "cure")
    assert pack_setup(document.bank, 0).protection.cell_over_voltage.trip_v == 3.65
    assert pack_setup(document.bank, 1).protection.cell_over_voltage.trip_v == 3.65


def test_the_bank_is_kept_and_written_whole(open_window, tmp_path):
    from nipper.core.setup import loads
    from nipper.store import Bench

    document = open_window.document
    document.settings.set_scope(True)
    document.settings.change({"capacity_ah": 90.0}, "one")
    document.settings.save()
    document.bench.copy_to(tmp_path / "copy.nipper", document.bank)
    copy = Bench.open(tmp_path / "copy.nipper")
    try:
        assert copy.setup() == document.bank
        assert loads(copy.setup().model_dump_json()) == document.bank
    finally:
        copy.close()


def test_a_view_nobody_looks_at_is_shown_anew_when_somebody_does(open_window):
    document = open_window.document
    open_window.go("protect")
    view = open_window.desk.view("protect")
    field = next(f.field(TRIP) for f in view.forms if TRIP in f.paths)
    open_window.go("level")
    document.settings.change({TRIP: 3.55}, "one")
    assert field.value != 3.55
    open_window.go("protect")
    assert field.value == 3.55
