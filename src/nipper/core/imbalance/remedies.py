"""Remedies in numbers: which cell, how many ampere-hours, through what, how many watts and hours,
and when to stop.
"""

import math
from dataclasses import dataclass

from nipper.core.chemistry import chemistry
from nipper.core.setup import Setup

E12_OHM = tuple(
    d * 10.0**e
    for e in (-1, 0, 1)
    for d in (1.0, 1.2, 1.5, 1.8, 2.2, 2.7, 3.3, 3.9, 4.7, 5.6, 6.8, 8.2)
)  # IEC 60063, from memory
BLEED_W = 12.0  # a resistor or lamp this warm can be had and watched at a bench: common practice
STOP_SOC = 15.0  # a forgotten resistor empties a cell for good: far above that end (from memory)
SURE_SHARE = 0.75  # of an amount: less than this beyond doubt, and only that much is moved at first
MOST_OPEN_SHARE = 0.03  # of capacity: more beyond what is needed would set the cell ahead
CAUTION = (
    "Disconnect the pack and fuse the lead; insulated tools, no rings. The cell maker's "
    "sheet overrides these numbers."
)


@dataclass(frozen=True, slots=True)
class Bleed:
    """Taking charge out of one cell through a resistor or lamp."""

    ah: float
    resistor_ohm: float
    current_a: float
    power_w: float
    hours: float
    stop_v: float

    def sentence(self, cell: int) -> str:
        """As said to a builder."""
        return (
            f"Bleed {self.ah:.1f} Ah from cell {cell}: {self.resistor_ohm:g} Ω across it "
            f"draws about {self.current_a:.1f} A "
            f"({self.power_w:.0f} W, it gets hot) for {_hours(self.hours)}. Stay with it; take "
            f"it off at {self.stop_v:.2f} V, whatever the clock says."
        )


def bleed(ah: float, setup: Setup) -> Bleed:
    """The resistor of the E12 row that stays under a comfortable power, and the time it takes.

    current = V / R at the nominal voltage of the plateau, power = V2 / R, hours = Ah / current.
    """
    curve = chemistry(setup.chemistry).curve
    volts = float(curve.ocv(60.0))
    most_a = setup.sheet_discharge_a or math.inf
    fits = (r for r in E12_OHM if volts**2 / r <= BLEED_W and volts / r <= most_a)
    resistor = next(fits, E12_OHM[-1])
    current = volts / resistor
    stop_v = max(math.floor(20.0 * float(curve.ocv(STOP_SOC))) / 20.0, setup.cell.min_v or 0.0)
    return Bleed(ah, resistor, current, volts**2 / resistor, ah / current, stop_v)


@dataclass(frozen=True, slots=True)
class Feed:
    """Putting charge into one cell from a bench supply."""

    ah: float
    supply_v: float
    current_a: float
    hours: float
    least_c: float

    def sentence(self, cell: int) -> str:
        """As said to a builder."""
        return (
            f"Feed cell {cell} with {self.ah:.1f} Ah: bench supply set to "
            f"{self.supply_v:.2f} V and {self.current_a:g} A before it is "
            f"connected, about {_hours(self.hours)}, pack at rest and no colder than "
            f"{self.least_c:g} °C: past the BMS nothing else guards the cell. Stop at "
            f"{self.ah:.1f} Ah, or when the current has fallen to a tenth."
        )


def feed(ah: float, setup: Setup) -> Feed:
    """A bench supply's settings: under the sheet's voltage and current, a twentieth of the capacity
    or 10 A; and how cold the cell may be, which no BMS watches there.
    """
    chem = chemistry(setup.chemistry)
    top = min(
        v for v in (chem.max_v, setup.cell.max_v, setup.protection.cell_over_voltage.trip_v) if v
    )
    most = min(10.0, 0.05 * setup.capacity_ah, setup.sheet_charge_a or math.inf)
    current = max(0.01, math.floor(most * 100.0) / 100.0)
    cutoff = setup.protection.charge_under_temperature
    least_c = max(chem.usual["charge_cold_trip_c"].value, cutoff.trip_c if cutoff else -math.inf)
    return Feed(ah, round(top - 0.05, 2), current, ah / current, least_c)


@dataclass(frozen=True, slots=True)
class TopEnd:
    """Cells (from 1) that stood highest and lowest at the end of the last full charges, and the
    voltages they usually stood at; NaN where there was none.
    """

    highest: frozenset[int] = frozenset()
    lowest: frozenset[int] = frozenset()
    highest_v: float = math.nan
    lowest_v: float = math.nan

    @property
    def deviation_mv(self) -> float:
        """Between the highest and the lowest."""
        return 1e3 * (self.highest_v - self.lowest_v)


@dataclass(frozen=True, slots=True)
class Move:
    """Charge to be put into a cell (from 1), Ah, or taken out (below 0); 0 where it must not be."""

    cell: int
    ah: float
    sentence: str


def level(cell: int, ah: float, sure_ah: float, setup: Setup, end: TopEnd) -> Move:
    """How to level one cell: the last guard against feeding a full one, whatever an estimate says.

    Parameters
    ----------
    cell : from 1
    ah : its charge against the others, + = fuller
    sure_ah : the part of it that is beyond doubt, of the same sign; moved first where the rest is
        open
    end : what the voltages themselves say
    """
    wrong = end.highest if ah < 0 else end.lowest
    if cell in wrong:
        return Move(
            cell,
            0.0,
            f"{'Do not feed' if ah < 0 else 'Do not bleed'} cell {cell}: it is the "
            f"{'highest' if ah < 0 else 'lowest'} at the end of charge. Measure it at its poles "
            "first: its voltage and its counted charge contradict each other.",
        )
    open_ah = min((1.0 - SURE_SHARE) * abs(ah), MOST_OPEN_SHARE * setup.capacity_ah)
    first = sure_ah if abs(ah) - abs(sure_ah) > open_ah else ah
    way = bleed(first, setup) if ah > 0 else feed(-first, setup)
    if first == ah:
        return Move(cell, -first, way.sentence(cell))
    return Move(
        cell,
        -first,
        f"{way.sentence(cell)} So much is sure; it may be {abs(ah):.0f} Ah and more: charge fully "
        f"and read again before moving the rest.{_beside_full_ones(way, setup)}",
    )


def _beside_full_ones(way: Bleed | Feed, setup: Setup) -> str:
    """How to level one that is behind by nobody knows how much: the others are the measure, while
    they are full (common practice).
    """
    if not setup.charging or isinstance(way, Bleed):
        return ""
    volts = min(setup.charging.absorption_v / setup.cells, way.supply_v)
    return (
        f" Or begin right after a full charge, with the supply at {volts:.2f} V, where the charger "
        "holds the others: when the current has fallen to a tenth, it is as full as they are. Stay "
        f"with it; stop if it grows warm, or past {setup.capacity_ah:g} Ah: then it does not keep "
        "what it takes."
    )


def _hours(hours: float) -> str:
    if hours < 1.5:
        return f"{hours * 60:.0f} min"
    if hours >= 10:
        return f"{hours:.0f} h"
    return f"{hours:.1f} h"
