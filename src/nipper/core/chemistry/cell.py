"""One cell of a setup: by its sheet where that is entered, else as usual for its chemistry."""

from nipper.core.chemistry import chemistry
from nipper.core.setup import Setup


def cell_resistance_ohm(setup: Setup) -> float:
    """Resistance of what reads as one cell (all its cells in parallel) at 25 degC, ohm.

    By the sheet of one cell, divided by how many are in parallel; else the chemistry's usual one
    for that capacity.
    """
    if setup.cell.resistance_mohm:
        return 1e-3 * setup.cell.resistance_mohm / setup.cells_in_parallel
    return 1e-3 * chemistry(setup.chemistry).resistance_mohm_ah / setup.capacity_ah
