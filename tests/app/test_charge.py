"""The stage Charge in the window: the day from the kernel, strings, rates, other chargers, the
sheet, the budget.
"""

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QGuiApplication

from nipper.app.shell.writing import write_open_loop
from nipper.app.stages.charge.strings import HEAD_H, ROW_H
from nipper.app.stages.charge.view import ChargeView
from tests.core.test_rules import pv


@pytest.fixture
def charge(qtbot, open_window):
    view = open_window.view("charge")
    assert isinstance(view, ChargeView)
    qtbot.waitUntil(
        lambda: open_window.forecasts.drawn_day is not None and not open_window.forecasts.busy,
        timeout=120_000,
    )
    return view


def settle(qtbot, window):
    qtbot.waitUntil(lambda: not window.forecasts.busy and not window.document.busy, timeout=60_000)


def test_the_day_is_drawn_and_told(open_window, charge):
    day = open_window.forecasts.drawn_day
    assert day.hour[0] == 0.0
    assert 23.0 < day.hour[-1] < 24.0
    assert open_window.rail.entries["charge"].sentence.startswith("0.20C")
    assert len(charge.day.chart.volts.lines) >= 2
    assert any("such days" in c.place for c in open_window.follows.shown)


def test_another_season_is_another_day(qtbot, open_window, charge):
    before = open_window.forecasts.drawn_day
    charge.day.season.setCurrentIndex(2)
    charge.day.season.activated.emit(2)
    settle(qtbot, open_window)
    assert open_window.forecasts.drawn_day.season == "midwinter"
    assert open_window.forecasts.drawn_day.could_a.max() < 0.6 * before.could_a.max()


def test_settings_change_the_day(qtbot, open_window, charge):
    open_window.document.settings.change({"charging.absorption_v": 28.4}, "higher")
    settle(qtbot, open_window)
    assert open_window.forecasts.drawn_day.highest_v.max() > 3.5


def test_a_second_charger_counts_and_is_judged(qtbot, open_window, charge):
    charge.day.others.add.click()
    assert open_window.document.setup.other_chargers[0].name == "shore power"
    field = charge.day.others.fields[0, "absorption_v"]
    field.entered.emit(29.4)
    settle(qtbot, open_window)
    assert open_window.document.setup.other_chargers[0].absorption_v == 29.4
    assert any(
        f.code == "other-charger-against-trip" for f in open_window.document.judgement.findings
    )
    assert open_window.forecasts.drawn_day.trips
    assert open_window.rail.entries["charge"].status == "act"
    charge.day.others.remove_row(0)
    assert not open_window.document.setup.other_chargers


def test_strings_are_described_judged_and_rewired(qtbot, open_window, charge):
    charge.show_page(1)
    strings = charge.strings
    assert strings.start.isVisibleTo(strings)
    strings.start.click()
    assert open_window.document.setup.solar
    open_window.document.settings.change(pv(6, 3), "three in series")
    assert "destroys the input" in strings._says.text()
    row = next(i for i, way in enumerate(strings.chart._ways) if way.in_series == 2)
    assert not strings.chart._ways[row].forbidden
    qtbot.mouseClick(
        strings.chart, Qt.MouseButton.LeftButton, pos=QPoint(60, int(HEAD_H + (row + 0.5) * ROW_H))
    )
    assert open_window.document.setup.solar.in_series == 2
    assert "destroys the input" not in strings._says.text()


def test_a_module_of_ones_own_is_kept_in_the_bench(open_window, charge):
    charge.show_page(1)
    open_window.document.settings.change(pv(4, 2), "modules")
    strings = charge.strings
    strings.name.setText("roof, south")
    strings.name.setModified(True)
    strings.name.editingFinished.emit()
    strings.keep.click()
    strings.keep.click()  # twice is once
    assert [m.name for m in open_window.document.shelf.modules()] == ["roof, south"]
    assert strings.kinds.currentText() == "roof, south"
    strings.kinds.activated.emit(0)
    assert open_window.document.setup.solar.module.name != "roof, south"
    strings.kinds.activated.emit(strings.kinds.count() - 1)
    assert open_window.document.setup.solar.module.name == "roof, south"
    strings.forget.click()
    assert open_window.document.shelf.modules() == []


def test_the_table_of_rates_is_edited_and_goes_back_to_the_usual_one(open_window, charge):
    charge.show_page(2)
    rates = charge.rates
    assert not rates.usual.isVisibleTo(rates)
    rates.add.click()
    assert [s.from_c for s in open_window.document.setup.charging.rates] == [0.0, 2.0, 10.0, 20.0]
    _, c_rate = rates.fields[1]
    c_rate.set_value(0.3)
    c_rate.entered.emit(0.3)
    assert open_window.document.setup.charging.rates[1].c_rate == 0.3
    rates.usual.click()
    assert open_window.document.setup.charging.rates == ()


def test_the_open_loop_sheet_is_copied_and_written(open_window, charge, tmp_path, monkeypatch):
    charge.show_page(3)
    charge.sheet.copy.click()
    assert "absorption\t27.60 V" in QGuiApplication.clipboard().text()
    for name, start in (("sheet.csv", b"setting,value"), ("sheet.pdf", b"%PDF")):
        file = tmp_path / name
        monkeypatch.setattr(
            "nipper.app.widgets.asking.QFileDialog.getSaveFileName",
            lambda *_, file=file, **__: (str(file), ""),
        )
        write_open_loop(open_window)
        assert file.read_bytes().startswith(start)


def test_the_budget_follows_the_loads(qtbot, open_window, charge):
    charge.show_page(4)
    before = open_window.forecasts.budget.without_sun_days
    charge.energy.loads_typed(2.0 * open_window.forecasts.budget.kwh_per_day)
    settle(qtbot, open_window)
    assert open_window.forecasts.budget.without_sun_days == pytest.approx(before / 2, rel=0.01)
    assert "as entered" in charge.energy._source.text()
    charge.energy.loads_typed(None)
    assert open_window.document.setup.usage.kwh_per_day is None


def test_without_a_charger_it_says_so(qtbot, open_window, charge):
    open_window.document.settings.change({"charging": None}, "none")
    settle(qtbot, open_window)
    assert open_window.rail.entries["charge"].sentence == "no charger is described"
    for page in range(5):
        charge.show_page(page)


def test_pointing_at_a_setting_brings_its_page(charge):
    for path, page in (("solar.in_series", 1), ("charging.rates", 2), ("charging.float_v", 0)):
        charge.show_field(path)
        assert charge._stack.currentIndex() == page


def test_the_loads_are_listed_one_by_one(qtbot, open_window, charge):
    document, page = open_window.document, charge.energy
    charge.show_page(4)
    page.one_by_one.click()
    assert page.list.isVisibleTo(page)
    page.list.add.click()
    assert document.setup.usage.loads[0].name == "fridge"
    page.list.fields[0, "amps"].entered.emit(10.0)
    load = document.setup.usage.loads[0]
    assert (load.watts, load.amps) == (None, 10.0)  # it is one or the other
    page.list.fields[0, "hours_per_day"].entered.emit(24.0)
    settle(qtbot, open_window)
    nominal_v = 3.2 * document.setup.cells
    assert open_window.forecasts.budget.drawn_kwh > 10.0 * nominal_v * 24.0 / 1e3
    assert "the sum of the loads one by one" in page._source.text()
    page.list.remove_row(0)
    assert not document.setup.usage.loads


def test_strings_of_another_module_are_described_and_taken_out(open_window, charge):
    document, page = open_window.document, charge.strings
    charge.show_page(1)
    page.start.click()
    assert not page.other_form.isVisibleTo(page)
    page.other.click()
    assert document.setup.solar.other.in_series == document.setup.solar.in_series
    assert page.other_form.isVisibleTo(page)
    page.other_form.entered.emit("solar.other.module.vmp_v", 20.0)
    page.other_form.entered.emit("solar.other.module.voc_v", 24.0)
    assert "unlike strings at one voltage" in page._says.text()
    page.other.click()
    assert document.setup.solar.other is None
