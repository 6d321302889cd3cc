"""What is known of each part of the bank as built: what flows and heats, what the log says."""

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import TYPE_CHECKING

import numpy as np

from nipper.core.assembly.notes import BuildNotes
from nipper.core.assembly.parts import BuiltPart
from nipper.core.setup import Setup, pack_names, pack_setups
from nipper.core.wiring.chain import chain
from nipper.core.wiring.drops import Drop, drops
from nipper.core.wiring.sharing import shared, shares
from nipper.core.wiring.short import at_terminals_a

if TYPE_CHECKING:
    from nipper.core.imbalance.diagnosis import Diagnosis

# the parts of the chain, by what stands in the drawing
IN_CHAIN = {
    "cell": "cells", "bms": "bms", "lead": "pack lead", "fuse": "pack fuse", "bus": "busbar",
    "switch": "battery switch", "main_lead": "main lead", "main_fuse": "main fuse",
    "inverter": "inverter",
}  # fmt: skip
SURE = 0.5  # a finding above this confidence marks its cells


def weakest_kind(setup: Setup) -> str:
    """Which kind of part of the drawing ends the discharge; empty where nothing is known."""
    weakest = chain(setup, "discharge").weakest
    return next((kind for kind, part in IN_CHAIN.items() if part == weakest), "")


def marks(found: Mapping[int, "Diagnosis"]) -> dict[str, str]:
    """By place: the status and what is said, of the packs' diagnoses by their numbers."""
    out: dict[str, str] = {}
    for pack, diagnosis in found.items():
        for cause in reversed(diagnosis.findings):
            if cause.confidence <= SURE:
                continue
            status = "act" if cause.serious else "watch"
            for cell in cause.cells:
                out[f"pack{pack}.cell{cell}"] = f"{status} {cause.summary}"
    return out


VALUES = ("charge, Ah", "resistance, mΩ", "nothing")  # what can stand in the cells


def values(found: Mapping[int, "Diagnosis"], what: str) -> dict[str, str]:
    """A number for each cell of the packs that have a log, by its place."""
    out: dict[str, str] = {}
    for pack, diagnosis in found.items():
        known = diagnosis.estimate
        if what == VALUES[0]:
            numbers, form = known.drift.last_ah, "+.1f"
        elif what == VALUES[1]:
            numbers = known.resistances.herd_ohm + known.resistances.excess_ohm
            numbers, form = 1e3 * known.to_25_c * numbers, ".2f"
        else:
            continue
        for i, number in enumerate(numbers, 1):
            if np.isfinite(number):
                shown = format(float(number), form).replace("-", "−")
                out[f"pack{pack}.cell{i}"] = "0" if shown in ("+0.0", "−0.0") else shown
    return out


def part_words(
    part: BuiltPart, setup: Setup, amps: float, diagnosis: "Diagnosis | None"
) -> list[str]:
    """What is known of a part, at a current of the whole bank, A; ``diagnosis`` of its pack."""
    out = _of_current(part, setup, amps) if amps else []
    if part.kind == "cell" and diagnosis is not None and part.number is not None:
        out += _of_cell(part.number, diagnosis)
    if part.kind == "bar" and diagnosis is not None and part.number is not None:
        out += _of_bar(part.number, diagnosis)
    if part.kind == "bus":
        out += _of_bus(setup)
    if part.kind == "fuse" and part.pack is not None:
        short_ka = at_terminals_a(pack_setups(setup)[part.pack]) / 1e3
        out.append(f"A short at this pack's terminals drives about {short_ka:.1f} kA.")
    return out


JOINED_WORDS = {
    "busbar": "Each pack goes by leads of its own to a common bar.",
    "same_end": "In a row from pack to pack, both main leads at the first.",
    "diagonal": "In a row from pack to pack, plus at the first and minus at the last.",
}


def _of_bus(setup: Setup) -> list[str]:
    if setup.packs_in_parallel < 2:
        return ["One pack."]
    joined = setup.wiring.joined if setup.wiring else "busbar"
    each = ", ".join(
        f"{name} {100 * share:.0f} %"
        for name, (share, _) in zip(pack_names(setup), shares(pack_setups(setup)), strict=True)
    )
    return [JOINED_WORDS[joined], f"They share {each}."]


def _of_current(part: BuiltPart, setup: Setup, amps: float) -> list[str]:
    found = {d.part: d for d in drops(setup, amps, chain(setup, "discharge"))}
    if part.pack is not None:
        own_a = shared(pack_setups(setup), amps).packs_a[part.pack]
        share = f"{own_a:.0f} of {amps:.0f} A flow here"
        if part.kind in ("cell", "bar"):
            return [f"{share}."]
        drop = found.get(IN_CHAIN.get(part.kind, ""))
        return [f"{share}{_dropped(drop, own_a)}."]
    drop = found.get(IN_CHAIN.get(part.kind, ""))
    if drop is None:
        return []
    return [f"{amps:.0f} A flow here{_dropped(drop, amps)}."]


def _dropped(drop: Drop | None, amps: float) -> str:
    if drop is None:
        return ""
    return f": {1e3 * amps * drop.ohm:.0f} mV, {amps**2 * drop.ohm:.1f} W"


def _of_cell(cell: int, diagnosis: "Diagnosis") -> list[str]:
    known = diagnosis.estimate
    excess = 1e3 * known.to_25_c * known.resistances.excess_ohm
    herd = 1e3 * known.to_25_c * known.resistances.herd_ohm
    out: list[str] = []
    if np.isfinite(herd) and np.isfinite(excess[cell - 1]):
        out.append(
            f"By the log {herd + excess[cell - 1]:.2f} mΩ with its joints, the herd {herd:.2f} mΩ."
        )
    offset = float(known.drift.last_ah[cell - 1])
    if np.isfinite(offset):
        out.append(f"By the log {offset:+.2f} Ah against the median.".replace("-", "−"))
    out += [c.summary for c in diagnosis.findings if cell in c.cells and c.confidence > SURE]
    return out


def _of_bar(number: int, diagnosis: "Diagnosis") -> list[str]:
    """A bar's resistance stands in the readings of the cells on both its sides."""
    excess = 1e3 * diagnosis.estimate.resistances.excess_ohm
    sides = [(c, float(excess[c - 1])) for c in (number, number + 1) if c <= excess.size]
    known = [(c, x) for c, x in sides if np.isfinite(x)]
    if not known:
        return []
    cell, most = max(known, key=lambda pair: pair[1])
    if abs(most) < 0.02:
        return ["By the log it shows no more resistance than the herd's."]
    words = f"The reading of cell {cell} shows {most:+.2f} mΩ against the herd".replace("-", "−")
    at = "; a joint would be on either side of it." if most > 0.05 else "."
    return [words + at]


def noted_words(place: str, notes: BuildNotes, when: Mapping[str, datetime]) -> list[str]:
    """What the user noted of a part: its identity, its torque with the date."""
    out: list[str] = []
    torque = notes.torques.get(place)
    if torque is not None and place in when:
        at = when[place]
        out.append(f"Tightened with {torque.nm:g} Nm on {at.day} {at:%B %Y}.")
    return out


def sensors_at(notes: BuildNotes, packs: int) -> dict[str, Sequence[int]]:
    """The temperature sensors by the cell they sit at."""
    out: dict[str, list[int]] = {}
    for pack in range(packs):
        for sensor, cell in sorted(notes.pack(pack).sensors.items()):
            out.setdefault(f"pack{pack}.cell{cell}", []).append(sensor)
    return dict(out)
