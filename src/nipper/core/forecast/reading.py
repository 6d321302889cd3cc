"""What one reading of the cells means for the charges to come, and what two readings tell of the
time between them.
"""

from dataclasses import dataclass
from math import isfinite

import numpy as np

from nipper.core.chemistry import chemistry
from nipper.core.forecast.limits import highest_at_top
from nipper.core.imbalance.snapshot import Snapshot
from nipper.core.setup import Setup

UNDER_MAX_V = 0.05  # the highest target that is asked for stays this far under the sheet's most
STEPS = 4
ALIKE_V, ALIKE_RATE = 0.02, 0.05  # readings further apart are not of one point of a charge
LEVEL_MV = 10.0  # called level near full: common practice
LEAST_MINUTES = 5.0


@dataclass(frozen=True, slots=True)
class Target:
    """How high the highest cell comes when the charger holds a target."""

    cell_target_v: float
    highest_v: float
    cell: int
    trips: bool


def targets(shot: Snapshot, setup: Setup) -> list[Target]:
    """The usual targets and the charger's own, lowest first; empty where volts cannot tell charge
    or not all cells were read.
    """
    charge = np.array(shot.charge_pct)
    if shot.deviation_pct is None or not np.isfinite(charge).all():
        return []
    chem, n = chemistry(setup.chemistry), setup.cells
    top_v = min(chem.max_v, setup.cell.max_v or chem.max_v) - UNDER_MAX_V
    offset_ah = (charge - np.median(charge)) / 100.0 * setup.capacity_ah
    asked = set(np.linspace(chem.usual["absorption_v"].value, top_v, STEPS).round(2).tolist())
    if setup.charging:
        asked.add(round(setup.charging.absorption_v / n, 3))
    trip_v = setup.protection.cell_over_voltage.trip_v
    out: list[Target] = []
    for volts in sorted(asked):
        highest, index = highest_at_top(offset_ah, setup, volts * n)
        out.append(Target(volts, highest, index + 1, highest >= trip_v))
    return out


@dataclass(frozen=True, slots=True)
class Between:
    """Two readings of one point of a charge: how the deviation went, and when it will be level if
    it goes on like this (None where it does not shrink).
    """

    minutes: float
    before_mv: float
    after_mv: float
    comparable: bool
    level_minutes: float | None


def between(before: Snapshot, after: Snapshot, setup: Setup) -> Between:
    """The later reading against the earlier one."""
    minutes = (after.time_s - before.time_s) / 60.0
    amps = abs(after.current_a - before.current_a)
    comparable = (
        abs(after.mean_v - before.mean_v) <= ALIKE_V
        and isfinite(amps)
        and amps <= ALIKE_RATE * setup.capacity_ah
    )
    pace = (before.deviation_mv - after.deviation_mv) / max(minutes, 1e-9)
    shrinks = comparable and minutes >= LEAST_MINUTES and pace > 0.0
    left = max(0.0, after.deviation_mv - LEVEL_MV) / pace if shrinks else None
    return Between(minutes, before.deviation_mv, after.deviation_mv, comparable, left)
