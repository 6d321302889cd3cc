"""The other physics in other lives than a house with sun: ``python -m tests.bench.lives [FROM
[TO]]``.

A commuter's vehicle, a boat, a battery that waits for outages, a bicycle, a house that buys at
night, a van in winter, a hoist. Loads come in pulses, charges end where the day ends, some packs
are seldom full. The diagnosis was not made on any of them.
"""

from collections.abc import Callable
from functools import lru_cache

import numpy as np

from nipper.core.presets import new_setup
from nipper.core.setup import put
from tests.bench.meters import Named, main, named
from tests.bench.others import CAUSES, KEPT, LEVELS_V, OtherPack, of_use
from tests.otherpack import Use

Floats = np.ndarray
Life = Callable[[Floats, np.random.Generator], Floats]  # C in each row, of the hours since a start


def _pulses(h: Floats, rng: np.random.Generator, mean_c: float, back: float = 0.0) -> Floats:
    """A load in pulses of some seconds to minutes, now and then driven back."""
    rows = h.size
    holds = rng.geometric(0.3, rows)
    level = rng.exponential(mean_c, rows)
    level[rng.random(rows) < back] = -0.4 * mean_c
    return -np.repeat(level, holds)[:rows]


def commuter(h: Floats, rng: np.random.Generator) -> Floats:
    """A vehicle: driven twice on working days, charged at night, not every night."""
    hour, day = h % 24.0, (h // 24.0).astype(int)
    works = day % 7 < 5
    takes_h = float(rng.uniform(0.4, 0.9))
    drives = works & (((hour - 7.0) % 10.0 < takes_h) & (hour > 7.0) & (hour < 18.0))
    plugged = (rng.random(day[-1] + 2) < 0.7)[day] & ((hour > 21.5) | (hour < 1.0))
    charge_c = float(rng.uniform(0.12, 0.3))
    return np.where(drives, _pulses(h, rng, 0.4, 0.15), np.where(plugged, charge_c, 0.0))


def boat(h: Floats, rng: np.random.Generator) -> Floats:
    """A house on the water: an alternator by day, ashore at the weekend."""
    hour, day = h % 24.0, (h // 24.0).astype(int)
    ashore = (day % 7 >= 5) & (hour > 8.0)
    motors = (rng.random(day[-1] + 1) < 0.6)[day] & (hour > 10.0) & (hour < 12.0)
    fridge = -0.02 - 0.04 * ((hour * 3.0) % 1.0 < 0.4)
    return np.where(ashore, float(rng.uniform(0.08, 0.2)), np.where(motors, 0.3, fridge))


def backup(h: Floats, rng: np.random.Generator) -> Floats:
    """It waits, held at its charger, and is used for some hours a week."""
    day = (h // 24.0).astype(int)
    out = np.zeros(h.size, bool)
    for first in range(2, day[-1] + 1, int(rng.integers(4, 8))):
        begins = 24.0 * first + float(rng.uniform(0.0, 20.0))
        out |= (h > begins) & (h < begins + float(rng.uniform(1.5, 4.5)))
    return np.where(out, float(rng.uniform(-0.22, -0.12)), float(rng.uniform(0.05, 0.2)))


def bicycle(h: Floats, rng: np.random.Generator) -> Floats:
    """Ridden every other day, nearly empty, and charged afterwards."""
    hour, day = h % 24.0, (h // 24.0).astype(int)
    rides = (day % 2 == 0) & (hour > 9.0) & (hour < 9.0 + float(rng.uniform(1.5, 2.4)))
    charges = (day % 2 == 0) & (hour > 14.0) & (hour < 21.0)
    return np.where(rides, _pulses(h, rng, 0.35), np.where(charges, 0.2, 0.0))


def night_rate(h: Floats, rng: np.random.Generator) -> Floats:
    """Charged from the grid at night, emptied in the evening by a house."""
    hour = h % 24.0
    evening = (hour > 16.5) & (hour < 22.0)
    house = -np.repeat(rng.uniform(0.03, 0.2, h.size // 10 + 1), 10)[: h.size]
    return np.where(evening, house, np.where(hour < 5.0, float(rng.uniform(0.15, 0.25)), 0.0))


def winter_van(h: Floats, rng: np.random.Generator) -> Floats:
    """Little sun, a drive twice a week, seldom full."""
    hour, day = h % 24.0, (h // 24.0).astype(int)
    sun = 0.05 * np.clip(np.sin(np.pi * (hour - 8.5) / 7.5), 0.0, None) * (hour > 8.5) * (hour < 16)
    drives = (day % 4 == 1) & (hour > 10.0) & (hour < 10.0 + float(rng.uniform(2.0, 4.0)))
    heater = 0.025 * ((hour * 2.0) % 1.0 < 0.5) + 0.03 * (hour > 18.0)
    return np.where(drives, 0.28, sun - heater)


def hoist(h: Floats, rng: np.random.Generator) -> Floats:
    """Hard pulses through the working day, charged at noon and at night."""
    hour, day = h % 24.0, (h // 24.0).astype(int)
    works = (day % 7 < 6) & (hour > 7.5) & (hour < 16.0) & ~((hour > 12.0) & (hour < 13.0))
    lifts = _pulses(h, rng, 0.8) * (np.repeat(rng.random(h.size // 4 + 1), 4)[: h.size] < 0.08)
    charges = ((hour > 12.0) & (hour < 13.0)) | (hour > 18.0)
    return np.where(works, lifts - 0.01, np.where(charges, 0.2, 0.0))


LIVES: tuple[Life, ...] = (commuter, boat, backup, bicycle, night_rate, winter_van, hoist)


@lru_cache(maxsize=KEPT)
def lived(which: int, cause: str, n: int) -> OtherPack:
    """Case ``n`` of a cause in a life; "" is healthy."""
    rng = np.random.default_rng([53, n, which, CAUSES.index(cause)])
    lfp_only = cause in ("sense_bias", "group_drain")
    chemistry = "lfp" if lfp_only or rng.random() < 0.6 else "nmc"
    cells = int(rng.choice([8, 10, 13, 16] if cause == "group_drain" else [4, 7, 10, 13, 16]))
    plain = cause in ("soc_offset", "low_capacity")
    balancer = "none" if plain else str(rng.choice(["passive", "none"]))
    setup = new_setup(chemistry, cells, float(rng.choice([20.0, 100.0, 280.0])), balancer=balancer)  # pyright: ignore[reportArgumentType]
    level = float(rng.uniform(*LEVELS_V[chemistry]))
    setup = put(setup, {"charging.absorption_v": round(cells * level, 2), "charging.tail_a": None})
    slow = cause in ("self_discharge", "group_drain")
    days = float(rng.uniform(25, 35) if slow else rng.uniform(8, 14))
    step_s = float(rng.choice([30.0, 60.0, 60.0]))
    rows = int(days * 86400 / step_s)
    use = Use(
        days=days,
        step_s=step_s,
        start_pct=float(rng.uniform(45, 75)),
        rows_c=LIVES[which](np.arange(rows) * step_s / 3600.0, rng),
        noise_mv=float(rng.uniform(0.3, 1.2)),
        current_offset_a=float(rng.uniform(-0.0005, 0.0005)) * setup.capacity_ah,
        seed=int(rng.integers(1 << 30)),
    )
    return of_use(cause, setup, use, rng)


def judge(case: tuple[int, str, int]) -> Named:
    """Make a case and diagnose it."""
    which, cause, number = case
    pack = lived(which, cause, number)
    return named(LIVES[which].__name__, number, pack, pack.log)


if __name__ == "__main__":
    main(judge, LIVES)
