"""Whether the balancer catches up: the spread of charge over the coming weeks, under these settings
and under each school.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from nipper.core.chemistry import chemistry
from nipper.core.errors import InputError
from nipper.core.forecast.outcome import Outcome, apart_ah, outcome
from nipper.core.forecast.plan import Known, Plan
from nipper.core.forecast.schools import School, schools
from nipper.core.forecast.twin import scenario
from nipper.core.imbalance.missing import perhaps_far
from nipper.core.imbalance.reach import for_one_cell_ah
from nipper.core.imbalance.remedies import level
from nipper.core.parallel import side_by_side
from nipper.core.setup import Setup, put

Floats = NDArray[np.floating]
WEEKS = 12
STEP_S = 30.0


@dataclass(frozen=True, eq=False, slots=True)
class Course:
    """One way of doing it and what comes of it."""

    school: School | None  # None: the settings as they are
    week: Floats  # [days]
    apart_ah: Floats  # [days] at the end of each day, worst pack
    moved_ah_per_week: float  # out of the busiest cell
    outcome: Outcome


@dataclass(frozen=True, eq=False, slots=True)
class Levelling:
    """All courses under one sky, the present settings first, and what the log says of the
    balancer.
    """

    courses: tuple[Course, ...]
    told: "FromLog"


@dataclass(frozen=True, slots=True)
class ByHand:
    """One cell to level by hand."""

    cell: int
    ah: float  # + = too full
    sentence: str


def levelling(
    setup: Setup,
    known: Mapping[int, Known],
    pack: int,
    plan: Plan,
    tick: Callable[[float], None] = lambda _share: None,
) -> Levelling:
    """Run every school for some weeks on a copy of this bank.

    Parameters
    ----------
    known : what is measured, by pack number from 1
    pack : whose log tells about the balancer's hours
    tick : called with the fraction done
    """
    plan = replace(plan, days=7.0 * WEEKS)
    ways: list[tuple[School | None, Setup]] = [(None, setup)]
    for school in schools(setup):
        try:
            ways.append((school, put(setup, school.changes)))
        except InputError:
            continue
    courses: list[Course] = []

    def take(course: Course) -> None:
        courses.append(course)
        tick(len(courses) / len(ways))

    side_by_side(lambda way: _course(*way, known, plan), ways, take)
    return Levelling(tuple(courses), from_log(setup, known.get(pack)))


def _course(school: School | None, setup: Setup, known: Mapping[int, Known], plan: Plan) -> Course:
    from nipper.core.simulate.trial import run  # loads the compiler: only when something is run

    planned = scenario(setup, known, plan).model_copy(
        update={"step_s": STEP_S, "log_every_s": 1800.0}
    )
    trial = run(setup, planned)
    days = int(planned.days)
    last_rows = np.minimum((np.arange(1, days + 1) * 48) - 1, trial.logs[0].rows - 1)
    apart = apart_ah(trial).max(axis=1)
    return Course(
        school=school,
        week=np.r_[0.0, np.arange(1, days + 1) / 7.0],
        apart_ah=np.r_[apart[0], apart[last_rows]],
        moved_ah_per_week=float(np.abs(trial.moved_ah).max()) / (planned.days / 7.0),
        outcome=outcome(trial),
    )


@dataclass(frozen=True, slots=True)
class FromLog:
    """What the log says of need and chance, a week, and how far fullest and emptiest cell stand
    apart; None where it does not say. ``open_cell`` may be off by more than is seen.
    """

    need_cell: int | None = None
    need_ah: float | None = None
    above_h: float | None = None
    allowed_h: float | None = None
    can_ah: float | None = None
    apart_ah: float | None = None
    open_cell: int | None = None


def from_log(setup: Setup, known: Known | None) -> FromLog:
    """The fastest drift, and the hours above the start voltage and in the permitted phase."""
    if known is None:
        return FromLog()
    drift, use = known.estimate.drift, known.estimate.balancer
    with np.errstate(invalid="ignore"):
        real = np.flatnonzero(np.abs(drift.ah_per_day) > 3.0 * drift.sd_ah_per_day)
    worst = int(real[np.argmax(np.abs(drift.ah_per_day[real]))]) if real.size else None
    need = None if worst is None else 7.0 * abs(float(drift.ah_per_day[worst]))
    cell = None if worst is None else worst + 1
    if setup.leveller is None or use.days < 3.0:
        return FromLog(cell, need)
    stand_ah = drift.last_ah[np.isfinite(drift.last_ah)]
    weeks = use.days / 7.0
    loses = worst is None or float(drift.ah_per_day[worst]) < 0.0
    open_cells = perhaps_far(known.estimate, setup)
    return FromLog(
        need_cell=cell,
        need_ah=need,
        above_h=use.above_start_h / weeks,
        allowed_h=use.allowed_h / weeks,
        can_ah=for_one_cell_ah(setup.leveller, setup.cells, use.allowed_h / weeks, loses),
        apart_ah=float(np.ptp(stand_ah)) if stand_ah.size else None,
        open_cell=open_cells[0] + 1 if open_cells else None,
    )


def by_hand(setup: Setup, known: Known | None, least_pct: float = 0.15) -> list[ByHand]:
    """Which cells to bleed or feed, and how much, from the last full charges; only what is beyond
    doubt, the largest first. A cell that is full first and empty first gains the pack nothing by
    it.
    """
    if known is None:
        return []
    offset, sd = known.estimate.drift.last_ah, known.estimate.drift.last_sd_ah
    least, most = known.estimate.drift.last_range_ah
    with np.errstate(invalid="ignore"):
        first_at_both = (offset > 0.0) & (offset + known.estimate.capacities.deficit_ah < 0.0)
    worth_ah = least_pct / 100.0 * setup.capacity_ah
    out: list[ByHand] = []
    for i in np.argsort(-np.abs(np.nan_to_num(offset))):
        ah = float(offset[i])
        sure_ah = max(0.0, float(least[i])) if ah > 0 else min(0.0, float(most[i]))
        # on the flat one is surely off, and nobody knows how far
        plain = abs(ah) > 2.0 * float(sd[i]) or abs(sure_ah) > worth_ah
        if first_at_both[i] or not np.isfinite(ah) or abs(ah) < worth_ah or not plain:
            continue
        cell = int(i) + 1
        sentence = level(cell, ah, sure_ah, setup, known.estimate.end).sentence
        out.append(ByHand(cell, ah, sentence))
    return out


def slope_along(setup: Setup) -> tuple[Floats, Floats]:
    """mV per % of charge against cell voltage, over what a cell sees in use."""
    chem = chemistry(setup.chemistry)
    volts = np.linspace(float(chem.curve.ocv(15.0)), chem.max_v, 400)
    return volts, chem.curve.slope_at_voltage(volts)
