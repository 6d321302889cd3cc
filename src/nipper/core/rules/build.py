"""The way of the current: fuses, leads, and what flows through them on both sides."""

from collections.abc import Iterator

from nipper.core.findings import Finding
from nipper.core.rules.base import (
    AT_BUILD,
    AT_CHARGE,
    COMMON,
    Evidence,
    Rule,
    amps_down,
    down,
    error,
    note,
    up,
    warning,
)
from nipper.core.setup import Setup, Wiring
from nipper.core.wiring.currents import battery_w_to_a
from nipper.core.wiring.fuse import RATED_A
from nipper.core.wiring.lead import LARGEST_MM2, Lead, main_lead, pack_lead, sizes_of
from nipper.core.wiring.short import at_terminals_a, through_fuse_a

CHARGE, DISCHARGE = "protection.charge_over_current", "protection.discharge_over_current"
FOR_LONG = 0.8  # of a fuse's rating, for hours: 1 / 1.25, common practice
WEAK_LINK = 1.25  # limits add up to this much above the main fuse before loads must be known
LEAD_SOURCE = "ISO 10133 and IEC 60364-4-43, from memory; local code decides"


def fuse_for(lead: Lead, kind: str = "gG") -> float:
    """The largest rated fuse that protects a lead, A."""
    most_a = lead.protected_by_a(kind)
    return float(max((f for f in RATED_A if f <= most_a), default=RATED_A[0]))


def lead_for(fuse_a: float, kind: str = "gG", like: Lead | None = None) -> float | None:
    """The smallest size of the table that a fuse protects, mm2; as many side by side and of the
    same insulation as the one that is there.
    """
    sizes = sizes_of(like or Lead(1.0))
    return next((s.mm2 for s in sizes if s.protected_by_a(kind) >= fuse_a), None)


def fuse_and_lead(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A fuse protects the lead behind it: it must not be larger than the lead carries."""
    wiring, lead = setup.wiring, pack_lead(setup.wiring)
    if wiring is None or not wiring.fuse_a or lead is None:
        return
    kind = wiring.fuse_kind
    if wiring.fuse_a <= lead.protected_by_a(kind) + 1e-9:
        return
    size = lead_for(wiring.fuse_a, kind, lead)
    fix: dict[str, object] = (
        {"wiring.cable_mm2": size} if size else {"wiring.fuse_a": fuse_for(lead, kind)}
    )
    paths = ("wiring.fuse_a", "wiring.cable_mm2")
    carries = _carries(lead)
    if wiring.fuse_a > lead.protected_by_a(kind, at_best=True):
        yield error(
            paths,
            f"The {wiring.fuse_a:g} A fuse does not protect {lead} ({carries}).",
            "In an overload the lead burns before the fuse opens: a gG fuse may carry 1.6 times "
            "its rating for hours, a lead no more than 1.45 times its own. Bundles and engine "
            "rooms carry less: local rules decide.",
            fix,
        )
    else:
        yield note(
            paths,
            f"The {wiring.fuse_a:g} A fuse fits {lead} only with heat-proof "
            f"insulation ({carries}).",
            "Look at the lead's own marking; bundles and engine rooms carry less. Local "
            "rules decide.",
            fix,
        )


def _carries(lead: Lead) -> str:
    if lead.insulation_c:
        return f"{lead.carries_a:.0f} A with its {lead.insulation_c} °C insulation"
    return f"{lead.carries_a:.0f} A at 70 °C, {lead.at_best_a:.0f} A at 105 °C"


def beyond_table(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A conductor larger than the table is counted as its largest."""
    wiring = setup.wiring
    for path, lead in (
        ("wiring.cable_mm2", pack_lead(wiring)),
        ("wiring.main_cable_mm2", main_lead(wiring)),
    ):
        if lead and lead.mm2 > LARGEST_MM2:
            yield note(
                path,
                f"{lead.mm2:g} mm² is beyond the table of leads: it is counted as "
                f"{LARGEST_MM2:g} mm², {lead.carries_a:.0f} A.",
                "Several conductors side by side are entered by their number. The maker's sheet "
                "of the lead decides.",
            )


def fuse_and_limits(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """On overload the BMS should act first and the fuse keep for what the BMS cannot break."""
    wiring = setup.wiring
    if wiring is None or not wiring.fuse_a:
        return
    for path, limit, word in (
        (DISCHARGE, setup.protection.discharge_over_current, "discharge"),
        (CHARGE, setup.protection.charge_over_current, "charge"),
    ):
        if limit is None or wiring.fuse_a >= limit.trip_a:
            continue
        fix = _fuse_or_trip(wiring, f"{path}.trip_a", limit.trip_a)
        yield warning(
            ("wiring.fuse_a", f"{path}.trip_a"),
            f"The {wiring.fuse_a:g} A fuse opens before the BMS's {word} trip at "
            f"{limit.trip_a:g} A.",
            "A blown fuse ends the evening; a trip comes back by itself. The fuse is for the short "
            "circuit the BMS cannot break.",
            fix,
        )


def _fuse_or_trip(wiring: Wiring, path: str, trip_a: float) -> dict[str, object]:
    """A larger fuse where the lead is known and carries it, else a lower trip."""
    to = next((float(f) for f in RATED_A if f >= 1.25 * trip_a), None)
    lead = pack_lead(wiring)
    if to and lead and to <= lead.protected_by_a(wiring.fuse_kind) + 1e-9:
        return {"wiring.fuse_a": to}
    return {path: amps_down((wiring.fuse_a or trip_a) / 1.25)}


def lead_and_limits(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """Without a fuse that is known, only the BMS's trips stand between a load and a burning
    lead.
    """
    wiring, lead, p = setup.wiring, pack_lead(setup.wiring), setup.protection
    if wiring is None or lead is None or wiring.fuse_a:
        return
    for path, limit, word in (
        (DISCHARGE, p.discharge_over_current, "discharge"),
        (CHARGE, p.charge_over_current, "charge"),
    ):
        if limit and limit.trip_a > lead.at_best_a:
            to = amps_down(lead.carries_a)
            yield error(
                ("wiring.cable_mm2", f"{path}.trip_a"),
                f"The {word} trip at {limit.trip_a:g} A is more than {lead} carry "
                f"({lead.at_best_a:.0f} A).",
                "No fuse is entered that would protect the lead instead.",
                {f"{path}.trip_a": to},
            )


def no_fuse(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A pack without a fuse of its own, or with none that is known."""
    wiring = setup.wiring
    if wiring is not None and wiring.fuse_a is not None:
        return
    lead = pack_lead(wiring)
    if wiring is None or lead is None:
        yield warning(
            "wiring.fuse_a",
            "No fuse is known: nothing says what stops a short.",
            "A short at the terminals is fed with about "
            f"{at_terminals_a(setup) / 1e3:.1f} kA. Enter "
            "the pack's fuse and its leads; if it has no fuse, fit one before anything else.",
        )
        return
    to = fuse_for(lead, wiring.fuse_kind)
    yield error(
        "wiring.fuse_a",
        "The pack has no fuse of its own.",
        "A short in its leads is fed by the whole bank. Fuse each pack and the bank, with a "
        "type whose interrupting rating fits a lithium bank.",
        {"wiring.fuse_a": to},
    )


def lead_unknown(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A fuse in a lead of unknown size protects nothing that is known."""
    wiring = setup.wiring
    if wiring is None or not wiring.fuse_a or wiring.cable_mm2:
        return
    size = lead_for(wiring.fuse_a, wiring.fuse_kind)
    least = f" It asks for at least {size:g} mm²." if size else ""
    yield warning(
        ("wiring.cable_mm2", "wiring.fuse_a"),
        f"The lead behind the {wiring.fuse_a:g} A fuse is not known: nothing says that it "
        "outlives it.",
        f"Enter its cross-section.{least} A lead that is too thin burns before its fuse opens.",
    )


def breaking(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A fuse must be able to break what the bank drives into a short."""
    wiring = setup.wiring
    if wiring is None or not wiring.fuse_a:
        return
    short_ka = through_fuse_a(setup) / 1e3
    if wiring.fuse_breaks_ka is None:
        yield note(
            "wiring.fuse_breaks_ka",
            f"A short at the terminals drives about {short_ka:.1f} kA through the fuse: it must "
            "break that at the pack's full voltage.",
            "Car and plate fuses often break 1 to 2 kA at 32 V: at 48 V the arc goes on "
            "burning. Rest voltage over the ohmic resistance of cells and joints, without leads.",
        )
    elif wiring.fuse_breaks_ka < short_ka:
        to = up(short_ka, 1.0)
        yield error(
            "wiring.fuse_breaks_ka",
            f"The fuse breaks {wiring.fuse_breaks_ka:g} kA; a short at the terminals drives about "
            f"{short_ka:.1f} kA through it.",
            "It melts, and the arc goes on burning inside it.",
            {"wiring.fuse_breaks_ka": to},
            f"A fuse that breaks {to:g} kA",
        )


def charge_path(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """What all chargers give together must pass fuse and lead of each pack, and the main ones."""
    wiring, packs = setup.wiring, setup.packs_in_parallel
    total, paths = charge_total_a(setup), ("charging.max_charge_a", "wiring.fuse_a")
    if wiring is None or not total:
        return
    own, main = pack_lead(wiring), main_lead(wiring)
    lead_a, main_a = own.at_best_a if own else None, main.at_best_a if main else None
    for name, rated_a, flows_a, fuse in (
        ("the pack's fuse", wiring.fuse_a, total / packs, True),
        ("the pack's lead", lead_a, total / packs, False),
        ("the main fuse", wiring.main_fuse_a, total, True),
        ("the main lead", main_a, total, False),
    ):
        if rated_a is None or flows_a <= rated_a * (1.0 if not fuse else FOR_LONG) + 1e-9:
            continue
        beyond = flows_a > rated_a
        most = rated_a * (FOR_LONG if fuse else 0.9)
        most *= packs if "pack" in name else 1
        share = _own_share(setup, most)
        # a charge of hours at four fifths to all of a fuse's rating ages it: a choice worth knowing
        judge = error if beyond else note
        yield judge(
            paths,
            f"Charging sends {flows_a:.0f} A through {name} of {rated_a:.0f} A.",
            "A charge flows for hours: fuses are chosen at 1.25 times what flows for long, and "
            "a lead has no reserve.",
            {"charging.max_charge_a": share} if share else {},
        )
        return


def charge_total_a(setup: Setup) -> float:
    """What all chargers give the bank together, A; 0 where none is known."""
    own = (setup.charging.max_charge_a or 0.0) if setup.charging else 0.0
    return own + sum(c.max_charge_a for c in setup.other_chargers)


def _own_share(setup: Setup, most_a: float) -> float | None:
    """What is left for the main charger within a total; None where the others alone are too
    much.
    """
    if setup.charging is None or not setup.charging.max_charge_a:
        return None
    left = most_a - (charge_total_a(setup) - setup.charging.max_charge_a)
    return amps_down(left) if left > 0.05 * most_a else None


def main_path(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """Limits of packs add up, but only as far as the wiring goes."""
    wiring, over, packs = (
        setup.wiring,
        setup.protection.discharge_over_current,
        setup.packs_in_parallel,
    )
    if wiring is None:
        return
    yield from _main_lead(setup, wiring)
    if not wiring.main_fuse_a:
        return
    main_a = wiring.main_fuse_a
    watts = setup.usage.continuous_w if setup.usage else None
    loads_a = battery_w_to_a(setup, watts) * packs if watts else None
    inverter_a = setup.link.inverter_max_discharge_a if setup.link else None
    known_a = loads_a or inverter_a
    if loads_a and watts and loads_a > main_a:
        most = max(1.0, down(FOR_LONG * watts * main_a / loads_a, 100.0))
        yield warning(
            ("wiring.main_fuse_a", "usage.continuous_w"),
            f"Loads of {watts / 1e3:.1f} kW draw {loads_a:.0f} A through the {main_a:g} A "
            "main fuse.",
            "It melts sooner or later: fuses are chosen at 1.25 times what flows for long.",
            {"usage.continuous_w": most},
            f"Loads of at most {most / 1e3:.1f} kW",
        )
    elif inverter_a and inverter_a > main_a:
        to = amps_down(FOR_LONG * main_a)
        yield warning(
            ("wiring.main_fuse_a", "link.inverter_max_discharge_a"),
            f"The inverter may draw {inverter_a:g} A through the {main_a:g} A main fuse.",
            "It melts sooner or later: fuses are chosen at 1.25 times what flows for long.",
            {"link.inverter_max_discharge_a": to},
            f"At most {to:g} A",
        )
    elif over and packs * over.trip_a > main_a:
        # told apart by whether anything says that the loads stay below it
        doubt = known_a is None and packs * over.trip_a > WEAK_LINK * main_a
        yield (warning if doubt else note)(
            ("wiring.main_fuse_a", f"{DISCHARGE}.trip_a"),
            f"{packs} pack{'s' if packs > 1 else ''} allow {packs * over.trip_a:g} A, the main "
            f"fuse {main_a:g} A: it is the weak link, and holds as long as loads stay under it.",
            "Limits of packs in parallel add up, but only as far as fuse, leads, busbar and "
            "switch go. Enter the loads, or the inverter's most current.",
        )


def _main_lead(setup: Setup, wiring: Wiring) -> Iterator[Finding]:
    """The main lead by the main fuse, else by the packs' fuses, which then alone protect it."""
    lead, packs = main_lead(wiring), setup.packs_in_parallel
    if lead is None:
        return
    if wiring.main_fuse_a:
        by_a, what, path = (
            wiring.main_fuse_a,
            f"The main fuse of {wiring.main_fuse_a:g} A",
            "wiring.main_fuse_a",
        )
    elif wiring.fuse_a:
        by_a = packs * wiring.fuse_a
        what, path = f"No main fuse is known, and {packs} × {wiring.fuse_a:g} A", "wiring.fuse_a"
    else:
        return  # told by the rule about the pack's own fuse
    if by_a <= lead.protected_by_a(wiring.fuse_kind, at_best=True) + 1e-9:
        return
    size, fuse = lead_for(by_a, wiring.fuse_kind, lead), fuse_for(lead, wiring.fuse_kind)
    yield error(
        (path, "wiring.main_cable_mm2"),
        f"{what} do{'es' if wiring.main_fuse_a else ''} not protect the main lead's {lead} "
        f"({lead.carries_a:.0f} A).",
        "In an overload the lead burns before a fuse opens. Local rules decide.",
        {"wiring.main_cable_mm2": size} if size else {"wiring.main_fuse_a": fuse},
    )


RULES = (
    Rule("fuse-above-lead", fuse_and_lead, LEAD_SOURCE, stages=AT_BUILD),
    Rule("fuse-below-trip", fuse_and_limits, COMMON, stages=AT_BUILD),
    Rule("pack-without-fuse", no_fuse, COMMON, stages=AT_BUILD),
    Rule("lead-not-known", lead_unknown, LEAD_SOURCE, stages=AT_BUILD),
    Rule("lead-beyond-table", beyond_table, LEAD_SOURCE, stages=AT_BUILD),
    Rule("trip-beyond-lead", lead_and_limits, LEAD_SOURCE, stages=AT_BUILD),
    Rule(
        "fuse-breaking-capacity",
        breaking,
        "arithmetic; ohmic share and breaking capacities from memory",
        stages=AT_BUILD,
    ),
    Rule("charge-beyond-fuse", charge_path, COMMON, stages=AT_CHARGE + AT_BUILD),
    Rule("main-fuse", main_path, LEAD_SOURCE, stages=AT_BUILD),
)
