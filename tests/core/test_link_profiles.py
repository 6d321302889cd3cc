"""Profiles, frames and captures: against cantools' and pysunspec2's own numbers, against what a
standard says, and against whatever comes over a wire.
"""

import json

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nipper.core.errors import InputError
from nipper.core.link import points
from nipper.core.link.capture import frame_bits, listen, parse_candump, read_candump
from nipper.core.link.codec import Frame, decode, encode
from nipper.core.link.decoding import decode_capture
from nipper.core.link.expect import told_values
from nipper.core.link.profile import BUNDLED, bundled, load_profile, read_dbc
from nipper.core.link.quantities import BY_NAME
from nipper.core.presets import new_setup
from tests.conftest import FILES

REFERENCE = FILES.parent / "reference"
SETUP = new_setup("lfp", 16, 280.0, packs_in_parallel=2)
VALUES = told_values(SETUP)


def vectors():
    return json.loads((REFERENCE / "can_vectors.json").read_text())


@pytest.mark.parametrize("row", vectors()["signal_packing"]["rows"], ids=lambda r: r["dbc"])
def test_signals_are_packed_as_the_reference_has_them(row):
    # tests/reference/can_vectors.json: made-up layouts, packed by cantools
    text = f'BU_: A B\n\nBO_ 256 M: 8 A\n SG_ S : {row["dbc"]} [0|0] "" B\n'
    message = read_dbc(text, "row").get_message_by_name("M")
    found = message.decode(bytes.fromhex(row["data"]))["S"]
    assert float(found) == pytest.approx(row["value"])


@pytest.mark.parametrize(
    ("identifier", "data", "said"),
    [  # shared reference, RV-C layouts from memory: only the coding is checked, not the sign
        (0x19FFFD80, "01782804FE463477", {"pack_v": 53.2, "current_a": -85.25}),
        (0x19FFFD80, "0178280400943577", {"pack_v": 53.2, "current_a": 0.0}),
        (0x19FFFC80, "0178D02499B001FC", {"temperature_c": 21.5, "soc_pct": 76.5}),
        (
            0x19FEC980,
            "0178025004D084F3",
            {"charge_voltage_limit_v": 55.2, "charge_current_limit_a": 100.0},
        ),
    ],
)
def test_rvc_frames_say_what_the_reference_says(identifier, data, said):
    found = decode(bundled("rvc-dc-source"), Frame(identifier, bytes.fromhex(data), True))
    assert found.troubles == ()
    assert dict(found.values) == pytest.approx(said)


def test_absent_values_of_rvc_are_told_and_not_taken():
    data = bytes.fromhex("0178FFFFFFFFFFFF")
    found = decode(bundled("rvc-dc-source"), Frame(0x19FFFD80, data, True))
    assert dict(found.values) == {}
    assert len(found.troubles) == 2
    assert all("not available" in t for t in found.troubles)


@pytest.mark.parametrize("number", range(4))
def test_sunspec_models_are_read_as_pysunspec2_wrote_them(number):
    # tests/reference/sunspec_examples.json: encoded by pysunspec2
    example = json.loads((REFERENCE / "sunspec_examples.json").read_text())["examples"][number]
    words = bytes.fromhex(example["hex"])
    registers = {40000: 0x5375, 40001: 0x6E53}
    for i in range(0, len(words), 2):
        registers[40002 + i // 2] = int.from_bytes(words[i : i + 2], "big")
    registers |= {40002 + len(words) // 2: 0xFFFF, 40003 + len(words) // 2: 0}
    assert points.models(registers) == {example["model"]: 40002}
    told = points.tell(points.load_registers("sunspec-battery"), registers)
    names = {
        "AHRtg": "capacity_ah", "SoC": "soc_pct", "SoH": "soh_pct", "V": "pack_v",
        "VMax": "charge_voltage_limit_v", "VMin": "discharge_voltage_limit_v",
        "CellVMax": "highest_cell_v", "CellVMin": "lowest_cell_v", "A": "current_a",
        "AChaMax": "charge_current_limit_a", "ADisChaMax": "discharge_current_limit_a",
    }  # fmt: skip
    if example["model"] != 802:
        bank = {"packs_online": 2.0, "temperature_c": 19.0}  # NStrCon and ModTmpMin of the 803
        assert dict(told.values) == (bank if example["model"] == 803 else {})
        return
    for theirs, ours in names.items():
        if theirs in example["values"]:
            assert told.values[ours] == pytest.approx(example["values"][theirs])
        else:
            assert ours not in told.values


@pytest.mark.parametrize("name", points.BUNDLED)
def test_registers_are_written_and_read_back(name):
    profile = points.load_registers(name)
    told = points.tell(profile, points.write(profile, VALUES))
    for quantity, value in told.values.items():
        assert value == pytest.approx(VALUES[quantity], abs=0.06)
    assert {p.quantity for p in profile.points} - set(told.values) <= {"alive"}


@pytest.mark.parametrize("name", BUNDLED)
def test_what_is_sent_is_what_is_heard(name):
    profile = bundled(name)
    for sent in encode(profile, VALUES):
        found = decode(profile, sent.frame)
        assert found.message == sent.message
        for quantity, value in found.values.items():
            assert value == pytest.approx(VALUES.get(quantity, value), abs=0.51)


@given(
    st.sampled_from(BUNDLED),
    st.integers(0, 0x1FFFFFFF),
    st.binary(max_size=8),
    st.integers(0, 30),
)
@settings(max_examples=400)
def test_whatever_comes_no_wrong_value_is_taken(name, identifier, data, pick):
    profile = bundled(name)
    known = list(profile.by_id)
    key = known[pick] if pick < len(known) else (identifier, identifier > 0x7FF)
    found = decode(profile, Frame(key[0], data, key[1]))
    for quantity, value in found.values.items():
        assert BY_NAME[quantity].least <= value <= BY_NAME[quantity].most


@given(
    st.sampled_from(points.BUNDLED), st.dictionaries(st.integers(0, 65535), st.integers(0, 65535))
)
def test_whatever_registers_hold_no_wrong_value_is_taken(name, registers):
    told = points.tell(points.load_registers(name), registers)
    for quantity, value in told.values.items():
        assert BY_NAME[quantity].least <= value <= BY_NAME[quantity].most


@given(st.text(max_size=80))
def test_any_line_is_a_frame_or_refused(line):
    try:
        frames = list(parse_candump([line], "it"))
    except InputError as error:
        told = str(error)
        frames = []
    else:
        told = "line 1"
    assert "line 1" in told
    assert all(len(f.data) <= 8 and 0 <= f.id <= 0x1FFFFFFF for f in frames)


def bus(profile, seconds=20.0, until=None, **changes):
    """Frames as a BMS of that profile sends them, one counter a second."""
    out = []
    for k in range(int(seconds)):
        if changes.get("dies_at") is not None and k >= changes["dies_at"]:
            break
        counter = 0 if changes.get("hangs") else k
        for sent in encode(profile, VALUES, counter):
            at = 1000.0 + k + 0.001 * len(out) % 0.2
            if (k * 1000) % sent.period_ms == 0:
                out.append(Frame(sent.frame.id, sent.frame.data, sent.frame.extended, at))
    return out


def test_a_sound_bus_gives_every_value_and_no_doubt():
    profile = bundled("limits-can")
    found = listen(profile, bus(profile))
    doubts = [d for d in found.doubts if "comes every" not in d]
    assert doubts == []
    assert found.values["charge_voltage_limit_v"] == pytest.approx(VALUES["charge_voltage_limit_v"])
    assert found.silent == ()
    assert 0.05 < found.load_pct < 0.3


def test_a_bus_that_dies_is_stale_and_its_values_are_not_taken():
    profile = bundled("limits-can")
    found = listen(profile, bus(profile, dies_at=5), until_s=1020.0)
    assert set(found.stale) == {m.name for m in profile.file.messages}
    assert found.values == {}
    assert any("no longer comes" in d for d in found.doubts)


def test_a_bms_that_hangs_is_seen_by_its_counter():
    profile = bundled("limits-can")
    found = listen(profile, bus(profile, hangs=True))
    assert any("the BMS hangs" in d for d in found.doubts)
    assert "soc_pct" not in found.values


def test_another_protocol_is_named():
    found = listen(bundled("limits-can"), bus(bundled("rvc-dc-source")))
    assert any("another protocol" in d for d in found.doubts)
    assert found.values == {}
    assert found.unknown


@pytest.mark.parametrize("row", vectors()["exact_frames"], ids=lambda r: r["id"] + r["data"])
def test_frames_are_as_long_as_the_standard_says(row):
    # tests/reference/can_vectors.json, exact lengths with CRC-15
    frame = Frame(int(row["id"], 16), bytes.fromhex(row["data"]), row["extended"])
    assert frame_bits(frame) == row["bits_without_stuffing_incl_ifs"]


def test_both_forms_of_candump_are_read(tmp_path):
    logged = "(1436509052.249713) can0 351#f00ab004d007c008\n"
    shown = "# a note\n\n (1436509052.249713)  can0  351   [8]  F0 0A B0 04 D0 07 C0 08\n"
    plain = "  can0  351   [8]  F0 0A B0 04 D0 07 C0 08  '........'\n"
    for text in (logged, shown, plain):
        (tmp_path / "a.log").write_text(text)
        frame = read_candump(tmp_path / "a.log")[0]
        assert (frame.id, frame.data.hex()) == (0x351, "f00ab004d007c008")


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("", "lines such as"),
        ("hello\n", "line 1"),
        ("(1) can0 351#1\n", "line 1"),
        ("(1) can0 FFF#11\n", "11 or 29 bits"),
        ("(1) can0 351  [3]  11 22\n", "as many bytes"),
        ("(1) can0 351#112233445566778899\n", "as many bytes"),
    ],
)
def test_captures_that_are_none_are_refused_with_the_line(tmp_path, text, expected):
    (tmp_path / "a.log").write_text(text)
    with pytest.raises(InputError, match=expected):
        read_candump(tmp_path / "a.log")


OWN = {
    "format": "nipper-link-profile", "version": 1, "name": "mine", "title": "mine",
    "source": "the sheet", "transport": "can", "bit_rate": 250000, "dbc": "mine.dbc",
    "messages": [{"name": "M", "period_ms": 100, "signals": {"S": "soc_pct"}}],
}  # fmt: skip
DBC = 'BU_: A B\n\nBO_ 256 M: 8 A\n SG_ S : 0|8@1+ (0.5,0) [0|100] "%" B\n'


def own(tmp_path, changes=None, dbc=DBC):
    (tmp_path / "mine.dbc").write_text(dbc)
    (tmp_path / "mine.json").write_text(json.dumps(OWN | (changes or {})))
    return str(tmp_path / "mine.json")


def test_a_profile_of_ones_own_is_read_beside_its_dbc(tmp_path):
    profile = load_profile(own(tmp_path))
    assert decode(profile, Frame(256, bytes([153] + 7 * [0]))).values == {"soc_pct": 76.5}
    assert "pack_v" in profile.missing


@pytest.mark.parametrize(
    ("changes", "dbc", "expected"),
    [
        ({"dbc": "../../etc/passwd"}, DBC, "beside this one"),
        ({"dbc": "none.dbc"}, DBC, "none.dbc"),
        ({"messages": [{"name": "X", "period_ms": 1, "signals": {}}]}, DBC, "a message of"),
        ({"messages": [{"name": "M", "period_ms": 1, "signals": {"Q": "soc_pct"}}]}, DBC, "signal"),
        ({"messages": [{"name": "M", "period_ms": 1, "signals": {"S": "x"}}]}, DBC, "a quantity"),
        ({"messages": []}, DBC, "messages"),
        ({"colour": 1}, DBC, "colour"),
        ({}, "not a dbc", "DBC"),
        ({}, "BO_ " * 1000, "DBC"),
    ],
)
def test_a_profile_that_does_not_fit_is_refused_in_one_line(tmp_path, changes, dbc, expected):
    with pytest.raises(InputError, match=expected) as told:
        load_profile(own(tmp_path, changes, dbc))
    assert "\n" not in str(told.value)
    assert len(str(told.value)) < 1000


def test_a_table_of_registers_is_decoded(tmp_path):
    profile = points.load_registers("registers-simple")
    rows = [f"{a},{v:#06x}" for a, v in points.write(profile, VALUES).items()]
    (tmp_path / "r.csv").write_text("Address,Value\n" + "\n".join(rows))
    found = decode_capture(tmp_path / "r.csv", "registers-simple")
    assert found["values"]["pack_v"] == pytest.approx(VALUES["pack_v"], abs=0.01)
    (tmp_path / "r.csv").write_text("Address,Value\n1,70000\n")
    with pytest.raises(InputError, match="line 2"):
        decode_capture(tmp_path / "r.csv", "registers-simple")


def test_random_frames_and_registers_give_nothing_wrong():
    """A short run of ``make frames``."""
    from tests.bench import frames

    assert frames.frames(20_000, 7) > 1000
    frames.registers(300, 7)
