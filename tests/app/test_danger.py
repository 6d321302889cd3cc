"""A cell that may be ruined, in the window: first in every place, and no remedy beside it."""

from dataclasses import replace

import numpy as np
import pytest
from PySide6.QtWidgets import QLabel

from nipper.core.report.consequence import Status
from nipper.store import Bench
from tests.bench.others import other


@pytest.fixture
def dangerous(window, tmp_path, qtbot):
    """A weak cell that the others drive the wrong way under load."""
    pack = other("soc_offset", 963)
    cell_v = pack.log.cell_v.copy()
    cell_v[pack.log.current_a < -5.0, 2] = -0.4
    bench = Bench.create(tmp_path / "weak.nipper", pack.setup)
    bench.logs.add(1, replace(pack.log, cell_v=cell_v), "log.csv")
    window.open_bench(bench)
    qtbot.waitUntil(lambda: window.document.record is not None, timeout=30_000)
    return window


def seen(view):
    return "\n".join(one.text() for one in view.findChildren(QLabel) if one.isVisible())


def test_it_leads_in_diagnose_and_nothing_is_fed_or_bled(dangerous, qtbot):
    dangerous.go("diagnose")
    view = dangerous.desk.view("diagnose")
    findings = dangerous.document.record.diagnosis.findings
    assert findings
    assert findings[0].confidence > 0.5
    qtbot.waitUntil(lambda: "Cell 3 read −0.40 V: stop charging, and measure" in seen(view))
    shown = seen(view)
    assert "never charge it again" in shown
    for action in findings[0].actions:
        assert action not in shown
    assert "stop charging" in dangerous.rail.entries["diagnose"].sentence
    assert dangerous.rail.entries["diagnose"].status == "act"


@pytest.mark.parametrize("stage", ["record", "diagnose", "level"])
def test_it_is_first_of_what_follows(dangerous, stage, qtbot):
    dangerous.go(stage)
    qtbot.waitUntil(lambda: bool(dangerous.follows.shown) and not dangerous.forecasts.busy)
    first = dangerous.follows.shown[0]
    assert first.status is Status.ACT
    assert first.lead == "Cell 3 read -0.40 V: stop charging, and measure."


def test_also_where_no_charge_tells_anything(window, tmp_path, qtbot):
    pack = other("", 963)
    few = pack.log.select(slice(0, 40))
    cell_v = np.where(np.arange(few.cells) == 2, np.float32(1.2), few.cell_v)
    bench = Bench.create(tmp_path / "few.nipper", pack.setup)
    bench.logs.add(1, replace(few, cell_v=cell_v), "log.csv")
    window.open_bench(bench)
    qtbot.waitUntil(lambda: window.document.record is not None, timeout=30_000)
    for stage in ("record", "diagnose"):
        window.go(stage)
        view = window.desk.view(stage)
        qtbot.waitUntil(lambda v=view: "never charge it again" in seen(v))
