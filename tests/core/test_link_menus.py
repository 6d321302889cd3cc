"""Both ends' menus: what is chosen for either loop, and ticks that follow values."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nipper.core.link.expect import absorption_v
from nipper.core.link.menus import End, entries
from nipper.core.link.record import LinkNotes, parse_notes
from nipper.core.presets import new_setup
from nipper.core.setup import put
from nipper.core.sources.openloop import low_cut_v

OPEN = new_setup("lfp", 16, 280.0, 2)
CLOSED = put(
    OPEN,
    {"link": {"mode": "closed", "transport": "can", "bit_rate": 500_000, "on_loss": "stop",
              "battery_protocols": "A, B", "inverter_protocols": "b", "loss_timeout_s": 12.0}},
)  # fmt: skip


def menu(setup, end=End.INVERTER):
    return {e.id: e.value for e in entries(setup) if e.end is end}


def test_a_closed_loop_is_closed_at_both_ends():
    battery, inverter = menu(CLOSED, End.BATTERY), menu(CLOSED)
    assert battery["protocol"] == inverter["protocol"] == "B"
    assert battery["rate"] == inverter["rate"] == "500000 bit/s"
    assert inverter["enable"] == "enabled"
    assert inverter["managed"] == "on"
    assert inverter["share"].startswith("current yes")
    assert inverter["timeout"] == "12 s"
    assert "every flag" in inverter["loss"]
    assert f"{absorption_v(CLOSED):.1f} V" in inverter["cap"]


def test_an_open_loop_has_nothing_at_the_battery_and_its_own_values():
    assert menu(OPEN, End.BATTERY) == {}
    inverter = menu(OPEN)
    assert inverter["type"] == "user-defined"
    assert "managed" not in inverter
    assert inverter["cells"] == "16"
    assert inverter["cut"] == f"{low_cut_v(OPEN):.1f} V"
    assert inverter["compensation"] == "0 mV/K"


def test_percentages_stand_there_only_where_they_are_set():
    assert "cut_pct" not in menu(CLOSED)
    assert menu(put(CLOSED, {"link.low_cut_pct": 12.0}))["cut_pct"] == "12 %"


def test_a_tick_falls_with_the_value_it_was_for():
    notes = LinkNotes()
    before = next(e for e in entries(CLOSED) if e.id == "timeout")
    notes.tick(before.key, True, 1.0)
    after = next(e for e in entries(put(CLOSED, {"link.loss_timeout_s": 5.0})) if e.id == "timeout")
    assert before.key in notes.ticks
    assert after.key not in notes.ticks
    notes.tick(after.key, True, 2.0)
    assert list(notes.ticks) == [after.key]
    notes.tick(after.key, False, 3.0)
    assert notes.ticks == {}
    notes.tick("safety", True, 4.0)
    notes.tick("cable", True, 4.0)
    assert set(notes.ticks) == {"safety", "cable"}
    assert parse_notes(notes.model_dump_json()) == notes


@given(st.lists(st.tuples(st.integers(0, 30), st.text(max_size=12)), max_size=40))
def test_however_often_values_change_a_line_keeps_one_tick(changes):
    notes = LinkNotes()
    for line, value in changes:
        notes.tick(f"menu:inverter:{line}:{value.replace(':', ' ')}", True, 1.0)
    lines = [key.split(":")[2] for key in notes.ticks]
    assert len(lines) == len(set(lines))


@pytest.mark.parametrize("kind", ["lfp", "nmc", "lto"])
def test_every_line_says_why(kind):
    for setup in (new_setup(kind, 14, 50.0), put(new_setup(kind, 14, 50.0), {"link": {"mode":
                  "closed", "transport": "rs485"}})):  # fmt: skip
        found = entries(setup)
        assert all(e.value and e.why and e.title for e in found)
        assert len({e.key for e in found}) == len(found)
