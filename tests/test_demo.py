"""The demo bench tells its story, and the demo walks through all views without a screen."""

import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from nipper import demo
from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.imbalance.resistance import step_resistances
from nipper.core.logs.charges import full
from nipper.core.rules import check
from nipper.core.rules.measured import measured
from nipper.store import Bench

ROOT = Path(__file__).parents[1]


@pytest.fixture(scope="module")
def story(tmp_path_factory):
    path = tmp_path_factory.mktemp("demo") / "demo.nipper"
    heard = []
    demo.make(path, heard.append)
    assert heard[-1] == pytest.approx(1.0)
    assert heard == sorted(heard)
    bench = Bench.open(path)
    yield bench
    bench.close()


def test_two_packs_three_months_and_what_was_done(story):
    assert [p.name for p in story.packs()] == ["North", "South"]
    assert [e.note for e in story.history.events()] == ["bars retorqued", "absorption 1 h → 3 h"]
    assert [r.kind for r in story.history.revisions() if r.kind == "typed in"] == [
        "typed in",
        "typed in",
    ]
    assert story.setup().charging.absorption_min == 180.0
    log = story.logs.load(1)
    assert log.days == pytest.approx(92, abs=0.1)
    assert log.cells == 16


def test_the_stray_of_north_is_found_and_south_is_healthy(story):
    setup = story.setup()
    north, south = (diagnose(story.logs.load(pack), setup) for pack in (1, 2))
    assert north.verdict == "act"
    assert (north.findings[0].cause, north.findings[0].cells) == ("self_discharge", (6,))
    assert (
        north.findings[0].low <= -62.0 + 2.0 <= north.findings[0].high + 4.0
    )  # 62 put in, against neighbours that leak about 2
    assert len(north.estimate.full) >= 20
    assert not [f for f in south.findings if f.cause == "self_discharge" and f.confidence > 0.5]


def test_the_loose_joint_of_south_is_gone_after_the_bars_were_retorqued(story):
    setup, log = story.setup(), story.logs.load(2)
    day = next(e.time_s for e in story.history.events() if e.kind == "repair")
    before, after = (
        step_resistances(log.select(part), setup) for part in (log.time_s < day, log.time_s > day)
    )
    assert 1e3 * before.excess_ohm[12] == pytest.approx(0.35, abs=0.06)
    assert abs(1e3 * after.excess_ohm[12]) < 0.05


def test_the_rules_speak_of_what_the_log_shows(story):
    setup, log = story.setup(), story.logs.load(1)
    evidence = measured(log, setup, diagnose(log, setup).estimate)
    codes = {f.code: f for f in check(setup, evidence)}
    assert "Cell 6 drifts" in codes["balancer-against-drift"].message
    assert "over-current-timing" in codes
    assert 5.0 < float(np.nanmin(log.temp_c)) < 20.0


def test_longer_absorption_gave_the_balancer_more_time(story):
    setup, log = story.setup(), story.logs.load(1)
    day = next(e.time_s for e in story.history.events() if e.kind == "setting")
    charges = [
        c
        for c in full(diagnose(log, setup).estimate.charges)
        if c.ended_by == "held" and c.absorption
    ]
    minutes = {
        late: [
            (log.time_s[c.absorption[1] - 1] - log.time_s[c.absorption[0]]) / 60
            for c in charges
            if (log.time_s[c.top] > day) == late
        ]
        for late in (False, True)
    }
    assert np.median(minutes[False]) == pytest.approx(60, abs=12)
    assert np.median(minutes[True]) > 120


def test_the_demo_walks_through_all_views_without_a_screen(story, tmp_path):
    """As ``nipper --demo`` does on a machine without a display, on Qt's own offscreen platform; the
    simulated bench is there already.
    """
    from nipper import __version__

    home = tmp_path / "home"
    data = home / ".local" / "share" / "nipper"
    data.mkdir(parents=True)
    story.copy_to(data / f"demo-{__version__}.pristine")
    env = {
        k: v
        for k, v in os.environ.items()
        if not k.startswith("XDG_") and k not in ("DISPLAY", "WAYLAND_DISPLAY")
    }
    env |= {"HOME": str(home), "QT_QPA_PLATFORM": "offscreen"}
    # the compiled simulator may be shared: it goes by what the sources hold
    env["XDG_CACHE_HOME"] = os.environ.get("XDG_CACHE_HOME", str(Path.home() / ".cache"))
    done = subprocess.run(
        [sys.executable, "-m", "nipper", "--demo", "--pictures", str(tmp_path / "pictures")],
        capture_output=True,
        text=True,
        env=env,
        cwd=ROOT,
        timeout=180,
        check=False,
    )
    assert done.returncode == 0, done.stderr
    assert "Pictures of all views: " in done.stdout
    pictures = sorted(p.stem for p in (tmp_path / "pictures").glob("*.png"))
    expected = (
        "start build build-current protect protect-currents level charge charge-strings cold link "
        "rehearse record diagnose diagnose-cell keep keep-meter "
        "typing-sheet watch build-dark"
    )
    assert set(expected.split()) <= set(pictures)
    assert "Traceback" not in done.stderr
