"""Limits of current: trips against the cells' sheet, delays, recoveries, the short circuit."""

from collections.abc import Iterator

from nipper.core.findings import Finding
from nipper.core.rules.base import Evidence, Rule, amps_down, error, note, usual, warning
from nipper.core.rules.currents import short_trip_a
from nipper.core.setup import Setup

# a trip this far above the cells' continuous current is a doubt, beyond it an error (common
# practice)
TOLERATED = 1.25
SHORT_US = (50.0, 1000.0)  # common practice: 100 us to 1 ms; half of the lower end is too short
RECOVERY_S = 30.0
OVER_CURRENT_S = 30.0


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
            )
        if limit.delay_s < 1.0 and name == "discharge":
            yield warning(
                f"{path}.delay_s",
                f"A discharge over-current is cut after {limit.delay_s:g} s: a pump or "
                "compressor starting will trip it.",
                "Motors draw several times their current for a second; the short-circuit "
                "protection is there for the fast case.",
                {f"{path}.delay_s": 5.0},
            )
        if limit.release_s < RECOVERY_S:
            times = 60.0 / max(limit.release_s + limit.delay_s, 1.0)
            yield warning(
                f"{path}.release_s",
                f"Recovery after {name} over-current is {limit.release_s:g} s: a fault is "
                f"switched on again {times:.0f} times a minute.",
                "The cause should have time to go away, or to be noticed.",
                {f"{path}.release_s": 60.0},
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
        )
    if limit.delay_us > SHORT_US[1]:
        yield error(
            f"{path}.delay_us",
            f"A short circuit may last {limit.delay_us:g} µs.",
            "A bank feeds thousands of amperes into a short within some 100 µs; the "
            "switches do not survive milliseconds of it.",
            {f"{path}.delay_us": 300.0},
        )
    elif limit.delay_us < SHORT_US[0]:
        yield warning(
            f"{path}.delay_us",
            f"The short-circuit trip acts after {limit.delay_us:g} µs.",
            "Charging the capacitors of an inverter looks like a short for some 100 µs: "
            "every connection would trip.",
            {f"{path}.delay_us": 300.0},
        )


RULES = (
    Rule("over-current-beyond-cell", current_beyond_cell, "the cell's sheet"),
    Rule("over-current-timing", current_timing),
    Rule("short-circuit-window", short_circuit),
)
