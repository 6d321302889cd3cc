"""Loads one by one, and chargers beside the sun, in the bank's budget: against plain arithmetic."""

import pytest

from nipper.core.forecast.autonomy import autonomy, usable_kwh
from nipper.core.presets import new_setup, other_charger
from nipper.core.setup import Load, get, put
from nipper.core.sources.loads import battery_w, charged_kwh, entered_kwh, listed_kwh

BANK = new_setup("lfp", 16, 100.0)  # 51.2 V nominal
FRIDGE = {"name": "fridge", "watts": 92.0, "hours_per_day": 10.0}
PUMP = {"name": "pump", "amps": 10.0, "hours_per_day": 0.5}


def with_loads(*loads):
    return put(BANK, {"usage": {"loads": list(loads)}})


def test_watts_are_at_the_inverter_and_amperes_at_the_battery():
    assert battery_w(BANK, Load(watts=92.0)) == pytest.approx(100.0)  # 92 % efficient
    assert battery_w(BANK, Load(amps=10.0)) == pytest.approx(512.0)
    assert battery_w(BANK, Load(name="nothing said")) == 0.0


def test_their_sum_is_the_day():
    both = with_loads(FRIDGE, PUMP)
    drawn_kwh = 0.1 * 10.0 + 0.512 * 0.5
    assert listed_kwh(both) == pytest.approx(drawn_kwh * 0.92)
    budget = autonomy(both, {})
    assert budget.measured
    assert budget.drawn_kwh == pytest.approx(drawn_kwh + 0.5 * 24 / 1e3, rel=1e-6)  # standby
    assert budget.without_sun_days == pytest.approx(usable_kwh(both) / budget.drawn_kwh)


def test_one_number_goes_before_the_list():
    both = put(with_loads(FRIDGE), {"usage.kwh_per_day": 3.0})
    assert entered_kwh(both) == 3.0
    assert entered_kwh(with_loads(FRIDGE)) == pytest.approx(0.92)
    assert entered_kwh(BANK) is None


def test_a_value_of_a_listed_load_has_a_path():
    assert get(with_loads(FRIDGE), "usage.loads.0.watts") == 92.0
    assert listed_kwh(put(with_loads(FRIDGE), {"usage.loads.0.watts": 46.0})) == pytest.approx(0.46)


def test_several_sources_feed_a_day():
    shore = other_charger(BANK, "shore power").model_dump(exclude_none=True) | {
        "max_charge_a": 10.0
    }
    silent = put(with_loads(FRIDGE), {"other_chargers": [shore]})
    assert charged_kwh(silent) == 0.0  # nobody said when it is on
    two_h = put(silent, {"other_chargers": [{**shore, "on_from_h": 8.0, "on_until_h": 10.0}]})
    assert charged_kwh(two_h) == pytest.approx(0.512 * 2.0)
    night = put(silent, {"other_chargers": [{**shore, "on_from_h": 23.0, "on_until_h": 1.0}]})
    assert charged_kwh(night) == pytest.approx(0.512 * 2.0)
    without, with_it = (autonomy(s, {}) for s in (silent, two_h))
    drawn = without.drawn_kwh
    assert with_it.charged_kwh == pytest.approx(1.024)
    assert with_it.drawn_kwh == drawn
    if drawn > 1.024:
        longer = usable_kwh(BANK) / (drawn - 1.024)
        assert with_it.without_sun_days == pytest.approx(longer)
    else:
        assert with_it.without_sun_days is None
    assert autonomy(put(two_h, {"usage.loads.0.hours_per_day": 1.0}), {}).without_sun_days is None


def test_a_list_that_takes_nothing_is_no_day_of_zero():
    named = with_loads({"name": "only a name"})
    assert entered_kwh(named) is None
    assert autonomy(named, {}).kwh_per_day == autonomy(BANK, {}).kwh_per_day
