"""The BMS of a pack: protections with delay and release, alarms, power-off, the charge counter, and
the balancer.
"""

from nipper.core.simulate.compiled import compiled
from nipper.core.simulate.layout import (
    ABOVE_START_S,
    ACTIVE,
    ALARM,
    ALARMED,
    AT_REST,
    BALANCING_S,
    BUSY,
    BY_TIME,
    CELL_OVER,
    CELL_UNDER,
    CHARGE_COLD,
    CHARGE_CURRENT,
    CHARGE_HOT,
    CHARGE_OPEN,
    DELAY,
    DISCHARGE_COLD,
    DISCHARGE_CURRENT,
    DISCHARGE_HOT,
    DISCHARGE_OPEN,
    OPENS_CHARGE,
    OPENS_DISCHARGE,
    PACK_OVER,
    PACK_UNDER,
    RELEASE,
    RELEASED,
    RISING,
    RUNNING,
    SHORT,
    SWITCH_HOT,
    TRIP,
    TRIPPED,
    WHILE_CHARGING,
    Bank,
    Bms,
    Flags,
    Floats,
    Pace,
    Record,
    Seen,
    State,
    Work,
)
from nipper.core.simulate.physics import place_of


@compiled
def set_switches(state: State, flags: Flags, p: int) -> None:
    """Which switches of a pack are open; asked several times a step, so kept."""
    flags[CHARGE_OPEN, p], flags[DISCHARGE_OPEN, p] = False, state.off[p]
    for j in range(OPENS_CHARGE.size):
        if state.active_s[p, j] >= 0.0:
            flags[CHARGE_OPEN, p] = flags[CHARGE_OPEN, p] or OPENS_CHARGE[j]
            flags[DISCHARGE_OPEN, p] = flags[DISCHARGE_OPEN, p] or OPENS_DISCHARGE[j]


@compiled
def watch_levels(limits: Floats, out: Floats) -> None:
    """The level of each protection from which something may have to be done.

    Alarm or trip, whichever comes first.
    """
    for j in range(out.size):
        if RISING[j]:
            out[j] = min(limits[TRIP, j], limits[ALARM, j])
        else:
            out[j] = max(limits[TRIP, j], limits[ALARM, j])


@compiled
def protect(
    bank: Bank,
    state: State,
    work: Work,
    record: Record,
    seen: Seen,
    pace: Pace,
    step: int,
    p: int,
) -> None:
    """Advance every protection of one pack by a step.

    Pending while beyond its trip, active after its delay, until released.
    """
    off_v, off = bank.bms.power_off_v[p], state.off
    if _calm(work.watch[p], seen, off_v) and not work.flags[BUSY, p]:
        return
    if seen.low_v < off_v:
        off[p] = True
    elif off[p] and seen.low_v > off_v + 0.2:
        off[p] = False
    busy = off[p]
    for j in range(work.watch.shape[1]):
        value, cell = _value(seen, work.read_v, j, p)
        _act(bank, state, record, seen, pace, step, p, j, value, cell)
        _alarm(bank.limits[p], state, record, step, p, j, value, cell)
        active, pending = state.active_s[p, j] >= 0.0, state.pending_s[p, j] > 0.0
        busy = busy or active or pending or state.alarmed[p, j]
    work.flags[BUSY, p] = busy
    set_switches(state, work.flags, p)


@compiled
def _calm(watch: Floats, seen: Seen, off_v: float) -> bool:
    """Nearly always nothing is beyond anything."""
    return not (
        seen.high_v > watch[CELL_OVER]
        or seen.total_v > watch[PACK_OVER]
        or seen.amps > watch[CHARGE_CURRENT]
        or seen.hot_c > watch[CHARGE_HOT]
        or seen.cold_c < watch[CHARGE_COLD]
        or seen.low_v < watch[CELL_UNDER]
        or seen.total_v < watch[PACK_UNDER]
        or -seen.amps > watch[DISCHARGE_CURRENT]
        or seen.hot_c > watch[DISCHARGE_HOT]
        or seen.cold_c < watch[DISCHARGE_COLD]
        or -seen.amps > watch[SHORT]
        or seen.switch_c > watch[SWITCH_HOT]
        or seen.low_v < off_v
        or seen.surge_a > watch[DISCHARGE_CURRENT]
        or seen.surge_a > watch[SHORT]
    )


@compiled
def _value(seen: Seen, read_v: Floats, j: int, p: int) -> tuple[float, int]:
    """What a protection looks at, and the cell it is of; -1 where it is of the pack."""
    if j == CELL_OVER:
        return seen.high_v, place_of(read_v, seen.high_v, p)
    if j == CELL_UNDER:
        return seen.low_v, place_of(read_v, seen.low_v, p)
    value = -seen.amps
    if j in (PACK_OVER, PACK_UNDER):
        value = seen.total_v
    elif j in (CHARGE_HOT, DISCHARGE_HOT):
        value = seen.hot_c
    elif j in (CHARGE_COLD, DISCHARGE_COLD):
        value = seen.cold_c
    elif j == SWITCH_HOT:
        value = seen.switch_c
    elif j == CHARGE_CURRENT:
        value = seen.amps
    return value, -1


@compiled
def _act(
    bank: Bank,
    state: State,
    record: Record,
    seen: Seen,
    pace: Pace,
    step: int,
    p: int,
    j: int,
    value: float,
    cell: int,
) -> None:
    """Trip after the delay, release at its value or after its time."""
    limits, active_s, pending_s = bank.limits[p], state.active_s, state.pending_s
    trip, release, surge_a = limits[TRIP, j], limits[RELEASE, j], seen.surge_a
    if active_s[p, j] >= 0.0:
        active_s[p, j] += pace.step_s
        if BY_TIME[j]:
            over = active_s[p, j] >= release
        else:
            over = _back(value, release, j)
        if over:
            active_s[p, j] = -1.0
            _note(record, state, step, p, j, RELEASED, cell, value)
        return
    beyond = value > trip if RISING[j] else value < trip
    pending_s[p, j] = pending_s[p, j] + pace.step_s if beyond else 0.0
    acts = beyond and pending_s[p, j] >= limits[DELAY, j]
    lasts = bank.wires.surge_s >= limits[DELAY, j]
    if j in (DISCHARGE_CURRENT, SHORT) and surge_a > trip and lasts:
        acts, value = True, surge_a
    if acts:
        active_s[p, j] = 0.0
        pending_s[p, j] = 0.0
        _note(record, state, step, p, j, TRIPPED, cell, value)


@compiled
def _alarm(
    limits: Floats,
    state: State,
    record: Record,
    step: int,
    p: int,
    j: int,
    value: float,
    cell: int,
) -> None:
    """An alarm sounds once, and is over when back at the release: else it cried at every
    flutter.
    """
    warns = value > limits[ALARM, j] if RISING[j] else value < limits[ALARM, j]
    if warns and not state.alarmed[p, j]:
        state.alarmed[p, j] = True
        _note(record, state, step, p, j, ALARMED, cell, value)
        return
    over = BY_TIME[j] or _back(value, limits[RELEASE, j], j)
    if state.alarmed[p, j] and not warns and state.active_s[p, j] < 0.0 and over:
        state.alarmed[p, j] = False


@compiled
def _back(value: float, release: float, j: int) -> bool:
    return value <= release if RISING[j] else value >= release


@compiled
def _note(
    record: Record,
    state: State,
    step: int,
    p: int,
    protection: int,
    kind: int,
    cell: int,
    value: float,
) -> None:
    events, row = record.events, state.rows[1]
    if row < events.shape[0]:
        state.rows[1] += 1
        events[row, 0], events[row, 1], events[row, 2] = step, p, protection
        events[row, 3], events[row, 4], events[row, 5] = kind, cell, value


@compiled
def count(bms: Bms, state: State, mean_ah: float, seen: Seen, hours: float, p: int) -> None:
    """The BMS's own charge counter.

    It counts what it reads, and is set to 100 or 0 % at the references, so it drifts between them.
    """
    counted_pct = state.counted_pct
    counted_pct[p] += 100.0 * seen.amps * hours / mean_ah
    if seen.low_v >= bms.full_v[p]:
        counted_pct[p] = 100.0
    if seen.low_v <= bms.empty_v[p]:
        counted_pct[p] = 0.0
    counted_pct[p] = min(max(counted_pct[p], 0.0), 100.0)


@compiled
def balance(bms: Bms, state: State, work: Work, seen: Seen, pace: Pace, p: int) -> None:
    """Level the cells where voltage, difference and phase allow it."""
    flags, balancing = work.flags, state.balancing
    if flags[RUNNING, p]:
        for i in range(balancing.shape[1]):
            balancing[p, i] = False
        flags[RUNNING, p] = False
    state.idle_s[p] = 0.0 if seen.amps != 0.0 else state.idle_s[p] + pace.step_s
    if seen.high_v < bms.balance_start_v[p]:
        return
    state.totals[ABOVE_START_S] += pace.step_s
    if state.idle_s[p] > bms.balance_sleep_s[p]:
        return
    if bms.balance_when[p] == WHILE_CHARGING and seen.amps <= 0.0:
        over = state.active_s[p, CELL_OVER] >= 0.0 or state.active_s[p, PACK_OVER] >= 0.0
        if not (over and bms.balance_in_over[p]):
            return
    if bms.balance_when[p] == AT_REST and seen.amps != 0.0:
        return
    if seen.high_v - seen.low_v < bms.balance_delta_v[p]:
        return
    state.totals[BALANCING_S] += pace.step_s
    flags[RUNNING, p] = True
    if bms.balancer_kind[p] == ACTIVE:
        _move(bms, state, work.read_v, seen, pace.hours, p)
    else:
        _bleed(bms, state, work.read_v, seen.low_v, pace.hours, p)


@compiled
def _move(bms: Bms, state: State, read_v: Floats, seen: Seen, hours: float, p: int) -> None:
    """Move charge from the highest cell to the lowest."""
    charge_ah, moved_ah, moved = state.charge_ah, state.moved_ah, bms.balance_a[p] * hours
    highest, lowest = place_of(read_v, seen.high_v, p), place_of(read_v, seen.low_v, p)
    state.balancing[p, highest] = state.balancing[p, lowest] = True
    charge_ah[p, highest] -= moved
    charge_ah[p, lowest] += moved * bms.active_efficiency
    moved_ah[p, highest] -= moved
    moved_ah[p, lowest] += moved * bms.active_efficiency


@compiled
def _bleed(bms: Bms, state: State, read_v: Floats, low_v: float, hours: float, p: int) -> None:
    """Bleed the highest cells, as many at once as it can."""
    balancing, moved = state.balancing, bms.balance_a[p] * hours
    for _ in range(bms.balance_at_once[p]):
        best = -1
        for i in range(read_v.shape[1]):
            volts = read_v[p, i]
            over = volts - low_v >= bms.balance_delta_v[p] and volts >= bms.balance_start_v[p]
            if over and not balancing[p, i] and (best < 0 or volts > read_v[p, best]):
                best = i
        if best < 0:
            return
        balancing[p, best] = True
        state.charge_ah[p, best] -= moved
        state.moved_ah[p, best] -= moved
