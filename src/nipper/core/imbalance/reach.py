"""What a balancer can do for one cell in the hours it may run."""

from nipper.core.setup import Balancer


def for_one_cell_ah(balancer: Balancer, cells: int, hours: float, loses: bool) -> float:
    """Charge by which one cell can be brought nearer to the others, Ah.

    Parameters
    ----------
    cells : in series
    hours : in which the balancer runs
    loses : whether the cell falls behind the others (else it runs ahead of them)

    Notes
    -----
    A bleed helps a cell that runs ahead at its full current. One that falls behind is only helped
    by bleeding all the others, and only some of them bleed together: so it gains that share of the
    current. An active balancer moves its current into the lowest cell.
    """
    whole = balancer.current_a * hours
    if balancer.kind == "active" or not loses or cells <= 1:
        return whole
    return whole * min(1.0, balancer.bled_at_once / (cells - 1))
