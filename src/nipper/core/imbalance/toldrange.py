"""Between what the size of a finding is told.

By what the estimates leave open the judgement decides, and charge is moved: they are generous,
since too much is worse than too little. What a builder is told claims nine in ten, and is to hold
just that. Where a range goes from one cause to another, or was read elsewhere than at the tops of
the charges (seldom tried), its judge tells it whole.
"""

from nipper.core.setup import Setup

# of the generous half range, for flat curves and others: so that nine in ten hold, on 400 findings
# of seven kinds of simulated packs (tests/bench/ranges.py, numbers 0 to 6 and 2000 to 2004);
# of low_capacity a little more after numbers 3000 to 3003, of drifts after the practice logs
HOLD = {
    "soc_offset": (0.40, 0.67),
    "low_capacity": (0.80, 0.62),
    "self_discharge": (0.85, 0.85),
    "group_drain": (0.85, 0.80),
    "sense_bias": (0.40, 0.25),
}

LOPSIDED = 2.0  # times the other side: that end is open, and no scatter


def told_range(
    cause: str, setup: Setup, value: float, generous: tuple[float, float]
) -> tuple[float, float]:
    """The two ends as they are told, in the unit of the value; a lopsided range as it is."""
    share = HOLD[cause][0 if setup.flat else 1]
    low, high = generous
    sides = sorted((value - low, high - value))
    if sides[1] > LOPSIDED * sides[0]:
        return generous
    return value - share * (value - low), value + share * (high - value)
