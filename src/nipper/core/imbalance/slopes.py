"""States of charge by counting: what is read at each, how the herd's rest voltage rises from one to
the next, and whether one count is one state at all.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Self

import numpy as np
from numpy.typing import NDArray

from nipper.core.chemistry import chemistry
from nipper.core.setup import Setup

Floats = NDArray[np.floating]

STATE_SHARE = 0.02  # of capacity: states of charge that are told apart
LEAST_READ = 20  # readings at a state: less tell of the meter's steps
LEAST_SPAN = 0.12  # of capacity, between the furthest of them
NEARBY_SHARE = 0.05  # of capacity: so far to either side a curve is taken for straight
SLOPES = 0.4, 2.0  # times the assumed curve's usual slope: beyond, the count is no state
ODD_SHARE = 0.1
NINE_IN_TEN = 1.645  # standard deviations to either side


@dataclass(frozen=True, eq=False, slots=True)
class States:
    """The state of charge of each row, int[rows], and which states were read often enough,
    int[states].
    """

    of_row: NDArray[np.intp]
    told: NDArray[np.intp]

    @classmethod
    def of(cls, drawn: Floats, least: int = LEAST_READ) -> Self:
        """By the charge drawn, float64[rows], share of capacity."""
        _, of_row, count = np.unique(
            np.floor(drawn / STATE_SHARE), return_inverse=True, return_counts=True
        )
        return cls(of_row, np.flatnonzero(count >= least))

    def rows(self) -> Iterator[NDArray[np.bool_]]:
        """The rows of each state in turn."""
        return (self.of_row == state for state in self.told)

    def medians(self, values: Floats) -> Floats:
        """Of values float64[rows] at each state, float64[states]."""
        return np.array([np.median(values[rows]) for rows in self.rows()])


def own_slope(setup: Setup, freed_v: Floats, drawn: Floats) -> Floats:
    """How the rest voltage rises with charge at each row, V per %.

    On a sloped curve as the pack itself shows it: published ones of 4.2 V cells differ by a third,
    and what they get wrong would pass for a wrong reading.
    """
    assumed = chemistry(setup.chemistry).curve.slope_at_voltage(freed_v) * 1e-3
    if setup.flat or np.ptp(drawn) < LEAST_SPAN:
        return assumed
    least, most = (share * float(np.median(assumed)) for share in SLOPES)
    near = _local_slope(freed_v, drawn)
    if near is None or np.mean((near[1] < least) | (near[1] > most)) > ODD_SHARE:
        cubic = np.polynomial.Polynomial.fit(drawn, freed_v, 3)
        return np.clip(cubic.deriv()(drawn) / 100.0, least, most)
    at, slope = near
    return np.interp(drawn, at, np.clip(slope, least, most))


def _local_slope(v: Floats, drawn: Floats) -> tuple[Floats, Floats] | None:
    """Charge drawn at each state, float64[states], and the slope about it, V per %: straight lines
    through the states nearby; None for too few states.
    """
    states = States.of(drawn)
    if states.told.size * STATE_SHARE < LEAST_SPAN:
        return None
    at, mean = states.medians(drawn), states.medians(v)
    slope = np.empty(at.size)
    for i in range(at.size):
        near = np.abs(at - at[i]) < NEARBY_SHARE
        x = at[near] - at[near].mean()
        slope[i] = x @ mean[near] / max(float(x @ x), 1e-12) / 100.0
    return at, slope


def scatter_v(v: Floats, drawn: Floats) -> float:
    """How far the herd's rest voltages at one state of charge lie apart, V: of the usual state what
    nine in ten lie within about a straight line, as a standard deviation. A few odd hours matter
    here, which a median would not see. Infinite where no state was read often enough.
    """
    out: list[float] = []
    for rows in States.of(drawn).rows():
        x, y = drawn[rows] - drawn[rows].mean(), v[rows] - v[rows].mean()
        left = y - x * float(x @ y) / max(float(x @ x), 1e-12)
        out.append(float(np.quantile(np.abs(left - np.median(left)), 0.9)) / NINE_IN_TEN)
    return float(np.median(out)) if out else np.inf
