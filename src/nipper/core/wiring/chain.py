"""The way of the current from the cells to the inverter, part by part, and its weakest link.

What stands in each pack counts once a pack that is online; unlike packs share by the resistance of
their ways, so the one that reaches its own limit first ends it for all.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from math import inf
from typing import Literal

from nipper.core.setup import Setup, pack_names, pack_setups
from nipper.core.wiring.lead import busbar_carries_a, carries_a, main_lead, pack_lead
from nipper.core.wiring.sharing import shared

Side = Literal["charge", "discharge"]
BETWEEN = "lead from pack to pack"
TITLES = {"bms": "BMS"}  # the others are called as they are named


@dataclass(frozen=True, slots=True)
class Part:
    """One part of the way: what it carries, A, and whether there is one in each pack. ``pack``
    names whose it is where the packs differ.
    """

    part: str
    limit_a: float
    of: Literal["pack", "bank"]
    pack: str = ""

    def to_json(self) -> dict[str, object]:
        """As the headless contract has it."""
        out: dict[str, object] = {"part": self.part, "limit_a": self.limit_a, "of": self.of}
        return out | ({"pack": self.pack} if self.pack else {})


def title(part: str) -> str:
    """What a part is called to a reader."""
    return TITLES.get(part, part)


@dataclass(frozen=True, slots=True)
class Chain:
    """One side: its parts in order, what they carry together, and which of them ends it.

    ``limit_a`` is None where no part is known. ``one_off_a`` is the same with the pack away whose
    absence costs most; 0 where there is only one.
    """

    parts: tuple[Part, ...]
    limit_a: float | None
    weakest: str
    one_off_a: float | None


def chain(setup: Setup, side: Side) -> Chain:
    """The chain of a whole bank."""
    packs = pack_setups(setup)
    names = pack_names(setup)
    of_packs = [tuple(_pack_parts(p, side)) for p in packs]
    of_bank = tuple(_bank_parts(setup, side))
    parts = (*_shown(of_packs, names), *_between(packs), *of_bank)
    limit_a, weakest = _limit(packs, of_packs, of_bank)
    return Chain(
        parts,
        None if limit_a == inf else limit_a,
        weakest,
        _one_off(packs, of_packs, of_bank),
    )


def _pack_parts(pack: Setup, side: Side) -> Iterator[Part]:
    p, wiring = pack.protection, pack.wiring
    charging = side == "charge"
    cells_a = pack.sheet_charge_a if charging else pack.sheet_discharge_a
    limit = p.charge_over_current if charging else p.discharge_over_current
    lead = pack_lead(wiring)
    for name, amps in (
        ("cells", cells_a),
        ("bms", limit.trip_a if limit else None),
        ("pack lead", lead.carries_a if lead else None),
        ("connector", wiring.connector_a if wiring else None),
        ("pack fuse", wiring.fuse_a if wiring else None),
    ):
        if amps:
            yield Part(name, float(amps), "pack")


def _between(packs: Sequence[Setup], gone: Sequence[int] = ()) -> Iterator[Part]:
    """The lead from pack to pack, as what the whole bank carries when it is at its limit."""
    wiring, found = packs[0].wiring, shared(packs, gone=gone)
    busiest = max((abs(a) for a in (*found.plus_a, *found.minus_a)), default=0.0)
    if busiest and wiring and wiring.between_mm2:
        yield Part(BETWEEN, round(carries_a(wiring.between_mm2) / busiest, 1), "bank")


def _bank_parts(setup: Setup, side: Side) -> Iterator[Part]:
    wiring, link = setup.wiring, setup.link
    lead, bar_mm2 = main_lead(wiring), wiring.busbar_mm2 if wiring else None
    inverter_a = None
    if link:
        charge_a, discharge_a = link.inverter_max_charge_a, link.inverter_max_discharge_a
        inverter_a = charge_a if side == "charge" else discharge_a
    for name, amps in (
        ("busbar", busbar_carries_a(bar_mm2) if bar_mm2 else None),
        ("battery switch", wiring.switch_a if wiring else None),
        ("main lead", lead.carries_a if lead else None),
        ("main fuse", wiring.main_fuse_a if wiring else None),
        ("inverter", inverter_a),
    ):
        if amps:
            yield Part(name, float(amps), "bank")


def _shown(of_packs: Sequence[Sequence[Part]], names: Sequence[str]) -> Iterator[Part]:
    """Each kind of part once, at its lowest; with the pack's name where packs differ in it."""
    kinds = dict.fromkeys(part.part for parts in of_packs for part in parts)
    for kind in kinds:
        found = [(p, n) for parts, n in zip(of_packs, names, strict=True) for p in parts]
        same = [(p, n) for p, n in found if p.part == kind]
        lowest, name = min(same, key=lambda pair: pair[0].limit_a)
        alike = len({p.limit_a for p, _ in same}) == 1
        yield lowest if alike else Part(kind, lowest.limit_a, "pack", name)


def _limit(
    packs: Sequence[Setup],
    of_packs: Sequence[Sequence[Part]],
    of_bank: Sequence[Part],
    gone: Sequence[int] = (),
) -> tuple[float, str]:
    """What the whole bank carries, A, and the part that ends it; of equal ones the last."""
    if len(gone) == len(packs):
        return 0.0, ""
    found = shared(packs, gone=gone)
    each = [
        (part.limit_a / share, part.part)
        for i, (parts, share) in enumerate(zip(of_packs, found.packs_a, strict=True))
        for part in parts
        if i not in gone
    ]
    each += [(part.limit_a, part.part) for part in _between(packs, gone)]
    each += [(part.limit_a, part.part) for part in of_bank]
    most, weakest = inf, ""
    for amps, name in each:
        if amps <= most + 1e-9:
            most, weakest = min(amps, most), name
    return most, weakest


def _one_off(
    packs: Sequence[Setup], of_packs: Sequence[Sequence[Part]], of_bank: Sequence[Part]
) -> float | None:
    if len(packs) == 1:
        return 0.0
    left = [_limit(packs, of_packs, of_bank, (gone,))[0] for gone in range(len(packs))]
    return None if min(left) == inf else min(left)
