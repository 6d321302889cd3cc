"""Open-circuit voltage against state of charge: monotone interpolation, its inverse and its
slope.
"""

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import ArrayLike, NDArray

from nipper.core.monotone import hermite, hermite_slopes

Floats = NDArray[np.floating]


@dataclass(frozen=True, eq=False)
class Curve:
    """A strictly rising open-circuit voltage curve.

    Parameters
    ----------
    soc_pct : float64[n]
        Knots, rising, from 0 to 100.
    ocv_v : float64[n]
        Open-circuit voltage of one cell at the knots, V, strictly rising.

    Notes
    -----
    Between knots a cubic that never overshoots (:mod:`nipper.core.monotone`), so the inverse is
    unique.
    """

    soc_pct: Floats
    ocv_v: Floats
    _knot_slope: Floats = field(init=False, repr=False)

    def __post_init__(self) -> None:
        if np.any(np.diff(self.soc_pct) <= 0) or np.any(np.diff(self.ocv_v) <= 0):
            raise ValueError("a curve rises strictly in charge and in voltage")
        object.__setattr__(self, "_knot_slope", _rising_slopes(self.soc_pct, self.ocv_v))

    def ocv(self, soc_pct: ArrayLike) -> Floats:
        """Open-circuit voltage, V; outside 0–100 % the end's straight line goes on."""
        soc, i, t, h = self._locate(soc_pct)
        y0, y1, d0, d1 = (
            self.ocv_v[i],
            self.ocv_v[i + 1],
            self._knot_slope[i],
            self._knot_slope[i + 1],
        )
        inside = hermite(t, h, (y0, y1), (d0, d1))
        below = y0 + (soc - self.soc_pct[0]) * d0
        above = y1 + (soc - self.soc_pct[-1]) * d1
        return np.where(t < 0, below, np.where(t > 1, above, inside))

    def slope(self, soc_pct: ArrayLike) -> Floats:
        """d(OCV)/d(SOC) in mV per % of charge."""
        _, i, t, h = self._locate(soc_pct)
        y0, y1, d0, d1 = (
            self.ocv_v[i],
            self.ocv_v[i + 1],
            self._knot_slope[i],
            self._knot_slope[i + 1],
        )
        t = np.clip(t, 0.0, 1.0)
        return 1e3 * (
            6 * t * (1 - t) * (y1 - y0) / h + (1 - t) * (1 - 3 * t) * d0 + t * (3 * t - 2) * d1
        )

    def soc(self, ocv_v: ArrayLike) -> Floats:
        """State of charge at a rest voltage, %, limited to 0-100 %: the inverse of :meth:`ocv`,
        good to 1e-4 %.
        """
        fine_soc, fine_v = self._fine
        return np.interp(np.asarray(ocv_v, dtype=float), fine_v, fine_soc)

    @cached_property
    def _fine(self) -> tuple[Floats, Floats]:
        """The curve in steps of 0.005 %: asked for inverses by the hundred thousand, a table is a
        hundred times bisection.
        """
        soc: Floats = np.linspace(float(self.soc_pct[0]), float(self.soc_pct[-1]), 20_001)
        return soc, self.ocv(soc)

    def slope_at_voltage(self, ocv_v: ArrayLike) -> Floats:
        """mV per % of charge at a rest voltage: what a difference between cells is worth there."""
        return self.slope(self.soc(ocv_v))

    def _locate(self, soc_pct: ArrayLike) -> tuple[Floats, NDArray[np.intp], Floats, Floats]:
        soc = np.asarray(soc_pct, dtype=float)
        i = np.clip(np.searchsorted(self.soc_pct, soc, side="right") - 1, 0, self.soc_pct.size - 2)
        h = self.soc_pct[i + 1] - self.soc_pct[i]
        return soc, i, (soc - self.soc_pct[i]) / h, h


def _rising_slopes(x: Floats, y: Floats) -> Floats:
    """Slopes at the knots; at the ends never none, so that the curve goes on rising."""
    slopes = hermite_slopes(x, y)
    chords = np.diff(y) / np.diff(x)
    for end in (0, -1):
        slopes[end] = slopes[end] or chords[end] * 1e-3
    return slopes
