"""Waking a pack that cold or low voltage has shut off, step by step, with a supply's limits.

The makers' sheets override all of it.
"""

import math
from dataclasses import dataclass

from nipper.core.chemistry import chemistry
from nipper.core.setup import Setup

UNDER_SHEET_V = 0.05  # of the cell's sheet: a supply's display is off by some hundredths
GENTLE_RATE = 0.05  # of capacity an hour, until every cell is back on its curve: common practice
MOST_A = 10.0  # a small charger of the right voltage: common practice
WARM_C = 10.0  # all cells, before any current: common practice


@dataclass(frozen=True, slots=True)
class Recovery:
    """A supply's limits and the steps."""

    supply_v: float
    supply_a: float
    steps: tuple[str, ...]


def recovery(setup: Setup) -> Recovery:
    """Limits for this pack: the voltage of its float (never above its absorption), a twentieth of
    its capacity or 10 A, whichever is less.
    """
    chem = chemistry(setup.chemistry)
    sheet_v = min(v for v in (chem.max_v, setup.cell.max_v) if v)
    lowest_v = max(v for v in (chem.min_v, setup.cell.min_v) if v)
    per_cell = min(chem.usual["float_v"].value, sheet_v - UNDER_SHEET_V)
    absorption_v = setup.charging.absorption_v if setup.charging else per_cell * setup.cells
    volts = math.floor(10.0 * min(per_cell * setup.cells, absorption_v) + 1e-6) / 10.0
    most_a = min(GENTLE_RATE * setup.capacity_ah, MOST_A, setup.sheet_charge_a or math.inf)
    amps = max(0.01, math.floor(100.0 * most_a + 1e-6) / 100.0)
    amps = math.floor(10.0 * amps) / 10.0 if amps >= 1.0 else amps
    limit = setup.protection.charge_under_temperature
    warm = max(WARM_C, limit.release_c + 2.0 if limit else WARM_C)
    low = setup.protection.cell_under_voltage
    hours = 0.03 * setup.capacity_ah / amps
    return Recovery(
        volts,
        amps,
        (
            f"Bring the whole pack to {warm:g} °C and leave it there for some hours: the "
            "middle cells warm last. Nothing charges below freezing.",
            "Loads off. Look: no swelling, no smell, no wet spot. A cell that was below "
            "its sheet's lowest voltage for days is not charged again.",
            f"Measure every cell. Below {lowest_v:.2f} V on any: stop, and ask the maker. "
            "Cells far apart: feed the low one by itself first.",
            f"Set a supply to {volts:g} V and {amps:g} A before it is connected; then "
            "connect. The BMS wakes on it, or by its button. Do not force it.",
            f"Stay with it for {max(1.0, hours):.0f} h, until every cell is above "
            f"{low.release_v:.2f} V; then the usual charger may go on.",
            "Then find out why: what drew it empty, or why it stood in the cold.",
        ),
    )
