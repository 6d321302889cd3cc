"""The cells: one short loop each over a string's cells, so that the compiler makes vector code of
it.
"""

import math

import numpy as np
from numpy.typing import NDArray

from nipper.core.simulate.compiled import compiled, vectorised
from nipper.core.simulate.layout import NOISE_MASK, Bank, Cells, Floats, Pace, State, Work


@vectorised
def rest_voltages(cells: Cells, state: State, work: Work, p: int) -> float:
    """Rest voltage at each cell's charge and how it rises with it.

    Beyond the ends the last slope goes on. Returns the string's rise, V/Ah.
    """
    ocv_v, charge_ah, per_ah, swing = cells.ocv_v, state.charge_ah, work.per_ah, state.hysteresis
    out_v, rise_v_ah, hysteresis_v = work.rest_v, work.rise_v_ah, cells.hysteresis_v
    total = 0.0
    for i in range(charge_ah.shape[1]):
        x = charge_ah[p, i] * per_ah[p, i] * 1000.0
        k = np.uint32(np.int32(min(max(x, 0.0), 999.0)))  # no sign to be looked at
        step_v = ocv_v[k + 1] - ocv_v[k]
        out_v[p, i] = ocv_v[k] + (x - k) * step_v + hysteresis_v * swing[p, i]
        rise_v_ah[p, i] = step_v * 1000.0 * per_ah[p, i]
        total += rise_v_ah[p, i]
    return total


@vectorised
def source_voltage(state: State, work: Work, pace: Pace, p: int) -> float:
    """What the string would show at this step's end without current."""
    rest_v, slow1_v, slow2_v = work.rest_v, state.slow1_v, state.slow2_v
    total = 0.0
    for i in range(rest_v.shape[1]):
        total += rest_v[p, i] + pace.kept1 * slow1_v[p, i] + pace.kept2 * slow2_v[p, i]
    return total


@vectorised
def relax(slow_v: Floats, resistance_ohm: Floats, kept: float, amps: float, p: int) -> None:
    """An RC branch over a step of constant current, exactly."""
    push = (1.0 - kept) * amps
    for i in range(slow_v.shape[1]):
        slow_v[p, i] = kept * slow_v[p, i] + push * resistance_ohm[p, i]


@vectorised
def terminal_voltages(
    cells: Cells, state: State, work: Work, amps: float, hours: float, p: int
) -> tuple[float, float]:
    """Voltage of each cell with its joint at the step's end, and the heat of the step.

    What hysteresis takes is lost as well: over a full cycle its loop is heat. Returns the sums: V,
    and W of heat.
    """
    rest_v, rise_v_ah, r0_ohm, out_v = work.rest_v, work.rise_v_ah, work.r0_ohm, work.true_v
    slow1_v, slow2_v, heat_j = state.slow1_v, state.slow2_v, state.heat_j
    swing, hysteresis_v = state.hysteresis, cells.hysteresis_v
    total, watts, effect, seconds = 0.0, 0.0, amps * hours, 3600.0 * hours
    for i in range(rest_v.shape[1]):
        drop = amps * r0_ohm[p, i] + slow1_v[p, i] + slow2_v[p, i]
        lost = amps * (drop + hysteresis_v * swing[p, i])
        out_v[p, i] = rest_v[p, i] + effect * rise_v_ah[p, i] + drop
        heat_j[p, i] += lost * seconds
        total += out_v[p, i]
        watts += lost
    return total, watts


@vectorised
def move_charge(cells: Cells, state: State, work: Work, amps: float, hours: float, p: int) -> None:
    """Charge by current times time.

    Hysteresis follows the charge moved, in full within some 5 % of capacity.
    """
    charge_ah, leak_a, swing, per_ah = state.charge_ah, cells.leak_a, state.hysteresis, work.per_ah
    moved_ah = amps * hours * (cells.efficiency if amps > 0.0 else 1.0)
    through_ah = abs(amps) * hours
    side = 1.0 if amps > 0.0 else -1.0
    for i in range(charge_ah.shape[1]):
        charge_ah[p, i] += moved_ah - leak_a[p, i] * hours
        follow = min(40.0 * through_ah * per_ah[p, i], 1.0)
        swing[p, i] += follow * (side - swing[p, i])


@vectorised
def measure(bank: Bank, work: Work, noise: NDArray[np.float32], at: int, p: int) -> None:
    """What the meter shows of each cell."""
    true_v, bias_v, out_v = work.true_v, bank.cells.bias_v, work.read_v
    noise_v, step_v = bank.bms.noise_v, bank.bms.step_v
    per_step = 1.0 / step_v
    own = noise[at : at + true_v.shape[1]]  # an index that could be negative is no vector's
    for i in range(true_v.shape[1]):
        shown_v = true_v[p, i] + bias_v[p, i] + own[i] * noise_v
        out_v[p, i] = np.floor(shown_v * per_step + 0.5) * step_v


@vectorised
def extremes(values: Floats, p: int) -> tuple[float, float, float]:
    """Highest, lowest and sum."""
    high, low, total = values[p, 0], values[p, 0], 0.0
    for i in range(values.shape[1]):
        high, low, total = max(high, values[p, i]), min(low, values[p, i]), total + values[p, i]
    return high, low, total


@compiled
def place_of(values: Floats, value: float, p: int) -> int:
    """Where a value stands."""
    for i in range(values.shape[1]):
        if values[p, i] == value:
            return i
    return 0


@compiled
def noise_place(seed: int, step: int, packs: int, pack: int, cells: int) -> int:
    """Where in the table of normal numbers this step's begin.

    Sixteen new ones a step would cost a third of the run.
    """
    return (seed * 7919 + (step * packs + pack) * cells) & NOISE_MASK


@compiled
def warm(cells: Cells, state: State, work: Work, air_c: float, passed_s: float) -> None:
    """Temperatures from the heat since the last time, and what resistance they make.

    Once a minute, far below the hours heat takes.
    """
    for p in range(state.off.size):
        _warm_pack(cells, state.temp_c, state.heat_j, air_c, passed_s, p)
        for i in range(state.heat_j.shape[1]):
            kelvin = state.temp_c[p, i] + 273.15
            warmth = math.exp(cells.arrhenius_k * (1.0 / kelvin - 1.0 / 298.15))
            work.r0_ohm[p, i] = cells.r0_ohm[p, i] * warmth + cells.joint_ohm[p, i]
            work.r1_ohm[p, i] = cells.r1_ohm[p, i] * warmth
            work.r2_ohm[p, i] = cells.r2_ohm[p, i] * warmth


@compiled
def _warm_pack(
    cells: Cells, temp_c: Floats, heat_j: Floats, air_c: float, passed_s: float, p: int
) -> None:
    """Implicit in each cell's own temperature: a small cell passes its heat on within a minute."""
    n = heat_j.shape[1]
    before_c = temp_c[p, 0]
    for i in range(n):
        here_c = temp_c[p, i]
        after_c = temp_c[p, i + 1] if i < n - 1 else here_c
        sides = (1.0 if i > 0 else 0.0) + (1.0 if i < n - 1 else 0.0)
        nearby_c = (before_c if i > 0 else 0.0) + (after_c if i < n - 1 else 0.0)
        around = cells.loss_w_k[p] * (air_c + cells.ambient_offset_c[p, i])
        leaves = cells.loss_w_k[p] + cells.neighbour_w_k[p] * sides
        before_c = here_c
        gains = passed_s * (cells.neighbour_w_k[p] * nearby_c + around)
        held_j = cells.heat_j_k[p] * here_c + heat_j[p, i]
        temp_c[p, i] = (held_j + gains) / (cells.heat_j_k[p] + passed_s * leaves)
        heat_j[p, i] = 0.0
