"""Limits of voltage: the window between both ends, pack against cells, sheet, references; those of
current stand in :mod:`.cutoffs`, what is alike at both ends in :mod:`.window`.
"""

from collections.abc import Iterator

from nipper.core.chemistry import chemistry
from nipper.core.findings import Finding
from nipper.core.rules.base import (
    AT_BOTH,
    AT_CHARGE,
    COMMON,
    MEMORY,
    Evidence,
    Rule,
    chem,
    down,
    error,
    note,
    sheet_max_v,
    sheet_min_v,
    up,
    usual,
    warning,
)
from nipper.core.rules.cutoffs import RULES as CURRENTS
from nipper.core.rules.window import LEAST_GAP_V, OVER, UNDER
from nipper.core.setup import Setup

TYPICAL_FULL_REST_V = {
    "lfp": 3.40,
    "nmc": 4.10,
    "lto": 2.60,
}  # where a full cell comes to rest, from memory


def over_release_reachable(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A release below the voltage at which a full cell rests waits for a discharge that may not
    come.
    """
    limit, rest_v = setup.protection.cell_over_voltage, TYPICAL_FULL_REST_V[setup.chemistry]
    if limit.release_v >= rest_v or limit.trip_v - LEAST_GAP_V < rest_v:
        return
    to = min(usual(setup, "over_release_v"), down(limit.trip_v - LEAST_GAP_V))
    yield warning(
        f"{OVER.path}.release_v",
        f"Charging returns only at {limit.release_v:.2f} V; a full cell rests near {rest_v:.2f} V.",
        "After a trip the pack then takes no charge until something has been drawn from it.",
        {f"{OVER.path}.release_v": to},
    )


def over_too_low(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A trip or an alarm where the pack is charged every day."""
    limit = setup.protection.cell_over_voltage
    least = usual(setup, "absorption_v") + 0.03
    if limit.trip_v < least:
        trip = min(usual(setup, "over_trip_v"), down(sheet_max_v(setup)))
        yield error(
            f"{OVER.path}.trip_v",
            f"The over-voltage trip at {limit.trip_v:.2f} V lies where "
            f"{chem(setup).title} packs are usually charged to "
            f"({usual(setup, 'absorption_v'):.2f} V).",
            "The pack can never be filled nor levelled. The value may belong to another chemistry.",
            {
                f"{OVER.path}.trip_v": trip,
                f"{OVER.path}.release_v": min(usual(setup, "over_release_v"), down(trip - 0.05)),
                f"{OVER.path}.alarm_v": down(trip - 0.04),
            },
        )
        return
    if setup.charging:
        least = min(least, setup.charging.absorption_v / setup.cells + 0.03)
    if limit.alarm_v is not None and limit.alarm_v < min(least, limit.trip_v):
        to = max(up(least), down(limit.trip_v - 0.05))
        to = to if to < limit.trip_v else down((least + limit.trip_v) / 2, 0.005)
        yield warning(
            f"{OVER.path}.alarm_v",
            f"The over-voltage alarm at {limit.alarm_v:.2f} V sounds at every full charge.",
            "An alarm that always sounds is soon no longer heeded.",
            {f"{OVER.path}.alarm_v": to},
        )


def under_too_high(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A low limit high on the curve takes away most of the capacity."""
    limit, curve = setup.protection.cell_under_voltage, chem(setup).curve
    lost_pct = float(curve.soc(limit.trip_v))
    if lost_pct < 20.0:
        return
    to = max(usual(setup, "under_trip_v"), up(sheet_min_v(setup)))
    yield warning(
        f"{UNDER.path}.trip_v",
        f"The under-voltage trip at {limit.trip_v:.2f} V leaves about {lost_pct:.0f} % of "
        "the charge unused, more under load.",
        "The voltage sags under load, so the last part of the plateau is lost too. "
        "Cautious builders use 2.8 to 3.0 V on LFP.",
        {
            f"{UNDER.path}.trip_v": to,
            f"{UNDER.path}.alarm_v": up(to + 0.1),
            f"{UNDER.path}.release_v": max(usual(setup, "under_release_v"), up(to + 0.2)),
        },
    )


def limits_crossed(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """Between the releases there must be room to live in."""
    over, under = setup.protection.cell_over_voltage, setup.protection.cell_under_voltage
    if under.release_v < over.release_v and under.trip_v < over.trip_v:
        return
    values = {
        name: usual(setup, name)
        for name in (
            "over_alarm_v",
            "over_trip_v",
            "over_release_v",
            "under_alarm_v",
            "under_trip_v",
            "under_release_v",
        )
    }
    top, bottom = sheet_max_v(setup), sheet_min_v(setup)
    yield error(
        (f"{OVER.path}.release_v", f"{UNDER.path}.release_v"),
        f"Charging returns at {over.release_v:.2f} V and discharging at "
        f"{under.release_v:.2f} V: no voltage allows both.",
        "The window of the cells is turned over; the values may belong to another chemistry.",
        {
            f"{OVER.path}.trip_v": min(top, values["over_trip_v"]),
            f"{OVER.path}.release_v": min(down(top - 0.1), values["over_release_v"]),
            f"{OVER.path}.alarm_v": min(down(top - 0.05), values["over_alarm_v"]),
            f"{UNDER.path}.trip_v": max(bottom, values["under_trip_v"]),
            f"{UNDER.path}.release_v": max(up(bottom + 0.2), values["under_release_v"]),
            f"{UNDER.path}.alarm_v": max(up(bottom + 0.1), values["under_alarm_v"]),
        },
        f"Usual {chem(setup).title} window",
    )


def pack_window(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A pack limit made for another number of cells stops a healthy pack."""
    n, curve = setup.cells, chem(setup).curve
    over, under = setup.protection.pack_over_voltage, setup.protection.pack_under_voltage
    cell_over, cell_under = OVER.limit(setup), UNDER.limit(setup)
    full_v = min(float(curve.ocv(90.0)), usual(setup, "absorption_v"))
    if over and over.trip_v < n * full_v:
        to = down(n * (cell_over.trip_v - 0.02))
        yield error(
            f"{OVER.pack_path}.trip_v",
            f"The pack trips at {over.trip_v:.2f} V, {over.trip_v / n:.2f} V a cell: {n} "
            f"cells rest at {n * full_v:.1f} V when 90 % full.",
            "The pack could not be charged. Often the limit was made for fewer cells.",
            # where the cells' own limits are as wrong, they are cured first
            {
                f"{OVER.pack_path}.trip_v": to,
                f"{OVER.pack_path}.release_v": down(n * cell_over.release_v),
            }
            if to > over.trip_v + 0.01
            else {},
        )
    if under and under.trip_v > n * float(curve.ocv(30.0)):
        to = up(n * (cell_under.trip_v + 0.02))
        yield error(
            f"{UNDER.pack_path}.trip_v",
            f"The pack stops discharging at {under.trip_v:.2f} V, {under.trip_v / n:.2f} "
            "V a cell: that is above 30 % of charge.",
            "Most of the capacity could not be used. Often the limit was made for more cells.",
            {
                f"{UNDER.pack_path}.trip_v": to,
                f"{UNDER.pack_path}.release_v": up(n * cell_under.release_v),
            }
            if to < under.trip_v - 0.01
            else {},
        )


def sheet_fits(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A sheet that does not belong to the chemistry makes every other value wrong."""
    cell, kind = setup.cell, chem(setup)
    for path, value, wrong in (
        ("cell.max_v", cell.max_v, cell.max_v is not None and cell.max_v < kind.knee_v + 0.05),
        ("cell.max_v", cell.max_v, cell.max_v is not None and cell.max_v > kind.max_v + 0.2),
        ("cell.min_v", cell.min_v, cell.min_v is not None and cell.min_v > kind.nominal_v),
    ):
        if wrong:
            yield error(
                (path, "chemistry"),
                f"{value:.2f} V on the cell's sheet does not fit {kind.title} cells "
                f"({kind.min_v:.2f} to {kind.max_v:.2f} V).",
                "Either the chemistry or the sheet's value is wrong; all limits here "
                "follow from both.",
                {path: None},
                "Take it out",
            )


def cells_fit(setup: Setup, evidence: Evidence) -> Iterator[Finding]:
    """Cells whose voltages in the log are those of another chemistry: every limit is wrong."""
    if evidence.chemistry is None or evidence.chemistry == setup.chemistry:
        return
    read, said = chemistry(evidence.chemistry), chem(setup)
    yield error(
        "chemistry",
        f"By the log's voltages these are {read.title} cells, and the settings say {said.title}.",
        f"{read.title} cells live between {read.min_v:.2f} and {read.max_v:.2f} V, {said.title} "
        f"cells between {said.min_v:.2f} and {said.max_v:.2f} V: limits and targets of the one "
        "destroy the other. Charge by none of these values before it is settled.",
    )


def power_off(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """Power-off must lie below the trip, and not below the sheet."""
    off, limit = setup.protection.power_off_v, setup.protection.cell_under_voltage
    path = "protection.power_off_v"
    if off is None:
        return
    bottom = sheet_min_v(setup)
    to = max(bottom, down(limit.trip_v - 0.1))
    if off > limit.trip_v - 1e-9:
        yield error(
            (path, f"{UNDER.path}.trip_v"),
            f"The BMS powers off at {off:.2f} V, not below the under-voltage trip at "
            f"{limit.trip_v:.2f} V.",
            "It would go dark before it has cut the load; nothing but a charger of the "
            "right voltage wakes it.",
            {path: min(to, down(limit.trip_v - 0.01))},
        )
    elif off < bottom - 1e-9:
        yield warning(
            path,
            f"The BMS stays on down to {off:.2f} V, below the {bottom:.2f} V of the cell's sheet.",
            "Its own draw then empties the cells past what they stand.",
            {path: to} if to < limit.trip_v else {},
        )


def references(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """The charge counter is only put right when its references are reached."""
    full, empty = setup.protection.soc_full_v, setup.protection.soc_empty_v
    n = setup.cells
    reaches_knee = (
        setup.charging is not None and setup.charging.absorption_v / n >= chem(setup).knee_v
    )
    if full and setup.charging and reaches_knee and full > setup.charging.absorption_v / n + 1e-9:
        to = down(setup.charging.absorption_v / n)
        yield warning(
            ("protection.soc_full_v", "charging.absorption_v"),
            f"The 100 % reference at {full:.2f} V is above the "
            f"{setup.charging.absorption_v / n:.2f} V a cell of absorption.",
            "It is never reached, so the percentage drifts by the current sensor's "
            "error, some per cent a week.",
            {"protection.soc_full_v": to},
        )
    trip = setup.protection.cell_under_voltage.trip_v
    if empty and empty < trip - 1e-9:
        yield warning(
            ("protection.soc_empty_v", f"{UNDER.path}.trip_v"),
            f"The 0 % reference at {empty:.2f} V lies below the under-voltage trip at "
            f"{trip:.2f} V.",
            "The load is cut first: the percentage never gets to 0 and is not put right.",
            {"protection.soc_empty_v": up(trip)},
        )
    if full and empty and empty >= full:
        yield error(
            ("protection.soc_full_v", "protection.soc_empty_v"),
            f"The 0 % reference at {empty:.2f} V is not below the 100 % reference at {full:.2f} V.",
            "The counter cannot be put right at both ends.",
            {
                "protection.soc_full_v": usual(setup, "soc_full_v"),
                "protection.soc_empty_v": usual(setup, "soc_empty_v"),
            },
            "Usual references",
        )


def reserve(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """What is left between the under-voltage trip and power-off, and how long it lasts."""
    off, trip = setup.protection.power_off_v, setup.protection.cell_under_voltage.trip_v
    standby_w = setup.wiring.standby_w if setup.wiring else None
    if off is None or not standby_w or off >= trip:
        return
    curve = chem(setup).curve
    left_pct = float(curve.soc(trip) - curve.soc(off))
    if left_pct <= 0.0:  # below what the curve knows
        return
    left_ah = left_pct / 100.0 * setup.capacity_ah
    days = left_ah * setup.cells * trip / standby_w / 24.0
    yield note(
        (f"{UNDER.path}.trip_v", "protection.power_off_v", "wiring.standby_w"),
        f"From the trip at {trip:.2f} V to power-off at {off:.2f} V there are "
        f"{left_ah:.1f} Ah: {days:.0f} days at the BMS's own {standby_w:g} W.",
        "After that nothing but a charger wakes it. A higher trip buys time for a pack "
        "left alone, at the cost of usable charge.",
    )


RULES = (
    Rule("chemistry-against-log", cells_fit, COMMON, stages=(*AT_BOTH, "record", "diagnose")),
    Rule("sheet-against-chemistry", sheet_fits, "usual windows, from memory of data sheets"),
    Rule(
        "over-voltage-release-above-trip",
        OVER.release,
        told=(
            "An over-voltage limit that does not release below its trip switches "
            "the charge on and off."
        ),
    ),
    Rule("over-voltage-release-never-reached", over_release_reachable, MEMORY),
    Rule(
        "over-voltage-alarm-above-trip",
        OVER.alarm,
        told="An alarm at or above the over-voltage trip warns too late.",
    ),
    Rule(
        "over-voltage-trip-beyond-sheet",
        OVER.sheet,
        "the cell's sheet; else usual windows, from memory of data sheets",
        told=("A trip above the sheet's highest voltage does not protect the cell."),
    ),
    Rule("over-voltage-limit-too-low", over_too_low),
    Rule("under-voltage-trip-too-high", under_too_high, "the chemistry's curve"),
    Rule(
        "under-voltage-release-below-trip",
        UNDER.release,
        told="An under-voltage limit must release above its trip.",
    ),
    Rule(
        "under-voltage-alarm-below-trip",
        UNDER.alarm,
        told="An alarm at or below the under-voltage trip warns too late.",
    ),
    Rule(
        "under-voltage-trip-beyond-sheet",
        UNDER.sheet,
        "the cell's sheet; else usual windows, from memory of data sheets",
        told=(
            "A trip below the sheet's lowest voltage lets the cell be destroyed; "
            "2.2 V is a known factory default."
        ),
    ),
    Rule("voltage-window-crossed", limits_crossed),
    Rule(
        "pack-over-voltage-against-cells",
        OVER.pack,
        "arithmetic",
        told=(
            "The pack's limit must fit the cells': above cells x trip it never "
            "acts, and its release must lie below."
        ),
    ),
    Rule(
        "pack-under-voltage-against-cells",
        UNDER.pack,
        "arithmetic",
        told=(
            "The pack's low limit must fit the cells': below cells x trip it never "
            "acts, and its release must lie above."
        ),
    ),
    Rule("pack-window-for-other-cell-count", pack_window, "the chemistry's curve"),
    *CURRENTS,
    Rule("power-off-order", power_off),
    Rule("charge-counter-reference", references, COMMON, stages=AT_CHARGE),
    Rule("reserve-after-trip", reserve, "the chemistry's curve, and the standby draw as entered"),
)
