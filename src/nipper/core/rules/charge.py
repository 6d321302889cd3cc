"""The charger's profile against the limits, with the deviation the logs measured."""

from collections.abc import Iterator

from nipper.core.chemistry import Curve
from nipper.core.findings import Finding
from nipper.core.rules.base import (
    AT_BOTH,
    AT_CHARGE,
    COMMON,
    Evidence,
    Rule,
    amps_down,
    chem,
    down,
    error,
    note,
    usual,
    warning,
)
from nipper.core.setup import Setup
from nipper.core.sources.rates import rate_at

MOST_RATE = (
    0.5  # of capacity an hour, where the table of rates does not allow more: common practice
)
WARM_C = 20.0
LONG_HIGH_H, LONG_H = (
    12.0,
    24.0,
)  # at the levelling voltage and above, and below it: common practice
PACK_OVER = "protection.pack_over_voltage"
UNDER_KNEE = {
    "lfp": "There the voltage does not say how full the pack is, cells cannot be told apart, "
    "and no balancer can do its work.",
    "nmc": "The pack is never filled to where it is levelled: a start of the balancer above it "
    "is not reached. A gentle target is a school of its own: then start the balancer below it.",
    "lto": "The pack is never filled to where it is levelled: a start of the balancer above it "
    "is not reached. A gentle target is a school of its own: then start the balancer below it.",
}
# assumed between highest and mean where no log says: common practice for a level pack
SLEEPY_DEVIATION_MV = 20.0
# held for weeks above the first a full cell ages; above the second it is no school any more: common
# practice
HIGH_FLOAT_V = {"lfp": 3.40, "nmc": 4.10, "lto": 2.65}
HARMFUL_FLOAT_V = {"lfp": 3.45, "nmc": 4.15, "lto": 2.70}


def deviation_v(evidence: Evidence) -> float:
    """How far the highest cell stands above the mean at the top, V: measured, else that of a level
    pack.
    """
    return (
        evidence.above_mean_mv if evidence.above_mean_mv is not None else SLEEPY_DEVIATION_MV
    ) / 1e3


def absorption_trip(setup: Setup, evidence: Evidence) -> Iterator[Finding]:
    """The highest cell must stay under its trip while the mean is charged to the target."""
    charging, limit, n = setup.charging, setup.protection.cell_over_voltage, setup.cells
    if charging is None:
        return
    mean_v = charging.absorption_v / n
    measured = evidence.above_mean_mv is not None
    # the deviation was read at some voltage; on the steep part it grows with the slope, on the flat
    # part it tells nothing about the top
    above_v = scaled_deviation_v(setup, evidence, mean_v)
    room_mv = 1e3 * (limit.trip_v - mean_v - above_v)
    who = (
        f"Cell {evidence.highest_cell} then stands {1e3 * above_v:.0f} mV above the mean"
        if measured
        else f"With {1e3 * above_v:.0f} mV between highest and mean"
    )
    place = f" ({evidence.when})" if measured and evidence.when else ""
    to = down(n * (min(limit.alarm_v or 9.0, limit.trip_v) - above_v - 0.01), 0.1)
    sound = to >= n * chem(setup).knee_v
    fix: dict[str, object] = (
        {"charging.absorption_v": to} if sound and to < charging.absorption_v else {}
    )
    if fix and charging.float_v and charging.float_v > to:
        fix["charging.float_v"] = min(charging.float_v, down(n * usual(setup, "float_v"), 0.1))
    paths = ("charging.absorption_v", "protection.cell_over_voltage.trip_v")
    if room_mv <= 0:
        yield error(
            paths,
            f"Absorption {mean_v:.3f} V a cell ends at a trip. {who}, that is "
            f"{mean_v + above_v:.3f} V{place}.",
            "The BMS cuts the charge, nothing is levelled, and with several packs one "
            "leaves while the rest carry the load.",
            fix,
            f"Charge to {to:.1f} V",
        )
    elif limit.alarm_v and mean_v + above_v > limit.alarm_v:
        yield warning(
            ("charging.absorption_v", "protection.cell_over_voltage.alarm_v"),
            f"Absorption {mean_v:.3f} V a cell raises the alarm. {who}{place}; "
            f"{room_mv:.0f} mV are left to the trip.",
            "The alarm sounds at every full charge and is soon no longer heeded.",
            fix,
        )
    elif measured:
        yield note(
            paths,
            f"At the charger's target {room_mv:.0f} mV are left to the trip. {who}{place}.",
            "Measured at the end of the last full charge and carried to the charger's "
            "target along the curve.",
        )


def scaled_deviation_v(setup: Setup, evidence: Evidence, mean_v: float) -> float:
    """How far the highest cell stands above the mean at another mean voltage, V: the measured
    deviation carried along the curve (the same
    charge apart, another slope), or that of a level pack."""
    above_v = deviation_v(evidence)
    if evidence.above_mean_mv is None or evidence.at_mean_v is None:
        return above_v
    curve = chem(setup).curve
    there = float(curve.soc(mean_v))
    return max(
        0.0,
        float(
            curve.ocv(
                there + _soc(curve, evidence.at_mean_v + above_v) - _soc(curve, evidence.at_mean_v)
            )
            - curve.ocv(there)
        ),
    )


def _soc(curve: Curve, volts: float) -> float:
    """Charge at a voltage, the last slope going on above 100 %, where a stray cell may well
    stand.
    """
    top_v = float(curve.ocv_v[-1])
    beyond = max(0.0, volts - top_v)
    return float(curve.soc(volts)) + beyond * 1e3 / float(curve.slope(100.0))


def absorption_pack(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """The charger's target under the pack's trip."""
    charging, limit, n = setup.charging, setup.protection.pack_over_voltage, setup.cells
    if charging is None or limit is None:
        return
    target = max(charging.absorption_v, charging.equalise_v or 0.0)
    if target < limit.trip_v - 0.005 * n:
        return
    equalises = charging.equalise_v is not None and charging.equalise_v == target
    name = "equalise_v" if equalises else "absorption_v"
    to = min(down(limit.trip_v - 0.05 * n, 0.1), down(n * usual(setup, name), 0.1))
    fix: dict[str, object] = {f"charging.{name}": to}
    label = f"Charge to {to:.1f} V"
    if name == "absorption_v" and charging.equalise_v and charging.equalise_v > to:
        fix["charging.equalise_v"] = to
    cells_v = setup.protection.cell_over_voltage
    fitting = down(n * (cells_v.trip_v - 0.02))
    if (
        to < n * chem(setup).knee_v and fitting > limit.trip_v
    ):  # the pack's own limit is what is too low
        release = down(min(n * cells_v.release_v, fitting - 0.02 * n))
        fix = {f"{PACK_OVER}.trip_v": fitting, f"{PACK_OVER}.release_v": release}
        label = f"Pack trip at {fitting:.1f} V"
    yield error(
        (f"charging.{name}", f"{PACK_OVER}.trip_v"),
        f"The charger goes to {target:.2f} V, the pack trips at {limit.trip_v:.2f} V.",
        "Every full charge ends in a trip.",
        fix,
        label,
    )


def absorption_low(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A target below the knee never tells whether the pack is full."""
    charging, n = setup.charging, setup.cells
    knee = chem(setup).knee_v
    if charging is None or charging.absorption_v / n >= knee:
        return
    to = down(n * usual(setup, "absorption_v"), 0.01)
    yield (warning if setup.flat else note)(
        "charging.absorption_v",
        f"Absorption {charging.absorption_v / n:.3f} V a cell stays under the knee at "
        f"{knee:.2f} V.",
        UNDER_KNEE[setup.chemistry],
        {"charging.absorption_v": to},
    )


def float_order(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """Float below absorption, and not so high that a full pack is held there for weeks."""
    charging, n = setup.charging, setup.cells
    if charging is None or charging.float_v is None:
        return
    to = min(down(n * usual(setup, "float_v"), 0.1), down(charging.absorption_v - 0.02 * n, 0.1))
    if charging.float_v > charging.absorption_v:
        yield error(
            ("charging.float_v", "charging.absorption_v"),
            f"Float {charging.float_v:.2f} V is above absorption {charging.absorption_v:.2f} V.",
            "After absorption the charger would go on charging.",
            {"charging.float_v": to},
        )
    elif charging.float_v / n > HIGH_FLOAT_V[setup.chemistry] + 1e-9:
        harmful = charging.float_v / n > HARMFUL_FLOAT_V[setup.chemistry] + 1e-9
        yield (warning if harmful else note)(
            "charging.float_v",
            f"Float holds {charging.float_v / n:.3f} V a cell for as long as there is power.",
            "Held full and high, cells age. One school floats just under absorption so "
            "that the balancer goes on; another only carries the loads.",
            {"charging.float_v": to},
        )


def equalise(setup: Setup, evidence: Evidence) -> Iterator[Finding]:
    """A lead-acid habit, or a deliberate monthly levelling: it must stay under the trip, and be
    rare.
    """
    charging, n = setup.charging, setup.cells
    if charging is None or charging.equalise_v is None:
        return
    limit = setup.protection.cell_over_voltage
    per_cell = charging.equalise_v / n
    if per_cell >= limit.trip_v:
        to = down(n * min(usual(setup, "equalise_v"), limit.trip_v - 0.05), 0.1)
        yield error(
            ("charging.equalise_v", "protection.cell_over_voltage.trip_v"),
            f"Equalise {per_cell:.3f} V a cell reaches the trip at {limit.trip_v:.2f} V.",
            "A lead-acid equalise has no place on lithium; a levelling charge must stay "
            "below the trip with room for the deviation.",
            {
                "charging.equalise_v": max(to, charging.absorption_v)
                if max(to, charging.absorption_v) < n * limit.trip_v
                else None
            },
            f"Equalise at {to:.1f} V",
        )
    elif charging.equalise_every_days is not None and charging.equalise_every_days < 14:
        yield warning(
            "charging.equalise_every_days",
            f"Equalise every {charging.equalise_every_days:g} days to {per_cell:.2f} V a cell.",
            "Monthly to quarterly is enough for a sound pack; if it needs more, find the cause.",
            {"charging.equalise_every_days": 30.0},
            "Every 30 days",
        )
    elif per_cell < charging.absorption_v / n:
        yield warning(
            ("charging.equalise_v", "charging.absorption_v"),
            f"Equalise {charging.equalise_v:.2f} V is below absorption "
            f"{charging.absorption_v:.2f} V.",
            "It then does less than every ordinary charge.",
            {"charging.equalise_v": charging.absorption_v},
            "Not below absorption",
        )


def rate(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """Charge current against the BMS's trip and against capacity."""
    charging, limit = setup.charging, setup.protection.charge_over_current
    if charging is None:
        yield warning(
            "charging",
            "No charger is described: nothing says how far the cells are charged.",
            "Enter what the charger or inverter is set to, absorption and float above all.",
        )
        return
    if charging.max_charge_a is None:
        yield warning(
            "charging.max_charge_a",
            "How much the charger gives is not entered: nothing says that trip, fuse, leads and "
            "cells stand it.",
            "Enter its charge current, that of the whole bank.",
        )
        return
    packs = setup.packs_in_parallel
    bank_ah = setup.capacity_ah * packs
    amps, c_rate = charging.max_charge_a, charging.max_charge_a / bank_ah
    path = "charging.max_charge_a"
    if limit and amps / packs > limit.trip_a:
        to = amps_down(0.9 * limit.trip_a * packs)
        share = f", {amps / packs:g} A a pack," if packs > 1 else ""
        yield error(
            (path, "protection.charge_over_current.trip_a"),
            f"The charger gives {amps:g} A{share} and the BMS trips at {limit.trip_a:g} A.",
            "The first sunny noon ends in a trip.",
            {path: to},
        )
    elif limit and packs > 1 and amps / (packs - 1) > limit.trip_a:
        yield note(
            (path, "protection.charge_over_current.trip_a"),
            f"If one of {packs} packs leaves, the others get {amps / (packs - 1):.0f} A each; "
            f"they trip at {limit.trip_a:g} A.",
            "A pack leaves when one of its cells trips. A closed loop would lower the limit; "
            "without one, the charger does not know.",
        )
    most_c = max(MOST_RATE, rate_at(setup, WARM_C))
    if c_rate > most_c + 1e-9:
        to = amps_down(most_c * bank_ah)
        yield warning(
            path,
            f"{amps:g} A is {c_rate:.2f}C for {bank_ah:g} Ah.",
            f"0.2C is a good rate and {most_c:g}C the usual most; more heats cells and shows "
            "larger deviations at the top.",
            {path: to},
        )
    if setup.sheet_charge_a and amps / packs > setup.sheet_charge_a + 1e-9:
        to = amps_down(setup.sheet_charge_a * packs)
        yield error(
            (path, "cell.max_charge_a"),
            f"The charger gives each pack {amps / packs:g} A; its cells may take "
            f"{setup.sheet_charge_a:g} A.",
            "The cell's sheet overrides everything.",
            {path: to},
        )


def held_long(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """Hours at a high voltage are for levelling; days of them only age the cells."""
    charging = setup.charging
    if charging is None:
        return
    per_cell, hours = charging.absorption_v / setup.cells, charging.absorption_min / 60.0
    high = per_cell >= usual(setup, "equalise_v") - 1e-9
    most_h = LONG_HIGH_H if high else LONG_H
    if hours <= most_h:
        return
    yield warning(
        ("charging.absorption_min", "charging.absorption_v"),
        f"Absorption holds {per_cell:.2f} V a cell for {hours:.0f} h.",
        "Held full and high, cells age. To level, hold for some hours, watch, and set it back; "
        "if the spread needs days, find its cause.",
        {"charging.absorption_min": 60.0 * 3.0},
        "Hold 3 h",
    )


RULES = (
    Rule(
        "absorption-against-trip",
        absorption_trip,
        "measured deviation where there is a log; the chemistry's curve",
        stages=AT_CHARGE,
    ),
    Rule("absorption-against-pack-trip", absorption_pack, "arithmetic", stages=AT_BOTH),
    Rule("absorption-under-the-knee", absorption_low, "the chemistry's curve", stages=AT_CHARGE),
    Rule("float-order", float_order, COMMON, stages=AT_BOTH),
    Rule("equalise", equalise, COMMON, stages=AT_BOTH),
    Rule("held-long-and-high", held_long, COMMON, stages=AT_BOTH),
    Rule("charge-rate", rate, "the cell's sheet; rates: common practice", stages=AT_CHARGE),
)
