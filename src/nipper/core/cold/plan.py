"""Where the cutoff of the charge comes from and at what it should stand: the BMS, the charger's own
sensor, or a relay.
"""

from dataclasses import dataclass
from math import ceil

from nipper.core.setup import Setup

FREEZING_C = 0.0
SENSOR_ERROR_C = 1.0  # of a BMS's thermistor: common practice
UNSEEN_C = 1.0  # between the sensor and the coldest cell where no log says more: common practice
OUTSIDE_STOP_C, HYSTERESIS_C = 5.0, 1.0  # of an external sensor: common practice
CONTACT = 1.25  # of the charge current, for contacts that close under load: common practice


@dataclass(frozen=True, slots=True)
class ColdPlan:
    """Who stops the charge (``bms``, ``charger``, ``nobody``), the changes that make the charger or
    a relay do it, and the steps.
    """

    who: str
    stand_in: dict[str, object]
    steps: tuple[str, ...]


def safe_trip_c(sensor_error_c: float = SENSOR_ERROR_C, colder_c: float = UNSEEN_C) -> float:
    """The lowest cutoff at which the coldest cell is still above freezing: 0 degC + sensor's error
    + how much colder that cell is than the sensor.
    """
    return FREEZING_C + abs(sensor_error_c) + abs(colder_c)


def plan(setup: Setup) -> ColdPlan:
    """How this bank is kept from being charged in the cold."""
    own, cutoff = setup.protection.charge_under_temperature, setup.charge_cutoff
    stand_in: dict[str, object] = {
        "charging.cold_stop_c": OUTSIDE_STOP_C,
        "charging.cold_resume_c": OUTSIDE_STOP_C + HYSTERESIS_C,
    }
    if setup.other_chargers:
        covered = [
            c.model_copy(update={"cold_stop_c": OUTSIDE_STOP_C}) for c in setup.other_chargers
        ]
        stand_in["other_chargers"] = [c.model_dump(exclude_none=True) for c in covered]
    if own is not None:
        who = "bms"
    elif cutoff is not None:
        who = "charger"
    else:
        who = "nobody"
    if who == "bms":
        return ColdPlan(who, stand_in, ())
    stop_c, resume_c = (
        (cutoff.trip_c, cutoff.release_c)
        if cutoff
        else (OUTSIDE_STOP_C, OUTSIDE_STOP_C + HYSTERESIS_C)
    )
    charging, n = setup.charging, setup.cells
    amps = charging.max_charge_a if charging and charging.max_charge_a else 0.2 * setup.bank_ah
    volts = charging.absorption_v if charging else 3.65 * n
    sources = 1 + len(setup.other_chargers)
    each = f"each of the {sources} chargers" if sources > 1 else "the charger"
    return ColdPlan(
        who,
        stand_in,
        (
            f"A charger with an external sensor: stop at {stop_c:g} °C, resume at "
            f"{resume_c:g} °C, its sensor taped to the coldest cell, nearest the outer "
            "wall.",
            f"Or a relay with a thermostat in the lead of {each}: contacts for "
            f"{ceil(CONTACT * amps)} A, {ceil(volts)} V direct current, open when "
            "unpowered.",
            "Better in the charger's PV or AC side, or its remote-off input: direct "
            "current of that size is hard to break.",
            "Every source of charge needs it: the sun, shore power, a generator, an "
            "alternator. Loads stay on.",
            f"Then prove it as any other: a bath well below {stop_c:g} °C, and once more "
            f"for {each}.",
        ),
    )
