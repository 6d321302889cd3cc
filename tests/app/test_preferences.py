"""Preferences: kept, seen at once where that can be, and never in what is computed or written."""

import pytest
from PySide6.QtCore import QSettings

from nipper.app.shell.preferencespage import (
    SIZE_KEY,
    PreferencesPage,
    apply_units,
    size_factor,
)
from nipper.app.widgets.field import UnitField
from nipper.app.widgets.units import UNITS

COLD = "protection.charge_under_temperature.trip_c"


@pytest.fixture(autouse=True)
def celsius():
    yield
    UNITS.use_fahrenheit(False)


@pytest.fixture
def page(open_window):
    page = open_window.side.show("preferences")
    assert isinstance(page, PreferencesPage)
    return page


def choose(box, value):
    box.setCurrentIndex(box.findData(value))
    box.activated.emit(box.currentIndex())


def test_fields_show_and_take_fahrenheit_and_keep_celsius(qtbot, open_window, page):
    choose(page.degrees, "F")
    open_window.go("protect")
    view = open_window.desk.view("protect")
    view.show_field(COLD)
    field = next(f.field(COLD) for f in view.forms if COLD in f.paths)
    assert isinstance(field, UnitField)
    field.setFocus()
    field.selectAll()
    qtbot.keyClicks(field, "41")
    field.editingFinished.emit()
    assert field.text() == "41 °F"
    assert open_window.document.setup.protection.charge_under_temperature.trip_c == 5.0
    assert field.accessibleName().endswith("°F")


@pytest.mark.parametrize(
    ("typed", "celsius", "shown"),
    [
        ("41", 5.0, "41 °F"),
        ("5 C", 5.0, "41 °F"),
        ("-4", -20.0, "−4 °F"),
        ("273.15 K", 0.0, "32 °F"),
    ],
)
def test_what_is_typed_is_taken_in_the_unit_that_is_shown(qtbot, typed, celsius, shown):
    UNITS.use_fahrenheit(True)
    field = UnitField("°C", "cutoff")
    qtbot.addWidget(field)
    qtbot.keyClicks(field, typed)
    with qtbot.waitSignal(field.entered):
        field.editingFinished.emit()
    assert field.value == pytest.approx(celsius, abs=1e-6)
    assert field.text() == shown


def test_a_bound_is_told_in_the_unit_that_is_shown(qtbot):
    UNITS.use_fahrenheit(True)
    field = UnitField("°C", "cutoff")
    qtbot.addWidget(field)
    field.set_bounds(-40.0, 60.0)
    qtbot.keyClicks(field, "400")
    field.editingFinished.emit()
    assert field.trouble
    assert "140 °F" in field.toolTip()


def test_other_units_stay_as_they_are(qtbot):
    UNITS.use_fahrenheit(True)
    field = UnitField("V", "trip")
    qtbot.addWidget(field)
    field.set_value(3.65)
    assert field.text() == "3.65 V"


def test_a_choice_is_kept_for_the_next_start(settings, page):
    choose(page.degrees, "F")
    choose(page.scale, "130")
    UNITS.use_fahrenheit(False)
    apply_units(settings)
    assert UNITS.name("°C") == "°F"
    assert size_factor(settings) == "1.3"
    page.refresh()
    assert page.scale.currentText() == "130 %"


@pytest.mark.parametrize("nonsense", ["", "0", "-1", "3000", "large", "1e9"])
def test_a_size_that_was_not_offered_is_none(tmp_path, nonsense):
    settings = QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat)
    settings.setValue(SIZE_KEY, nonsense)
    assert size_factor(settings) == ""


def test_the_theme_is_turned_over_from_there(open_window, page):
    choose(page.dress, "dark")
    assert open_window.theme.mode == "dark"
    choose(page.dress, "light")


def test_one_comes_back_from_there_with_and_without_a_bench(window, bench):
    window.side.show("preferences").left.emit()
    assert window.pages.currentWidget() is window.start_page
    window.open_bench(bench)
    window.side.show("preferences").left.emit()
    assert window.stage
    assert window.pages.currentWidget() is window.desk.view(window.stage)
