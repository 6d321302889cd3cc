"""A bank of unlike packs: each judged by its own settings, and what they are to each other."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import replace

from nipper.core.findings import Finding
from nipper.core.rules.base import COMMON, MEMORY, Evidence, Rule, error, note, warning
from nipper.core.setup import Setup, own_paths, pack_names, pack_setups, unlike
from nipper.core.setup.packs import may_differ
from nipper.core.wiring.sharing import shares

Judge = Callable[[Setup, Evidence], list[Finding]]
APART_V = 0.02  # limits of cells that differ by less act together: within a meter's step and noise


def check_packs(setup: Setup, evidence: Evidence, shown: int | None, judge: Judge) -> list[Finding]:
    """The findings on every pack: those of all packs once, those of some with their names.

    ``evidence`` is of the pack that is ``shown``. Paths are into the bank's file; a suggestion for
    some of the packs goes to these only.
    """
    by_pack = [
        judge(pack, evidence if i == shown else Evidence())
        for i, pack in enumerate(pack_setups(setup))
    ]
    found: dict[tuple[str, tuple[str, ...], str], tuple[Finding, list[int]]] = {}
    for i, findings in enumerate(by_pack):
        for finding in findings:
            key = finding.code, finding.settings, finding.message
            found.setdefault(key, (finding, []))[1].append(i)
    return [_placed(setup, finding, of) for finding, of in found.values()]


def _placed(setup: Setup, finding: Finding, of: Sequence[int]) -> Finding:
    """A finding with its paths in the bank's file."""
    owned = {i: set(own_paths(setup, i)) for i in of}
    settings: list[str] = []
    for path in finding.settings:
        own = [f"packs[{i}].{path}" for i in of if _owns(owned[i], path)]
        settings += own or [path]
    if len(of) == setup.packs_in_parallel and settings == list(finding.settings):
        return finding
    cure = {
        place: value for path, value in finding.suggestion.items() for place in _places(path, of)
    }
    names = pack_names(setup)
    who = " and ".join(names[i] for i in of) if len(of) < len(names) else ""
    message = f"{who}: {finding.message}" if who else finding.message
    return replace(finding, settings=tuple(settings), suggestion=cure, message=message)


def _owns(owned: set[str], path: str) -> bool:
    return any(own == path or own.startswith(f"{path}.") for own in owned)


def _places(path: str, of: Sequence[int]) -> list[str]:
    return [f"packs[{i}].{path}" for i in of] if may_differ(path) else [path]


def for_pack(finding: Finding, shown: int) -> Finding:
    """A finding as it is seen while one pack is shown: that pack's own paths are plain."""
    prefix = f"packs[{shown}]."
    others = [p for p in finding.settings if p.startswith("packs[") and not p.startswith(prefix)]
    if others and not any(p.startswith(prefix) for p in finding.settings):
        return finding
    cure = _plain(finding.suggestion, prefix)
    settings = tuple(p.removeprefix(prefix) for p in finding.settings if p not in others)
    return replace(finding, settings=settings, suggestion=cure)


def _plain(suggestion: Mapping[str, object], prefix: str) -> dict[str, object]:
    """The part of a cure that is the shown pack's, or everybody's."""
    return {
        path.removeprefix(prefix): value
        for path, value in suggestion.items()
        if path.startswith(prefix) or not path.startswith("packs[")
    }


def share_above_limit(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """Unlike packs do not share evenly: the one with the least resistance for its limits takes
    more than it may.
    """
    total = setup.charging.max_charge_a if setup.charging else None
    if not total or not unlike(setup):
        return
    packs, names = pack_setups(setup), pack_names(setup)
    for i, (pack, (by_ohm, by_ah)) in enumerate(zip(packs, shares(packs), strict=True)):
        limit = pack.protection.charge_over_current
        trip = limit.trip_a if limit else None
        most = min((a for a in (trip, pack.sheet_charge_a) if a), default=None)
        taken = total * max(by_ohm, by_ah)
        even = total / len(packs)
        if most is None or taken <= most or even > most:
            continue  # what an even share already breaks is said by other rules
        why = (
            f"By resistance it takes {100 * by_ohm:.0f} %, by capacity {100 * by_ah:.0f} % of"
            f" {total:g} A: up to {taken:.0f} A, and its least limit is {most:g} A. When it leaves,"
            " the others take its share."
        )
        places = (f"packs[{i}].protection.charge_over_current.trip_a", "charging.max_charge_a")
        to = float(int(most / max(by_ohm, by_ah)))
        yield warning(
            places,
            f"{names[i]} would take more of the charge than it may.",
            why,
            {"charging.max_charge_a": to} if to >= 1 else {},
            f"Charge the bank with {to:g} A",
        )


def one_leaves(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """When one of unlike packs leaves, the others must carry its current."""
    total = setup.charging.max_charge_a if setup.charging else None
    packs, names = pack_setups(setup), pack_names(setup)
    if not total or not unlike(setup) or len(packs) < 3:
        return
    for gone in range(len(packs)):
        rest = [i for i in range(len(packs)) if i != gone]
        for i, (by_ohm, by_ah) in zip(rest, shares([packs[i] for i in rest]), strict=True):
            limit = packs[i].protection.charge_over_current
            taken = total * max(by_ohm, by_ah)
            if limit and taken > limit.trip_a >= total / len(rest):
                yield note(
                    (f"packs[{i}].protection.charge_over_current.trip_a", "charging.max_charge_a"),
                    f"Without {names[gone]}, {names[i]} trips at full charge current.",
                    f"It would take up to {taken:.0f} A of {total:g} A, its trip is"
                    f" {limit.trip_a:g} A: then the next pack takes it all.",
                )
                return


def first_to_leave(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """The pack with the lowest cell limits leaves a common charge first, each time."""
    if not unlike(setup):
        return
    packs, names = pack_setups(setup), pack_names(setup)
    trips = [p.protection.cell_over_voltage.trip_v for p in packs]
    low, high = min(trips), max(trips)
    if high - low < APART_V:
        return
    first = trips.index(low)
    yield note(
        tuple(f"packs[{i}].protection.cell_over_voltage.trip_v" for i in range(len(packs))),
        f"{names[first]} leaves the charge first, at {low:g} V in a cell; others go to {high:g} V.",
        "One charger serves all packs: the pack with the lowest limit is cut off while the others"
        " are still charged, and comes back at another voltage than theirs.",
    )


def equal_addresses(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """Two packs with one address answer at once, and neither is understood."""
    if not setup.packs or not setup.link or setup.link.transport == "none":
        return
    packs, names = pack_setups(setup), pack_names(setup)
    addresses = [p.link.address if p.link else None for p in packs]
    if not any("link.address" in own_paths(setup, i) for i in range(len(packs))):
        return  # none is numbered yet: the typing sheet asks for it
    free_ones = (a for a in range(1, 256) if a not in addresses)
    for i, address in enumerate(addresses):
        j = addresses.index(address)
        if address is None or j == i:
            continue
        free = next(free_ones)
        yield error(
            (f"packs[{i}].link.address",),
            f"{names[i]} has the same address as {names[j]}: {address}.",
            "Packs that share a bus need an address each; with two alike, one of them is missing"
            " from the inverter's count, or both answers are spoilt.",
            {f"packs[{i}].link.address": free},
            f"Give it the address {free}",
        )


def unlike_presence(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """Packs of other capacity or balancing come to their ends at other times."""
    packs, names = pack_setups(setup), pack_names(setup)
    amounts = [p.capacity_ah for p in packs]
    if not unlike(setup) or max(amounts) - min(amounts) < 0.02 * max(amounts):
        return
    small = amounts.index(min(amounts))
    yield note(
        tuple(f"packs[{i}].capacity_ah" for i in range(len(packs))),
        f"{names[small]} holds {min(amounts):g} Ah beside packs of {max(amounts):g} Ah.",
        f"The bank holds {sum(amounts):g} Ah. In parallel their voltages keep together: each gives"
        " about by its capacity, at high current more by its resistance; percentages counted by"
        " each BMS drift apart until all are full.",
    )


def hosts(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """One pack speaks to the inverter for all."""
    packs, names = pack_setups(setup), pack_names(setup)
    speak = [i for i, p in enumerate(packs) if p.link and p.link.host]
    if len(speak) < 2:
        return
    yield error(
        tuple(f"packs[{i}].link.host" for i in speak),
        f"{' and '.join(names[i] for i in speak)} are both host.",
        "Both speak to the inverter, and neither counts the other: one is host, the others have "
        "the addresses after it.",
        {f"packs[{i}].link.host": False for i in speak[1:]},
        f"Only {names[speak[0]]} is host",
    )


BANK_RULES = (
    Rule("unlike-equal-addresses", equal_addresses, COMMON, ("link",)),
    Rule("unlike-several-hosts", hosts, COMMON, ("link",)),
    Rule("unlike-share-above-limit", share_above_limit, MEMORY, ("charge",)),
    Rule("unlike-first-to-leave", first_to_leave, COMMON, ("charge",)),
    Rule("unlike-one-leaves", one_leaves, COMMON, ("charge",)),
    Rule("unlike-capacities", unlike_presence, COMMON),
)
