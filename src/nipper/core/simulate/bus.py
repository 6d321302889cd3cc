"""The bus: chargers with their stages, loads, what the link asks, and how packs in parallel share the current."""

import math

from nipper.core.simulate.compiled import compiled
from nipper.core.simulate.layout import (
    ABSORPTION,
    ABSORPTION_S,
    ALARM,
    AMPS,
    BULK,
    BY_ABSORPTION,
    BY_BMS,
    BY_CHARGER,
    BY_COLD,
    BY_FLOAT,
    BY_INVERTER,
    BY_NOTHING,
    BY_REQUEST,
    BY_SUN,
    CELL_OVER,
    CELL_UNDER,
    CHARGE_COLD,
    CHARGE_OPEN,
    COLD,
    DISCHARGE_OPEN,
    EMF,
    EQUALISE_EVERY_S,
    EQUALISE_V,
    FLOAT,
    FLOAT_V,
    INNER,
    MOST_A,
    RESUME_C,
    STOP_C,
    STUCK,
    TAIL_A,
    TARGET_V,
    TRIP,
)  # fmt: skip

DIODE_V = 0.7  # an open switch lets the other direction through its body diode; silicon at some tens of amperes, from memory
ASK_TAU_S = 60.0  # how fast a closed-loop BMS changes its request: from memory, they differ


@compiled
def request(limits, flags, asked_share, p, high_v, low_v, step_s):
    """What a closed-loop BMS asks for: all, less as a cell goes from its alarm to its trip, nothing while its switch is open."""
    share = 1.0
    if high_v > limits[ALARM, CELL_OVER]:
        share = max(
            0.0,
            (limits[TRIP, CELL_OVER] - high_v)
            / (limits[TRIP, CELL_OVER] - limits[ALARM, CELL_OVER]),
        )
    asked_share[p, 0] += (share - asked_share[p, 0]) * min(1.0, step_s / ASK_TAU_S)
    if flags[CHARGE_OPEN, p]:
        asked_share[p, 0] = 0.0
    share = 1.0
    if low_v < limits[ALARM, CELL_UNDER]:
        share = max(
            0.0,
            (low_v - limits[TRIP, CELL_UNDER])
            / (limits[ALARM, CELL_UNDER] - limits[TRIP, CELL_UNDER]),
        )
    asked_share[p, 1] += (share - asked_share[p, 1]) * min(1.0, step_s / ASK_TAU_S)


@compiled
def share_current(
    chargers,
    wires,
    link,
    active_s,
    off,
    offline,
    asked_share,
    stages,
    totals,
    lost_s,
    sun_w,
    load_w,
    seen_w,
    other_a,
    minute,
    step_s,
    pack,
    flags,
    given,
    bus,
):
    """One bus voltage that fits sun, chargers, loads and packs; returns who limited the charge.

    Chargers regulate, by the load as they follow it, a few seconds late: the one with the lowest target gives way first, and the
    others go on. A pack whose switch is open still conducts the other way through the switch's diode.
    """
    packs, emf, inner, current, stuck = off.size, pack[EMF], pack[INNER], pack[AMPS], flags[STUCK]
    any_source = sun_w > 0.0
    for s in range(1, given.size):
        any_source = any_source or other_a[minute, s - 1] > 0.0
    floating = False  # a pack is there and could discharge, but takes no charge
    for p in range(packs):
        stuck[p] = offline[p] or (off[p] and not any_source)
    ask_a, draw_a = _asked(link, asked_share, lost_s, stuck)
    limiter, bus_v, load_a, sun_a = BY_NOTHING, 0.0, 0.0, 0.0
    for s in range(given.size):
        _feel_cold(chargers, stages, s, pack[COLD])
    for _ in range(packs + 1):
        conductance, drive = 0.0, 0.0
        for p in range(packs):
            if not stuck[p]:
                conductance += 1.0 / inner[p]
                drive += _seen(flags, emf, p) / inner[p]
        if conductance == 0.0:
            return _without_packs(
                chargers,
                wires,
                stages,
                totals,
                sun_w,
                load_w,
                step_s,
                floating,
                active_s,
                given,
                current,
                bus,
            )
        open_v = drive / conductance
        seen_a = seen_w / wires.inverter_efficiency / open_v
        sun_a = sun_w / open_v
        given[0], limiter = _first_charger(
            sun_a, chargers[0, MOST_A], ask_a, link.own_charge_a, seen_a
        )
        for s in range(1, given.size):
            given[s] = min(other_a[minute, s - 1], chargers[s, MOST_A])
            if stages[s, 4] > 0.0:
                given[s] = 0.0
        if stages[0, 4] > 0.0:
            given[0], limiter = 0.0, BY_COLD
        limiter = _give_way(chargers, stages, given, limiter, conductance, drive, seen_a)
        total_a = given.sum()
        bus_v = _bus_voltage(conductance, drive + total_a, load_w / wires.inverter_efficiency)
        load_a = drive + total_a - conductance * bus_v
        if load_a > total_a + draw_a:
            load_a = total_a + draw_a
            bus_v = (drive + total_a - load_a) / conductance
        again = False
        for p in range(packs):
            current[p] = 0.0
            if stuck[p]:
                continue
            current[p] = (bus_v - _seen(flags, emf, p)) / inner[p]
            if (current[p] > 0.0 and flags[CHARGE_OPEN, p]) or (
                current[p] < 0.0 and flags[DISCHARGE_OPEN, p]
            ):
                stuck[p] = again = True
                floating = floating or not flags[DISCHARGE_OPEN, p]
        if not again:
            break
        limiter = BY_BMS
    for p in range(packs):
        if stuck[p]:
            current[p] = 0.0
        if active_s[p, CHARGE_COLD] >= 0.0 and limiter in (BY_BMS, BY_REQUEST):
            limiter = BY_COLD
    missing_w = load_w - load_a * bus_v * wires.inverter_efficiency
    if missing_w > 0.05 * load_w:
        totals[3] += missing_w * step_s / 3600.0
        totals[4] += step_s
    totals[0] += max(0.0, sun_a - given[0]) * bus_v * step_s / 3600.0
    for s in range(given.size):
        could_a = sun_a if s == 0 else other_a[minute, s - 1]
        _advance_stage(chargers, stages, s, bus_v, could_a, given.sum() - load_a, step_s)
    bus[0], bus[1], bus[2] = sun_a, given.sum(), load_a
    return limiter if any_source else BY_NOTHING


@compiled
def _bus_voltage(conductance, drive_a, load_w):
    """Where source and load of constant power meet: G V - drive + P / V = 0; the most it can give beyond that."""
    inside = drive_a * drive_a - 4.0 * conductance * load_w
    return (drive_a + math.sqrt(max(inside, 0.0))) / (2.0 * conductance)


@compiled
def _feel_cold(chargers, stages, s, cold_c):
    """A charger's own cutoff, by a sensor on the coldest pack: it stops below, and resumes at, its values."""
    coldest_c = math.inf
    for p in range(cold_c.size):
        coldest_c = min(coldest_c, cold_c[p])
    if coldest_c < chargers[s, STOP_C]:
        stages[s, 4] = 1.0
    elif coldest_c >= chargers[s, RESUME_C]:
        stages[s, 4] = 0.0


@compiled
def _without_packs(
    chargers, wires, stages, totals, sun_w, load_w, step_s, floating, active_s, given, current, bus
):
    """No pack takes or gives current: the sun alone carries the loads while a pack stands by to help, else the house is dark."""
    for p in range(current.size):
        current[p] = 0.0
    bus_v = _target(chargers, stages, 0)
    needed_w = load_w / wires.inverter_efficiency
    if floating and bus_v > 0.0:
        given[0] = needed_w / bus_v
        bus[0], bus[1], bus[2] = sun_w / bus_v, given[0], given[0]
        totals[0] += max(0.0, sun_w - needed_w) * step_s / 3600.0
        _advance_stage(chargers, stages, 0, bus_v, bus[0], 0.0, step_s)
    else:
        totals[3] += load_w * step_s / 3600.0
        totals[4] += step_s
        bus[0], bus[1], bus[2] = 0.0, 0.0, 0.0
    return BY_COLD if active_s[0, CHARGE_COLD] >= 0.0 else BY_BMS


@compiled
def _seen(flags, emf, p):
    """Source voltage of a pack as the bus sees it, diode included."""
    if flags[CHARGE_OPEN, p]:
        return emf[p] - DIODE_V
    if flags[DISCHARGE_OPEN, p]:
        return emf[p] + DIODE_V
    return emf[p]


@compiled
def _asked(link, asked_share, lost_s, stuck):
    """Charge and discharge current the packs ask for together; the inverter's own when open loop or long without a word."""
    if not link.closed:
        return math.inf, link.own_discharge_a
    if lost_s > link.timeout_s:
        return (0.0, 0.0) if link.stops else (math.inf, link.own_discharge_a)
    charge_a, draw_a = 0.0, 0.0
    for p in range(stuck.size):
        if not stuck[p]:
            charge_a += link.ask_charge_a * asked_share[p, 0]
            draw_a += link.ask_discharge_a * asked_share[p, 1]
    return charge_a, min(draw_a, link.own_discharge_a)


@compiled
def _first_charger(sun_a, most_a, ask_a, own_a, load_a):
    """What the sun's charger may give before it regulates, and who says so. Requests are about the packs: the loads come on top."""
    amps, limiter = sun_a, BY_SUN
    if most_a < amps:
        amps, limiter = most_a, BY_CHARGER
    if own_a < amps:
        amps, limiter = own_a, BY_INVERTER
    if ask_a + load_a < amps:
        amps, limiter = ask_a + load_a, BY_REQUEST
    return amps, limiter


@compiled
def _target(chargers, stages, s):
    if stages[s, 0] == FLOAT:
        return chargers[s, FLOAT_V]
    return chargers[s, EQUALISE_V] if stages[s, 3] > 0.0 else chargers[s, TARGET_V]


@compiled
def _give_way(chargers, stages, given, limiter, conductance, drive, load_a):
    """Let the chargers whose target would be passed give less, lowest target first."""
    settled = -1.0  # targets up to here are dealt with
    for _ in range(given.size):
        lowest, target_v = -1, math.inf
        for s in range(given.size):
            at_v = _target(chargers, stages, s)
            if settled < at_v < target_v:
                lowest, target_v = s, at_v
        if lowest < 0 or (drive + given.sum() - load_a) / conductance <= target_v:
            return limiter
        needed = target_v * conductance - drive + load_a  # from all of this target together
        same = 0.0
        for s in range(given.size):
            if _target(chargers, stages, s) == target_v:
                same += given[s]
            else:
                needed -= given[s]
        share = max(0.0, needed) / same if same > 0.0 else 0.0
        for s in range(given.size):
            if _target(chargers, stages, s) == target_v:
                given[s] *= min(share, 1.0)
                if s == 0:
                    limiter = BY_FLOAT if stages[0, 0] == FLOAT else BY_ABSORPTION
        if needed >= 0.0:
            return limiter
        settled = target_v
    return limiter


@compiled
def _advance_stage(chargers, stages, s, bus_v, could_a, net_a, step_s):
    """Bulk until the target, absorption until its time or the tail, then float; night or a new connection starts over."""
    stages[s, 2] += step_s
    target_v = chargers[s, EQUALISE_V] if stages[s, 3] > 0.0 else chargers[s, TARGET_V]
    if could_a <= 0.0:
        stages[s, 0], stages[s, 1] = BULK, 0.0
    elif stages[s, 0] == BULK:
        if bus_v >= target_v - 0.02:
            stages[s, 0], stages[s, 1] = ABSORPTION, 0.0
    elif stages[s, 0] == ABSORPTION:
        held = bus_v >= target_v - 0.05
        if held:
            stages[s, 1] += step_s
        tail = (
            chargers[s, TAIL_A] > 0.0
            and net_a < chargers[s, TAIL_A]
            and held
            and stages[s, 1] > 300.0
        )
        if stages[s, 1] >= chargers[s, ABSORPTION_S] or tail:
            stages[s, 0] = FLOAT
            if stages[s, 3] > 0.0:
                stages[s, 2], stages[s, 3] = 0.0, 0.0
    if chargers[s, EQUALISE_EVERY_S] > 0.0 and stages[s, 2] >= chargers[s, EQUALISE_EVERY_S]:
        stages[s, 3] = 1.0
