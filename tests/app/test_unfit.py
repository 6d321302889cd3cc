"""A log that is not of the cells which the settings speak of, in the window."""

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
