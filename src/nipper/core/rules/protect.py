"""Limits of voltage and current: order of alarm, trip and release, pack against cells, sheet,
delays, references.
"""

from collections.abc import Iterator

from nipper.core.findings import Finding
from nipper.core.rules.base import (
    AT_CHARGE,
    COMMON,
    MEMORY,
    Evidence,
    Rule,
    amps_down,
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
from nipper.core.rules.currents import short_trip_a
from nipper.core.setup import Setup

COPPER = (
    "Below it copper dissolves, and on the next charge it can short the cell inside. Factory "
    "defaults are sometimes absurdly low."
)
TOO_EMPTY = {
    "lfp": COPPER,
    "nmc": COPPER,
    # both collectors are aluminium: no copper there (from memory)
    "lto": "Below it the cell ages fast and may turn round against its neighbours in the "
    "string, which destroys it. Factory defaults are sometimes absurdly low.",
}
LEAST_GAP_V = 0.02  # between trip and release: less is inside a BMS's own reading error
# above the sheet: some makers of 4.2 V cells allow a trip that much higher (common practice)
TOLERATED_V = 0.05
# a trip this far above the cells' continuous current is a doubt, beyond it an error (common
# practice)
TOLERATED = 1.25
SHORT_US = (
    50.0,
    1000.0,
)  # common practice: 100 us to 1 ms; half of the lower end before it is called too short
RECOVERY_S = 30.0
OVER_CURRENT_S = 30.0
TYPICAL_FULL_REST_V = {
    "lfp": 3.40,
    "nmc": 4.10,
    "lto": 2.60,
}  # where a full cell comes to rest, from memory

OVER, UNDER = "protection.cell_over_voltage", "protection.cell_under_voltage"
PACK_OVER, PACK_UNDER = "protection.pack_over_voltage", "protection.pack_under_voltage"


def over_release(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """An over-voltage limit that does not release below its trip switches the charge on and off."""
    limit = setup.protection.cell_over_voltage
    if limit.release_v <= limit.trip_v - LEAST_GAP_V:
        return
    to = min(usual(setup, "over_release_v"), down(limit.trip_v - 0.10))
    yield error(
        (f"{OVER}.release_v", f"{OVER}.trip_v"),
        f"Charging returns at {limit.release_v:.3f} V, not below the trip at {limit.trip_v:.3f} V.",
        "Without a gap the charge switch chatters: it closes as soon as the voltage sags "
        "after opening.",
        {f"{OVER}.release_v": to},
        f"Release at {to:.2f} V",
    )


def over_release_reachable(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A release below the voltage at which a full cell rests waits for a discharge that may not
    come.
    """
    limit, rest_v = setup.protection.cell_over_voltage, TYPICAL_FULL_REST_V[setup.chemistry]
    if limit.release_v >= rest_v or limit.trip_v - LEAST_GAP_V < rest_v:
        return
    to = min(usual(setup, "over_release_v"), down(limit.trip_v - LEAST_GAP_V))
    yield warning(
        f"{OVER}.release_v",
        f"Charging returns only at {limit.release_v:.2f} V; a full cell rests near {rest_v:.2f} V.",
        "After a trip the pack then takes no charge until something has been drawn from it.",
        {f"{OVER}.release_v": to},
        f"Release at {to:.2f} V",
    )


def over_alarm(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """An alarm at or above the trip warns too late."""
    limit = setup.protection.cell_over_voltage
    if limit.alarm_v is None or limit.alarm_v < limit.trip_v:
        return
    to = down(limit.trip_v - 0.05)
    yield warning(
        f"{OVER}.alarm_v",
        f"The over-voltage alarm at {limit.alarm_v:.2f} V comes no earlier than the trip "
        f"at {limit.trip_v:.2f} V.",
        "An alarm is there to be seen before the charge is cut.",
        {f"{OVER}.alarm_v": to},
        f"Alarm at {to:.2f} V",
    )


def over_beyond_sheet(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A trip above the sheet's highest voltage does not protect the cell."""
    limit, top = setup.protection.cell_over_voltage, sheet_max_v(setup)
    if limit.trip_v <= top + 1e-9:
        return
    to = down(top)
    release = min(limit.release_v, down(to - 0.10))
    alarm = {f"{OVER}.alarm_v": down(to - 0.05)} if limit.alarm_v and limit.alarm_v >= to else {}
    judge = error if limit.trip_v > top + TOLERATED_V + 1e-9 else warning
    yield judge(
        f"{OVER}.trip_v",
        f"The over-voltage trip at {limit.trip_v:.2f} V lies above the {top:.2f} V of the "
        "cell's sheet.",
        "Above it lithium plates and the electrolyte breaks down. Some makers of 4.2 V "
        "cells allow a trip 50 mV higher: only if the sheet says so.",
        {f"{OVER}.trip_v": to, f"{OVER}.release_v": release, **alarm},
        f"Trip at {to:.2f} V",
    )


def over_too_low(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A trip or an alarm where the pack is charged every day."""
    limit = setup.protection.cell_over_voltage
    least = usual(setup, "absorption_v") + 0.03
    if limit.trip_v < least:
        trip = min(usual(setup, "over_trip_v"), down(sheet_max_v(setup)))
        yield error(
            f"{OVER}.trip_v",
            f"The over-voltage trip at {limit.trip_v:.2f} V lies where a "
            f"{chem(setup).title} pack is usually charged to "
            f"({usual(setup, 'absorption_v'):.2f} V).",
            "The pack can never be filled nor levelled. The value may belong to another chemistry.",
            {
                f"{OVER}.trip_v": trip,
                f"{OVER}.release_v": min(usual(setup, "over_release_v"), down(trip - 0.05)),
                f"{OVER}.alarm_v": down(trip - 0.04),
            },
            f"Trip at {trip:.2f} V",
        )
        return
    if setup.charging:
        least = min(least, setup.charging.absorption_v / setup.cells + 0.03)
    if limit.alarm_v is not None and limit.alarm_v < min(least, limit.trip_v):
        to = max(up(least), down(limit.trip_v - 0.05))
        to = to if to < limit.trip_v else down((least + limit.trip_v) / 2, 0.005)
        yield warning(
            f"{OVER}.alarm_v",
            f"The over-voltage alarm at {limit.alarm_v:.2f} V sounds at every full charge.",
            "An alarm that always sounds is soon no longer heeded.",
            {f"{OVER}.alarm_v": to},
            f"Alarm at {to:.2f} V",
        )


def under_too_high(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A low limit high on the curve takes away most of the capacity."""
    limit, curve = setup.protection.cell_under_voltage, chem(setup).curve
    lost_pct = float(curve.soc(limit.trip_v))
    if lost_pct < 20.0:
        return
    to = max(usual(setup, "under_trip_v"), up(sheet_min_v(setup)))
    yield warning(
        f"{UNDER}.trip_v",
        f"The under-voltage trip at {limit.trip_v:.2f} V leaves about {lost_pct:.0f} % of "
        "the charge unused, more under load.",
        "The voltage sags under load, so the last part of the plateau is lost too. "
        "Cautious builders use 2.8 to 3.0 V on LFP.",
        {
            f"{UNDER}.trip_v": to,
            f"{UNDER}.alarm_v": up(to + 0.1),
            f"{UNDER}.release_v": max(usual(setup, "under_release_v"), up(to + 0.2)),
        },
        f"Trip at {to:.2f} V",
    )


def under_release(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """An under-voltage limit must release above its trip."""
    limit = setup.protection.cell_under_voltage
    if limit.release_v >= limit.trip_v + LEAST_GAP_V:
        return
    to = max(usual(setup, "under_release_v"), up(limit.trip_v + 0.2))
    yield error(
        (f"{UNDER}.release_v", f"{UNDER}.trip_v"),
        f"Discharging returns at {limit.release_v:.3f} V, not above the trip at "
        f"{limit.trip_v:.3f} V.",
        "The voltage rebounds as soon as the load is off: without a gap the load is "
        "switched on and off until the cells are empty.",
        {f"{UNDER}.release_v": to},
        f"Release at {to:.2f} V",
    )


def under_alarm(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """An alarm at or below the trip warns too late."""
    limit = setup.protection.cell_under_voltage
    if limit.alarm_v is None or limit.alarm_v > limit.trip_v:
        return
    to = up(limit.trip_v + 0.1)
    yield warning(
        f"{UNDER}.alarm_v",
        f"The under-voltage alarm at {limit.alarm_v:.2f} V comes no earlier than the trip "
        f"at {limit.trip_v:.2f} V.",
        "An alarm is there to be seen before the lights go out.",
        {f"{UNDER}.alarm_v": to},
        f"Alarm at {to:.2f} V",
    )


def under_beyond_sheet(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A trip below the sheet's lowest voltage lets the cell be destroyed; 2.2 V is a known factory
    default.
    """
    limit, bottom = setup.protection.cell_under_voltage, sheet_min_v(setup)
    if limit.trip_v >= bottom - 1e-9:
        return
    to = up(max(bottom, usual(setup, "under_trip_v")))
    alarm = {f"{UNDER}.alarm_v": up(to + 0.1)} if limit.alarm_v and limit.alarm_v <= to else {}
    yield error(
        f"{UNDER}.trip_v",
        f"The under-voltage trip at {limit.trip_v:.2f} V lies below the {bottom:.2f} V of "
        "the cell's sheet.",
        TOO_EMPTY[setup.chemistry],
        {f"{UNDER}.trip_v": to, f"{UNDER}.release_v": max(limit.release_v, up(to + 0.2)), **alarm},
        f"Trip at {to:.2f} V",
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
        (f"{OVER}.release_v", f"{UNDER}.release_v"),
        f"Charging returns at {over.release_v:.2f} V and discharging at "
        f"{under.release_v:.2f} V: no voltage allows both.",
        "The window of the cells is turned over; the values may belong to another chemistry.",
        {
            f"{OVER}.trip_v": min(top, values["over_trip_v"]),
            f"{OVER}.release_v": min(down(top - 0.1), values["over_release_v"]),
            f"{OVER}.alarm_v": min(down(top - 0.05), values["over_alarm_v"]),
            f"{UNDER}.trip_v": max(bottom, values["under_trip_v"]),
            f"{UNDER}.release_v": max(up(bottom + 0.2), values["under_release_v"]),
            f"{UNDER}.alarm_v": max(up(bottom + 0.1), values["under_alarm_v"]),
        },
        f"Usual {chem(setup).title} window",
    )


def pack_over(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """The pack's limit must fit the cells': above cells x trip it never acts, and its release must
    lie below.
    """
    limit, n = setup.protection.pack_over_voltage, setup.cells
    if limit is None:
        return
    cell_v = setup.protection.cell_over_voltage.trip_v
    fitting_trip, fitting_release = (
        down(n * (cell_v - 0.02)),
        down(n * setup.protection.cell_over_voltage.release_v),
    )
    suggestion: dict[str, object] = {
        f"{PACK_OVER}.trip_v": fitting_trip,
        f"{PACK_OVER}.release_v": min(fitting_release, down(fitting_trip - 0.02 * n)),
    }
    if limit.trip_v > n * cell_v + 0.01:
        yield warning(
            f"{PACK_OVER}.trip_v",
            f"The pack trips at {limit.trip_v:.2f} V, {limit.trip_v / n:.3f} V a cell, "
            f"above the cells' own {cell_v:.2f} V.",
            "Long before, a cell has tripped: this limit never acts. Often the number of "
            "cells it was made for is another.",
            suggestion,
            f"Trip at {fitting_trip:.1f} V",
        )
    elif limit.release_v >= limit.trip_v:
        to = min(fitting_release, down(limit.trip_v - 0.02 * n))
        yield error(
            f"{PACK_OVER}.release_v",
            f"The pack's over-voltage releases at {limit.release_v:.2f} V, not below its "
            f"trip at {limit.trip_v:.2f} V.",
            "Without a gap the charge switch chatters.",
            {f"{PACK_OVER}.release_v": to},
            f"Release at {to:.1f} V",
        )


def pack_under(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """The pack's low limit must fit the cells'."""
    limit, n = setup.protection.pack_under_voltage, setup.cells
    if limit is None:
        return
    cell_v = setup.protection.cell_under_voltage.trip_v
    fitting_trip, fitting_release = (
        up(n * (cell_v + 0.02)),
        up(n * setup.protection.cell_under_voltage.release_v),
    )
    suggestion: dict[str, object] = {
        f"{PACK_UNDER}.trip_v": fitting_trip,
        f"{PACK_UNDER}.release_v": max(fitting_release, up(fitting_trip + 0.02 * n)),
    }
    if limit.trip_v < n * cell_v - 0.01:
        yield warning(
            f"{PACK_UNDER}.trip_v",
            f"The pack trips at {limit.trip_v:.2f} V, {limit.trip_v / n:.3f} V a cell, "
            f"below the cells' own {cell_v:.2f} V.",
            "Long before, a cell has tripped: this limit never acts.",
            suggestion,
            f"Trip at {fitting_trip:.1f} V",
        )
    elif limit.release_v <= limit.trip_v:
        to = max(fitting_release, up(limit.trip_v + 0.02 * n))
        yield error(
            f"{PACK_UNDER}.release_v",
            f"The pack's under-voltage releases at {limit.release_v:.2f} V, not above its "
            f"trip at {limit.trip_v:.2f} V.",
            "The voltage rebounds when the load is off: the load is switched on and off "
            "until the cells are empty.",
            {f"{PACK_UNDER}.release_v": to},
            f"Release at {to:.1f} V",
        )


def pack_window(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A pack limit made for another number of cells stops a healthy pack."""
    n, curve = setup.cells, chem(setup).curve
    over, under = setup.protection.pack_over_voltage, setup.protection.pack_under_voltage
    full_v = min(float(curve.ocv(90.0)), usual(setup, "absorption_v"))
    if over and over.trip_v < n * full_v:
        to = down(n * (setup.protection.cell_over_voltage.trip_v - 0.02))
        yield error(
            f"{PACK_OVER}.trip_v",
            f"The pack trips at {over.trip_v:.2f} V, {over.trip_v / n:.2f} V a cell: {n} "
            f"cells rest at {n * full_v:.1f} V when 90 % full.",
            "The pack could not be charged. Often the limit was made for fewer cells.",
            # where the cells' own limits are as wrong, they are cured first
            {
                f"{PACK_OVER}.trip_v": to,
                f"{PACK_OVER}.release_v": down(n * setup.protection.cell_over_voltage.release_v),
            }
            if to > over.trip_v + 0.01
            else {},
            f"Trip at {to:.1f} V" if to > over.trip_v + 0.01 else "",
        )
    if under and under.trip_v > n * float(curve.ocv(30.0)):
        to = up(n * (setup.protection.cell_under_voltage.trip_v + 0.02))
        yield error(
            f"{PACK_UNDER}.trip_v",
            f"The pack stops discharging at {under.trip_v:.2f} V, {under.trip_v / n:.2f} "
            "V a cell: that is above 30 % of charge.",
            "Most of the capacity could not be used. Often the limit was made for more cells.",
            {
                f"{PACK_UNDER}.trip_v": to,
                f"{PACK_UNDER}.release_v": up(n * setup.protection.cell_under_voltage.release_v),
            }
            if to < under.trip_v - 0.01
            else {},
            f"Trip at {to:.1f} V" if to < under.trip_v - 0.01 else "",
        )


def current_beyond_cell(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """An over-current trip above what the cells may carry does not protect them."""
    for name, allowed in (("charge", setup.sheet_charge_a), ("discharge", setup.sheet_discharge_a)):
        limit = getattr(setup.protection, f"{name}_over_current")
        if limit is None:
            continue
        path = f"protection.{name}_over_current.trip_a"
        if allowed is None:
            yield from _without_sheet(setup, name, limit.trip_a)
            continue
        if limit.trip_a <= allowed + 1e-9:
            continue
        to = amps_down(allowed)
        judge = error if limit.trip_a > TOLERATED * allowed else warning
        yield judge(
            (path, f"cell.max_{name}_a"),
            f"The {name} trip at {limit.trip_a:g} A is above the {allowed:g} A the cells may take.",
            "The limit is there for the weakest part of the path, and here that is the cell.",
            {path: to},
            f"Trip at {to:g} A",
        )


def _without_sheet(setup: Setup, name: str, trip_a: float) -> Iterator[Finding]:
    """Nothing says what the cells stand: a trip beyond what usual cells of the chemistry do is a
    doubt.
    """
    usual_c = usual(setup, f"most_{name}_rate")
    rate = trip_a / setup.capacity_ah
    path = f"protection.{name}_over_current.trip_a"
    if rate <= usual_c + 1e-9:
        yield note(
            (path, f"cell.max_{name}_a"),
            f"The cell's most {name} current is not entered; {rate:.2f}C is what large "
            "cells usually stand.",
            "The sheet of your cell decides. Small and energy cells often stand less.",
        )
        return
    to = amps_down(usual_c * setup.capacity_ah)
    yield warning(
        (path, f"cell.max_{name}_a"),
        f"The {name} trip at {trip_a:g} A is {rate:.1f}C, and the cell's sheet is not entered: "
        "nothing says that the cells stand it.",
        f"Enter the most {name} current of the cell's sheet. Until then: large cells of this "
        f"chemistry usually end at {usual_c:g}C.",
        {path: to},
        f"Trip at {to:g} A",
    )


def current_timing(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """Delays too long expose; recoveries too short restart before the cause is gone."""
    for name in ("charge", "discharge"):
        limit = getattr(setup.protection, f"{name}_over_current")
        if limit is None:
            continue
        path = f"protection.{name}_over_current"
        if limit.delay_s > OVER_CURRENT_S:
            yield warning(
                f"{path}.delay_s",
                f"A {name} over-current may last {limit.delay_s:g} s before it is cut.",
                "Leads and switches heat with the square of the current; ten seconds "
                "carry any inrush.",
                {f"{path}.delay_s": 10.0},
                "Delay 10 s",
            )
        if limit.delay_s < 1.0 and name == "discharge":
            yield warning(
                f"{path}.delay_s",
                f"A discharge over-current is cut after {limit.delay_s:g} s: a pump or "
                "compressor starting will trip it.",
                "Motors draw several times their current for a second; the short-circuit "
                "protection is there for the fast case.",
                {f"{path}.delay_s": 5.0},
                "Delay 5 s",
            )
        if limit.release_s < RECOVERY_S:
            times = 60.0 / max(limit.release_s + limit.delay_s, 1.0)
            yield warning(
                f"{path}.release_s",
                f"Recovery after {name} over-current is {limit.release_s:g} s: a fault is "
                f"switched on again {times:.0f} times a minute.",
                "The cause should have time to go away, or to be noticed.",
                {f"{path}.release_s": 60.0},
                "Recover after 60 s",
            )


def short_circuit(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """The short-circuit trip: above the over-current trip, within 100 us to 1 ms."""
    limit, discharge = setup.protection.short_circuit, setup.protection.discharge_over_current
    path = "protection.short_circuit"
    if limit is None:
        return
    if discharge and limit.trip_a <= discharge.trip_a:
        to = short_trip_a(setup, discharge.trip_a)
        yield error(
            (f"{path}.trip_a", "protection.discharge_over_current.trip_a"),
            f"The short-circuit trip at {limit.trip_a:g} A is not above the over-current "
            f"trip at {discharge.trip_a:g} A.",
            "Every ordinary overload would be taken for a short circuit, without its delay.",
            {f"{path}.trip_a": to} if to else {},
            f"Trip at {to:g} A" if to else "",
        )
    if limit.delay_us > SHORT_US[1]:
        yield error(
            f"{path}.delay_us",
            f"A short circuit may last {limit.delay_us:g} µs.",
            "A bank feeds thousands of amperes into a short within some 100 µs; the "
            "switches do not survive milliseconds of it.",
            {f"{path}.delay_us": 300.0},
            "Delay 300 µs",
        )
    elif limit.delay_us < SHORT_US[0]:
        yield warning(
            f"{path}.delay_us",
            f"The short-circuit trip acts after {limit.delay_us:g} µs.",
            "Charging the capacitors of an inverter looks like a short for some 100 µs: "
            "every connection would trip.",
            {f"{path}.delay_us": 300.0},
            "Delay 300 µs",
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
            (path, f"{UNDER}.trip_v"),
            f"The BMS powers off at {off:.2f} V, not below the under-voltage trip at "
            f"{limit.trip_v:.2f} V.",
            "It would go dark before it has cut the load; nothing but a charger of the "
            "right voltage wakes it.",
            {path: min(to, down(limit.trip_v - 0.01))},
            f"Power off at {min(to, down(limit.trip_v - 0.01)):.2f} V",
        )
    elif off < bottom - 1e-9:
        yield warning(
            path,
            f"The BMS stays on down to {off:.2f} V, below the {bottom:.2f} V of the cell's sheet.",
            "Its own draw then empties the cells past what they stand.",
            {path: to} if to < limit.trip_v else {},
            f"Power off at {to:.2f} V",
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
            f"Reference at {to:.2f} V",
        )
    trip = setup.protection.cell_under_voltage.trip_v
    if empty and empty < trip - 1e-9:
        yield warning(
            ("protection.soc_empty_v", f"{UNDER}.trip_v"),
            f"The 0 % reference at {empty:.2f} V lies below the under-voltage trip at "
            f"{trip:.2f} V.",
            "The load is cut first: the percentage never gets to 0 and is not put right.",
            {"protection.soc_empty_v": up(trip)},
            f"Reference at {up(trip):.2f} V",
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
        (f"{UNDER}.trip_v", "protection.power_off_v", "wiring.standby_w"),
        f"From the trip at {trip:.2f} V to power-off at {off:.2f} V there are "
        f"{left_ah:.1f} Ah: {days:.0f} days at the BMS's own {standby_w:g} W.",
        "After that nothing but a charger wakes it. A higher trip buys time for a pack "
        "left alone, at the cost of usable charge.",
    )


RULES = (
    Rule("sheet-against-chemistry", sheet_fits, "usual windows, from memory of data sheets"),
    Rule("over-voltage-release-above-trip", over_release),
    Rule("over-voltage-release-never-reached", over_release_reachable, MEMORY),
    Rule("over-voltage-alarm-above-trip", over_alarm),
    Rule(
        "over-voltage-trip-beyond-sheet",
        over_beyond_sheet,
        "the cell's sheet; else usual windows, from memory of data sheets",
    ),
    Rule("over-voltage-limit-too-low", over_too_low),
    Rule("under-voltage-trip-too-high", under_too_high, "the chemistry's curve"),
    Rule("under-voltage-release-below-trip", under_release),
    Rule("under-voltage-alarm-below-trip", under_alarm),
    Rule(
        "under-voltage-trip-beyond-sheet",
        under_beyond_sheet,
        "the cell's sheet; else usual windows, from memory of data sheets",
    ),
    Rule("voltage-window-crossed", limits_crossed),
    Rule("pack-over-voltage-against-cells", pack_over, "arithmetic"),
    Rule("pack-under-voltage-against-cells", pack_under, "arithmetic"),
    Rule("pack-window-for-other-cell-count", pack_window, "the chemistry's curve"),
    Rule("over-current-beyond-cell", current_beyond_cell, "the cell's sheet"),
    Rule("over-current-timing", current_timing),
    Rule("short-circuit-window", short_circuit),
    Rule("power-off-order", power_off),
    Rule("charge-counter-reference", references, COMMON, stages=AT_CHARGE),
    Rule("reserve-after-trip", reserve, "the chemistry's curve, and the standby draw as entered"),
)
