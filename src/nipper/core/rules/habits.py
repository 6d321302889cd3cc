"""Limits that hold together and still do not do what was meant: delays, references on the flat,
releases out of reach, limits left out.
"""

from collections.abc import Iterator

from nipper.core.findings import Finding
from nipper.core.rules.base import (
    AT_CHARGE,
    AT_COLD,
    COMMON,
    MEMORY,
    Evidence,
    Rule,
    chem,
    down,
    error,
    note,
    up,
    usual,
    warning,
)
from nipper.core.setup import Setup

LONGEST_S, SHORTEST_S = 10.0, 0.5  # of a voltage trip's delay: 1 to 5 s usual, common practice
FLAT_PCT = 20.0  # a reference for empty above this is none
REACHED_PCT = 30.0  # an empty cell does not rest higher by itself
STORAGE_DAYS = 60.0  # a bank is looked at least every two months: common practice
OVER, UNDER = "protection.cell_over_voltage", "protection.cell_under_voltage"


def voltage_delay(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """Too long a delay exposes the cell; too short a one trips on a motor's start."""
    for name, word in (
        ("cell_over_voltage", "over-voltage"),
        ("cell_under_voltage", "under-voltage"),
        ("pack_over_voltage", "pack's over-voltage"),
        ("pack_under_voltage", "pack's under-voltage"),
    ):
        limit = getattr(setup.protection, name)
        path = f"protection.{name}.delay_s"
        if limit is not None and limit.delay_s > LONGEST_S:
            yield warning(
                path,
                f"The {word} trip waits {limit.delay_s:g} s.",
                "On the steep end of the curve a cell moves many millivolts in that "
                "time. 1 to 5 s are usual.",
                {path: 2.0},
            )
        elif limit is not None and "under" in word and limit.delay_s < SHORTEST_S:
            yield warning(
                path,
                f"The {word} trip acts after {limit.delay_s:g} s.",
                "A motor's start pulls the voltage down for about a second: the lights "
                "go out although the pack is not empty.",
                {path: 2.0},
            )


def full_reference(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A 100 % reference on the flat part resets the counter long before the pack is full."""
    full, knee = setup.protection.soc_full_v, chem(setup).knee_v
    if full is None or full >= knee:
        return
    target = (
        setup.charging.absorption_v / setup.cells
        if setup.charging
        else usual(setup, "absorption_v")
    )
    to = (
        min(usual(setup, "soc_full_v"), down(target))
        if target >= knee
        else usual(setup, "soc_full_v")
    )
    yield warning(
        "protection.soc_full_v",
        f"The 100 % reference at {full:.2f} V lies under the knee at {knee:.2f} V.",
        "A charging current lifts the cells that far when they are half full: the "
        "counter jumps to 100 % and the inverter believes it.",
        {"protection.soc_full_v": to},
    )


def empty_reference(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A 0 % reference on the flat part resets the counter while much is left."""
    empty, curve = setup.protection.soc_empty_v, chem(setup).curve
    to = max(usual(setup, "soc_empty_v"), up(setup.protection.cell_under_voltage.trip_v))
    if empty is None or float(curve.soc(empty)) <= FLAT_PCT or to >= empty:
        return
    yield warning(
        "protection.soc_empty_v",
        f"The 0 % reference at {empty:.2f} V is reached with "
        f"{float(curve.soc(empty)):.0f} % left, and under load with more.",
        "A percentage that jumps to 0 under a heavy load and recovers after a day is a "
        "counter losing its reference, not a dead cell.",
        {"protection.soc_empty_v": to},
    )


def release_reached(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A release an empty cell does not come back to by itself."""
    limit, curve = setup.protection.cell_under_voltage, chem(setup).curve
    reach_v = float(curve.ocv(REACHED_PCT))
    pack, n = setup.protection.pack_under_voltage, setup.cells
    if pack is not None and pack.release_v > n * reach_v and pack.trip_v < n * (reach_v - 0.05):
        back = min(up(n * max(limit.release_v, pack.trip_v / n + 0.1)), down(n * reach_v))
        yield warning(
            "protection.pack_under_voltage.release_v",
            f"The pack's discharge returns only at {pack.release_v:.2f} V; at "
            f"{REACHED_PCT:.0f} % of charge it "
            f"rests at {n * reach_v:.1f} V.",
            "After a trip the loads stay off until the sun has filled a third of the pack.",
            {"protection.pack_under_voltage.release_v": back},
        )
    if limit.release_v <= reach_v or limit.trip_v >= reach_v - 0.05:
        return
    to = min(max(usual(setup, "under_release_v"), up(limit.trip_v + 0.1)), down(reach_v))
    yield warning(
        f"{UNDER}.release_v",
        f"Discharging returns only at {limit.release_v:.2f} V; a cell at "
        f"{REACHED_PCT:.0f} % of charge rests at {reach_v:.2f} V.",
        "After a trip the loads stay off until the sun has filled a third of the pack.",
        {f"{UNDER}.release_v": to},
    )


def heat_missing(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """Heat that nothing looks at."""
    p = setup.protection
    hot = (
        ("charge_over_temperature", "the charge when the cells are hot", "charge_hot"),
        ("discharge_over_temperature", "the discharge when the cells are hot", "discharge_hot"),
    )
    values = {
        name: (word, usual(setup, f"{key}_trip_c"), usual(setup, f"{key}_release_c"))
        for name, word, key in hot
    }
    values["mosfet_over_temperature"] = ("anything when the BMS's switches are hot", 90.0, 75.0)
    for name, (word, trip_c, release_c) in values.items():
        if getattr(p, name) is None:
            path, why = (
                f"protection.{name}",
                "A loose joint or a hot summer shows itself first as heat.",
            )
            judge = note if "mosfet" in name else warning  # many do not show it
            yield judge(
                path,
                f"Nothing is known to stop {word}.",
                why,
                {path: {"trip_c": trip_c, "release_c": release_c}},
            )


def storage(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """How long a full pack left alone lasts at the BMS's own draw."""
    standby_w = setup.wiring.standby_w if setup.wiring else None
    if not standby_w:
        return
    wh = 0.9 * setup.capacity_ah * setup.cells * chem(setup).nominal_v
    days = wh / (24.0 * standby_w)
    if days < 2 * STORAGE_DAYS:
        yield note(
            "wiring.standby_w",
            f"Left alone, a full pack is empty after {days:.0f} days at the BMS's own "
            f"{standby_w:g} W.",
            "Display, sleep time and communication cost energy. In storage: charge at "
            "least monthly, or disconnect at 50 to 60 %.",
        )


def inverter_low(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """The inverter stops before the BMS must, and starts again well above."""
    link, low, n = setup.link, setup.protection.cell_under_voltage, setup.cells
    if link is None:
        return
    pack = setup.protection.pack_under_voltage
    floor = max(n * low.trip_v, pack.trip_v if pack else 0.0)
    to = up(floor + 0.1 * n, 0.1)
    if link.low_cut_v is not None and link.low_cut_v <= floor:
        yield warning(
            ("link.low_cut_v", f"{UNDER}.trip_v"),
            f"The inverter stops at {link.low_cut_v:.1f} V; before that the BMS trips at "
            f"{floor:.1f} V.",
            "The BMS then switches the whole bank off under load, and the inverter goes "
            "dark with it. The inverter should stop first and start again by itself.",
            {"link.low_cut_v": to},
        )
    cut = link.low_cut_v
    if cut is not None and link.low_restart_v is not None and link.low_restart_v <= cut + 0.02 * n:
        back = up(max(n * low.release_v, max(cut, to) + 0.1 * n), 0.1)
        yield error(
            ("link.low_restart_v", "link.low_cut_v"),
            f"The inverter starts again at {link.low_restart_v:.1f} V, not above its cut "
            f"at {cut:.1f} V.",
            "The voltage rebounds as soon as the load is off: it starts and stops until "
            "the pack is empty.",
            {"link.low_restart_v": back},
        )
    if cut is not None and link.low_alarm_v is not None and link.low_alarm_v <= cut:
        alarm = up(cut + 0.05 * n, 0.1)
        yield warning(
            ("link.low_alarm_v", "link.low_cut_v"),
            f"The inverter's low-voltage alarm at {link.low_alarm_v:.1f} V comes no "
            f"earlier than its cut at {cut:.1f} V.",
            "An alarm is there to be seen before the lights go out.",
            {"link.low_alarm_v": alarm},
        )


def on_loss(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """What happens when the link is lost must have been chosen, and possible."""
    link = setup.link
    if link is None or link.mode != "closed":
        return
    if link.on_loss == "fallback" and setup.charging is None:
        yield warning(
            ("link.on_loss", "charging"),
            "When the link is lost the inverter falls back on its own voltages, but none "
            "are noted here.",
            "Set them first, before the closed loop: whatever stood in it from the "
            "factory counts otherwise.",
            {"link.on_loss": "stop"},
            "Stop instead",
        )
    elif link.on_loss is None:
        yield note(
            "link.on_loss",
            "What the inverter does when the link is lost is not chosen.",
            "Stop after the time-out, or go on with its own voltages: both are in use. "
            "Choose knowingly, then pull the plug and see.",
        )


RULES = (
    Rule("voltage-trip-delay", voltage_delay, COMMON),
    Rule("full-reference-on-the-flat", full_reference, "the chemistry's curve", stages=AT_CHARGE),
    Rule("empty-reference-on-the-flat", empty_reference, "the chemistry's curve"),
    Rule("under-voltage-release-never-reached", release_reached, "the chemistry's curve"),
    Rule("heat-limit-missing", heat_missing, MEMORY, stages=AT_COLD),
    Rule("standby-empties-pack", storage, "the standby draw as entered"),
    Rule("inverter-low-voltage", inverter_low, COMMON),
    Rule("loss-of-link", on_loss, COMMON),
)
