"""The way of the current from the cells to the inverter, part by part, and its weakest link.

What stands in each pack counts once a pack that is online; unlike packs share by the resistance of
their ways, so the one that reaches its own limit first ends it for all.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from math import inf
from typing import Literal

from nipper.core.setup import Setup, pack_names, pack_setups
from nipper.core.wiring.lead import main_lead, pack_lead
from nipper.core.wiring.sharing import shares

Side = Literal["charge", "discharge"]
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
    parts = (*_shown(of_packs, names), *of_bank)
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
        ("pack fuse", wiring.fuse_a if wiring else None),
    ):
        if amps:
            yield Part(name, float(amps), "pack")


def _bank_parts(setup: Setup, side: Side) -> Iterator[Part]:
    wiring, link = setup.wiring, setup.link
    lead = main_lead(wiring)
    inverter_a = None
    if link:
        charge_a, discharge_a = link.inverter_max_charge_a, link.inverter_max_discharge_a
        inverter_a = charge_a if side == "charge" else discharge_a
    for name, amps in (
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
    packs: Sequence[Setup], of_packs: Sequence[Sequence[Part]], of_bank: Sequence[Part]
) -> tuple[float, str]:
    """What the whole bank carries, A, and the part that ends it; of equal ones the last."""
    if not packs:
        return 0.0, ""
    share = [ohm for ohm, _ in shares(packs)]
    each = [
        (part.limit_a / part_share, part.part)
        for parts, part_share in zip(of_packs, share, strict=True)
        for part in parts
    ]
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
    left = [
        _limit(
            [p for i, p in enumerate(packs) if i != gone],
            [parts for i, parts in enumerate(of_packs) if i != gone],
            of_bank,
        )[0]
        for gone in range(len(packs))
    ]
    return None if min(left) == inf else min(left)
