"""Packs joined to a bank: how they share, and what stands between them and the inverter."""

from collections.abc import Iterator

from nipper.core.findings import Finding
from nipper.core.rules.base import (
    AT_BUILD,
    COMMON,
    Evidence,
    Rule,
    error,
    note,
    up,
    warning,
)
from nipper.core.setup import Setup, pack_names, pack_setups
from nipper.core.wiring.currents import DISCHARGE, long_a
from nipper.core.wiring.lead import BUSBAR_A_MM2, Lead, busbar_carries_a
from nipper.core.wiring.sharing import shares
from nipper.core.wiring.short import short_circuit_a

UNEVEN = 1.15  # busiest pack's share over an even one from which it is told: common practice
LEAD_SOURCE = "ISO 10133 and IEC 60364-4-43, from memory; local code decides"


def uneven_row(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """Packs in a row with both main leads at the first one: the near pack carries more."""
    wiring = setup.wiring
    if wiring is None or wiring.joined == "busbar" or setup.packs_in_parallel < 2:
        return
    packs = pack_setups(setup)
    found = [ohm for ohm, _ in shares(packs)]
    even = 1.0 / len(packs)
    if max(found) <= UNEVEN * even:
        return
    busy = pack_names(setup)[found.index(max(found))]
    to, label = "diagonal", "Take minus from the other end"
    if wiring.joined == "diagonal" or len(packs) > 3:
        to, label = "busbar", "Equal leads to a bar"
    yield warning(
        ("wiring.joined", "wiring.between_length_m"),
        f"{busy} carries {100 * max(found):.0f} % of the current, an even share is "
        f"{100 * even:.0f} %.",
        "The pack nearest the main leads has the least resistance in its way: it works and ages "
        "for the others, and trips first. Plus from one end and minus from the other makes two or "
        "three packs even; more want a bar with equal leads.",
        {"wiring.joined": to},
        label,
    )


def between_lead(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """The lead from pack to pack must outlive what the fuses behind it let through."""
    wiring = setup.wiring
    if wiring is None or wiring.joined == "busbar" or not wiring.between_mm2 or not wiring.fuse_a:
        return
    behind = setup.packs_in_parallel - 1
    if behind < 1:
        return
    lead = Lead(wiring.between_mm2)
    lets_a = behind * wiring.fuse_a
    if wiring.main_fuse_a:
        lets_a = min(lets_a, wiring.main_fuse_a)
    if lets_a <= lead.protected_by_a(wiring.fuse_kind, at_best=True) + 1e-9:
        return
    yield error(
        ("wiring.between_mm2", "wiring.fuse_a"),
        f"The fuses let {lets_a:.0f} A through the {lead} lead from pack to pack "
        f"({lead.carries_a:.0f} A).",
        "The length nearest the main leads carries all packs behind it. In an overload it burns "
        "before a fuse opens.",
    )


def main_breaking(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """The main fuse must be able to break what all packs drive into a short."""
    wiring = setup.wiring
    if wiring is None or not wiring.main_fuse_a or wiring.main_fuse_breaks_ka is None:
        return
    short_ka = short_circuit_a(setup) / 1e3
    if wiring.main_fuse_breaks_ka >= short_ka:
        return
    to = up(short_ka, 1.0)
    yield error(
        "wiring.main_fuse_breaks_ka",
        f"The main fuse breaks {wiring.main_fuse_breaks_ka:g} kA; all packs together drive about "
        f"{short_ka:.1f} kA into a short.",
        "It melts, and the arc goes on burning inside it.",
        {"wiring.main_fuse_breaks_ka": to},
        f"A fuse that breaks {to:g} kA",
    )


def main_parts(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """Battery switch and busbar carry what flows for long, by their sheets."""
    wiring = setup.wiring
    flows_a, path = long_a(setup)
    if wiring is None or not flows_a:
        return
    if wiring.switch_a and wiring.switch_a < flows_a:
        to = up(flows_a, 50.0)
        yield warning(
            ("wiring.switch_a", path),
            f"Up to {flows_a:.0f} A flow through the battery switch, which carries "
            f"{wiring.switch_a:g} A.",
            "Its contacts overheat, and a switch that is opened under load may weld or burn.",
            {"wiring.switch_a": to},
        )
    bar_mm2 = wiring.busbar_mm2
    if bar_mm2 and busbar_carries_a(bar_mm2) < flows_a:
        to = up(flows_a / BUSBAR_A_MM2, 10.0)
        yield warning(
            ("wiring.busbar_mm2", path),
            f"Up to {flows_a:.0f} A flow through a bar of {bar_mm2:g} mm², good for about "
            f"{busbar_carries_a(bar_mm2):.0f} A.",
            "Copper bars in still air carry 1.2 to 1.6 A/mm² for long.",
            {"wiring.busbar_mm2": to},
        )


def connector(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """The pack's connector carries what its BMS lets through."""
    wiring, over = setup.wiring, setup.protection.discharge_over_current
    if wiring is None or not wiring.connector_a or over is None:
        return
    if wiring.connector_a >= over.trip_a:
        return
    yield warning(
        ("wiring.connector_a", DISCHARGE),
        f"The BMS lets {over.trip_a:g} A through a connector that carries "
        f"{wiring.connector_a:g} A.",
        "Connectors fail by heat: worn contacts carry less than their sheet says.",
        {DISCHARGE: wiring.connector_a},
    )


def past_switch(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A charger joined at the battery goes on feeding it while the switch is open."""
    for path, name, joins in (
        ("charging.joins", "The main charger", setup.charging.joins if setup.charging else None),
        *(
            (f"other_chargers.{i}.joins", c.name, c.joins)
            for i, c in enumerate(setup.other_chargers)
        ),
    ):
        if joins == "at_battery":
            yield note(
                path,
                f"{name} goes on feeding the battery while the battery switch is open.",
                "Good for a boat left alone, bad for a hand on a lead: it has to be stopped by its "
                "own switch before anything is loosened. It needs a fuse of its own at the "
                "battery.",
            )


RULES = (
    Rule("uneven-row", uneven_row, "resistor network; " + COMMON, stages=AT_BUILD),
    Rule("fuses-above-lead-between", between_lead, LEAD_SOURCE, stages=AT_BUILD),
    Rule(
        "main-fuse-breaking-capacity",
        main_breaking,
        "arithmetic; ohmic share and breaking capacities from memory",
        stages=AT_BUILD,
    ),
    Rule("switch-or-bar-too-small", main_parts, COMMON, stages=AT_BUILD),
    Rule("connector-below-trip", connector, COMMON, stages=AT_BUILD),
    Rule("charger-past-switch", past_switch, COMMON, stages=AT_BUILD),
)
