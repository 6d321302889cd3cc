"""Open-circuit voltage against state of charge: monotone interpolation, its inverse and its
slope.
"""

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import ArrayLike, NDArray

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
    Between knots a cubic Hermite polynomial with the slopes of Fritsch and Carlson (SIAM J. Numer.
    Anal. 17, 1980), in
    Butland's weighted harmonic form: it never overshoots, so the inverse is unique. SciPy's
    ``PchipInterpolator`` gives the same
    values (a test holds us to it); its import costs more than the whole first paint of the window
    may, hence these few lines.
    """

    soc_pct: Floats
    ocv_v: Floats
    _knot_slope: Floats = field(init=False, repr=False)

    def __post_init__(self) -> None:
        if np.any(np.diff(self.soc_pct) <= 0) or np.any(np.diff(self.ocv_v) <= 0):
            raise ValueError("a curve rises strictly in charge and in voltage")
        object.__setattr__(self, "_knot_slope", _hermite_slopes(self.soc_pct, self.ocv_v))

    def ocv(self, soc_pct: ArrayLike) -> Floats:
        """Open-circuit voltage, V; outside 0–100 % the end's straight line goes on."""
        soc, i, t, h = self._locate(soc_pct)
        y0, y1, d0, d1 = (
            self.ocv_v[i],
            self.ocv_v[i + 1],
            self._knot_slope[i],
            self._knot_slope[i + 1],
        )
        inside = (
            (1 + 2 * t) * (1 - t) ** 2 * y0
            + t * (1 - t) ** 2 * h * d0
            + t * t * (3 - 2 * t) * y1
            + t * t * (t - 1) * h * d1
        )
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


def _hermite_slopes(x: Floats, y: Floats) -> Floats:
    h, delta = np.diff(x), np.diff(y) / np.diff(x)
    if delta.size == 1:
        return np.array([delta[0], delta[0]])
    w1, w2 = 2 * h[1:] + h[:-1], h[1:] + 2 * h[:-1]
    inner = (w1 + w2) / (w1 / delta[:-1] + w2 / delta[1:])
    return np.concatenate(
        [
            [_end_slope(h[0], h[1], delta[0], delta[1])],
            inner,
            [_end_slope(h[-1], h[-2], delta[-1], delta[-2])],
        ]
    )


def _end_slope(h0: float, h1: float, delta0: float, delta1: float) -> float:
    """Three-point slope at an end, kept between 0 and three times the chord so that it stays
    monotone.
    """
    slope = ((2 * h0 + h1) * delta0 - h0 * delta1) / (h0 + h1)
    return float(np.clip(slope, 0.0, 3 * delta0)) or float(delta0) * 1e-3
