"""Along the way of the current: what flows through each part, what drops over it and heats it."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from nipper.core.chemistry.cell import cell_resistance_ohm
from nipper.core.setup import Setup, pack_setups
from nipper.core.wiring.chain import BETWEEN, Chain
from nipper.core.wiring.lead import carries_a, main_lead, pack_lead
from nipper.core.wiring.sharing import JOINTS_OHM, LUGS_OHM, between_ohm, shared
from nipper.core.wiring.short import USUAL_LENGTH_M

FUSE_DROP_V = 0.075  # over a fuse at its rating: 0.3 mohm of a 250 A one, common practice
SWITCH_OHM = 0.25e-3  # of a battery switch or contactor: 0.15 to 0.4 mohm, common practice
BARS_OHM = 0.05e-3  # bar and both terminals between two cells: 0.01 to 0.05 each, common practice


@dataclass(frozen=True, slots=True)
class Drop:
    """A part at a current: its resistance, ohm at 20 degC, the drop, mV, and the heat, W, of one of
    them. ``carries_a`` is None where nothing is known of it.
    """

    part: str
    of: str  # pack or bank
    amps: float
    ohm: float
    carries_a: float | None = None

    @property
    def mv(self) -> float:
        """What drops over it."""
        return 1e3 * self.amps * self.ohm

    @property
    def heat_w(self) -> float:
        """What heats it."""
        return self.amps**2 * self.ohm

    def to_json(self) -> dict[str, object]:
        """For the headless check."""
        return {
            "part": self.part,
            "of": self.of,
            "current_a": round(self.amps, 2),
            "resistance_mohm": round(1e3 * self.ohm, 4),
            "drop_mv": round(self.mv, 1),
            "heat_w": round(self.heat_w, 2),
            "carries_a": self.carries_a,
        }


def drops(setup: Setup, load_a: float, found: Chain) -> list[Drop]:
    """All parts at a current of the whole bank, A, those of a pack at the busiest pack's share.

    ``found`` is the chain of that side, which knows what each part carries.
    """
    packs = pack_setups(setup)
    flows = shared(packs, load_a)
    busiest = max(range(len(packs)), key=lambda i: abs(flows.packs_a[i]))
    most_a = abs(flows.packs_a[busiest])
    carries = {part.part: part.limit_a for part in found.parts}
    out = [
        Drop(name, "pack", most_a, ohm, carries.get(name)) for name, ohm in _of_pack(packs[busiest])
    ]
    out += _rails(packs, flows.plus_a, flows.minus_a)
    out += [
        Drop(name, "bank", abs(load_a), ohm, carries.get(name)) for name, ohm in _of_bank(setup)
    ]
    return out


def sag_v(setup: Setup, load_a: float) -> float:
    """What the bank's voltage at the inverter falls by at a current, V: cells, joints, leads."""
    way = sum(ohm for _, ohm in _of_bank(setup))
    return -shared(pack_setups(setup), load_a).terminal_v + load_a * way


def _of_pack(pack: Setup) -> Iterator[tuple[str, float]]:
    wiring, lead = pack.wiring, pack_lead(pack.wiring)
    bars = (pack.cells - 1) * BARS_OHM
    fuse = fuse_ohm(wiring.fuse_a) if wiring and wiring.fuse_a else 0.0
    yield "cells", pack.cells * cell_resistance_ohm(pack)
    yield "bars", bars
    yield "bms", max(0.2e-3, JOINTS_OHM - bars - fuse)
    if wiring and lead:
        yield "pack lead", lead.loop_ohm(wiring.cable_length_m or USUAL_LENGTH_M)
    if fuse:
        yield "pack fuse", fuse


def _rails(packs: Sequence[Setup], plus_a: Sequence[float], minus_a: Sequence[float]) -> list[Drop]:
    amps = max((abs(a) for a in (*plus_a, *minus_a)), default=0.0)
    if not amps:
        return []
    wiring = packs[0].wiring
    carries = carries_a(wiring.between_mm2) if wiring and wiring.between_mm2 else None
    return [Drop(BETWEEN, "pack", amps, between_ohm(packs[1]), carries)]


def _of_bank(setup: Setup) -> Iterator[tuple[str, float]]:
    wiring, lead = setup.wiring, main_lead(setup.wiring)
    if wiring is None:
        return
    if wiring.switch_a:
        yield "battery switch", SWITCH_OHM
    if wiring.main_fuse_a:
        yield "main fuse", fuse_ohm(wiring.main_fuse_a)
    if lead:
        yield "main lead", lead.loop_ohm(wiring.main_cable_length_m or USUAL_LENGTH_M) + LUGS_OHM


def fuse_ohm(rated_a: float) -> float:
    """Resistance of a cold fuse, ohm."""
    return FUSE_DROP_V / rated_a
