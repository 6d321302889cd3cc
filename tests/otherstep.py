"""The step of time of :mod:`tests.otherpack`, compiled: packs at one bus, the cells of each in
series. Arrays are of packs, or of packs and cells.
"""

import math
from typing import NamedTuple

import numba
import numpy as np

# the machine code lies beside this file and not among that of the application, if that is loaded
_of_the_application, numba.config.CACHE_DIR = numba.config.CACHE_DIR, ""

Floats = np.ndarray
NEAR_PCT = 0.3
ALWAYS, CHARGING, REST = range(3)
FLOWS_A = 0.2  # a balancer takes more for charging, less for rest


class Bank(NamedTuple):
    """What is of the packs, what moves in them, and what is read of them."""

    curve_pct: Floats  # the curves one behind the other
    curve_v: Floats
    curve_from: Floats  # int64[packs, cells], where the one of a cell begins
    curve_to: Floats
    capacity: Floats  # Ah
    fast_ohm: Floats
    slow_ohm: Floats
    leak_ah: Floats  # in a step
    bias_v: Floats
    hysteresis_v: Floats
    kept: Floats  # of the slow voltage over a step
    way_ohm: Floats
    name_ah: Floats
    trips_v: Floats  # over-voltage, its release, under-voltage, its release
    balance: Floats  # ampere-hours of a step, from V, beyond V, and when: one of three
    charge: Floats  # Ah
    slow_v: Floats
    swing: Floats
    rest_v: Floats
    source_v: Floats
    tripped: Floats
    dark: Floats
    out_v: Floats  # packs, rows and cells
    out_a: Floats
    flags: Floats


class Drive(NamedTuple):
    """What is asked of them in each row, and the charger at their bus."""

    step_s: float
    wanted_a: Floats
    source: Floats
    absorption_v: Floats  # not a number where there is no charger
    float_v: Floats
    held_s: float  # until it floats
    names_ah: float  # of all
    state: Floats  # held so far in s, whether it floats


@numba.njit
def _total(values: Floats) -> float:
    """The sum in NumPy's order: a last digit turns an hour where a threshold is met exactly."""
    r, many = np.zeros(8), values.size - values.size % 8
    for i in range(many):
        r[i % 8] += values[i]
    total = ((r[0] + r[1]) + (r[2] + r[3])) + ((r[4] + r[5]) + (r[6] + r[7]))
    for i in range(many, values.size):
        total += values[i]
    return total


@numba.njit
def _curve(bank: Bank, p: int, c: int, pct: float) -> float:
    xs, ys = bank.curve_pct, bank.curve_v
    low, high = bank.curve_from[p, c], bank.curve_to[p, c] - 1
    over = pct - 100.0
    # beyond its ends the voltage runs away
    away = max(over, 0.0) * 0.25 - max(-100.0 - over, 0.0) * 0.15
    if pct <= xs[low]:
        return ys[low] + away
    if pct >= xs[high]:
        return ys[high] + away
    while high - low > 1:
        middle = (low + high) // 2
        if xs[middle] <= pct:
            low = middle
        else:
            high = middle
    return (ys[high] - ys[low]) / (xs[high] - xs[low]) * (pct - xs[low]) + ys[low] + away


@numba.njit
def _look(bank: Bank, p: int) -> None:
    """Its cells' voltages without current."""
    for c in range(bank.charge.shape[1]):
        pct = 100.0 * bank.charge[p, c] / bank.capacity[p, c]
        rest = _curve(bank, p, c, pct) + bank.hysteresis_v[p] * bank.swing[p, c]
        bank.rest_v[p, c] = rest
        bank.source_v[p, c] = rest + bank.kept[p] * bank.slow_v[p, c]


@numba.njit
def _ohms(bank: Bank, p: int, step_s: float) -> float:
    """What a pack's voltage moves by within a step, for each ampere: its resistance, and at a bus
    how fast it fills. Without the latter, packs at a knee would throw currents at each other.
    """
    ohms = np.empty(bank.charge.shape[1])
    for c in range(ohms.size):
        ohms[c] = bank.fast_ohm[p, c] + (1.0 - bank.kept[p]) * bank.slow_ohm[p, c]
        if bank.charge.shape[0] > 1:
            pct = 100.0 * bank.charge[p, c] / bank.capacity[p, c]
            rise = _curve(bank, p, c, pct + NEAR_PCT) - _curve(bank, p, c, pct - NEAR_PCT)
            ohms[c] += rise / (2.0 * NEAR_PCT) * (100.0 / bank.capacity[p, c] * step_s / 3600.0)
    return _total(ohms) + bank.way_ohm[p]


@numba.njit
def _blocks(bank: Bank, p: int, amps: float) -> bool:
    """Whether its switches let no such current through."""
    return (bank.tripped[p] and amps > 0.0) or (bank.dark[p] and amps < 0.0)


@numba.njit
def _share(bank: Bank, amps: float, step_s: float, shares: Floats) -> None:
    """How they share a current: one voltage at the bus, none through a pack that blocks it."""
    packs = shares.size
    if packs == 1:
        shares[0] = 0.0 if _blocks(bank, 0, amps) else amps
        return
    through, drive_v = np.zeros(packs), np.zeros(packs)
    for p in range(packs):
        through[p], drive_v[p] = 1.0 / _ohms(bank, p, step_s), _total(bank.source_v[p])
    blocked = True
    while blocked:
        blocked, sum_a, sum_s = False, amps, 0.0
        for p in range(packs):
            sum_a, sum_s = sum_a + through[p] * drive_v[p], sum_s + through[p]
        for p in range(packs):
            shares[p] = through[p] * (sum_a / sum_s - drive_v[p]) if sum_s > 0.0 else 0.0
            if through[p] > 0.0 and _blocks(bank, p, shares[p]):
                through[p], blocked = 0.0, True


@numba.njit
def _carry(bank: Bank, p: int, row: int, amps: float, hours: float) -> None:
    """A step of time with this current; a pack alone is read at its begin, others at its end."""
    cells, kept = bank.charge.shape[1], bank.kept[p]
    read_v, high_v, low_v = np.empty(cells), -np.inf, np.inf
    for c in range(cells):
        ohm = bank.fast_ohm[p, c] + (1.0 - kept) * bank.slow_ohm[p, c]
        bank.out_v[p, row, c] = bank.source_v[p, c] + amps * ohm
        read_v[c] = bank.out_v[p, row, c] + bank.bias_v[p, c]
        high_v, low_v = max(high_v, read_v[c]), min(low_v, read_v[c])
    bank.out_a[p, row] = amps
    trips_v = bank.trips_v[p]
    bank.tripped[p] = high_v >= trips_v[0] or (bank.tripped[p] and high_v > trips_v[1])
    bank.dark[p] = low_v <= trips_v[2] or (bank.dark[p] and low_v < trips_v[3])
    pace = 1.0 - math.exp(-12.0 * abs(amps) * hours / bank.name_ah[p])
    balance = bank.balance[p]
    taken_ah, start_v, beyond_v, when = balance[0], balance[1], balance[2], balance[3]
    allowed = when == ALWAYS or (amps > FLOWS_A if when == CHARGING else abs(amps) < FLOWS_A)
    for c in range(cells):
        bank.slow_v[p, c] = kept * bank.slow_v[p, c] + (1.0 - kept) * bank.slow_ohm[p, c] * amps
        bank.charge[p, c] = bank.charge[p, c] + amps * hours - bank.leak_ah[p, c]
        bank.swing[p, c] += (np.sign(amps) - bank.swing[p, c]) * pace
        if taken_ah > 0.0 and allowed and read_v[c] > start_v and read_v[c] - low_v > beyond_v:
            bank.charge[p, c] -= taken_ah
            bank.flags[p, row, c] = True
    if bank.charge.shape[0] > 1:
        _look(bank, p)
        for c in range(cells):
            slow_v = bank.slow_v[p, c]
            bank.out_v[p, row, c] = bank.rest_v[p, c] + slow_v + amps * bank.fast_ohm[p, c]


@numba.njit
def _charger(bank: Bank, drive: Drive, row: int) -> float:
    """What flows where a charger holds the bus's voltage, A."""
    wanted, held_s = drive.wanted_a[row], drive.state[0]
    floats = drive.state[1] > 0.0
    target_v = drive.float_v[row] if floats else drive.absorption_v[row]
    most = 0.0
    for p in range(bank.charge.shape[0]):
        most += (target_v - _total(bank.source_v[p])) / _ohms(bank, p, drive.step_s)
    if most >= wanted:
        return wanted
    amps = max(most, 0.0 if drive.source[row] else min(wanted, 0.0))
    if not floats and amps >= 0.0:
        drive.state[0] = held_s + drive.step_s
        drive.state[1] = 1.0 if drive.state[0] > drive.held_s else 0.0
    return amps


@numba.njit(cache=True)
def run(bank: Bank, drive: Drive, first: int, last: int) -> None:
    """Carry the packs through these rows."""
    hours = drive.step_s / 3600.0
    packs = bank.charge.shape[0]
    shares = np.zeros(packs)
    for row in range(first, last):
        amps = drive.wanted_a[row]
        for p in range(packs):
            _look(bank, p)
        if amps > 0.0 and not math.isnan(drive.absorption_v[row]):
            amps = _charger(bank, drive, row)
        if row * hours % 24.0 < 0.5 * hours or drive.wanted_a[row] < -0.02 * drive.names_ah:
            drive.state[:] = 0.0
        _share(bank, amps, drive.step_s, shares)
        for p in range(packs):
            _carry(bank, p, row, shares[p], hours)


numba.config.CACHE_DIR = _of_the_application
