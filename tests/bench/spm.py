"""Packs put together from the cells of another physics library (``tests/worlds/spm_cells.py``):
``python -m tests.bench.spm [FROM TO]`` judges them.

Fifteen healthy cells and what is the matter with one (or a block), read by a usual meter or by a
coarse one. Joints and wrong readings are added to the healthy cells: they are of the wires, not of
the cells.
"""

import json
import sys
from collections import Counter
from dataclasses import dataclass
from functools import cache
from itertools import product
from typing import Any

import numpy as np

from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.logs.model import Log
from nipper.core.presets import new_setup
from nipper.core.setup import Setup, put
from tests.conftest import FILES
from tests.worlds.spm_cells import SETS

CAUSES = (
    "",
    "soc_offset",
    "low_capacity",
    "high_resistance",
    "self_discharge",
    "group_drain",
    "sense_bias",
    "loose_joint",
)
CELLS = 16


@dataclass(frozen=True)
class Library:
    """The cells of a chemistry: volts float[rows, cells], amperes float[rows]."""

    volts: np.ndarray
    amps: np.ndarray
    every_s: float
    capacity_ah: float
    cells: list[dict[str, Any]]
    scale: float  # of the pack's cells to the model's: so many of them side by side

    def usual(self, key: str) -> float:
        """What a healthy cell has."""
        return float(np.median([c[key] for c in self.cells if not c["cause"]]))


@cache
def library(chemistry: str) -> Library:
    """All cells of a chemistry, read once."""
    with np.load(FILES / f"spm_{chemistry}.npz") as kept:
        volts = np.cumsum(kept["dmv"], axis=0) / 1e4
        cells = json.loads(str(kept["cells"]))
        return Library(
            volts,
            kept["amps"].astype(float),
            float(kept["every_s"]),
            float(kept["capacity_ah"]),
            cells,
            SETS[chemistry][1],
        )


@dataclass(frozen=True)
class Pack:
    """A pack with the truth of it."""

    log: Log
    setup: Setup
    cause: str
    cells: tuple[int, ...]
    size: float  # of the fault, in the unit of its magnitude
    stands_pct: float  # where the faulty cell stands besides, when full


def pack(chemistry: str, cause: str, number: int) -> Pack:
    """Pack ``number`` of a cause; the same for everybody."""
    shelf = library(chemistry)
    rng = np.random.default_rng([number, CAUSES.index(cause), len(chemistry)])
    healthy = [i for i, c in enumerate(shelf.cells) if not c["cause"]]
    faulty = [i for i, c in enumerate(shelf.cells) if c["cause"] == cause and cause]
    chosen = rng.permutation(healthy)[:CELLS]
    at, size = int(rng.integers(0, CELLS)), 0.0
    places: tuple[int, ...] = (at,)
    if cause == "group_drain":
        count = min(len(faulty), 4)
        first = int(rng.integers(0, CELLS - count))
        places = tuple(range(first, first + count))
        chosen[list(places)] = faulty[:count]
    elif faulty:
        chosen[at] = faulty[number % len(faulty)]
    volts = shelf.volts[:, chosen].copy()
    if faulty:
        size = _size(cause, shelf.cells[chosen[places[0]]], shelf)
    if cause == "sense_bias":
        size = float(rng.choice([-1, 1]) * rng.uniform(8, 25))
        volts[:, at] += size / 1e3
    if cause == "loose_joint":
        size = float(rng.uniform(0.4, 1.5))
        volts[:, at] += shelf.amps * size / 1e3 * _comes_and_goes(shelf, rng)
    log = _measured(shelf, volts, rng, coarse=number % 4 == 3)
    setup = put(new_setup(chemistry, CELLS, round(shelf.capacity_ah, 1)), {"balancer": None})
    stands = float(shelf.cells[chosen[places[0]]]["offset_pct"])
    return Pack(log, setup, cause, tuple(p + 1 for p in places) if cause else (), size, stands)


def _size(cause: str, cell: dict[str, Any], shelf: Library) -> float:
    if cause == "soc_offset":
        return float(cell["offset_pct"])
    if cause == "low_capacity":
        return 100.0 * float(cell["capacity"])
    if cause == "high_resistance":
        return 1e3 * (float(cell["ohm"]) - shelf.usual("ohm")) / shelf.scale
    return shelf.usual("leak_mah_day") - float(cell["leak_mah_day"])


def _comes_and_goes(shelf: Library, rng: np.random.Generator) -> np.ndarray:
    """How loose a joint is, from hour to hour."""
    hours = int(np.ceil(shelf.volts.shape[0] * shelf.every_s / 3600.0)) + 1
    loose = np.clip(rng.normal(1.0, 0.45, hours), 0.1, None)
    place = (np.arange(shelf.volts.shape[0]) * shelf.every_s / 3600.0).astype(int)
    return loose[place]


def _measured(shelf: Library, volts: np.ndarray, rng: np.random.Generator, coarse: bool) -> Log:
    """What a BMS writes: steps, noise, an offset of the current."""
    step_v, step_a = (0.005, 0.5) if coarse else (0.001, 0.1)
    read = np.round((volts + rng.normal(0, 0.0004, volts.shape)) / step_v) * step_v
    amps = np.round((shelf.amps + rng.normal(0, 0.05)) / step_a) * step_a
    rows = volts.shape[0]
    return Log(
        time_s=1.77e9 + shelf.every_s * np.arange(rows),
        current_a=amps,
        pack_v=np.round(read.sum(axis=1), 2),
        cell_v=read.astype(np.float32),
        temp_c=np.full((rows, 1), 20, np.float32),
    )


def judge(chemistry: str, cause: str, number: int) -> tuple[bool, bool, str, Pack, Any]:
    """Whether the first finding is right, whether its cells are, and what it says."""
    made = pack(chemistry, cause, number)
    strong = [f for f in diagnose(made.log, made.setup).findings if f.confidence > 0.5]
    top = strong[0].cause if strong else ""
    right = top == cause
    cells = right and (not cause or set(strong[0].cells) == set(made.cells))
    words = "; ".join(f"{f.cause} {f.cells} {f.confidence:.2f} {f.value:.3g}" for f in strong)
    return right, cells, words, made, strong


def main() -> None:
    """Judge all causes of both chemistries, packs FROM to TO."""
    first, stop = (int(word) for word in sys.argv[1:] or (0, 8))
    total: Counter[str] = Counter()
    errors: list[float] = []
    for chemistry, cause in product(SETS, CAUSES):
        wrong: list[str] = []
        done: Counter[str] = Counter()
        for number in range(first, stop):
            good, placed, words, made, strong = judge(chemistry, cause, number)
            done.update(first=good, cells=placed)
            if placed and cause:
                done["held"] += strong[0].low <= made.size <= strong[0].high
                errors.append(abs(strong[0].value / made.size - 1.0))
            if not placed:
                wrong.append(f"    {number}: true {made.cells} {made.size:.3g}; said {words}")
        total.update(done, all=stop - first)
        print(
            f"{chemistry} {cause or 'healthy':16} {done['first']}/{stop - first}, "
            f"cells {done['cells']}, size in its range {done['held']}"
        )
        print(*wrong, sep="\n", flush=True)
    print(f"first finding {total['first']}, with cells {total['cells']} of {total['all']}")
    print(f"size in its range {total['held']} of {len(errors)}, off by {np.median(errors):.1%}")


if __name__ == "__main__":
    main()
