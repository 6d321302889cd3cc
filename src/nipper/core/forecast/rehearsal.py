"""One rehearsal: the settings on a copy of this bank, another set of settings under the same sky,
and the cure that was tried.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from nipper.core.chemistry import chemistry
from nipper.core.errors import InputError
from nipper.core.forecast.outcome import Outcome, Span, lanes, outcome
from nipper.core.forecast.plan import Known, Plan
from nipper.core.forecast.twin import scenario
from nipper.core.setup import Setup, put
from nipper.core.simulate.layout import LIMITERS
from nipper.core.simulate.scenario import Scenario

if TYPE_CHECKING:
    from nipper.core.simulate.trial import Trial

LONGEST_TO_TRY_DAYS = 4.0  # cures of longer runs are tried on their first days only
ABOVE_KNEE_V = 0.04  # a target nearer to the knee than this does not fill a pack


@dataclass(frozen=True, eq=False, slots=True)
class Run:
    """A run and what it came to."""

    name: str
    trial: "Trial"
    outcome: Outcome


@dataclass(frozen=True, slots=True)
class Cure:
    """A change after which the same days went without the trip: it was run."""

    changes: Mapping[str, object]
    text: str
    trips_left: int


@dataclass(frozen=True, eq=False, slots=True)
class Rehearsal:
    """What Rehearse shows."""

    setup: Setup
    plan: Plan
    measured: bool  # whether the copy carries this pack's own differences
    main: Run
    other: Run | None
    cure: Cure | None


def rehearse(
    setup: Setup,
    known: Mapping[int, Known],
    plan: Plan,
    other: tuple[str, Setup] | None = None,
    tick: Callable[[float], None] = lambda _share: None,
) -> Rehearsal:
    """Run the settings, and others beside them.

    Parameters
    ----------
    known : what is measured, by pack number from 1
    other : a name and the settings to put beside, under the same sky
    tick : called with the fraction done; what it raises ends the work
    """
    parts = 2.0 if other else 1.0
    planned = scenario(setup, known, plan)
    main = _run("these settings", setup, planned, lambda s: tick(s / parts))
    beside = None
    if other is not None:
        beside = _run(other[0], other[1], planned, lambda s: tick((1.0 + s) / parts))
    return Rehearsal(setup, plan, bool(known), main, beside, _cure(setup, known, plan, main))


def _run(name: str, setup: Setup, planned: Scenario, tick: Callable[[float], None]) -> Run:
    from nipper.core.simulate.trial import run  # loads the compiler: only when something is run

    trial = run(setup, planned, tick)
    return Run(name, trial, outcome(trial))


def _cure(setup: Setup, known: Mapping[int, Known], plan: Plan, main: Run) -> Cure | None:
    """For a trip at the top: the highest charge target that goes without, tried on the copy."""
    from nipper.core.simulate.trial import run

    first = main.outcome.first
    if (
        first is None
        or first.protection not in ("cell_over_voltage", "pack_over_voltage")
        or setup.charging is None
    ):
        return None
    chem = chemistry(setup.chemistry)
    days = min(
        plan.days,
        LONGEST_TO_TRY_DAYS,
        max(1.0, np.ceil((first.time_s - main.trial.start_s) / 86400.0)),
    )
    shorter = scenario(setup, known, replace(plan, days=days))
    lowest = chem.knee_v + ABOVE_KNEE_V
    target = setup.charging.absorption_v / setup.cells - 0.03
    while target >= lowest:
        changes: dict[str, object] = {"charging.absorption_v": round(target * setup.cells, 1)}
        if setup.charging.float_v and setup.charging.float_v > target * setup.cells:
            changes["charging.float_v"] = round((target - 0.05) * setup.cells, 1)
        try:
            trips = sum(
                t.protection == first.protection for t in run(put(setup, changes), shorter).trips
            )
        except InputError:
            return None
        if not trips:
            return Cure(changes, f"Charge to {changes['charging.absorption_v']:g} V", trips)
        target -= 0.03
    return None


def closer(rehearsal: Rehearsal, time_s: float, half_s: float = 300.0) -> "Trial":
    """The minutes around a moment again, second by second."""
    from nipper.core.simulate.trial import zoom

    return zoom(rehearsal.main.trial, time_s - half_s, time_s + half_s)


def lanes_of(trial: "Trial", pack: int) -> list[Span]:
    """The lanes of one pack; of a long run, one span a day."""
    spans = lanes(trial, pack)
    if trial.scenario.days <= 40.0:
        return spans
    return _by_day(trial) + [s for s in spans if s.lane != "limit"]


def _by_day(trial: "Trial") -> list[Span]:
    """Days on which the bank was full, and days on which the sun was the limit; neighbours in one
    span.
    """
    day = ((trial.logs[0].time_s - trial.start_s) // 86400.0).astype(int)
    full = np.isin(trial.limiter, [LIMITERS.index("absorption"), LIMITERS.index("float")])
    of_day = np.bincount(day, weights=full) > 0
    starts = np.flatnonzero(np.r_[True, of_day[1:] != of_day[:-1]])
    ends = np.r_[starts[1:], of_day.size]
    return [
        Span(
            "limit",
            "absorption" if of_day[a] else "sun",
            trial.start_s + a * 86400.0,
            trial.start_s + b * 86400.0,
            "full" if of_day[a] else "not full",
        )
        for a, b in zip(starts.tolist(), ends.tolist(), strict=True)
    ]
