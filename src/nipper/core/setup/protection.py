"""The BMS's protection limits."""

from nipper.core.setup.part import (
    AMPS,
    ANY,
    CELL_V,
    CELSIUS,
    MICROSECONDS,
    PACK_V,
    SECONDS,
    Part,
    number,
    optional,
    part,
)

WARNS = "warns; nothing is switched"
LASTS = "how long the current must last before it acts"
STAYS_OFF = "how long it stays off before it tries again"


class VoltageLimit(Part):
    """A voltage protection as the BMS holds it: warns, acts at the trip, ends at the release."""

    alarm_v: float | None = optional(PACK_V, "alarm", WARNS)
    trip_v: float = number(PACK_V, "trip", "switches off after the delay")
    release_v: float = number(PACK_V, "release", "switches on again")
    delay_s: float = number(SECONDS, "delay", "how long the trip must last before it acts", 2.0)


class CellVoltageLimit(VoltageLimit):
    """The same, of one cell."""

    alarm_v: float | None = optional(CELL_V, "alarm", WARNS)
    trip_v: float = number(CELL_V, "trip", "switches off after the delay")
    release_v: float = number(CELL_V, "release", "switches on again")


class CurrentLimit(Part):
    """An over-current protection: acts when the current has been above the trip for the delay."""

    alarm_a: float | None = optional(AMPS, "alarm", WARNS)
    trip_a: float = number(AMPS, "trip", "switches off after the delay")
    delay_s: float = number(SECONDS, "delay", LASTS, 10.0)
    release_s: float = number(SECONDS, "recovery", STAYS_OFF, 60.0)


class ShortCircuit(Part):
    """The fast protection: acts within microseconds, below what the switches can break."""

    trip_a: float = number(AMPS, "trip", "switches off at once")
    delay_us: float = number(MICROSECONDS, "delay", LASTS, 300.0)
    release_s: float = number(SECONDS, "recovery", STAYS_OFF, 60.0)


class TemperatureLimit(Part):
    """A temperature protection: switches off at the trip, on again at the release."""

    alarm_c: float | None = optional(CELSIUS, "alarm", WARNS)
    trip_c: float = number(CELSIUS, "trip", "switches off")
    release_c: float = number(CELSIUS, "release", "switches on again")


class Protection(Part):
    """The BMS's protection limits."""

    cell_over_voltage: CellVoltageLimit = number(ANY, "Cell over-voltage")
    cell_under_voltage: CellVoltageLimit = number(ANY, "Cell under-voltage")
    pack_over_voltage: VoltageLimit | None = part("Pack over-voltage")
    pack_under_voltage: VoltageLimit | None = part("Pack under-voltage")
    charge_over_current: CurrentLimit | None = part("Charge over-current")
    discharge_over_current: CurrentLimit | None = part("Discharge over-current")
    short_circuit: ShortCircuit | None = part("Short circuit")
    charge_over_temperature: TemperatureLimit | None = part("Charge over-temperature")
    charge_under_temperature: TemperatureLimit | None = part("Charge under-temperature")
    discharge_over_temperature: TemperatureLimit | None = part("Discharge over-temperature")
    discharge_under_temperature: TemperatureLimit | None = part("Discharge under-temperature")
    mosfet_over_temperature: TemperatureLimit | None = part("MOSFET over-temperature")
    soc_full_v: float | None = optional(
        CELL_V, "100 % reference", "cell voltage that resets the charge counter to full"
    )
    soc_empty_v: float | None = optional(
        CELL_V, "0 % reference", "cell voltage that resets the charge counter to empty"
    )
    power_off_v: float | None = optional(
        CELL_V, "power-off", "the BMS turns itself off: nothing but a charger wakes it"
    )
