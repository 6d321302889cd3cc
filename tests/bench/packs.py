"""Made-up packs with known faults, for judging the diagnosis: all causes, chemistries, usages,
lengths and intervals; healthy ones built to fool it.

They come from the project's own kernel, with cells, curves and resistances other than the estimator
assumes. Fixed by their number alone.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

import numpy as np

from nipper.core.logs.model import Log
from nipper.core.presets import new_setup
from nipper.core.setup import Setup, put
from nipper.core.simulate.scenario import CellFault, Event, Loads, OtherCharger, Scenario
from nipper.core.simulate.trial import Trial, run

CAUSES = (
    "soc_offset",
    "low_capacity",
    "high_resistance",
    "loose_joint",
    "self_discharge",
    "group_drain",
    "balancer_starved",
    "plateau_balancing",
    "sense_bias",
    "sense_lead",
    "temperature_gradient",
)
QUIET = Loads(base_w=0.0, fridge_w=0.0, evening_w=0.0, kettle_w=0.0)


@dataclass(frozen=True)
class Truth:
    """What is really the matter: cause "" is healthy; ``cells`` empty: not scored; every size
    between low and high is right.
    """

    cause: str
    cells: tuple[int, ...] = ()
    low: float = float("nan")
    high: float = float("nan")


@dataclass(frozen=True)
class Pack:
    """A case: its log, its setup, and the truth."""

    name: str
    log: Log
    setup: Setup
    truth: Truth


def packs(faulty: int = 28, healthy: int = 110) -> Iterator[Callable[[], Pack]]:
    """Recipes of all cases, each made when called."""
    for cause in CAUSES:
        for n in range(faulty):
            yield lambda cause=cause, n=n: make(cause, n)
    for n in range(healthy):
        yield lambda n=n: make("", n)


def make(cause: str, n: int) -> Pack:
    """Case ``n`` of a cause."""
    rng = np.random.default_rng([n, CAUSES.index(cause) + 1 if cause else 0])
    return RECIPES[cause](f"{cause or 'healthy'} {n}", rng)


# the ground: a pack and how it is used


def pack_setup(
    rng: np.random.Generator, lfp_only: bool = False, cells: tuple[int, ...] = (4, 8, 15, 16, 20)
) -> Setup:
    chemistry = "lfp" if lfp_only or rng.random() < 0.7 else str(rng.choice(["nmc", "lto"]))
    n = int(rng.choice(cells))
    setup = new_setup(
        chemistry,
        n,
        float(rng.choice([50, 100, 150, 200, 280, 304])),
        balancer=str(rng.choice(["passive", "active"])),
    )  # pyright: ignore[reportArgumentType]
    resistance = setup.cell.resistance_mohm or 1.0
    return put(
        setup,
        {
            "charging.tail_a": None if rng.random() < 0.6 else setup.charging.tail_a,
            "charging.absorption_min": float(rng.choice([30, 60, 120])),
            "balancer.current_a": float(rng.choice([0.05, 0.1, 0.15]))
            if setup.balancer.kind == "passive"
            else float(rng.choice([0.5, 1.0])),
            "cell.resistance_mohm": round(resistance * float(rng.uniform(0.7, 1.3)), 4),
        },
    )


def solar(rng: np.random.Generator, days: float, **changes: object) -> Scenario:
    interval = float(rng.choice([30, 60, 60, 180]))
    base = {
        "days": days,
        "step_s": 30.0 if days > 25 else 15.0,
        "log_every_s": interval,
        "seed": int(rng.integers(1 << 30)),
        "weather": str(rng.choice(["clear", "mixed", "mixed"])),
        "start": f"2026-{int(rng.integers(4, 9)):02d}-03T00:00:00+00:00",
        "latitude_deg": float(rng.uniform(30, 52)),
        "start_soc_pct": float(rng.uniform(50, 85)),
        "ambient_c": float(rng.uniform(10, 20)),
        "sensors": int(rng.choice([1, 2, 4])),
        "curve_mv": float(rng.uniform(-4, 4)),
        "spread_offset_pct": float(rng.uniform(0.05, 0.25)),
        "spread_capacity_pct": float(rng.uniform(0.3, 0.9)),
        "spread_resistance_pct": float(rng.uniform(2, 6)),
        "spread_leak_mah_per_day": float(rng.uniform(0.3, 2.0)),
    }
    return Scenario(**{**base, **changes})


def bench(
    rng: np.random.Generator, setup: Setup, depth: float = 0.9, **changes: object
) -> Scenario:
    """Charge, rest, discharge, rest, charge on a bench: a few hours, a row every 10 s."""
    rate = float(rng.choice([0.2, 0.3, 0.4]))
    volts, amps = setup.charging.absorption_v, rate * setup.capacity_ah
    first = 0.25 / rate + 1.2
    out_h = depth / rate
    rest = 0.6
    total = first + rest + out_h + rest + (depth + 0.1) / rate + 1.4
    off = [Event(day=first / 24.0, minutes=60.0 * (2 * rest + out_h), note="charger off")]
    load = Event(
        day=(first + rest) / 24.0, minutes=60.0 * out_h, extra_load_w=amps * 0.92 * volts * 0.95
    )
    base = {
        "days": total / 24.0,
        "step_s": 5.0,
        "log_every_s": 10.0,
        "seed": int(rng.integers(1 << 30)),
        "pv_w": None,
        "loads": QUIET,
        "start_soc_pct": 78.0,
        "ambient_c": float(rng.uniform(15, 24)),
        "season_c": 0.0,
        "day_c": 0.5,
        "sensors": int(rng.choice([1, 2])),
        "curve_mv": float(rng.uniform(-4, 4)),
        "spread_offset_pct": float(rng.uniform(0.05, 0.25)),
        "spread_capacity_pct": float(rng.uniform(0.3, 0.9)),
        "spread_resistance_pct": float(rng.uniform(2, 6)),
        "spread_leak_mah_per_day": 0.5,
        "start": "2026-05-03T00:00:00+00:00",
        "weather": "clear",
        "events": [Event(day=0.0, sun_share=0.0), *off, load],
    }
    # the charger's hours: before and after the discharge
    hours = [(0.0, first), (first + 2 * rest + out_h, 24.0)]
    base["chargers"] = [
        OtherCharger(
            max_a=amps, absorption_v=volts, absorption_min=70.0, from_hour=a, to_hour=min(b, 24.0)
        )
        for a, b in hours
        if a < 24.0
    ]
    if total > 24.0:
        base["chargers"][-1] = base["chargers"][-1].model_copy(update={"to_hour": 24.0})
        base["days"] = min(base["days"], 0.999)
    base["events"] = [Event(day=0.0, sun_share=0.0), load]
    return Scenario(**{**base, **changes})


def finish(name: str, setup: Setup, trial: Trial, truth: Truth) -> Pack:
    return Pack(name, trial.logs[0], setup, truth)


def offsets_end_pct(trial: Trial, setup: Setup) -> np.ndarray:
    """Charge missing to each cell's own full at the last row, against the median, % of the setup's
    capacity.
    """
    gained = trial.true_pct[-1, 0]
    return gained - np.median(gained)


# causes


def soc_offset(name: str, rng: np.random.Generator) -> Pack:
    # a balancer that could level it within the log would make another truth of it
    setup = put(
        pack_setup(rng),
        {"balancer": None}
        if rng.random() < 0.5
        else {"balancer.kind": "passive", "balancer.current_a": 0.05},
    )
    count = int(rng.choice([1, 1, 2]))
    cells = sorted(rng.choice(setup.cells, count, replace=False) + 1)
    size = float(rng.uniform(2.8, 8.0)) * float(rng.choice([-1, 1]))
    sizes = [size * float(rng.uniform(0.85, 1.15)) for _ in cells]
    faults = [CellFault(cell=int(c), offset_pct=s) for c, s in zip(cells, sizes, strict=True)]
    plan = (
        bench(rng, setup, cells=faults)
        if rng.random() < 0.5
        else solar(rng, float(rng.uniform(6, 14)), cells=faults)
    )
    trial = run(setup, plan)
    if (
        np.ptp(trial.moved_ah[0]) > 0.25 * abs(size) / 100.0 * setup.capacity_ah
    ):  # the balancer made another truth of it
        setup = put(setup, {"balancer": None})
        trial = run(setup, plan)
    left = [
        float(100.0 * (trial.moved_ah - trial.leaked_ah)[0, c - 1] / setup.capacity_ah)
        for c in cells
    ]
    others = np.median(100.0 * (trial.moved_ah - trial.leaked_ah)[0] / setup.capacity_ah)
    true = float(np.mean([s + m - others for s, m in zip(sizes, left, strict=True)]))
    room = 0.15 * abs(true) + 0.3
    return finish(
        name,
        setup,
        trial,
        Truth("soc_offset", tuple(int(c) for c in cells), true - room, true + room),
    )


def low_capacity(name: str, rng: np.random.Generator) -> Pack:
    setup = put(pack_setup(rng), {"balancer": None})
    cell, share = int(rng.integers(setup.cells)) + 1, float(rng.uniform(78, 93))
    plan = bench(
        rng, setup, depth=share / 100.0 + 0.02, cells=[CellFault(cell=cell, capacity_pct=share)]
    )
    return finish(
        name, setup, run(setup, plan), Truth("low_capacity", (cell,), share - 2.0, share + 2.0)
    )


def high_resistance(name: str, rng: np.random.Generator) -> Pack:
    setup = pack_setup(rng)
    cell = int(rng.integers(setup.cells)) + 1
    extra = float(rng.uniform(0.45, 1.5)) * (setup.cell.resistance_mohm or 1.0)
    plan = solar(
        rng, float(rng.uniform(7, 20)), cells=[CellFault(cell=cell, resistance_mohm=extra)]
    )
    return finish(
        name, setup, run(setup, plan), Truth("high_resistance", (cell,), 0.85 * extra, 1.3 * extra)
    )


def loose_joint(name: str, rng: np.random.Generator) -> Pack:
    setup = pack_setup(rng)
    cell, extra, days = (
        int(rng.integers(setup.cells)) + 1,
        float(rng.uniform(0.8, 2.5)) * (setup.cell.resistance_mohm or 1.0),
        float(rng.uniform(8, 16)),
    )
    moments = np.sort(rng.uniform(0.3, days, int(rng.integers(50, 110))))
    events = [
        Event(
            day=float(m),
            cells=[
                CellFault(cell=cell, joint_mohm=extra * (i % 2) * float(rng.uniform(0.85, 1.15)))
            ],
        )
        for i, m in enumerate(moments, 1)
    ]
    plan = solar(rng, days, cells=[CellFault(cell=cell)], events=events)
    return finish(
        name, setup, run(setup, plan), Truth("loose_joint", (cell,), 0.6 * extra, 1.4 * extra)
    )


def self_discharge(name: str, rng: np.random.Generator) -> Pack:
    setup = pack_setup(rng)
    days = float(rng.uniform(20, 80))
    count = int(rng.choice([1, 1, 1, 2]))
    spots = rng.choice(np.arange(0, setup.cells, 2), count, replace=False) + 1
    total_pct = float(rng.uniform(1.2, 3.5))
    rate = total_pct / 100.0 * setup.capacity_ah * 1e3 / days
    plan = solar(rng, days, cells=[CellFault(cell=int(c), leak_mah_per_day=rate) for c in spots])
    trial = run(setup, plan)
    against = -rate
    return finish(
        name,
        setup,
        trial,
        Truth(
            "self_discharge",
            tuple(sorted(int(c) for c in spots)),
            1.15 * against - 3.0,
            0.85 * against + 3.0,
        ),
    )


def group_drain(name: str, rng: np.random.Generator) -> Pack:
    setup = pack_setup(rng, cells=(8, 15, 16, 20))
    days = float(rng.uniform(25, 80))
    size = int(rng.integers(3, setup.cells // 2 + 1))
    first = int(rng.integers(0, setup.cells - size + 1)) + 1
    rate = float(rng.uniform(1.2, 3.0)) / 100.0 * setup.capacity_ah * 1e3 / days
    plan = solar(
        rng, days, cells=[CellFault(cell=first, to_cell=first + size - 1, leak_mah_per_day=rate)]
    )
    return finish(
        name,
        setup,
        run(setup, plan),
        Truth(
            "group_drain", tuple(range(first, first + size)), -1.15 * rate - 3.0, -0.85 * rate + 3.0
        ),
    )


def balancer_starved(name: str, rng: np.random.Generator) -> Pack:
    """Ordinary cells that all drift a little, and a balancer that hardly may run."""
    setup = pack_setup(rng, lfp_only=True, cells=(8, 15, 16))
    start = (
        round(setup.charging.absorption_v / setup.cells + float(rng.uniform(0.01, 0.03)), 3)
        if rng.random() < 0.5
        else 3.42
    )
    setup = put(
        setup,
        {
            "balancer.kind": "passive",
            "balancer.current_a": 0.05,
            "balancer.start_v": start,
            "balancer.when": "rest" if start == 3.42 else "charging",
            "charging.absorption_min": 20.0,
        },
    )
    days = float(rng.uniform(60, 110))
    rates = rng.uniform(0.0, 1.0, setup.cells)
    rates = (
        (rates - rates.min())
        / np.ptp(rates)
        * float(rng.uniform(2.0, 3.5))
        / 100.0
        * setup.capacity_ah
        * 1e3
        / days
    )
    plan = solar(
        rng,
        days,
        spread_leak_mah_per_day=0.0,
        cells=[CellFault(cell=i + 1, leak_mah_per_day=float(r)) for i, r in enumerate(rates)],
    )
    trial = run(setup, plan)
    net = (trial.moved_ah - trial.leaked_ah)[0]
    grown = 1e3 * float(np.ptp(net)) / days
    return finish(name, setup, trial, Truth("balancer_starved", (), 0.4 * grown, 1.5 * grown))


def plateau_balancing(name: str, rng: np.random.Generator) -> Pack:
    """Cells of unlike resistance, and a balancer that follows it on the flat: only runs in which
    that pushed them apart count.
    """
    for _ in range(12):
        setup = pack_setup(rng, lfp_only=True, cells=(8, 15, 16))
        active = rng.random() < 0.6
        setup = put(
            setup,
            {
                "balancer.kind": "active" if active else "passive",
                "balancer.current_a": float(rng.uniform(0.8, 2.0))
                if active
                else float(rng.uniform(0.15, 0.3)),
                "balancer.start_v": 3.2,
                "balancer.delta_mv": float(rng.choice([3.0, 4.0, 5.0])),
                "balancer.when": str(rng.choice(["always", "charging"])),
                "charging.absorption_min": 20.0,
            },
        )
        plan = solar(rng, float(rng.uniform(20, 40)), spread_resistance_pct=12.0)
        trial = run(setup, plan)
        if float(np.ptp(trial.moved_ah - trial.leaked_ah)) > 0.02 * setup.capacity_ah:
            break
    return finish(name, setup, trial, Truth("plateau_balancing"))


def sense_bias(name: str, rng: np.random.Generator) -> Pack:
    setup = pack_setup(rng, lfp_only=True)
    cell, bias = (
        int(rng.integers(setup.cells)) + 1,
        float(rng.uniform(9, 25)) * float(rng.choice([-1, 1])),
    )
    plan = solar(rng, float(rng.uniform(6, 15)), cells=[CellFault(cell=cell, bias_mv=bias)])
    return finish(
        name, setup, run(setup, plan), Truth("sense_bias", (cell,), bias - 2.5, bias + 2.5)
    )


def sense_lead(name: str, rng: np.random.Generator) -> Pack:
    setup = pack_setup(rng)
    upper = int(rng.integers(setup.cells - 1)) + 1
    size = float(rng.uniform(15, 60))
    days = float(rng.uniform(5, 12))
    trial = run(setup, solar(rng, days))
    log = trial.logs[0]
    moments = np.sort(rng.uniform(0.0, days, int(rng.integers(40, 120)))) * 86400.0 + trial.start_s
    loose = (np.searchsorted(moments, log.time_s) % 2).astype(bool)
    wobble = np.where(loose, size * 1e-3 * rng.uniform(0.9, 1.1), 0.0)
    cell_v = log.cell_v.astype(float).copy()
    cell_v[:, upper - 1] += wobble
    cell_v[:, upper] -= wobble
    log = replace(log, cell_v=cell_v.round(3).astype(np.float32))
    return Pack(name, log, setup, Truth("sense_lead", (upper, upper + 1), 0.8 * size, 1.25 * size))


def temperature_gradient(name: str, rng: np.random.Generator) -> Pack:
    setup = pack_setup(rng, cells=(8, 15, 16, 20))
    colder = float(rng.uniform(8, 16))
    size = int(rng.integers(2, setup.cells // 3 + 1))
    first = 1 if rng.random() < 0.5 else setup.cells - size + 1
    plan = solar(
        rng,
        float(rng.uniform(8, 16)),
        sensors=int(rng.choice([2, 4])),
        cells=[CellFault(cell=first, to_cell=first + size - 1, colder_c=colder)],
    )
    trial = run(setup, plan)
    return finish(
        name,
        setup,
        trial,
        Truth(
            "temperature_gradient", tuple(range(first, first + size)), -1.3 * colder, -0.6 * colder
        ),
    )


def healthy(name: str, rng: np.random.Generator) -> Pack:
    """Six kinds: plain; far up the knee; a hot or cold spell; a current offset; a short bench run;
    a new bank that settles.
    """
    setup = pack_setup(rng)
    kind = int(rng.integers(6))
    if kind == 1 and setup.chemistry == "lfp":
        setup = put(setup, {"charging.absorption_v": round(3.57 * setup.cells, 2)})
        plan = bench(rng, setup)
    elif kind == 2:
        spell = Event(day=5.0, minutes=4 * 1440.0, colder_c=float(rng.uniform(-12, 8)))
        plan = solar(rng, 14.0, events=[spell], ambient_c=18.0)
    elif kind == 4:
        plan = bench(rng, setup)
    elif kind == 5:
        plan = solar(rng, 20.0, spread_offset_pct=0.5, start_soc_pct=40.0)
    else:
        plan = solar(rng, float(rng.uniform(4, 50)))
    trial = run(setup, plan)
    log = trial.logs[0]
    if kind == 3:
        log = replace(log, current_a=(log.current_a + float(rng.uniform(-0.4, 0.4))).round(1))
    return Pack(name, log, setup, Truth(""))


RECIPES = {
    "": healthy,
    "soc_offset": soc_offset,
    "low_capacity": low_capacity,
    "high_resistance": high_resistance,
    "loose_joint": loose_joint,
    "self_discharge": self_discharge,
    "group_drain": group_drain,
    "balancer_starved": balancer_starved,
    "plateau_balancing": plateau_balancing,
    "sense_bias": sense_bias,
    "sense_lead": sense_lead,
    "temperature_gradient": temperature_gradient,
}
