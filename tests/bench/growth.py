"""How costs grow: ``python -m tests.bench.growth``, on a quiet machine; the table of docs/speed.md.

Each work is done with as much as an ordinary bench has, with four and with sixteen times as many
rows, cells or packs; the fastest of three counts. Twice as much should cost twice as much at most.
"""

import tempfile
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

from nipper.core.forecast.plan import Plan
from nipper.core.forecast.rehearsal import rehearse
from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.logs.model import Log
from nipper.core.logs.reader import read_log
from nipper.core.logs.writer import write_plain
from nipper.core.presets import new_setup
from nipper.core.rules import check
from nipper.core.setup import Setup
from nipper.core.simulate.scenario import Scenario
from nipper.core.simulate.trial import run
from nipper.store import Bench

TIMES = (1, 4, 16)
DAYS, STEP_S, CELLS = 10.0, 16.0, 4  # 54,000 rows
ROUNDS = 3


@dataclass(frozen=True, slots=True)
class Work:
    """A work, what it is done with, and that for each of the sizes."""

    name: str
    of: str
    acts: Sequence[Callable[[], object]]


def fastest_s(act: Callable[[], object]) -> float:
    """The least time of a few rounds; the first may have to load or compile."""
    took: list[float] = []
    for _ in range(ROUNDS):
        begun = time.perf_counter()
        act()
        took.append(time.perf_counter() - begun)
    return min(took)


def setup_of(cells: int, packs: int = 1) -> Setup:
    """A bank of new packs."""
    return new_setup("lfp", cells, 280.0, packs_in_parallel=packs)


def log_of(setup: Setup, times: int = 1) -> Log:
    """Ten days of the first pack, with so many times the rows a usual log has of them."""
    step_s = STEP_S / times
    return run(setup, Scenario(days=DAYS, step_s=step_s, log_every_s=step_s)).logs[0]


def with_rows(folder: Path) -> list[Work]:
    """Reading, storing, loading and judging a log."""
    setup = setup_of(16)
    logs = [log_of(setup, times) for times in TIMES]
    paths = [folder / f"{times}.csv" for times in TIMES]
    benches = [Bench.create(folder / f"{times}.nipper", setup) for times in TIMES]
    for log, path, bench in zip(logs, paths, benches, strict=True):
        write_plain(log, path)
        bench.logs.add(1, log, path.name)

    def store(log: Log) -> None:
        with tempfile.TemporaryDirectory() as place:
            bench = Bench.create(Path(place) / "b.nipper", setup)
            bench.logs.add(1, log, "log.csv")
            bench.close()

    return [
        Work("read a table", "rows", [lambda p=p: read_log(p) for p in paths]),
        Work("store a log", "rows", [lambda x=x: store(x) for x in logs]),
        Work("load it again", "rows", [lambda b=b: b.logs.load(1) for b in benches]),
        Work("judge it", "rows", [lambda x=x: diagnose(x, setup) for x in logs]),
    ]


def with_cells() -> list[Work]:
    """Judging, simulating and checking packs of more cells."""
    setups = [setup_of(CELLS * times) for times in TIMES]
    logs = [log_of(setup) for setup in setups]
    both = list(zip(logs, setups, strict=True))
    return [
        Work("judge a log", "cells", [lambda x=x, s=s: diagnose(x, s) for x, s in both]),
        Work("simulate ten days", "cells", [lambda s=s: log_of(s) for s in setups]),
        Work("check the settings", "cells", [lambda s=s: check(s) for s in setups]),
    ]


def with_packs() -> list[Work]:
    """Simulating, rehearsing and checking banks of more packs."""
    setups = [setup_of(16, times) for times in TIMES]
    return [
        Work("simulate ten days", "packs", [lambda s=s: log_of(s) for s in setups]),
        Work("rehearse three days", "packs", [lambda s=s: rehearse(s, {}, Plan()) for s in setups]),
        Work("check the settings", "packs", [lambda s=s: check(s) for s in setups]),
    ]


def table(works: Sequence[Work]) -> str:
    """As Markdown: the time of the first size, and how many times that the others take."""
    lines = ["| | of | ×1 | ×4 | ×16 |", "|---|---|---|---|---|"]
    for work in works:
        first, *more = [fastest_s(act) for act in work.acts]
        grown = " | ".join(f"× {s / first:.1f}" for s in more)
        lines.append(f"| {work.name} | {work.of} | {1e3 * first:.0f} ms | {grown} |")
    return "\n".join(lines)


def main() -> None:
    """Measure it."""
    with tempfile.TemporaryDirectory(prefix="nipper-growth-") as folder:
        print(table([*with_rows(Path(folder)), *with_cells(), *with_packs()]))


if __name__ == "__main__":
    main()
