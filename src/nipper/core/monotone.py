"""Rising curves through points: cubic pieces that never overshoot, and the nearest rising values.

SciPy's ``PchipInterpolator`` and ``isotonic_regression`` give the same (tests hold us to it); their
import costs more than the first paint of the window, or the judgement of a small log, may.
"""

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.floating]


def hermite_slopes(x: Floats, y: Floats) -> Floats:
    """Slopes at the knots of a rising curve, after Fritsch and Carlson (SIAM J. Numer. Anal. 17,
    1980) in Butland's weighted harmonic form: between them nothing overshoots, what is flat stays
    flat.

    Parameters
    ----------
    x, y : float64[n >= 2], x strictly rising, y never falling
    """
    h, delta = np.diff(x), np.diff(y) / np.diff(x)
    if delta.size == 1:
        return np.array([delta[0], delta[0]])
    w1, w2 = 2 * h[1:] + h[:-1], h[1:] + 2 * h[:-1]
    with np.errstate(divide="ignore"):
        inner = (w1 + w2) / (w1 / delta[:-1] + w2 / delta[1:])
    first = _end_slope(h[0], h[1], delta[0], delta[1])
    last = _end_slope(h[-1], h[-2], delta[-1], delta[-2])
    return np.concatenate([[first], inner, [last]])


def _end_slope(h0: float, h1: float, delta0: float, delta1: float) -> float:
    """Three-point slope at an end, kept between 0 and three times the chord."""
    slope = ((2 * h0 + h1) * delta0 - h0 * delta1) / (h0 + h1)
    return float(np.clip(slope, 0.0, 3 * delta0))


def pchip(x: Floats, y: Floats, at: Floats) -> Floats:
    """The rising curve through the points, at places between the first and the last."""
    i = np.clip(np.searchsorted(x, at, side="right") - 1, 0, x.size - 2)
    h, slopes = x[i + 1] - x[i], hermite_slopes(x, y)
    t = (at - x[i]) / h
    return hermite(t, h, (y[i], y[i + 1]), (slopes[i], slopes[i + 1]))


def hermite(
    t: Floats, h: Floats, ends: tuple[Floats, Floats], slopes: tuple[Floats, Floats]
) -> Floats:
    """A cubic piece: ``t`` from 0 to 1 over a width ``h``, with values and slopes at both ends."""
    (y0, y1), (d0, d1) = ends, slopes
    return (
        (1 + 2 * t) * (1 - t) ** 2 * y0
        + t * (1 - t) ** 2 * h * d0
        + t * t * (3 - 2 * t) * y1
        + t * t * (t - 1) * h * d1
    )


def rising(values: Floats, weights: Floats) -> Floats:
    """The never falling values nearest to these by weighted squares (pool adjacent violators)."""
    means: list[float] = []
    heavy: list[float] = []
    counts: list[int] = []
    for value, weight in zip(values.tolist(), weights.tolist(), strict=True):
        mean, total, count = value, weight, 1
        while means and means[-1] >= mean:
            before = heavy.pop()
            mean = (means.pop() * before + mean * total) / (before + total)
            total, count = total + before, count + counts.pop()
        means.append(mean)
        heavy.append(total)
        counts.append(count)
    return np.repeat(means, counts)
