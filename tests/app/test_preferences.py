"""Preferences: kept, seen at once where that can be, and never in what is computed or written."""

import re

import pytest
from PySide6.QtCore import QLocale, QSettings
from PySide6.QtWidgets import QAbstractButton, QComboBox, QDateEdit, QStackedWidget

from nipper.app.shell.preferencespage import SIZE_KEY, PreferencesPage, form_of, size_factor
from nipper.app.shell.stages import STAGES
from nipper.app.widgets.basic import Line, label
from nipper.app.widgets.brush import Brush
from nipper.app.widgets.field import UnitField
from nipper.app.widgets.units import UNITS
from nipper.core.quantities import Context
from nipper.core.shown import USUAL, Dates, Form

COLD = "protection.charge_under_temperature.trip_c"


@pytest.fixture(autouse=True)
def celsius():
    yield
    UNITS.use(USUAL)


@pytest.fixture
def page(open_window):
    page = open_window.side.show("preferences")
    assert isinstance(page, PreferencesPage)
    return page


def choose(box, value):
    box.setCurrentIndex(box.findData(value))
    box.activated.emit(box.currentIndex())


def test_fields_show_and_take_fahrenheit_and_keep_celsius(qtbot, open_window, page):
    choose(page.boxes["temperature"], "F")
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
    UNITS.use(Form(fahrenheit=True))
    field = UnitField("°C", "cutoff")
    qtbot.addWidget(field)
    qtbot.keyClicks(field, typed)
    with qtbot.waitSignal(field.entered):
        field.editingFinished.emit()
    assert field.value == pytest.approx(celsius, abs=1e-6)
    assert field.text() == shown


def test_a_bound_is_told_in_the_unit_that_is_shown(qtbot):
    UNITS.use(Form(fahrenheit=True))
    field = UnitField("°C", "cutoff")
    qtbot.addWidget(field)
    field.set_bounds(-40.0, 60.0)
    qtbot.keyClicks(field, "400")
    field.editingFinished.emit()
    assert field.trouble
    assert "140 °F" in field.toolTip()


def test_other_units_stay_as_they_are(qtbot):
    UNITS.use(Form(fahrenheit=True))
    field = UnitField("V", "trip")
    qtbot.addWidget(field)
    field.set_value(3.65)
    assert field.text() == "3.65 V"


def test_a_choice_is_kept_for_the_next_start(settings, page):
    choose(page.boxes["temperature"], "F")
    choose(page.boxes["size_pct"], "130")
    UNITS.use(USUAL)
    UNITS.use(form_of(settings))
    assert UNITS.name("°C") == "°F"
    assert size_factor(settings) == "1.3"
    page.refresh()
    assert page.boxes["size_pct"].currentText() == "130 %"


@pytest.mark.parametrize("nonsense", ["", "0", "-1", "3000", "large", "1e9"])
def test_a_size_that_was_not_offered_is_none(tmp_path, nonsense):
    settings = QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat)
    settings.setValue(SIZE_KEY, nonsense)
    assert size_factor(settings) == ""


def test_the_theme_is_turned_over_from_there(open_window, page):
    choose(page.boxes["theme"], "dark")
    assert open_window.theme.mode == "dark"
    choose(page.boxes["theme"], "light")


def test_one_comes_back_from_there_with_and_without_a_bench(window, bench):
    window.side.show("preferences").left.emit()
    assert window.pages.currentWidget() is window.start_page
    window.open_bench(bench)
    window.side.show("preferences").left.emit()
    assert window.stage
    assert window.pages.currentWidget() is window.desk.view(window.stage)


@pytest.fixture
def painted(monkeypatch):
    """All texts that figures paint."""
    found: list[str] = []
    as_qt = Brush.drawText

    def spy(self, *args):
        found.extend(UNITS.text(a) for a in args if isinstance(a, str))
        return as_qt(self, *args)

    monkeypatch.setattr(Brush, "drawText", spy)
    return found


def texts_of(widget):
    for line in widget.findChildren(Line):
        if not line.as_it_is:
            yield line.text()
    for box in widget.findChildren(QComboBox):
        yield from (box.itemText(i) for i in range(box.count()))
    for press in widget.findChildren(QAbstractButton):
        yield press.text()


def test_no_stage_speaks_of_celsius_or_of_points_once_others_are_chosen(
    qtbot, open_window, page, painted
):
    for key, value in (("temperature", "F"), ("mark", "comma"), ("date", "ISO")):
        choose(page.boxes[key], value)
    painted.clear()
    told: list[str] = []
    for stage in STAGES:
        open_window.go(stage.id)
        view = open_window.desk.view(stage.id)
        pages = view.findChild(QStackedWidget)
        for index in range(pages.count() if pages else 1):
            view.show_page(index)
            view.grab()
        told += list(texts_of(open_window))
    told += painted
    assert any("°F" in text for text in told)
    assert any(re.search(r"\d,\d+ V", text) for text in told)
    assert not [text for text in told if re.search(r"\d °C", text)]
    lists = {b.itemText(i) for b in open_window.findChildren(QComboBox) for i in range(b.count())}
    plain = [text for text in told if text not in lists]  # names of chemistries and the like
    assert not [text for text in plain if re.search(r"\d\.\d+ (V|Ah|A|%|h)\b", text)]
    assert not [text for text in told if re.search(r"\d (Jan|Feb|Mar|Apr|Ma|Ju)\w* \d{4}", text)]


def test_what_stands_already_is_said_again(open_window, page):
    line = label("from 27 Nov 2026 on below 5 °C")
    choose(page.boxes["date"], "POINTS")
    choose(page.boxes["temperature"], "F")
    assert line.text() == "from 27.11.2026 on below 41 °F"
    choose(page.boxes["temperature"], "C")
    choose(page.boxes["date"], "WORD")
    assert line.text() == "from 27 Nov 2026 on below 5 °C"


def test_a_field_for_a_day_follows_and_keeps_its_day(open_window, page):
    open_window.go("record")
    edit = open_window.desk.view("record").findChild(QDateEdit)
    day = edit.date()
    choose(page.boxes["date"], "MONTH_FIRST")
    assert edit.text() == day.toString("MM/dd/yyyy")
    assert edit.date() == day


@pytest.mark.parametrize(
    ("typed", "amperes", "shown"),
    [("0.5", 50.0, "0.5 C"), ("20 A", 20.0, "0.2 C"), ("0.25C", 25.0, "0.25 C"),
     ("1500 mA", 1.5, "0.015 C")],
)  # fmt: skip
def test_a_packs_current_is_typed_and_shown_as_c_rate(qtbot, typed, amperes, shown):
    UNITS.use(Form(c_rates=True))
    field = UnitField("A", "charge current")
    qtbot.addWidget(field)
    field.context = Context(100.0, of_pack=True)
    qtbot.keyClicks(field, typed)
    with qtbot.waitSignal(field.entered):
        field.editingFinished.emit()
    assert field.value == pytest.approx(amperes, abs=1e-6)
    assert field.text() == shown


def test_a_fuse_stays_in_amperes(qtbot):
    UNITS.use(Form(c_rates=True))
    field = UnitField("A", "main fuse")
    qtbot.addWidget(field)
    field.context = Context(100.0)
    field.set_value(125.0)
    assert field.text() == "125 A"


def test_a_field_keeps_the_digits_that_can_be_typed_back(qtbot):
    UNITS.use(Form(comma=True, digits=2))
    field = UnitField("A", "tail current")
    qtbot.addWidget(field)
    field.set_value(12.25)
    assert field.text() == "12,25 A"
    assert UNITS.text("12.25 A") == "12 A"


@pytest.mark.parametrize("nonsense", ["", "X", "11", "F ", "NaN"])
def test_a_preference_that_was_not_offered_is_the_usual(tmp_path, nonsense):
    settings = QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat)
    for key in ("temperature", "current", "date", "mark", "digits"):
        settings.setValue(key, nonsense)
    assert form_of(settings) == Form(fahrenheit=False, dates=Dates.WORD)


def test_what_is_typed_into_a_device_stays_in_the_devices_units(open_window, page):
    """Somebody types these numbers into a BMS that knows nothing of this reader's habits."""
    cold = {"protection.charge_under_temperature.trip_c": 2.5, "charging.tail_a": 12.25}
    open_window.document.settings.change(cold, "odd values")
    for key, value in (("temperature", "F"), ("mark", "comma"), ("digits", "2"), ("current", "C")):
        choose(page.boxes[key], value)
    typing = open_window.side.show("typing")
    paths = [line.path for line in typing.sheet.lines]
    for path, shown in ((COLD, "2.5 °C"), ("charging.tail_a", "12.25 A")):
        typing.list.setCurrentRow(paths.index(path))
        typing.list.itemClicked.emit(typing.list.currentItem())
        assert typing._value.text() == shown
    open_window.go("charge")
    charge = open_window.desk.view("charge")
    charge.show_page(3)
    told = [line.text() for line in charge.findChildren(Line)]
    assert "27.60 V" in told
    assert "27,60 V" not in told


def test_a_sheet_to_type_from_is_printed_as_it_is(monkeypatch):
    from PySide6.QtGui import QTextDocument

    from nipper.app.widgets.printing import as_pdf

    told: list[str] = []
    monkeypatch.setattr(QTextDocument, "setHtml", lambda _self, html: told.append(html))
    UNITS.use(Form(fahrenheit=True, comma=True))
    as_pdf("<p>stops at 2.5 °C</p>", for_device=True)
    as_pdf("<p>stops at 2.5 °C</p>")
    assert told == ["<p>stops at 2.5 °C</p>", "<p>stops at 36,5 °F</p>"]


@pytest.mark.parametrize(
    ("desktop", "chosen", "spoken"),
    [
        ("de_AT", "", "de"),
        ("de_AT", "en", ""),
        ("fr_FR", "", ""),
        ("fr_FR", "de", "de"),
        ("C", "nonsense", ""),
    ],
)
def test_nipper_speaks_as_the_desktop_unless_told_otherwise(
    settings, monkeypatch, desktop, chosen, spoken
):
    monkeypatch.setattr(QLocale, "system", lambda: QLocale(desktop))
    settings.setValue("language", chosen)
    assert form_of(settings).language == spoken
