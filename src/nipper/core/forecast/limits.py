"""When the imbalance will trip the pack at its present drift, and what it costs until then."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nipper.core.chemistry import chemistry
from nipper.core.imbalance.estimate import Estimate
from nipper.core.setup import Setup

Floats = NDArray[np.floating]

LONGEST_DAYS = 730
HALVINGS = 24  # of a hundred per cent: a thousandth of a millivolt at the steepest


@dataclass(frozen=True, slots=True)
class TripForecast:
    """The first day on which a full charge to the present target brings a cell to its trip."""

    days: int
    cell: int  # the one that trips
    cause_cell: int  # the one whose drift does it


def highest_at_top(
    offset_ah: Floats, setup: Setup, target_v: float | None = None
) -> tuple[float, int]:
    """Voltage and index of the highest cell when the charger holds the pack at its target, or at
    another one.

    Parameters
    ----------
    offset_ah : float64[cells]
        Charge of each cell against any common reference.
    """
    volts = volts_at_top(offset_ah[None, :], setup, target_v)[0]
    return float(volts.max()), int(np.argmax(volts))


def volts_at_top(offset_ah: Floats, setup: Setup, target_v: float | None = None) -> Floats:
    """Voltage of each cell, in several states of a pack, when the charger holds its target.

    The charger holds the sum: the common charge is sought, by halving, at which the rest voltages
    add up to the target.

    Parameters
    ----------
    offset_ah : float64[states, cells]
        Charge of each cell against any reference common to its state.
    target_v : of the pack; left out: the charger's own

    Returns
    -------
    float64[states, cells]
    """
    chem = chemistry(setup.chemistry)
    own_v = setup.charging.absorption_v if setup.charging else None
    target = target_v or own_v or chem.usual["absorption_v"].value * setup.cells
    pct = 100.0 * offset_ah / setup.capacity_ah
    low, high = np.full((len(pct), 1), 50.0), np.full((len(pct), 1), 150.0)
    for _ in range(HALVINGS):
        middle = 0.5 * (low + high)
        under = chem.curve.ocv(middle + pct).sum(axis=1, keepdims=True) < target
        low, high = np.where(under, middle, low), np.where(under, high, middle)
    return chem.curve.ocv(0.5 * (low + high) + pct)


def trip_forecast(known: Estimate, setup: Setup) -> TripForecast | None:
    """None when no cell drifts beyond doubt, or nothing trips within two years.

    What the balancer did so far is in the drift.
    """
    drift = known.drift
    if (
        drift.elsewhere
        or not np.isfinite(drift.ah_per_day).all()
        or not np.isfinite(drift.last_ah).all()
    ):
        return None
    net = _net(known)
    with np.errstate(invalid="ignore"):
        real = np.abs(net) > 3.0 * drift.sd_ah_per_day
    if not real.any():
        return None
    net = np.where(real, net, 0.0)
    trip = setup.protection.cell_over_voltage.trip_v
    # each day: a cell may come over its trip for a few days only, while another still sinks
    days = np.arange(LONGEST_DAYS + 1)
    volts = volts_at_top(drift.last_ah + days[:, None] * net, setup)
    trips = np.flatnonzero(volts.max(axis=1) >= trip)
    if not trips.size:
        return None
    first = int(trips[0])
    return TripForecast(first, int(volts[first].argmax()) + 1, int(np.abs(net).argmax()) + 1)


def _net(known: Estimate) -> Floats:
    """Drift with what the balancer moves left in: what the pack really does from week to week."""
    drift = known.drift
    if not drift.moved_known or drift.days <= 0:
        return drift.ah_per_day
    moved = (drift.moved_ah[-1] - drift.moved_ah[0]) / drift.days
    return drift.ah_per_day + moved - np.median(moved)
