"""Rates, PV strings, the open-loop sheet and the energy budget against worked examples, pvlib's
results and the standard's table.
"""

import csv
import json

import pytest

from nipper.core.forecast.autonomy import INVERTER, autonomy, day_kwh, runs_h, usable_kwh
from nipper.core.presets import new_setup, other_charger
from nipper.core.rules import check
from nipper.core.setup import Module, put
from nipper.core.simulate.sky import Place
from nipper.core.sources import openloop, solar
from nipper.core.sources.rates import most_a, rate_at, rates
from tests.conftest import REFERENCE
from tests.core.test_rules import pv

PV = json.loads((REFERENCE / "pv_examples.json").read_text())
WORKED = json.loads((REFERENCE / "arithmetic.json").read_text())


def rows(name: str) -> list[dict[str, str]]:
    with (REFERENCE / name).open() as file:
        return list(csv.DictReader(file))


def made_up() -> Module:
    """The module whose single-diode parameters pvlib 0.16.1 was run with."""
    m = PV["made_up_module"]
    return Module(
        voc_v=m["v_oc_stc_v"], vmp_v=m["v_mp_stc_v"], isc_a=m["i_sc_stc_a"], imp_a=m["i_mp_stc_a"],
        voc_pct_per_k=m["beta_voc_pct_per_k"], vmp_pct_per_k=m["beta_vmp_pct_per_k"],
    )  # fmt: skip


# worked examples: n Voc (1 + beta (T - 25)), with the number of modules that is allowed
def test_cold_strings_agree_with_the_worked_examples():
    given = PV["cold_voc"]["module"]
    module = Module(
        voc_v=given["v_oc_v"],
        vmp_v=41.6,
        isc_a=11.5,
        imp_a=10.9,
        voc_pct_per_k=given["beta_voc_pct_per_k"],
        vmp_pct_per_k=-0.35,
    )
    for row in PV["cold_voc"]["rows"]:
        assert solar.cold_open_v(
            module, row["modules_in_series"], row["coldest_c"]
        ) == pytest.approx(row["string_voc_cold_v"], abs=0.01)
        setup = put(
            new_setup("lfp", 16, 280.0),
            {
                **pv(6, row["modules_in_series"]),
                "solar.tracker.max_v": float(row["limit_v"]),
                "solar.coldest_c": float(row["coldest_c"]),
            },
        )
        here = solar.as_set(setup)
        assert here
        assert bool(here.forbidden) is not row["ok"]
        allowed = [a.in_series for a in solar.arrangements(setup) if not a.forbidden]
        assert max(allowed, default=0) == row["max_modules"]


def test_hot_strings_agree_with_the_worked_examples():
    given = PV["hot_vmp"]["module"]
    module = Module(
        voc_v=49.5,
        vmp_v=given["v_mp_v"],
        isc_a=11.5,
        imp_a=10.9,
        voc_pct_per_k=-0.27,
        vmp_pct_per_k=given["gamma_vmp_pct_per_k"],
    )
    for row in PV["hot_vmp"]["rows"]:
        assert solar.hot_operating_v(
            module, row["modules_in_series"], row["hot_cell_c"]
        ) == pytest.approx(row["string_vmp_hot_v"], rel=1e-3)


# pvlib 0.16.1, calcparams_cec and singlediode(method="lambertw")
def test_the_linear_method_is_within_half_a_per_cent_of_the_diode_model_and_on_the_safe_side():
    for row in rows("pv_module_curve.csv"):
        if row["irradiance_w_m2"] != "1000" or not -40 <= float(row["cell_temp_c"]) <= 25:
            continue
        linear = solar.cold_open_v(made_up(), 1, float(row["cell_temp_c"]))
        assert linear == pytest.approx(float(row["v_oc_v"]), rel=5e-3)
        assert linear >= float(row["v_oc_v"]) * 0.9999
        assert solar.hot_operating_v(made_up(), 1, float(row["cell_temp_c"])) == pytest.approx(
            float(row["v_mp_v"]), rel=5e-3
        )


# NEC table 690.7(A), from memory
def test_the_standards_factor_is_never_below_a_usual_modules():
    for row in rows("nec_690_7.csv"):
        low = float(row["ambient_low_c"])
        assert solar.nec_factor(low) == float(row["factor_nec_from_memory"])
        assert solar.nec_factor(low) >= solar.cold_open_v(made_up(), 1, low) / made_up().voc_v
    assert solar.nec_factor(30.0) == 1.0
    unknown = made_up().model_copy(update={"voc_pct_per_k": 0.0})
    assert solar.cold_open_v(unknown, 2, -10.0) == pytest.approx(2 * unknown.voc_v * 1.14)


# common practice: three panels of 46 V in series on a 150 V input were too many, two in series and
# two strings were right
def test_two_in_series_wins_over_three():
    setup = put(new_setup("lfp", 16, 280.0), pv(4, 3))
    best = solar.arrangements(setup)[0]
    assert (best.in_series, best.in_parallel, best.forbidden, best.doubts) == (2, 2, (), ())
    assert solar.as_set(setup) != best
    assert solar.arrangements(put(setup, {"solar": None})) == []


def test_every_arrangement_is_judged_and_allowed_ones_come_first():
    found = solar.arrangements(put(new_setup("lfp", 16, 280.0), pv(7, 2)))
    assert sorted(a.in_series for a in found) == list(range(1, 8))
    flags = [bool(a.forbidden) for a in found]
    assert flags == sorted(flags)
    assert all(a.in_series * a.in_parallel + a.left == 7 for a in found)


# NEC 690.9 with the 1.25 factor, from memory
def test_strings_in_parallel_need_fuses_from_three_on():
    pv_of = put(new_setup("lfp", 16, 280.0), pv(6, 2)).solar
    assert pv_of
    for row in PV["parallel_strings"]["rows"]:
        fed = pv_of.model_copy(
            update={"module": pv_of.module.model_copy(update={"isc_a": row["isc_a"]})}
        )
        assert solar.back_feed_a(fed, row["strings"]) == pytest.approx(row["back_feed_a"])
        assert (solar.back_feed_a(fed, row["strings"]) > row["series_fuse_a"]) is row["fuse_needed"]
    told = [
        f.message
        for f in check(put(new_setup("lfp", 16, 280.0), pv(6, 2)))
        if f.code == "pv-string"
    ]
    assert any(
        "3 strings in parallel: a faulted one is fed with 29 A" in m for m in told
    )  # 2 x 1.25 x 11.5 A


def test_the_modules_that_ship_are_plausible():
    for module in solar.modules():
        assert module.vmp_v < module.voc_v
        assert module.imp_a < module.isc_a
        assert module.voc_pct_per_k < 0


# common practice: none below 0 degC, at most 0.2C to 10 degC, up to 0.5C above
def test_rates_by_temperature():
    setup = new_setup("lfp", 4, 120.0, 4)
    assert [rate_at(setup, c) for c in (-1.0, 0.0, 2.0, 9.9, 10.0, 30.0)] == [
        0.0,
        0.1,
        0.2,
        0.2,
        0.5,
        0.5,
    ]
    assert most_a(setup, 5.0) == pytest.approx(96.0)  # four packs of 120 Ah, 480 Ah, 0.2C
    own = put(
        setup, {"charging.rates": [{"from_c": 5.0, "c_rate": 0.1}], "cell.max_charge_a": 10.0}
    )
    assert rates(own)[1] == "as entered"
    assert rate_at(own, 4.0) == 0.0
    assert most_a(own, 20.0) == 40.0  # the cell's sheet ends at 10 A, four packs


def test_the_open_loop_sheet_stays_within_every_limit():
    setup = put(
        new_setup("lfp", 16, 280.0, 2),
        {"charging.equalise_v": 56.8, "charging.equalise_every_days": 30.0},
    )
    lines = {v.name: v.text for v in openloop.sheet(setup)}
    assert lines["capacity"] == "560 Ah"
    assert lines["absorption"] == "55.20 V"
    assert lines["temperature compensation"] == "0 mV/K"
    assert lines["low-voltage cut"] == "46.4 V"  # the BMS's low alarm of 2.90 V x 16
    assert openloop.low_cut_v(setup) > 16 * setup.protection.cell_under_voltage.trip_v
    assert openloop.low_restart_v(setup) > openloop.low_cut_v(setup)
    most = openloop.discharge_a(setup)
    assert most
    assert most <= 2 * 140.0 * 0.9
    assert openloop.charge_a(put(setup, {"charging.max_charge_a": None})) <= most_a(setup, 20.0)
    assert (
        openloop.to_csv(openloop.sheet(setup)).splitlines()[0] == "setting,value,one battery,note"
    )
    bare = put(new_setup("nmc", 20, 40.0), {"charging": None, "wiring": None, "link": None})
    assert "absorption" not in {v.name for v in openloop.sheet(bare)}


# worked examples: days = Wh DoD eta / (Wh a day); C-rate = I / C
def test_the_energy_budget_is_the_worked_arithmetic():
    setup = new_setup("lfp", 16, 280.0)
    for row in WORKED["autonomy"]["rows"][:1]:
        assert usable_kwh(setup) * 1e3 == pytest.approx(
            row["wh"], rel=0.02
        )  # 14336 Wh nominal; all of it between full and 2.60 V
        usage = {"kwh_per_day": row["load_wh_per_day"] / 1e3}
        budget = autonomy(put(setup, {"usage": usage, "wiring.standby_w": None}), {})
        assert budget.without_sun_days == pytest.approx(
            row["days"] * usable_kwh(setup) * 1e3 / (row["wh"] * row["dod"]), rel=1e-6
        )
        assert budget.measured
        assert row["eta"] == INVERTER
    for row in WORKED["c_rate"]["rows"][:3]:
        budget = autonomy(
            put(
                setup,
                {
                    "charging.max_charge_a": float(row["current_a"]),
                    "protection.charge_over_current.trip_a": 200.0,
                    "wiring": None,
                },
            ),
            {},
        )
        assert budget.c_rate == pytest.approx(row["c_rate"])
        assert budget.refill_h == pytest.approx(row["hours"])


def test_more_sun_lasts_longer_and_winter_gives_less():
    assert day_kwh(1000.0, Place(), 172, 1.0) > 4 * day_kwh(1000.0, Place(), 355, 1.0)
    assert (
        6.0 < day_kwh(1000.0, Place(), 172, 1.0) < 9.0
    )  # a clear midsummer day at 52 degrees, horizontal: some 8 kWh/m2, common knowledge
    setup = new_setup("lfp", 16, 280.0)
    budget = autonomy(setup, {})
    assert budget.cloudy_winter_days
    assert budget.cloudy_winter_days > budget.without_sun_days
    assert not budget.measured
    rich = autonomy(put(setup, {**pv(20, 2), "usage": {"kwh_per_day": 3.0}}), {})
    assert rich.cloudy_summer_days is None
    assert rich.refill_days["midsummer"]


def test_standby_counts_and_modules_left_over_or_beyond_the_input_do_not():
    setup = put(new_setup("lfp", 16, 280.0, 2), {"usage": {"kwh_per_day": 2.0}, **pv(5, 2)})
    awake = put(setup, {"wiring.standby_w": 10.0})
    plain = autonomy(put(setup, {"wiring.standby_w": None}), {})
    # 2 x 10 W for a day are 0.48 kWh beside 2.0 / 0.92
    assert autonomy(awake, {}).without_sun_days == pytest.approx(
        plain.without_sun_days * (2.0 / 0.92) / (2.0 / 0.92 + 0.48)
    )
    module = setup.solar.module
    assert plain.sun_w == pytest.approx(4 * module.vmp_v * module.imp_a)  # the fifth is left over
    small = autonomy(put(setup, {"solar.tracker.max_w": 600.0}), {})
    assert small.sun_w == 600.0


@pytest.mark.parametrize("chemistry", ["lfp", "nmc", "lto"])
def test_a_second_charger_to_begin_with_is_sound(chemistry):
    """Also without a main charger: by the chemistry, never LFP's voltage on another cell."""
    for setup in (
        new_setup(chemistry, 16, 100.0),
        put(new_setup(chemistry, 16, 100.0), {"charging": None}),
    ):
        made = put(
            setup,
            {"other_chargers": [other_charger(setup, "generator").model_dump(exclude_none=True)]},
        )
        assert not [
            f for f in check(made) if f.code in ("other-charger-against-trip", "chargers-together")
        ]


def test_the_open_loop_sheet_stays_under_main_fuse_leads_and_every_trip():
    bank = new_setup("lfp", 16, 280.0, 4)
    thin = put(bank, {"wiring.main_fuse_a": 125.0, "wiring.main_cable_mm2": 50.0})
    assert openloop.discharge_a(thin) == pytest.approx(0.8 * 125.0)
    assert openloop.charge_a(thin) == pytest.approx(0.8 * 125.0)
    lead = put(bank, {"wiring.main_cable_mm2": 16.0})
    assert openloop.discharge_a(lead) == pytest.approx(90.0)
    high = put(bank, {"protection.pack_under_voltage": {"trip_v": 48.0, "release_v": 50.0}})
    assert openloop.low_cut_v(high) > 48.0
    assert openloop.low_restart_v(high) >= 50.0


@pytest.mark.parametrize("chemistry", ["lfp", "nmc", "lto"])
def test_no_charge_rate_is_allowed_beyond_the_heats_end(chemistry):
    """Common practice: the hottest step of a table ends at the limit of the cell's sheet."""
    setup = new_setup(chemistry, 16, 280.0)
    trip_c = setup.protection.charge_over_temperature.trip_c
    assert rate_at(setup, trip_c - 1.0) > 0.0
    for hot_c in (trip_c, 61.0, 90.0):
        assert rate_at(setup, hot_c) == 0.0
        assert most_a(setup, hot_c) == 0.0
    own = put(setup, {"charging.rates": [{"from_c": 0.0, "c_rate": 0.5}]})
    assert rate_at(own, trip_c) == 0.0
    without = put(setup, {"protection.charge_over_temperature": None})
    assert rate_at(without, 61.0) == 0.0
    early = put(setup, {"protection.charge_over_temperature": {"trip_c": 40.0, "release_c": 35.0}})
    assert rate_at(early, 40.0) == 0.0


def sunny():
    return put(new_setup("lfp", 16, 280.0), pv(6, 2))


def test_steep_modules_give_more_in_winter_and_less_in_summer_and_the_house_sees_it():
    flat = put(sunny(), {"solar.latitude_deg": 52.0})
    steep = put(flat, {"solar.tilt_deg": 65.0})
    away = put(steep, {"solar.facing_deg": 180.0})
    months = [autonomy(s, {}).months for s in (flat, steep, away)]
    assert months[1][11].clear_kwh > 1.8 * months[0][11].clear_kwh  # December
    assert months[1][5].clear_kwh < months[0][5].clear_kwh  # June
    assert months[2][11].clear_kwh < months[0][11].clear_kwh  # turned away from the sun
    south = put(flat, {"solar.latitude_deg": -52.0})
    turned = autonomy(south, {}).months
    assert turned[0].clear_kwh == pytest.approx(months[0][6].clear_kwh, rel=0.1)  # half a year on
    assert all(m.clear_kwh >= m.mixed_kwh >= m.cloudy_kwh for m in turned)


def test_one_load_runs_as_long_as_the_energy_lasts():
    setup = sunny()
    assert runs_h(setup, 1000.0) == pytest.approx(usable_kwh(setup) * 0.92)


def test_a_limit_that_is_set_on_the_ac_side_is_safe_at_an_empty_bank():
    setup = new_setup("lfp", 16, 200.0)
    lines = {value.name: value for value in openloop.sheet(setup)}
    low_v, amps = openloop.low_cut_v(setup), openloop.charge_a(setup)
    ac_a = lines["charge current, AC side"].number
    assert ac_a * 230.0 / low_v <= amps + 1e-9  # even without a loss on the way
    assert ac_a == pytest.approx(amps * low_v / 230.0)
    mains = put(setup, {"link.mains_v": 120.0})
    other = {value.name: value for value in openloop.sheet(mains)}
    assert other["charge current, AC side"].number == pytest.approx(ac_a * 230.0 / 120.0)
    assert "120 V" in other["discharge current, AC side"].why
