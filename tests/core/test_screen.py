"""What a screen shows beside its voltages: held against itself and the reading before."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nipper.core.presets import new_setup
from nipper.core.report.events import event_words
from nipper.core.upkeep.screen import KIND, Screen, alarms, doubts, kept, parse
from nipper.core.upkeep.trips import Trip

SETUP = new_setup("lfp", 16, 230.0)


def test_what_fits_is_no_doubt():
    assert not doubts(Screen(remaining_ah=184.0, full_ah=230.0, cycles=10), SETUP, 80.0)


@pytest.mark.parametrize(
    ("screen", "soc", "words"),
    [
        (Screen(remaining_ah=184.0, full_ah=230.0), 99.0, "80 %, the screen counts 99 %"),
        (Screen(remaining_ah=240.0, full_ah=230.0), None, "more than the 230 Ah of a full pack"),
        (Screen(full_ah=200.0), None, "percentages are of another capacity"),
        (Screen(switches_c=85.0), None, "their limit is"),
        (Screen(alarms="Cell Over Voltage!"), None, "was at its trip before"),
    ],
)
def test_what_does_not_fit_is_told(screen, soc, words):
    (told,) = doubts(screen, SETUP, soc)
    assert words in told


def test_a_counter_that_fell_was_reset():
    assert not doubts(Screen(cycles=12), SETUP, before=Screen(cycles=12))
    assert "12 before" in doubts(Screen(cycles=3), SETUP, before=Screen(cycles=12))[0]
    assert not doubts(Screen(cycles=3), SETUP, before=Screen())


@given(
    st.builds(
        Screen,
        remaining_ah=st.none() | st.floats(0, 1e6),
        full_ah=st.none() | st.floats(0, 1e6),
        cycles=st.none() | st.integers(0, 10**6),
        alarms=st.text(max_size=200),
    ),
    st.none() | st.floats(0, 120),
)
def test_any_screen_is_judged_and_comes_back_from_its_event(screen, soc):
    assert all(told.endswith(".") for told in doubts(screen, SETUP, soc, screen))
    note = screen.model_dump_json()
    assert parse(note) == screen
    assert kept([(1.0, 1, KIND, note), (2.0, 2, KIND, note)], 1) == [(1.0, screen)]
    assert event_words(KIND, note) == screen.words


@pytest.mark.parametrize("note", ["", "words", '{"cycles": -1}', '{"full_ah": 1e999}', "[]"])
def test_a_hostile_note_is_none(note):
    assert parse(note) is None


def test_alarms_are_known_by_their_names():
    assert alarms(Screen(alarms="discharge under-temperature, short circuit")) == [
        Trip.SHORT_CIRCUIT,
        Trip.DISCHARGE_COLD,
    ]
    assert alarms(Screen(alarms="E14")) == []
