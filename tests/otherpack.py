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
from itertools import pairwise

import numpy as np

from nipper.core.logs.model import Log
from nipper.core.setup import Setup
from tests import otherstep as step
from tests.conftest import REFERENCE

Floats = np.ndarray
START_S = 1.75e9
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


@dataclass
class Pack:
    """One pack of a bank; its cells may be changed at midnight, where they leak."""

    setup: Setup
    cells: Cells
    use: Use

    def each(self, value: Floats | float) -> Floats:
        """One value for each cell."""
        return np.ones(self.setup.cells) * value

    @property
    def ohm(self) -> Floats:
        sheet_mohm = self.setup.cell.resistance_mohm or 0.3
        return 1e-3 * sheet_mohm / self.setup.cells_in_parallel * self.each(self.cells.resistance)

    @property
    def capacity_ah(self) -> Floats:
        return self.setup.capacity_ah * self.each(self.cells.capacity)

    @property
    def charge_ah(self) -> Floats:
        """At the start."""
        missing_pct = 100.0 - self.use.start_pct - self.each(self.cells.offset_pct)
        return self.capacity_ah - missing_pct / 100.0 * self.setup.capacity_ah

    @property
    def leak_ah(self) -> Floats:
        """In a step."""
        return self.each(self.cells.leak_mah_day) / 24e3 * (self.use.step_s / 3600.0)

    @property
    def trips_v(self) -> tuple[float, float, float, float]:
        over = self.setup.protection.cell_over_voltage
        under = self.setup.protection.cell_under_voltage
        return over.trip_v, over.release_v, under.trip_v, under.release_v

    @property
    def balance(self) -> tuple[float, float, float, float]:
        balancer = self.setup.balancer
        if not self.use.balance or balancer is None or balancer.kind != "passive":
            return 0.0, 0.0, 0.0, float(step.ALWAYS)
        when = {"always": step.ALWAYS, "charging": step.CHARGING, "rest": step.REST}[balancer.when]
        taken_ah = balancer.current_a * (self.use.step_s / 3600.0)
        return taken_ah, balancer.start_v, 1e-3 * balancer.delta_mv, float(when)

    def curves(self) -> list[tuple[Floats, Floats]]:
        """The rest curve of each cell."""
        return [self.cells.own_curves.get(c, self.cells.curve) for c in range(self.setup.cells)]


def _bank(packs: Sequence[Pack], ways_ohm: Sequence[float], rows: int) -> step.Bank:
    """The packs as the compiled step takes them."""
    shape = len(packs), packs[0].setup.cells
    curves = [curve for pack in packs for curve in pack.curves()]
    ends = np.cumsum([pct.size for pct, _ in curves])
    ohm, cells = np.array([p.ohm for p in packs]), [p.cells for p in packs]
    slow = np.array([c.slow_share for c in cells])[:, None]
    return step.Bank(
        curve_pct=np.concatenate([pct for pct, _ in curves]),
        curve_v=np.concatenate([volts for _, volts in curves]),
        curve_from=np.r_[0, ends[:-1]].reshape(shape),
        curve_to=ends.reshape(shape),
        capacity=np.array([p.capacity_ah for p in packs]),
        fast_ohm=0.7 * ohm,
        slow_ohm=0.7 * slow * ohm,
        leak_ah=np.array([p.leak_ah for p in packs]),
        bias_v=np.array([1e-3 * p.each(p.cells.bias_mv) for p in packs]),
        hysteresis_v=np.array([1e-3 * c.hysteresis_mv for c in cells]),
        kept=np.array([np.exp(-p.use.step_s / p.cells.slow_s) for p in packs]),
        way_ohm=np.array(ways_ohm, float),
        name_ah=np.array([p.setup.capacity_ah for p in packs]),
        trips_v=np.array([p.trips_v for p in packs]),
        balance=np.array([p.balance for p in packs]),
        charge=np.array([p.charge_ah for p in packs]),
        slow_v=np.zeros(shape),
        swing=np.zeros(shape),
        rest_v=np.zeros(shape),
        source_v=np.zeros(shape),
        tripped=np.zeros(len(packs), bool),
        dark=np.zeros(len(packs), bool),
        out_v=np.empty((len(packs), rows, shape[1])),
        out_a=np.empty((len(packs), rows)),
        flags=np.zeros((len(packs), rows, shape[1]), bool),
    )


def _drive(setups: Sequence[Setup], use: Use, rows: int, rng: np.random.Generator) -> step.Drive:
    charger, ah = setups[0].charging, sum(s.capacity_ah for s in setups)
    since_h = np.arange(rows) * (use.step_s / 3600.0)
    wanted, source = zip(*(_wanted(use, float(h), ah, rng) for h in since_h), strict=True)
    more_v = use.equalise_v * np.isin((since_h // 24).astype(int), use.equalise_days)
    return step.Drive(
        step_s=float(use.step_s),
        wanted_a=np.array(wanted, float),
        source=np.array(source, bool),
        absorption_v=more_v + (charger.absorption_v if charger else np.nan),
        float_v=more_v + ((charger.float_v or 0.0) if charger else np.nan),
        held_s=60.0 * charger.absorption_min if charger else np.inf,
        names_ah=float(ah),
        state=np.zeros(2),
    )


def _log(pack: Pack, bank: step.Bank, p: int, rng: np.random.Generator) -> Log:
    """What its BMS wrote."""
    use, out_v = pack.use, bank.out_v[p]
    read = out_v + bank.bias_v[p] + rng.normal(0.0, 1e-3 * use.noise_mv, out_v.shape)
    coarse = 1e-3 * use.step_mv
    cell_v = (np.round(read / coarse) * coarse).astype(np.float32)
    return Log(
        time_s=START_S + np.arange(out_v.shape[0]) * use.step_s,
        current_a=np.round(bank.out_a[p] + use.current_offset_a, 1),
        pack_v=cell_v.sum(axis=1).astype(float).round(2),
        cell_v=cell_v,
        temp_c=np.full((out_v.shape[0], 1), 20.0, np.float32),
        balancing=bank.flags[p] if pack.setup.balancer and use.balance else None,
    )


def _offset_pct(pack: Pack, bank: step.Bank, p: int) -> Floats:
    """Each cell's charge now, as % of the setup's capacity missing to its own full, less the
    median's.
    """
    missing = 100.0 * (bank.capacity[p] - bank.charge[p]) / pack.setup.capacity_ah
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
    rows = int(use.days * 86400 / use.step_s)
    packs = [Pack(s, c, use) for s, c in zip(setups, cells, strict=True)]
    bank, drive = _bank(packs, ways_ohm, rows), _drive(setups, use, rows, rng)
    day_of = (np.arange(rows) * (use.step_s / 3600.0) // 24).astype(int)
    starts = [*np.flatnonzero(np.diff(day_of, prepend=-1)).tolist(), rows]
    for first, last in pairwise(starts):
        if first:
            each_day(int(day_of[first]), packs)
            bank.leak_ah[:] = [p.leak_ah for p in packs]
        step.run(bank, drive, first, last)
    return [(_log(p, bank, i, rng), _offset_pct(p, bank, i)) for i, p in enumerate(packs)]


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
