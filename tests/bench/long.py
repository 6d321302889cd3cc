"""A year of seconds, 31 million rows of 16 cells: ``python -m tests.bench.long [MONTHS]``.

Twelve times a month's table is read and kept in one bench, then the bench is opened and its pack
loaded and judged in a process of its own. Printed are the times, the size of the file and the most
memory; to reach: 90 s to take it in, 30 s to judge it, 1.5 GB.
"""

import resource
import subprocess
import sys
import tempfile
import time
from dataclasses import replace
from pathlib import Path

from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.logs.reader import read_log
from nipper.core.logs.writer import write_plain
from nipper.core.presets import new_setup
from nipper.core.simulate.scenario import Scenario
from nipper.core.simulate.trial import run
from nipper.store import Bench

SETUP = new_setup("lfp", 16, 280.0)
MONTH = Scenario(days=30, step_s=1.0, log_every_s=1.0)


def most_gb() -> float:
    """The most memory of this process so far."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6


def make(bench: Path, months: int) -> None:
    """So many months, one after the other, as a builder drops their files."""
    table = bench.with_suffix(".csv")
    write_plain(run(SETUP, MONTH).logs[0], table)
    kept = Bench.create(bench, SETUP)
    took_s = 0.0
    for month in range(months):
        begun = time.perf_counter()
        log = read_log(table)
        later = replace(log, time_s=log.time_s + month * MONTH.days * 86400.0)
        kept.logs.add(1, later, f"{month + 1}.csv")
        took_s += time.perf_counter() - begun
    kept.close()
    size_gb = bench.stat().st_size / 1e9
    print(f"{months} months taken in: {took_s:.1f} s, a bench of {size_gb:.2f} GB")


def judge(bench: Path) -> None:
    """Load and judge what a bench holds."""
    begun = time.perf_counter()
    kept = Bench.open(bench)
    opened_s = time.perf_counter() - begun
    log = kept.logs.load(1)
    assert log
    loaded_s = time.perf_counter() - begun
    verdict = diagnose(log, SETUP).verdict
    took_s = time.perf_counter() - begun
    print(
        f"opened {opened_s:.2f} s, loaded {loaded_s:.1f} s as {log.rows:,} means of "
        f"{log.averaged_s:.0f} s, judged {took_s:.1f} s: {verdict}; at most {most_gb():.2f} GB"
    )


def main(months: int) -> None:
    """Make the bench, and judge it in a process that did not make it."""
    with tempfile.TemporaryDirectory() as folder:
        bench = Path(folder) / "year.nipper"
        make(bench, months)
        subprocess.run([sys.executable, "-m", "tests.bench.long", str(bench)], check=True)


if __name__ == "__main__":
    given = sys.argv[1] if len(sys.argv) > 1 else "12"
    main(int(given)) if given.isdigit() else judge(Path(given))
