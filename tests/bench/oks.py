"""Does a verdict of ok hold? ``python -m tests.bench.oks [SETUPS [SEED]]``.

Settings are changed by chance, a few at a time, as slips of the hand would change them, or left
out. What passes as ok is then run through days that are hard on it: a cell that is fuller and one
that is smaller, frost, a charger that goes on too high, loads that empty the pack. No cell may
leave its sheet for longer than a protection needs, none may be charged in frost, and no fuse may be
overloaded.
"""

import sys
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from nipper.core.chemistry import chemistry
from nipper.core.errors import InputError
from nipper.core.logs.model import Log
from nipper.core.presets import new_setup
from nipper.core.rules import check, verdict
from nipper.core.setup import Setup, get, put
from nipper.core.setup.paths import described
from nipper.core.simulate.scenario import CellFault, Event, Loads, Scenario
from nipper.core.simulate.trial import run

SETUPS, SEED = 100, 20_261_129
STEP_S = 2.0
PATHS = tuple(setting.path for setting in described())
FIXED = ("version", "cells_in_series", "packs_in_parallel", "capacity_ah", "link.address")
PARTS = ("wiring", "balancer", "charging", "protection.charge_under_temperature",
         "protection.charge_over_current", "protection.short_circuit")  # fmt: skip
CELLS = {"lfp": (8, 16), "nmc": (7, 14), "lto": (12, 24)}
FROST_C = {"lfp": -0.6, "nmc": -0.6, "lto": -30.0}  # titanate may be charged in frost
LEAST_V = {"lfp": 2.4, "nmc": 2.4, "lto": 1.4}  # a tenth below what sheets usually allow
ODD = [CellFault(cell=3, offset_pct=4.0, pack=1), CellFault(cell=5, capacity_pct=85.0, pack=1)]


def slipped(chance: np.random.Generator) -> Setup:
    """A setup with one to three values that are not what they should be."""
    kind = ("lfp", "lfp", "nmc", "lto")[chance.integers(4)]
    setup = new_setup(
        kind,
        int(chance.choice(CELLS[kind])),
        float(chance.choice([50.0, 105.0, 280.0, 314.0])),
        int(chance.choice([1, 1, 2, 3])),
        ("passive", "active", "none")[chance.integers(3)],
    )
    for _ in range(chance.integers(1, 4)):
        try:
            setup = put(setup, _slip(setup, chance))
        except InputError:
            continue
    return setup


def _slip(setup: Setup, chance: np.random.Generator) -> dict[str, object]:
    numbers = {p: v for p in PATHS if p not in FIXED and _is_number(v := get(setup, p))}
    names = list(numbers)
    if chance.random() < 0.3:
        return {str(chance.choice([*PARTS, *names])): None}
    path = names[chance.integers(len(names))]
    value = numbers[path]
    if path.endswith("_c"):
        return {path: float(value + chance.choice([-10, -5, -3, 3, 5, 10]))}
    if path.endswith("_v"):
        near = chance.choice([0.9, 0.95, 0.98, 1.01, 1.02, 1.04, 1.1])
        return {path: round(float(value * near), 3)}
    far = value * chance.choice([0.05, 0.2, 0.5, 0.8, 1.25, 2.0, 5.0, 20.0])
    return {path: max(1, round(far)) if isinstance(value, int) else round(float(far), 4)}


def _is_number(value: object) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool)


def hard_days(setup: Setup, seed: int) -> Iterator[tuple[str, Scenario]]:
    """Days that try the protections."""
    chem = chemistry(setup.chemistry)
    bank_wh = setup.bank_ah * chem.nominal_v * setup.cells
    usual = {"days": 2.0, "step_s": STEP_S, "log_every_s": STEP_S, "seed": seed, "cells": ODD}
    sunny = usual | {"weather": "clear", "pv_w": bank_wh / 2, "ambient_c": 20.0}
    yield "summer", Scenario(**sunny)
    frost = {"ambient_c": -4.0, "season_c": 0.0, "day_c": 4.0, "latitude_deg": 40.0}
    yield "frost", Scenario(**sunny | frost)
    if setup.charging is not None:
        high = round(setup.cells * chem.max_v * 1.1, 1)
        too_high = Event(day=0.01, settings={"charging.absorption_v": high})
        yield "a charger too high", Scenario(**sunny, events=[too_high])
    loads = Loads(base_w=bank_wh / 12, kettle_w=bank_wh / 3, evening_w=bank_wh / 6)
    yield "emptied", Scenario(**usual | {"pv_w": 0.0, "start_soc_pct": 40.0}, loads=loads)


@dataclass(frozen=True, slots=True)
class Harm:
    """What went beyond its bounds, and for how long."""

    what: str
    long_s: float


def harms(setup: Setup, log: Log) -> list[Harm]:
    """What of one pack went further than its sheet, or its fuse, allows."""
    chem = chemistry(setup.chemistry)
    amps, wiring = log.current_a, setup.wiring
    charges = amps > 0.03 * setup.capacity_ah
    least_v = min(LEAST_V[setup.chemistry], (setup.cell.min_v or 9.0) - 0.1)
    beyond = {
        "above the sheet": (log.cell_v > (setup.cell.max_v or chem.max_v) + 0.02).any(axis=1),
        "below the sheet": (log.cell_v < least_v).any(axis=1) & (amps < -0.01 * setup.capacity_ah),
        "charged in frost": (log.temp_c.min(axis=1) < FROST_C[setup.chemistry]) & charges,
        "charged too fast": amps > 1.06 * (setup.sheet_charge_a or np.inf),
        "drawn on too hard": amps < -1.06 * (setup.sheet_discharge_a or np.inf),
        "fuse overloaded": np.abs(amps) > 1.25 * ((wiring and wiring.fuse_a) or np.inf),
    }
    borne_s = {"above the sheet": 20.0, "charged in frost": 120.0, "fuse overloaded": 300.0}
    found = [Harm(what, _longest_s(rows)) for what, rows in beyond.items()]
    return [harm for harm in found if harm.long_s > borne_s.get(harm.what, 60.0)]


def _longest_s(rows: np.ndarray) -> float:
    """The longest run of them, s."""
    edges = np.flatnonzero(np.diff(np.r_[False, rows, False]))
    return STEP_S * float(np.max(edges[1::2] - edges[::2], initial=0))


def tried(setups: int, seed: int) -> tuple[Counter[str], list[str]]:
    """How many were judged how, and what harm came of those that passed as ok."""
    told: Counter[str] = Counter()
    found: list[str] = []
    for number in range(seed, seed + setups):
        setup = slipped(np.random.default_rng(number))
        found_ok = verdict(check(setup))
        told[found_ok] += 1
        for name, days in hard_days(setup, number) if found_ok == "ok" else ():
            for pack, log in enumerate(run(setup, days).logs, 1):
                told["packs run"] += 1
                found += [f"{number} {name}, pack {pack}: {harm}" for harm in harms(setup, log)]
    return told, found


def main() -> int:
    given = [int(argument) for argument in sys.argv[1:]]
    told, found = tried(*[*given, *(SETUPS, SEED)[len(given) :]])
    print("\n".join(found))
    print(dict(told), f"{len(found)} harmed")
    return bool(found)


if __name__ == "__main__":
    sys.exit(main())
