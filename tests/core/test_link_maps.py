"""A maker's own DBC mapped, protocols of two menus, and the low end in rank."""

import json
import struct

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nipper.core.chemistry import chemistry
from nipper.core.chemistry.cell import cell_resistance_ohm
from nipper.core.errors import InputError
from nipper.core.link import dbcmap
from nipper.core.link.codec import Frame, decode, encode
from nipper.core.link.lowend import By, amperes, doubts, rank
from nipper.core.link.protocols import offers
from nipper.core.presets import new_setup
from nipper.core.report.linkprofile import common_words, profile_words
from nipper.core.report.lowend import HEADS, row
from nipper.core.setup import put

DBC = """VERSION ""
NS_ :
BS_:
BU_: BMS INV
BO_ 1025 Ceilings: 8 BMS
 SG_ MaxChargeVoltage : 0|16@1+ (0.1,0) [0|0] "V" INV
 SG_ CHARGE_CURRENT_LIMIT : 16|16@1- (0.1,0) [0|0] "A" INV
 SG_ DischargeCurrentLimit : 32|16@1- (0.1,0) [0|0] "A" INV
 SG_ MinDischargeVoltage : 48|16@1+ (0.1,0) [0|0] "V" INV
BO_ 1026 Count: 4 BMS
 SG_ SOC : 0|16@1+ (1,0) [0|100] "%" INV
 SG_ RemainingCapacity : 16|16@1+ (0.1,0) [0|0] "Ah" INV
BO_ 1027 Seen: 7 BMS
 SG_ BatteryVoltage : 0|16@1- (0.01,0) [0|0] "V" INV
 SG_ batt_current : 16|16@1- (0.1,0) [0|0] "A" INV
 SG_ TempAverage : 32|16@1- (0.1,0) [0|0] "degC" INV
 SG_ Wheels : 48|8@1+ (1,0) [0|0] "" INV
"""
WANTED = {
    ("Ceilings", "MaxChargeVoltage"): "charge_voltage_limit_v",
    ("Ceilings", "CHARGE_CURRENT_LIMIT"): "charge_current_limit_a",
    ("Ceilings", "DischargeCurrentLimit"): "discharge_current_limit_a",
    ("Ceilings", "MinDischargeVoltage"): "discharge_voltage_limit_v",
    ("Count", "SOC"): "soc_pct",
    ("Seen", "BatteryVoltage"): "pack_v",
    ("Seen", "batt_current"): "current_a",
    ("Seen", "TempAverage"): "temperature_c",
}


@pytest.fixture
def dbc(tmp_path):
    path = tmp_path / "mine.dbc"
    path.write_text(DBC)
    return path


def proposed():
    return {one.key: one.proposed for one in dbcmap.signals(DBC, "mine.dbc") if one.proposed}


def test_each_signal_is_proposed_by_its_unit_and_name_and_none_by_chance():
    assert proposed() == WANTED  # what remains is no capacity, wheels are nothing
    assert dbcmap.missing(WANTED) == []
    assert dbcmap.doubts(dbcmap.signals(DBC, "x"), WANTED) == []


def test_what_is_missing_and_what_cannot_be_is_told():
    found = dbcmap.signals(DBC, "x")
    few = {k: v for k, v in WANTED.items() if v != "soc_pct"}
    assert dbcmap.missing(few) == ["state of charge"]
    wrong = {**few, ("Count", "RemainingCapacity"): "soc_pct", ("Seen", "Wheels"): "pack_v"}
    told = dbcmap.doubts(found, wrong)
    assert any("is in Ah" in t for t in told)
    assert any("told twice" in t for t in told)


def test_a_mapped_file_is_an_ordinary_profile_that_decodes(dbc):
    made = dbcmap.save(dbcmap.Mapped("mine-mapped", 250_000, WANTED, "pack", "open"), dbc)
    assert made.missing == []
    assert made.file.bit_rate == 250_000
    assert json.loads(dbc.with_name("mine-mapped.json").read_text())["limits_of"] == "pack"
    said = decode(made, Frame(1027, bytes.fromhex("C8142CFF C800 05".replace(" ", ""))))
    assert dict(said.values) == {"pack_v": 53.2, "current_a": -21.2, "temperature_c": 20.0}
    with pytest.raises(InputError, match="taken"):
        dbcmap.save(dbcmap.Mapped("mine-mapped", 250_000, WANTED), dbc)


@pytest.mark.parametrize("name", ["", "../out", "a b", "x" * 200])
def test_a_name_that_is_none_writes_nothing(dbc, name):
    with pytest.raises((InputError, OSError)):
        dbcmap.save(dbcmap.Mapped(name, 250_000, WANTED), dbc)
    assert [p.name for p in dbc.parent.iterdir()] == ["mine.dbc"]
    assert not list(dbc.parent.parent.glob("out*"))


def test_nothing_chosen_is_no_profile(dbc):
    with pytest.raises(InputError):
        dbcmap.save(dbcmap.Mapped("empty", 250_000, {}), dbc)
    assert not dbc.with_name("empty.json").exists()


@given(st.text(max_size=300))
def test_any_text_is_a_dbc_or_refused(text):
    try:
        found = dbcmap.signals(text, "x")
    except InputError:
        return
    assert all(one.low <= one.high for one in found)


def test_signals_that_are_floating_point_or_multiplexed_keep_their_fraction(tmp_path):
    """Makers' files have both; a fraction cut off would be a wrong value taken in silence."""
    path = tmp_path / "float.dbc"
    path.write_text(
        'VERSION ""\nNS_ :\nBS_:\nBU_: B I\n'
        "BO_ 7 Seen: 8 B\n"
        ' SG_ PackVoltage : 0|32@1- (1,0) [0|0] "V" I\n'
        ' SG_ PackCurrent : 32|32@1- (1,0) [0|0] "A" I\n'
        "BO_ 8 Cells: 3 B\n"
        ' SG_ Which M : 0|8@1+ (1,0) [0|0] "" I\n'
        ' SG_ MaxCell m0 : 15|16@0+ (0.001,0) [0|0] "V" I\n'
        ' SG_ MinCell m1 : 15|16@0+ (0.001,0) [0|0] "V" I\n'
        "SIG_VALTYPE_ 7 PackVoltage : 1;\nSIG_VALTYPE_ 7 PackCurrent : 1;\n"
    )
    found = {one.key: one.proposed for one in dbcmap.signals(path.read_text(), "f") if one.proposed}
    made = dbcmap.save(dbcmap.Mapped("f", 500_000, found), path)
    floats = struct.pack("<ff", 53.27, -12.75)
    assert dict(decode(made, Frame(7, floats)).values) == pytest.approx(
        {"pack_v": 53.27, "current_a": -12.75}
    )
    spoilt = decode(made, Frame(7, struct.pack("<ff", float("nan"), float("inf"))))
    assert dict(spoilt.values) == {}
    low = decode(made, Frame(8, bytes([1]) + (3312).to_bytes(2, "big")))
    assert dict(low.values) == {"lowest_cell_v": 3.312}
    sent = encode(made, {"pack_v": 53.27, "current_a": -12.75})
    assert sent[0].meaning == pytest.approx({"pack_v": 53.27, "current_a": -12.75})


def test_a_file_nobody_could_go_through_is_refused():
    each = [
        f'BO_ {n} M{n}: 8 B\n' + "".join(
            f' SG_ S{k} : {k}|1@1+ (1,0) [0|1] "" I\n' for k in range(64)
        )
        for n in range(1, 12)
    ]  # fmt: skip
    with pytest.raises(InputError, match="at most 600 signals"):
        dbcmap.signals('VERSION ""\nNS_ :\nBS_:\nBU_: B I\n' + "".join(each), "big.dbc")


# protocols


@pytest.mark.parametrize(
    ("ours", "theirs", "both", "said"),
    [
        (None, None, (), "Type the protocols"),
        ("A, B", None, (), "Type the protocols"),
        ("CAN  one, B", "b ,C", ("B",), "Both offer B: set it at both ends. Only the battery"),
        ("A", "B", (), "Nothing stands in both menus"),
        ("A,B", "B,A", ("A", "B"), "set one of them at both ends."),
        (" , ,", "A", (), "Type the protocols"),
    ],
)
def test_what_stands_in_both_menus(ours, theirs, both, said):
    link = {"battery_protocols": ours, "inverter_protocols": theirs}
    setup = put(new_setup("lfp", 16, 280.0), {"link": link})
    assert offers(setup).both == both
    assert said in common_words(setup)[1]


@pytest.mark.parametrize(
    ("profile", "said"),
    [
        (None, "all that a closed loop needs"),
        ("rvc-dc-source", "also needs"),
        ("registers-simple", "A plain register map"),
        ("nowhere.json", "nowhere.json"),
    ],
)
def test_what_a_profile_tells(profile, said):
    setup = put(new_setup("lfp", 16, 280.0), {"link": {"profile": profile}})
    assert said in profile_words(setup)[1]


# the low end

BANK = put(
    new_setup("lfp", 16, 280.0, 2),
    {"link": {"low_cut_pct": 10.0, "low_alarm_pct": 15.0, "low_cut_v": 51.2}},
)


def test_at_rest_volts_and_charge_are_the_curves_own():
    curve = chemistry("lfp").curve
    for act in rank(BANK, 0.0):
        assert act.load_pct == pytest.approx(act.rest_pct)
        if act.by is not By.COUNT:
            assert 16 * float(curve.ocv(act.rest_pct)) == pytest.approx(act.set, abs=0.02)


def test_under_load_a_voltage_acts_earlier_and_a_count_does_not():
    drop_v = 300.0 / 2 * cell_resistance_ohm(BANK)
    at = {(a.name, a.by): a for a in rank(BANK, 300.0)}
    volts, count = at["cuts off", By.VOLTS], at["cuts off", By.COUNT]
    assert volts.load_pct > volts.rest_pct
    assert count.load_pct == count.rest_pct == 10.0
    assert float(chemistry("lfp").curve.ocv(volts.load_pct)) == pytest.approx(
        51.2 / 16 + drop_v, abs=2e-3
    )


def test_an_order_that_turns_round_under_load_is_told():
    assert "the voltage cuts off first" in " ".join(doubts(BANK, 500.0))
    never = put(BANK, {"link.low_cut_v": 52.0})
    assert "never reached" in " ".join(doubts(never, 0.0))
    calm = put(BANK, {"link.low_cut_v": 46.0})
    assert doubts(calm, 10.0) == []
    dark = put(calm, {"link.low_cut_v": 40.0, "link.low_cut_pct": None})
    assert "the BMS trips first" in " ".join(doubts(dark))


def test_the_pack_may_trip_before_any_of_its_cells():
    high = put(BANK, {"link.low_cut_v": 46.0, "link.low_cut_pct": None,
                      "protection.pack_under_voltage.trip_v": 48.0})  # fmt: skip
    assert "the BMS trips first" in " ".join(doubts(high, 10.0))


@given(st.floats(0.0, 1000.0), st.sampled_from(["lfp", "nmc", "lto"]))
def test_the_rank_falls_and_every_line_can_be_written(amps, kind):
    setup = put(new_setup(kind, 14, 100.0), {"link": {"low_cut_pct": 12.0}})
    acts = rank(setup, amps)
    shares = [a.load_pct for a in acts]
    assert shares == sorted(shares, reverse=True)
    assert all(0.0 <= s <= 100.0 for s in shares)
    assert all(len(row(a)) == len(HEADS) for a in acts)
    assert amperes(setup) > 0
