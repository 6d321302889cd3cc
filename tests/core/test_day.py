"""A day's charge from the kernel, and the words of Charge."""

import numpy as np
import pytest

from nipper.core.forecast.autonomy import autonomy
from nipper.core.forecast.day import SEASONS, charge_day
from nipper.core.presets import new_setup
from nipper.core.report.charge import charge_sentence, clock, of_charge
from nipper.core.report.consequence import Status, of_finding
from nipper.core.rules import check
from nipper.core.setup import put
from nipper.core.simulate.build import bank_wh

SETUP = put(new_setup("lfp", 16, 280.0), {"usage": {"kwh_per_day": 4.0}, "charging.tail_a": None})


@pytest.fixture(scope="module")
def clear():
    return charge_day(SETUP, {})


def test_a_clear_day_goes_through_the_stages_in_order(clear):
    names = [s.name for s in clear.stages]
    assert names[:3] == ["bulk", "absorption", "float"]
    assert all(
        a.end_h <= b.start_h + 1e-6 for a, b in zip(clear.stages, clear.stages[1:], strict=False)
    )
    assert clear.absorption_h < clear.full_h
    # absorption is timed: two hours as set
    assert clear.full_h - clear.absorption_h == pytest.approx(2.0, abs=0.1)
    assert not clear.trips


def test_the_charger_never_gives_more_than_it_may_nor_than_the_sun(clear):
    assert clear.current_a.max() <= SETUP.charging.max_charge_a + 0.2
    assert np.all(clear.current_a <= clear.could_a + 1.0)
    assert clear.highest_v.max() < SETUP.protection.cell_over_voltage.trip_v
    assert np.all(clear.highest_v >= clear.cell_v - 1e-4)


def test_charge_at_midnight_goes_round(clear):
    """Three like days come to a round: the evening ends near where the morning began."""
    assert clear.soc_pct[-1] == pytest.approx(clear.soc_pct[0], abs=4.0)


def test_the_season_decides_how_much_sun_there_is():
    peak = {season: charge_day(SETUP, {}, season=season).could_a.max() for season in SEASONS}
    assert peak["midsummer"] > peak["March"] > peak["midwinter"] > 0.0


def test_clouds_and_large_loads_leave_it_unfilled():
    day = charge_day(
        put(SETUP, {"usage.kwh_per_day": 0.8 * bank_wh(SETUP) / 1e3}),
        {},
        season="midwinter",
        weather="cloudy",
    )
    assert day.full_h is None
    status, words = charge_sentence(SETUP, day)
    assert status is Status.WATCH
    assert "cloudy day in midwinter" in words


def test_a_higher_second_charger_goes_on_longest():
    both = put(
        SETUP,
        {"other_chargers": [{"name": "generator", "absorption_v": 57.0, "max_charge_a": 40.0}]},
    )
    day = charge_day(both, {})
    assert day.highest_v.max() > 57.0 / 16 - 0.005
    told = of_charge(both, [], day, None)
    assert any("The generator goes on longest, to 57.00 V" in c.lead for c in told)


def test_a_target_beyond_the_trip_is_foretold_by_the_day_too():
    high = put(SETUP, {"charging.absorption_v": 58.6, "protection.pack_over_voltage": None})
    day = charge_day(high, {})
    assert any(t.protection == "cell_over_voltage" for t in day.trips)
    status, words = charge_sentence(high, day)
    assert status is Status.ACT
    assert "a trip" in words


def test_what_follows_puts_the_serious_first(clear):
    told = of_charge(
        put(SETUP, {"charging.float_v": 57.0}),
        [of_finding(f) for f in check(put(SETUP, {"charging.float_v": 57.0}))],
        clear,
        autonomy(SETUP, {}),
    )
    order = [{Status.ACT: 0, Status.WATCH: 1}.get(c.status, 2) for c in told]
    assert order == sorted(order)
    assert order[0] == 0
    assert any("last" in c.lead and "days without any sun" in c.lead for c in told)


def test_words_of_the_clock_and_of_no_charger():
    assert clock(14.339) == "14:20"
    assert clock(9.0) == "9:00"
    assert charge_sentence(put(SETUP, {"charging": None}), None) == (
        Status.NONE,
        "no charger is described",
    )
    assert charge_sentence(SETUP, None)[1] == "0.20C"
