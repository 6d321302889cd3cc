"""The BMS of a pack: protections with delay and release, alarms, power-off, the charge counter, and the balancer."""

from nipper.core.simulate.compiled import compiled
from nipper.core.simulate.layout import (
    ACTIVE,
    ALARM,
    ALARMED,
    AT_REST,
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
)  # fmt: skip
from nipper.core.simulate.physics import place_of


@compiled
def set_switches(active_s, off, flags, p):
    """Which switches of a pack are open; asked several times a step, so kept."""
    flags[CHARGE_OPEN, p], flags[DISCHARGE_OPEN, p] = False, off[p]
    for j in range(OPENS_CHARGE.size):
        if active_s[p, j] >= 0.0:
            flags[CHARGE_OPEN, p] = flags[CHARGE_OPEN, p] or OPENS_CHARGE[j]
            flags[DISCHARGE_OPEN, p] = flags[DISCHARGE_OPEN, p] or OPENS_DISCHARGE[j]


@compiled
def watch_levels(limits, out):
    """The level of each protection from which something may have to be done: alarm or trip, whichever comes first."""
    for j in range(out.size):
        out[j] = (
            min(limits[TRIP, j], limits[ALARM, j])
            if RISING[j]
            else max(limits[TRIP, j], limits[ALARM, j])
        )


@compiled
def protect(
    limits, watch, power_off_v, off, pending_s, active_s, alarmed, rows, events, flags, p, step, step_s,
    high, low, total, read_v, read_a, hot, cold, switch_c, surge_a, surge_s,
):  # fmt: skip
    """Advance every protection of one pack by a step: pending while beyond its trip, active after its delay, until released."""
    # nearly always nothing is beyond anything, pending or active
    calm = not (
        high > watch[CELL_OVER] or total > watch[PACK_OVER] or read_a > watch[CHARGE_CURRENT] or hot > watch[CHARGE_HOT] or cold < watch[CHARGE_COLD]
        or low < watch[CELL_UNDER] or total < watch[PACK_UNDER] or -read_a > watch[DISCHARGE_CURRENT] or hot > watch[DISCHARGE_HOT]
        or cold < watch[DISCHARGE_COLD] or -read_a > watch[SHORT] or switch_c > watch[SWITCH_HOT] or low < power_off_v
        or surge_a > watch[DISCHARGE_CURRENT] or surge_a > watch[SHORT]
    )  # fmt: skip
    if calm and not flags[BUSY, p]:
        return
    if low < power_off_v:
        off[p] = True
    elif off[p] and low > power_off_v + 0.2:
        off[p] = False
    busy = off[p]
    for j in range(watch.size):
        trip, release, delay_s, alarm = (
            limits[TRIP, j],
            limits[RELEASE, j],
            limits[DELAY, j],
            limits[ALARM, j],
        )
        cell = -1
        if j == CELL_OVER:
            value, cell = high, place_of(read_v, high, p)
        elif j == CELL_UNDER:
            value, cell = low, place_of(read_v, low, p)
        elif j in (PACK_OVER, PACK_UNDER):
            value = total
        elif j in (CHARGE_HOT, DISCHARGE_HOT):
            value = hot
        elif j in (CHARGE_COLD, DISCHARGE_COLD):
            value = cold
        elif j == SWITCH_HOT:
            value = switch_c
        elif j == CHARGE_CURRENT:
            value = read_a
        else:
            value = -read_a
        if active_s[p, j] < 0.0:
            beyond = value > trip if RISING[j] else value < trip
            pending_s[p, j] = pending_s[p, j] + step_s if beyond else 0.0
            acts = beyond and pending_s[p, j] >= delay_s
            if j in (DISCHARGE_CURRENT, SHORT) and surge_a > trip and surge_s >= delay_s:
                acts, value = True, surge_a
            if acts:
                active_s[p, j] = 0.0
                pending_s[p, j] = 0.0
                _note(rows, events, step, p, j, TRIPPED, cell, value)
        else:
            active_s[p, j] += step_s
            if BY_TIME[j]:
                over = active_s[p, j] >= release
            else:
                over = value <= release if RISING[j] else value >= release
            if over:
                active_s[p, j] = -1.0
                _note(rows, events, step, p, j, RELEASED, cell, value)
        warns = value > alarm if RISING[j] else value < alarm
        if warns and not alarmed[p, j]:
            alarmed[p, j] = True
            _note(rows, events, step, p, j, ALARMED, cell, value)
        elif (
            alarmed[p, j]
            and not warns
            and active_s[p, j] < 0.0
            and (BY_TIME[j] or (value <= release if RISING[j] else value >= release))
        ):
            alarmed[p, j] = False  # only once back at the release, or it would cry at every flutter
        busy = busy or active_s[p, j] >= 0.0 or pending_s[p, j] > 0.0 or alarmed[p, j]
    flags[BUSY, p] = busy
    set_switches(active_s, off, flags, p)


@compiled
def _note(rows, events, step, p, protection, kind, cell, value):
    if rows[1] < events.shape[0]:
        row = rows[1]
        rows[1] += 1
        events[row, 0], events[row, 1], events[row, 2] = step, p, protection
        events[row, 3], events[row, 4], events[row, 5] = kind, cell, value


@compiled
def count(full_v, empty_v, counted_pct, p, mean_ah, lowest_v, read_a, hours):
    """The BMS's own charge counter: counts what it reads, set to 100 or 0 % at the references, so it drifts between them."""
    counted_pct[p] += 100.0 * read_a * hours / mean_ah
    if lowest_v >= full_v:
        counted_pct[p] = 100.0
    if lowest_v <= empty_v:
        counted_pct[p] = 0.0
    counted_pct[p] = min(max(counted_pct[p], 0.0), 100.0)


@compiled
def balance(
    bms, charge_ah, moved_ah, balancing, totals, flags, p, high, low, read_v, read_a, hours, step_s
):
    """Bleed the highest cells, or move from the highest to the lowest, where voltage, difference and phase allow it."""
    if flags[RUNNING, p]:
        for i in range(read_v.shape[1]):
            balancing[p, i] = False
        flags[RUNNING, p] = False
    if high < bms.balance_start_v:
        return
    totals[2] += step_s
    if (bms.balance_when == WHILE_CHARGING and read_a <= 0.0) or (
        bms.balance_when == AT_REST and read_a != 0.0
    ):
        return
    if high - low < bms.balance_delta_v:
        return
    totals[1] += step_s
    flags[RUNNING, p] = True
    moved = bms.balance_a * hours
    if bms.balancer_kind == ACTIVE:
        highest, lowest = place_of(read_v, high, p), place_of(read_v, low, p)
        balancing[p, highest] = balancing[p, lowest] = True
        charge_ah[p, highest] -= moved
        charge_ah[p, lowest] += moved * bms.active_efficiency
        moved_ah[p, highest] -= moved
        moved_ah[p, lowest] += moved * bms.active_efficiency
        return
    for _ in range(bms.balance_at_once):
        best = -1
        for i in range(read_v.shape[1]):
            over = read_v[p, i] - low >= bms.balance_delta_v and read_v[p, i] >= bms.balance_start_v
            if over and not balancing[p, i] and (best < 0 or read_v[p, i] > read_v[p, best]):
                best = i
        if best < 0:
            return
        balancing[p, best] = True
        charge_ah[p, best] -= moved
        moved_ah[p, best] -= moved
