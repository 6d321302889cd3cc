"""A pack that is left alone: how long until it alarms, trips, turns itself off, and is damaged.

Two things empty it: the cells themselves, by some per cent a month that grows with warmth, and
what stays connected. The lowest cell gets there first.
"""

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from nipper.core.chemistry import chemistry
from nipper.core.setup import Setup

if TYPE_CHECKING:
    from nipper.core.imbalance.drift import Drift

# of the charge that is left, a month at 25 degC: common practice (2 to 3 %), from memory of sheets
PCT_PER_MONTH = {"lfp": 2.5, "nmc": 2.5, "lto": 3.0}
DOUBLES_K = 10.0  # warmer by so much it loses twice as much: common rule, from memory
MONTH_DAYS = 30.4
TARGET_PCT = (50.0, 60.0)  # common practice
DAMAGE_V = {"lfp": 2.0, "nmc": 2.0, "lto": 1.2}  # below it cells are not charged again: from memory
LONGEST_DAYS = 3650
WAKE_DAYS = 30.0  # charge at least so often: common practice


@dataclass(frozen=True, slots=True)
class Rest:
    """How a pack is put away: its charge, %, the air, degC, what stays connected, W, and how far
    its lowest cell is below the others, Ah, with what it loses more each day, Ah.
    """

    soc_pct: float
    air_c: float = 15.0
    standby_w: float = 0.0
    behind_ah: float = 0.0
    drift_ah_per_day: float = 0.0


@dataclass(frozen=True, slots=True)
class Stage:
    """A point on the way down: what happens, at which voltage of the lowest cell, and after how
    many days; None where it takes more than ten years.
    """

    what: str
    cell_v: float
    days: float | None


@dataclass(frozen=True, slots=True)
class Stored:
    """A pack put away: its charge day by day, % (the mean, and the lowest cell's), and what
    happens on the way.
    """

    mean_pct: tuple[float, ...]
    lowest_pct: tuple[float, ...]
    stages: tuple[Stage, ...]
    own_pct_per_month: float
    idle_ah_per_month: float  # of the balancers, past the power-off too

    def days_to(self, what: str) -> float | None:
        """After how many days a stage is reached."""
        return next((s.days for s in self.stages if s.what == what), None)


def of_lowest(drift: "Drift") -> tuple[float, float]:
    """How far the lowest cell stands below the median, Ah, and what it loses more each day, Ah;
    zeros where the log does not tell.
    """
    offsets = drift.last_ah
    if not np.isfinite(offsets).any():
        return 0.0, 0.0
    cell = int(np.nanargmin(offsets))
    loses = float(drift.ah_per_day[cell])
    return max(0.0, -float(offsets[cell])), max(0.0, -loses) if np.isfinite(loses) else 0.0


def stored(setup: Setup, rest: Rest) -> Stored:
    """Follow a pack that is put away, a day at a time, ten years at most.

    At power-off the BMS's own draw ends, and what is connected past it; a balancer's idle draw
    goes on.
    """
    chem = chemistry(setup.chemistry)
    monthly = PCT_PER_MONTH[setup.chemistry] * 2.0 ** ((rest.air_c - 25.0) / DOUBLES_K)
    kept = (1.0 - monthly / 100.0) ** (1.0 / MONTH_DAYS)
    pack_v = setup.cells * chem.nominal_v
    drawn_pct = 100.0 * 24.0 * rest.standby_w / pack_v / setup.capacity_ah
    more_pct = 100.0 * rest.drift_ah_per_day / setup.capacity_ah
    always_pct = 100.0 * 24.0 * setup.idle_a / setup.capacity_ah  # by wires of its own
    off_pct = _soc_at(setup, setup.protection.power_off_v or 0.0)
    mean, low = rest.soc_pct, rest.soc_pct - 100.0 * rest.behind_ah / setup.capacity_ah
    means, lows = [mean], [low]
    for _ in range(LONGEST_DAYS):
        drawn = always_pct + (drawn_pct if low > off_pct else 0.0)
        mean = max(-5.0, mean * (kept if mean > 0 else 1.0) - drawn)
        low = max(-5.0, low * (kept if low > 0 else 1.0) - drawn - more_pct)
        means.append(mean)
        lows.append(low)
        if low <= -5.0:
            break
    stages = tuple(
        Stage(what, volts, _days(lows, _soc_at(setup, volts))) for what, volts in _marks(setup)
    )
    idle_ah = 24.0 * MONTH_DAYS * setup.idle_a
    return Stored(tuple(means), tuple(lows), stages, monthly, idle_ah)


def _marks(setup: Setup) -> list[tuple[str, float]]:
    p = setup.protection
    low = p.cell_under_voltage
    known: list[tuple[str, float | None]] = [
        ("0 % reference", p.soc_empty_v),
        ("alarm", low.alarm_v),
        ("trip", low.trip_v),
        ("power-off", p.power_off_v),
        ("damage", DAMAGE_V[setup.chemistry]),
    ]
    return sorted(((w, v) for w, v in known if v), key=lambda pair: -pair[1])


def _soc_at(setup: Setup, cell_v: float) -> float:
    """The charge at which a cell rests at a voltage, %; below the curve's end a little under 0, as
    what is left there is next to nothing.
    """
    curve = chemistry(setup.chemistry).curve
    end_v = float(curve.ocv(0.0))
    return float(curve.soc(cell_v)) if cell_v >= end_v else -min(2.0, 2.0 * (end_v - cell_v))


def _days(lows: list[float], soc_pct: float) -> float | None:
    for day, low in enumerate(lows):
        if low <= soc_pct:
            if day == 0:
                return 0.0
            before = lows[day - 1]
            return day - 1 + (before - soc_pct) / (before - low)
    return None
