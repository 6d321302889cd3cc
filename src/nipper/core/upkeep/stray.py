"""A cell that strays from the others, as a walk: what a screen, a log, a meter and an exchange of
the BMS would show at *this* pack for each cause, read off a run of the simulator with that cause.

The same walk serves to find the cause and to practise finding it; two causes at once, and none,
are among them.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

import numpy as np

from nipper.core.chemistry.cell import cell_resistance_ohm
from nipper.core.logs.charges import find_charges, full
from nipper.core.logs.model import Floats, Log
from nipper.core.logs.moments import ChargeReadings, readings
from nipper.core.setup import Setup
from nipper.core.simulate import trial
from nipper.core.simulate.scenario import CellFault, Event, Loads, Scenario
from nipper.core.upkeep.meter import Beside, Cells, Fault, Probe, Reads, Walk
from nipper.core.upkeep.walks import HOT

TITLE = "A cell strays from the others"
DAYS, DRAIN_H = 6.0, 6.0
CELL = 2  # which one it is in the runs; all others are alike
SIZES = (0.25, 0.4, 0.63, 1.0, 1.6, 2.5)  # of those run here, as they are met
LITTLE, AROUND_SHARE = 0.15, 0.5  # of the charge run here, and how many cells are off by it
SHARE, METER_MV = 0.25, 3.0  # by which a run is off at another size; what a screen rounds away
JOINT_A, JOINT_MOHM = 50.0, 0.15  # a good joint: common practice
LEAK_MAH = 8.0  # a day, below which a month's log tells nothing
LEAK_WEEK_MAH = LEAK_MAH * 30.0 / 7.0  # charge is read as well in either, over fewer days
ENDED = "An exchange of electronics: all off, leads in their order, first the plug test (Build)."

ALL, ONE = Cells.ALL, Cells.ONE
PROBES = (
    Probe("begin", "the odd cell less the median, as absorption begins (screen)", "mV", 5,
          cells=ALL),
    Probe("top", "the odd cell less the median, at the end of a full charge (screen)", "mV", 5,
          cells=ALL),
    Probe("rest", "the odd cell less the median, an hour after the charge (screen)", "mV", 5,
          cells=ALL),
    Probe("load", "by how much more than the median the odd cell drops as a big load comes on",
          "mV", 6, cells=ALL),
    Probe("low", "the odd cell less the median, near empty: a discharge of half a day", "mV", 45,
          cells=ALL),
    Probe("week", "a log of a week: what the odd cell loses against the others a day", "mAh", 8,
          cells=ALL),
    Probe("month", "a log of a month: what the odd cell loses against the others a day", "mAh", 15,
          cells=ALL),
    Probe("meter", "your meter on the odd cell less what the screen shows", "mV", 4, HOT, ONE),
    Probe("joint", f"across the bar of the odd cell, bolt to terminal, at {JOINT_A:g} A", "mV", 6,
          HOT, ONE),
    Probe("swap", "the BMS exchanged with another pack's: the odd cell less the median then", "mV",
          180, ENDED, ALL),
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class _Cause:
    """A cause or two: how common, what is done, and what differs in the cell."""

    id: str
    title: str
    prior: float
    cure: str
    differs: Mapping[str, float] = field(default_factory=dict[str, float])


def _causes(setup: Setup) -> tuple[_Cause, ...]:
    """What is looked for, with sizes as they are met: common practice."""
    own_mohm = 1e3 * cell_resistance_ohm(setup)
    leak = {"leak_mah_per_day": 0.25 * setup.capacity_ah, "offset_pct": -2.0}  # for months
    weak = {"capacity_pct": 92.0}
    resistance = {"resistance_mohm": 1.5 * own_mohm}
    joint = {"joint_mohm": min(max(2.5 * own_mohm, 0.4), 1.5)}
    feed = "Feed it by a supply, or bleed the others (Diagnose tells how many Ah), then watch it."
    leaks = "Level it, and look again in two weeks; a cell that leaks warm or much is replaced."
    bolt = "All off; clean, flatten, retorque to the sheet; read it again at the same current."
    old = "Replace it, or live with what the weakest gives; the others are not to blame."
    plug = "The BMS's own channel or its lead: lead test, then the maker. The cells are well."
    return (
        _Cause("none", "Nothing: the screen rounds, the cells are alike", 0.12, "Leave it alone."),
        _Cause("low", "It holds less charge than the others", 0.2, feed, {"offset_pct": -3.0}),
        _Cause("high", "It holds more charge than the others", 0.12,
               "Bleed it, or let the balancer work longer.", {"offset_pct": 3.0}),
        _Cause("leak", "It loses charge by itself", 0.14, leaks, leak),
        _Cause("weak", "Its capacity is small", 0.1, old, weak),
        _Cause("resistance", "Its own resistance is high", 0.08, old, resistance),
        _Cause("joint", "Its joint is bad", 0.1, bolt, joint),
        _Cause("reading", "It is well: the BMS reads it wrong", 0.08, plug, {"bias_mv": -25.0}),
        _Cause("leak-joint", "Two: it loses charge, and its joint is bad", 0.03,
               f"{bolt} {leaks}", leak | joint),
        _Cause("weak-low", "Two: small capacity, and less charge", 0.03, f"{feed} {old}",
               weak | {"offset_pct": -3.0}),
    )  # fmt: skip


def stray_walk(setup: Setup, tick: Callable[[float], None] = lambda _share: None) -> Walk | None:
    """The walk of a pack; None where its settings never fill it, so that no charge tells.

    Parameters
    ----------
    setup : of one pack
    tick : called with the fraction done; what it raises ends the runs
    """
    causes = _causes(setup)
    seen: list[dict[str, float]] = []
    for i, cause in enumerate(causes):
        found = _seen(setup, cause)
        if found is None:
            return None
        seen.append(found)
        tick((i + 1) / len(causes))
    faults = tuple(
        Fault(
            c.id,
            c.title,
            c.prior,
            c.cure,
            {p: _reads(p, v) for p, v in values.items()},
            _sizes(c),
        )
        for c, values in zip(causes, seen, strict=True)
    )
    alone = setup.packs_in_parallel < 2
    probes = tuple(p for p in PROBES if not (alone and p.id == "swap"))
    return Walk("stray", TITLE, probes, faults, faults[0].reads, _besides(seen[0], seen[1:3]))


def _besides(plain: Mapping[str, float], sides: list[dict[str, float]]) -> tuple[Beside, ...]:
    """No cell holds just the charge of the others: a little more or less of it is no fault."""
    out = [Beside(1.0 - AROUND_SHARE, {})]
    for side in sides:
        shifts = {probe: LITTLE * (side[probe] - plain[probe]) for probe in plain}
        out.append(Beside(AROUND_SHARE / len(sides), shifts))
    return tuple(out)


def _sizes(cause: _Cause) -> tuple[float, ...]:
    """In which sizes a cause is met; a channel may read too much as well as too little."""
    if not cause.differs:
        return (1.0,)
    return (*SIZES, *(-size for size in SIZES)) if cause.id == "reading" else SIZES


def _reads(probe: str, value: float) -> Reads:
    floor = {"week": LEAK_WEEK_MAH, "month": LEAK_MAH, "joint": 4.0}.get(probe, METER_MV)
    return Reads(value, SHARE * abs(value) + floor)


def _seen(setup: Setup, cause: _Cause) -> dict[str, float] | None:
    """What every probe shows with that cause; None without a full charge."""
    log = _run(setup, cause)
    charges = full(find_charges(log, setup))
    if not charges:
        return None
    told = readings(log, setup, charges[-1])
    bias = cause.differs.get("bias_mv", 0.0)
    joint_mohm = JOINT_MOHM + cause.differs.get("joint_mohm", 0.0)
    top = _stray_mv(told.end.cell_v)
    return {
        "begin": _stray_mv((told.begin or told.end).cell_v),
        "top": top,
        "rest": _rest_mv(log, told),
        "load": _load_mv(log),
        "low": _stray_mv(log.cell_v[int(np.nanargmin(log.pack_v))]),
        "week": cause.differs.get("leak_mah_per_day", 0.0),
        "month": cause.differs.get("leak_mah_per_day", 0.0),
        "meter": -bias,
        "joint": joint_mohm * JOINT_A,
        "swap": top - bias,
    }


def _run(setup: Setup, cause: _Cause) -> Log:
    """Days of clear weather, then a drain from the last full charge to near empty."""
    drain_w = 0.9 * setup.capacity_ah * setup.cells * 3.3 / DRAIN_H
    plan = Scenario(
        days=DAYS,
        weather="clear",
        step_s=30.0,
        log_every_s=60.0,
        sensors=1,
        start_soc_pct=70.0,
        loads=Loads(base_w=0.02 * drain_w, fridge_w=0.0, evening_w=0.05 * drain_w, kettle_w=0.0),
        spread_offset_pct=0.0,
        spread_capacity_pct=0.0,
        spread_resistance_pct=0.0,
        spread_leak_mah_per_day=0.0,
        cells=[CellFault.model_validate({"cell": CELL, **cause.differs})],
        events=[Event(day=DAYS - 0.2, minutes=60.0 * DRAIN_H, extra_load_w=drain_w)],
    )
    return trial.run(setup, plan).logs[0]


def _stray_mv(cell_v: Floats) -> float:
    return 1e3 * float(cell_v[CELL - 1] - np.nanmedian(cell_v))


def _rest_mv(log: Log, told: ChargeReadings) -> float:
    """An hour after the end; where no rest was found, that row as it is."""
    if told.rest is not None:
        return _stray_mv(told.rest.cell_v)
    later = min(log.rows - 1, int(np.searchsorted(log.time_s, told.end.time_s + 3600.0)))
    return _stray_mv(log.cell_v[later])


def _load_mv(log: Log) -> float:
    """The step of the stray against the others as the drain begins."""
    begins = int(np.searchsorted(log.time_s, float(log.time_s[0]) + (DAYS - 0.2) * 86400.0))
    before, after = max(0, begins - 2), min(log.rows - 1, begins + 3)
    return _stray_mv(log.cell_v[before]) - _stray_mv(log.cell_v[after])
