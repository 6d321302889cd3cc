"""The cells: one short loop each over a string's cells, so that the compiler makes vector code of it."""

import math

from nipper.core.simulate.compiled import compiled, vectorised
from nipper.core.simulate.layout import NOISE_MASK


@vectorised
def rest_voltages(ocv_v, charge_ah, per_ah, hysteresis_v, swing, out_v, rise_v_ah, p):
    """Rest voltage at each cell's charge and how it rises with it; beyond the ends the last slope goes on. Returns the string's rise, V/Ah."""
    total = 0.0
    for i in range(charge_ah.shape[1]):
        x = charge_ah[p, i] * per_ah[p, i] * 1000.0
        k = int(min(max(x, 0.0), 999.0))
        step_v = ocv_v[k + 1] - ocv_v[k]
        out_v[p, i] = ocv_v[k] + (x - k) * step_v + hysteresis_v * swing[p, i]
        rise_v_ah[p, i] = step_v * 1000.0 * per_ah[p, i]
        total += rise_v_ah[p, i]
    return total


@vectorised
def source_voltage(rest_v, slow1_v, slow2_v, kept1, kept2, p):
    """What the string would show at this step's end without current."""
    total = 0.0
    for i in range(rest_v.shape[1]):
        total += rest_v[p, i] + kept1 * slow1_v[p, i] + kept2 * slow2_v[p, i]
    return total


@vectorised
def relax(slow_v, resistance_ohm, kept, amps, p):
    """An RC branch over a step of constant current, exactly."""
    push = (1.0 - kept) * amps
    for i in range(slow_v.shape[1]):
        slow_v[p, i] = kept * slow_v[p, i] + push * resistance_ohm[p, i]


@vectorised
def terminal_voltages(
    rest_v, rise_v_ah, r0_ohm, slow1_v, slow2_v, hysteresis_v, swing, amps, hours, out_v, heat_j, p
):
    """Voltage of each cell with its joint at the step's end, and the heat of the step.

    What hysteresis takes is lost as well: over a full cycle its loop is heat. Returns the sums: V, and
    W of heat.
    """
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
def move_charge(charge_ah, leak_a, swing, per_ah, amps_h, hours, throughput_ah, side, p):
    """Charge by current times time; hysteresis follows the charge moved, in full within some 5 % of capacity."""
    for i in range(charge_ah.shape[1]):
        charge_ah[p, i] += amps_h - leak_a[p, i] * hours
        follow = min(40.0 * throughput_ah * per_ah[p, i], 1.0)
        swing[p, i] += follow * (side - swing[p, i])


@vectorised
def measure(true_v, bias_v, noise, at, noise_v, step_v, out_v, p):
    """What the meter shows of each cell."""
    per_step = 1.0 / step_v
    for i in range(true_v.shape[1]):
        out_v[p, i] = (
            math.floor((true_v[p, i] + bias_v[p, i] + noise[at + i] * noise_v) * per_step + 0.5)
            * step_v
        )


@vectorised
def extremes(values, p):
    """Highest, lowest and sum."""
    high, low, total = values[p, 0], values[p, 0], 0.0
    for i in range(values.shape[1]):
        high, low, total = max(high, values[p, i]), min(low, values[p, i]), total + values[p, i]
    return high, low, total


@compiled
def place_of(values, value, p):
    """Where a value stands."""
    for i in range(values.shape[1]):
        if values[p, i] == value:
            return i
    return 0


@compiled
def noise_place(seed, step, packs, pack, cells):
    """Where in the table of normal numbers this step's begin: sixteen new ones a step would cost a third of the run."""
    return (seed * 7919 + (step * packs + pack) * cells) & NOISE_MASK


@compiled
def warm(cells, temp_c, air_c, heat_j, passed_s, r0, r1, r2):
    """Temperatures from the heat since the last time, and what resistance they make; once a minute, far below the hours heat takes."""
    packs, n = heat_j.shape
    for p in range(packs):
        before = temp_c[p, 0]
        for i in range(n):
            here = temp_c[p, i]
            after = temp_c[p, i + 1] if i < n - 1 else here
            # implicit in its own temperature: a small cell passes its heat on within a minute
            sides = (1.0 if i > 0 else 0.0) + (1.0 if i < n - 1 else 0.0)
            nearby = cells.neighbour_w_k * (
                (before if i > 0 else 0.0) + (after if i < n - 1 else 0.0)
            )
            around = cells.loss_w_k * (air_c + cells.ambient_offset_c[p, i])
            leaves = cells.loss_w_k + cells.neighbour_w_k * sides
            before = here
            temp_c[p, i] = (cells.heat_j_k * here + heat_j[p, i] + passed_s * (nearby + around)) / (
                cells.heat_j_k + passed_s * leaves
            )
            heat_j[p, i] = 0.0
            warmth = math.exp(cells.arrhenius_k * (1.0 / (temp_c[p, i] + 273.15) - 1.0 / 298.15))
            r0[p, i] = cells.r0_ohm[p, i] * warmth + cells.joint_ohm[p, i]
            r1[p, i], r2[p, i] = cells.r1_ohm[p, i] * warmth, cells.r2_ohm[p, i] * warmth
