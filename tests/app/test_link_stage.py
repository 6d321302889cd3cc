"""The stage Link in the window: settings, cable, switches, the talk with its mistakes, the loss
kept as a proof, both displays verified, the record written; from nothing to commissioned.
"""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from nipper.app.stages.link.talk import MISTAKES
from nipper.core.link.capture import read_candump
from nipper.core.link.standin import Mistake
from nipper.core.report.link import of_link, steps
from nipper.core.setup import put
from tests.core.test_link_maps import DBC

CLOSED = {
    "mode": "closed",
    "transport": "can",
    "profile": "limits-can",
    "bit_rate": 500_000,
    "address": 1,
    "loss_timeout_s": 10.0,
    "on_loss": "fallback",
    "inverter_max_charge_a": 40.0,
    "inverter_max_discharge_a": 60.0,
}


@pytest.fixture
def link(open_window):
    open_window.go("link")
    return open_window.desk.view("link")


@pytest.fixture
def closed(open_window, link):
    settings = open_window.document.settings
    settings.change({"link": CLOSED}, "closed loop")
    return link


def type_into(field, text):
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, text)
    field.editingFinished.emit()


def test_settings_are_made_in_the_window_and_the_chain_follows(qtbot, open_window, link):
    link.show_page(1)
    mode = link.path.forms[0].field("link.mode")
    mode.setCurrentText("closed")
    mode.activated.emit(mode.currentIndex())
    most = link.path.forms[1].field("link.inverter_max_charge_a")
    type_into(most, "12")
    setup = open_window.document.setup
    assert (setup.link.mode, setup.link.inverter_max_charge_a) == ("closed", 12.0)
    assert "12 A, the inverter is the weakest" in link.path.figure.accessibleDescription()
    rail = open_window.rail.entries["link"]
    qtbot.waitUntil(lambda: "closed loop, 12 A" in rail.sentence)


def test_sockets_are_typed_and_the_cable_is_drawn(open_window, closed):
    closed.show_page(2)
    assert "not said" in closed.cable._straight.text()
    for end, text in (("battery", "4 can_h, 5 can_l, 8 gnd"), ("inverter", "7 can_h, 8 can_l")):
        type_into(closed.cable.form.field(f"link.{end}_pins"), text)
    assert "straight cable is wrong" in closed.cable._straight.text()
    assert "battery pin 4 to inverter pin 7" in closed.cable.figure.accessibleDescription()
    type_into(closed.cable.form.field("link.battery_pins"), "4 nonsense")
    assert open_window.document.setup.link.battery_pins == "4 can_h, 5 can_l, 8 gnd"
    type_into(closed.cable.ohm, "120")
    assert "only one end" in closed.cable._means.text()


@pytest.mark.parametrize("mistake", MISTAKES, ids=lambda m: m.name)
def test_each_mistake_is_told_on_the_page(closed, mistake):
    closed.show_page(3)
    closed.talk.mistake.setCurrentIndex(MISTAKES.index(mistake))
    closed.talk.run_ahead(12.0)
    text = closed.talk.causes.text()
    if mistake in (Mistake.NONE, Mistake.PER_PACK):  # its own limit hides the second: still right
        assert text == "Both ends agree."
        assert closed.talk.big.text().endswith(" %")
    elif mistake is not Mistake.OPEN_BUS:
        assert text != "Both ends agree."
        assert closed.talk.big.text().endswith(" V")


def test_the_plug_is_pulled_timed_kept_and_due_again_after_a_change(open_window, closed):
    closed.show_page(3)
    closed.talk.run_ahead(6.0)
    closed.talk.plug.click()
    closed.talk.run_ahead(14.0)
    closed.talk.plug.click()
    closed.talk.run_ahead(4.0)
    closed.talk.keep.click()
    document = open_window.document
    found = document.history.last_loss()[1]
    assert found.reaction_s == pytest.approx(10.0, abs=1.0)
    assert found.stand_in
    assert found.is_of(document.bank)
    assert found.as_set(document.bank)
    assert any("link lost on purpose" in e.note for e in document.history.events())
    assert not found.proves(document.bank)  # stand-ins prove nothing of one's own devices
    told = of_link(document.bank, document.history.last_loss())[-1]
    assert (told.status, "only rehearsed" in told.lead) == ("watch", True)
    type_into(closed.talk.own.reaction, "11")
    closed.talk.own.keep.click()
    own = document.history.last_loss()
    assert own[1].proves(document.bank)
    assert "is proven" in of_link(document.bank, own)[-1].lead
    closed.talk.keep_proof()  # another rehearsal does not take the proof's place
    assert document.history.last_loss() == own
    changed = put(document.bank, {"link.loss_timeout_s": 30.0})
    assert not found.is_of(changed)


def test_both_displays_are_taken_from_the_bus_and_a_wrong_one_names_its_cause(open_window, closed):
    closed.show_page(3)
    closed.talk.run_ahead(6.0)
    closed.verify.from_bus.emit()
    closed.show_page(4)
    statuses = {q: mark.accessibleName() for q, (mark, _, _) in closed.verify.says.items()}
    assert statuses
    words = closed.verify.says["capacity_ah"][1]
    assert words.text() == "fits"
    document = open_window.document
    talk = next(
        s for s in steps(document.bank, document.shelf.link_notes(), None) if s.id == "talk"
    )
    assert not talk.done  # all fits, but of the stand-ins
    type_into(closed.verify.fields["inverter", "capacity_ah"], "100")
    assert document.shelf.link_notes().inverter == {"capacity_ah": 100.0}
    assert "one pack's" in words.text()
    assert closed.verify.fields["inverter", "capacity_ah"].value == 100.0


def test_the_record_is_written_and_noted(open_window, closed, tmp_path):
    closed.show_page(4)
    closed.verify.write_to(tmp_path / "record.pdf")
    assert (tmp_path / "record.pdf").read_bytes().startswith(b"%PDF")
    assert any("commissioning record" in e.note for e in open_window.document.history.events())


def test_ticks_are_kept(open_window, closed):
    closed.show_page(0)
    closed.steps.boxes["safety"].click()
    assert "safety" in open_window.document.shelf.link_notes().ticks
    closed.steps.refresh()
    assert closed.steps.boxes["safety"].isChecked()
    closed.steps.boxes["safety"].click()
    assert open_window.document.shelf.link_notes().ticks == {}


def test_what_was_heard_is_an_ordinary_capture(closed, tmp_path):
    closed.show_page(3)
    closed.talk.run_ahead(3.0)
    closed.talk.write_heard(tmp_path / "heard.log")
    frames = read_candump(tmp_path / "heard.log")
    assert {f.id for f in frames} >= {0x351, 0x352}


def test_the_talk_ends_when_nobody_looks(open_window, closed):
    closed.show_page(3)
    closed.talk.run_ahead(2.0)
    assert closed.talk.start.text() == "Stop"
    open_window.go("protect")
    assert closed.talk._talk is None
    assert not closed.talk._timer.isActive()


def test_a_profile_that_is_not_there_is_said_and_breaks_nothing(open_window, closed):
    open_window.document.settings.change({"link.profile": "none.json"}, "profile")
    closed.show_page(3)
    closed.talk.start_or_stop()
    assert "none.json" in closed.talk._doubts.text()
    for page in range(5):
        closed.show_page(page)
    assert open_window.rail.entries["link"].sentence


def test_a_makers_dbc_is_mapped_saved_and_used(open_window, link, tmp_path):
    file = tmp_path / "mine.dbc"
    file.write_text(DBC)
    link.show_page(5)
    page = link.profile
    page.read(file)
    assert len(page.chosen()) == 8
    assert "Nothing is missing" in page.misses.text()
    row = next(r for r, one in enumerate(page.signals) if one.key[1] == "SOC")
    box = page.table.cellWidget(row, 5)
    box.setCurrentIndex(0)
    box.activated.emit(0)
    assert "Still missing: state of charge" in page.misses.text()
    box.setCurrentIndex(box.findData("soc_pct"))
    box.activated.emit(box.currentIndex())
    QTest.mouseClick(page.save, Qt.MouseButton.LeftButton)
    link_set = open_window.document.bank.link
    assert link_set.profile == str(tmp_path / "mine-mapped.json")
    assert link_set.transport == "can"
    assert "mapped by hand tells" in page._chosen[1].text()
    link.show_page(3)
    link.talk.run_ahead(6.0)  # the stand-ins talk by it
    assert link.talk.big.text().endswith("%")
    link.talk.stop()


def test_a_file_that_is_no_dbc_leaves_all_as_it_was(open_window, link, tmp_path):
    file = tmp_path / "mine.dbc"
    file.write_text("BO_ nonsense")
    link.profile.read(file)
    assert "the DBC file" in open_window.message.text()
    assert link.profile.signals == []
    assert not link.profile.save.isVisible()


def test_both_menus_are_held_side_by_side(open_window, link):
    link.show_page(5)
    for path, text in (("battery_protocols", "A, B"), ("inverter_protocols", "b, C")):
        field = link.profile.form.field(f"link.{path}")
        field.setFocus()
        QTest.keyClicks(field, text)
        field.editingFinished.emit()
    assert "Both offer B" in link.profile._both[1].text()


def test_the_low_end_is_ranked_under_the_load_that_is_typed(open_window, link):
    link.show_page(6)
    page = link.low
    type_into(page.form.field("link.low_cut_pct"), "10")
    type_into(page.form.field("link.low_cut_v"), "25")
    assert open_window.document.bank.link.low_cut_pct == 10.0
    type_into(page.load, "200")
    assert "the voltage cuts off first" in page.told.text()
    type_into(page.load, "0")
    assert "cuts off first" not in page.told.text()


def test_a_capture_is_played_to_the_inverter(qtbot, open_window, closed, tmp_path):
    closed.show_page(3)
    talk = closed.talk
    talk.run_ahead(6.0)
    file = tmp_path / "heard.log"
    talk.write_heard(file)
    talk.stop()
    talk.play(file)
    qtbot.waitUntil(lambda: talk._talk is not None, timeout=10_000)
    qtbot.waitUntil(lambda: talk.big.text().endswith("%"), timeout=15_000)
    talk.stop()
    file.write_text("nonsense")
    talk.play(file)
    qtbot.waitUntil(lambda: "line 1" in talk._doubts.text(), timeout=10_000)
    assert talk._talk is None


def test_the_switches_one_sees_are_an_address(open_window, closed):
    closed.show_page(2)
    cable = closed.cable
    for picture, said in (
        ("1000", "address 1: "),
        ("1111", "no pack of this bank"),
        ("?", "1 to 8"),
    ):
        cable.picture.setText(picture)
        assert said in cable._address.text()
    cable.picture.clear()
    assert cable._address.text() == ""


def test_both_ends_talk_over_registers_too(qtbot, open_window, closed):
    changes = {"link.transport": "rs485", "link.profile": "registers-simple", "link.bit_rate": 9600}
    open_window.document.settings.change(changes, "rs485")
    closed.show_page(3)
    talk = closed.talk
    talk.run_ahead(4.0)
    assert talk.big.text().endswith("%")
    assert "Both ends agree" in talk.causes.text()
    assert talk.table.rowCount() == 1
    talk.mistake.setCurrentIndex(MISTAKES.index(Mistake.CROSSED))
    talk.mistake.activated.emit(talk.mistake.currentIndex())
    talk.run_ahead(15.0)
    assert "high on high" in talk.causes.text()
    talk.stop()


def test_both_menus_are_gone_through_and_named(open_window, closed):
    closed.show_page(7)
    menus = closed.menus
    lines = len(menus.boxes)
    assert menus.said.text() == f"{lines} lines to go."
    menus.boxes["inverter:timeout"].click()
    own = menus.names["inverter:timeout"]
    own.setText("comm loss delay")
    own.editingFinished.emit()
    open_window.document.settings.change({"link.inverter_max_charge_a": 30.0}, "less")
    assert closed.menus.boxes["inverter:timeout"].isChecked()
    assert closed.menus.names["inverter:timeout"].text() == "comm loss delay"
    open_window.document.settings.change({"link.loss_timeout_s": 5.0}, "sooner")
    assert not closed.menus.boxes["inverter:timeout"].isChecked()
    assert closed.menus.said.text() == f"{lines} lines to go."
