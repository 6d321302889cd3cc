"""Which way a current flows, by what the voltage and the percentage of the pack say to it."""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import polars as pl

from nipper.core.logs.column import Floats

SURE = 4.0  # a mean this many standard errors from zero is no chance
WILD_A = 1e9  # what is beyond is refused or told elsewhere; here it must only stay a number
BOTH_WAYS = 0.2  # share of stretches that must run each way before a current is called unsigned
RANGE_V = 0.03  # of the mean cell: less says nothing of which way a current flows


@dataclass(frozen=True, slots=True)
class Witness:
    """What a current is held against: the mean cell, the percentage, the sample's times."""

    mean_v: Floats
    soc: Floats | None
    time_s: Floats


def voltage_and_soc(current: Floats, witness: Witness) -> tuple[int, int]:
    """What the voltage and the percentage say of the sign of a current: +1, -1 or 0 each."""
    counted = 0
    if witness.soc is not None:
        counted = soc_sign(current, witness.soc)
    return current_sign(current, witness.mean_v), counted


def current_sign(current: Floats, voltage: Floats) -> int:
    """+1 when charging is counted positive, -1 when discharging is, 0 when it cannot be told."""
    score = sign_score(current, voltage)
    return 0 if abs(score) < SURE else int(np.sign(score))


def sign_score(current: Floats, voltage: Floats) -> float:
    """How surely the voltage follows a current, in standard errors; negative when it falls.

    Two witnesses: resistance makes the voltage follow every large step of current, and between the
    steps the voltage creeps up while charging and down while discharging. Each is a mean against
    its own scatter; together they must stand clear of chance.
    """
    with np.errstate(invalid="ignore"):  # without end, twice in a row
        step_a, step_v = np.diff(current), np.diff(voltage)
    good = np.isfinite(step_a) & np.isfinite(step_v)
    step_a, step_v, amps = step_a[good], step_v[good], current[1:][good]
    if step_a.size < 8 or not np.any(amps):
        return 0.0
    large = (np.abs(step_a) >= 0.25 * np.abs(step_a).max()) & (step_a != 0)
    calm = (
        np.clip(step_v[~large], *np.quantile(step_v[~large], [0.02, 0.98]))
        if np.any(~large)
        else np.zeros(1)
    )
    follows = np.sign(step_a[large]) * step_v[large]
    creeps = np.sign(amps[~large]) * calm if np.any(~large) else calm
    return _against_chance(follows, float(np.std(calm))) + _against_chance(creeps, 0.0)


def _against_chance(values: Floats, least_sd: float) -> float:
    """Mean over its standard error; 0 for nothing."""
    if values.size == 0:
        return 0.0
    sd = max(float(np.std(values)), least_sd, 1e-9)
    return float(np.mean(values)) / sd * float(np.sqrt(values.size))


def soc_sign(current: Floats, soc: Floats) -> int:
    """The sign by the percentage: it rises while the pack is charged."""
    known = np.flatnonzero(np.isfinite(soc) & np.isfinite(current))
    if known.size < 8:
        return 0
    steps = np.diff(soc[known])
    steps[np.abs(steps) > 20.0] = 0.0  # the percentage was set anew
    flowed = np.add.reduceat(current[known], np.arange(known.size))[1:]
    moved = steps != 0
    if moved.sum() < 4:
        return 0
    agree = np.sign(steps[moved]) * np.sign(flowed[moved])
    score = _against_chance(agree, 0.3)
    return 0 if abs(score) < SURE and moved.sum() < 40 else int(np.sign(score))


def runs_both_ways(current: Floats, witness: Witness) -> bool:
    """Whether the pack is charged as well as discharged while this current flows.

    By the percentage where there is one; else by the voltage over stretches of current.
    """
    on = np.isfinite(current) & (np.abs(current) > 0.02 * np.nanmax(np.abs(current)))
    if witness.soc is not None:
        known = np.flatnonzero(np.isfinite(witness.soc))
        steps = np.diff(witness.soc[known])
        flowing = on[known[1:]] if known.size else np.zeros(0, bool)
        moves = steps[flowing & (steps != 0)]
        if moves.size >= 6:
            return min(float(np.mean(moves > 0)), float(np.mean(moves < 0))) > 0.1
    changes = np.flatnonzero(np.diff(on.astype(int), prepend=0))
    rises: list[float] = []
    for start, end in pairwise([*changes.tolist(), on.size]):
        stretch = witness.mean_v[start:end]
        stretch = stretch[np.isfinite(stretch)]
        if on[start] and stretch.size >= 6:
            third = max(1, stretch.size // 5)
            rises.append(float(np.mean(stretch[-third:]) - np.mean(stretch[third : 2 * third])))
    told = [r for r in rises if abs(r) > 0.002]
    if not told:
        return True  # nothing says that it flows one way only
    up = sum(r > 0 for r in told) / len(told)
    return min(up, 1 - up) > BOTH_WAYS


def never_rests(values: Floats, mean_v: Floats) -> bool:
    """Whether a current stays far from nought, as a register does whose nought is in its middle:
    the voltage falls and rises by most of its range meanwhile.
    """
    flows, volts = np.abs(values[np.isfinite(values)]), mean_v[np.isfinite(mean_v)]
    if not flows.size or flows.min() < 0.5 * flows.max() or np.ptp(volts) < RANGE_V:
        return False
    falls = np.max(np.maximum.accumulate(volts) - volts)
    rises = np.max(volts - np.minimum.accumulate(volts))
    return bool(min(falls, rises) > 0.6 * np.ptp(volts))


def implied_capacity_ah(amps: Floats, soc: Floats, time_s: Floats) -> float | None:
    """The capacity at which counted charge and percentage agree, Ah; None when too little moved."""
    step_s = np.diff(time_s, prepend=time_s[:1])
    known_steps = np.abs(step_s[1:][np.isfinite(step_s[1:])])
    usual = float(np.median(known_steps)) if known_steps.size > 1 else 0.0
    if usual <= 0:
        return None
    step_s = np.where(np.isfinite(step_s) & (np.abs(step_s) < 20 * usual), np.abs(step_s), 0.0)
    amps = np.clip(amps, -WILD_A, WILD_A)
    moved = pl.Series(amps * step_s / 3600.0).cum_sum().to_numpy()
    known = np.flatnonzero(np.isfinite(soc))
    if known.size < 10:
        return None
    hops = known[:: max(1, known.size // 40)]
    pct, ah = np.diff(soc[hops]), np.diff(moved[hops])
    good = (np.abs(pct) > 0.5) & (np.abs(pct) < 40)
    if good.sum() < 3 or np.sum(np.abs(pct[good])) < 5.0:
        return None
    slope = float(np.median(np.abs(ah[good] / pct[good])))
    return slope * 100.0 if slope > 0 else None
