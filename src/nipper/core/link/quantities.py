"""What battery and inverter tell each other: names, units, and between which values each can be
meant.
"""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Quantity:
    """One quantity of a link. Currents of limits are of the whole bank unless a profile says
    otherwise; charging is positive.
    """

    name: str
    title: str
    unit: str
    least: float
    most: float
    says: str = ""


QUANTITIES = (
    Quantity("charge_voltage_limit_v", "charge voltage limit", "V", 1.0, 1000.0,
             "the inverter charges up to this voltage"),
    Quantity("discharge_voltage_limit_v", "discharge voltage limit", "V", 0.5, 1000.0,
             "it stops drawing at this voltage"),
    Quantity("charge_current_limit_a", "charge current limit", "A", 0.0, 10_000.0,
             "of all packs online; it takes the least of this and its own"),
    Quantity("discharge_current_limit_a", "discharge current limit", "A", 0.0, 10_000.0,
             "of all packs online; it takes the least of this and its own"),
    Quantity("soc_pct", "state of charge", "%", 0.0, 100.0, "as the BMS counts it"),
    Quantity("soh_pct", "state of health", "%", 0.0, 100.0, "as the BMS estimates it"),
    Quantity("pack_v", "voltage", "V", 0.5, 1000.0, "of the bank, as measured"),
    Quantity("current_a", "current", "A", -10_000.0, 10_000.0, "of the bank; charging is positive"),
    Quantity("temperature_c", "temperature", "°C", -60.0, 120.0, "of the cells"),
    Quantity("capacity_ah", "capacity", "Ah", 0.1, 100_000.0, "of all packs online"),
    Quantity("packs_online", "packs online", "", 0.0, 64.0, "limits fall with a pack that leaves"),
    Quantity("cells_in_series", "cells in series", "", 1.0, 200.0, "must be the inverter's count"),
    Quantity("highest_cell_v", "highest cell", "V", 0.05, 6.0, ""),
    Quantity("lowest_cell_v", "lowest cell", "V", 0.05, 6.0, ""),
    Quantity("alarms", "alarms", "", 0.0, 4_294_967_295.0, "each bit is one; 0: none"),
    Quantity("charge_allowed", "charge allowed", "", 0.0, 1.0, "0: the BMS has charging off"),
    Quantity("discharge_allowed", "discharge allowed", "", 0.0, 1.0, "0: discharging is off"),
    Quantity("alive", "counter", "", 0.0, 4_294_967_295.0, "must go on; one that stands is a "
             "BMS that hangs"),
)  # fmt: skip
BY_NAME = {q.name: q for q in QUANTITIES}
NEEDED = (
    *("charge_voltage_limit_v", "charge_current_limit_a", "discharge_current_limit_a"),
    *("soc_pct", "pack_v", "current_a", "temperature_c"),
)  # without one of these a closed loop is not closed: common practice
