"""What the logs say, in the form the rules use it."""

from datetime import UTC, datetime

import numpy as np

from nipper.core.imbalance.estimate import Estimate
from nipper.core.logs.guess import other_chemistry
from nipper.core.logs.model import Log
from nipper.core.logs.moments import read_at
from nipper.core.rules.base import Evidence
from nipper.core.setup import Setup

SIGNIFICANT = 3.0  # standard deviations before a drift counts as one


def measured(log: Log, setup: Setup, known: Estimate) -> Evidence:
    """Evidence from a log and its estimates; the last full charge speaks for the deviation."""
    days = max(log.days, 1e-6)
    use = known.balancer
    enough = log.days >= 3.0  # hours a day of a shorter log say nothing about a usual day
    top = known.full[-1] if known.full else None
    read = read_at(log, setup, top.top) if top else None
    worst = _worst(known)
    return Evidence(
        above_mean_mv=1e3 * float(np.nanmax(read.cell_v) - read.mean_v) if read else None,
        at_mean_v=read.mean_v if read else None,
        highest_cell=read.highest if read else None,
        when=_day(read.time_s, read.current_a) if read else "",
        worst_drift_mah_per_day=None
        if worst is None
        else float(1e3 * known.drift.ah_per_day[worst]),
        worst_cell=None if worst is None else worst + 1,
        chemistry=other_chemistry(log, setup.chemistry, setup.capacity_ah),
        allowed_h_per_day=use.allowed_h / days if setup.leveller and enough else None,
    )


def _worst(known: Estimate) -> int | None:
    drift, sd = known.drift.ah_per_day, known.drift.sd_ah_per_day
    with np.errstate(invalid="ignore"):
        real = np.flatnonzero(np.abs(drift) > SIGNIFICANT * sd)
    return int(real[np.argmax(np.abs(drift[real]))]) if real.size else None


def _day(time_s: float, current_a: float) -> str:
    moment = datetime.fromtimestamp(time_s, UTC)
    return f"charge of {moment.day} {moment:%b}, {current_a:.1f} A"
