"""How fast a cell may be charged at a temperature: the setup's own table, else the usual one.

The cell's sheet overrides both.
"""

from collections.abc import Sequence

from nipper.core.chemistry import chemistry
from nipper.core.setup import RateStep, Setup

COMMON = "common practice"
# none below 0 degC, at most 0.2C to 10 degC, up to 0.5C above: common practice; half of it within
# the margin of 2 K over freezing, where plating is nearest
USUAL: dict[str, tuple[tuple[float, float], ...]] = {
    "lfp": ((0.0, 0.1), (2.0, 0.2), (10.0, 0.5)),
    # less above 45 degC as well: the zones in use for 4.2 V cells, from memory
    "nmc": ((0.0, 0.1), (2.0, 0.2), (10.0, 0.5), (45.0, 0.25)),
    # a titanate anode does not plate: from memory of data sheets
    "lto": ((-30.0, 0.5), (0.0, 1.0)),
}
SOURCE = {
    "lfp": COMMON,
    "nmc": "zones as used for 4.2 V cells, from memory",
    "lto": "data sheets, from memory",
}


def usual_rates(setup: Setup) -> tuple[RateStep, ...]:
    """The usual table of the chemistry."""
    return tuple(RateStep(from_c=c, c_rate=rate) for c, rate in USUAL[setup.chemistry])


def rates(setup: Setup) -> tuple[tuple[RateStep, ...], str]:
    """The table in force, and where it comes from."""
    own = setup.charging.rates if setup.charging else ()
    return (own, "as entered") if own else (usual_rates(setup), SOURCE[setup.chemistry])


def hot_end_c(setup: Setup) -> float:
    """Where the heat ends the charge: the pack's own limit, never above the usual one."""
    usual_c = chemistry(setup.chemistry).usual["charge_hot_trip_c"].value
    own = setup.protection.charge_over_temperature
    return min(usual_c, own.trip_c) if own else usual_c


def rate_at(setup: Setup, temp_c: float) -> float:
    """The most the table allows at a temperature, as a share of capacity an hour.

    0 below its first step, and from the heat's end on.
    """
    return rates_over(setup, [temp_c])[0]


def rates_over(setup: Setup, temps_c: Sequence[float]) -> list[float]:
    """The same at many temperatures."""
    table, hot_c = rates(setup)[0], hot_end_c(setup)
    return [0.0 if temp_c >= hot_c else _at(table, temp_c) for temp_c in temps_c]


def coldest_charge_c(setup: Setup) -> float:
    """From which temperature on the table allows any charge (a rate of 0 is none); by the usual one
    where the own allows none at all.
    """
    own, usual = (
        [s.from_c for s in t if s.c_rate > 0.0] for t in (rates(setup)[0], usual_rates(setup))
    )
    return min(own or usual)


def usual_rate_at(setup: Setup, temp_c: float) -> float:
    """The same by the usual table of the chemistry."""
    return 0.0 if temp_c >= hot_end_c(setup) else _at(usual_rates(setup), temp_c)


def _at(table: tuple[RateStep, ...], temp_c: float) -> float:
    """Of two steps at one temperature the lower counts."""
    reached = [step for step in table if temp_c >= step.from_c]
    last_c = max((step.from_c for step in reached), default=None)
    return min((step.c_rate for step in reached if step.from_c == last_c), default=0.0)


def charger_rate(setup: Setup) -> float | None:
    """What the main charger gives, as a share of the bank's capacity an hour; None where it is not
    said.
    """
    amps = setup.charging.max_charge_a if setup.charging else None
    return amps / (setup.bank_ah) if amps else None


def most_a(setup: Setup, temp_c: float) -> float:
    """The same in amperes for the whole bank, and never above what the cells' sheet allows."""
    amps = rate_at(setup, temp_c) * setup.capacity_ah
    if setup.sheet_charge_a:
        amps = min(amps, setup.sheet_charge_a)
    return amps * setup.packs_in_parallel
