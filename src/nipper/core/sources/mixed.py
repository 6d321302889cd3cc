"""Strings of unlike modules on one input: all stand at one voltage, so each is off its best.

A module's curve is the explicit one of four sheet values, I = Isc (1 - C1 (exp(V / (C2 Voc)) - 1)),
as in textbooks of photovoltaics (from memory); at 1000 W/m2 and 25 degC.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nipper.core.setup import Module, Solar

Floats = NDArray[np.floating]
POINTS = 2000


@dataclass(frozen=True, slots=True)
class Mixed:
    """Two kinds of strings on an input: power together and each at its own best, W, and the voltage
    at which they are best together, V.
    """

    together_w: float
    apart_w: float
    at_v: float

    @property
    def lost(self) -> float:
        """Share that is lost by standing at one voltage."""
        return 1.0 - self.together_w / self.apart_w


def current_a(module: Module, volts: Floats) -> Floats:
    """Current of a module at its voltages, A; negative above its open voltage, where others push
    current into it.
    """
    ratio = min(module.imp_a / module.isc_a, 0.999)
    c2 = (min(module.vmp_v / module.voc_v, 0.999) - 1.0) / np.log(1.0 - ratio)
    c1 = (1.0 - ratio) * np.exp(-module.vmp_v / (c2 * module.voc_v))
    exponent = np.minimum(volts / (c2 * module.voc_v), 500.0)
    return module.isc_a * (1.0 - c1 * (np.exp(exponent) - 1.0))


def mixed(solar: Solar, in_series: int, in_parallel: int) -> Mixed | None:
    """What two kinds of strings give together; None without another kind."""
    other = solar.other
    if other is None:
        return None
    kinds = (
        (solar.module, in_series, in_parallel),
        (other.module, other.in_series, other.strings),
    )
    top_v = max(module.voc_v * series for module, series, _ in kinds)
    volts = np.linspace(0.0, top_v, POINTS)
    each = [strings * current_a(module, volts / series) for module, series, strings in kinds]
    power = volts * np.sum(each, axis=0)
    best = int(np.argmax(power))
    apart = sum(float(np.max(volts * amps)) for amps in each)
    return Mixed(float(power[best]), apart, float(volts[best]))
