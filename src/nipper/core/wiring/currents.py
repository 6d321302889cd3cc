"""Current against time of one pack: what the BMS, the fuse, the cells and the leads allow for how
long, and what the loads ask.
"""

from collections.abc import Callable
from dataclasses import dataclass
from math import inf

import numpy as np

from nipper.core.setup import Setup
from nipper.core.wiring.fuse import KIND_WORDS, melting_band, melts_after_s
from nipper.core.wiring.lead import pack_lead
from nipper.core.wiring.short import short_circuit_a

INVERTER_EFFICIENCY = 0.92  # common practice
LONGEST_S, SHORTEST_S = 1e4, 1e-5
FAULT_S = 5.0  # up to which the adiabatic limit is meant: IEC 60364-4-43, from memory
DISCHARGE = "protection.discharge_over_current.trip_a"
Points = list[tuple[float, float]]


@dataclass(frozen=True, slots=True)
class Line:
    """One curve of the chart: points (A, s), what it is, and where it comes from.

    ``kind``: bms, fuse, lead, cell, load.
    """

    kind: str
    title: str
    points: Points
    source: str = ""


def battery_w_to_a(setup: Setup, watts: float) -> float:
    """Current of one pack for a load at the inverter's output, A: all packs share, the cells stand
    at their low alarm.
    """
    low = setup.protection.cell_under_voltage
    cell_v = low.alarm_v or low.trip_v + 0.1
    return watts / INVERTER_EFFICIENCY / (cell_v * setup.cells) / setup.packs_in_parallel


def bms_opens_after_s(setup: Setup, current_a: float) -> float:
    """When the BMS opens at a discharge current, s; inf where it does not."""
    over, short = setup.protection.discharge_over_current, setup.protection.short_circuit
    after = inf
    if over and current_a > over.trip_a:
        after = over.delay_s
    if short and current_a > short.trip_a:
        after = min(after, short.delay_us * 1e-6)
    return after


def lines(setup: Setup) -> list[Line]:
    """All curves that this setup gives, and points of the loads."""
    most = max(10.0 * setup.capacity_ah, 1.2 * short_circuit_a(setup))
    grid = np.geomspace(0.2 * setup.capacity_ah * 0.5, most, 240).tolist()
    out = (
        [Line("bms", "BMS opens", _steps(setup, most), "as set")]
        if setup.protection.discharge_over_current or setup.protection.short_circuit
        else []
    )
    wiring = setup.wiring
    if wiring and wiring.fuse_a:
        fuse_a, kind = wiring.fuse_a, wiring.fuse_kind
        for i, title in ((0, f"{fuse_a:g} A fuse, soonest"), (1, "latest")):
            never_a = melting_band(fuse_a, kind)[i][0][0]
            above = [
                never_a * 1.0001,
                *np.geomspace(1.01 * never_a, max(most, 2 * never_a), 120).tolist(),
            ]
            out.append(
                Line(
                    "fuse",
                    title,
                    _sample(above, lambda a, i=i: melts_after_s(a, fuse_a, kind)[i]),
                    KIND_WORDS[kind],
                )
            )
    if lead := pack_lead(wiring):
        out.append(
            Line(
                "lead",
                f"{lead} lead ruined",
                _sample(grid, lead.ruined_after_s),
                "IEC 60364-4-43 (k = 115) and ISO 10133, from memory",
            )
        )
        out.append(
            Line(
                "lead",
                "lead carries for long",
                [(lead.carries_a, LONGEST_S), (lead.carries_a, 600.0)],
                "ISO 10133, from memory",
            )
        )
    out += _cell_lines(setup)
    return out + _load_points(setup)


def _sample(grid: list[float], after_s: Callable[[float], float]) -> Points:
    points = ((a, after_s(a)) for a in grid)
    return [(a, s) for a, s in points if SHORTEST_S <= s <= 1.5 * LONGEST_S]


def _steps(setup: Setup, most_a: float) -> Points:
    over, short = setup.protection.discharge_over_current, setup.protection.short_circuit
    points: Points = []
    if over:
        points += [(over.trip_a, LONGEST_S), (over.trip_a, max(over.delay_s, SHORTEST_S))]
    if short:
        level = max(over.delay_s, SHORTEST_S) if over else LONGEST_S
        points += [
            (short.trip_a, level),
            (short.trip_a, short.delay_us * 1e-6),
            (most_a, short.delay_us * 1e-6),
        ]
    elif over:
        points.append((most_a, over.delay_s))
    return points


def _cell_lines(setup: Setup) -> list[Line]:
    long_a, pulse_a, pulse_s = setup.sheet_discharge_a, setup.sheet_pulse_a, setup.cell.pulse_s
    if long_a is None:
        return []
    points = [(long_a, LONGEST_S)]
    if pulse_a and pulse_s:
        points += [(long_a, pulse_s), (pulse_a, pulse_s), (pulse_a, 0.1)]
    else:
        points.append((long_a, 10.0))
    return [Line("cell", "cells, by their sheet", points, "as entered")]


def _load_points(setup: Setup) -> list[Line]:
    usage = setup.usage
    out: list[Line] = []
    if usage and usage.continuous_w:
        out.append(
            Line(
                "load",
                "loads for long",
                [(battery_w_to_a(setup, usage.continuous_w), LONGEST_S / 3)],
                "as entered, at the low alarm, inverter 92 %",
            )
        )
    if usage and usage.inrush_w and usage.inrush_s:
        out.append(
            Line(
                "load",
                "heaviest start",
                [(battery_w_to_a(setup, usage.inrush_w), usage.inrush_s)],
                "as entered, at the low alarm, inverter 92 %",
            )
        )
    return out


def fuse_first(setup: Setup, surely: bool = False) -> tuple[float, float] | None:
    """Between which currents the fuse may (or ``surely`` does) melt before the BMS opens, A; None
    where it does not below what the short-circuit trip takes over.
    """
    wiring, over, short = (
        setup.wiring,
        setup.protection.discharge_over_current,
        setup.protection.short_circuit,
    )
    if wiring is None or not wiring.fuse_a or over is None:
        return None
    low, top = (
        over.trip_a,
        max(short.trip_a if short else short_circuit_a(setup), 1.01 * over.trip_a),
    )

    def melts(amps: float) -> bool:
        return melts_after_s(amps, wiring.fuse_a or 0.0, wiring.fuse_kind)[surely] < over.delay_s

    if not melts(top):  # more current melts it sooner, never later
        return None
    first = low if melts(low) else top
    if first == top:
        for _ in range(24):
            middle = (low * first) ** 0.5
            low, first = (low, middle) if melts(middle) else (middle, first)
    return first, top


def lead_first(setup: Setup) -> float | None:
    """The lowest fault current at which the lead is ruined before the fuse is sure to have melted,
    A; None where the fuse is always first.

    Faults end within seconds; for longer overloads the standards ask that the fuse's rating is not
    above what the lead carries.
    """
    wiring, lead = setup.wiring, pack_lead(setup.wiring)
    if wiring is None or not wiring.fuse_a or lead is None:
        return None
    most_a = max(short_circuit_a(setup), 2 * lead.carries_a)
    for a in np.geomspace(lead.carries_a, most_a, 60).tolist():
        ruined = lead.ruined_after_s(a)
        if ruined <= FAULT_S and ruined < melts_after_s(a, wiring.fuse_a, wiring.fuse_kind)[1]:
            return a
    return None


def long_a(setup: Setup) -> tuple[float, str]:
    """What the whole bank gives for long, A, and the setting that says so: loads, the inverter's
    most, or all trips together; 0 where nothing is known.
    """
    packs, over = setup.packs_in_parallel, setup.protection.discharge_over_current
    if setup.usage and setup.usage.continuous_w:
        return battery_w_to_a(setup, setup.usage.continuous_w) * packs, "usage.continuous_w"
    if setup.link and setup.link.inverter_max_discharge_a:
        return setup.link.inverter_max_discharge_a, "link.inverter_max_discharge_a"
    return (packs * over.trip_a, DISCHARGE) if over else (0.0, "")
