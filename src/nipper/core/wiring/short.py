"""What a bank drives into a short: rest voltage over the part of its resistance that acts at once.

Within milliseconds only the ohmic part of a cell limits the current, not the one a ten-second pulse
shows. At the terminals there are no leads either; that is what a fuse has to break.
"""

from nipper.core.chemistry import chemistry
from nipper.core.chemistry.cell import cell_resistance_ohm
from nipper.core.setup import Setup
from nipper.core.wiring.lead import pack_lead

# of the ten-second resistance: large LFP cells show 0.12 to 0.25 mohm at 1 kHz beside 0.18 to 0.5
# mohm on direct current (from memory of data sheets)
OHMIC_SHARE = 0.55
JOINTS_OHM = 1e-3  # bars, lugs, fuse and switch of one pack: common practice
USUAL_LENGTH_M = 1.5  # of a lead whose length is not entered: common practice
FULL_PCT = 98.0  # a full pack drives most


def rest_v(setup: Setup) -> float:
    """Rest voltage of a full pack, V."""
    return setup.cells * float(chemistry(setup.chemistry).curve.ocv(FULL_PCT))


def ohmic_ohm(setup: Setup) -> float:
    """What limits the current of one pack at its terminals within milliseconds, ohm."""
    return setup.cells * OHMIC_SHARE * cell_resistance_ohm(setup) + JOINTS_OHM


def leads_ohm(setup: Setup) -> float:
    """Both leads of one pack at 20 degC, ohm; 0 where their size is not known."""
    wiring, lead = setup.wiring, pack_lead(setup.wiring)
    if wiring is None or lead is None:
        return 0.0
    return lead.loop_ohm(wiring.cable_length_m or USUAL_LENGTH_M)


def at_terminals_a(setup: Setup) -> float:
    """What one pack drives into a short at its own terminals, A."""
    return rest_v(setup) / ohmic_ohm(setup)


def behind_leads_a(setup: Setup) -> float:
    """What one pack drives into a short at the far end of its leads, A."""
    return rest_v(setup) / (ohmic_ohm(setup) + leads_ohm(setup))


def short_circuit_a(setup: Setup) -> float:
    """What the whole bank drives into a short where its leads meet, A."""
    return setup.packs_in_parallel * behind_leads_a(setup)


def through_fuse_a(setup: Setup) -> float:
    """The most a pack's own fuse may have to break, A.

    In a short behind it the pack's own current; in one before it, what all other packs feed back.
    """
    return max(1, setup.packs_in_parallel - 1) * at_terminals_a(setup)
