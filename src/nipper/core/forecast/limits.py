"""When the imbalance will trip the pack at its present drift, and what it costs until then."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nipper.core.chemistry import chemistry
from nipper.core.imbalance.estimate import Estimate
from nipper.core.setup import Setup

Floats = NDArray[np.floating]

LONGEST_DAYS = 730


@dataclass(frozen=True, slots=True)
class TripForecast:
    """The first day on which a full charge to the present target brings a cell to its trip."""

    days: int
    cell: int  # the one that trips
    cause_cell: int  # the one whose drift does it


def highest_at_top(offset_ah: Floats, setup: Setup) -> tuple[float, int]:
    """Voltage and index of the highest cell when the charger holds the pack at its target, cells this far apart (Ah, against any reference).

    The charger holds the sum: the common charge is sought at which the rest voltages add up to the target.
    """
    chem = chemistry(setup.chemistry)
    target = (
        setup.charging.absorption_v
        if setup.charging
        else chem.usual["absorption_v"].value * setup.cells
    )
    pct = 100.0 * offset_ah / setup.capacity_ah
    low, high = 50.0, 150.0
    for _ in range(50):
        middle = 0.5 * (low + high)
        low, high = (
            (middle, high) if float(chem.curve.ocv(middle + pct).sum()) < target else (low, middle)
        )
    volts = chem.curve.ocv(0.5 * (low + high) + pct)
    return float(volts.max()), int(np.argmax(volts))


def trip_forecast(known: Estimate, setup: Setup) -> TripForecast | None:
    """None when no cell drifts beyond doubt, or nothing trips within two years. What the balancer did so far is in the drift."""
    drift = known.drift
    if not np.isfinite(drift.ah_per_day).all() or not np.isfinite(drift.last_ah).all():
        return None
    net = _net(known)
    with np.errstate(invalid="ignore"):
        real = np.abs(net) > 3.0 * drift.sd_ah_per_day
    if not real.any():
        return None
    net = np.where(real, net, 0.0)
    trip = setup.protection.cell_over_voltage.trip_v
    for days in range(LONGEST_DAYS + 1):
        volts, cell = highest_at_top(drift.last_ah + days * net, setup)
        if volts >= trip:
            return TripForecast(days, cell + 1, int(np.argmax(np.abs(net))) + 1)
    return None


def _net(known: Estimate) -> Floats:
    """Drift with what the balancer moves left in: what the pack really does from week to week."""
    drift = known.drift
    if not drift.moved_known or drift.days <= 0:
        return drift.ah_per_day
    moved = (drift.moved_ah[-1] - drift.moved_ah[0]) / drift.days
    return drift.ah_per_day + moved - np.median(moved)
