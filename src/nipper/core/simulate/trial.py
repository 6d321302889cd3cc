"""Run a setup through a scenario: hands the pack to the kernel from event to event, and gives logs,
truth and what happened.

A run keeps its state every few days, so that any moment can be run again in steps of a second.
"""

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from nipper.core.errors import InputError
from nipper.core.logs.model import Log
from nipper.core.setup import Setup, put
from nipper.core.simulate import build, kernel, layout
from nipper.core.simulate.layout import Floats
from nipper.core.simulate.scenario import CellFault, Event, Scenario

MOST_STEPS_AT_ONCE = 200_000  # between two looks at whether the user still wants it
KEEP_EVERY_S = 72 * 3600.0  # what a closer look goes on from: three days take some ms


@dataclass(frozen=True, eq=False, slots=True)
class BmsEvent:
    """A protection that tripped, released, or an alarm."""

    time_s: float
    pack: int
    protection: str
    kind: str  # trip, release, alarm
    cell: int | None
    value: float


@dataclass(frozen=True, eq=False, slots=True)
class Trial:
    """What came of it: one log a pack as its BMS would have recorded it, the truth beside it, and
    what happened.
    """

    setup: Setup  # as it stood at the start
    scenario: Scenario
    start_s: float
    logs: tuple[Log, ...]
    true_pct: NDArray[np.floating]  # [rows, packs, cells] charge, % of the cell's own capacity
    limiter: NDArray[np.int8]  # [rows] index into layout.LIMITERS
    bus_a: NDArray[np.floating]  # [rows, 3] what the sun could give, what all chargers gave, loads
    events: tuple[BmsEvent, ...]
    moved_ah: Floats  # [packs, cells] by the balancer
    leaked_ah: Floats  # [packs, cells] by themselves and to electronics
    gained_ah: Floats  # [packs, cells] charge at the end less at the start
    charged_ah: Floats  # [packs]
    discharged_ah: Floats  # [packs]
    into_packs_wh: float  # net
    heat_wh: float
    not_taken_wh: float
    not_served_wh: float
    dark_h: float
    balancing_h: float
    above_start_h: float
    kept: tuple["Moment", ...] = field(default=(), repr=False)

    @property
    def trips(self) -> list[BmsEvent]:
        """Protections that acted."""
        return [e for e in self.events if e.kind == "trip"]


@dataclass(eq=False, slots=True)
class Moment:
    """A run at one moment; going on from it changes it, so that who keeps one keeps a copy."""

    step_s: float
    done_s: float
    setup: Setup
    faults: list[CellFault]
    state: layout.State
    by_hand: list[Event]  # sensors
    offline: list[int]
    link_up: bool

    def copy(self) -> "Moment":
        """The same moment with arrays of its own."""
        state = layout.State._make(a.copy() for a in self.state)
        return replace(
            self,
            faults=list(self.faults),
            state=state,
            by_hand=list(self.by_hand),
            offline=list(self.offline),
        )


@dataclass(frozen=True, eq=False, slots=True)
class _World:
    """What a scenario draws once, whatever the step."""

    scenario: Scenario
    minutes: layout.Minutes
    healthy: build.Spread
    noise: Floats


def run(
    setup: Setup, scenario: Scenario, tick: Callable[[float], None] = lambda _share: None
) -> Trial:
    """Run the settings on a simulated pack.

    Parameters
    ----------
    setup, scenario : what to run, and through what
    tick : called with the fraction done; what it raises ends the run

    Raises
    ------
    InputError
        An event changes a setting to something no setup can hold, or names a pack, cell or sensor
        that is not there.
    """
    begin_s = build.start_s(scenario)
    world = _world(setup, scenario)
    faults = list(scenario.cells)
    cells = build.cells(setup, scenario, faults, world.healthy)
    state = build.state(setup, scenario, cells, world.healthy, world.minutes.ambient_c[0])
    before_ah = state.charge_ah.copy()
    now = Moment(scenario.step_s, 0.0, setup, faults, state, [], [], True)
    steps = max(1, round(scenario.days * 86400.0 / scenario.step_s))
    record = build.record(setup, scenario.step_s, scenario.log_every_s, steps, scenario.sensors)
    kept: list[Moment] = []
    leaked = np.zeros_like(before_ah)
    _advance(now, world, record, steps, kept, leaked, tick)
    return _result(setup, scenario, now, record, begin_s, kept, leaked, before_ah)


def zoom(trial: Trial, from_s: float, to_s: float, step_s: float = 1.0) -> Trial:
    """The same run between two moments again, in steps of a second, under the same sky, every step
    a row.

    Parameters
    ----------
    from_s, to_s : Unix seconds, within the trial
    """
    scenario = trial.scenario
    first = max(0.0, from_s - trial.start_s)
    last = min(max(to_s - trial.start_s, first + step_s), scenario.days * 86400.0)
    world = _world(trial.setup, scenario)
    now = next(m for m in reversed(trial.kept) if m.done_s <= first).copy()
    now.state.rows[:] = 0
    coarse = build.record(now.setup, now.step_s, 3600.0, 1, scenario.sensors)
    leaked = np.zeros_like(now.state.charge_ah)
    _advance(now, world, coarse, int(first / now.step_s), [], leaked)
    now.step_s = step_s
    now.state.rows[:] = 0
    start, stop = round(now.done_s / step_s), round(last / step_s)
    fine = build.record(now.setup, step_s, step_s, stop - start, scenario.sensors)
    before_ah = now.state.charge_ah.copy()
    _advance(now, world, fine, stop, [], leaked)
    return _result(
        now.setup,
        scenario.model_copy(update={"step_s": step_s}),
        now,
        fine,
        trial.start_s,
        [],
        leaked,
        before_ah,
    )


def _world(setup: Setup, scenario: Scenario) -> _World:
    rng = np.random.default_rng(scenario.seed)
    healthy = build.spread(setup, scenario, rng)
    minutes = build.minutes(setup, scenario, rng)
    return _World(scenario, minutes, healthy, _noise(scenario.seed + 1))


@lru_cache(maxsize=2)
def _noise(seed: int) -> Floats:
    """What meters add: the same table for every school of a forecast; only read."""
    rng = np.random.default_rng(seed)
    return rng.standard_normal(layout.NOISE_MASK + 1 + layout.NOISE_EXTRA).astype(np.float32)


def _advance(
    now: Moment,
    world: _World,
    record: layout.Record,
    until_step: int,
    kept: list[Moment],
    leaked: Floats,
    tick: Callable[[float], None] = lambda _share: None,
) -> None:
    """Go on to a step, from event to event."""
    scenario, step_s = world.scenario, now.step_s
    done = round(now.done_s / step_s)
    turns = _turns(scenario, step_s)
    keep_every = round(KEEP_EVERY_S / step_s)
    tables: tuple[layout.Bank, layout.Work] | None = None
    while done < until_step:
        if done % keep_every == 0:
            kept.append(now.copy())
        for event, begins in turns.get(done, ()):
            _turn(now, world, event, begins)
        ahead = [at for at in turns if at > done]
        stop = min(
            [until_step, done + MOST_STEPS_AT_ONCE, (done // keep_every + 1) * keep_every, *ahead]
        )
        if tables is None or done in turns:
            tables = _tables(now, world)
        now.state.offline[:] = False
        now.state.offline[[p - 1 for p in now.offline]] = True
        bank, work = tables
        span = layout.Span(done, stop - done, step_s, world.noise, scenario.seed)
        kernel.run(bank, now.state, work, world.minutes, record, span)
        leaked += bank.cells.leak_a * (stop - done) * step_s / 3600.0
        done = stop
        now.done_s = done * step_s
        tick(done / until_step)


def _tables(now: Moment, world: _World) -> tuple[layout.Bank, layout.Work]:
    """What the kernel needs besides the state; made anew when something has changed."""
    setup, scenario = now.setup, world.scenario
    bank = layout.Bank(
        cells=build.cells(setup, scenario, now.faults, world.healthy),
        limits=build.limits(setup),
        bms=build.bms(setup),
        chargers=build.chargers(setup, scenario),
        wires=build.wires(setup, scenario),
        link=build.link(setup, now.link_up),
        sensor_c=build.sensors(setup, scenario, now.by_hand),
    )
    return bank, build.work(bank.cells, len(bank.chargers))


def _turns(scenario: Scenario, step_s: float) -> dict[int, list[tuple[Event, bool]]]:
    """At which step which event begins (true) or ends."""
    out: dict[int, list[tuple[Event, bool]]] = {}
    for event in sorted(scenario.events, key=lambda e: e.day):
        out.setdefault(round(event.day * 86400.0 / step_s), []).append((event, True))
        if event.minutes is not None:
            out.setdefault(round((event.day * 86400.0 + event.minutes * 60.0) / step_s), []).append(
                (event, False)
            )
    return out


def _turn(now: Moment, world: _World, event: Event, begins: bool) -> None:
    if event.sensor_c is not None:
        (now.by_hand.append if begins else now.by_hand.remove)(event)
    if event.offline is not None:
        if event.offline > now.setup.packs_in_parallel:
            raise InputError(
                "scenario", "events.offline", f"a pack up to {now.setup.packs_in_parallel}"
            )
        (now.offline.append if begins else now.offline.remove)(event.offline)
    if event.link_lost:
        now.link_up = not begins
    if not begins:
        return
    now.setup = put(now.setup, event.settings) if event.settings else now.setup
    now.faults += event.cells
    for fault in event.cells:
        if fault.offset_pct:
            at = build.place(now.setup, fault)
            now.state.charge_ah[at] += (
                fault.offset_pct / 100.0 * build.capacities_ah(now.setup)[at[0]]
            )


def _result(
    setup: Setup,
    scenario: Scenario,
    now: Moment,
    record: layout.Record,
    begin_s: float,
    kept: list[Moment],
    leaked: Floats,
    before_ah: Floats,
) -> Trial:
    state = now.state
    rows = int(state.rows[0])
    time_s = begin_s + record.time_step[:rows] * scenario.step_s
    logs = tuple(
        Log(
            time_s=time_s,
            current_a=record.current_a[:rows, p].round(1),
            pack_v=record.pack_v[:rows, p].round(2),
            cell_v=np.asfortranarray(record.cell_v[:rows, p]).round(3),
            temp_c=record.temp_c[:rows, p],
            soc_pct=record.soc_pct[:rows, p],
            balancing=record.balancing[:rows, p],
        )
        for p in range(setup.packs_in_parallel)
    )
    totals: list[float] = state.totals.tolist()
    return Trial(
        setup=setup,
        scenario=scenario,
        start_s=begin_s,
        logs=logs,
        true_pct=record.true_pct[:rows],
        limiter=record.limiter[:rows],
        bus_a=record.bus[:rows],
        events=tuple(_event(row, scenario, begin_s) for row in record.events[: int(state.rows[1])]),
        moved_ah=state.moved_ah,
        leaked_ah=leaked,
        gained_ah=state.charge_ah - before_ah,
        charged_ah=state.through_ah[:, 0],
        discharged_ah=state.through_ah[:, 1],
        into_packs_wh=totals[layout.INTO_WH],
        heat_wh=totals[layout.HEAT_WH],
        not_taken_wh=totals[layout.NOT_TAKEN_WH],
        not_served_wh=totals[layout.NOT_SERVED_WH],
        dark_h=totals[layout.DARK_S] / 3600.0,
        balancing_h=totals[layout.BALANCING_S] / 3600.0,
        above_start_h=totals[layout.ABOVE_START_S] / 3600.0,
        kept=tuple(kept),
    )


def _event(row: Floats, scenario: Scenario, begin_s: float) -> BmsEvent:
    step, pack, protection, kind, cell, value = row
    kinds = ("trip", "release", "alarm")
    # at the end of the step in which it happened
    return BmsEvent(
        float(begin_s + (step + 1) * scenario.step_s),
        int(pack) + 1,
        layout.PROTECTIONS[int(protection)],
        kinds[int(kind)],
        int(cell) + 1 if cell >= 0 else None,
        float(value),
    )
