"""Protect's figures: current against time and temperatures as handles, schools with a button, a
second balancer, ten beginners by key alone.
"""

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt

from nipper.app.stages.protect.view import ProtectView
from nipper.core.findings import Severity
from nipper.core.presets import new_setup
from nipper.core.setup import get
from tests.core.beginners import BEGINNERS

P = "protection."


@pytest.fixture
def protect(open_window):
    view = open_window.view("protect")
    assert isinstance(view, ProtectView)
    open_window.document.settings.replace(new_setup("lfp", 8, 100.0, 2), "sound")
    return view


def drag(qtbot, chart, at: QPointF, by: QPoint) -> None:
    start = at.toPoint()
    qtbot.mousePress(chart, Qt.MouseButton.LeftButton, pos=start)
    for share in (0.5, 1.0):
        qtbot.mouseMove(chart, start + QPoint(int(share * by.x()), int(share * by.y())))
    qtbot.mouseRelease(chart, Qt.MouseButton.LeftButton, pos=start + by)


@pytest.mark.parametrize(
    ("path", "by"),
    [
        (P + "discharge_over_current.trip_a", QPoint(30, 0)),
        (P + "discharge_over_current.delay_s", QPoint(0, 30)),
        (P + "short_circuit.trip_a", QPoint(40, 0)),
        (P + "short_circuit.delay_us", QPoint(0, -20)),
    ],
)
def test_the_bms_steps_are_dragged(qtbot, open_window, protect, path, by):
    protect.show_page(1)
    chart = protect.currents
    before = get(open_window.document.setup, path)
    amps, seconds = next((a, s) for p, a, s in chart._places() if p == path)
    drag(qtbot, chart, QPointF(chart._x(amps), chart._y(seconds)), by)
    after = get(open_window.document.setup, path)
    assert (after > before) is (by.x() > 0 or by.y() < 0)
    open_window.undo()
    assert get(open_window.document.setup, path) == before  # one drag is one step


def test_what_follows_changes_with_the_drag(qtbot, open_window, protect):
    protect.show_page(1)
    document = open_window.document
    document.settings.change({P + "short_circuit.trip_a": 900.0}, "late")
    qtbot.waitUntil(
        lambda: any(f.code == "fuse-before-bms" for f in document.judgement.findings), timeout=5000
    )
    assert protect.currents.accessibleName()


def test_a_temperature_is_dragged_and_freezing_is_told(qtbot, open_window, protect):
    protect.show_page(2)
    chart, document = protect.temperatures, open_window.document
    path = P + "charge_under_temperature.trip_c"
    drag(qtbot, chart, QPointF(chart._x(2.0), chart._box(0).center().y()), QPoint(-40, 0))
    assert get(document.setup, path) < 0.0
    qtbot.waitUntil(
        lambda: any(
            f.code == "charging-below-freezing" and f.severity is Severity.ERROR
            for f in document.judgement.findings
        ),
        timeout=5000,
    )
    assert path in chart._wrong
    assert "no charge" not in chart.accessibleName()
    assert "Discharge" in chart.accessibleName()


def test_a_school_is_taken_and_followed(open_window, protect):
    protect.show_page(3)
    assert not protect._card.isVisible()
    gentle = protect.schools._schools[1]
    protect.schools.taken.emit(gentle)
    assert open_window.document.setup.protection.cell_over_voltage.trip_v == 3.60
    assert protect.schools._schools[1].followed
    open_window.undo()
    assert not protect.schools._schools[1].followed


def test_a_field_tells_what_is_usual_and_by_whose_word(open_window, protect):
    field = protect.forms[0].field(P + "cell_over_voltage.trip_v")
    assert "Usual: 3.65 V (common practice)" in field.toolTip()
    open_window.document.settings.replace(new_setup("nmc", 8, 100.0, 2), "another chemistry")
    assert "Usual: 4.20 V" in field.toolTip()


def test_a_second_balancer_comes_and_goes(open_window, protect):
    protect.show_field("separate_balancer.low_v")
    assert not protect.forms[4].field("separate_balancer.low_v").isEnabled()
    protect.second.click()
    separate = open_window.document.setup.separate_balancer
    assert separate
    assert separate.kind == "active"
    assert protect.forms[4].field("separate_balancer.low_v").isEnabled()
    protect.second.click()
    assert open_window.document.setup.separate_balancer is None


def test_pointing_at_a_setting_brings_its_figure(open_window, protect):
    protect.show_field(P + "short_circuit.trip_a")
    assert protect._figures.currentIndex() == 1
    protect.show_field(P + "mosfet_over_temperature.trip_c")
    assert protect._figures.currentIndex() == 2
    protect.show_field("wiring.fuse_a")
    assert any("wiring.fuse_a" in f.paths and f.isVisible() for f in protect.forms)


@pytest.mark.parametrize("make", BEGINNERS, ids=lambda m: m.__name__)
def test_a_beginner_gets_a_sound_setup_with_one_key(qtbot, open_window, protect, make):
    """Ctrl+Return takes the first suggestion of What follows; nothing else is pressed."""
    document = open_window.document
    document.settings.replace(make(), "a beginner's")

    def wrong() -> list:
        """Of the settings: what this bench's log says of a balancer and a leaking cell no setting
        can mend.
        """
        return [
            f
            for f in document.judgement.findings
            if f.severity is not Severity.NOTE and f.code != "balancer-against-drift"
        ]

    for _ in range(40):
        qtbot.waitUntil(lambda: not document.judgement.busy, timeout=5000)
        if not wrong():
            break
        open_window.apply_first()
    assert not wrong(), [f.message for f in wrong()]
