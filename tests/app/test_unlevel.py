"""A pack that is not level, and no single cause stands out: told in the window, not called
healthy.
"""

import numpy as np
import pytest

from nipper.core.imbalance import diagnosis
from nipper.core.presets import new_setup
from nipper.core.setup import put
from nipper.store import Bench
from tests.app.test_window import words
from tests.builders import charge_log
from tests.otherpack import Cells, Use, make, published_curve


@pytest.fixture
def unlevel(tmp_path, monkeypatch):
    """Half of the cells 4 % fuller; whatever the causes would say of it is left out."""
    monkeypatch.setattr(diagnosis, "weigh", lambda *_: ([], []))
    setup = put(new_setup("lfp", 8, 100.0, name="Halves"), {"balancer": None})
    offset = np.array([4.0, 4.0, 4.0, 4.0, 0.0, 0.0, 0.0, 0.0])
    curve = published_curve("ocv_lfp_constructed.csv", "ocv_ecker_v")
    log, _ = make(setup, Cells(curve, offset_pct=offset), Use(days=6))
    path = tmp_path / "halves.nipper"
    bench = Bench.create(path, setup)
    bench.logs.add(1, log, "halves.csv")
    bench.close()
    return path


def test_it_is_said_in_the_rail_and_as_the_title(qtbot, window, unlevel):
    window.open_bench(Bench.open(unlevel))
    window.go("diagnose")
    told = "The cells are not level, and no single cause stands out"
    qtbot.waitUntil(lambda: told in words(window), timeout=20_000)
    assert window.rail.entries["diagnose"].sentence == "not level, no single cause"
    assert "stand at least" in words(window)


def test_cells_that_keep_together_are_drawn_together(qtbot, window, tmp_path):
    """Noise of a thousandth of a per cent filled the figure from top to bottom."""
    setup = new_setup("lfp", 8, 100.0)
    bench = Bench.create(tmp_path / "level.nipper", setup)
    bench.logs.add(1, charge_log(setup, np.zeros(8), charges=6), "log.csv")
    window.open_bench(bench)
    qtbot.waitUntil(lambda: window.document.record is not None, timeout=30_000)
    low, high = window.view("diagnose").plot.item.viewRange()[1]
    assert low <= -0.5 < 0.5 <= high
