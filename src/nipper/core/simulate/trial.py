"""Run a setup through a scenario: builds the pack, hands it to the kernel event by event, and gives logs, truth and events."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime

import numpy as np
from numpy.typing import NDArray

from nipper.core.chemistry import chemistry
from nipper.core.errors import InputError
from nipper.core.logs.charges import cell_resistance_ohm
from nipper.core.logs.model import Log
from nipper.core.setup import Setup, put
from nipper.core.simulate import kernel, sky
from nipper.core.simulate.scenario import CellFault, Event, Scenario

Floats = NDArray[np.floating]
MAX_EVENTS = 200_000
GAS_J_MOL_K = 8.314462618
ACTIVATION_J_MOL = 25_000.0  # 15 to 40 kJ/mol, from memory; published sets give 19 to 29
BLEEDS_AT_ONCE = 3  # how many cells a passive balancer bleeds together: common practice
REST_DEAD_BAND_A = 0.2  # below this many meters read 0.0 A: common practice


@dataclass(frozen=True, eq=False, slots=True)
class BmsEvent:
    """A protection that acted (``ended`` false) or released."""

    time_s: float
    pack: int
    protection: str
    ended: bool
    cell: int | None
    value: float


@dataclass(frozen=True, eq=False, slots=True)
class Trial:
    """What came of it: one log a pack as its BMS would have recorded it, the truth beside it, and what happened."""

    logs: tuple[Log, ...]
    true_pct: NDArray[np.floating]  # [rows, packs, cells] charge, % of the cell's own capacity
    limiter: NDArray[np.int8]  # [rows] index into kernel.LIMITERS
    events: tuple[BmsEvent, ...]
    moved_ah: Floats  # [packs, cells] by the balancer
    charged_ah: float
    discharged_ah: float
    not_taken_wh: float
    balancing_h: float
    above_start_h: float


def run(setup: Setup, scenario: Scenario, tick: Callable[[float], None] = lambda _share: None) -> Trial:
    """Run the settings on a simulated pack.

    Parameters
    ----------
    setup, scenario : what to run, and through what
    tick : called with the fraction done; what it raises ends the run

    Raises
    ------
    InputError
        An event changes a setting to something no setup can hold, or names a pack or cell that is not there.
    """
    rng = np.random.default_rng(scenario.seed)
    start_s = _start(scenario)
    steps = max(1, round(scenario.days * 86400.0 / scenario.step_s))
    inputs = _inputs(setup, scenario, rng, steps, start_s)
    faults = list(scenario.cells)
    spread = _spread(setup, scenario, rng)
    cells = _cells(setup, faults, spread)
    state = _state(setup, scenario, cells, spread, inputs)
    record = _record(setup, scenario, steps)
    noise = rng.standard_normal(kernel.NOISE_MASK + 1).astype(np.float32)
    done = 0
    for until, change in _stretches(scenario, steps):
        while done < until:
            length = min(until - done, 200_000)
            kernel.run(cells, _limits(setup), _bms(setup), _charger(setup), state, inputs, record, noise, done, length, scenario.step_s, scenario.seed + done)
            done += length
            tick(done / steps)
        if change is not None:
            setup = put(setup, change.settings) if change.settings else setup
            faults += change.cells
            cells = _cells(setup, faults, spread)
            for fault in change.cells:
                if fault.offset_pct:
                    state.charge_ah[_place(setup, fault)] += fault.offset_pct / 100.0 * setup.capacity_ah
    return _result(setup, scenario, state, record, start_s)


def _stretches(scenario: Scenario, steps: int) -> Iterator[tuple[int, Event | None]]:
    for event in sorted(scenario.events, key=lambda e: e.day):
        at = round(event.day * 86400.0 / scenario.step_s)
        if at < steps:
            yield at, event
    yield steps, None


def _start(scenario: Scenario) -> float:
    try:
        return datetime.fromisoformat(scenario.start).timestamp()
    except ValueError:
        raise InputError("scenario", "start", "a time such as 2026-06-01T00:00:00+00:00") from None


def _inputs(setup: Setup, scenario: Scenario, rng: np.random.Generator, steps: int, start_s: float) -> kernel.Inputs:
    seconds = np.arange(steps) * scenario.step_s
    begin = datetime.fromtimestamp(start_s, UTC)
    hour = (begin.hour + begin.minute / 60.0 + seconds / 3600.0) % 24.0
    day = begin.timetuple().tm_yday + seconds / 86400.0
    nominal_v = chemistry(setup.chemistry).nominal_v * setup.cells
    bank_wh = nominal_v * setup.capacity_ah * setup.packs_in_parallel
    pv_w = scenario.pv_w if scenario.pv_w is not None else bank_wh / 4.0
    sun = pv_w * sky.clear_sky_w_m2(sky.cos_zenith(day, hour, scenario.latitude_deg)) / 1000.0
    sun *= sky.clouds(rng, steps, scenario.step_s, scenario.weather)
    if scenario.loads is not None:
        base, fridge, evening, kettle = scenario.loads.base_w, scenario.loads.fridge_w, scenario.loads.evening_w, scenario.loads.kettle_w
    else:
        base, fridge, evening, kettle = (share * bank_wh for share in (0.012, 0.008, 0.035, 0.11))
    load = sky.loads_w(rng, hour, scenario.step_s, base, fridge, evening, kettle)
    if setup.wiring and setup.wiring.standby_w:
        load = load + setup.wiring.standby_w * setup.packs_in_parallel
    return kernel.Inputs(sun, load, sky.ambient_c(day, hour, scenario.ambient_c, scenario.season_c, scenario.day_c))


@dataclass(frozen=True, slots=True)
class _Spread:
    """How healthy cells differ: [packs, cells] each."""

    offset_pct: Floats
    capacity: Floats
    resistance: Floats
    leak_mah_day: Floats


def _spread(setup: Setup, scenario: Scenario, rng: np.random.Generator) -> _Spread:
    shape = (setup.packs_in_parallel, setup.cells)
    return _Spread(
        offset_pct=rng.normal(0.0, 1.0, shape) * scenario.spread_offset_pct,
        capacity=1.0 + rng.normal(0.0, 0.01, shape) * scenario.spread_capacity_pct,
        resistance=1.0 + np.abs(rng.normal(0.0, 0.01, shape)) * scenario.spread_resistance_pct,
        leak_mah_day=np.abs(rng.normal(0.0, 1.0, shape)) * scenario.spread_leak_mah_per_day,
    )


def _place(setup: Setup, fault: CellFault) -> tuple[slice, slice]:
    if (fault.pack or 1) > setup.packs_in_parallel or (fault.cell or 1) > setup.cells:
        raise InputError("scenario", "cells", f"pack up to {setup.packs_in_parallel} and cell up to {setup.cells}")
    packs = slice(fault.pack - 1, fault.pack) if fault.pack else slice(None)
    return packs, slice(fault.cell - 1, fault.cell) if fault.cell else slice(None)


def _cells(setup: Setup, faults: list[CellFault], spread: _Spread) -> kernel.Cells:
    chem = chemistry(setup.chemistry)
    shape = spread.capacity.shape
    total_ohm = cell_resistance_ohm(setup) * spread.resistance
    own = {name: np.zeros(shape) for name in ("resistance", "joint", "leak", "bias", "ambient")}
    capacity = setup.capacity_ah * spread.capacity
    for fault in faults:  # a later one replaces an earlier one of the same cell: that is how a repair is written
        at = _place(setup, fault)
        own["resistance"][at] = fault.resistance_mohm * 1e-3
        own["joint"][at] = fault.joint_mohm * 1e-3
        own["leak"][at] = fault.leak_mah_per_day / 24e3
        own["bias"][at] = fault.bias_mv * 1e-3
        own["ambient"][at] = -fault.colder_c
        capacity[at] = (setup.capacity_ah * spread.capacity * fault.capacity_pct / 100.0)[at]
    mass_kg = chem.nominal_v * setup.capacity_ah / 160.0  # 160 Wh/kg, from memory of LFP cells
    return kernel.Cells(
        capacity_ah=capacity,
        # direct-current resistance after some ten seconds, split as pulse tables show: half at once, the rest within minutes
        r0_ohm=0.55 * total_ohm + own["resistance"],
        r1_ohm=0.25 * total_ohm,
        r2_ohm=0.60 * total_ohm,
        joint_ohm=own["joint"],
        leak_a=spread.leak_mah_day / 24e3 + own["leak"],
        bias_v=own["bias"],
        ambient_offset_c=own["ambient"],
        ocv_v=chem.curve.ocv(np.linspace(0.0, 100.0, 1001)),
        hysteresis_v=0.008 if setup.chemistry == "lfp" else 0.0,  # 10 to 20 mV between the branches, from memory
        tau1_s=30.0,
        tau2_s=900.0,
        arrhenius_k=ACTIVATION_J_MOL / GAS_J_MOL_K,
        heat_j_k=1000.0 * mass_kg,  # 1000 J/(kg K), from memory
        loss_w_k=0.25 * mass_kg ** (2 / 3),  # some W/K of a cell's share of the case to the air: a guess, from memory of small cases
        neighbour_w_k=0.3,
        efficiency=1.0,
    )


def _state(setup: Setup, scenario: Scenario, cells: kernel.Cells, spread: _Spread, inputs: kernel.Inputs) -> kernel.State:
    shape = cells.capacity_ah.shape
    pct = scenario.start_soc_pct + spread.offset_pct
    for fault in scenario.cells:
        pct[_place(setup, fault)] += fault.offset_pct
    return kernel.State(
        # an offset is charge missing to full, so that cells of other capacity start level at the top
        charge_ah=cells.capacity_ah - (100.0 - pct) / 100.0 * setup.capacity_ah,
        slow1_v=np.zeros(shape),
        slow2_v=np.zeros(shape),
        hysteresis=np.zeros(shape),
        temp_c=inputs.ambient_c[0] + cells.ambient_offset_c,
        moved_ah=np.zeros(shape),
        balancing=np.zeros(shape, bool),
        pending_s=np.zeros((shape[0], len(kernel.PROTECTIONS))),
        active_s=np.full((shape[0], len(kernel.PROTECTIONS)), -1.0),
        counted_pct=np.full(shape[0], scenario.start_soc_pct),
        off=np.zeros(shape[0], bool),
        charger=np.zeros(4),
        totals=np.zeros(5),
        rows=np.zeros(2, np.int64),
    )


def _limits(setup: Setup) -> kernel.Limits:
    table = np.full((3, len(kernel.PROTECTIONS)), np.nan)
    for j, name in enumerate(kernel.PROTECTIONS):
        limit = getattr(setup.protection, name)
        if limit is None:
            continue
        values = limit.model_dump()
        table[0, j] = next(v for k, v in values.items() if k.startswith("trip"))
        table[1, j] = next(v for k, v in values.items() if k.startswith("release"))
        table[2, j] = values.get("delay_s", values.get("delay_us", 2e6) / 1e6)
    return kernel.Limits(*table)


def _bms(setup: Setup) -> kernel.Bms:
    balancer = setup.balancer
    return kernel.Bms(
        power_off_v=setup.protection.power_off_v or 0.0,
        balancer_kind=0 if balancer is None else {"passive": kernel.PASSIVE, "active": kernel.ACTIVE}[balancer.kind],
        balance_a=balancer.current_a if balancer else 0.0,
        balance_start_v=balancer.start_v if balancer else 9.0,
        balance_delta_v=balancer.delta_mv / 1e3 if balancer else 9.0,
        balance_when=kernel.ALWAYS if balancer is None else {"charging": kernel.WHILE_CHARGING, "rest": kernel.AT_REST, "always": kernel.ALWAYS}[balancer.when],
        balance_at_once=BLEEDS_AT_ONCE,
        active_efficiency=0.85,  # common practice, no source
        rest_a=REST_DEAD_BAND_A,
        full_v=setup.protection.soc_full_v or np.nan,
        empty_v=setup.protection.soc_empty_v or np.nan,
        noise_v=0.0006,
        step_v=0.001,
        step_a=0.1,
        offset_a=0.04,
    )


def _charger(setup: Setup) -> kernel.Charger:
    chem, charging, wiring = chemistry(setup.chemistry), setup.charging, setup.wiring
    absorption_v = charging.absorption_v if charging else chem.usual["absorption_v"].value * setup.cells
    lead_ohm = 2e-3  # joints, fuse and switch of one pack: common practice
    if wiring and wiring.cable_mm2 and wiring.cable_length_m:
        lead_ohm += 2 * wiring.cable_length_m / (58.0 * wiring.cable_mm2)  # IEC 60028 annealed copper, 58 m/(ohm mm2)
    max_a = charging.max_charge_a if charging and charging.max_charge_a else 0.2 * setup.capacity_ah * setup.packs_in_parallel
    return kernel.Charger(
        absorption_v=absorption_v,
        absorption_s=60.0 * charging.absorption_min if charging else 3600.0,
        float_v=charging.float_v if charging and charging.float_v else 0.0,
        tail_a=charging.tail_a if charging and charging.tail_a else 0.0,
        max_charge_a=max_a,
        equalise_v=charging.equalise_v if charging and charging.equalise_v else absorption_v,
        equalise_every_s=86400.0 * charging.equalise_every_days if charging and charging.equalise_every_days and charging.equalise_v else 0.0,
        lead_ohm=lead_ohm,
        inverter_efficiency=0.92,  # common practice
    )


def _record(setup: Setup, scenario: Scenario, steps: int) -> kernel.Record:
    every = max(1, round(scenario.log_every_s / scenario.step_s))
    rows, packs, n = (steps - 1) // every + 1, setup.packs_in_parallel, setup.cells
    return kernel.Record(
        every=every,
        time_step=np.zeros(rows, np.int64),
        current_a=np.zeros((rows, packs)),
        pack_v=np.zeros((rows, packs)),
        cell_v=np.zeros((rows, packs, n), np.float32),
        temp_c=np.zeros((rows, packs, scenario.sensors), np.float32),
        soc_pct=np.zeros((rows, packs), np.float32),
        balancing=np.zeros((rows, packs, n), bool),
        limiter=np.zeros(rows, np.int8),
        true_pct=np.zeros((rows, packs, n), np.float32),
        events=np.zeros((MAX_EVENTS, 5)),
    )


def _result(setup: Setup, scenario: Scenario, state: kernel.State, record: kernel.Record, start_s: float) -> Trial:
    rows = int(state.rows[0])
    time_s = start_s + record.time_step[:rows] * scenario.step_s
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
    events = tuple(_event(row, scenario, start_s) for row in record.events[: int(state.rows[1])])
    return Trial(
        logs=logs,
        true_pct=record.true_pct[:rows],
        limiter=record.limiter[:rows],
        events=events,
        moved_ah=state.moved_ah,
        charged_ah=float(state.totals[0]),
        discharged_ah=float(state.totals[1]),
        not_taken_wh=float(state.totals[2]),
        balancing_h=float(state.totals[3]) / 3600.0,
        above_start_h=float(state.totals[4]) / 3600.0,
    )


def _event(row: Floats, scenario: Scenario, start_s: float) -> BmsEvent:
    step, pack, code, cell, value = row
    ended = bool(code < 0)
    protection = kernel.PROTECTIONS[int(-1 - code if ended else code)]
    return BmsEvent(float(start_s + step * scenario.step_s), int(pack) + 1, protection, ended, int(cell) + 1 if cell >= 0 else None, float(value))
