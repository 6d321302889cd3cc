"""The window's pages: one at a time, only the shown one asks for room, and a small window scrolls
it instead of pressing it together.
"""

import pytest
from PySide6.QtCore import QSize
from PySide6.QtWidgets import QScrollArea, QWidget

from nipper.app.shell.pages import Pages
from nipper.app.stage import StageView

STAGES = ("protect", "level", "charge", "cold", "rehearse", "record", "diagnose")


class Wide(QWidget):
    def __init__(self, width: int) -> None:
        super().__init__()
        self._width = width

    def minimumSizeHint(self) -> QSize:  # noqa: N802 - Qt's name
        return QSize(self._width, 50)


def test_only_the_shown_page_asks_for_room(qtbot):
    pages, narrow, wide = Pages(), Wide(100), Wide(900)
    qtbot.addWidget(pages)
    pages.show()
    for page in (narrow, wide):
        pages.addWidget(page)
    pages.setCurrentWidget(narrow)
    assert pages.minimumSizeHint().width() == 100
    assert narrow.isVisible()
    assert not wide.isVisible()
    pages.setCurrentWidget(wide)
    assert pages.minimumSizeHint().width() == 900
    assert not narrow.isVisible()
    pages.resize(1000, 300)
    assert wide.size() == pages.size()
    pages.removeWidget(wide)
    assert pages.currentWidget() is None


@pytest.mark.parametrize("stage", STAGES)
def test_every_stage_fits_the_usual_window(qtbot, open_window, stage):
    open_window.resize(1280, 800)
    open_window.document.settings.change(
        {
            "other_chargers": [
                {
                    "name": "the generator behind the shed",
                    "absorption_v": 27.6,
                    "max_charge_a": 20.0,
                }
            ]
        },
        "more",
    )
    view = open_window.view(stage)
    qtbot.waitUntil(lambda: not open_window.forecasts.busy, timeout=120_000)
    area = open_window.findChild(QScrollArea, "pages")
    assert view.minimumSizeHint().width() <= area.viewport().width()
    assert view.minimumSizeHint().height() <= area.viewport().height()
    show = getattr(view, "show_page", None) or getattr(view, "show_page", None)
    for index in range({"protect": 4, "charge": 5}.get(stage, 0)):
        show(index)
        assert view.minimumSizeHint().width() <= area.viewport().width()


def test_a_small_window_scrolls(qtbot, open_window):
    open_window.go("protect")
    open_window.resize(1020, 640)
    area = open_window.findChild(QScrollArea, "pages")
    qtbot.waitUntil(lambda: area.horizontalScrollBar().maximum() > 0, timeout=5000)
    view = open_window.view("protect")
    assert view.width() >= view.minimumSizeHint().width()


def test_all_stages_stand_an_empty_bench(qtbot, window, tmp_path):
    """No log, no charger, no balancer, no wiring: every page says so and none breaks."""
    from nipper.core.presets import new_setup
    from nipper.core.setup import put
    from nipper.store import Bench

    bare = put(
        new_setup("nmc", 3, 2.5, balancer="none"),
        {"charging": None, "wiring": None, "link": None, "protection.pack_over_voltage": None},
    )
    window.open_bench(Bench.create(tmp_path / "bare.nipper", bare))
    qtbot.waitUntil(lambda: not window.document.busy, timeout=30_000)
    for stage in STAGES:
        view = window.view(stage)
        show = getattr(view, "show_page", None) or getattr(view, "show_page", None)
        for index in range({"protect": 4, "charge": 5}.get(stage, 0)):
            show(index)
        window.grab()
        qtbot.waitUntil(lambda: not window.forecasts.busy, timeout=120_000)
    for page in ("typing", "readback", "revisions", "logs"):
        window.side.show(page)
        window.grab()


def test_one_part_that_cannot_be_shown_keeps_no_other_from_it(qtbot):
    shown = []

    def fails():
        raise ValueError("this part")

    view = StageView()
    qtbot.addWidget(view)
    view.show()
    view.hide()
    for show in (fails, lambda: shown.append("the other")):
        view.later(show)
    with pytest.raises(ValueError, match="this part"):
        view.show()
    assert shown == ["the other"]
