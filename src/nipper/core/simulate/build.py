"""From a setup and a scenario to the kernel's arrays.

Each number that is not the setup's carries where it comes from.
"""

from dataclasses import dataclass
from datetime import UTC, datetime
from functools import lru_cache

import numpy as np

from nipper.core.chemistry import chemistry
from nipper.core.chemistry.cell import cell_resistance_ohm
from nipper.core.errors import InputError
from nipper.core.setup import Setup, pack_setups
from nipper.core.simulate import layout, sky
from nipper.core.simulate.layout import Floats
from nipper.core.simulate.scenario import CellFault, Event, Scenario
from nipper.core.wiring.sharing import leads_ohm

GAS_J_MOL_K = 8.314462618
ACTIVATION_J_MOL = 25_000.0  # 15 to 40 kJ/mol, from memory; published sets give 19 to 29
REST_DEAD_BAND_A = 0.2  # below this many meters read 0.0 A: common practice
MAX_EVENTS = 200_000
LARGE_KG = 5.6  # a cell of 280 Ah
# a BMS is built for its own trips: at the higher one its switches stand that much above the pack
# (from memory)
SWITCH_RISE_K, SWITCH_TAU_S = 40.0, 120.0
KINDS = {"passive": layout.PASSIVE, "active": layout.ACTIVE}
PHASES = {"charging": layout.WHILE_CHARGING, "rest": layout.AT_REST, "always": layout.ALWAYS}


@dataclass(frozen=True, slots=True)
class Spread:
    """How healthy cells differ: [packs, cells] each."""

    offset_pct: Floats
    capacity: Floats
    resistance: Floats
    leak_mah_day: Floats


def spread(setup: Setup, scenario: Scenario, rng: np.random.Generator) -> Spread:
    """Draw healthy cells."""
    shape = (setup.packs_in_parallel, setup.cells)
    return Spread(
        offset_pct=rng.normal(0.0, 1.0, shape) * scenario.spread_offset_pct,
        capacity=1.0 + rng.normal(0.0, 0.01, shape) * scenario.spread_capacity_pct,
        resistance=1.0 + np.abs(rng.normal(0.0, 0.01, shape)) * scenario.spread_resistance_pct,
        leak_mah_day=np.abs(rng.normal(0.0, 1.0, shape)) * scenario.spread_leak_mah_per_day,
    )


def start_s(scenario: Scenario) -> float:
    """When the scenario begins, Unix seconds."""
    try:
        return datetime.fromisoformat(scenario.start).timestamp()
    except ValueError:
        raise InputError("scenario", "start", "a time such as 2026-06-01T00:00:00+00:00") from None


def bank_wh(setup: Setup) -> float:
    """Nominal energy of all packs."""
    return chemistry(setup.chemistry).nominal_v * setup.cells * setup.bank_ah


def pv_w(setup: Setup, scenario: Scenario) -> float:
    """Peak power of the sun's charger."""
    return scenario.pv_w if scenario.pv_w is not None else bank_wh(setup) / 4.0


def minutes(setup: Setup, scenario: Scenario, rng: np.random.Generator) -> layout.Minutes:
    """Sun, loads, air and other chargers, minute by minute; events of the sky and the loads are in
    it.
    """
    count = int(np.ceil(scenario.days * sky.MINUTES_A_DAY)) + 1
    hour, air, share = _clear_days(
        start_s(scenario),
        count,
        (scenario.ambient_c, scenario.season_c, scenario.day_c),
        sky.Place(scenario.latitude_deg, scenario.tilt_deg, scenario.facing_deg),
    )
    air = air.copy()  # events make it colder
    sun = pv_w(setup, scenario) * share
    sun *= sky.clouds(rng, count, scenario.weather)
    house = scenario.loads
    shares = (
        (house.base_w, house.fridge_w, house.evening_w, house.kettle_w)
        if house
        else tuple(s * bank_wh(setup) for s in (0.012, 0.008, 0.035, 0.11))
    )
    load, starts = sky.loads_w(rng, hour, *shares)
    load = load + sum((p.wiring.standby_w or 0.0) if p.wiring else 0.0 for p in pack_setups(setup))
    for event in scenario.events:
        part = slice(
            round(event.day * sky.MINUTES_A_DAY),
            None if event.minutes is None else round(event.day * sky.MINUTES_A_DAY + event.minutes),
        )
        if event.sun_share is not None:
            sun[part] *= event.sun_share
        load[part] += event.extra_load_w
        air[part] -= event.colder_c
    other = np.zeros((count, len(scenario.chargers)))
    for s, charger in enumerate(scenario.chargers):
        on = (hour >= charger.from_hour) & (hour < charger.to_hour)
        if charger.from_hour > charger.to_hour:  # over midnight
            on = (hour >= charger.from_hour) | (hour < charger.to_hour)
        other[on, s] = charger.max_a
    return layout.Minutes(sun, load, starts * (house.surge_w if house else 0.0), air, other)


@lru_cache(maxsize=2)
def _clear_days(
    begin_s: float, count: int, air_c: tuple[float, float, float], place: sky.Place
) -> tuple[Floats, Floats, Floats]:
    """Hour, air and the modules' share of their peak without clouds, minute by minute.

    Kept, for every school of a forecast has the same days; only read.
    """
    since = np.arange(count) / 60.0
    begin = datetime.fromtimestamp(begin_s, UTC)
    hour = (begin.hour + begin.minute / 60.0 + since) % 24.0
    day = begin.timetuple().tm_yday + since / 24.0
    air = sky.ambient_c(sky.season_day(day, place.latitude_deg), hour, *air_c)
    clear = sky.clear_sky_w_m2(sky.cos_zenith(day, hour, place.latitude_deg), day)
    return hour, air, sky.module_power(clear, day, hour, place, air)


def place(setup: Setup, fault: CellFault) -> tuple[slice, slice]:
    """Which packs and cells a fault names."""
    last = fault.to_cell or fault.cell or 1
    if (
        (fault.pack or 1) > setup.packs_in_parallel
        or max(fault.cell or 1, last) > setup.cells
        or last < (fault.cell or 1)
    ):
        raise InputError(
            "scenario",
            "cells",
            f"pack up to {setup.packs_in_parallel} and cell up to {setup.cells}, a block "
            "from its first to its last cell",
        )
    packs = slice(fault.pack - 1, fault.pack) if fault.pack else slice(None)
    return packs, slice(fault.cell - 1, last) if fault.cell else slice(None)


def cells(
    setup: Setup, scenario: Scenario, faults: list[CellFault], healthy: Spread
) -> layout.Cells:
    """The cells with what is wrong with them."""
    chem, packs = chemistry(setup.chemistry), pack_setups(setup)
    shape, own_ah = healthy.capacity.shape, capacities_ah(setup)
    total_ohm = _column([cell_resistance_ohm(p) for p in packs]) * healthy.resistance
    own = {name: np.zeros(shape) for name in ("resistance", "joint", "leak", "bias", "ambient")}
    capacity = own_ah * healthy.capacity
    for fault in (
        faults
    ):  # a later one replaces an earlier one of the same cell: that is how a repair is written
        at = place(setup, fault)
        own["resistance"][at] = fault.resistance_mohm * 1e-3
        own["joint"][at] = fault.joint_mohm * 1e-3
        own["leak"][at] = fault.leak_mah_per_day / 24e3
        own["bias"][at] = fault.bias_mv * 1e-3
        own["ambient"][at] = -fault.colder_c
        capacity[at] = (own_ah * healthy.capacity * fault.capacity_pct / 100.0)[at]
    mass_kg = chem.nominal_v * own_ah[:, 0] / chem.wh_per_kg
    curve = rest_curve(setup, scenario)
    return layout.Cells(
        capacity_ah=capacity,
        # direct-current resistance after some ten seconds, split as pulse tables show: half at
        # once, the rest within minutes
        r0_ohm=0.55 * total_ohm + own["resistance"],
        r1_ohm=0.25 * total_ohm,
        r2_ohm=0.60 * total_ohm,
        joint_ohm=own["joint"],
        leak_a=healthy.leak_mah_day / 24e3 + own["leak"] + _column([p.idle_a for p in packs]),
        bias_v=own["bias"],
        ambient_offset_c=own["ambient"],
        ocv_v=np.r_[curve, curve[-1]],
        hysteresis_v=0.008 if setup.flat else 0.0,  # 10 to 20 mV between the branches, from memory
        tau1_s=30.0,
        tau2_s=900.0,
        arrhenius_k=ACTIVATION_J_MOL / GAS_J_MOL_K,
        heat_j_k=1000.0 * mass_kg,  # 1000 J/(kg K), from memory
        loss_w_k=0.25
        * mass_kg
        ** (
            2 / 3
        ),  # some W/K of a cell's share of the case to the air: a guess, from memory of small cases
        neighbour_w_k=0.3
        * (mass_kg / LARGE_KG) ** (1 / 3),  # area over length: a guess, from memory
        efficiency=1.0,
    )


def _column(values: list[float]) -> Floats:
    return np.array(values, float)[:, None]


def capacities_ah(setup: Setup) -> Floats:
    """Capacity of each pack's cells as they are sold, float64[packs, 1] Ah."""
    return _column([p.capacity_ah for p in pack_setups(setup)])


def rest_curve(setup: Setup, scenario: Scenario) -> Floats:
    """Rest voltage every 0.1 % of charge, float64[1001]; never falling, and the chemistry's own at
    both ends.
    """
    share = np.linspace(0.0, 1.0, 1001)
    curve = chemistry(setup.chemistry).curve.ocv(100.0 * share)
    if scenario.curve_mv:
        curve = curve + 1e-3 * scenario.curve_mv * np.sin(2.0 * np.pi * 1.5 * share) * np.minimum(
            1.0, 20.0 * share * (1.0 - share)
        )
        curve = np.maximum.accumulate(curve) + 1e-7 * np.arange(curve.size)
    return curve


def state(
    setup: Setup, scenario: Scenario, made: layout.Cells, healthy: Spread, air_c: float
) -> layout.State:
    """Where everything stands at the start."""
    shape = made.capacity_ah.shape
    packs, count = shape[0], len(layout.PROTECTIONS)
    pct = scenario.start_soc_pct + healthy.offset_pct
    for fault in scenario.cells:
        pct[place(setup, fault)] += fault.offset_pct
    return layout.State(
        # an offset is charge missing to full, so that cells of other capacity start level at the
        # top
        charge_ah=made.capacity_ah - (100.0 - pct) / 100.0 * capacities_ah(setup),
        slow1_v=np.zeros(shape),
        slow2_v=np.zeros(shape),
        hysteresis=np.zeros(shape),
        temp_c=air_c + made.ambient_offset_c,
        moved_ah=np.zeros(shape),
        balancing=np.zeros(shape, bool),
        pending_s=np.zeros((packs, count)),
        active_s=np.full((packs, count), -1.0),
        alarmed=np.zeros((packs, count), bool),
        counted_pct=np.full(packs, scenario.start_soc_pct),
        idle_s=np.zeros(packs),
        switch_k=np.zeros(packs),
        asked_share=np.ones((packs, 2)),
        off=np.zeros(packs, bool),
        offline=np.zeros(packs, bool),
        stages=np.zeros((1 + len(scenario.chargers), 5)),
        lost_s=np.zeros(1),
        seen_w=np.zeros(1),
        heat_j=np.zeros(shape),
        through_ah=np.zeros((packs, 2)),
        totals=np.zeros(7),
        rows=np.zeros(2, np.int64),
    )


def limits(setup: Setup) -> Floats:
    """The tables of protections, one a pack: rows trip, release, delay, alarm."""
    return np.array([_limits(pack) for pack in pack_setups(setup)])


def _limits(setup: Setup) -> Floats:
    never = np.where(layout.RISING, np.inf, -np.inf)
    table = np.array([never, never, np.zeros(never.size), never])
    for j, name in enumerate(layout.PROTECTIONS):
        limit = getattr(setup.protection, name)
        if limit is None:
            continue
        values = limit.model_dump(exclude_none=True)
        table[layout.TRIP, j] = next(v for k, v in values.items() if k.startswith("trip"))
        table[layout.RELEASE, j] = next(v for k, v in values.items() if k.startswith("release"))
        table[layout.DELAY, j] = values.get("delay_s", values.get("delay_us", 2e6) / 1e6)
        table[layout.ALARM, j] = next(
            (v for k, v in values.items() if k.startswith("alarm")), never[j]
        )
    return table


def bms(setup: Setup) -> layout.Bms:
    """Balancers and meters of the packs."""
    packs = pack_setups(setup)
    levellers = [p.leveller for p in packs]
    return layout.Bms(
        power_off_v=np.array([p.protection.power_off_v or 0.0 for p in packs]),
        balancer_kind=np.array([KINDS[b.kind] if b else 0 for b in levellers]),
        balance_a=np.array([b.current_a if b else 0.0 for b in levellers]),
        balance_start_v=np.array([b.start_v if b else 9.0 for b in levellers]),
        balance_delta_v=np.array([b.delta_mv / 1e3 if b else 9.0 for b in levellers]),
        balance_when=np.array([PHASES[b.when] if b else layout.ALWAYS for b in levellers]),
        balance_at_once=np.array([b.bled_at_once if b else 1 for b in levellers]),
        balance_in_over=np.array([bool(b and b.in_over_voltage == "goes_on") for b in levellers]),
        balance_sleep_s=np.array(
            [60.0 * b.sleep_after_min if b and b.sleep_after_min else np.inf for b in levellers]
        ),
        active_efficiency=0.85,  # common practice, no source
        rest_a=REST_DEAD_BAND_A,
        full_v=np.array([p.protection.soc_full_v or np.inf for p in packs]),
        empty_v=np.array([p.protection.soc_empty_v or -np.inf for p in packs]),
        noise_v=0.0006,
        step_v=0.001,
        step_a=0.1,
        offset_a=0.04,
        switch_k_a2=np.array([SWITCH_RISE_K / _rated_a(p) ** 2 for p in packs]),
        switch_tau_s=SWITCH_TAU_S,
    )


def _rated_a(setup: Setup) -> float:
    """What the BMS's switches are built for: its higher trip, else one hour's current."""
    p = setup.protection
    trips = [limit.trip_a for limit in (p.charge_over_current, p.discharge_over_current) if limit]
    return max(trips, default=setup.capacity_ah)


def charge_rate_a(setup: Setup) -> float:
    """What the charger may give the whole bank."""
    charging = setup.charging
    return charging.max_charge_a if charging and charging.max_charge_a else 0.2 * setup.bank_ah


def chargers(setup: Setup, scenario: Scenario) -> Floats:
    """The table of chargers: the sun's after the setup, then the others."""
    charging = setup.charging
    target_v = (
        charging.absorption_v
        if charging
        else chemistry(setup.chemistry).usual["absorption_v"].value * setup.cells
    )
    periodic = (
        charging is not None
        and charging.equalise_v is not None
        and charging.equalise_every_days is not None
    )
    first = [
        target_v,
        60.0 * charging.absorption_min if charging else 3600.0,
        (charging.float_v or 0.0) if charging else 0.0,
        (charging.tail_a or 0.0) if charging else 0.0,
        charge_rate_a(setup),
        (charging.equalise_v if charging else None) or target_v,
        86400.0 * charging.equalise_every_days
        if charging and charging.equalise_every_days and periodic
        else 0.0,
        60.0 * (charging.equalise_min or charging.absorption_min) if charging else 3600.0,
        *_cold_stop(
            charging.cold_stop_c if charging else None,
            charging.cold_resume_c if charging else None,
        ),
    ]
    others = [
        [
            c.absorption_v,
            60.0 * c.absorption_min,
            c.float_v,
            0.0,
            c.max_a,
            c.absorption_v,
            0.0,
            60.0 * c.absorption_min,
            *_cold_stop(c.cold_stop_c, None),
        ]
        for c in scenario.chargers
    ]
    return np.array([first, *others])


def _cold_stop(stop_c: float | None, resume_c: float | None) -> tuple[float, float]:
    """A charger's own cutoff in the cold and where it resumes, degC; never reached where it has
    none.
    """
    if stop_c is None:
        return -np.inf, -np.inf
    return stop_c, stop_c + 1.0 if resume_c is None else resume_c


def wires(setup: Setup, scenario: Scenario) -> layout.Wires:
    """Leads and inverter."""
    leads = np.array(leads_ohm(pack_setups(setup)))
    own = np.zeros(setup.packs_in_parallel)
    given = np.array(scenario.leads_mohm[: own.size], float)
    own[: given.size] = np.maximum(given, 0.0) * 1e-3
    return layout.Wires(
        lead_ohm=leads + own,
        inverter_efficiency=0.92,  # common practice
        surge_s=scenario.loads.surge_s if scenario.loads else 0.0,
        follow_s=6.0,  # "the sun follows late": common practice; seconds: from memory of trackers
        flicker=0.03,  # from memory of house loads
    )


def link(setup: Setup, up: bool) -> layout.Link:
    """What a pack asks for when the loop is closed: the least of its charger's share, its cell's
    sheet and nine tenths of its trip.
    """
    asked, packs = setup.link, pack_setups(setup)
    closed = asked is not None and asked.mode == "closed"
    total_a, bank_ah = charge_rate_a(setup), setup.bank_ah
    return layout.Link(
        closed=closed,
        up=up,
        timeout_s=asked.loss_timeout_s
        if asked and asked.loss_timeout_s is not None
        else 10.0,  # common practice
        stops=asked is not None and asked.on_loss == "stop",
        ask_charge_a=np.array([_ask_charge_a(p, total_a * p.capacity_ah / bank_ah) for p in packs]),
        ask_discharge_a=np.array([_ask_discharge_a(p) for p in packs]),
        own_charge_a=asked.inverter_max_charge_a
        if asked and asked.inverter_max_charge_a
        else np.inf,
        own_discharge_a=asked.inverter_max_discharge_a
        if asked and asked.inverter_max_discharge_a
        else np.inf,
    )


def _ask_charge_a(pack: Setup, share_a: float) -> float:
    limits = (share_a, pack.sheet_charge_a, _below(pack.protection.charge_over_current))
    return min(v for v in limits if v)


def _ask_discharge_a(pack: Setup) -> float:
    limits = (pack.sheet_discharge_a, _below(pack.protection.discharge_over_current))
    return min((v for v in limits if v), default=np.inf)


def _below(limit: object) -> float | None:
    trip_a = getattr(limit, "trip_a", None)
    return (
        0.9 * trip_a if trip_a else None
    )  # a tenth of room so that the request itself does not trip it: common practice


def sensors(setup: Setup, scenario: Scenario, by_hand: list[Event]) -> Floats:
    """Temperatures put on sensors by hand, NaN where they read their cell."""
    table = np.full((setup.packs_in_parallel, scenario.sensors), np.nan)
    for event in by_hand:
        if event.sensor > scenario.sensors:
            raise InputError("scenario", "events.sensor", f"a sensor up to {scenario.sensors}")
        if event.sensor_c is not None:
            table[:, event.sensor - 1] = event.sensor_c
    return table


def work(made: layout.Cells, charger_count: int) -> layout.Work:
    """Room to work in."""
    shape = made.capacity_ah.shape
    packs = np.zeros((11, shape[0]))
    packs[layout.HIGH] = packs[layout.LOW] = (
        np.nan
    )  # nothing read yet: no comparison with it is true
    packs[layout.MEAN_AH] = made.capacity_ah.mean(axis=1)
    return layout.Work(
        per_ah=1.0 / made.capacity_ah,
        r0_ohm=np.empty(shape),
        r1_ohm=np.empty(shape),
        r2_ohm=np.empty(shape),
        rest_v=np.empty(shape),
        rise_v_ah=np.empty(shape),
        true_v=np.empty(shape),
        read_v=np.empty(shape),
        packs=packs,
        flags=np.ones((5, shape[0]), bool),
        given_a=np.zeros(charger_count),
        bus=np.zeros(3),
        watch=np.zeros((shape[0], len(layout.PROTECTIONS))),
    )


def record(
    setup: Setup, step_s: float, log_every_s: float, steps: int, sensor_count: int
) -> layout.Record:
    """Empty room for the rows and events of a run."""
    every = max(1, round(log_every_s / step_s))
    rows, packs, n = (steps - 1) // every + 1, setup.packs_in_parallel, setup.cells
    return layout.Record(
        every=every,
        time_step=np.zeros(rows, np.int64),
        current_a=np.zeros((rows, packs)),
        pack_v=np.zeros((rows, packs)),
        cell_v=np.zeros((rows, packs, n), np.float32),
        temp_c=np.zeros((rows, packs, sensor_count), np.float32),
        soc_pct=np.zeros((rows, packs), np.float32),
        balancing=np.zeros((rows, packs, n), bool),
        limiter=np.zeros(rows, np.int8),
        bus=np.zeros((rows, 3), np.float32),
        true_pct=np.zeros((rows, packs, n), np.float32),
        events=np.zeros((MAX_EVENTS, 6)),
    )
