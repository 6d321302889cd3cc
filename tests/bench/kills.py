"""A bench written by a process that is killed at random moments: is anything confirmed lost?

``python -m tests.bench.kills 200`` starts a writer, kills it some milliseconds after it began to
confirm, opens the bench again and looks: every confirmed event is there, what belongs together is
together, the file is sound, every copy that has a name is whole. The seed is fixed.
"""

import json
import random
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from nipper.core.presets import new_setup
from nipper.core.setup import put
from nipper.store import Bench
from tests.builders import charge_log

ROOT = Path(__file__).parents[2]
SEED = 20261126
LONGEST_S = 0.25
SETUP = new_setup("lfp", 4, 100.0, name="To be killed")


def write(path: Path, seed: int) -> None:
    """Write without end, and confirm each step on standard output when it has returned."""
    chance = random.Random(seed)
    bench = Bench.open(path)
    step = len(bench.history.events())
    print("open", flush=True)
    while True:
        what = chance.choice(("event", "pair", "setup", "log", "copy"))
        if what == "event":
            step += 1
            bench.history.add_event(float(step), "note", f"step {step}")
            print(f"event {step}", flush=True)
        elif what == "pair":
            with bench.together():
                bench.shelf.keep("pair", str(step))
                bench.history.add_revision("typed in", f"pair {step}", SETUP)
            print(f"pair {step}", flush=True)
        elif what == "setup":
            bench.save_setup(put(SETUP, {"charging.absorption_min": float(10 + step % 100)}))
        elif what == "log":
            log = charge_log(SETUP, np.zeros(4))
            first = step % (log.rows - 50)
            bench.logs.add(1, log.select(slice(first, first + 50)), f"{step}.csv")
        else:
            bench.copy_to(path.with_name("copy.nipper"))


def kill_once(folder: Path, seed: int) -> list[str]:
    """One writer, one kill; what is wrong afterwards, in words."""
    path = folder / "bench.nipper"
    if not path.exists():
        Bench.create(path, SETUP).close()
    command = [sys.executable, "-m", "tests.bench.kills", "write", str(path), str(seed)]
    with subprocess.Popen(command, cwd=ROOT, stdout=subprocess.PIPE, text=True) as writer:
        assert writer.stdout is not None
        first = writer.stdout.readline()
        time.sleep(random.Random(seed).uniform(0.0, LONGEST_S))
        writer.kill()
        confirmed = [first, *writer.stdout.read().splitlines()]
    return look(path, [line for line in confirmed if line])


def look(path: Path, confirmed: list[str]) -> list[str]:
    """What is missing or half there."""
    wrong = [] if confirmed else ["the writer could not open the bench"]
    bench = Bench.open(path)
    events = {e.note for e in bench.history.events()}
    pairs = {r.note for r in bench.history.revisions() if r.note.startswith("pair")}
    for line in confirmed:
        kind, _, number = line.strip().partition(" ")
        if kind == "event" and f"step {number}" not in events:
            wrong.append(f"lost: {line}")
        if kind == "pair" and f"pair {number}" not in pairs:
            wrong.append(f"lost: {line}")
    kept = bench.shelf.value("pair")
    if kept is not None and f"pair {kept}" not in pairs:
        wrong.append("half of a pair")
    sound = bench._file.rows("PRAGMA integrity_check")
    wrong += [] if sound == [("ok",)] else [json.dumps(sound)]
    log = bench.logs.load(1)
    if log is not None and log.rows > sum(entry.rows for entry in bench.logs.all()):
        wrong.append("samples of no log")
    bench.close()
    copy = path.with_name("copy.nipper")
    if copy.exists():
        Bench.open(copy).close()
    return wrong


def main(count: int) -> int:
    """Kill so many writers; the number of kills after which something was wrong."""
    bad = 0
    with tempfile.TemporaryDirectory(prefix="nipper-kills-") as folder:
        for number in range(count):
            wrong = kill_once(Path(folder), SEED + number)
            bad += bool(wrong)
            for words in wrong:
                print(f"kill {number}: {words}", flush=True)
        left = sorted(p.name for p in Path(folder).iterdir())
    print(f"{count} kills, {bad} with something lost or half; left beside: {', '.join(left)}")
    return bad


if __name__ == "__main__":
    if sys.argv[1] == "write":
        write(Path(sys.argv[2]), int(sys.argv[3]))
    sys.exit(bool(main(int(sys.argv[1]))))
