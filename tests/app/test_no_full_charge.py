"""Diagnose where no full charge tells how full the cells are."""

from itertools import pairwise

from PySide6.QtWidgets import QLabel

from nipper.core.imbalance.diagnosis import diagnose
from nipper.store import Bench
from tests.bench.others import other


def half_a_day(pack):
    """Between two full charges of a house with sun: the longest time without a top."""
    tops = [c.top for c in diagnose(pack.log, pack.setup).estimate.full]
    before, after = max(pairwise(tops), key=lambda pair: pair[1] - pair[0])
    way = after - before
    return pack.log.select(slice(before + way // 4, before + way * 9 // 10))


def test_what_is_found_without_one_is_shown_with_what_to_do(qtbot, window, tmp_path):
    """The heading was "no single cause stands out" over an empty page, while a resistive cell was
    named at its side, and what to do about it nowhere.
    """
    pack = other("high_resistance", 4, "lfp")
    log = half_a_day(pack)
    found = diagnose(log, pack.setup)
    assert not found.estimate.full
    lead = next(f for f in found.findings if f.confidence > 0.5)
    assert (lead.cause, lead.cells) == ("high_resistance", pack.truth.cells)
    bench = Bench.create(tmp_path / "day.nipper", pack.setup)
    bench.logs.add(1, log, "log.csv")
    window.open_bench(bench)
    qtbot.waitUntil(lambda: window.document.record is not None, timeout=30_000)
    window.go("diagnose")
    view = window.desk.view("diagnose")
    shown = [one.text() for one in view.findChildren(QLabel) if one.isVisible()]
    assert lead.summary.rstrip(".") in shown
    assert lead.actions[0] in shown
    assert any(text.startswith("No full charge of this log tells") for text in shown)
    assert not view.plot.isVisible()
    view.pick(lead.cells[0])
    assert any(
        one.text() == f"Cell {lead.cells[0]}, all that is known"
        for one in view.findChildren(QLabel)
    )
