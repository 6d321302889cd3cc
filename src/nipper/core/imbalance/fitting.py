"""Least squares that a few odd rows do not steer."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nipper.core.logs.model import solved

Floats = NDArray[np.floating]

LEAST_LEFT_V = 2e-4  # a meter is never better than this
ROUNDS = 3


@dataclass(frozen=True, eq=False, slots=True)
class Fit:
    """Coefficients, what is left (a robust standard deviation, V), the normal matrix of the last
    round, and the weights float64[rows] the next one would take.
    """

    beta: Floats
    left_v: float
    gram: Floats
    weight: Floats


def robust(x: Floats, y: Floats, ridge: Floats) -> Fit:
    """Least squares of volts, twice re-weighted against outliers, held by a ridge.

    Parameters
    ----------
    x, y : float64[rows, columns], float64[rows]
    ridge : float64[columns, columns], what is added to the normal matrix
    """
    weight, left = np.ones(y.size), 0.0
    gram, beta = np.eye(x.shape[1]), np.zeros(x.shape[1])
    for _ in range(ROUNDS):
        gram = x.T @ (x * weight[:, None]) + ridge
        beta = solved(gram, x.T @ (weight * y))
        residual = y - x @ beta
        left = 1.4826 * float(np.median(np.abs(residual))) + LEAST_LEFT_V
        weight = np.minimum(1.0, 2.0 * left / np.maximum(np.abs(residual), 1e-9))
    return Fit(beta, left, gram, weight)
