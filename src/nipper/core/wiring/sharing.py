"""How packs in parallel share a current: for minutes by the resistances of their ways, over hours
by their capacities, since in the end their voltages keep together.
"""

from collections.abc import Sequence

from nipper.core.chemistry.cell import cell_resistance_ohm
from nipper.core.setup import Setup
from nipper.core.wiring.lead import COPPER_OHM_MM2_M, pack_lead
from nipper.core.wiring.network import Flow, Row, bar, flow

JOINTS_OHM = 2e-3  # joints, fuse and switch of one pack: common practice
LUGS_OHM = 2 * 0.03e-3  # both ends of a lead: 0.02 to 0.05 mohm each, common practice
USUAL_BETWEEN_M = 0.5  # from pack to pack where it is not entered: common practice


def lead_ohm(setup: Setup) -> float:
    """Resistance of one pack's two leads with their joints, ohm."""
    wiring, lead = setup.wiring, pack_lead(setup.wiring)
    if wiring is None or lead is None or not wiring.cable_length_m:
        return JOINTS_OHM
    return JOINTS_OHM + lead.loop_ohm(wiring.cable_length_m)


def path_ohm(setup: Setup) -> float:
    """Resistance of one pack with its leads, ohm, at 25 degC."""
    return setup.cells * cell_resistance_ohm(setup) + lead_ohm(setup)


def between_ohm(setup: Setup) -> float:
    """One rail from a pack to its neighbour, ohm: as entered, else a lead like the pack's."""
    wiring = setup.wiring
    length_m = (wiring.between_length_m if wiring else None) or USUAL_BETWEEN_M
    lead = pack_lead(wiring)
    mm2 = (wiring.between_mm2 if wiring else None) or (lead.mm2 * lead.parallel if lead else 50.0)
    return COPPER_OHM_MM2_M * length_m / mm2 + LUGS_OHM


def row(packs: Sequence[Setup]) -> Row:
    """The packs as they are joined; those in a row in their order from the take-off."""
    own = tuple(path_ohm(p) for p in packs)
    wiring = packs[0].wiring
    if wiring is None or wiring.joined == "busbar":
        return bar(own)
    lengths = tuple(between_ohm(p) for p in packs[1:])
    return Row(own, lengths, len(own) - 1 if wiring.joined == "diagonal" else 0)


def shared(packs: Sequence[Setup], load_a: float = 1.0, gone: Sequence[int] = ()) -> Flow:
    """How a current flows through packs of equal rest voltage; those that are off carry none."""
    return flow(row(packs), load_a, gone=gone)


def shares(packs: Sequence[Setup], gone: Sequence[int] = ()) -> list[tuple[float, float]]:
    """Each pack's share of the bank's current: by resistance, and by capacity."""
    by_ohm = shared(packs, gone=gone).packs_a
    by_ah = [0.0 if i in gone else p.capacity_ah for i, p in enumerate(packs)]
    return [(ohm, ah / sum(by_ah)) for ohm, ah in zip(by_ohm, by_ah, strict=True)]


def leads_ohm(packs: Sequence[Setup]) -> list[float]:
    """Each pack's leads, ohm, such that packs on a common bar share as these do.

    Lengths in common drop more for the packs behind them; with equal rest voltages the same drop
    falls over each pack's way, so its resistance is that drop over its current.
    """
    if not any(row(packs).between_ohm):
        return [lead_ohm(p) for p in packs]
    found = shared(packs)
    return [
        -found.terminal_v / amps - p.cells * cell_resistance_ohm(p)
        for p, amps in zip(packs, found.packs_a, strict=True)
    ]
