"""Whatever takes the keyboard has a name that a screen reader can say."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractSpinBox,
    QComboBox,
    QLineEdit,
    QListWidget,
    QTableWidget,
    QWidget,
)

from nipper.app.shell.stages import STAGES
from nipper.app.widgets.plot import Plot

NAMED = (QAbstractButton, QComboBox, QLineEdit, QAbstractSpinBox, QListWidget, QTableWidget, Plot)
SIDE_PAGES = (
    "typing", "readback", "revisions", "topbalance", "reading", "logs", "help", "preferences",
)  # fmt: skip
MOST_PAGES = 7


def nameless(window):
    """What is shown, takes the keyboard, and says nothing of itself."""
    found = set()
    for widget in window.findChildren(QWidget):
        inner = isinstance(widget.parent(), QAbstractSpinBox | QComboBox)
        takes = widget.focusPolicy() != Qt.FocusPolicy.NoFocus
        if not isinstance(widget, NAMED) or inner or not takes or not widget.isVisible():
            continue
        text = widget.text() if isinstance(widget, QAbstractButton) else ""
        if not widget.accessibleName() and not text and not widget.objectName().startswith("qt_"):
            found.add(f"{type(widget).__name__}: {widget.toolTip()[:40]}")
    return found


def test_every_page_of_every_stage(open_window):
    found = {}
    for stage in STAGES:
        view = open_window.view(stage.id)
        for page in range(MOST_PAGES):
            try:
                view.show_page(page)
            except (AttributeError, IndexError):  # it has fewer
                break
            found |= {f"{stage.id} {page}": nameless(open_window)}
    assert {page: names for page, names in found.items() if names} == {}


def test_every_page_beside_the_stages(open_window):
    found = {}
    for name in SIDE_PAGES:
        open_window.side.show(name)
        found[name] = nameless(open_window)
    assert {page: names for page, names in found.items() if names} == {}


def test_the_start(window):
    assert nameless(window) == set()


def test_it_can_fail(open_window):
    field = QLineEdit(open_window)
    field.show()
    assert nameless(open_window) == {"QLineEdit: "}
