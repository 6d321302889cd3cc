"""A judgement that is not sure, in the window."""

from PySide6.QtWidgets import QLabel

from nipper.store import Bench
from tests.bench.lives import LIVES, lived


def test_diagnose_says_perhaps_and_what_would_make_it_sure(qtbot, window, tmp_path):
    """A cell a tenth weaker, not surely: it was told in a corner, "the cells keep together"."""
    life = [each.__name__ for each in LIVES].index("night_rate")
    pack = lived(life, "low_capacity", 953)
    (cell,) = pack.truth.cells
    bench = Bench.create(tmp_path / "perhaps.nipper", pack.setup)
    bench.logs.add(1, pack.log, "log.csv")
    window.open_bench(bench)
    qtbot.waitUntil(lambda: window.document.record is not None, timeout=30_000)
    window.go("diagnose")
    view = window.desk.view("diagnose")
    shown = "\n".join(one.text() for one in view.findChildren(QLabel) if one.isVisible())
    assert f"Perhaps: Cell {cell} holds" in shown
    assert "Nothing yet: make sure first" in shown
    assert f"Cell {cell} may hold up to" in shown
    assert window.rail.entries["diagnose"].sentence.startswith(f"Perhaps: Cell {cell}")
