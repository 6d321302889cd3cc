"""The loop over time: packs of cells in parallel, their BMS, balancers, chargers and loads.

The state is changed in place, so that a run can be split at an event and go on. What each part
does stands in its own module: cells in :mod:`physics`, the BMS in :mod:`protection`, chargers and
loads in :mod:`bus`. Parts are handed on by name, as :mod:`layout` declares them.
"""

import math

from nipper.core.simulate.bus import request, share_current
from nipper.core.simulate.compiled import compiled
from nipper.core.simulate.layout import (
    AMPS,
    COLD,
    DARK_S,
    EMF,
    FIXED,
    HEAT_WH,
    HIGH,
    HOT,
    INNER,
    INTO_WH,
    LOW,
    MEAN_AH,
    NOT_SERVED_WH,
    RISE,
    STRING_V,
    Bank,
    Bms,
    Floats,
    Minutes,
    Now,
    Pace,
    Record,
    Seen,
    Span,
    State,
    Work,
)
from nipper.core.simulate.physics import (
    extremes,
    measure,
    move_charge,
    noise_place,
    relax,
    rest_voltages,
    source_voltage,
    terminal_voltages,
    warm,
)
from nipper.core.simulate.protection import balance, count, protect, set_switches, watch_levels

LOAD_NOISE = 5  # beside the seed: the loads draw other numbers than the meters


@compiled
def run(bank: Bank, state: State, work: Work, minutes: Minutes, record: Record, span: Span) -> int:
    """Advance the steps of ``span``; state, work and record are changed in place.

    Notes
    -----
    Each step the voltages are those of a source with inner resistance; the bus finds the currents;
    RC branches advance exactly, heat by an implicit step, which no small cell makes diverge, charge
    by the current times the step, so that charge is conserved to rounding.
    """
    packs = state.off.size
    pace = _pace(bank, span.step_s)
    for p in range(packs):
        watch_levels(bank.limits[p], work.watch[p])
        set_switches(state, work.flags, p)
    for k in range(span.steps):
        step = span.first_step + k
        minute = min(int(step * span.step_s / 60.0), minutes.sun_w.size - 1)
        new_minute = step == 0 or minute != int((step - 1) * span.step_s / 60.0)
        if new_minute or k == 0:
            passed_s = max(60.0, span.step_s) if new_minute and step > 0 else 0.0
            warm(bank.cells, state, work, minutes.ambient_c[minute], passed_s)
            for p in range(packs):
                _each_minute(bank, state, work, pace, p)
        for p in range(packs):
            _sources(bank, state, work, pace, p)
        now = _from_outside(bank, state, minutes, span, pace, step, minute)
        limiter = share_current(bank, state, work, minutes, now, pace)
        surge_a = 0.0
        if new_minute:
            volts = max(1.0, work.packs[EMF, 0])
            surge_a = minutes.surge_w[minute] / bank.wires.inverter_efficiency / volts / packs
        for p in range(packs):
            _carry(bank, state, work, pace, p)
            _look(bank, state, work, record, span, pace, step, p, surge_a)
        if step % record.every == 0 and state.rows[0] < record.time_step.size:
            _write_row(bank, state, work, record, step, limiter)
    return 0


@compiled
def _pace(bank: Bank, step_s: float) -> Pace:
    return Pace(
        step_s,
        step_s / 3600.0,
        math.exp(-step_s / bank.cells.tau1_s),
        math.exp(-step_s / bank.cells.tau2_s),
        math.exp(-step_s / bank.bms.switch_tau_s),
        1.0 - math.exp(-step_s / bank.wires.follow_s),
    )


@compiled
def _each_minute(bank: Bank, state: State, work: Work, pace: Pace, p: int) -> None:
    """What changes with the temperature alone: a pack's resistance, and what its sensors read."""
    work.packs[FIXED, p] = (
        bank.wires.lead_ohm[p]
        + work.r0_ohm[p].sum()
        + work.r1_ohm[p].sum() * (1.0 - pace.kept1)
        + work.r2_ohm[p].sum() * (1.0 - pace.kept2)
    )
    work.packs[HOT, p], work.packs[COLD, p] = _sensed(bank, state, p)


@compiled
def _sources(bank: Bank, state: State, work: Work, pace: Pace, p: int) -> None:
    """A pack as a source with an inner resistance, and what its BMS asks for."""
    pack = work.packs
    # the rest voltage rises with the current within the step: as if it were resistance, or packs
    # in parallel would rock on the knee
    pack[RISE, p] = rest_voltages(bank.cells, state, work, p) * pace.hours
    pack[EMF, p] = source_voltage(state, work, pace, p)
    pack[INNER, p] = pack[FIXED, p] + pack[RISE, p]
    if bank.link.closed:
        request(bank.limits[p], state, work, p, pace.step_s)


@compiled
def _from_outside(
    bank: Bank,
    state: State,
    minutes: Minutes,
    span: Span,
    pace: Pace,
    step: int,
    minute: int,
) -> Now:
    """Sun and loads of the step; the link's silence grows, the chargers follow the loads."""
    state.lost_s[0] = 0.0 if bank.link.up else state.lost_s[0] + pace.step_s
    at = noise_place(span.seed + LOAD_NOISE, step, 1, 0, 1)
    load_w = minutes.load_w[minute] * (1.0 + bank.wires.flicker * span.noise[at])
    link = bank.link
    if link.closed and link.stops and state.lost_s[0] > link.timeout_s:
        # the inverter has stopped: whatever the sun gives, no load is fed
        state.totals[NOT_SERVED_WH] += load_w * pace.hours
        state.totals[DARK_S] += pace.step_s
        load_w = 0.0
        state.seen_w[0] = 0.0
    state.seen_w[0] += (load_w - state.seen_w[0]) * pace.follows
    any_source = minutes.sun_w[minute] > 0.0
    for s in range(minutes.other_a.shape[1]):
        any_source = any_source or minutes.other_a[minute, s] > 0.0
    return Now(minute, any_source, minutes.sun_w[minute], load_w)


@compiled
def _carry(bank: Bank, state: State, work: Work, pace: Pace, p: int) -> None:
    """A pack's cells carry the current over the step."""
    pack, amps, hours = work.packs, work.packs[AMPS, p], pace.hours
    relax(state.slow1_v, work.r1_ohm, pace.kept1, amps, p)
    relax(state.slow2_v, work.r2_ohm, pace.kept2, amps, p)
    pack[STRING_V, p], heat_w = terminal_voltages(bank.cells, state, work, amps, hours, p)
    move_charge(bank.cells, state, work, amps, hours, p)
    state.totals[HEAT_WH] += heat_w * hours
    state.totals[INTO_WH] += amps * (pack[STRING_V, p] - 0.5 * amps * pack[RISE, p]) * hours
    state.through_ah[p, 0 if amps > 0.0 else 1] += abs(amps) * hours


@compiled
def _look(
    bank: Bank,
    state: State,
    work: Work,
    record: Record,
    span: Span,
    pace: Pace,
    step: int,
    p: int,
    surge_a: float,
) -> None:
    """The BMS of a pack reads its meters, balances, protects and counts."""
    pack, amps, bms = work.packs, work.packs[AMPS, p], bank.bms
    packs, n = state.charge_ah.shape
    measure(bank, work, span.noise, noise_place(span.seed, step, packs, p, n), p)
    high, low, total = extremes(work.read_v, p)
    pack[HIGH, p], pack[LOW, p] = high, low
    warmth = pace.kept_switch * state.switch_k[p]
    state.switch_k[p] = warmth + (1.0 - pace.kept_switch) * bms.switch_k_a2[p] * amps * amps
    seen = Seen(
        high,
        low,
        total,
        _read_current(bms, amps),
        pack[HOT, p],
        pack[COLD, p],
        state.temp_c[p, 0] + state.switch_k[p],
        surge_a - amps if surge_a > 0.0 else 0.0,
    )
    if bms.balancer_kind[p] > 0:
        balance(bms, state, work, seen, pace, p)
    protect(bank, state, work, record, seen, pace, step, p)
    count(bms, state, pack[MEAN_AH, p], seen, pace.hours, p)


@compiled
def _read_current(bms: Bms, amps: float) -> float:
    read_a = math.floor((amps + bms.offset_a) / bms.step_a + 0.5) * bms.step_a
    return 0.0 if abs(read_a) < bms.rest_a else read_a


@compiled
def _at_sensor(sensor_c: Floats, temp_c: Floats, p: int, s: int, n: int) -> float:
    """What a sensor reads: what was put on it by hand, else the cell it sits on.

    Sensors are spread evenly from the first cell to the last.
    """
    if not math.isnan(sensor_c[p, s]):
        return sensor_c[p, s]
    return temp_c[p, s * (n - 1) // max(1, sensor_c.shape[1] - 1)]


@compiled
def _sensed(bank: Bank, state: State, p: int) -> tuple[float, float]:
    """Hottest and coldest of the sensors: all that the BMS knows.

    Without one it sees a mild day.
    """
    sensor_c, n = bank.sensor_c, state.temp_c.shape[1]
    hot, cold = -math.inf, math.inf
    for s in range(sensor_c.shape[1]):
        here = _at_sensor(sensor_c, state.temp_c, p, s, n)
        hot, cold = max(hot, here), min(cold, here)
    return (hot, cold) if sensor_c.shape[1] else (20.0, 20.0)


@compiled
def _write_row(
    bank: Bank, state: State, work: Work, record: Record, step: int, limiter: int
) -> None:
    row = state.rows[0]
    state.rows[0] += 1
    packs, n = work.read_v.shape
    sensors = bank.sensor_c
    record.time_step[row] = step
    record.limiter[row] = limiter
    for j in range(3):
        record.bus[row, j] = work.bus[j]
    for p in range(packs):
        record.current_a[row, p] = _read_current(bank.bms, work.packs[AMPS, p])
        record.pack_v[row, p] = math.floor(work.packs[STRING_V, p] / 0.01 + 0.5) * 0.01
        record.soc_pct[row, p] = math.floor(state.counted_pct[p] + 0.5)
        for i in range(n):
            record.cell_v[row, p, i] = work.read_v[p, i]
            record.balancing[row, p, i] = state.balancing[p, i]
            record.true_pct[row, p, i] = 100.0 * state.charge_ah[p, i] * work.per_ah[p, i]
        for s in range(sensors.shape[1]):
            here_c = _at_sensor(sensors, state.temp_c, p, s, n)
            record.temp_c[row, p, s] = math.floor(here_c + 0.5)
