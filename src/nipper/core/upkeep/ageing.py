"""What use costs in life: capacity lost by time, warmth, charge and throughput.

A published model of a graphite-LFP cell: J. Electrochem. Soc. 165 (2018) A181, its constants and
its curve of the graphite's potential from memory. It was fitted on one make for some two years;
beyond that, and for another make, it says which way and about how much, not when.
"""

from dataclasses import dataclass, replace
from math import exp, sqrt, tanh
from typing import TYPE_CHECKING

import numpy as np

from nipper.core.setup import Setup

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nipper.core.logs.charges import Charge
    from nipper.core.logs.model import Log

GAS, FARADAY, REF_K, KELVIN = 8.314462618, 96485.33212, 298.15, 273.15
# time: per root hour at 25 degC and half charge; J/mol; of the potential; the share without it
TIME, TIME_J, ALPHA, BASE = 3.694e-4, 20592.0, 0.384, 0.142
HALF_V = 0.123  # the graphite's potential at half charge
# throughput in warmth, and in cold while charging, per root Ah of the cell that was measured
WARM, WARM_J = 1.456e-4, 32699.0
COLD, COLD_J, COLD_H = 4.009e-4, 55546.0, 2.64
CELL_AH = 3.0  # that cell's capacity, by which throughput is scaled
END_PCT = 20.0  # lost: what is usually called the end, common practice
LONGEST_YEARS = 60.0
HOURS_A_YEAR = 8766.0


@dataclass(frozen=True, slots=True)
class Life:
    """How a pack is used: its mean charge, %, the cells' temperature, degC, full cycles a day, and
    the rate at which it is charged, C.
    """

    soc_pct: float = 60.0
    cell_c: float = 20.0
    cycles_a_day: float = 0.5
    charge_rate: float = 0.2


@dataclass(frozen=True, slots=True)
class Way:
    """Another way to live with the pack: what is changed, and years until a fifth is lost."""

    title: str
    life: Life
    years: float
    ten_years_pct: float  # lost after ten


def life_of(log: "Log", setup: Setup, full: "Sequence[Charge]") -> Life:
    """How a pack was used, by its log: its charge counted from the full charges, the sensors' mean,
    what went in a day, and the middle of its charging currents.
    """
    usual, capacity = Life(), setup.capacity_ah
    counted, steps = log.charge_ah, log.steps_s
    days = float(steps.sum()) / 86400.0
    if days < 1.0:
        return usual
    into_ah = float(np.maximum(np.diff(counted), 0.0).sum())
    charging = log.current_a[log.current_a > 0.02 * capacity]
    temps = log.temp_c[np.isfinite(log.temp_c)]
    return Life(
        soc_pct=_mean_soc(log, setup, full),
        cell_c=round(float(temps.mean()), 1) if temps.size else usual.cell_c,
        cycles_a_day=round(into_ah / days / capacity, 3),
        charge_rate=round(float(np.median(charging)) / capacity, 3)
        if charging.size
        else usual.charge_rate,
    )


def _mean_soc(log: "Log", setup: Setup, charges: "Sequence[Charge]") -> float:
    """Mean charge over the time since the first full charge, %; the usual one without any."""
    full = [c.stop - 1 for c in charges]
    if not full:
        return Life().soc_pct
    rows = np.arange(full[0], log.rows)
    last = np.asarray(full)[np.searchsorted(full, rows, side="right") - 1]
    soc = 100.0 + 100.0 * (log.charge_ah[rows] - log.charge_ah[last]) / setup.capacity_ah
    weight = log.steps_s[rows]
    if not weight.sum():
        return Life().soc_pct
    return round(float(np.average(np.clip(soc, 0.0, 100.0), weights=weight)), 1)


def known_for(setup: Setup) -> bool:
    """Whether there are published figures here for its cells."""
    return setup.chemistry == "lfp"


def lost_pct(life: Life, years: float) -> float:
    """Capacity lost after so many years of that life, %."""
    by_time, by_use = shares_pct(life, years)
    return by_time + by_use


def shares_pct(life: Life, years: float) -> tuple[float, float]:
    """The same by its causes: time alone, and throughput, %."""
    kelvin = life.cell_c + KELVIN
    time = TIME * _arrhenius(TIME_J, kelvin) * _by_charge(life.soc_pct)
    by_time = time * sqrt(HOURS_A_YEAR * years)
    full_ah = CELL_AH * life.cycles_a_day * 365.25 * years  # one way
    warm = WARM * _arrhenius(WARM_J, kelvin) * sqrt(2.0 * full_ah)
    cold = COLD / _arrhenius(COLD_J, kelvin) * exp(COLD_H * (life.charge_rate - 1.0))
    return 100.0 * by_time, 100.0 * (warm + cold * sqrt(full_ah))


def years_until(life: Life, lost: float = END_PCT) -> float:
    """Years until so much is lost; no more than sixty are told."""
    low, high = 0.0, LONGEST_YEARS
    if lost_pct(life, high) <= lost:
        return high
    for _ in range(60):
        middle = 0.5 * (low + high)
        low, high = (middle, high) if lost_pct(life, middle) < lost else (low, middle)
    return high


def ways(life: Life) -> list[Way]:
    """The life as it is, and what each single change would bring."""
    changes = (
        ("as it is", life),
        ("ten degrees cooler", replace(life, cell_c=life.cell_c - 10.0)),
        ("ten degrees warmer", replace(life, cell_c=life.cell_c + 10.0)),
        ("kept twenty per cent lower", replace(life, soc_pct=max(5.0, life.soc_pct - 20.0))),
        ("kept full", replace(life, soc_pct=100.0)),
        ("half the throughput", replace(life, cycles_a_day=0.5 * life.cycles_a_day)),
        ("twice the throughput", replace(life, cycles_a_day=2.0 * life.cycles_a_day)),
    )
    return [Way(t, other, years_until(other), lost_pct(other, 10.0)) for t, other in changes]


def graphite_v(soc_pct: float) -> float:
    """The potential of the graphite against lithium at a charge of the cell, V."""
    x = 0.0085 + 0.01 * soc_pct * (0.78 - 0.0085)
    return (
        0.6379
        + 0.5416 * exp(-305.5309 * x)
        + 0.044 * tanh(-(x - 0.1958) / 0.1088)
        - 0.1978 * tanh((x - 1.0571) / 0.0854)
        - 0.6875 * tanh((x + 0.0117) / 0.0529)
        - 0.0175 * tanh((x - 0.5692) / 0.0875)
    )


def _by_charge(soc_pct: float) -> float:
    """How much faster than at half charge time works at another; 1 there."""
    volts = HALF_V - graphite_v(soc_pct)
    return (exp(ALPHA * FARADAY / GAS * volts / REF_K) + BASE) / (1.0 + BASE)


def _arrhenius(joule_mol: float, kelvin: float) -> float:
    return exp(-joule_mol / GAS * (1.0 / kelvin - 1.0 / REF_K))
