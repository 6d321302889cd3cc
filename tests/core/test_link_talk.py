"""Both stand-ins on a line: the inverter takes the least, every mistake is recognised by what is
seen, and the plug pulled on purpose is timed.
"""

from dataclasses import replace
from itertools import pairwise

import can
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nipper.core.errors import InputError, RangeError
from nipper.core.link.capture import read_frames, to_candump
from nipper.core.link.codec import Frame
from nipper.core.link.expect import told_values
from nipper.core.link.line import CanLine
from nipper.core.link.points import load_registers
from nipper.core.link.profile import bundled
from nipper.core.link.registers import LinkError
from nipper.core.link.registertalk import RegisterTalk, begin_talk
from nipper.core.link.standin import Mistake, Mode, Playback
from nipper.core.link.switches import address_of, positions, seen
from nipper.core.link.talk import SYMPTOMS, Talk, recognise
from nipper.core.setup import put
from tests.core.test_link_setup import bank

STEP_S = 0.1


@pytest.fixture
def make_talk():
    made = []

    def make(profile="limits-can", **link):
        setup = bank(**link)
        talk = Talk(setup, bundled(profile), lambda _now: told_values(setup))
        made.append(talk)
        return talk

    yield make
    for talk in made:
        talk.close()


def run(talk, seconds, begin=0.0):
    now = begin
    for k in range(round(seconds / STEP_S) + 1):
        now = begin + k * STEP_S
        talk.step(now)
    return now


def test_the_inverter_takes_the_least_of_its_own_and_the_battery_s(make_talk):
    talk = make_talk()
    now = run(talk, 8.0)
    shown = talk.display(now)
    assert (shown.mode, shown.battery) == (Mode.CLOSED, "50 %")
    assert (shown.charge_a, shown.discharge_a) == (120.0, 180.0)  # its own: the packs allow more
    assert shown.charge_voltage_v == pytest.approx(56.0)
    assert talk.bus(now).doubts == ()
    assert recognise(talk, now) == []
    strong = make_talk(inverter_max_charge_a=500.0, inverter_max_discharge_a=900.0)
    now = run(strong, 8.0)
    assert strong.display(now).charge_a == 240.0  # 2 x 120 A


@pytest.mark.parametrize("mistake", [m for m in Mistake if m is not Mistake.NONE])
def test_each_mistake_is_recognised_by_what_is_seen(make_talk, mistake):
    talk = make_talk(inverter_max_charge_a=900.0, inverter_max_discharge_a=900.0)
    talk.make_mistake(mistake)
    now = run(talk, 12.0)
    found = recognise(talk, now)
    assert mistake in found
    assert len(found) <= 2
    assert mistake in SYMPTOMS
    if mistake not in (Mistake.PER_PACK, Mistake.OPEN_BUS):
        shown = talk.display(now)
        assert shown.mode is Mode.FALLBACK
        assert shown.battery.endswith(" V")  # volts where a percentage belongs


def test_the_plug_pulled_is_timed_and_it_falls_back(make_talk):
    talk = make_talk(loss_timeout_s=10.0, on_loss="fallback")
    now = run(talk, 5.0)
    talk.pull(now)
    now = run(talk, 15.0, now)
    assert talk.loss.reaction_s == pytest.approx(10.0, abs=0.7)  # since the last word it heard
    assert talk.loss.after is Mode.FALLBACK
    assert recognise(talk, now) == [Mistake.UNPLUGGED, Mistake.ADDRESS]  # no frame comes now
    assert talk.display(now).charge_voltage_v == talk.setup.charging.absorption_v
    talk.plug_in(now)
    now = run(talk, 5.0, now)
    assert talk.loss.back_s < 3.0
    assert talk.display(now).mode is Mode.CLOSED


def test_the_other_school_stops(make_talk):
    talk = make_talk(loss_timeout_s=5.0, on_loss="stop")
    now = run(talk, 5.0)
    talk.pull(now)
    now = run(talk, 8.0, now)
    shown = talk.display(now)
    assert (shown.mode, shown.charge_a, shown.discharge_a) == (Mode.STOPPED, 0.0, 0.0)
    assert talk.loss.reaction_s == pytest.approx(5.0, abs=0.7)


def test_a_flood_of_strange_frames_neither_stops_nor_fools_it(make_talk):
    talk = make_talk()
    run(talk, 3.0)
    with CanLine() as stranger:
        for k in range(3000):
            stranger.send(Frame(k % 0x7FF, bytes([k % 256] * (k % 9))))
    now = run(talk, 3.0, 3.1)
    shown = talk.display(now)
    assert shown.mode is Mode.CLOSED
    assert 0.0 <= shown.charge_a <= 120.0


def test_a_profile_without_a_discharge_limit_leaves_the_inverter_s_own(make_talk):
    talk = make_talk("rvc-dc-source", bit_rate=250_000)
    now = run(talk, 12.0)
    assert talk.display(now).discharge_a == 180.0


@pytest.mark.parametrize(
    "place", ["", "socketcan", "cable:0", "socketcan:no_such_can", "slcan:/dev/none"]
)
def test_a_line_that_is_none_is_said_in_one_line(place):
    with pytest.raises(LinkError) as told:
        CanLine(place)
    assert "\n" not in str(told.value)


def test_settings_in_the_inverter_are_its_own(make_talk):
    talk = make_talk()
    assert put(talk.setup, {"link.loss_timeout_s": None}).link.loss_timeout_s is None
    assert talk.inverter.timeout_s == 10.0


def test_limits_of_one_pack_are_sent_as_such_and_multiplied_once():
    setup = bank(inverter_max_charge_a=900.0, inverter_max_discharge_a=900.0)
    plain = bundled("limits-can")
    profile = replace(plain, file=plain.file.model_copy(update={"limits_of": "pack"}))
    talk = Talk(setup, profile, lambda _now: told_values(setup))
    try:
        now = run(talk, 8.0)
        assert talk.bus(now).values["charge_current_limit_a"] == 120.0
        assert talk.display(now).charge_a == 240.0
        assert recognise(talk, now) == []
    finally:
        talk.close()


# captures, played again


FRAMES = [
    Frame(0x351 + i % 3, bytes([i % 256] * 8), i % 2 == 1, 10.0 + 0.01 * i) for i in range(40)
]


@pytest.mark.parametrize("suffix", [".log", ".asc", ".blf"])
def test_a_capture_of_any_kind_comes_back_frame_by_frame(tmp_path, suffix):
    path = tmp_path / f"bus{suffix}"
    if suffix == ".log":
        path.write_text(to_candump(FRAMES))
    else:  # written by python-can
        with can.Logger(path) as writer:
            for f in FRAMES:
                writer.on_message_received(
                    can.Message(f.time_s, f.id, f.extended, data=f.data, is_rx=True)
                )
    found = read_frames(path)
    assert [(f.id, f.data, f.extended) for f in found] == [
        (f.id, f.data, f.extended) for f in FRAMES
    ]
    steps = [b.time_s - a.time_s for a, b in pairwise(found)]
    assert steps == pytest.approx([0.01] * 39, abs=1e-4)


@pytest.mark.parametrize("suffix", [".asc", ".blf"])
@pytest.mark.parametrize("junk", [b"", b"LOGG" + bytes(200), bytes(range(256)) * 20, b"date x\n"])
def test_a_file_that_is_no_capture_is_refused(tmp_path, suffix, junk):
    path = tmp_path / f"bus{suffix}"
    path.write_bytes(junk)
    with pytest.raises(InputError, match="bus"):
        read_frames(path)
    with pytest.raises(InputError, match="gone"):
        read_frames(tmp_path / f"gone{suffix}")


def test_a_capture_is_played_at_its_own_pace():
    plays = Playback(FRAMES)
    assert len(plays.due(100.0)) == 1
    assert plays.due(100.005) == []
    assert len(plays.due(100.101)) == 10
    later = plays.due(200.0)
    assert len(later) == 29
    assert {f.time_s for f in later} == {200.0}
    assert plays.due(300.0) == []


def test_a_flood_is_played_in_parts():
    flood = Playback([Frame(1, b"", False, 0.0)] * 5000)
    assert 0 < len(flood.due(0.0)) <= 600


# switches as one sees them


@pytest.mark.parametrize(
    ("picture", "address"),
    [
        ("1010", 5),
        ("udud", 5),
        ("up down up down", 5),
        ("0 0 0 1", 8),
        ("ON, off, on", 5),
        ("d", 0),
    ],
)
def test_the_address_of_the_switches_one_sees(picture, address):
    assert address_of(seen(picture)) == address


@pytest.mark.parametrize("picture", ["", "  ", "12", "x", "1" * 9, "up sideways"])
def test_a_picture_that_is_none_is_told(picture):
    with pytest.raises(RangeError, match="1 to 8 switches"):
        seen(picture)


@given(st.integers(0, 255), st.sampled_from([0, 1]))
def test_every_address_is_seen_as_it_is_set(address, on_is):
    assert address_of(seen(positions(address, 8, on_is)), on_is) == address


# the same over registers

REGISTER_LINK = {"transport": "rs485", "profile": "registers-simple", "bit_rate": 9600,
                 "inverter_max_discharge_a": 2000.0}  # fmt: skip
HEARD_AS = {
    Mistake.NONE: [],
    Mistake.UNPLUGGED: [Mistake.UNPLUGGED, Mistake.ADDRESS],
    Mistake.ADDRESS: [Mistake.UNPLUGGED, Mistake.ADDRESS],
    Mistake.BIT_RATE: [Mistake.BIT_RATE, Mistake.CROSSED],
    Mistake.CROSSED: [Mistake.BIT_RATE, Mistake.CROSSED],
    Mistake.OPEN_BUS: [Mistake.OPEN_BUS],
    Mistake.PROFILE: [Mistake.PROFILE, Mistake.DISABLED],
    Mistake.DISABLED: [Mistake.PROFILE, Mistake.DISABLED],
    Mistake.PER_PACK: [Mistake.PER_PACK],
}


@pytest.fixture(scope="module")
def register_talk():
    setup = bank(**REGISTER_LINK)
    talk = RegisterTalk(setup, load_registers("registers-simple"), lambda _: told_values(setup))
    yield talk
    talk.close()


@pytest.mark.parametrize("mistake", list(Mistake))
def test_every_mistake_is_recognised_over_registers_too(register_talk, mistake):
    register_talk.make_mistake(mistake)
    now = run(register_talk, 15.0)
    assert recognise(register_talk, now) == HEARD_AS[mistake]
    mode = register_talk.display(now).mode
    right = (Mistake.NONE, Mistake.OPEN_BUS, Mistake.PER_PACK)
    assert (mode is Mode.CLOSED) == (mistake in right)


def test_a_plug_pulled_from_the_register_line_is_timed(register_talk):
    register_talk.make_mistake(Mistake.NONE)
    now = run(register_talk, 5.0)
    register_talk.pull(now)
    now = run(register_talk, 20.0, now)
    assert 9.0 <= register_talk.loss.reaction_s <= 11.2
    register_talk.plug_in(now)
    now = run(register_talk, 5.0, now)
    assert register_talk.loss.back_s <= 1.2


def test_a_capture_of_can_is_not_played_to_registers():
    with pytest.raises(LinkError, match="no registers"):
        begin_talk(bank(**REGISTER_LINK), "registers-simple", None, FRAMES)
