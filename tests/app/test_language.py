"""In a language in which every letter is marked: nothing stays English, and nothing is cut off."""

import re

import pytest
from pyqtgraph import AxisItem
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import (
    QAbstractButton,
    QComboBox,
    QGraphicsTextItem,
    QGraphicsView,
    QLabel,
    QLineEdit,
    QListWidget,
    QScrollArea,
    QTableWidget,
    QWidget,
)

from nipper.app.shell.finder import matches
from nipper.app.shell.stages import STAGES
from nipper.app.stage import PagedView
from nipper.app.widgets import brush
from nipper.app.widgets.units import UNITS
from nipper.core.language import translator
from nipper.core.language.translate import UNITS as SAID_ALIKE
from nipper.core.shown import USUAL
from tests.app.test_layout import every_page
from tests.pseudo import write_pseudo

SIDE_PAGES = (
    "typing", "readback", "revisions", "topbalance", "logs", "reading", "help", "preferences"
)  # fmt: skip
# the builder's own words and values of settings; languages by their own names
OWN = re.compile(
    r"Test bench|Pack [AB]|bars retorqued|\bpack [12]\b|\w+\.\w+|one\.csv|\b568B\b|"
    r"\b(?:lfp|passive|charging|always)\b|"
    r"Marked|Deutsch"
)


@pytest.fixture(scope="session")
def languages(tmp_path_factory):
    data = tmp_path_factory.mktemp("data")
    write_pseudo(data / "nipper" / "languages" / "xx.po")
    return data


@pytest.fixture
def marked(languages, settings, monkeypatch):
    """The window that is opened next speaks it."""
    monkeypatch.setenv("XDG_DATA_HOME", str(languages))
    translator.cache_clear()
    settings.setValue("language", "xx")
    yield
    UNITS.use(USUAL)
    translator.cache_clear()


@pytest.fixture
def painted(monkeypatch):
    """What is painted by hand."""
    out: list[str] = []

    def draw(self, *args, **kwargs):
        told = [UNITS.text(a) if isinstance(a, str) else a for a in args]
        out.extend(t for t in told if isinstance(t, str))
        return QPainter.drawText(self, *told, **kwargs)

    monkeypatch.setattr(brush.Brush, "drawText", draw)
    return out


def words_of(root):
    """All that can be read or heard of a window."""
    for widget in [root, *root.findChildren(QWidget)]:
        yield from (widget.toolTip(), widget.accessibleName(), widget.accessibleDescription())
        if isinstance(widget, QLabel | QAbstractButton):
            yield widget.text()
        elif isinstance(widget, QLineEdit):
            yield widget.placeholderText()
        elif isinstance(widget, QComboBox):
            yield from (widget.itemText(i) for i in range(widget.count()))
        elif isinstance(widget, QListWidget):
            yield from (widget.item(i).text() for i in range(widget.count()))
        elif isinstance(widget, QTableWidget):
            yield from table_words(widget)
        elif isinstance(widget, QGraphicsView) and widget.scene():
            items = widget.scene().items()
            yield from (i.toPlainText() for i in items if isinstance(i, QGraphicsTextItem))
            for axis in (i for i in items if isinstance(i, AxisItem) and i.isVisible()):
                yield from ticks(axis)
        yield from (action.text() for action in widget.actions())


def ticks(axis):
    """What stands along an axis."""
    for step, values in axis.tickValues(*axis.range, 400.0):
        yield from axis.tickStrings(values, 1.0, step)
    for level in axis._tickLevels or ():
        yield from (words for _, words in level)


def table_words(table):
    for column in range(table.columnCount()):
        heads = table.horizontalHeaderItem(column)
        cells = (table.item(row, column) for row in range(table.rowCount()))
        yield from (item.text() for item in (heads, *cells) if item is not None)


def in_english(texts):
    out = set()
    for text in texts:
        bare = OWN.sub("", re.sub(r"<[^<>]*>", "", text))
        if any(word not in SAID_ALIKE for word in re.findall(r"[A-Za-z]{2,}", bare)):
            out.add(text)
    return out


def cut_off(root):
    """Labels and buttons that are narrower than their words, or lower than their lines."""
    for widget in root.findChildren(QWidget):
        if not widget.isVisible() or not isinstance(widget, QLabel | QAbstractButton):
            continue
        if not widget.text():  # an entry that is used again says nothing where another did
            continue
        if isinstance(widget, QLabel) and widget.wordWrap():
            short = widget.height() < widget.heightForWidth(widget.width()) - 2
        else:
            needed = widget.fontMetrics().horizontalAdvance(widget.text())
            short = needed > widget.width() + 1
        if short:
            yield widget.text()


@pytest.mark.parametrize("stage", STAGES, ids=[stage.id for stage in STAGES])
def test_a_stage_is_read_in_another_language(qtbot, marked, painted, open_window, stage):
    open_window.resize(1280, 800)
    open_window.go(stage.id)
    view = open_window.view(stage.id)
    for page in range(view.count if isinstance(view, PagedView) else 1):
        view.show_page(page)
        qtbot.waitUntil(lambda: not open_window.forecasts.busy, timeout=60_000)
        qtbot.waitUntil(lambda: not list(cut_off(open_window)), timeout=2_000)
        assert in_english([*words_of(open_window), *painted]) == set()


def test_the_pages_beside_are_too(qtbot, marked, open_window):
    open_window.resize(1280, 800)
    for page in SIDE_PAGES:
        open_window.side.show(page)
        qtbot.waitUntil(lambda: not list(cut_off(open_window)), timeout=2_000)
        assert in_english(words_of(open_window)) == set(), page


def test_the_start_page_is_too(qtbot, marked, window):
    assert in_english(words_of(window)) == set()


@pytest.fixture
def german(settings):
    translator.cache_clear()
    settings.setValue("language", "de")
    yield
    UNITS.use(USUAL)


def test_what_is_looked_for_is_found_as_it_is_shown(qtbot, german, open_window):
    found = [a for a in open_window.menus.actions if matches(a, "zurücklesen")]
    assert [a.title for a in found] == ["Read back …"]
    assert matches(found[0], "read back")
    page = open_window.side.show("help")
    page.line.setText("Abschaltung")
    shown = [page.list.item(i).text() for i in range(page.list.count())]
    assert shown[0].startswith("Abschaltung")


def test_a_value_is_typed_back_as_the_bms_has_it(qtbot, german, open_window):
    page = open_window.side.show("readback")
    row = next(i for i, line in enumerate(page._lines) if line.path == "balancer.kind")
    page.table.item(row, 3).setText(page.table.item(row, 2).text())
    assert page.table.item(row, 4).text() == "✓ wie gesetzt"
    page.table.item(row, 3).setText("=")
    assert page._values()["balancer.kind"] == "passive"


def test_german_fits_a_small_screen(qtbot, german, open_window):
    open_window.resize(1280, 800)
    for view in every_page(open_window, qtbot):
        qtbot.waitUntil(lambda v=view: not too_wide(v), timeout=2_000)


def too_wide(view):
    """Scroll areas that are to be moved sideways, by how much."""
    areas = [a for a in view.findChildren(QScrollArea) if a.isVisible()]
    return [over for a in areas if (over := a.horizontalScrollBar().maximum())]


def test_english_would_be_seen(qtbot, window):
    assert in_english(words_of(window))
