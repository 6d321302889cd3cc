"""A charge drawn over a day: the kernel runs three like days on a copy of this bank, and the last
one is shown.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from nipper.core.forecast.plan import Known, Plan
from nipper.core.forecast.twin import scenario
from nipper.core.setup import Setup
from nipper.core.simulate.layout import LIMITERS

if TYPE_CHECKING:
    from nipper.core.simulate.trial import BmsEvent

Floats = NDArray[np.floating]
DAYS = 3  # so that the bank is as full in the morning as such days leave it
SEASONS = {"midsummer": "2026-06-20", "March": "2026-03-20", "midwinter": "2025-12-20"}
STAGES = {
    "absorption": "absorption",
    "float": "float",
    "sun": "bulk",
    "charger": "bulk",
    "inverter": "bulk",
    "the BMS's request": "bulk",
    "BMS": "BMS stops it",
    "cold": "too cold",
}
SHORTEST_H = 0.08


@dataclass(frozen=True, slots=True)
class Stage:
    """A stretch of the day in one stage of the charge, hours."""

    name: str
    start_h: float
    end_h: float


@dataclass(frozen=True, eq=False, slots=True)
class Day:
    """The last of the like days. Arrays are float64[rows]."""

    season: str
    weather: str
    hour: Floats
    current_a: Floats  # into the bank
    could_a: Floats  # what the sun could have given
    cell_v: Floats  # mean of the shown pack
    highest_v: Floats
    soc_pct: Floats
    temp_c: float  # coldest of the day, at the sensors
    stages: tuple[Stage, ...]
    full_h: float | None  # when absorption was done
    absorption_h: float | None  # when it began
    trips: tuple["BmsEvent", ...]
    not_taken_kwh: float


def charge_day(
    setup: Setup,
    known: Mapping[int, Known],
    pack: int = 1,
    season: str = "midsummer",
    weather: str = "clear",
    air_c: float = 16.0,
) -> Day:
    """Run such a day.

    Parameters
    ----------
    known : what is measured, by pack number from 1
    pack : whose cells are shown
    season : one of SEASONS
    """
    from nipper.core.simulate.trial import run  # loads the compiler: only when something is run

    planned = scenario(
        setup,
        known,
        Plan(
            days=DAYS,
            weather=weather,
            start=f"{SEASONS[season]}T00:00:00+00:00",
            air_c=air_c,
            start_soc_pct=70.0,
        ),
    )
    trial = run(setup, planned)
    log = trial.logs[min(pack, len(trial.logs)) - 1]
    since_h = (log.time_s - trial.start_s) / 3600.0
    last = since_h >= 24.0 * (DAYS - 1)
    hour = since_h[last] - 24.0 * (DAYS - 1)
    limiter = trial.limiter[last]
    stages = _stages(hour, limiter)
    temps = log.temp_c[last]
    return Day(
        season=season,
        weather=weather,
        hour=hour,
        current_a=np.sum([one.current_a for one in trial.logs], axis=0)[last],
        could_a=trial.bus_a[last, 0].astype(float),
        cell_v=log.mean_cell_v[last].astype(float),
        highest_v=log.cell_v[last].max(axis=1).astype(float),
        soc_pct=trial.true_pct[last].mean(axis=(1, 2)).astype(float),
        temp_c=float(temps.min()) if temps.size else planned.ambient_c,
        stages=stages,
        full_h=next((s.start_h for s in stages if s.name == "float"), None),
        absorption_h=next((s.start_h for s in stages if s.name == "absorption"), None),
        trips=tuple(t for t in trial.trips if t.time_s - trial.start_s >= 24 * 3600.0 * (DAYS - 1)),
        not_taken_kwh=trial.not_taken_wh / DAYS / 1e3,
    )


def _stages(hour: Floats, limiter: NDArray[np.int8]) -> tuple[Stage, ...]:
    """Runs of the same stage, in order; what lasted less than five minutes is left out, and like
    neighbours are one.
    """
    names = [STAGES.get(LIMITERS[int(k)], "") for k in limiter]
    out: list[Stage] = []
    step = float(hour[1] - hour[0]) if hour.size > 1 else 0.0
    starts = [i for i in range(len(names)) if i == 0 or names[i] != names[i - 1]]
    for i, start in enumerate(starts):
        end = float(hour[starts[i + 1]]) if i + 1 < len(starts) else float(hour[-1]) + step
        if not names[start] or end - float(hour[start]) < SHORTEST_H:
            continue
        if out and out[-1].name == names[start]:
            out[-1] = Stage(out[-1].name, out[-1].start_h, end)
        else:
            out.append(Stage(names[start], float(hour[start]), end))
    return tuple(out)
