"""Cells that were charged in the cold, and cells that are hot."""

from collections.abc import Iterator

import numpy as np

from nipper.core.imbalance.danger.model import (
    HOUR_S,
    MOST_STEP_S,
    Danger,
    jumped,
    reaching,
    spell,
)
from nipper.core.logs.model import Log
from nipper.core.setup import Setup
from nipper.core.sources.rates import coldest_charge_c

COLD_S, HOT_S = 300.0, 60.0  # in all: what is shorter harms little, or is a slip
JUMP_K = 15.0  # away and back in one row: no cell does that
SENSOR_K = 0.5  # of a meter of whole degrees
LEAST_RATE, LEAST_A = 0.005, 1.0  # below, a current is the meter's noise
UNPLUGGED_C = -35.0  # what a sensor that is not plugged in reads, or less
HOT_C, HOTTEST_TRIP_C = 60.0, 70.0  # the most that sheets allow, and what settings may (memory)
RUNS_AWAY_C = 80.0  # from there a cell may heat itself (from memory of safety data)
PLACE = (
    "If that sensor does not lie on the cells, put one there: nothing else tells how warm they are."
)


def charged_cold(log: Log, setup: Setup) -> Iterator[Danger]:
    """Charging below where the cell's table of rates allows none."""
    bound_c = coldest_charge_c(setup)
    cold = reaching(log.temp_c, -1, bound_c - SENSOR_K)
    if not cold:
        return
    with np.errstate(invalid="ignore"):
        temps = np.where(log.temp_c[:, cold] > UNPLUGGED_C, log.temp_c[:, cold], np.nan)
    coldest = np.fmin.reduce(temps, axis=1)
    amps = np.nan_to_num(log.current_a)
    charging = amps > max(LEAST_A, LEAST_RATE * setup.capacity_ah)
    with np.errstate(invalid="ignore"):
        rows = np.flatnonzero(charging & (coldest < bound_c - SENSOR_K))
    seen = spell(log, rows, COLD_S)
    if not seen:
        return
    steps_s = np.minimum(np.diff(log.time_s, append=log.time_s[-1])[rows], MOST_STEP_S)
    went_ah = float((amps[rows] * steps_s).sum()) / HOUR_S
    worst_c, most_a = float(coldest[rows].min()), float(amps[rows].max())
    went = (
        f"Charged at {worst_c:.0f} °C: {went_ah:.0f} Ah went in below {bound_c:g} °C."
        if seen.lasted_s
        else f"Charged at {worst_c:.0f} °C, below {bound_c:g} °C."
    )
    cutoff = setup.charge_cutoff
    kept = (
        f"The cutoff of {cutoff.trip_c:g} °C did not stop it: type it in again and prove it, in "
        "Cold, with the sensor on the coldest cell."
        if cutoff and cutoff.trip_c >= bound_c
        else "Nothing stops it: set a cutoff in Cold, and prove it."
    )
    yield Danger(
        kind="charged_cold",
        cells=(),
        worst=worst_c,
        bound=bound_c,
        unit="°C",
        spell=seen,
        summary=went,
        actions=(
            f"Up to {most_a:.0f} A {seen.words}. Charge no further until the cells are warm: in "
            "the cold, lithium plates out instead of going in. Capacity is lost for good, and such "
            "a cell may short later, warm and in use.",
            kept,
            "Look for lost capacity and for self-discharge in the charges that follow, and take a "
            "cell that begins to lose charge out of use.",
            PLACE,
        ),
        sensor=cold[int(np.nanargmin(temps[rows[coldest[rows].argmin()]]))],
    )


def too_hot(log: Log, setup: Setup) -> Iterator[Danger]:
    """Sensors above what cells' sheets allow."""
    trip = setup.protection.discharge_over_temperature
    bound_c = min(max(HOT_C, trip.trip_c if trip else HOT_C), HOTTEST_TRIP_C)
    for i in reaching(log.temp_c, 1, bound_c + SENSOR_K):
        own = log.temp_c[:, i]
        read = np.flatnonzero(np.isfinite(own))
        rows = read[(own[read] > bound_c + SENSOR_K) & ~jumped(own[read], JUMP_K)]
        seen = spell(log, rows, HOT_S)
        if not seen:
            continue
        worst_c = float(own[rows].max())
        away = (
            f"Above {RUNS_AWAY_C:.0f} °C a cell may heat itself until it burns: stay away, warn "
            "the others and call for help; nobody opens the pack.",
        )
        yield Danger(
            kind="too_hot",
            cells=(),
            worst=worst_c,
            bound=bound_c,
            unit="°C",
            spell=seen,
            summary=f"Sensor {i + 1} read {worst_c:.0f} °C: stop all current.",
            actions=(
                f"Above {bound_c:g} °C {seen.words}. Neither charge nor draw from the pack until "
                "it is known where the heat comes from.",
                *(away if worst_c >= RUNS_AWAY_C else ()),
                "A joint is hot under current and cools at rest: it is remade, not only tightened. "
                "A cell that stays warmer than the others at rest shorts inside: out of use.",
                PLACE,
            ),
            sensor=i,
        )
        return  # one sensor is enough to stop
