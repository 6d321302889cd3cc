"""What the bank feeds, one by one: watts or running amperes by the hours a day."""

from nipper.core.chemistry import chemistry
from nipper.core.setup import Load, Setup

INVERTER = 0.92  # common practice


def nominal_v(setup: Setup) -> float:
    """Nominal voltage of the bank, V."""
    return chemistry(setup.chemistry).nominal_v * setup.cells


def battery_w(setup: Setup, load: Load) -> float:
    """What a load takes from the bank while it runs, W: amperes are the battery's own, watts are at
    the inverter's output.
    """
    if load.amps is not None:
        return load.amps * nominal_v(setup)
    return (load.watts or 0.0) / INVERTER


def listed_kwh(setup: Setup) -> float | None:
    """What the listed loads take a day, as it were at the inverter's output, kWh; None where none
    is listed that takes anything.
    """
    loads = setup.usage.loads if setup.usage else ()
    drawn_wh = sum(battery_w(setup, load) * load.hours_per_day for load in loads)
    return drawn_wh * INVERTER / 1e3 or None


def entered_kwh(setup: Setup) -> float | None:
    """The loads of a day as entered, in one number or one by one, kWh; None where neither was."""
    return (setup.usage.kwh_per_day if setup.usage else None) or listed_kwh(setup)


def charged_kwh(setup: Setup) -> float:
    """What the chargers with hours of their own can give a day, kWh: the other chargers beside the
    sun.
    """
    watts_h = sum(
        charger.max_charge_a * nominal_v(setup) * charger.hours_on
        for charger in setup.other_chargers
    )
    return watts_h / 1e3
