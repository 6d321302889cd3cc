"""A short run of random events on the window, in a process of its own: it takes Qt's hooks."""

import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parents[2]


def test_random_events_raise_nothing():
    command = [sys.executable, "-m", "tests.bench.monkey", "180", "small"]
    done = subprocess.run(
        command, cwd=ROOT, capture_output=True, text=True, timeout=280, check=False
    )
    assert "0 wrong" in done.stdout, done.stdout[-3000:] + done.stderr[-2000:]
    assert done.returncode == 0
