"""The balancer: whether its start, trigger and permitted phase let it do anything, and whether that
is enough.
"""

from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import wraps

from nipper.core.findings import Finding
from nipper.core.imbalance.reach import for_one_cell_ah
from nipper.core.rules.base import (
    AT_BOTH,
    AT_LEVEL,
    COMMON,
    Evidence,
    Rule,
    chem,
    down,
    error,
    note,
    usual,
    warning,
)
from nipper.core.setup import Balancer, Setup

OfEach = Callable[[Setup, str, Balancer], Iterator[Finding]]
LONG_ABSORPTION_MIN = 180.0
SHORT_SLEEP_MIN, LONG_SLEEP_MIN = 120.0, 720.0  # common practice
MUCH_A_MONTH = 0.01  # of the capacity
MOST_A = {"passive": 5.0, "active": 20.0}  # of any balancer for such packs: from memory


def of_each(judge: OfEach) -> Callable[[Setup, Evidence], Iterator[Finding]]:
    """A rule that looks at every balancer that is switched on, by its path; of two it says which
    one.
    """

    @wraps(judge)
    def judged(setup: Setup, _: Evidence) -> Iterator[Finding]:
        on = [(path, balancer) for path, balancer in setup.balancers if balancer.is_on]
        for path, balancer in on:
            of = "Separate balancer" if path == "separate_balancer" else "BMS's balancer"
            for found in judge(setup, path, balancer):
                told = f"{of}: {found.message[0].lower()}{found.message[1:]}"
                yield replace(found, message=told) if len(on) > 1 else found

    return judged


@of_each
def start_reached(setup: Setup, place: str, balancer: Balancer) -> Iterator[Finding]:
    """A balancer that starts above the charger's target never runs, or only on the cells that
    stray.
    """
    charging = setup.charging
    if charging is None:
        return
    mean_v = charging.absorption_v / setup.cells
    flat = setup.flat
    if balancer.start_v < mean_v or (flat and mean_v < chem(setup).knee_v):
        return
    to = min(usual(setup, "balance_start_v"), down(mean_v - 0.03))
    to = max(to, chem(setup).knee_v - 0.03) if flat else to
    yield error(
        (f"{place}.start_v", "charging.absorption_v"),
        f"Balancing starts at {balancer.start_v:.2f} V, the charger stops at {mean_v:.3f} "
        "V a cell.",
        "Only a cell that already strays gets there, and for a moment: the balancer starves.",
        {f"{place}.start_v": to},
    )


@of_each
def start_on_flat(setup: Setup, place: str, balancer: Balancer) -> Iterator[Finding]:
    """On the flat part of the curve a few millivolts are many per cent, and resistance decides who
    is high.
    """
    if not setup.flat:  # a sloped curve tells charge all along
        return
    if balancer.start_v >= chem(setup).knee_v - 0.03:
        return
    slope = float(chem(setup).curve.slope_at_voltage(balancer.start_v))
    knee = usual(setup, "balance_start_v")
    text = (
        f"Balancing from {balancer.start_v:.2f} V: the {balancer.delta_mv:g} mV trigger is "
        f"{balancer.delta_mv / max(slope, 1e-3):.1f} % of charge there."
    )
    path = f"{place}.start_v"
    fix: dict[str, object] = {path: knee}
    if balancer.kind == "passive" or (setup.flat and balancer.when == "always"):
        yield warning(
            path,
            text,
            "It bleeds or moves by resistance and noise rather than by charge, and makes "
            "the top worse. One school starts an active "
            "balancer early to give it time; for a passive one nobody does.",
            fix,
        )
    else:
        yield note(
            path,
            text,
            "The school of an early start with an active balancer: more hours, less aim.",
            fix,
            f"Balance from {knee:.2f} V",
        )


def float_ends_it(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """When the charger drops to float below the start, balancing ends, however far it got."""
    balancer, charging, n = setup.leveller, setup.charging, setup.cells
    if balancer is None or charging is None or charging.float_v is None or balancer.when == "rest":
        return
    if charging.float_v / n >= balancer.start_v or charging.absorption_min >= LONG_ABSORPTION_MIN:
        return
    moved = balancer.current_a * charging.absorption_min / 60.0
    yield note(
        ("charging.float_v", "charging.absorption_min", f"{setup.leveller_path}.start_v"),
        f"Float {charging.float_v / n:.3f} V is below the start {balancer.start_v:.2f} V: "
        "levelling ends with absorption, "
        f"after {charging.absorption_min:g} min and at most {moved:.2f} Ah a cell.",
        "An absorption timer that ends before the balancer is done is the commonest "
        "reason for a pack that never levels.",
        {"charging.absorption_min": LONG_ABSORPTION_MIN},
        "Hold 3 h",
    )


def absorption_short(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """Next to no absorption leaves no time at the top."""
    charging = setup.charging
    if charging is None or setup.leveller is None or charging.absorption_min >= 15:
        return
    yield warning(
        "charging.absorption_min",
        f"Absorption lasts {charging.absorption_min:g} min.",
        "The balancer works at the top; without time there it does nothing, and the last "
        "cells never fill.",
        {"charging.absorption_min": 60.0},
        "Hold 1 h",
    )


@of_each
def rest_only(setup: Setup, place: str, balancer: Balancer) -> Iterator[Finding]:
    """With loads running, the current flutters around zero and never is zero."""
    path = f"{place}.when"
    if balancer.when != "rest":
        return
    yield warning(
        path,
        "The balancer runs only when no current is measured.",
        "With loads running and the sun following late, the current flutters around zero "
        "and never is zero: it will hardly ever run, and "
        "at rest a full cell soon falls below the start.",
        {path: "always"},
        "Let it run always",
    )


def charging_only(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """One that runs only while charging ends with the charge, also where a high cell ended it."""
    balancer, place, charging = setup.leveller, setup.leveller_path, setup.charging
    if balancer is None or balancer.when != "charging":
        return
    goes_on = balancer.in_over_voltage == "goes_on"
    held = f", at most {charging.absorption_min:g} min a charge" if charging else ""
    cut = (
        "When over-voltage cuts the charge it goes on: the high cell is bled before the next try."
        if goes_on
        else "When a high cell trips over-voltage the charge is cut, and with it the levelling "
        "that cell needs. Some menus let it go on during over-voltage."
    )
    yield note(
        (f"{place}.when", f"{place}.in_over_voltage"),
        f"The balancer runs only while charging{held}.",
        f"It ends with the tail of the current. {cut} One school wants it so: nothing is bled "
        "at rest, where voltages tell least.",
        {} if goes_on else {f"{place}.in_over_voltage": "goes_on"},
        "" if goes_on else "Go on during over-voltage",
    )


@of_each
def asleep(setup: Setup, place: str, balancer: Balancer) -> Iterator[Finding]:
    """One that may run at rest, and goes to sleep before it has done anything there."""
    path = f"{place}.sleep_after_min"
    if balancer.when == "charging" or balancer.sleep_after_min is None:
        return
    if balancer.sleep_after_min >= SHORT_SLEEP_MIN:
        return
    moved = 1e3 * balancer.current_a * balancer.sleep_after_min / 60.0
    yield warning(
        path,
        f"The balancer sleeps after {balancer.sleep_after_min:g} min without current.",
        f"At rest it moves {moved:.0f} mAh before that, and no more until a current flows.",
        {path: LONG_SLEEP_MIN},
        f"Sleep after {LONG_SLEEP_MIN / 60:g} h",
    )


def switched_off(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A balancer that is there and switched off, with no other at work."""
    off = [place for place, balancer in setup.balancers if not balancer.is_on]
    if not off or setup.leveller is not None:
        return
    yield warning(
        tuple(f"{place}.switched" for place in off),
        "The balancer is switched off: nothing levels the cells.",
        "In some menus it is off by a switch, in others by a zero for its current, its start or "
        "its trigger.",
        {f"{off[0]}.switched": "on"},
        "Switch it on",
    )


def idle_draw(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """What the balancers take all the time, against the pack."""
    month_ah = setup.idle_a * 24.0 * 30.4
    if month_ah < MUCH_A_MONTH * setup.capacity_ah:
        return
    paths = tuple(f"{place}.idle_a" for place, b in setup.balancers if b.idle_a)
    yield note(
        paths,
        f"Idle, the balancing takes {month_ah:.1f} Ah a month, "
        f"{100 * month_ah / setup.capacity_ah:.0f} % of the pack.",
        "It hangs on the cells by wires of its own, so it goes on when the BMS has switched the "
        "pack off. Where only some cells feed it, they fall behind the rest.",
    )


@of_each
def trigger(setup: Setup, place: str, balancer: Balancer) -> Iterator[Finding]:
    """A trigger within the meter's noise chases it; one too wide leaves the cells apart."""
    path = f"{place}.delta_mv"
    if balancer.delta_mv == 0:
        yield warning(
            path,
            "A trigger of 0 mV: in some menus a zero switches the balancer off.",
            "In others it runs always, and follows the meter's noise. 5 to 50 mV are in use.",
            {path: 10.0},
        )
    elif balancer.delta_mv < 3:
        yield warning(
            path,
            f"A trigger of {balancer.delta_mv:g} mV lies within the meter's own error.",
            "The balancer then follows noise. 5 to 50 mV are in use, 10 and 30 mV usual.",
            {path: 10.0},
        )
    elif balancer.delta_mv > 50:
        slope = float(chem(setup).curve.slope_at_voltage(max(balancer.start_v, chem(setup).knee_v)))
        yield warning(
            path,
            f"A trigger of {balancer.delta_mv:g} mV leaves the cells up to "
            f"{balancer.delta_mv / slope:.1f} % of charge apart at the start voltage.",
            "5 to 50 mV are in use, 10 and 30 mV usual.",
            {path: 10.0},
        )


def enough(setup: Setup, evidence: Evidence) -> Iterator[Finding]:
    """Charge the balancer can move a day, in the hours the log shows, against the worst cell's
    drift.
    """
    balancer, drift = setup.leveller, evidence.worst_drift_mah_per_day
    if balancer is None or drift is None or evidence.allowed_h_per_day is None:
        return
    hours, needs = evidence.allowed_h_per_day, abs(drift)
    can = 1e3 * for_one_cell_ah(balancer, setup.cells, hours, drift < 0.0)
    place = setup.leveller_path
    settings = (
        f"{place}.current_a",
        f"{place}.start_v",
        f"{place}.when",
        "charging.absorption_min",
    )
    facts = (
        f"Cell {evidence.worst_cell} drifts {needs:.0f} mAh a day; the balancer can bring it "
        f"{can:.0f} mAh a day nearer in the {60 * hours:.0f} min a day it may run."
    )
    if can < needs:
        minutes = setup.charging.absorption_min if setup.charging else 0.0
        longer = min(LONG_ABSORPTION_MIN, max(60.0, minutes * 2))
        grows = setup.charging is not None and longer > minutes
        bleeds = balancer.kind == "passive" and drift < 0.0
        others = (
            f" It takes {1e3 * balancer.current_a * hours:.0f} mAh a day out of a cell; one that "
            f"falls behind is helped by bleeding all others, {balancer.bled_at_once} at a time."
            if bleeds
            else ""
        )
        yield warning(
            settings,
            f"The balancer cannot keep up. {facts}",
            f"It lacks {needs - can:.0f} mAh a day, so the pack drifts apart whatever the "
            f"trigger. More time at the top, or the cause removed.{others}",
            {"charging.absorption_min": longer} if grows else {},
            f"Hold {longer:g} min" if grows else "",
        )
    else:
        yield note(
            settings,
            f"The balancer can keep up. {facts}",
            "From the hours above the start voltage in the log, in the permitted phase.",
        )


@of_each
def beyond_trip(setup: Setup, place: str, balancer: Balancer) -> Iterator[Finding]:
    """A start at or above the over-voltage trip."""
    path, trip = f"{place}.start_v", setup.protection.cell_over_voltage.trip_v
    if balancer.start_v < trip or setup.charging is not None:
        return
    to = min(usual(setup, "balance_start_v"), down(trip - 0.1))
    yield error(
        (path, "protection.cell_over_voltage.trip_v"),
        f"Balancing starts at {balancer.start_v:.2f} V, at or above the trip at {trip:.2f} V.",
        "The charge is cut before the balancer may begin.",
        {path: to},
    )


def current_possible(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A balancer of more amperes than balancers have: milliamperes typed in as amperes."""
    for place, balancer in setup.balancers:
        if balancer.current_a <= MOST_A[balancer.kind]:
            continue
        to = round(balancer.current_a / 1000.0, 4)
        fits = to >= 0.02
        yield warning(
            f"{place}.current_a",
            f"A {balancer.kind} balancer of {balancer.current_a:g} A: most have "
            f"{'50 to 200 mA' if balancer.kind == 'passive' else '0.5 to 2 A'}.",
            "Its current may stand in milliamperes on its sheet. At "
            f"{balancer.current_a:g} A every forecast "
            "of levelling here is wrong, and a bleed would be a heater.",
            {f"{place}.current_a": to} if fits else {},
            f"{to:g} A" if fits else "",
        )


RULES = (
    Rule("balancer-current-not-possible", current_possible, COMMON, stages=AT_LEVEL),
    Rule("balance-start-above-absorption", start_reached, "arithmetic", stages=AT_BOTH),
    Rule(
        "balance-start-on-the-flat",
        start_on_flat,
        "the chemistry's curve; schools: common practice",
        stages=AT_LEVEL,
    ),
    Rule("balancing-ends-at-float", float_ends_it, COMMON, stages=AT_BOTH),
    Rule("absorption-too-short-to-level", absorption_short, COMMON, stages=AT_BOTH),
    Rule("balancing-only-at-rest", rest_only, COMMON, stages=AT_LEVEL),
    Rule("balancing-only-while-charging", charging_only, COMMON, stages=AT_LEVEL),
    Rule("balancer-sleeps", asleep, COMMON, stages=AT_LEVEL),
    Rule("balancer-switched-off", switched_off, COMMON, stages=AT_LEVEL),
    Rule("balancer-idle-draw", idle_draw, "arithmetic", stages=AT_LEVEL),
    Rule("balance-trigger", trigger, COMMON, stages=AT_LEVEL),
    Rule("balancer-against-drift", enough, "measured drift and hours", stages=AT_BOTH),
    Rule("balance-start-above-trip", beyond_trip, "arithmetic", stages=AT_LEVEL),
)
