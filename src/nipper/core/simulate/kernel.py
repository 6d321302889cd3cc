"""The compiled physics: packs of cells in parallel, their BMS, balancers and one charger, advanced step by step.

Arrays of cells are [packs, cells]. Charging current is positive. The state is changed in place, so that a run can be split at
an event and go on. Everything is plain arrays and numbers: no object crosses into the compiled code.
"""

import math
from typing import NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.floating]
Ints = NDArray[np.int64]

# protections, in the order of the limit table; the first group opens the charge switch, the second the discharge switch
CELL_OVER, PACK_OVER, CHARGE_CURRENT, CHARGE_HOT, CHARGE_COLD = 0, 1, 2, 3, 4
CELL_UNDER, PACK_UNDER, DISCHARGE_CURRENT, DISCHARGE_HOT, DISCHARGE_COLD = 5, 6, 7, 8, 9
SHORT = 10
PROTECTIONS = (
    "cell_over_voltage", "pack_over_voltage", "charge_over_current", "charge_over_temperature", "charge_under_temperature",
    "cell_under_voltage", "pack_under_voltage", "discharge_over_current", "discharge_over_temperature", "discharge_under_temperature",
    "short_circuit",
)  # fmt: skip
RISING = np.array([True, True, True, True, False, False, False, True, True, False, True])  # trips above, or below, its value
BY_TIME = np.array([False, False, True, False, False, False, False, True, False, False, True])  # releases after a time

# numpy errors: a division gives inf instead of a test and a branch each time; the arrays are never empty nor zero
COMPILED = numba.njit(cache=True, nogil=True, error_model="numpy")

PASSIVE, ACTIVE = 1, 2
NOISE_MASK = (1 << 21) - 1  # length of the table of normal numbers, less one: nine days of sixteen cells at 10 s before it repeats
WHILE_CHARGING, AT_REST, ALWAYS = 0, 1, 2
BULK, ABSORPTION, FLOAT = 0, 1, 2
BY_NOTHING, BY_SUN, BY_CHARGER, BY_ABSORPTION, BY_FLOAT, BY_BMS = 0, 1, 2, 3, 4, 5
LIMITERS = ("nothing to charge with", "sun", "charger", "absorption", "float", "BMS")


class Cells(NamedTuple):
    """What does not change in a run, [packs, cells] each: Ah, ohm, A; the curve is one for all."""

    capacity_ah: Floats
    r0_ohm: Floats  # ohmic, at 25 degC
    r1_ohm: Floats
    r2_ohm: Floats
    joint_ohm: Floats  # of the joint read with the cell; does not follow temperature
    leak_a: Floats  # self-discharge, and electronics that feed on that cell
    bias_v: Floats  # error of its reading
    ambient_offset_c: Floats  # how much warmer its place is
    ocv_v: Floats  # [1001] rest voltage every 0.1 %
    hysteresis_v: float
    tau1_s: float
    tau2_s: float
    arrhenius_k: float  # activation energy / gas constant
    heat_j_k: float
    loss_w_k: float
    neighbour_w_k: float
    efficiency: float


class Limits(NamedTuple):
    """Trip, release and delay of each protection, [protections] each; NaN where there is no such limit."""

    trip: Floats
    release: Floats
    delay_s: Floats


class Bms(NamedTuple):
    """Balancer and meter of each pack (all alike), as the setup has them. Plain numbers only: a tuple that holds arrays costs
    the compiled code a count up and down for each of them wherever it is handed on, more than the physics of a step."""

    power_off_v: float
    balancer_kind: int
    balance_a: float
    balance_start_v: float
    balance_delta_v: float
    balance_when: int
    balance_at_once: int
    active_efficiency: float
    rest_a: float  # below this the BMS reads 0.0 A
    full_v: float
    empty_v: float
    noise_v: float
    step_v: float
    step_a: float
    offset_a: float


class Charger(NamedTuple):
    """The profile, for the whole bank."""

    absorption_v: float
    absorption_s: float
    float_v: float
    tail_a: float
    max_charge_a: float
    equalise_v: float
    equalise_every_s: float
    lead_ohm: float  # of one pack's leads to the bus
    inverter_efficiency: float


class State(NamedTuple):
    """What changes; [packs, cells] unless said otherwise."""

    charge_ah: Floats
    slow1_v: Floats
    slow2_v: Floats
    hysteresis: Floats  # -1 .. 1
    temp_c: Floats
    moved_ah: Floats  # by the balancer, since the start
    balancing: NDArray[np.bool_]
    pending_s: Floats  # [packs, protections]
    active_s: Floats  # [packs, protections], -1 when not active
    counted_pct: Floats  # [packs]
    off: NDArray[np.bool_]  # [packs], powered off
    charger: Floats  # stage, seconds in absorption, seconds since equalise, equalising
    totals: Floats  # Ah charged, Ah discharged, Wh of sun not taken, balancing seconds, seconds above balance start
    rows: Ints  # next log row, next event row


class Inputs(NamedTuple):
    """One value a step."""

    sun_w: Floats
    load_w: Floats
    ambient_c: Floats


class Record(NamedTuple):
    """What a run writes: a log row every ``every`` steps, and the events."""

    every: int
    time_step: Ints  # [rows]
    current_a: Floats  # [rows, packs]
    pack_v: Floats  # [rows, packs]
    cell_v: NDArray[np.floating]  # [rows, packs, cells]
    temp_c: NDArray[np.floating]  # [rows, packs, sensors]
    soc_pct: NDArray[np.floating]  # [rows, packs]
    balancing: NDArray[np.bool_]  # [rows, packs, cells]
    limiter: NDArray[np.int8]  # [rows]
    true_pct: NDArray[np.floating]  # [rows, packs, cells]
    events: Floats  # [events, 5]: step, pack, protection (or -1 - protection on release), cell, value


@COMPILED
def whole(x):
    """To the nearest whole number; Python's round would make an integer of it and back."""
    return math.floor(x + 0.5)


@COMPILED
def _rest_voltage(table, share):
    """Rest voltage at a share of charge (0..1); beyond the ends the last slope goes on."""
    x = share * 1000.0
    i = min(max(int(x), 0), 999)
    return table[i] + (x - i) * (table[i + 1] - table[i])


@COMPILED
def run(cells, limits, bms, charger, state, inputs, record, noise, first_step, steps, step_s, seed):
    """Advance ``steps`` steps from ``first_step``; state and record are changed in place.

    Notes
    -----
    Each step the voltages are those of a source with inner resistance; the charger sets the one bus current that fits sun, its own
    limit and its voltage; packs share it through their resistances. RC branches and temperature advance exactly or by an explicit step
    far below their time constants; charge by the current times the step, so that charge is conserved to rounding.
    """
    # unpacked once: see Bms
    ocv_v, hysteresis_v, efficiency, leak_a, bias_v = cells.ocv_v, cells.hysteresis_v, cells.efficiency, cells.leak_a, cells.bias_v
    capacity_ah, charge_ah, slow1_v, slow2_v = cells.capacity_ah, state.charge_ah, state.slow1_v, state.slow2_v
    swing_state, temp_c, moved_ah, balancing, off = state.hysteresis, state.temp_c, state.moved_ah, state.balancing, state.off
    pending_s, active_s, counted_pct, stages, totals, rows = state.pending_s, state.active_s, state.counted_pct, state.charger, state.totals, state.rows
    trip, release, delay_s, events = limits.trip, limits.release, limits.delay_s, record.events
    sun_w, load_w, ambient_c = inputs.sun_w, inputs.load_w, inputs.ambient_c
    np.random.seed(seed)
    start = np.random.randint(0, NOISE_MASK)
    packs, n = capacity_ah.shape
    kept1, kept2 = math.exp(-step_s / cells.tau1_s), math.exp(-step_s / cells.tau2_s)
    hours = step_s / 3600.0
    r0, r1, r2 = np.empty((packs, n)), np.empty((packs, n)), np.empty((packs, n))  # at the cells' own temperature, joints included
    busy = np.ones((packs, 2), np.bool_)  # a protection pending or active; a cell being balanced
    extremes_c, mean_ah = np.empty((packs, 2)), np.empty(packs)
    for p in range(packs):
        mean_ah[p] = capacity_ah[p].mean()
    heat_j, fixed, per_ah, per_step = np.zeros((packs, n)), np.empty(packs), 1.0 / capacity_ah, 1.0 / bms.step_v
    emf = np.empty(packs)
    inner = np.empty(packs)
    current = np.zeros(packs)
    blocked = np.zeros(packs, np.bool_)
    rest_v = np.empty((packs, n))
    true_v = np.empty((packs, n))
    read_v = np.empty((packs, n))
    refresh = max(1, int(60.0 / step_s))
    sensors = record.temp_c.shape[2]

    for k in range(steps):
        step = first_step + k
        if k % refresh == 0:
            _warm(
                cells.arrhenius_k,
                cells.heat_j_k,
                cells.loss_w_k,
                cells.neighbour_w_k,
                cells.r0_ohm,
                cells.r1_ohm,
                cells.r2_ohm,
                cells.joint_ohm,
                cells.ambient_offset_c,
                temp_c,
                ambient_c[step],
                heat_j,
                extremes_c,
                r0,
                r1,
                r2,
                refresh * step_s if k > 0 else 0.0,
            )
            for p in range(packs):
                fixed[p] = charger.lead_ohm
                for i in range(n):
                    fixed[p] += r0[p, i] + r1[p, i] * (1.0 - kept1) + r2[p, i] * (1.0 - kept2)
        # sources with inner resistance
        for p in range(packs):
            total, inner[p] = 0.0, fixed[p]
            for i in range(n):
                rest = _rest_voltage(ocv_v, charge_ah[p, i] * per_ah[p, i]) + hysteresis_v * swing_state[p, i]
                rest_v[p, i] = rest
                total += rest + slow1_v[p, i] * kept1 + slow2_v[p, i] * kept2
            emf[p] = total
        limiter = _share_current(charger, off, active_s, stages, totals, sun_w[step], load_w[step], step_s, emf, inner, current, blocked)
        # cells
        for p in range(packs):
            amps = current[p]
            # sixteen normal numbers a step would cost a third of the run: a long table is walked through, from another place each pack
            at = (start + (step * packs + p) * n) & NOISE_MASK
            effect = amps * hours * (efficiency if amps > 0.0 else 1.0)
            high, low, total = 0, 0, 0.0
            side, swing = 1.0 if amps > 0.0 else -1.0, abs(amps) * hours * 40.0
            for i in range(n):
                slow1 = kept1 * slow1_v[p, i] + (1.0 - kept1) * amps * r1[p, i]
                slow2 = kept2 * slow2_v[p, i] + (1.0 - kept2) * amps * r2[p, i]
                drop = amps * r0[p, i] + slow1 + slow2
                volts = rest_v[p, i] + drop
                slow1_v[p, i], slow2_v[p, i] = slow1, slow2
                true_v[p, i] = volts
                charge_ah[p, i] += effect - leak_a[p, i] * hours
                # hysteresis follows the charge moved: full swing within about 5 % of capacity
                follow = min(swing * per_ah[p, i], 1.0)
                swing_state[p, i] += follow * (side - swing_state[p, i])
                heat_j[p, i] += amps * drop * step_s
                read_v[p, i] = math.floor((volts + bias_v[p, i] + noise[(at + i) & NOISE_MASK] * bms.noise_v) * per_step + 0.5) * bms.step_v
                total += read_v[p, i]
                if read_v[p, i] > read_v[p, high]:
                    high = i
                elif read_v[p, i] < read_v[p, low]:
                    low = i
            read_a = whole((amps + bms.offset_a) / bms.step_a) * bms.step_a
            if abs(read_a) < bms.rest_a:
                read_a = 0.0
            _balance(bms, charge_ah, moved_ah, balancing, totals, busy, p, high, low, read_v, read_a, hours, step_s)
            _protect(bms.power_off_v, trip, release, delay_s, off, pending_s, active_s, rows, events, busy, extremes_c, p, step, step_s, high, low, total, read_v, read_a)
            _count(bms.full_v, bms.empty_v, counted_pct, p, mean_ah[p], read_v[p, low], read_a, hours)
            if amps > 0.0:
                totals[0] += amps * hours
            else:
                totals[1] -= amps * hours
        if step % record.every == 0 and rows[0] < record.time_step.size:
            row = rows[0]
            rows[0] += 1
            record.time_step[row] = step
            record.limiter[row] = limiter
            for p in range(packs):
                read_a = whole((current[p] + bms.offset_a) / bms.step_a) * bms.step_a
                record.current_a[row, p] = 0.0 if abs(read_a) < bms.rest_a else read_a
                total = 0.0
                for i in range(n):
                    record.cell_v[row, p, i] = read_v[p, i]
                    record.balancing[row, p, i] = balancing[p, i]
                    record.true_pct[row, p, i] = 100.0 * charge_ah[p, i] / capacity_ah[p, i]
                    total += true_v[p, i]
                record.pack_v[row, p] = whole(total / 0.01) * 0.01
                record.soc_pct[row, p] = whole(counted_pct[p])
                for s in range(sensors):
                    record.temp_c[row, p, s] = whole(temp_c[p, s * (n - 1) // max(1, sensors - 1)])
    return 0


@COMPILED
def _warm(arrhenius_k, heat_j_k, loss_w_k, neighbour_w_k, r0_ohm, r1_ohm, r2_ohm, joint_ohm, ambient_offset_c, temp_c, air_c, heat_j, extremes_c, r0, r1, r2, passed_s):
    """Once a minute: temperatures from the heat since the last time, and what resistance they make. Far below the hours heat takes."""
    packs, n = heat_j.shape
    for p in range(packs):
        before = temp_c[p, 0]
        for i in range(n):
            here = temp_c[p, i]
            after = temp_c[p, i + 1] if i < n - 1 else here
            flow_w = neighbour_w_k * ((before if i > 0 else here) + after - 2.0 * here)
            flow_w += loss_w_k * (air_c + ambient_offset_c[p, i] - here)
            before = here
            now_c = here + (heat_j[p, i] + flow_w * passed_s) / heat_j_k
            temp_c[p, i] = now_c
            extremes_c[p, 0] = now_c if i == 0 else min(extremes_c[p, 0], now_c)
            extremes_c[p, 1] = now_c if i == 0 else max(extremes_c[p, 1], now_c)
            heat_j[p, i] = 0.0
            warmth = math.exp(arrhenius_k * (1.0 / (temp_c[p, i] + 273.15) - 1.0 / 298.15))
            r0[p, i] = r0_ohm[p, i] * warmth + joint_ohm[p, i]
            r1[p, i], r2[p, i] = r1_ohm[p, i] * warmth, r2_ohm[p, i] * warmth


@COMPILED
def _share_current(charger, off, active_s, stages, totals, sun_w, load_w, step_s, emf, inner, current, blocked):
    """One bus current that fits sun, charger and voltage, shared by the packs; writes ``current`` and returns who limited it."""
    packs = emf.size
    for p in range(packs):
        blocked[p] = off[p] and sun_w <= 0.0
    limiter = BY_NOTHING
    stage, bus_v, target_v, charge_a, sun_a, net_a = int(stages[0]), 0.0, 0.0, 0.0, 0.0, 0.0
    for _attempt in range(packs + 1):
        conductance, drive = 0.0, 0.0
        for p in range(packs):
            if not blocked[p]:
                conductance += 1.0 / inner[p]
                drive += emf[p] / inner[p]
        if conductance == 0.0:
            for p in range(packs):
                current[p] = 0.0
            return BY_BMS
        bus_v = drive / conductance
        load_a = load_w / charger.inverter_efficiency / bus_v
        target_v = charger.float_v if stage == FLOAT else (charger.equalise_v if stages[3] > 0.0 else charger.absorption_v)
        sun_a = sun_w / bus_v
        held_a = target_v * conductance - drive + load_a  # what keeps the bus at its target
        charge_a = min(sun_a, charger.max_charge_a)
        limiter = BY_CHARGER if charger.max_charge_a < sun_a else BY_SUN
        if held_a < charge_a:
            charge_a = max(held_a, 0.0)
            limiter = BY_FLOAT if stage == FLOAT else BY_ABSORPTION
        if sun_w <= 0.0:
            limiter = BY_NOTHING
        net_a = charge_a - load_a
        bus_v = (drive + net_a) / conductance
        again = False
        for p in range(packs):
            if blocked[p]:
                current[p] = 0.0
                continue
            current[p] = (bus_v - emf[p]) / inner[p]
            if (current[p] > 0.0 and _charge_open(active_s, p)) or (current[p] < 0.0 and _discharge_open(active_s, off, p)):
                blocked[p] = True
                again = True
        if not again:
            break
        limiter = BY_BMS
    for p in range(packs):
        if blocked[p]:
            current[p] = 0.0
    totals[2] += max(0.0, sun_a - charge_a) * bus_v * step_s / 3600.0
    _charger_stage(charger, stages, stage, bus_v, target_v, charge_a, sun_a, net_a, step_s)
    return limiter


@COMPILED
def _charger_stage(charger, stages, stage, bus_v, target_v, charge_a, sun_a, net_a, step_s):
    """Bulk until the target, absorption until its time or the tail, then float; a deep draw or a new day starts over."""
    stages[2] += step_s
    if stage == BULK and bus_v >= target_v - 0.02:
        stages[0], stages[1] = ABSORPTION, 0.0
    elif stage == ABSORPTION:
        if bus_v >= target_v - 0.05:
            stages[1] += step_s
        tail = charger.tail_a > 0.0 and net_a < charger.tail_a and bus_v >= target_v - 0.05 and stages[1] > 300.0
        if stages[1] >= charger.absorption_s or tail:
            stages[0] = FLOAT
            if stages[3] > 0.0:
                stages[2], stages[3] = 0.0, 0.0
    if sun_a <= 0.0 and stages[0] != BULK:  # night: the next morning begins in bulk
        stages[0], stages[1] = BULK, 0.0
    if charger.equalise_every_s > 0.0 and stages[2] >= charger.equalise_every_s:
        stages[3] = 1.0


@COMPILED
def _charge_open(active_s, p):
    for j in range(5):
        if active_s[p, j] >= 0.0:
            return True
    return active_s[p, SHORT] >= 0.0


@COMPILED
def _discharge_open(active_s, off, p):
    for j in range(5, 11):
        if active_s[p, j] >= 0.0:
            return True
    return off[p]


@COMPILED
def _balance(bms, charge_ah, moved_ah, balancing, totals, busy, p, highest, lowest, read_v, read_a, hours, step_s):
    """Bleed the highest cells, or move from the highest to the lowest, where voltage, difference and phase allow it."""
    n = read_v.shape[1]
    if busy[p, 1]:
        for i in range(n):
            balancing[p, i] = False
        busy[p, 1] = False
    if bms.balancer_kind == 0 or read_v[p, highest] < bms.balance_start_v:
        return
    totals[4] += step_s
    if (bms.balance_when == WHILE_CHARGING and read_a <= 0.0) or (bms.balance_when == AT_REST and read_a != 0.0):
        return
    if read_v[p, highest] - read_v[p, lowest] < bms.balance_delta_v:
        return
    totals[3] += step_s
    busy[p, 1] = True
    moved = bms.balance_a * hours
    if bms.balancer_kind == ACTIVE:
        balancing[p, highest] = True
        balancing[p, lowest] = True
        charge_ah[p, highest] -= moved
        charge_ah[p, lowest] += moved * bms.active_efficiency
        moved_ah[p, highest] -= moved
        moved_ah[p, lowest] += moved * bms.active_efficiency
        return
    for _ in range(bms.balance_at_once):
        best = -1
        for i in range(n):
            over = read_v[p, i] - read_v[p, lowest] >= bms.balance_delta_v and read_v[p, i] >= bms.balance_start_v
            if over and not balancing[p, i] and (best < 0 or read_v[p, i] > read_v[p, best]):
                best = i
        if best < 0:
            return
        balancing[p, best] = True
        charge_ah[p, best] -= moved
        moved_ah[p, best] -= moved


@COMPILED
def _protect(power_off_v, trip, release, delay_s, off, pending_s, active_s, rows, events, busy, extremes_c, p, step, step_s, high, low, total, read_v, read_a):
    """Advance every protection of one pack by a step: pending while beyond its trip, active after its delay, until released."""
    hottest, coldest = extremes_c[p, 1], extremes_c[p, 0]
    # nearly always nothing is beyond its trip, pending or active; a limit that is not there is NaN and never beyond
    calm = not (
        read_v[p, high] > trip[CELL_OVER] or total > trip[PACK_OVER] or read_a > trip[CHARGE_CURRENT] or hottest > trip[CHARGE_HOT]
        or coldest < trip[CHARGE_COLD] or read_v[p, low] < trip[CELL_UNDER] or total < trip[PACK_UNDER] or -read_a > trip[DISCHARGE_CURRENT]
        or hottest > trip[DISCHARGE_HOT] or coldest < trip[DISCHARGE_COLD] or -read_a > trip[SHORT] or read_v[p, low] < power_off_v
    )  # fmt: skip
    if calm and not busy[p, 0]:
        return
    if read_v[p, low] < power_off_v:
        off[p] = True
    elif off[p] and read_v[p, low] > power_off_v + 0.2:
        off[p] = False
    for j in range(11):
        if math.isnan(trip[j]):
            continue
        if j == CELL_OVER:
            value, cell = read_v[p, high], high
        elif j == CELL_UNDER:
            value, cell = read_v[p, low], low
        elif j in (PACK_OVER, PACK_UNDER):
            value, cell = total, -1
        elif j in (CHARGE_HOT, DISCHARGE_HOT):
            value, cell = hottest, -1
        elif j in (CHARGE_COLD, DISCHARGE_COLD):
            value, cell = coldest, -1
        elif j == CHARGE_CURRENT:
            value, cell = read_a, -1
        else:
            value, cell = -read_a, -1
        beyond = value > trip[j] if RISING[j] else value < trip[j]
        if active_s[p, j] < 0.0:
            pending_s[p, j] = pending_s[p, j] + step_s if beyond else 0.0
            if beyond and pending_s[p, j] > delay_s[j]:
                active_s[p, j] = 0.0
                pending_s[p, j] = 0.0
                _note(rows, events, step, p, j, cell, value)
            continue
        active_s[p, j] += step_s
        if BY_TIME[j]:  # noqa: SIM108 - three cases in one line cannot be read
            over = active_s[p, j] >= release[j]
        else:
            over = value <= release[j] if RISING[j] else value >= release[j]
        if over:
            active_s[p, j] = -1.0
            _note(rows, events, step, p, -1 - j, cell, value)
    busy[p, 0] = off[p]
    for j in range(11):
        if active_s[p, j] >= 0.0 or pending_s[p, j] > 0.0:
            busy[p, 0] = True


@COMPILED
def _note(rows, events, step, p, code, cell, value):
    if rows[1] < events.shape[0]:
        row = rows[1]
        events[row, 0], events[row, 1], events[row, 2] = step, p, code
        events[row, 3], events[row, 4] = cell, value
        rows[1] += 1


@COMPILED
def _count(full_v, empty_v, counted_pct, p, mean_ah, lowest_v, read_a, hours):
    """The BMS's own charge counter: counts what it reads, set to 100 or 0 % at the references, so it drifts between them."""
    counted_pct[p] += 100.0 * read_a * hours / mean_ah
    if lowest_v >= full_v:  # NaN where there is no reference: then never
        counted_pct[p] = 100.0
    if lowest_v <= empty_v:
        counted_pct[p] = 0.0
    counted_pct[p] = min(max(counted_pct[p], 0.0), 100.0)
