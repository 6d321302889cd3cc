"""The other physics read by poor meters: ``python -m tests.bench.meters [FROM [TO]]``.

The packs of ``tests/bench/others.py``, whose truth is known, as a cheap BMS or a hurried hand would
have written them down: steps of 10 mV and 1 A, a row every five minutes, voltages that come a row
after the current, a clock that runs wrong, a current that reads nothing below an ampere, gaps. What
cannot be told any more may be left untold; what is called ill must be.
"""

import sys
from collections import Counter
from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace

import numpy as np

from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.logs.model import Log
from tests.bench.others import CAUSES, OtherPack, other

Meter = Callable[[Log, np.random.Generator], Log]


def coarse(log: Log, _: np.random.Generator) -> Log:
    """Steps of 10 mV and 1 A."""
    cell_v = np.round(log.cell_v / 0.01).astype(np.float32) * np.float32(0.01)
    return replace(log, cell_v=cell_v, current_a=np.round(log.current_a))


def seldom(log: Log, _: np.random.Generator) -> Log:
    """A row every five minutes."""
    return log.select(slice(None, None, max(1, round(300.0 / log.interval_s))))


def late(log: Log, _: np.random.Generator) -> Log:
    """Voltages come a row after the current."""
    return replace(log, cell_v=np.roll(log.cell_v, 1, axis=0)).select(slice(1, None))


def wrong_clock(log: Log, rng: np.random.Generator) -> Log:
    """Fast by 0.1 %, and set right by minutes now and then."""
    days = (log.time_s - log.time_s[0]) / 86400.0
    ahead = 86.4 * (days % float(rng.uniform(2.0, 5.0)))
    time_s = np.maximum.accumulate(log.time_s + ahead)
    good = np.r_[True, np.diff(time_s) > 0.0]
    return replace(log, time_s=time_s).select(good)


def deaf(log: Log, rng: np.random.Generator) -> Log:
    """Reads no current below an ampere or two, and is off by 1 % above."""
    dead_a = float(rng.uniform(0.5, 2.0))
    amps = np.where(np.abs(log.current_a) < dead_a, 0.0, 1.01 * log.current_a)
    return replace(log, current_a=amps)


def gaps(log: Log, rng: np.random.Generator) -> Log:
    """A tenth of the hours is missing."""
    hour = ((log.time_s - log.time_s[0]) // 3600.0).astype(int)
    there = rng.random(hour[-1] + 1) > 0.1
    return log.select(there[hour])


def bare(log: Log, _: np.random.Generator) -> Log:
    """No temperature, no balancing column."""
    return replace(log, temp_c=np.empty((log.rows, 0), np.float32), balancing=None)


def in_two_rounds(log: Log, _: np.random.Generator) -> Log:
    """Half of the cells come a row late."""
    cell_v, half = log.cell_v.copy(), log.cells // 2
    cell_v[1:, half:] = log.cell_v[:-1, half:]
    return replace(log, cell_v=cell_v)


def averaged(log: Log, _: np.random.Generator) -> Log:
    """The current is the mean since the row before, the voltages are of the moment."""
    amps = log.current_a.copy()
    amps[1:] = 0.5 * (log.current_a[1:] + log.current_a[:-1])
    return replace(log, current_a=amps)


def filtered(log: Log, _: np.random.Generator) -> Log:
    """The voltages follow slowly, half of the way with each row."""
    cell_v = log.cell_v.astype(float)
    for row in range(1, log.rows):
        cell_v[row] = 0.5 * (cell_v[row] + cell_v[row - 1])
    return replace(log, cell_v=np.round(cell_v, 3).astype(np.float32))


METERS: tuple[Meter, ...] = (
    coarse,
    seldom,
    late,
    wrong_clock,
    deaf,
    gaps,
    bare,
    in_two_rounds,
    averaged,
    filtered,
)


@dataclass(frozen=True)
class Named:
    """What was said of a pack, against what was the matter with it."""

    kind: str  # of meter, or of life
    cause: str
    number: int
    right: bool
    wrong: str  # what was named instead


def named(kind: str, number: int, pack: OtherPack, log: Log) -> Named:
    """Diagnose a pack from a log of it."""
    found = [f for f in diagnose(log, pack.setup).findings if f.confidence > 0.5]
    truth = pack.truth
    right = bool(found) and (found[0].cause, tuple(found[0].cells)) == (truth.cause, truth.cells)
    wrong = f"{found[0].confidence:.2f} {found[0].summary}" if found and not right else ""
    return Named(kind, truth.cause, number, right if truth.cause else not found, wrong)


def judge(case: tuple[int, str, int]) -> Named:
    """Make a case, read it badly, diagnose it."""
    which, cause, number = case
    pack, meter = other(cause, number), METERS[which]
    log = meter(pack.log, np.random.default_rng([7, number, which]))
    return named(meter.__name__, number, pack, log)


def table(done: list[Named], kinds: Sequence[Callable[..., object]]) -> str:
    """The result as Markdown."""
    lines = ["| | faults named rightly | untold | something else named | false alarms |"]
    lines.append("|---|---|---|---|---|")
    for kind in kinds:
        own = [d for d in done if d.kind == kind.__name__]
        ill, well = [d for d in own if d.cause], [d for d in own if not d.cause]
        right, other_named = sum(d.right for d in ill), sum(bool(d.wrong) for d in ill)
        lines.append(
            f"| {(kind.__doc__ or '').partition('.')[0]} | {right} of {len(ill)} | "
            f"{len(ill) - right - other_named} | {other_named} | "
            f"{sum(not d.right for d in well)} of {len(well)} |"
        )
    return "\n".join(lines)


def main(
    judge: Callable[[tuple[int, str, int]], Named], kinds: Sequence[Callable[..., object]]
) -> None:
    """Judge packs of every kind and cause, and print how it went."""
    first, last = [int(a) for a in sys.argv[1:3]] or [800, 806]
    cases = [(k, c, n) for k in range(len(kinds)) for c in CAUSES for n in range(first, last)]
    with ProcessPoolExecutor(2) as pool:
        judged = list(pool.map(judge, cases, chunksize=4))
    print(table(judged, kinds))
    print(Counter((d.kind, d.cause) for d in judged if not d.right))
    for d in judged:
        if d.wrong:
            print(f"{d.kind} {d.cause or 'healthy'} {d.number}: {d.wrong[:150]}")


if __name__ == "__main__":
    main(judge, METERS)
