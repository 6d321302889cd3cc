"""Nothing covers anything: on every page of every stage, in a wide and in a small window."""

import pytest
from PySide6.QtWidgets import QAbstractButton, QLabel, QWidget

from nipper.app.shell.stages import STAGES
from nipper.app.stage import PagedView

SIZES = ((1280, 800), (1000, 640))
GRACE_PX = 2


def covered(root: QWidget) -> list[str]:
    """Words and buttons that lie on each other."""
    found: list[str] = []
    for parent in root.findChildren(QWidget):
        if not parent.isVisible():
            continue
        told = [
            child
            for child in parent.children()
            if isinstance(child, QLabel | QAbstractButton) and child.isVisible()
        ]
        for i, one in enumerate(told):
            for other in told[i + 1 :]:
                both = one.geometry().intersected(other.geometry())
                if min(both.width(), both.height()) > GRACE_PX:
                    found.append(f"{one.text()[:40]!r} and {other.text()[:40]!r}")
    return found


def every_page(window, qtbot):
    """The views of all stages, each page of them shown once, and at rest."""
    for stage in STAGES:
        window.go(stage.id)
        view = window.view(stage.id)
        for page in range(view.count if isinstance(view, PagedView) else 1):
            view.show_page(page)
            qtbot.waitUntil(lambda: not window.forecasts.busy, timeout=60_000)
            yield view


@pytest.mark.parametrize("size", SIZES)
def test_no_words_lie_on_others(qtbot, open_window, size):
    open_window.resize(*size)
    for _ in every_page(open_window, qtbot):
        qtbot.waitUntil(lambda: not covered(open_window), timeout=2_000)
