"""Thermistors: what a meter must show at a temperature, and what a sensor set up as another part
would read.
"""

from math import exp, log

KELVIN = 273.15
AT_25 = 298.15


def resistance_ohm(temp_c: float, beta_k: float, r25_ohm: float = 10_000.0) -> float:
    """Resistance of an NTC by its beta: R25 exp(B (1/T - 1/298.15))."""
    return r25_ohm * exp(beta_k * (1.0 / (temp_c + KELVIN) - 1.0 / AT_25))


def temperature_c(resistance: float, beta_k: float, r25_ohm: float = 10_000.0) -> float:
    """Temperature an NTC of that beta has at a resistance, degC."""
    return 1.0 / (1.0 / AT_25 + log(resistance / r25_ohm) / beta_k) - KELVIN


def steinhart_hart_c(resistance: float, a: float, b: float, c: float) -> float:
    """Temperature by Steinhart and Hart (Deep-Sea Research 15, 1968): 1/T = A + B ln R + C ln^3 R,
    degC.
    """
    x = log(resistance)
    return 1.0 / (a + b * x + c * x**3) - KELVIN


def shown_c(
    true_c: float, part_beta_k: float, set_beta_k: float, r25_ohm: float = 10_000.0
) -> float:
    """What a BMS shows when a part of one beta is set up as another: a mix-up of 3435 and 3950 is
    some 3 K at freezing.
    """
    return temperature_c(resistance_ohm(true_c, part_beta_k, r25_ohm), set_beta_k, r25_ohm)


def sensor_error_c(
    measured_ohm: float, true_c: float, beta_k: float, r25_ohm: float = 10_000.0
) -> float:
    """How much a sensor would read off, from a meter's reading at a known temperature (ice water: 0
    degC), K.
    """
    return temperature_c(measured_ohm, beta_k, r25_ohm) - true_c
