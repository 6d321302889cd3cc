"""Speed as ratios: run with ``make bench``; the numbers are compared between runs, nothing here
fails on a slow machine.
"""

import os
import subprocess
import sys
import time
from collections import Counter

import numpy as np
import polars as pl
import pytest

from nipper.core.forecast.levelling import levelling
from nipper.core.forecast.plan import Plan
from nipper.core.forecast.rehearsal import rehearse
from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.logs.charges import find_charges
from nipper.core.logs.reader import read_log
from nipper.core.logs.writer import write_plain
from nipper.core.presets import new_setup
from nipper.core.rules import check
from nipper.core.setup import put
from nipper.core.simulate.scenario import Scenario
from nipper.core.simulate.trial import run
from nipper.store import Bench


@pytest.fixture(scope="session")
def month(tmp_path_factory):
    """2.6 million rows: 30 days of 16 cells at 1 s."""
    setup = new_setup("lfp", 16, 280.0)
    path = tmp_path_factory.mktemp("big") / "month.csv"
    write_plain(run(setup, Scenario(days=30, step_s=1.0, log_every_s=1.0)).logs[0], path)
    return setup, path


def test_import_of_a_month_against_the_tables_own_read(benchmark, month, tmp_path):
    setup, path = month
    start = time.perf_counter()
    pl.read_csv(path)
    plain_s = time.perf_counter() - start

    def take_in():
        file = tmp_path / f"{time.perf_counter_ns()}.nipper"
        bench = Bench.create(file, setup)
        bench.logs.add(1, read_log(path), path.name)
        bench.close()

    benchmark.pedantic(take_in, rounds=2)
    benchmark.extra_info["times polars' own read (to reach: < 1.5)"] = round(
        benchmark.stats["min"] / plain_s, 2
    )


def test_segmentation_of_a_month(benchmark, month):
    setup, path = month
    log = read_log(path)
    charges = benchmark.pedantic(lambda: find_charges(log, setup), rounds=3)
    benchmark.extra_info["charges"] = len(charges)


def test_judgement_of_a_month(benchmark, month):
    setup, path = month
    log = read_log(path)
    benchmark.pedantic(lambda: diagnose(log, setup), rounds=2)
    benchmark.extra_info["to reach"] = "< 2 s"


def test_simulating_a_year(benchmark):
    setup = new_setup("lfp", 16, 280.0)
    run(setup, Scenario(days=1))
    benchmark.pedantic(
        lambda: run(setup, Scenario(days=365, step_s=10.0, log_every_s=300.0)), rounds=2
    )
    benchmark.extra_info["to reach"] = "< 1.5 s"
    benchmark.extra_info["times real time"] = round(365 * 86400 / benchmark.stats["min"])


def test_forecasting_every_school(benchmark):
    """Level: twelve weeks of each school; what a user waits for after a change."""
    setup = new_setup("lfp", 16, 280.0)
    levelling(setup, {}, 1, Plan())
    benchmark.pedantic(lambda: levelling(setup, {}, 1, Plan()), rounds=2)


def test_rehearsing_three_days(benchmark):
    """Rehearse after each move of a limit."""
    setup = new_setup("lfp", 16, 280.0)
    benchmark(lambda: rehearse(setup, {}, Plan()))


def test_judging_the_settings_as_a_limit_is_dragged(benchmark):
    setups = [
        put(new_setup("lfp", 16, 280.0), {"protection.cell_over_voltage.trip_v": v})
        for v in np.linspace(3.5, 3.65, 20)
    ]
    benchmark(lambda: [check(s) for s in setups])
    benchmark.extra_info["ms a move"] = round(1e3 * benchmark.stats["min"] / 20, 2)


def test_a_frame_while_a_limit_is_dragged(benchmark, qtbot, tmp_path):
    """One move of the hand until consequences and figure are painted; to reach: 16 ms for 19 of
    20.
    """
    from PySide6.QtCore import QSettings, QThreadPool
    from PySide6.QtWidgets import QApplication

    from nipper.app.garbage import Sweeper
    from nipper.app.start import make_window

    window = make_window(
        QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat), "light", tmp_path
    )
    Sweeper(window)  # as in the application
    qtbot.addWidget(window)
    window.open_bench(Bench.create(tmp_path / "b.nipper", new_setup("lfp", 16, 280.0)))
    view = window.view("protect")
    window.show()
    document = window.document
    qtbot.waitUntil(lambda: not document.busy)
    at_work, quiet_s = QThreadPool.globalInstance().activeThreadCount, time.monotonic()
    while time.monotonic() - quiet_s < 1.0:  # what opening has begun
        qtbot.wait(20)
        quiet_s = time.monotonic() if document.busy or at_work() else quiet_s
    up = np.arange(3.56, 3.66, 0.01)
    values = iter(np.tile(np.r_[up, up[::-1]], 10_000))  # to and fro, as a hand goes

    def move():
        view.ladder.dragged.emit(
            "protection.cell_over_voltage.trip_v", round(float(next(values)), 2)
        )
        while document.busy:  # no waiting of the test's own: it looks every ten milliseconds
            QApplication.processEvents()
        QApplication.processEvents()  # painted

    benchmark.pedantic(move, rounds=100, warmup_rounds=3)
    benchmark.extra_info["ms, 19 of 20"] = round(
        1e3 * float(np.percentile(benchmark.stats.stats.data, 95)), 1
    )


def test_cold_start_against_a_bare_window(benchmark, tmp_path):
    """Process start to a painted window, against the least PySide6 window; to reach: < 4 times."""
    bare = (
        "from PySide6.QtWidgets import QApplication, QWidget; a = QApplication([]); w = "
        "QWidget(); w.show(); w.grab(); import os; os._exit(0)"
    )
    ours = (
        "from nipper.app.start import load, make_window; load()\n"
        "from pathlib import Path; from PySide6.QtCore import QSettings; from "
        "PySide6.QtWidgets import QApplication; a = QApplication([])\n"
        f"w = make_window(QSettings({str(tmp_path / 's.ini')!r}, "
        f"QSettings.Format.IniFormat), 'light', Path({str(tmp_path)!r}))\n"
        "from nipper.store import Bench; "
        f"w.open_bench(Bench.open({str(tmp_path / 'b.nipper')!r})); w.show(); w.grab()\n"
        "import os; os._exit(0)"  # painted: what threads go on to load is not waited for
    )
    Bench.create(tmp_path / "b.nipper", new_setup("lfp", 16, 280.0, 2)).close()
    env = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    env.pop("PYTHONDONTWRITEBYTECODE", None)  # an installed program is compiled

    def start(code: str) -> float:
        begin = time.perf_counter()
        subprocess.run([sys.executable, "-c", code], check=True, env=env, capture_output=True)
        return time.perf_counter() - begin

    bare_s = min(start(bare) for _ in range(3))
    benchmark.pedantic(lambda: start(ours), rounds=3, warmup_rounds=1)
    benchmark.extra_info["times a bare window (to reach: < 4)"] = round(
        benchmark.stats["min"] / bare_s, 2
    )
    benchmark.extra_info["ms of imports"] = _import_ms(ours, env)


def _import_ms(code: str, env: dict[str, str]) -> dict[str, float]:
    """The dearest imports by package, Nipper's own by the part of it, each without what it imports
    in turn; those of threads among them.
    """
    asked = [sys.executable, "-X", "importtime", "-c", code]
    told = subprocess.run(asked, check=True, env=env, capture_output=True, text=True).stderr
    spent = Counter[str]()
    for line in told.splitlines():
        own_us, _, name = line.removeprefix("import time:").split("|")
        if own_us.strip().isdigit():
            words = name.strip().split(".")
            spent[".".join(words[: 3 if words[0] == "nipper" else 1])] += int(own_us)
    return {package: round(us / 1e3, 1) for package, us in spent.most_common(12)}
