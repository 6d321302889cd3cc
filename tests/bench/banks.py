"""Packs in parallel of the other physics with known answers: ``python -m tests.bench.banks [FROM
[TO]]``.

Two to four packs of unlike age at one bus share one charger and one house; now and then an equalise
charge and a capacity test. In one of the packs a cell is at fault, or the way to the bus is; or
something is exchanged half way. Judged are the faulty pack, its healthy neighbours, how the packs
share, and the swap test.
"""

import sys
from collections import Counter
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass

import numpy as np

from nipper.core.imbalance.compare import Happening, Recorded, compare_all
from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.imbalance.swap import Swap
from nipper.core.logs.model import Log
from nipper.core.presets import new_setup
from nipper.core.setup import Setup, put
from tests.bench.others import CURVES
from tests.otherpack import START_S, Cells, Pack, Use, make_bank, published_curve

CELL_CAUSES = ("soc_offset", "low_capacity", "high_resistance", "self_discharge", "sense_bias")
WAY, STAYED, FOLLOWED = "way", "swap: stayed", "swap: followed"
KINDS = ("", *CELL_CAUSES, WAY, STAYED, FOLLOWED)
SWAPS = (STAYED, FOLLOWED)


@dataclass(frozen=True)
class Bank:
    """A case: the packs' logs and setups, which pack is at fault, and in which cells."""

    kind: str
    logs: list[Log]
    setups: list[Setup]
    pack: int
    cells: tuple[int, ...]
    size: float  # of what is wrong, in the unit of its magnitude
    swapped_s: float


def bank(kind: str, n: int) -> Bank:
    """Case ``n`` of a kind; "" is healthy."""
    rng = np.random.default_rng([113, n, KINDS.index(kind)])
    count = 2 if kind in SWAPS else int(rng.integers(2, 5))
    lfp = kind in (*SWAPS, "sense_bias") or rng.random() < 0.7
    chemistry = "lfp" if lfp else "nmc"
    cells, ah = int(rng.choice([8, 14, 16])), float(rng.choice([100.0, 230.0, 280.0]))
    setup = new_setup(chemistry, cells, ah, balancer=str(rng.choice(["passive", "none"])))  # pyright: ignore[reportArgumentType]
    level = float(rng.uniform(3.46, 3.55)) if lfp else float(rng.uniform(4.08, 4.16))
    charged = {"charging.absorption_v": round(cells * level, 2), "charging.tail_a": None}
    setup = put(setup, charged)
    use = _use(rng, chemistry, cells, slow=kind in (*SWAPS, "self_discharge"))
    made = [_pack(rng, chemistry, cells, ah) for _ in range(count)]
    ways = rng.uniform(0.4e-3, 0.6e-3, count)
    at = int(rng.integers(count))
    hurt, size = _fault(kind, rng, setup, made[at], use)
    if kind == WAY:
        size = float(rng.uniform(0.25, 0.8)) * 1e3 * float(_ohms(setup, made[at]))
        ways[at] += 1e-3 * size
    half = int(use.days / 2)
    logs = [
        log for log, _ in make_bank([setup] * count, made, ways.tolist(), use, _hand(kind, half))
    ]
    return Bank(kind, logs, [setup] * count, at, hurt, size, START_S + half * 86400.0)


def _use(rng: np.random.Generator, chemistry: str, cells: int, slow: bool) -> Use:
    days = float(rng.uniform(36, 50)) if slow else float(rng.uniform(8, 14))
    return Use(
        days=days,
        step_s=float(rng.choice([60.0, 120.0])),
        start_pct=float(rng.uniform(45, 75)),
        sun_c=float(rng.uniform(0.18, 0.3)),
        house_c=float(rng.uniform(0.02, 0.04)),
        dark_days=tuple(int(d) for d in np.flatnonzero(rng.random(int(days) + 1) < 0.15)),
        noise_mv=float(rng.uniform(0.3, 1.2)),
        current_offset_a=float(rng.uniform(-0.1, 0.15)),
        equalise_days=(4,) if rng.random() < 0.4 else (),
        equalise_v=cells * (0.05 if chemistry == "lfp" else 0.02),
        test_days=(6,) if rng.random() < 0.4 else (),
        test_c=float(rng.uniform(0.1, 0.25)),
        seed=int(rng.integers(1 << 30)),
    )


def _pack(rng: np.random.Generator, chemistry: str, cells: int, ah: float) -> Cells:
    """A pack of its own age."""
    apart = float(rng.uniform(0.05, 0.3))
    return Cells(
        published_curve(*CURVES[chemistry][int(rng.integers(len(CURVES[chemistry])))]),
        offset_pct=float(rng.normal(0.0, 1.0)) + rng.normal(0.0, apart, cells),
        capacity=float(rng.uniform(0.88, 1.0)) * (1.0 + rng.normal(0.0, 0.006, cells)),
        resistance=float(rng.uniform(0.9, 1.5)) * (1.0 + np.abs(rng.normal(0.0, 0.05, cells))),
        leak_mah_day=np.abs(rng.normal(0.0, 0.004, cells)) * ah,
        bias_mv=np.zeros(cells),
        hysteresis_mv=float(rng.uniform(2.0, 14.0)) if chemistry == "lfp" else 0.0,
        slow_share=float(rng.uniform(0.4, 1.2)),
        slow_s=float(rng.uniform(400.0, 2500.0)),
    )


def _ohms(setup: Setup, made: Cells) -> float:
    own = 1e-3 * (setup.cell.resistance_mohm or 0.3) * np.asarray(made.resistance)
    return float(own.sum()) / setup.cells_in_parallel


def _fault(
    kind: str, rng: np.random.Generator, setup: Setup, made: Cells, use: Use
) -> tuple[tuple[int, ...], float]:
    """What is wrong with the faulty pack's cells: which of them, and how much."""
    cell, ah = int(rng.integers(setup.cells)), setup.capacity_ah
    if kind == "soc_offset":
        size = float(rng.uniform(2.5, 8.0)) * float(rng.choice([-1, 1]))
        np.asarray(made.offset_pct)[cell] += size
    elif kind == "low_capacity":
        size = float(rng.uniform(0.80, 0.93))
        np.asarray(made.capacity)[cell] *= size
    elif kind == "high_resistance":
        more = float(rng.uniform(0.7, 1.6))
        np.asarray(made.resistance)[cell] *= 1.0 + more
        size = more * (setup.cell.resistance_mohm or 1.0)
    elif kind in ("self_discharge", *SWAPS):
        size = float(rng.uniform(1.5, 3.0)) / 100.0 * ah * 1e3 / use.days
        np.asarray(made.leak_mah_day)[cell] += size
    elif kind == "sense_bias":
        size = float(rng.uniform(9, 25)) * float(rng.choice([-1, 1]))
        np.asarray(made.bias_mv)[cell] += size
    else:
        return (), 0.0
    return (cell + 1,), size


def _hand(kind: str, half: int):
    def exchange(day: int, packs: Sequence[Pack]) -> None:
        if kind == FOLLOWED and day == half:  # the leak is the BMS's: it goes along
            first, second = packs
            one, other = first.cells.leak_mah_day, second.cells.leak_mah_day
            first.cells.leak_mah_day, second.cells.leak_mah_day = other, one

    return exchange


@dataclass(frozen=True)
class Judged:
    """What was said of a bank."""

    kind: str
    number: int
    chemistry: str
    well: int  # packs
    right: bool
    alarms: int  # in packs that are well
    words: str


def judge(case: tuple[str, int]) -> Judged:
    """Make a case and judge it."""
    kind, number = case
    made = bank(kind, number)
    found = [diagnose(log, setup) for log, setup in zip(made.logs, made.setups, strict=True)]
    strong = [[f for f in d.findings if f.confidence > 0.5] for d in found]
    well = [i for i in range(len(found)) if i != made.pack or not made.cells]
    well = [] if kind == FOLLOWED else well  # the leak has been in both
    alarms = sum(bool(strong[i]) for i in well)
    words = "; ".join(f"{i + 1}: {f.summary}" for i, s in enumerate(strong) for f in s)
    right = not words
    if made.kind in CELL_CAUSES:
        own = strong[made.pack]
        right = bool(own) and own[0].cause == kind and tuple(own[0].cells) == made.cells
    elif kind in (WAY, *SWAPS):
        packs = {
            i + 1: Recorded(log, d.estimate, setup)
            for i, (log, d, setup) in enumerate(zip(made.logs, found, made.setups, strict=True))
        }
        done = Happening(made.swapped_s, None, "swap", "", Swap(packs=(1, 2), what="bms"))
        happened = [done] if kind in SWAPS else []
        told = compare_all(packs, happened, put(made.setups[0], {"packs_in_parallel": len(packs)}))
        if kind == WAY:
            right = told.shared is not None and told.shared.guilty == made.pack
            words = f"{told.shared}; truth {made.pack} {made.size:.2f} mohm"
        else:
            [(_, result)] = told.swaps
            right = f"swap: {result.verdict}" == kind
            words = f"{result.verdict} {result.confidence:.2f} {result.sentence}"
    chemistry, said = made.setups[0].chemistry, " ".join(words.split())
    return Judged(kind, number, chemistry, len(well), right, alarms, said)


def table(done: Sequence[Judged]) -> str:
    """The result as Markdown."""
    lines = ["| what is wrong | banks | told rightly | packs that are well, called ill |"]
    lines.append("|---|---|---|---|")
    for kind in KINDS:
        own = [d for d in done if d.kind == kind]
        well = sum(d.well for d in own)
        alarms = sum(d.alarms for d in own)
        right = sum(d.right for d in own)
        lines.append(f"| {kind or 'nothing'} | {len(own)} | {right} | {alarms} of {well} |")
    return "\n".join(lines)


if __name__ == "__main__":
    first, last = [int(a) for a in sys.argv[1:3]] or [0, 8]
    cases = [(kind, n) for kind in KINDS for n in range(first, last)]
    with ProcessPoolExecutor(2) as pool:
        judged = list(pool.map(judge, cases))
    print(table(judged))
    print(Counter(d.kind for d in judged if not d.right))
    for d in judged:
        if not d.right or d.alarms:
            print(f"{d.kind or 'nothing'} {d.number} ({d.chemistry}): {d.words[:230]}")
