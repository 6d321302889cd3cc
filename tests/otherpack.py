"""Packs of another physics than the project's own simulator, for judging what is judged nowhere
else.

Nothing is shared with ``nipper.core.simulate``: the rest curve is any table (the published ones lie
in ``tests/reference``), one branch of diffusion that is slow in proportion to charge, hysteresis
after Plett's one-state model, a charger that holds the pack's voltage, a house by the hour, a meter
with an offset. What is the matter with the cells is given, so the truth is known.
"""

import csv
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import numpy as np

from nipper.core.logs.model import Log
from nipper.core.setup import Setup
from tests.conftest import REFERENCE

Floats = np.ndarray
START_S = 1.75e9
NEAR_PCT = 0.3
TEST_FROM_H, TEST_TO_H = 18.5, 4.0  # of a capacity test: overnight


def published_curve(file: str, column: str) -> tuple[Floats, Floats]:
    """A published curve of rest voltage: charge in %, volts."""
    with (REFERENCE / file).open(encoding="utf-8") as text:
        rows = [r for r in csv.DictReader(text) if r[column]]
    key = next(k for k in rows[0] if k.startswith("soc"))
    pct, volts = np.array([(float(r[key]), float(r[column])) for r in rows]).T
    return pct, volts


@dataclass
class Cells:
    """What the cells are: one value each, or one for all."""

    curve: tuple[Floats, Floats]
    own_curves: dict[int, tuple[Floats, Floats]] = field(default_factory=dict)  # of single cells
    offset_pct: Floats | float = 0.0  # charge missing to its own full, + = fuller
    capacity: Floats | float = 1.0  # of the setup's
    resistance: Floats | float = 1.0  # of the setup's
    leak_mah_day: Floats | float = 0.0
    bias_mv: Floats | float = 0.0
    hysteresis_mv: float = 10.0
    slow_share: float = 0.8  # of the ohmic resistance, with the time below
    slow_s: float = 1500.0


@dataclass
class Use:
    """How the pack is used and read."""

    days: float = 8.0
    step_s: float = 60.0
    start_pct: float = 55.0
    sun_c: float = 0.22  # of capacity an hour, at noon
    house_c: float = 0.035  # of capacity an hour, mean; the evening takes three times that
    dark_days: tuple[int, ...] = ()
    noise_mv: float = 0.5
    step_mv: float = 1.0
    current_offset_a: float = 0.05
    seed: int = 1
    balance: bool = True  # by the setup's own balancer, if it has one
    equalise_days: tuple[int, ...] = ()  # the charger goes higher by the value below
    equalise_v: float = 0.0
    test_days: tuple[int, ...] = ()  # from the evening on discharged at the rate below, to the end
    test_c: float = 0.2
    hours: list[tuple[float, float, float]] = field(
        default_factory=list
    )  # from, to (hours since the start), C: instead of sun and house
    rows_c: Floats | None = None  # what source less load would give in each row: likewise


class Pack:
    """One pack, step by step: what it drives, and what a current does to it."""

    def __init__(self, setup: Setup, cells: Cells, use: Use, rows: int) -> None:
        wide, ah = np.ones(setup.cells), setup.capacity_ah
        self.setup, self.cells, self.use, self.wide = setup, cells, use, wide
        self.capacity = ah * cells.capacity * wide
        r_ohm = (
            1e-3
            * (setup.cell.resistance_mohm or 0.3)
            / setup.cells_in_parallel
            * cells.resistance
            * wide
        )
        self.fast_ohm, self.slow_ohm = 0.7 * r_ohm, 0.7 * cells.slow_share * r_ohm
        missing = (100.0 - use.start_pct - cells.offset_pct * wide) / 100.0 * ah
        self.charge = self.capacity - missing
        self.slow_v, self.swing = np.zeros(setup.cells), np.zeros(setup.cells)
        self.kept = np.exp(-use.step_s / cells.slow_s)
        self.tripped, self.dark = False, False
        self.ohms = self.fast_ohm + (1.0 - self.kept) * self.slow_ohm
        self.source_v, self.rest_v = self.wide, self.wide
        self.out_v, self.out_a = np.empty((rows, setup.cells)), np.empty(rows)
        self.flags = np.zeros((rows, setup.cells), bool)

    def look(self) -> None:
        """Its cells' voltages without current."""
        cells = self.cells
        pct = 100.0 * self.charge / self.capacity
        self.rest_v = self._curve(pct) + 1e-3 * cells.hysteresis_mv * self.swing
        self.source_v = self.rest_v + self.kept * self.slow_v

    def _curve(self, pct: Floats) -> Floats:
        rest = np.interp(pct, *self.cells.curve, left=None, right=None)
        for cell, curve in self.cells.own_curves.items():
            rest[cell] = np.interp(pct[cell], *curve)
        over = pct - 100.0
        # beyond its ends the voltage runs away
        return rest + np.maximum(over, 0.0) * 0.25 - np.maximum(-100.0 - over, 0.0) * 0.15

    @property
    def stiff_ohm(self) -> float:
        """What its voltage moves by within a step, for each ampere: its resistance, and how fast it
        fills. Without the latter, packs at a knee would throw currents at each other.
        """
        pct = 100.0 * self.charge / self.capacity
        rise = (self._curve(pct + NEAR_PCT) - self._curve(pct - NEAR_PCT)) / (2.0 * NEAR_PCT)
        fills = 100.0 / self.capacity * self.use.step_s / 3600.0
        return float((self.ohms + rise * fills).sum())

    def blocks(self, amps: float) -> bool:
        """Whether its switches let no such current through."""
        return (self.tripped and amps > 0.0) or (self.dark and amps < 0.0)

    def carry(self, row: int, amps: float, at_end: bool = False) -> None:
        """A step of time with this current; read at its begin or its end."""
        cells, ah, hours = self.cells, self.setup.capacity_ah, self.use.step_s / 3600.0
        trip = self.setup.protection.cell_over_voltage
        low = self.setup.protection.cell_under_voltage
        v = self.source_v + amps * self.ohms
        self.out_v[row], self.out_a[row] = v, amps
        read_v = v + 1e-3 * cells.bias_mv * self.wide
        high_v, low_v = read_v.max(), read_v.min()
        self.tripped = high_v >= trip.trip_v or (self.tripped and high_v > trip.release_v)
        self.dark = low_v <= low.trip_v or (self.dark and low_v < low.release_v)
        self.slow_v = self.kept * self.slow_v + (1.0 - self.kept) * self.slow_ohm * amps
        leak = cells.leak_mah_day * self.wide / 24e3 * hours
        self.charge = self.charge + amps * hours - leak
        pace = 1.0 - np.exp(-12.0 * abs(amps) * hours / ah)
        self.swing = self.swing + (np.sign(amps) - self.swing) * pace
        balancer = self.setup.balancer if self.use.balance else None
        if balancer and balancer.kind == "passive":
            allowed = {"charging": amps > 0.2, "rest": abs(amps) < 0.2, "always": True}[
                balancer.when
            ]
            busy = (
                (read_v > balancer.start_v)
                & (read_v - read_v.min() > 1e-3 * balancer.delta_mv)
                & allowed
            )
            self.charge = self.charge - busy * balancer.current_a * hours
            self.flags[row] = busy
        if at_end:
            self.look()
            self.out_v[row] = self.rest_v + self.slow_v + amps * self.fast_ohm

    def log(self, rng: np.random.Generator) -> Log:
        """What its BMS wrote."""
        use, noise = self.use, rng.normal(0.0, 1e-3 * self.use.noise_mv, self.out_v.shape)
        read = self.out_v + 1e-3 * self.cells.bias_mv * self.wide + noise
        step = 1e-3 * use.step_mv
        cell_v = (np.round(read / step) * step).astype(np.float32)
        rows = self.out_a.size
        return Log(
            time_s=START_S + np.arange(rows) * use.step_s,
            current_a=np.round(self.out_a + use.current_offset_a, 1),
            pack_v=cell_v.sum(axis=1).astype(float).round(2),
            cell_v=cell_v,
            temp_c=np.full((rows, 1), 20.0, np.float32),
            balancing=self.flags if self.setup.balancer and use.balance else None,
        )

    @property
    def offset_pct(self) -> Floats:
        """Each cell's charge now, as % of the setup's capacity missing to its own full, less the
        median's.
        """
        missing = 100.0 * (self.capacity - self.charge) / self.setup.capacity_ah
        return np.median(missing) - missing


def make(setup: Setup, cells: Cells, use: Use) -> tuple[Log, Floats]:
    """The log, and each cell's charge at the last row as % of the setup's capacity missing to its
    own full, less the median's.
    """
    [(log, offset_pct)] = make_bank([setup], [cells], [0.0], use)
    return log, offset_pct


def make_bank(
    setups: Sequence[Setup],
    cells: Sequence[Cells],
    ways_ohm: Sequence[float],
    use: Use,
    each_day: Callable[[int, Sequence[Pack]], None] = lambda _day, _packs: None,
) -> list[tuple[Log, Floats]]:
    """The same for packs at one bus, each behind a way of its own; ``each_day`` may change them at
    midnight, as hands do.
    """
    rng = np.random.default_rng(use.seed)
    rows, hours = int(use.days * 86400 / use.step_s), use.step_s / 3600.0
    packs = [Pack(s, c, use, rows) for s, c in zip(setups, cells, strict=True)]
    charger, ah = setups[0].charging, sum(s.capacity_ah for s in setups)
    held_s, floating, day = 0.0, False, 0
    for k in range(rows):
        since_h = k * hours
        if int(since_h // 24) > day:
            day = int(since_h // 24)
            each_day(day, packs)
        wanted, source = _wanted(use, since_h, ah, rng)
        for pack in packs:
            pack.look()
        amps = wanted
        if charger and wanted > 0.0:
            target_v = (charger.float_v or 0.0) if floating else charger.absorption_v
            target_v += use.equalise_v * (day in use.equalise_days)
            most = sum(
                (target_v - p.source_v.sum()) / ohms
                for p, ohms in zip(packs, _ohms(packs, ways_ohm), strict=True)
            )
            if most < amps:
                amps = max(most, 0.0 if source else min(wanted, 0.0))
                if not floating and amps >= 0.0:
                    held_s += use.step_s
                    floating = held_s > 60.0 * charger.absorption_min
        if since_h % 24.0 < 0.5 * hours or wanted < -0.02 * ah:
            held_s, floating = 0.0, False
        for pack, share in zip(packs, _shared(packs, ways_ohm, float(amps)), strict=True):
            pack.carry(k, share, at_end=len(packs) > 1)
    return [(pack.log(rng), pack.offset_pct) for pack in packs]


def _ohms(packs: Sequence[Pack], ways_ohm: Sequence[float]) -> list[float]:
    if len(packs) == 1:
        return [packs[0].ohms.sum()]
    return [p.stiff_ohm + way for p, way in zip(packs, ways_ohm, strict=True)]


def _shared(packs: Sequence[Pack], ways_ohm: Sequence[float], amps: float) -> list[float]:
    """How they share a current: one voltage at the bus, none through a pack that blocks it."""
    on = [True] * len(packs)
    if len(packs) == 1:
        return [0.0 if packs[0].blocks(amps) else amps]
    while any(on):
        ohms = np.array(_ohms(packs, ways_ohm))
        drive_v = np.array([p.source_v.sum() for p in packs])
        through = np.array(on) / ohms
        bus_v = (amps + float(through @ drive_v)) / through.sum()
        shares = [float(x) for x in through * (bus_v - drive_v)]
        blocked = [i for i, p in enumerate(packs) if on[i] and p.blocks(shares[i])]
        if not blocked:
            return shares
        for i in blocked:
            on[i] = False
    return [0.0] * len(packs)


def _wanted(use: Use, since_h: float, ah: float, rng: np.random.Generator) -> tuple[float, bool]:
    """What source less load would give the pack, A, and whether there is a source."""
    if use.rows_c is not None:
        c = float(use.rows_c[round(3600.0 * since_h / use.step_s)])
        return c * ah, c > 0.0
    if use.hours:
        c = next((c for a, b, c in use.hours if a <= since_h < b), 0.0)
        return c * ah, c > 0.0
    hour, day = since_h % 24.0, int(since_h // 24)
    if (day in use.test_days and hour >= TEST_FROM_H) or (
        day - 1 in use.test_days and hour < TEST_TO_H
    ):
        return -use.test_c * ah, False
    sun = max(0.0, np.sin(np.pi * (hour - 7.0) / 11.0)) * use.sun_c if 7.0 < hour < 18.0 else 0.0
    sun *= (0.15 if day in use.dark_days else 1.0) * (1.0 - 0.5 * float(rng.random() < 0.1))
    house = use.house_c * (3.0 if 17.5 < hour < 22.5 else 0.7) * rng.uniform(0.6, 1.4)
    house += 0.2 * float(rng.random() < 0.01)
    return float((sun - house) * ah), sun > 0.0
