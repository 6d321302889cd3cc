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


def measured(view, bms, meter):
    for field, text in ((view.looked.bms_v, bms), (view.looked.meter_v, meter)):
        field.setText(text)
        field.setModified(True)
        field.editingFinished.emit()
    view.looked.keep_cell()


def kinds(window):
    return [danger.kind for danger in window.document.record.diagnosis.dangers]


def test_what_a_meter_disproves_is_no_more_told_and_can_be_undone(dangerous, qtbot):
    dangerous.go("diagnose")
    view, history = dangerous.desk.view("diagnose"), dangerous.document.history
    findings = dangerous.document.record.diagnosis.findings
    assert view.looked.isVisible()
    assert view.looked.cell.currentText() == "cell 3"
    measured(view, "-0.4", "")
    assert "Both are needed" in view.looked.trouble.text()
    measured(view, "-0.4", "1.1")
    assert "then the cell is what the log says" in view.looked.trouble.text()
    assert history.events() == []
    measured(view, "-0.4", "3.7")
    qtbot.waitUntil(lambda: kinds(dangerous) == ["misread"])
    assert dangerous.document.record.diagnosis.findings is findings  # nothing was judged anew
    qtbot.waitUntil(lambda: "no limit guards it" in seen(view))
    assert dangerous.rail.entries["diagnose"].status == "act"
    event = history.events()[0]
    assert event.note == "cell 3 measured: 3.700 V by the meter, -0.400 V by the BMS"
    history.remove_event(event.id)
    qtbot.waitUntil(lambda: kinds(dangerous) == ["low_cell"])


def test_a_sensor_that_lies_elsewhere_is_no_more_the_cells(window, tmp_path, qtbot):
    pack = other("soc_offset", 963)
    temp_c = np.column_stack([pack.log.temp_c, np.full(pack.log.rows, 72.0)])
    bench = Bench.create(tmp_path / "warm.nipper", pack.setup)
    bench.logs.add(1, replace(pack.log, temp_c=temp_c), "log.csv")
    window.open_bench(bench)
    qtbot.waitUntil(lambda: window.document.record is not None, timeout=30_000)
    assert kinds(window) == ["too_hot"]
    window.go("diagnose")
    looked = window.desk.view("diagnose").looked
    assert looked.sensor.currentText() == f"sensor {temp_c.shape[1]}"
    looked.keep_sensor()
    assert "Where does it lie?" in looked.trouble.text()
    looked.where.setText("on the switch")
    looked.keep_sensor()
    qtbot.waitUntil(lambda: kinds(window) == [], timeout=30_000)
    assert not looked.isVisible()
    record = window.document.record
    assert np.isnan(record.log.temp_c[:, -1]).all()
    assert (record.recorded.temp_c[:, -1] == 72.0).all()  # and it is written as it was recorded


def test_a_sheet_typed_later_is_what_dangers_are_told_by(window, tmp_path, qtbot):
    pack = other("soc_offset", 963)
    cell_v = pack.log.cell_v.copy()
    cell_v[cell_v[:, 2] > 4.0, 2] = 4.27
    bench = Bench.create(tmp_path / "high.nipper", pack.setup)
    bench.logs.add(1, replace(pack.log, cell_v=cell_v), "log.csv")
    window.open_bench(bench)
    qtbot.waitUntil(lambda: window.document.record is not None, timeout=30_000)
    assert kinds(window) == ["above_sheet"]
    window.document.settings.change({"cell.max_v": 4.35}, "its sheet")
    window.document.settings.save()
    qtbot.waitUntil(lambda: kinds(window) == [])
