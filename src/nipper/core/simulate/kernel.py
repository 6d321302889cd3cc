"""The loop over time: packs of cells in parallel, their BMS, balancers, chargers and loads, advanced step by step.

The state is changed in place, so that a run can be split at an event and go on. What each part does stands in its own module:
cells in :mod:`physics`, the BMS in :mod:`protection`, chargers and loads in :mod:`bus`.
"""

import math

from nipper.core.simulate.bus import request, share_current
from nipper.core.simulate.compiled import compiled
from nipper.core.simulate.layout import (
    AMPS,
    COLD,
    EMF,
    FIXED,
    HIGH,
    HOT,
    INNER,
    LOW,
    MEAN_AH,
    RISE,
    STRING_V,
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
)  # fmt: skip
from nipper.core.simulate.protection import balance, count, protect, set_switches, watch_levels


@compiled
def run(
    cells,
    limits,
    bms,
    chargers,
    wires,
    link,
    state,
    work,
    minutes,
    sensor_c,
    record,
    noise,
    seed,
    first_step,
    steps,
    step_s,
):
    """Advance ``steps`` steps from ``first_step``; state, work and record are changed in place.

    Parameters
    ----------
    limits : [4, protections], chargers : [chargers, 9]; see the constants in ``layout``
    sensor_c : [packs, sensors] a temperature put on a sensor by hand, NaN where it reads its cell

    Notes
    -----
    Each step the voltages are those of a source with inner resistance; the bus finds the currents; RC branches advance exactly, heat by
    an implicit step, which no small cell makes diverge, charge by the current times the step, so that charge is conserved to rounding.
    """
    charge_ah, slow1_v, slow2_v, swing, temp_c, moved_ah, balancing = (
        state.charge_ah, state.slow1_v, state.slow2_v, state.hysteresis, state.temp_c, state.moved_ah, state.balancing
    )  # fmt: skip
    pending_s, active_s, alarmed, counted_pct, switch_k, asked_share = (
        state.pending_s, state.active_s, state.alarmed, state.counted_pct, state.switch_k, state.asked_share
    )  # fmt: skip
    off, stages, through_ah, totals, rows, heat_j = (
        state.off,
        state.stages,
        state.through_ah,
        state.totals,
        state.rows,
        state.heat_j,
    )
    per_ah, r0, r1, r2, rest_v, true_v, read_v, pack = (
        work.per_ah, work.r0_ohm, work.r1_ohm, work.r2_ohm, work.rest_v, work.true_v, work.read_v, work.packs
    )  # fmt: skip
    flags = work.flags
    current = pack[AMPS]
    sun_w, load_w, surge_w, ambient_c, other_a = (
        minutes.sun_w,
        minutes.load_w,
        minutes.surge_w,
        minutes.ambient_c,
        minutes.other_a,
    )
    ocv_v, leak_a, bias_v, events = cells.ocv_v, cells.leak_a, cells.bias_v, record.events
    packs, n = charge_ah.shape
    kept1, kept2, kept_switch = (
        math.exp(-step_s / cells.tau1_s),
        math.exp(-step_s / cells.tau2_s),
        math.exp(-step_s / bms.switch_tau_s),
    )
    hours, follows = step_s / 3600.0, 1.0 - math.exp(-step_s / wires.follow_s)
    watch_levels(limits, work.watch)
    for p in range(packs):
        set_switches(active_s, off, flags, p)
    for k in range(steps):
        step = first_step + k
        minute = min(int(step * step_s / 60.0), sun_w.size - 1)
        new_minute = step == 0 or minute != int((step - 1) * step_s / 60.0)
        if new_minute or k == 0:
            warm(
                cells,
                temp_c,
                ambient_c[minute],
                heat_j,
                max(60.0, step_s) if new_minute and step > 0 else 0.0,
                r0,
                r1,
                r2,
            )
            for p in range(packs):
                pack[FIXED, p] = (
                    wires.lead_ohm[p]
                    + r0[p].sum()
                    + r1[p].sum() * (1.0 - kept1)
                    + r2[p].sum() * (1.0 - kept2)
                )
                pack[HOT, p], pack[COLD, p] = _sensed(sensor_c, temp_c, p, n)
        for p in range(packs):
            # the rest voltage rises with the current within the step: as if it were resistance, or packs in parallel would rock on the knee
            pack[RISE, p] = (
                rest_voltages(
                    ocv_v, charge_ah, per_ah, cells.hysteresis_v, swing, rest_v, work.rise_v_ah, p
                )
                * hours
            )
            pack[EMF, p] = source_voltage(rest_v, slow1_v, slow2_v, kept1, kept2, p)
            pack[INNER, p] = pack[FIXED, p] + pack[RISE, p]
            if link.closed:
                request(limits, flags, asked_share, p, pack[HIGH, p], pack[LOW, p], step_s)
        state.lost_s[0] = 0.0 if link.up else state.lost_s[0] + step_s
        house_w = load_w[minute] * (
            1.0 + wires.flicker * noise[noise_place(seed + 5, step, 1, 0, 1)]
        )
        state.seen_w[0] += (house_w - state.seen_w[0]) * follows
        limiter = share_current(
            chargers, wires, link, active_s, off, state.offline, asked_share, stages, totals, state.lost_s[0], sun_w[minute], house_w, state.seen_w[0], other_a, minute,
            step_s, pack, flags, work.given_a, work.bus,
        )  # fmt: skip
        surge_a = (
            surge_w[minute] / wires.inverter_efficiency / max(1.0, pack[EMF, 0]) / packs
            if new_minute
            else 0.0
        )
        for p in range(packs):
            amps = current[p]
            relax(slow1_v, r1, kept1, amps, p)
            relax(slow2_v, r2, kept2, amps, p)
            pack[STRING_V, p], heat_w = terminal_voltages(
                rest_v,
                work.rise_v_ah,
                r0,
                slow1_v,
                slow2_v,
                cells.hysteresis_v,
                swing,
                amps,
                hours,
                true_v,
                heat_j,
                p,
            )
            through = abs(amps) * hours
            effect = amps * hours * (cells.efficiency if amps > 0.0 else 1.0)
            move_charge(
                charge_ah,
                leak_a,
                swing,
                per_ah,
                effect,
                hours,
                through,
                1.0 if amps > 0.0 else -1.0,
                p,
            )
            totals[6] += heat_w * hours
            totals[5] += amps * (pack[STRING_V, p] - 0.5 * amps * pack[RISE, p]) * hours
            through_ah[p, 0 if amps > 0.0 else 1] += through
            measure(
                true_v,
                bias_v,
                noise,
                noise_place(seed, step, packs, p, n),
                bms.noise_v,
                bms.step_v,
                read_v,
                p,
            )
            high, low, total = extremes(read_v, p)
            pack[HIGH, p], pack[LOW, p] = high, low
            read_a = _read_current(bms, amps)
            switch_k[p] = (
                kept_switch * switch_k[p] + (1.0 - kept_switch) * bms.switch_k_a2 * amps * amps
            )
            if bms.balancer_kind > 0:
                balance(
                    bms,
                    charge_ah,
                    moved_ah,
                    balancing,
                    totals,
                    flags,
                    p,
                    high,
                    low,
                    read_v,
                    read_a,
                    hours,
                    step_s,
                )
            peak_a = surge_a - amps if surge_a > 0.0 else 0.0
            protect(
                limits, work.watch, bms.power_off_v, off, pending_s, active_s, alarmed, rows, events, flags, p, step, step_s, high, low, total, read_v, read_a,
                pack[HOT, p], pack[COLD, p], temp_c[p, 0] + switch_k[p], peak_a, wires.surge_s,
            )  # fmt: skip
            count(bms.full_v, bms.empty_v, counted_pct, p, pack[MEAN_AH, p], low, read_a, hours)
        if step % record.every == 0 and rows[0] < record.time_step.size:
            _write_row(
                record,
                rows,
                step,
                limiter,
                bms,
                state,
                sensor_c,
                current,
                pack[STRING_V],
                read_v,
                work.bus,
                per_ah,
            )
    return 0


@compiled
def _read_current(bms, amps):
    read_a = math.floor((amps + bms.offset_a) / bms.step_a + 0.5) * bms.step_a
    return 0.0 if abs(read_a) < bms.rest_a else read_a


@compiled
def _at_sensor(sensor_c, temp_c, p, s, n):
    """What a sensor reads: the cell it sits on (spread evenly from the first to the last), or what was put on it by hand."""
    if not math.isnan(sensor_c[p, s]):
        return sensor_c[p, s]
    return temp_c[p, s * (n - 1) // max(1, sensor_c.shape[1] - 1)]


@compiled
def _sensed(sensor_c, temp_c, p, n):
    """Hottest and coldest of the sensors: all that the BMS knows. Without a sensor it sees a mild day."""
    hot, cold = -math.inf, math.inf
    for s in range(sensor_c.shape[1]):
        here = _at_sensor(sensor_c, temp_c, p, s, n)
        hot, cold = max(hot, here), min(cold, here)
    return (hot, cold) if sensor_c.shape[1] else (20.0, 20.0)


@compiled
def _write_row(
    record, rows, step, limiter, bms, state, sensor_c, current, string_v, read_v, bus, per_ah
):
    row = rows[0]
    rows[0] += 1
    packs, n = read_v.shape
    record.time_step[row] = step
    record.limiter[row] = limiter
    for j in range(3):
        record.bus[row, j] = bus[j]
    for p in range(packs):
        record.current_a[row, p] = _read_current(bms, current[p])
        record.pack_v[row, p] = math.floor(string_v[p] / 0.01 + 0.5) * 0.01
        record.soc_pct[row, p] = math.floor(state.counted_pct[p] + 0.5)
        for i in range(n):
            record.cell_v[row, p, i] = read_v[p, i]
            record.balancing[row, p, i] = state.balancing[p, i]
            record.true_pct[row, p, i] = 100.0 * state.charge_ah[p, i] * per_ah[p, i]
        for s in range(sensor_c.shape[1]):
            record.temp_c[row, p, s] = math.floor(_at_sensor(sensor_c, state.temp_c, p, s, n) + 0.5)
