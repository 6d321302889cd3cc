"""The words of Charge: its sentence, and what follows from rates, strings, the day and the energy
budget.
"""

from collections.abc import Sequence

from nipper.core.forecast.autonomy import Autonomy
from nipper.core.forecast.day import Day
from nipper.core.report.consequence import Consequence, Status
from nipper.core.setup import Setup
from nipper.core.simulate.sky import Place

WINTER = "midwinter"


def clock(hour: float) -> str:
    """An hour of the day as 14:20."""
    minutes = round(60.0 * hour) % 1440
    return f"{minutes // 60}:{minutes % 60:02d}"


def sky(day: Day) -> str:
    """Which day it was."""
    return f"on a {day.weather} day in {day.season}"


def charge_sentence(setup: Setup, day: Day | None, which: bool = True) -> tuple[Status, str]:
    """How fast it charges, and when it is full; with ``which``, on what day."""
    charging = setup.charging
    if charging is None:
        return Status.NONE, "no charger is described"
    amps, bank_ah = charging.max_charge_a, setup.bank_ah
    rate = f"{amps / bank_ah:.2f}C" if amps else f"{charging.absorption_v:.1f} V"
    if day is None:
        return Status.NONE, rate
    status, words = _fills(day)
    return status, f"{rate} · {words} {sky(day)}" if which else f"{rate} · {words}"


def _fills(day: Day) -> tuple[Status, str]:
    if any(
        t.protection != "charge_under_temperature" and "under" not in t.protection
        for t in day.trips
    ):
        return Status.ACT, "a trip"
    if day.full_h is not None:
        return Status.OK, f"full by {clock(day.full_h)}"
    if day.absorption_h is not None:
        return Status.WATCH, f"absorption from {clock(day.absorption_h)} and not done"
    return Status.WATCH, f"only to {day.soc_pct.max():.0f} %"


def of_charge(
    setup: Setup, rules: Sequence[Consequence], day: Day | None, budget: Autonomy | None
) -> list[Consequence]:
    """The rules that speak of charging, then the day, then the budget."""
    out = list(rules)
    if day is not None:
        out += _of_day(setup, day)
    if budget is not None:
        out += _of_budget(budget)
    return sorted(out, key=lambda c: {Status.ACT: 0, Status.WATCH: 1}.get(c.status, 2))


def _of_day(setup: Setup, day: Day) -> list[Consequence]:
    status, words = _fills(day)
    held = sum(s.end_h - s.start_h for s in day.stages if s.name == "absorption")
    lead = f"{words[0].upper()}{words[1:]} {sky(day)}."
    top = (
        f"From {day.soc_pct.min():.0f} to {day.soc_pct.max():.0f} %; the highest cell comes "
        f"to {day.highest_v.max():.3f} V"
    )
    text = f"{top}, {60 * held:.0f} min in absorption." if held else f"{top}."
    out = [
        Consequence(
            status, lead, text, place="the third of three such days, run on a copy of this bank"
        )
    ]
    if day.not_taken_kwh > 0.2:
        out.append(
            Consequence(
                Status.OK,
                f"{day.not_taken_kwh:.1f} kWh of that day's sun are not taken.",
                "Turning loads on in absorption uses them, and keeps the balancer from "
                "finishing: wait for float.",
                place="simulated",
            )
        )
    if setup.other_chargers and setup.charging:
        out.append(_highest_target(setup))
    return out


def _highest_target(setup: Setup) -> Consequence:
    assert setup.charging
    targets = [
        ("The main charger", setup.charging.absorption_v),
        *((f"The {c.name}", c.absorption_v) for c in setup.other_chargers),
    ]
    name, volts = max(targets, key=lambda t: t[1])
    return Consequence(
        Status.OK,
        f"{name} goes on longest, to {volts:.2f} V.",
        "Chargers with different targets do not fight: the lower one stops first, the "
        "higher goes on.",
        place="arithmetic",
    )


def in_days(value: float | None) -> str:
    """Days as said; None is for ever."""
    return "for ever" if value is None else f"{value:.1f} days"


def _of_budget(budget: Autonomy) -> list[Consequence]:
    place = (
        "loads as entered or from the log"
        if budget.measured
        else "usual loads: enter yours, or import a log"
    )
    others = ", with the other chargers" if budget.charged_kwh else ""
    lasts = in_days(budget.without_sun_days)
    lead = f"{budget.usable_kwh:.1f} kWh last {lasts} without any sun{others}."
    cloudy = in_days(budget.cloudy_winter_days)
    out = [
        Consequence(
            Status.OK,
            lead,
            f"Under winter clouds {cloudy}, at {budget.kwh_per_day:.1f} kWh a day.",
            place=place,
        )
    ]
    days = budget.refill_days.get(WINTER)
    if days is None:
        out.append(
            Consequence(
                Status.WATCH,
                "On clear midwinter days the sun does not carry the loads.",
                f"{budget.sun_w / 1e3:.1f} kW of modules {stands(budget.place)}; steeper "
                "ones give up to twice that in winter.",
                place=place,
                why="Another source, smaller loads, or store the bank at 50 to 60 % and "
                "disconnected.",
            )
        )
    return out


def stands(place: Place) -> str:
    """How and where modules stand, in words."""
    side = "north" if place.latitude_deg >= 0 else "south"
    where = f"at {abs(place.latitude_deg):g}° {side}"
    if place.tilt_deg == 0.0:
        return f"lying flat {where}"
    return f"tilted by {place.tilt_deg:g}° {where}"
