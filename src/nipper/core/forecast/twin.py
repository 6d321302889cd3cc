"""A simulated copy of this bank: the cells as measured, the loads and the sun as the log shows
them.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from nipper.core.forecast.plan import Known, Plan
from nipper.core.setup import Setup
from nipper.core.simulate.build import bank_wh
from nipper.core.simulate.scenario import CellFault, Loads, OtherCharger, Scenario
from nipper.core.simulate.sky import Place
from nipper.core.sources.loads import entered_kwh
from nipper.core.sources.solar import as_set

# standard deviations before a measured difference is given to the copy; below that cells stay equal
ROWS_EVERY_S = ((4.0, 60.0), (40.0, 300.0))  # of a rehearsal up to so many days
SURE = 2.0
DAY_HOURS = (9.0, 15.0)
# of peak power, what flat modules give at a clear summer noon by the sky, heat and reflection of
# the simulator
CLEAR_NOON = 0.74
OTHERS_ON = (7.0, 19.0)


@dataclass(frozen=True, slots=True)
class Habits:
    """How the bank is used: what a day's loads take, kWh, and the peak power of the sun, W; None
    where no log tells.
    """

    load_kwh_per_day: float | None = None
    sun_w: float | None = None


def measured_cells(setup: Setup, known: Mapping[int, Known]) -> list[CellFault]:
    """Every cell that measurably differs, by pack number (from 1): charge, capacity, resistance,
    drift, bias.

    Small differences of charge are kept too: they are what a trip at the top hangs on.
    """
    faults: list[CellFault] = []
    for pack, what in sorted(known.items()):
        if pack > setup.packs_in_parallel:
            continue
        estimate = what.estimate
        drift, capacity, told = estimate.drift, estimate.capacities, estimate.signals
        offset = _sure(drift.last_ah, drift.last_sd_ah, 1.0)
        leak = -_sure(drift.ah_per_day, drift.sd_ah_per_day)
        deficit = _sure(capacity.deficit_ah, capacity.sd_ah)
        resistance = (
            np.maximum(_sure(estimate.resistances.excess_ohm, estimate.resistances.sd_ohm), 0.0)
            * estimate.to_25_c
        )
        bias = _sure(told.bias_v, told.bias_sd_v, 4.0)
        faults += [
            CellFault(
                pack=pack,
                cell=i + 1,
                offset_pct=float(np.clip(100.0 * offset[i] / setup.capacity_ah, -60.0, 60.0)),
                capacity_pct=float(
                    np.clip(100.0 + 100.0 * deficit[i] / setup.capacity_ah, 5.0, 200.0)
                ),
                resistance_mohm=float(1e3 * resistance[i]),
                leak_mah_per_day=float(1e3 * leak[i]),
                bias_mv=float(np.clip(1e3 * bias[i], -500.0, 500.0)),
            )
            for i in range(setup.cells)
            if any(abs(v[i]) > 0.0 for v in (offset, leak, deficit, resistance, bias))
        ]
    return faults


def _sure(value: np.ndarray, sd: np.ndarray, sds: float = SURE) -> np.ndarray:
    """The value where it is measured and beyond its doubt, 0 elsewhere."""
    with np.errstate(invalid="ignore"):
        return np.where(np.abs(value) > sds * sd, np.nan_to_num(value), 0.0)


def habits(known: Mapping[int, Known]) -> Habits:
    """Loads and sun from the logs of all packs: what left the bank in a day, and the strongest
    steady charge.

    What the sun gave straight to the loads never passed the BMS; by day as much is taken to be used
    as by night and hour, and at the strongest charge the sun carried what always runs beside it.
    """
    drawn_wh, days, strongest_w = 0.0, 0.0, 0.0
    for what in known.values():
        log = what.log
        if log.days < 2.0 or not np.isfinite(log.current_a).any():
            continue
        watts = np.nan_to_num(log.current_a * log.pack_v)
        hour = (log.time_s / 3600.0) % 24.0
        dark = (hour < DAY_HOURS[0]) | (hour >= DAY_HOURS[1])
        hours = log.steps_s / 3600.0
        dark_hours = float(hours[dark & (watts <= 0)].sum())
        if dark_hours > 0:
            mean_w = float(-(np.minimum(watts, 0.0) * hours)[dark].sum()) / dark_hours
            drawn_wh += mean_w * 24.0
            strongest_w += float(np.quantile(-watts[dark & (watts <= 0)], 0.25))
            days = max(days, log.days)
        strongest_w += float(np.percentile(watts, 99.5))
    if not days:
        return Habits()
    # 92 % inverter: common practice
    return Habits(round(drawn_wh / 1e3 * 0.92, 1), round(strongest_w / CLEAR_NOON, -1))


def loads(kwh_per_day: float) -> Loads:
    """House loads that take so much a day: the usual shape, scaled."""
    shape = Loads(base_w=1.2, fridge_w=0.8, evening_w=3.5, kettle_w=11.0)
    per_day_wh = (
        24 * shape.base_w
        + 24 * 0.35 * shape.fridge_w
        + (5.0 + 0.75) * shape.evening_w
        + 4 * (16 / 24) * (4 / 60) * shape.kettle_w
    )
    scale = 1e3 * kwh_per_day / per_day_wh
    return Loads(
        base_w=scale * shape.base_w,
        fridge_w=scale * shape.fridge_w,
        evening_w=scale * shape.evening_w,
        kettle_w=scale * shape.kettle_w,
    )


def usual_habits(setup: Setup) -> Habits:
    """Without a log: half the bank a day, and a sun that fills it in four hours.

    Common practice.
    """
    wh = bank_wh(setup)
    return Habits(round(0.5 * wh / 1e3, 1), round(wh / 4.0, -1))


def place_of(setup: Setup) -> Place:
    """Where the modules stand; the usual place where it is not said."""
    solar = setup.solar
    if solar is None:
        return Place()
    latitude_deg = Place().latitude_deg if solar.latitude_deg is None else solar.latitude_deg
    return Place(latitude_deg, solar.tilt_deg, solar.facing_deg)


def _modules_w(setup: Setup) -> float | None:
    """Peak power of the PV modules that are entered, as far as the input takes it."""
    arrangement = as_set(setup)
    return round(arrangement.usable_w, -1) if arrangement else None


def _others(setup: Setup) -> list[OtherCharger]:
    """The setup's other chargers, switched on each morning: beside the sun is the worst case for
    the trips.
    """
    return [
        OtherCharger(
            name=c.name,
            max_a=c.max_charge_a,
            absorption_v=c.absorption_v,
            absorption_min=c.absorption_min,
            float_v=c.float_v or 0.0,
            cold_stop_c=c.cold_stop_c,
            from_hour=OTHERS_ON[0] if c.on_from_h is None else c.on_from_h,
            to_hour=OTHERS_ON[1] if c.on_until_h is None else c.on_until_h,
        )
        for c in setup.other_chargers
    ]


def scenario(
    setup: Setup, known: Mapping[int, Known], plan: Plan, extra: Sequence[CellFault] = ()
) -> Scenario:
    """The scenario of a plan on a copy of this bank; rows so far apart that a picture has no more
    than some thousands.
    """
    usual, seen = usual_habits(setup), habits(known)
    faults = measured_cells(setup, known)
    entered = entered_kwh(setup)
    kwh = (
        plan.load_kwh_per_day
        if plan.load_kwh_per_day is not None
        else entered or seen.load_kwh_per_day or usual.load_kwh_per_day or 1.0
    )
    told = any(f.offset_pct or f.leak_mah_per_day for f in faults)
    place = place_of(setup)
    return Scenario(
        days=plan.days,
        start=plan.start,
        seed=plan.seed,
        latitude_deg=place.latitude_deg,
        tilt_deg=place.tilt_deg,
        facing_deg=place.facing_deg,
        weather=plan.weather,  # pyright: ignore[reportArgumentType] - the model checks it
        pv_w=plan.sun_w
        if plan.sun_w is not None
        else _modules_w(setup) or seen.sun_w or usual.sun_w,
        loads=loads(kwh),
        start_soc_pct=plan.start_soc_pct,
        ambient_c=plan.air_c,
        log_every_s=next((s for days, s in ROWS_EVERY_S if plan.days <= days), 1800.0),
        # measured cells carry their own differences; made-up ones on top would blur them
        spread_offset_pct=0.0 if told else 0.15,
        spread_capacity_pct=0.0 if told else 0.5,
        spread_leak_mah_per_day=0.0 if told else 1.5,
        cells=[*faults, *extra],
        chargers=[*_others(setup), *plan.chargers][:4],
        events=list(plan.events),
    )
