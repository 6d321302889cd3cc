"""How long the window's loop stands still: ``python -m tests.bench.turns``, on a quiet machine.

The demo bench is opened, every stage looked at, packs and theme changed, a setting typed; and a log
is imported while forecast and diagnosis are at work. Printed is the longest turn of the loop of
each, in milliseconds: what is pressed in the meantime is heard after it; and how much of a turn at
most was the window's own work, the rest it waited for the machine or for another thread.
"""

import os
import tempfile
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import partial
from operator import attrgetter
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtCore import QSettings, QThreadPool
from PySide6.QtWidgets import QApplication

from nipper.app.garbage import Sweeper
from nipper.app.jobs import wait_for_jobs
from nipper.app.shell.stages import STAGES
from nipper.app.shell.window import Window
from nipper.app.start import load, make_window, show
from nipper.core.logs.writer import write_plain
from nipper.core.simulate.scenario import Scenario
from nipper.core.simulate.trial import run

QUIET_S, LONGEST_S = 0.4, 120.0
DAYS, STEP_S = 30.0, 10.0  # 260,000 rows


@dataclass
class Longest:
    """The longest turn and the most of the window's own work in one, seconds."""

    turn_s: float = 0.0
    work_s: float = 0.0

    def turn(self, act: Callable[[], object]) -> float:
        """Take one; how long it took, s."""
        begun, worked = time.perf_counter(), time.thread_time()
        act()
        took_s = time.perf_counter() - begun
        self.turn_s = max(self.turn_s, took_s)
        self.work_s = max(self.work_s, time.thread_time() - worked)
        return took_s


def longest(act: Callable[[], object]) -> Longest:
    """Do it, and follow the loop until nothing is at work."""
    found = Longest()
    begun = busy_s = time.monotonic()
    found.turn(act)
    while time.monotonic() - busy_s < QUIET_S and time.monotonic() - begun < LONGEST_S:
        took_s = found.turn(QApplication.processEvents)
        if took_s > 2e-3 or QThreadPool.globalInstance().activeThreadCount():
            busy_s = time.monotonic()
        time.sleep(1e-3)
    return found


TURN, WORK = attrgetter("turn_s"), attrgetter("work_s")


def month(window: Window, folder: Path) -> Path:
    """A log of the shown pack, a month of ten-second rows."""
    assert window.document
    path = folder / "month.csv"
    plan = Scenario(days=DAYS, step_s=STEP_S, log_every_s=STEP_S)
    write_plain(run(window.document.setup, plan).logs[0], path)
    return path


def change(window: Window) -> None:
    """Another setting: rules, forecasts and figures follow."""
    assert window.document
    trip_v = window.document.setup.protection.cell_over_voltage.trip_v or 3.6
    changes = {"protection.cell_over_voltage.trip_v": round(trip_v - 0.01, 3)}
    window.document.settings.change(changes, "Over-voltage trip")


def at_work(window: Window, log: Path) -> Iterator[tuple[str, Callable[[], object]]]:
    """Import, forecast and diagnosis at once."""
    yield "a table of 260,000 rows read", lambda: window.importer.read(str(log))
    page = window.importer.page
    assert page

    def import_and_ask() -> None:
        change(window)
        page.confirm()

    yield "imported, diagnosed, a forecast at work", import_and_ask


def acts(window: Window, folder: Path) -> Iterator[tuple[str, Callable[[], object]]]:
    """What is done, one after the other."""
    yield "the demo opened", window.open_demo
    for word in ("first look at", "again"):
        for stage in STAGES:
            yield f"{word} {stage.title}", partial(window.go, stage.id)
    assert window.desk
    for stage in STAGES:
        window.go(stage.id)
        yield f"another pack in {stage.title}", window.desk.next_pack
    for stage in ("protect", "diagnose", "rehearse"):
        window.go(stage)
        yield f"a setting changed in {stage.capitalize()}", lambda: change(window)
    yield "the dark theme", lambda: window.set_theme("dark")
    yield from at_work(window, month(window, folder))
    yield "New bench", window.new_bench


def main() -> None:
    """Measure it."""
    load()
    app = QApplication([])
    app.setStyle("Fusion")
    Sweeper(app)  # as in the application
    with tempfile.TemporaryDirectory(prefix="nipper-turns-") as folder:
        settings = QSettings(f"{folder}/settings.ini", QSettings.Format.IniFormat)
        window = make_window(settings, "light", Path(folder))
        window.resize(1280, 800)
        show(window)
        told = [(longest(act), name) for name, act in acts(window, Path(folder))]
        window.close()
        wait_for_jobs()
    print("  turn    work")
    for each, name in told:
        print(f"{1e3 * each.turn_s:6.0f}  {1e3 * each.work_s:6.0f} ms  {name}")
    turns, works = (sum(at(each) > 0.1 for each, _ in told) for at in (TURN, WORK))
    print(f"of {len(told)} over 100 ms: {turns}, by the window's own work {works}")


if __name__ == "__main__":
    main()
