"""The bank as built, part by part in the order of the drawing: each with its place and its words.

Places are stable names (``pack0.cell3``, ``switch``): notes, torques and the selection go by them.
"""

from collections.abc import Iterator
from dataclasses import dataclass, field

from nipper.core.setup import Setup, pack_names, pack_setups
from nipper.core.wiring.lead import main_lead, pack_lead


@dataclass(frozen=True, slots=True)
class BuiltPart:
    """One part. ``pack`` and ``number`` are None where it is the bank's, or has no number.

    ``text`` is what stands in its box, ``settings`` the paths by which it is entered.
    """

    place: str
    kind: str
    title: str
    text: str = ""
    pack: int | None = None
    number: int | None = None
    settings: tuple[str, ...] = field(default=())
    unknown: bool = False  # nothing is entered of it


LEAD_PATHS = (
    *("wiring.cable_mm2", "wiring.cables_in_parallel", "wiring.cable_insulation_c"),
    "wiring.cable_length_m",
)
MAIN_LEAD_PATHS = (
    *("wiring.main_cable_mm2", "wiring.main_cables_in_parallel", "wiring.main_cable_insulation_c"),
    "wiring.main_cable_length_m",
)
CELL_PATHS = (
    *("chemistry", "cells_in_series", "cells_in_parallel", "capacity_ah", "cell.resistance_mohm"),
    *("cell.max_v", "cell.min_v", "cell.max_charge_a", "cell.max_discharge_a"),
)
BUS_PATHS = (
    *("packs_in_parallel", "wiring.joined", "wiring.busbar_mm2", "wiring.between_mm2"),
    "wiring.between_length_m",
)
BMS_PATHS = (
    *("protection.charge_over_current.trip_a", "protection.discharge_over_current.trip_a"),
    *("protection.short_circuit.trip_a", "wiring.standby_w"),
)
INVERTER_PATHS = (
    *("link.inverter_max_charge_a", "link.inverter_max_discharge_a", "usage.continuous_w"),
    "usage.kwh_per_day",
)


def bank_parts(setup: Setup) -> list[BuiltPart]:
    """What the whole bank has, from the packs to the inverter, then the chargers."""
    wiring = setup.wiring
    out = [_bus(setup)]
    fuse_a = wiring.main_fuse_a if wiring else None
    paths = ("wiring.main_fuse_a", "wiring.main_fuse_kind", "wiring.main_fuse_breaks_ka")
    out.append(_amps("main_fuse", "main fuse", fuse_a, paths))
    out.append(_amps("switch", "battery switch", wiring.switch_a if wiring else None,
                     ("wiring.switch_a",)))  # fmt: skip
    lead = main_lead(wiring)
    out.append(
        BuiltPart("main_lead", "main_lead", "main lead", str(lead) if lead else "?",
                  settings=MAIN_LEAD_PATHS, unknown=lead is None)
    )  # fmt: skip
    link = setup.link
    most_a = link.inverter_max_discharge_a if link else None
    out.append(_amps("inverter", "inverter", most_a, INVERTER_PATHS))
    return out + list(_chargers(setup))


def _bus(setup: Setup) -> BuiltPart:
    wiring, joined = setup.wiring, setup.wiring.joined if setup.wiring else "busbar"
    size = wiring.busbar_mm2 if wiring and joined == "busbar" else None
    if joined != "busbar":
        size = wiring.between_mm2 if wiring else None
    words = {"busbar": "busbar", "same_end": "in a row, same end", "diagonal": "in a row, diagonal"}
    text = f"{size:g} mm²" if size else ""
    return BuiltPart("bus", "bus", words[joined], text, settings=BUS_PATHS, unknown=size is None)


def _amps(place: str, title: str, amps: float | None, paths: tuple[str, ...]) -> BuiltPart:
    text = "?" if amps is None else f"{amps:g} A"
    return BuiltPart(place, place, title, text, settings=paths, unknown=amps is None)


def _chargers(setup: Setup) -> Iterator[BuiltPart]:
    if setup.charging is not None:
        amps = setup.charging.max_charge_a
        title = "PV charger" if setup.solar else "main charger"
        yield _charger("charger", title, amps, setup.charging.joins, "charging")
    for i, c in enumerate(setup.other_chargers):
        yield _charger(f"charger{i}", c.name, c.max_charge_a, c.joins, f"other_chargers.{i}")


def _charger(place: str, title: str, amps: float | None, joins: str | None, path: str) -> BuiltPart:
    paths = (f"{path}.joins", f"{path}.max_charge_a", f"{path}.absorption_v")
    text = "?" if amps is None else f"{amps:g} A"
    return BuiltPart(place, f"charger {joins or 'unsaid'}", title, text, settings=paths)


def all_pack_parts(setup: Setup) -> list[list[BuiltPart]]:
    """Every pack from its minus to its plus: lead, BMS, cells and the bars between, fuse."""
    both = zip(pack_setups(setup), pack_names(setup), strict=True)
    return [_pack_parts(own, name, pack) for pack, (own, name) in enumerate(both)]


def _pack_parts(own: Setup, name: str, pack: int) -> list[BuiltPart]:
    wiring = own.wiring
    before = f"pack{pack}."
    lead = pack_lead(wiring)
    out = [
        BuiltPart(f"{before}lead", "lead", f"leads of {name}", str(lead) if lead else "?", pack,
                  settings=LEAD_PATHS, unknown=lead is None)
    ]  # fmt: skip
    over = own.protection.discharge_over_current
    out.append(
        BuiltPart(f"{before}bms", "bms", f"BMS of {name}", f"{over.trip_a:g} A" if over else "BMS",
                  pack, settings=BMS_PATHS)
    )  # fmt: skip
    for cell in range(1, own.cells + 1):
        called = f"cell {cell} of {name}"
        out.append(
            BuiltPart(f"{before}cell{cell}", "cell", called, str(cell), pack, cell, CELL_PATHS)
        )
        if cell < own.cells:
            title = f"bar from cell {cell} to {cell + 1} of {name}"
            out.append(BuiltPart(f"{before}bar{cell}", "bar", title, "", pack, cell))
    fuse_a = wiring.fuse_a if wiring else None
    out.append(
        BuiltPart(f"{before}fuse", "fuse", f"fuse of {name}", f"{fuse_a:g} A" if fuse_a else "?",
                  pack, None, ("wiring.fuse_a", "wiring.fuse_kind", "wiring.fuse_breaks_ka",
                               "wiring.connector_a"), fuse_a is None)
    )  # fmt: skip
    return out
