"""Leads, fuses and short circuits against standards and worked arithmetic, and how they hold
together.
"""

import json
from math import inf, isinf

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nipper.core.presets import new_setup
from nipper.core.setup import put
from nipper.core.wiring import currents, short
from nipper.core.wiring.fuse import GATES_A, RATED_A, conventional_s, melting_band, melts_after_s
from nipper.core.wiring.lead import LEADS, Lead, carries_a, loop_ohm, protected_by_a, ruined_after_s
from tests.conftest import REFERENCE
from tests.core.test_curve import table

WORKED = json.loads((REFERENCE / "wiring_examples.json").read_text())


def test_leads_carry_what_the_standard_says():
    for row in table("ampacity_iso10133.csv"):  # ISO 10133, from memory
        size = float(row["area_mm2"])
        if size in [s for s, *_ in LEADS]:
            assert carries_a(size) == float(row["insulation_70c_a"])
            assert carries_a(size, 90) == float(row["insulation_85_90c_a"])
            assert carries_a(size, 105) == float(row["insulation_105c_a"])


def test_large_leads_grow_as_the_tables_of_the_standard_do():
    # IEC 60364-5-52, B.52.10, two loaded PVC conductors in air, from memory: 150 mm2 406 A, 185
    # 463, 240 546, 300 629; ours stay below it, by the share ISO's are below at 150 mm2
    for mm2, amps in ((185, 463), (240, 546), (300, 629)):
        assert carries_a(mm2) / carries_a(150) == pytest.approx(amps / 406, rel=0.015)


def test_conductors_side_by_side_share():
    one, two = Lead(95), Lead(95, 2)
    assert two.carries_a == 2 * one.carries_a
    assert two.loop_ohm(2.0) == pytest.approx(one.loop_ohm(2.0) / 2)
    assert two.ruined_after_s(3000) == one.ruined_after_s(1500)
    assert str(two) == "2 × 95 mm²"


def test_insulation_that_is_known_is_counted_and_no_other():
    unknown, known = Lead(70), Lead(70, insulation_c=105)
    assert (unknown.carries_a, unknown.at_best_a) == (265, 330)
    assert known.carries_a == known.at_best_a == 330


# IEC 60364-4-43, k = 115, from memory: the adiabatic time, which the lead's curve becomes for short
# times
def test_a_short_ruins_a_lead_after_the_adiabatic_time():
    for row in WORKED["adiabatic"]["rows"]:
        if row["k"] == 115:
            assert ruined_after_s(row["current_a"], row["area_mm2"]) == pytest.approx(
                row["seconds"], rel=0.01
            )


def test_a_lead_carries_its_current_for_ever_and_nothing_beyond_for_longer_than_less():
    assert isinf(ruined_after_s(carries_a(50), 50))
    assert isinf(ruined_after_s(1.7 * carries_a(50), 50))  # hot, but below 160 degC
    times = [ruined_after_s(a, 50) for a in (400, 500, 1000, 5000)]
    assert times == sorted(times, reverse=True)
    assert times[0] < inf


# IEC 60228 class 1 copper of 58 m/(ohm mm2) (IEC 60028): the ideal loop resistance of the worked
# examples
def test_leads_have_the_resistance_of_copper():
    for row in (r for r in WORKED["voltage_drop"]["rows"] if r["conductor_c"] == 20):
        assert 1e3 * loop_ohm(row["area_mm2"], row["one_way_m"]) == pytest.approx(
            row["r_loop_mohm_ideal"], rel=1e-3
        )


# IEC 60269-1 gates of gG fuses, from memory
@pytest.mark.parametrize("rating", [16, 63, 100, 250, 400])
def test_a_fuse_keeps_its_gates(rating):
    no_10, yes_5, no_01, yes_01 = GATES_A[rating]
    assert melts_after_s(no_10, rating)[0] == pytest.approx(10.0)
    assert melts_after_s(yes_5, rating)[1] == pytest.approx(5.0)
    assert melts_after_s(no_01, rating)[0] == pytest.approx(0.1)
    assert melts_after_s(yes_01, rating)[1] == pytest.approx(0.1)
    assert melts_after_s(1.25 * rating, rating) == (inf, inf)
    assert melts_after_s(1.61 * rating, rating)[1] <= conventional_s(rating)


@given(
    st.sampled_from(RATED_A),
    st.sampled_from(["gG", "fast"]),
    st.floats(0.5, 200.0),
    st.floats(1.01, 3.0),
)
def test_more_current_never_melts_it_later_and_the_soonest_is_before_the_latest(
    rating, kind, times, more
):
    here, there = (
        melts_after_s(times * rating, rating, kind),
        melts_after_s(more * times * rating, rating, kind),
    )
    assert there[0] <= here[0] * (1 + 1e-9)
    assert there[1] <= here[1] * (1 + 1e-9)
    assert here[0] <= here[1]
    soonest, latest = melting_band(rating, kind)
    assert [a for a, _ in soonest] == sorted(a for a, _ in soonest)
    assert [a for a, _ in latest] == sorted(a for a, _ in latest)


# worked examples: I = n OCV / (n r / p + r_ext)
def test_a_short_is_fed_by_voltage_over_resistance():
    row = WORKED["prospective_short_circuit"]["rows"][1]
    setup = put(
        new_setup("lfp", row["cells_in_series"], 280.0),
        {"cell.resistance_mohm": row["cell_mohm"], "wiring": None},
    )
    # of the cells only the part counts that acts at once; joints stand for the row's external
    # resistance
    inside_mohm = 1e3 * (short.ohmic_ohm(setup) - short.JOINTS_OHM)
    assert inside_mohm == pytest.approx(short.OHMIC_SHARE * row["r_internal_mohm"])
    volts = short.at_terminals_a(setup) * short.ohmic_ohm(setup)
    assert 1e3 * volts / (row["r_internal_mohm"] + row["external_mohm"]) == pytest.approx(
        row["prospective_a"], rel=0.015
    )
    assert short.short_circuit_a(put(setup, {"packs_in_parallel": 3})) == pytest.approx(
        3 * short.short_circuit_a(setup)
    )


def test_a_short_at_the_terminals_of_the_usual_bank():
    """16 x 280 Ah: 1 kHz resistances of 0.12 to 0.25 mohm a cell (data sheets, from memory) and 1
    mohm of
    joints give 11 to 18 kA; leads take a quarter off."""
    setup = new_setup("lfp", 16, 280.0)
    at_once_ka = short.at_terminals_a(setup) / 1e3
    assert at_once_ka == pytest.approx(15.0, rel=0.03)
    assert 53.0 / (16 * 0.25 + 1.0) < at_once_ka < 53.0 / (16 * 0.12 + 1.0)
    thin = put(setup, {"wiring.cable_mm2": 50.0})
    assert short.behind_leads_a(thin) / 1e3 == pytest.approx(11.5, rel=0.05)
    assert short.through_fuse_a(setup) == short.at_terminals_a(setup)
    four = new_setup("lfp", 16, 280.0, 4)
    assert short.through_fuse_a(four) == pytest.approx(3 * short.at_terminals_a(setup))


# I2 <= 1.45 Iz of IEC 60364-4-43 and I2 = 1.6 In of gG fuses of IEC 60269-1, both from memory
@pytest.mark.parametrize(
    ("mm2", "fuse_a", "fits"), [(50, 160, True), (50, 200, False), (70, 200, True)]
)
def test_a_gg_fuse_is_smaller_than_what_its_lead_carries(mm2, fuse_a, fits):
    assert (fuse_a <= protected_by_a(mm2)) is fits
    assert (1.6 * fuse_a <= 1.45 * carries_a(mm2) + 1e-9) is fits


def test_ratings_are_those_of_the_standard():
    assert {16, 20, 25, 32, 40, 50, 63} <= set(RATED_A)
    assert not {15, 30} & set(RATED_A)


def test_loads_become_amperes_at_the_low_end():
    setup = put(new_setup("lfp", 16, 280.0, 2), {"usage.continuous_w": 4600.0})
    # 4600 W / 92 % = 5000 W at 16 x 2.90 V, halved between two packs
    assert currents.battery_w_to_a(setup, 4600.0) == pytest.approx(5000.0 / 46.4 / 2)


def test_the_bms_opens_by_its_two_levels():
    setup = new_setup("lfp", 16, 280.0)  # 140 A after 10 s, the short circuit after 300 us
    fast = setup.protection.short_circuit
    assert fast
    assert currents.bms_opens_after_s(setup, 139.0) == inf
    assert currents.bms_opens_after_s(setup, 200.0) == 10.0
    assert currents.bms_opens_after_s(setup, fast.trip_a + 1) == pytest.approx(300e-6)


def test_a_new_setup_is_coordinated_and_a_late_bms_is_not():
    sound = new_setup("lfp", 16, 280.0)
    assert currents.fuse_first(sound) is None
    assert currents.lead_first(sound) is None
    late = put(sound, {"protection.short_circuit.trip_a": 2000.0})
    between = currents.fuse_first(late)
    assert between
    assert between[0] == pytest.approx(GATES_A[200][0], rel=0.03)  # from the fuse's 10 s gate on
    thin = currents.lead_first(put(sound, {"wiring.fuse_a": 630.0}))
    assert thin
    assert ruined_after_s(thin, 50) < melts_after_s(thin, 630)[1]


def test_the_chart_has_every_curve_the_setup_gives():
    setup = put(
        new_setup("lfp", 16, 280.0),
        {
            "usage": {"continuous_w": 3000.0, "inrush_w": 9000.0, "inrush_s": 1.0},
            "cell.pulse_discharge_a": 500.0,
            "cell.pulse_s": 5.0,
        },
    )
    kinds = [line.kind for line in currents.lines(setup)]
    assert kinds.count("fuse") == 2
    assert {"bms", "lead", "cell", "load"} <= set(kinds)
    assert all(line.points for line in currents.lines(setup))
    assert all(line.source for line in currents.lines(setup))
    bare = put(
        setup,
        {
            "wiring": None,
            "usage": None,
            "protection.short_circuit": None,
            "protection.discharge_over_current": None,
            "cell.max_discharge_a": None,
        },
    )
    assert currents.lines(bare) == []
