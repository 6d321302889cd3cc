"""A top balance, guided: the plan from the last reading or the log, the charger's lines set now and
set back, the readings beside the predicted fall.
"""

from datetime import tzinfo
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal, Slot
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.theme import BASE_PT, Theme, font
from nipper.app.widgets.basic import SEMI, button, card, clear, for_device, label, page_head
from nipper.app.widgets.brush import Brush
from nipper.app.widgets.field import UnitField
from nipper.app.widgets.units import UNITS
from nipper.core.setup import get

if TYPE_CHECKING:
    from nipper.core.forecast.topbalance import TopBalance
    from nipper.core.report.topbalance import Session

STOP_MV = 10.0
LEFT, BOTTOM, TOP = 48, 26, 24
Readings = list[tuple[float, float]]  # hours since it began, mV


class FallFigure(QWidget):
    """The predicted deviation over hours, and the readings on it."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._plan: TopBalance | None = None
        self._readings: Readings = []
        self._stop_mv, self._most = STOP_MV, (1.0, 1.0)  # hours and mV at the axes' ends
        self.setMinimumHeight(200)
        self.setAccessibleName(UNITS.text("Deviation over the hours"))
        theme.changed.connect(self.update)

    def show_plan(self, plan: "TopBalance | None", readings: Readings, stop_mv: float) -> None:
        """Show a plan with the readings so far."""
        self._plan, self._readings, self._stop_mv = plan, readings, stop_mv
        told = ", ".join(f"{mv:.0f} mV after {h:.1f} h" for h, mv in readings)
        self.setAccessibleDescription(UNITS.text(told or "no reading yet"))
        self.update()

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        plan = self._plan
        if plan is None or not plan.curve_h.size:
            return
        painter = Brush(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        most_h = max(float(plan.curve_h[-1]), *(h for h, _ in self._readings), 0.5) * 1.05
        most_mv = 1.1 * max(float(plan.curve_mv.max()), *(mv for _, mv in self._readings), 20.0)
        self._most = most_h, most_mv
        self._axes(painter)
        painter.setPen(QPen(self._theme.colour("copper"), 2.5))
        curve = zip(plan.curve_h.tolist(), plan.curve_mv.tolist(), strict=True)
        painter.drawPolyline(QPolygonF([self._at(hours, mv) for hours, mv in curve]))
        painter.setBrush(self._theme.colour("ink"))
        painter.setPen(Qt.PenStyle.NoPen)
        for hours, mv in self._readings:
            painter.drawEllipse(self._at(hours, mv), 5, 5)

    def _at(self, hours: float, mv: float) -> QPointF:
        most_h, most_mv = self._most
        x = LEFT + hours / most_h * (self.width() - LEFT - 12)
        y = self.height() - BOTTOM - mv / most_mv * (self.height() - TOP - BOTTOM)
        return QPointF(x, y)

    def _axes(self, painter: QPainter) -> None:
        most_h, most_mv = self._most
        painter.setFont(font(BASE_PT - 1))
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        for share in (0.0, 0.5, 1.0):
            mv, hours = share * most_mv / 1.1, share * most_h / 1.05
            y, x = self._at(0.0, mv).y(), self._at(hours, 0.0).x()
            painter.setPen(QPen(self._theme.colour("grid"), 1))
            painter.drawLine(LEFT, int(y), self.width() - 12, int(y))
            painter.setPen(self._theme.colour("soft"))
            painter.drawText(QRectF(0, y - 10, LEFT - 6, 20), right, f"{mv:.0f}")
            place = QRectF(x - 40, self.height() - BOTTOM + 4, 80, 20)
            painter.drawText(place, Qt.AlignmentFlag.AlignHCenter, f"{hours:.3g} h")
        painter.drawText(QRectF(LEFT, 0, 300, 20), 0, "mV between the cells; dots are readings")
        y = self._at(0.0, self._stop_mv).y()
        painter.setPen(QPen(self._theme.colour("ok"), 1.5, Qt.PenStyle.DashLine))
        painter.drawLine(LEFT, int(y), self.width() - 12, int(y))


class TopBalancePage(QWidget):
    """``left`` when the user goes back."""

    left = Signal()

    def __init__(
        self, document: Document, theme: Theme, zone: tzinfo, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self._document, self._zone = document, zone
        self._plan: TopBalance | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 14, 24, 16)
        layout.setSpacing(10)
        self.begin = button("Begin", "main", "Remembers what is to be set back")
        self.begin.clicked.connect(self.begin_or_end)
        layout.addLayout(page_head("Top balance", self.left, self.begin))
        self._from = label("", "soft", wrap=True)
        layout.addWidget(self._from)
        columns = QHBoxLayout()
        columns.setSpacing(14)
        columns.addWidget(self._plan_side(), 5)
        columns.addWidget(self._course_side(theme), 5)
        layout.addLayout(columns, 1)
        document.records.changed.connect(self._changed)
        document.settings.changed.connect(self._changed)
        document.pack_changed.connect(self.refresh)

    def _plan_side(self) -> QWidget:
        frame, inside = card()
        self._steps = QVBoxLayout()
        self._steps.setSpacing(6)
        inside.addLayout(self._steps)
        inside.addWidget(label("The charger", weight=SEMI))
        self._lines = QGridLayout()
        self._lines.setHorizontalSpacing(18)
        inside.addLayout(self._lines)
        line = QHBoxLayout()
        self.set_now = button("Set these now", "", "Undoable; typed into the charger by you")
        self.set_now.clicked.connect(self.set_for_levelling)
        self.back = button("Set back", "", "As it was before")
        self.back.clicked.connect(self.set_back)
        line.addWidget(self.set_now)
        line.addWidget(self.back)
        line.addStretch(1)
        inside.addLayout(line)
        self._caution = label("", "act", BASE_PT - 0.5, wrap=True)
        inside.addWidget(self._caution)
        inside.addStretch(1)
        return frame

    def _course_side(self, theme: Theme) -> QWidget:
        frame, inside = card()
        line = QHBoxLayout()
        line.addWidget(label("Stop at"))
        self.stop = UnitField("mV", "Deviation at which to stop", "between highest and lowest")
        self.stop.set_bounds(1.0, 500.0)
        self.stop.set_value(STOP_MV)
        self.stop.entered.connect(self._changed)
        line.addWidget(self.stop)
        line.addStretch(1)
        inside.addLayout(line)
        self.progress = label("", weight=SEMI, wrap=True)
        inside.addWidget(self.progress)
        self.prompt = label("", "copper", wrap=True)
        inside.addWidget(self.prompt)
        self._minute = QTimer(self, interval=15_000)
        self._minute.timeout.connect(self._time_passed)
        self._minute.start()
        self.figure = FallFigure(theme)
        inside.addWidget(self.figure, 1)
        return frame

    # what is shown

    @Slot()
    def _changed(self, *_: object) -> None:
        if self.isVisible():
            self.refresh()

    @property
    def session(self) -> "Session | None":
        """The top balance of the shown pack that is under way."""
        found = self._document.shelf.top_balance()
        return found if found and found.pack == self._document.pack.id else None

    @Slot()
    def refresh(self, *_: object) -> None:
        """Show the plan as things stand."""
        from nipper.core.forecast.topbalance import plan
        from nipper.core.report.topbalance import CAUTION, progress, steps

        session = self.session
        offset_ah, where = self._offsets(session)
        stop_mv = session.stop_mv if session else self.stop.value or STOP_MV
        found = None if offset_ah is None else plan(offset_ah, self._document.setup, stop_mv)
        self._from.setText(where)
        self._plan = found
        clear(self._steps)
        for i, text in enumerate(steps(found, self._document.setup) if found else [], 1):
            self._steps.addWidget(label(f"{i}. {text}", wrap=True))
        self._caution.setText(CAUTION if found else "")
        self._show_lines(found, session)
        readings = self._readings(session)
        self.figure.show_plan(found, readings, stop_mv)
        self.progress.setText(
            progress(session, [(3600.0 * h, mv) for h, mv in readings]) if session else ""
        )
        self._show_prompt()
        self.begin.setText("It is over" if session else "Begin")
        self.begin.setEnabled(session is not None or found is not None)

    @Slot()
    def _time_passed(self) -> None:
        if self.isVisible():
            self._show_prompt()

    def _show_prompt(self) -> None:
        """What is to be read next, and when."""
        from nipper.core.report.topbalance import prompt

        session = self.session
        if session is None:
            self.prompt.setText("")
            return
        readings = [(3600.0 * h, mv) for h, mv in self._readings(session)]
        self.prompt.setText(prompt(session, readings, self._document.bench.clock()))

    def _show_lines(self, found: "TopBalance | None", session: "Session | None") -> None:
        clear(self._lines)
        for column, text in enumerate(("", "now", "while levelling")):
            self._lines.addWidget(label(text, "soft"), 0, column)
        setup = self._document.setup
        for row, line in enumerate(found.lines if found else (), 1):
            unit = "min" if line.path.endswith("_min") else "V"
            now = get(setup, line.path)
            shown = "–" if now is None else f"{now:g} {unit}"
            words = (line.title, shown, f"{line.during:g} {unit}")
            for column, text in enumerate(words):
                weight = SEMI if column == 2 else font().weight()
                self._lines.addWidget(for_device(label(text, weight=weight)), row, column)
        self._lines.setColumnStretch(3, 1)
        self.set_now.setEnabled(session is not None and bool(found and found.lines))
        self.back.setEnabled(session is not None and self._to_set_back(session) != {})

    def _offsets(self, session: "Session | None") -> "tuple[np.ndarray | None, str]":
        """Charge of each cell to plan by, and where it is from."""
        document, setup = self._document, self._document.setup
        if session and len(session.offset_ah) == setup.cells:
            return np.array(session.offset_ah), "As the cells stood when it began."
        shots = document.records.snapshots(document.pack)
        for shot in reversed([s for s in shots if s.deviation_pct is not None]):
            charge = np.array(shot.charge_pct)
            if np.isfinite(charge).all():
                return charge / 100.0 * setup.capacity_ah, "From the last typed reading."
        record = document.record
        now_ah = record.diagnosis.now.drift.last_ah if record is not None else np.array([np.nan])
        if np.isfinite(now_ah).all():
            return now_ah, "From the last full charges of the log."
        return None, (
            "Nothing says yet how the cells stand in charge: read them near the end of a charge "
            "(Ctrl+M), or import a log."
        )

    def _readings(self, session: "Session | None") -> Readings:
        if session is None:
            return []
        shots = self._document.records.snapshots(self._document.pack)
        return [
            ((s.time_s - session.begun_s) / 3600.0, s.deviation_mv)
            for s in shots
            if s.time_s >= session.begun_s - 60.0
        ]

    # doing

    @Slot()
    def begin_or_end(self) -> None:
        """Begin a session, or end the one that is under way."""
        from nipper.core.imbalance.states import LEVELLED
        from nipper.core.report.topbalance import Session, has_held

        document = self._document
        under_way, kept = self.session, document.shelf.top_balance()
        if under_way is None and kept is not None:
            name = next((p.name for p in document.records.packs if p.id == kept.pack), "")
            self.progress.setText(f"One is under way at {name}: end that first.")
            return
        if under_way is not None and self._to_set_back(under_way):
            self.progress.setText("Set the charger back first: then it is over.")
            return
        kind = "note"
        if under_way is not None:
            readings = [(3600.0 * h, mv) for h, mv in self._readings(under_way)]
            document.shelf.keep_top_balance(None)
            held = has_held(under_way, readings)
            kind = LEVELLED if held else "note"
            note = "top balance ended: level, and it held" if held else "top balance ended"
        else:
            offset_ah, _ = self._offsets(None)
            if self._plan is None or offset_ah is None:
                return
            session = Session(
                pack=document.pack.id,
                begun_s=document.bench.clock(),
                stop_mv=self.stop.value or STOP_MV,
                back={line.path: line.before for line in self._plan.lines},
                offset_ah=[float(v) for v in offset_ah],
            )
            document.shelf.keep_top_balance(session)
            note = f"top balance begun, {self._plan.move_ah:.2f} Ah apart"
        document.history.add_event(document.bench.clock(), kind, note, document.pack.id)
        self.refresh()

    @Slot()
    def set_for_levelling(self) -> None:
        """The charger's lines as the plan has them."""
        if self._plan is not None:
            changes: dict[str, object] = {line.path: line.during for line in self._plan.lines}
            self._apply(changes, "Charger for the top balance")

    @Slot()
    def set_back(self) -> None:
        """The charger's lines as they were."""
        session = self.session
        if session is not None:
            self._apply(dict(self._to_set_back(session)), "Charger set back")

    def _to_set_back(self, session: "Session") -> dict[str, float | None]:
        setup = self._document.setup
        return {path: v for path, v in session.back.items() if get(setup, path) != v}

    def _apply(self, changes: dict[str, object], text: str) -> None:
        self._document.settings.enter(changes, text)
        self.refresh()
