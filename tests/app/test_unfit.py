"""A log that is not of the cells which the settings speak of, in the window."""

from dataclasses import replace

import numpy as np
from PySide6.QtWidgets import QLabel

from nipper.core.presets import new_setup
from nipper.store import Bench
from tests.bench.others import other


def test_record_and_diagnose_show_why_and_nothing_else(qtbot, window, tmp_path):
    pack = other("", 962)
    setup = new_setup("nmc", pack.setup.cells, pack.setup.capacity_ah)
    bench = Bench.create(tmp_path / "other.nipper", setup)
    bench.logs.add(1, pack.log, "log.csv")
    window.open_bench(bench)
    qtbot.waitUntil(lambda: window.document.record is not None, timeout=30_000)
    for stage in ("record", "diagnose"):
        window.go(stage)
        view = window.desk.view(stage)
        shown = "\n".join(one.text() for one in view.findChildren(QLabel) if one.isVisible())
        assert "The log and the settings cannot both be right" in shown
        assert "Do not charge by these settings" in shown
        assert window.rail.entries[stage].sentence == "log and settings do not fit"
    qtbot.waitUntil(lambda: "contradiction" in window.rail.entries["protect"].sentence)


def test_a_pack_that_is_not_of_its_settings_shares_no_current(qtbot, window, tmp_path):
    """Its numbers were held against the other's, and its way to the bus was blamed."""
    pack = other("", 962)
    chemistry = pack.setup.chemistry
    setup = new_setup(chemistry, pack.setup.cells, pack.setup.capacity_ah, 2)
    bench = Bench.create(tmp_path / "two.nipper", setup)
    bench.logs.add(1, pack.log, "log.csv")
    wrong = replace(pack.log, cell_v=pack.log.cell_v + np.float32(1.0))
    bench.logs.add(2, wrong, "wrong.csv")
    window.open_bench(bench)
    window.go("diagnose")
    qtbot.waitUntil(
        lambda: (
            len([r for r in window.document.records.by_pack.values() if r]) == 2
            and not window.document.busy
            and not window.forecasts.busy
            and window.forecasts.comparison.value is not None
        ),
        timeout=60_000,
    )
    # whichever was judged first
    unfit = {i: r.diagnosis.unfit for i, r in window.document.records.by_pack.items()}
    assert unfit == {1: False, 2: True}
    compared = window.forecasts.comparison.value
    assert list(compared.changes) == [window.document.records.packs[0].id]
    assert compared.shared is None
    assert window.document.measured_shares() is None
    assert any("takes a log of each of them" in c.text for c in window.follows.shown)
