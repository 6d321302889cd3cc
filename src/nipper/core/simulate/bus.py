"""The bus: chargers with their stages, loads, what the link asks, and how packs in parallel share
the current.
"""

import math
from typing import NamedTuple

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
    COLD_STOPPED,
    DARK_S,
    DISCHARGE_OPEN,
    EMF,
    EQUALISE_EVERY_S,
    EQUALISE_S,
    EQUALISE_V,
    EQUALISING,
    FLOAT,
    FLOAT_V,
    GIVEN_A,
    HELD_S,
    HIGH,
    INNER,
    LOAD_A,
    LOW,
    MOST_A,
    NOT_SERVED_WH,
    NOT_TAKEN_WH,
    RESUME_C,
    SINCE_EQUALISE_S,
    STAGE,
    STOP_C,
    STUCK,
    SUN_A,
    TAIL_A,
    TARGET_V,
    TRIP,
    Bank,
    Flags,
    Floats,
    Link,
    Minutes,
    Now,
    Pace,
    State,
    Work,
)

# an open switch lets the other direction through its body diode; silicon at some tens of amperes,
# from memory
DIODE_V = 0.7
ASK_TAU_S = 60.0  # how fast a closed-loop BMS changes its request: from memory, they differ


@compiled
def request(limits: Floats, state: State, work: Work, p: int, step_s: float) -> None:
    """What a closed-loop BMS asks for.

    All, less as a cell goes from its alarm to its trip, nothing while its switch is open.
    """
    asked, high_v, low_v = state.asked_share, work.packs[HIGH, p], work.packs[LOW, p]
    quick = min(1.0, step_s / ASK_TAU_S)
    share = 1.0
    if high_v > limits[ALARM, CELL_OVER]:
        room_v = limits[TRIP, CELL_OVER] - limits[ALARM, CELL_OVER]
        share = max(0.0, (limits[TRIP, CELL_OVER] - high_v) / room_v)
    asked[p, 0] += (share - asked[p, 0]) * quick
    if work.flags[CHARGE_OPEN, p]:
        asked[p, 0] = 0.0
    share = 1.0
    if low_v < limits[ALARM, CELL_UNDER]:
        room_v = limits[ALARM, CELL_UNDER] - limits[TRIP, CELL_UNDER]
        share = max(0.0, (low_v - limits[TRIP, CELL_UNDER]) / room_v)
    asked[p, 1] += (share - asked[p, 1]) * quick


class Flow(NamedTuple):
    """What the bus has come to: who limited the charge, the voltage, and the currents into it."""

    limiter: int
    bus_v: float
    sun_a: float
    load_a: float
    together: bool  # a pack took or gave current
    floating: bool  # a pack is there and could discharge, but takes no charge


@compiled
def share_current(
    bank: Bank, state: State, work: Work, minutes: Minutes, now: Now, pace: Pace
) -> int:
    """One bus voltage that fits sun, chargers, loads and packs; returns who limited the charge.

    Chargers regulate, by the load as they follow it, a few seconds late: the one with the lowest
    target gives way first, and the others go on. A pack whose switch is open still conducts the
    other way through the switch's diode.
    """
    given, flags, packs = work.given_a, work.flags, state.off.size
    for p in range(packs):
        flags[STUCK, p] = state.offline[p] or (state.off[p] and not now.any_source)
    for s in range(given.size):
        _feel_cold(bank.chargers, state.stages, s, work.packs)
    flow = _settle(bank, state, work, minutes, now)
    if not flow.together:
        return _without_packs(bank, state, work, now, pace, flow.floating)
    limiter = flow.limiter
    for p in range(packs):
        if flags[STUCK, p]:
            work.packs[AMPS, p] = 0.0
        if state.active_s[p, CHARGE_COLD] >= 0.0 and limiter in (BY_BMS, BY_REQUEST):
            limiter = BY_COLD
    missing_w = now.load_w - flow.load_a * flow.bus_v * bank.wires.inverter_efficiency
    if missing_w > 0.05 * now.load_w:
        state.totals[NOT_SERVED_WH] += missing_w * pace.step_s / 3600.0
        state.totals[DARK_S] += pace.step_s
    spare_w = max(0.0, flow.sun_a - given[0]) * flow.bus_v
    state.totals[NOT_TAKEN_WH] += spare_w * pace.step_s / 3600.0
    for s in range(given.size):
        could_a = flow.sun_a if s == 0 else minutes.other_a[now.minute, s - 1]
        net_a = given.sum() - flow.load_a
        _advance_stage(bank.chargers, state.stages, s, flow.bus_v, could_a, net_a, pace.step_s)
    work.bus[SUN_A], work.bus[GIVEN_A], work.bus[LOAD_A] = flow.sun_a, given.sum(), flow.load_a
    return limiter if now.any_source else BY_NOTHING


@compiled
def _settle(bank: Bank, state: State, work: Work, minutes: Minutes, now: Now) -> Flow:
    """Find the bus voltage; a pack whose current may not flow leaves, and it is sought again."""
    given, flags, pack, packs = work.given_a, work.flags, work.packs, state.off.size
    efficiency = bank.wires.inverter_efficiency
    ask_a, draw_a = _asked(bank.link, state.asked_share, state.lost_s[0], flags)
    limiter, bus_v, load_a, sun_a, floating = BY_NOTHING, 0.0, 0.0, 0.0, False
    for _ in range(packs + 1):
        conductance, drive = 0.0, 0.0
        for p in range(packs):
            if not flags[STUCK, p]:
                conductance += 1.0 / pack[INNER, p]
                drive += _seen(flags, pack, p) / pack[INNER, p]
        if conductance == 0.0:
            return Flow(limiter, bus_v, sun_a, load_a, False, floating)
        open_v = drive / conductance
        seen_a = state.seen_w[0] / efficiency / open_v
        sun_a = now.sun_w / open_v
        limiter = _offer(bank, state, given, minutes, now.minute, sun_a, ask_a, seen_a)
        limiter = _give_way(bank.chargers, state.stages, given, limiter, conductance, drive, seen_a)
        total_a = given.sum()
        bus_v = _bus_voltage(conductance, drive + total_a, now.load_w / efficiency)
        load_a = drive + total_a - conductance * bus_v
        if load_a > total_a + draw_a:
            load_a = total_a + draw_a
            bus_v = (drive + total_a - load_a) / conductance
        again = False
        for p in range(packs):
            pack[AMPS, p] = 0.0
            if flags[STUCK, p]:
                continue
            amps = (bus_v - _seen(flags, pack, p)) / pack[INNER, p]
            pack[AMPS, p] = amps
            in_vain = amps > 0.0 and flags[CHARGE_OPEN, p]
            if in_vain or (amps < 0.0 and flags[DISCHARGE_OPEN, p]):
                flags[STUCK, p] = again = True
                floating = floating or not flags[DISCHARGE_OPEN, p]
        if not again:
            break
        limiter = BY_BMS
    return Flow(limiter, bus_v, sun_a, load_a, True, floating)


@compiled
def _offer(
    bank: Bank,
    state: State,
    given: Floats,
    minutes: Minutes,
    minute: int,
    sun_a: float,
    ask_a: float,
    seen_a: float,
) -> int:
    """What each charger could give now; returns who limits the sun's."""
    chargers, stages = bank.chargers, state.stages
    most_a, own_a = chargers[0, MOST_A], bank.link.own_charge_a
    given[0], limiter = _first_charger(sun_a, most_a, ask_a, own_a, seen_a)
    for s in range(1, given.size):
        given[s] = min(minutes.other_a[minute, s - 1], chargers[s, MOST_A])
        if stages[s, COLD_STOPPED] > 0.0:
            given[s] = 0.0
    if stages[0, COLD_STOPPED] > 0.0:
        given[0], limiter = 0.0, BY_COLD
    return limiter


@compiled
def _bus_voltage(conductance: float, drive_a: float, load_w: float) -> float:
    """Where source and load of constant power meet: G V - drive + P / V = 0.

    The most it can give beyond that.
    """
    inside = drive_a * drive_a - 4.0 * conductance * load_w
    return (drive_a + math.sqrt(max(inside, 0.0))) / (2.0 * conductance)


@compiled
def _feel_cold(chargers: Floats, stages: Floats, s: int, pack: Floats) -> None:
    """A charger's own cutoff, by a sensor on the coldest pack."""
    coldest_c = math.inf
    for p in range(pack.shape[1]):
        coldest_c = min(coldest_c, pack[COLD, p])
    if coldest_c < chargers[s, STOP_C]:
        stages[s, COLD_STOPPED] = 1.0
    elif coldest_c >= chargers[s, RESUME_C]:
        stages[s, COLD_STOPPED] = 0.0


@compiled
def _without_packs(
    bank: Bank, state: State, work: Work, now: Now, pace: Pace, floating: bool
) -> int:
    """No pack takes or gives current.

    The sun alone carries the loads while a pack stands by to help, else the house is dark.
    """
    given, bus, totals = work.given_a, work.bus, state.totals
    for p in range(state.off.size):
        work.packs[AMPS, p] = 0.0
    bus_v = _target(bank.chargers, state.stages, 0)
    needed_w = now.load_w / bank.wires.inverter_efficiency
    if floating and bus_v > 0.0:
        given[0] = needed_w / bus_v
        bus[SUN_A], bus[GIVEN_A], bus[LOAD_A] = now.sun_w / bus_v, given[0], given[0]
        totals[NOT_TAKEN_WH] += max(0.0, now.sun_w - needed_w) * pace.step_s / 3600.0
        _advance_stage(bank.chargers, state.stages, 0, bus_v, bus[SUN_A], 0.0, pace.step_s)
    else:
        totals[NOT_SERVED_WH] += now.load_w * pace.step_s / 3600.0
        totals[DARK_S] += pace.step_s
        bus[SUN_A], bus[GIVEN_A], bus[LOAD_A] = 0.0, 0.0, 0.0
    return BY_COLD if state.active_s[0, CHARGE_COLD] >= 0.0 else BY_BMS


@compiled
def _seen(flags: Flags, pack: Floats, p: int) -> float:
    """Source voltage of a pack as the bus sees it, diode included."""
    if flags[CHARGE_OPEN, p]:
        return pack[EMF, p] - DIODE_V
    if flags[DISCHARGE_OPEN, p]:
        return pack[EMF, p] + DIODE_V
    return pack[EMF, p]


@compiled
def _asked(link: Link, asked_share: Floats, lost_s: float, flags: Flags) -> tuple[float, float]:
    """Charge and discharge current the packs ask for together.

    The inverter's own when open loop, or long without a word.
    """
    if not link.closed:
        return math.inf, link.own_discharge_a
    if lost_s > link.timeout_s:
        return (0.0, 0.0) if link.stops else (math.inf, link.own_discharge_a)
    charge_a, draw_a = 0.0, 0.0
    for p in range(flags.shape[1]):
        if not flags[STUCK, p]:
            charge_a += link.ask_charge_a[p] * asked_share[p, 0]
            draw_a += link.ask_discharge_a[p] * asked_share[p, 1]
    return charge_a, min(draw_a, link.own_discharge_a)


@compiled
def _first_charger(
    sun_a: float, most_a: float, ask_a: float, own_a: float, load_a: float
) -> tuple[float, int]:
    """What the sun's charger may give before it regulates, and who says so.

    Requests are about the packs: the loads come on top.
    """
    amps, limiter = sun_a, BY_SUN
    if most_a < amps:
        amps, limiter = most_a, BY_CHARGER
    if own_a < amps:
        amps, limiter = own_a, BY_INVERTER
    if ask_a + load_a < amps:
        amps, limiter = ask_a + load_a, BY_REQUEST
    return amps, limiter


@compiled
def _target(chargers: Floats, stages: Floats, s: int) -> float:
    if stages[s, STAGE] == FLOAT:
        return chargers[s, FLOAT_V]
    return _high_target(chargers, stages, s)


@compiled
def _high_target(chargers: Floats, stages: Floats, s: int) -> float:
    return chargers[s, EQUALISE_V] if stages[s, EQUALISING] > 0.0 else chargers[s, TARGET_V]


@compiled
def _give_way(
    chargers: Floats,
    stages: Floats,
    given: Floats,
    limiter: int,
    conductance: float,
    drive: float,
    load_a: float,
) -> int:
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
                    limiter = BY_FLOAT if stages[0, STAGE] == FLOAT else BY_ABSORPTION
        if needed >= 0.0:
            return limiter
        settled = target_v
    return limiter


@compiled
def _advance_stage(
    chargers: Floats,
    stages: Floats,
    s: int,
    bus_v: float,
    could_a: float,
    net_a: float,
    step_s: float,
) -> None:
    """Bulk until the target, absorption until its time or the tail, then float.

    Night or a new connection starts over.
    """
    stages[s, SINCE_EQUALISE_S] += step_s
    target_v = _high_target(chargers, stages, s)
    if could_a <= 0.0:
        stages[s, STAGE], stages[s, HELD_S] = BULK, 0.0
    elif stages[s, STAGE] == BULK:
        if bus_v >= target_v - 0.02:
            stages[s, STAGE], stages[s, HELD_S] = ABSORPTION, 0.0
    elif stages[s, STAGE] == ABSORPTION:
        held = bus_v >= target_v - 0.05
        if held:
            stages[s, HELD_S] += step_s
        small = chargers[s, TAIL_A] > 0.0 and net_a < chargers[s, TAIL_A]
        tail = small and held and stages[s, HELD_S] > 300.0
        equalising = stages[s, EQUALISING] > 0.0
        hold_s = chargers[s, EQUALISE_S] if equalising else chargers[s, ABSORPTION_S]
        if stages[s, HELD_S] >= hold_s or (tail and not equalising):
            stages[s, STAGE] = FLOAT
            if stages[s, EQUALISING] > 0.0:
                stages[s, SINCE_EQUALISE_S], stages[s, EQUALISING] = 0.0, 0.0
    every_s = chargers[s, EQUALISE_EVERY_S]
    if every_s > 0.0 and stages[s, SINCE_EQUALISE_S] >= every_s:
        stages[s, EQUALISING] = 1.0
