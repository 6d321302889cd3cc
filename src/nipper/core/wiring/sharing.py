"""How packs in parallel share a current: for minutes by their resistances, over hours by their
capacities, since in the end their voltages keep together.
"""

from collections.abc import Sequence

from nipper.core.chemistry.cell import cell_resistance_ohm
from nipper.core.setup import Setup
from nipper.core.wiring.lead import pack_lead

JOINTS_OHM = 2e-3  # joints, fuse and switch of one pack: common practice


def lead_ohm(setup: Setup) -> float:
    """Resistance of one pack's two leads with their joints, ohm."""
    wiring, lead = setup.wiring, pack_lead(setup.wiring)
    if wiring is None or lead is None or not wiring.cable_length_m:
        return JOINTS_OHM
    return JOINTS_OHM + lead.loop_ohm(wiring.cable_length_m)


def path_ohm(setup: Setup) -> float:
    """Resistance of one pack with its leads, ohm, at 25 degC."""
    return setup.cells * cell_resistance_ohm(setup) + lead_ohm(setup)


def shares(packs: Sequence[Setup]) -> list[tuple[float, float]]:
    """Each pack's share of the bank's current: by resistance, and by capacity."""
    by_ohm = [1.0 / path_ohm(p) for p in packs]
    by_ah = [p.capacity_ah for p in packs]
    return [(ohm / sum(by_ohm), ah / sum(by_ah)) for ohm, ah in zip(by_ohm, by_ah, strict=True)]
