"""Spoilt inputs for every reader: no traceback, no hang, no gigabytes, no nonsense in silence.

``python -m tests.bench.fuzz 1000000`` feeds so many, spread over the readers, to two processes;
``... fuzz table 5000`` feeds one reader. ``FUZZ_SEED`` says which inputs (``make fuzz``: the day's,
what was fed once has little left to find); with it the number of a find makes it again.
``FUZZ_SKIP`` of them were fed at an earlier sitting: the order is the seed's.
"""

import multiprocessing
import os
import random
import signal
import sys
import tempfile
import time
import traceback
import warnings
from collections import Counter
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

from nipper.core.errors import NipperError
from tests.bench.readers import READERS

SEED = int(os.environ.get("FUZZ_SEED", "20261127"))
SKIP = int(os.environ.get("FUZZ_SKIP", "0"))
LONGEST_S = 20  # of the processors, for one input
LONGEST_WAIT_S = 300  # by the clock, on a machine however loaded
LONGEST_LINE = 300
MOST_BYTES = 2_000_000_000
PORTION = 250
TOLD_EVERY = 200  # portions


class Hang(BaseException):
    """An input that took too long; not an ``Exception``, so that nothing in between takes it."""


def _too_long(_number: int, _frame: object) -> None:
    raise Hang


def try_one(reader: str, number: int, folder: Path) -> str:
    """What is wrong with how one input was read; empty when nothing is."""
    chance = random.Random(f"{SEED} {reader} {number}")
    given = READERS[reader].feed(chance, folder)
    signal.signal(signal.SIGPROF, _too_long)
    signal.signal(signal.SIGALRM, _too_long)
    signal.setitimer(signal.ITIMER_PROF, LONGEST_S)
    signal.alarm(LONGEST_WAIT_S)
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            wrong = READERS[reader].read(given)
    except NipperError as error:
        line = str(error)
        wrong = ["several lines"] * ("\n" in line) + ["a long line"] * (len(line) > LONGEST_LINE)
        wrong = [f"{w}: {line[:200]!r}" for w in wrong]
    except Hang:
        wrong = [f"longer than {LONGEST_S} s: {_last_place()}"]
    except BaseException as error:
        wrong = [f"{type(error).__name__}: {str(error)[:120]!r} at {_last_place()}"]
    finally:
        signal.setitimer(signal.ITIMER_PROF, 0)
        signal.alarm(0)
    return "; ".join(wrong)


def _last_place() -> str:
    """The last line of Nipper's own in a traceback."""
    frames = traceback.extract_tb(sys.exc_info()[2])
    ours = [f for f in frames if "nipper" in f.filename and "tests" not in f.filename]
    last = (ours or frames)[-1]
    return f"{Path(last.filename).name}:{last.lineno}"


def _portion(work: tuple[str, int, int]) -> tuple[list[str], int]:
    """The finds of a run of numbers, and the most memory this process had in it."""
    reader, first, count = work
    finds: list[str] = []
    Path("/proc/self/clear_refs").write_text("5")  # the peak is counted anew
    with tempfile.TemporaryDirectory(prefix="nipper-fuzz-") as folder:
        for number in range(first, first + count):
            wrong = try_one(reader, number, Path(folder))
            if wrong:
                finds.append(f"{reader} {number}: {wrong}")
    status = Path("/proc/self/status").read_text()
    peak = int(status.partition("VmHWM:")[2].split()[0]) * 1024
    if peak > MOST_BYTES:
        finds.append(f"{reader} {first}…: {peak / 1e9:.1f} GB")
    return finds, peak


def _portions(count: int, only: str | None) -> Iterator[tuple[str, int, int]]:
    total = sum(r.weight for r in READERS.values())
    for name, reader in READERS.items():
        share = count if name == only else count * reader.weight // total
        if only is not None and name != only:
            continue
        for first in range(0, max(share, 1), PORTION):
            yield name, first, min(PORTION, max(share, 1) - first)


def main(arguments: Sequence[str]) -> int:
    """Feed them; the number of finds."""
    *only, count = arguments
    work = list(_portions(int(count), " ".join(only) or None))
    random.Random(SEED).shuffle(work)
    work = work[SKIP // PORTION :]
    begun, fed, finds, peak = time.monotonic(), Counter[str](), 0, 0
    seen: Counter[str] = Counter()
    context: Any = multiprocessing.get_context("spawn")
    with context.Pool(os.cpu_count() or 1, maxtasksperchild=40) as pool:
        for (reader, _, size), (found, memory) in zip(work, pool.imap(_portion, work), strict=True):
            fed[reader] += size
            finds, peak = finds + len(found), max(peak, memory)
            if sum(fed.values()) // PORTION % TOLD_EVERY == 0:
                print(f"{sum(fed.values())} fed, {finds} finds", flush=True)
            for line in found:
                kind = line.partition(": ")[2]
                seen[kind] += 1
                if seen[kind] <= 2:
                    print(line, flush=True)
    took = time.monotonic() - begun
    each = ", ".join(f"{name} {n}" for name, n in fed.items())
    told = f"{sum(fed.values())} inputs in {took:.0f} s, {finds} finds, {peak / 1e9:.2f} GB"
    print(f"seed {SEED}: {told}; {each}")
    return finds


if __name__ == "__main__":
    sys.exit(bool(main(sys.argv[1:])))
