"""How long the bank lasts without sun and under clouds, and how long it takes to fill again."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from nipper.core.chemistry import chemistry
from nipper.core.forecast.plan import Known
from nipper.core.forecast.twin import habits, place_of, usual_habits
from nipper.core.setup import Setup
from nipper.core.simulate.sky import (
    CLEARNESS,
    Place,
    ambient_c,
    clear_sky_w_m2,
    cos_zenith,
    module_power,
    season_day,
)
from nipper.core.sources.loads import INVERTER, charged_kwh, entered_kwh
from nipper.core.sources.openloop import charge_a
from nipper.core.sources.solar import as_set

CHARGER = 0.96  # of a PV charger: common practice
# of the air, over the year and the day: temperate places, from memory
MEAN_AIR_C, SEASON_K, DAY_K = 11.0, 9.0, 5.0
MIDWINTER, MIDSUMMER, EQUINOX = 355, 172, 80  # day of the year


# the middle of each month, day of the year
MIDDLES = (15, 46, 75, 105, 135, 166, 196, 227, 258, 288, 319, 349)


@dataclass(frozen=True, slots=True)
class Month:
    """What the sun gives on a day of a month, kWh, by the sky."""

    clear_kwh: float
    mixed_kwh: float
    cloudy_kwh: float


@dataclass(frozen=True, slots=True)
class Autonomy:
    """A bank's energy budget. ``days_*`` None: it never runs out under that sky."""

    usable_kwh: float
    kwh_per_day: float
    measured: bool  # whether the loads are from a log or entered, not merely usual
    sun_w: float
    without_sun_days: float | None
    charged_kwh: float  # a day by the other chargers, in the hours that are said of them
    cloudy_winter_days: float | None
    cloudy_summer_days: float | None
    c_rate: float
    refill_h: float  # from empty, at the full charge current
    refill_days: dict[str, float | None]  # on clear days, loads running, by season; None: never
    drawn_kwh: float  # a day from the bank, the inverter's loss with it
    place: Place
    months: tuple["Month", ...]  # of the middle of each, January first


def usable_kwh(setup: Setup) -> float:
    """Energy between the full charge and the under-voltage trip, of all packs, at rest voltage,
    kWh.
    """
    curve = chemistry(setup.chemistry).curve
    full_v = (
        setup.charging.absorption_v / setup.cells
        if setup.charging
        else chemistry(setup.chemistry).usual["absorption_v"].value
    )
    top = min(100.0, float(curve.soc(min(full_v, chemistry(setup.chemistry).max_v))))
    bottom = float(curve.soc(setup.protection.cell_under_voltage.trip_v))
    pct = np.linspace(bottom, top, 200)
    mean_v = float(np.mean(curve.ocv(pct)))
    return (top - bottom) / 100.0 * setup.bank_ah * mean_v * setup.cells / 1e3


def day_kwh(pv_w: float, place: Place, day_of_year: int, share: float) -> float:
    """What modules give on a day, kWh: a clear sky by the share that comes through, heat and
    reflection off.
    """
    hour = np.arange(0.0, 24.0, 0.1)
    day = np.full_like(hour, day_of_year)
    high = cos_zenith(day, hour, place.latitude_deg)
    air_c = ambient_c(season_day(day, place.latitude_deg), hour, MEAN_AIR_C, SEASON_K, DAY_K)
    # clouds take from the light before it can warm the modules
    power = module_power(share * clear_sky_w_m2(high, day), day, hour, place, air_c)
    return float(pv_w * power.sum() * 0.1 / 1e3 * CHARGER)


def standby_kwh(setup: Setup) -> float:
    """What all BMS and what they feed draw a day by themselves, kWh."""
    watts = setup.wiring.standby_w if setup.wiring and setup.wiring.standby_w else 0.0
    return watts * setup.packs_in_parallel * 24.0 / 1e3


def runs_h(setup: Setup, watts: float) -> float:
    """How long a load at the inverter's output runs from full to the under-voltage trip, h."""
    return usable_kwh(setup) * 1e3 * INVERTER / watts


def sun_w(setup: Setup) -> float | None:
    """Peak power of the modules that are wired, as far as the input takes it; None without modules
    entered.
    """
    wired = as_set(setup)
    return None if wired is None else wired.usable_w


def autonomy(setup: Setup, known: Mapping[int, Known]) -> Autonomy:
    """The budget of this bank: loads as entered, else from the logs, else usual ones; the sun
    likewise.
    """
    usual, seen = usual_habits(setup), habits(known)
    entered = entered_kwh(setup)
    load = entered or seen.load_kwh_per_day or usual.load_kwh_per_day or 1.0
    peak_w = sun_w(setup) or seen.sun_w or usual.sun_w or 0.0
    usable = usable_kwh(setup)
    # what a log shows drawn holds the standby already
    standby = 0.0 if not entered and seen.load_kwh_per_day else standby_kwh(setup)
    drawn = load / INVERTER + standby
    amps, place = charge_a(setup), place_of(setup)
    charged = charged_kwh(setup)

    def lasts(day: int, weather: str) -> float | None:
        short = drawn - charged - day_kwh(peak_w, place, day, CLEARNESS[weather][0])
        return usable / short if short > 0.0 else None

    def refills(day: int) -> float | None:
        surplus = day_kwh(peak_w, place, day, CLEARNESS["clear"][0]) + charged - drawn
        return usable / surplus if surplus > 0.001 * usable else None

    return Autonomy(
        usable_kwh=usable,
        kwh_per_day=load,
        measured=bool(entered or seen.load_kwh_per_day),
        sun_w=peak_w,
        without_sun_days=usable / (drawn - charged) if drawn > charged else None,
        charged_kwh=charged,
        cloudy_winter_days=lasts(MIDWINTER, "cloudy"),
        cloudy_summer_days=lasts(MIDSUMMER, "cloudy"),
        c_rate=amps / (setup.bank_ah),
        refill_h=setup.bank_ah / amps,
        refill_days={
            "midsummer": refills(MIDSUMMER),
            "March": refills(EQUINOX),
            "midwinter": refills(MIDWINTER),
        },
        drawn_kwh=drawn,
        place=place,
        months=tuple(
            Month(*(day_kwh(peak_w, place, day, CLEARNESS[w][0]) for w in CLEARNESS))
            for day in MIDDLES
        ),
    )
