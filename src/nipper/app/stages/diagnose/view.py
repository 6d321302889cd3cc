"""Diagnose: the herd and the stray over time, each finding with its proof, what to do now and how
to be sure.
"""

from collections.abc import Iterable
from datetime import UTC, datetime, tzinfo

import numpy as np
from PySide6.QtCore import Slot
from PySide6.QtGui import QFont, QFontMetrics
from PySide6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QScrollArea,
    QStackedLayout,
    QVBoxLayout,
    QWidget,
)

from nipper.app.document import Document, PackRecord
from nipper.app.stage import StageView
from nipper.app.stages.diagnose.done import DoneByHand
from nipper.app.stages.diagnose.looked import LookedAt
from nipper.app.stages.diagnose.proof import Bars
from nipper.app.theme import BASE_PT, Theme, font
from nipper.app.widgets.basic import (
    SEMI,
    StatusMark,
    button,
    card,
    clear,
    label,
    refilled,
    scrolled,
)
from nipper.app.widgets.curves import Curves
from nipper.app.widgets.plot import Plot
from nipper.app.widgets.units import UNITS
from nipper.core.imbalance.causes_base import Cause
from nipper.core.imbalance.diagnosis import Diagnosis
from nipper.core.report.proof import Paths, Proof, about_cell, paths, proofs, read_from
from nipper.core.report.sentences import VERDICT_STATUS, named

AXIS_PX = 40  # what the axis at the left takes
NAME_MARGIN_PX = 8  # about a name in the plot
LEAST_PCT = 0.5  # to either side: cells that keep together are not drawn as a bundle of strays
MOST_MARKS = 24  # of what was noted, the newest: more words cover each other
LINE_SHARE = 0.09  # of what the figure shows: the height of a line of text
ALL_WELL = "Nothing. Look again after the next ten full charges."
NOT_YET = "Nothing yet: make sure first, as it is said beside."


class DiagnoseView(StageView):
    """The stage Diagnose."""

    def __init__(
        self, document: Document, theme: Theme, zone: tzinfo = UTC, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self._document, self._theme, self._zone = document, theme, zone
        self._picked: int | None = None
        self._title, self._subtitle = (
            label("", size=16, weight=SEMI, wrap=True),
            label("", "soft", wrap=True),
        )
        self._mark = StatusMark(theme)
        self.plot = Plot(theme, time_axis=True, zone=zone, unit="% of capacity against the median")
        self.plot.setMinimumHeight(190)
        self.plot.setMaximumHeight(300)
        self._proofs, self._advice = QHBoxLayout(), QHBoxLayout()
        self._cell = QVBoxLayout()
        self._empty = label("", "soft", wrap=True, size=12)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 14, 18, 14)
        layout.setSpacing(6)
        head = QHBoxLayout()
        head.setSpacing(8)
        head.addWidget(self._mark)
        head.addWidget(self._title, 1)
        layout.addLayout(head)
        layout.addWidget(self._subtitle)
        self._stack = QStackedLayout()
        layout.addLayout(self._stack, 1)
        self.looked = LookedAt(document)
        layout.addWidget(self.looked)
        self._stack.addWidget(self._scrolled())
        self._stack.addWidget(self._empty)
        document.records.changed.connect(self._record_changed)
        document.pack_changed.connect(self._pack_changed)
        self.follow(self._show, document.history.events_changed, theme.changed)
        document.records.reading.connect(self._reading)
        self._show()

    def _scrolled(self) -> QScrollArea:
        inside = QVBoxLayout()
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(10)
        inside.addWidget(self.plot, 3)
        inside.addLayout(self._cell)
        inside.addLayout(self._advice)  # what is wanted most stands above its reasons
        self.done = DoneByHand(self._document)
        inside.addWidget(self.done)
        inside.addLayout(self._proofs)
        inside.addStretch(1)
        return scrolled(inside)

    @Slot(int, object)
    def _record_changed(self, pack_id: int, _: PackRecord | None) -> None:
        if pack_id == self._document.pack.id:
            self.later(self._show)

    @Slot(int)
    def _pack_changed(self, _: int) -> None:
        self._picked = None
        self.later(self._show)

    @Slot(int, float)
    def _reading(self, pack_id: int, share: float) -> None:
        if pack_id == self._document.pack.id and self._document.record is None:
            self._empty.setText(f"Reading and judging the log: {share:.0%}")

    @Slot()
    def _show(self) -> None:
        record = self._document.record
        self.looked.show_record(record)
        strong = [f for f in record.diagnosis.findings if f.confidence > 0.5] if record else []
        told = record is not None and record.diagnosis.estimate.drift.line_s.size > 0
        if record is None or not (told or strong) or record.diagnosis.unfit:
            self._show_nothing(record)
            return
        diagnosis, setup = record.diagnosis, self._document.setup
        lead = strong[0] if strong else None
        self._mark.set_status(str(VERDICT_STATUS[diagnosis.verdict]))
        title = None if diagnosis.alarm else lead
        self._title.setText(title.summary.rstrip(".") if title else named(diagnosis))
        self._subtitle.setText(self._basis(record, title))
        self._stack.setCurrentIndex(0)
        self.plot.setVisible(told)
        if told:
            perhaps = diagnosis.perhaps
            weak = list(perhaps.cells) if perhaps else []
            self._draw(paths(diagnosis, setup), diagnosis.strays if strong else weak)
        with refilled(self._proofs):
            for proof in proofs(diagnosis, setup, lead):
                self._proofs.addWidget(self._proven(proof), 1)
        self._show_advice(strong, diagnosis)
        self.done.show_asked(strong[:3], diagnosis)
        self._show_cell()

    def _proven(self, proof: Proof) -> QWidget:
        frame, inside = card(10, 3)
        inside.addWidget(Bars(self._theme, proof))
        inside.addWidget(label(proof.title, weight=SEMI))
        inside.addWidget(label(proof.text, "soft", BASE_PT - 0.5, wrap=True))
        inside.addStretch(1)
        return frame

    def _basis(self, record: PackRecord, lead: Cause | None) -> str:
        drift = record.diagnosis.estimate.drift
        sure = f" Confidence {lead.confidence:.0%}." if lead else ""
        if not drift.line_s.size:
            return f"No full charge of this log tells how full the cells are.{sure}"
        first, last = (
            datetime.fromtimestamp(float(t), self._zone)
            for t in (drift.line_s[0], drift.line_s[-1])
        )
        days = (
            f"on {last.day} {last:%b}"
            if first.date() == last.date()
            else f"between {first.day} {first:%b} and {last.day} {last:%b}"
        )
        read = read_from(drift)
        if drift.place == "low end":
            return (
                "Charge left in each cell at the low end against the pack's median, from "
                f"{read}, {days}.{sure} Click a line for all that is known of its cell."
            )
        if drift.place == "step":
            return (
                "Charge of each cell against the pack's median at the step in the middle of the "
                f"plateau, from {read}, {days}.{sure} Click a line for all that is known of its "
                "cell."
            )
        return (
            f"Charge of each cell against the pack's median, from {read}, {days}.{sure} Click a "
            "line for all that is known of its cell."
        )

    def _show_nothing(self, record: PackRecord | None) -> None:
        self._stack.setCurrentWidget(self._empty)
        unfit = record is not None and record.diagnosis.unfit
        danger = record is not None and bool(record.diagnosis.alarm)
        self._mark.set_status("act" if unfit or danger else "none")
        self._title.setText("Nothing to judge yet" if record is None else named(record.diagnosis))
        self._subtitle.setText("")
        if record is not None:
            told = record.diagnosis.urgent + record.diagnosis.advice
            self._empty.setText("\n\n".join(told))
        else:
            self._empty.setText(
                "Reading the log …"
                if self._document.reading_log
                else self._document.other_build
                or "Drop a log of this pack on the window, or open one."
            )

    # the picture

    def _draw(self, shown: Paths, strays: list[int]) -> None:
        self.plot.clear()
        single = shown.time_s.size == 1
        time_s = np.r_[shown.time_s, shown.time_s + 43200.0] if single else shown.time_s
        pct = np.repeat(shown.pct, 2, axis=0) if single else shown.pct
        told = {c - 1: shown.told(c - 1) or (0.0, "") for c in strays}
        roles = {i: "lowest" if last <= 0.0 else "highest" for i, (last, _) in told.items()}
        if self._picked is not None:
            roles.setdefault(self._picked - 1, "copper")
        self.plot.level(0.0)
        herd = [i for i in range(pct.shape[1]) if i not in roles]
        self._pickable(herd, self.plot.line(time_s, pct[:, herd], "herd", dots=single))
        for i, role in roles.items():
            good = np.isfinite(pct[:, i])
            if not single and good.sum() > 1:
                low, high = (end[good, i] for end in (shown.low_pct, shown.high_pct))
                self.plot.band(time_s[good], low, high, role)
            self._pickable([i], self.plot.line(time_s, pct[:, i], role, 2.2, dots=True))
        edges = [end[:, list(roles)] for end in (shown.low_pct, shown.high_pct)]
        drawn = np.concatenate([shown.pct, *edges], axis=1)
        self._names(time_s, shown, roles, drawn)
        whose = (None, self._document.pack.id)
        noted = [e for e in self._document.history.events() if e.pack in whose]
        for event in noted[-MOST_MARKS:]:
            self.plot.mark(event.time_s, "copper", event.note)
        self.plot.item.enableAutoRange()
        if np.nanmax(np.abs(drawn), initial=0.0) < LEAST_PCT:
            self.plot.item.setYRange(-LEAST_PCT, LEAST_PCT)
        span = float(time_s[-1] - time_s[0])
        names_px = self._name_px(words for _, words in told.values())
        share = min(0.7, names_px / max(200.0, self.plot.width() - AXIS_PX))  # of the whole width
        behind = max(0.16, (1.01 * share + 0.012) / (1.0 - share))  # of the lines' own
        self.plot.item.setXRange(
            float(time_s[0]) - 0.01 * span, float(time_s[-1]) + behind * span, padding=0
        )

    def _pickable(self, cells: list[int], lines: Curves) -> None:
        lines.clickable = True
        lines.setProperty("cells", cells)
        lines.picked.connect(self._line_clicked)

    def _name_px(self, told: Iterable[str]) -> int:
        """How wide the names behind the lines are, in the reader's words."""
        width = QFontMetrics(font(BASE_PT, QFont.Weight.DemiBold)).horizontalAdvance
        longest = max(width(UNITS.text(_name(16, each))) for each in ("−22.2 %", *told))
        return longest + NAME_MARGIN_PX

    def _names(
        self, time_s: np.ndarray, shown: Paths, roles: dict[int, str], drawn: np.ndarray
    ) -> None:
        """Names at the line ends, pushed apart where they would cover each other in all that is
        drawn.
        """
        finite = drawn[np.isfinite(drawn)]
        level = np.abs(finite).max(initial=0.0) < LEAST_PCT
        gap = LINE_SHARE * (2.0 * LEAST_PCT if level else float(np.ptp(finite)))
        ends = sorted(((*told, i) for i in roles if (told := shown.told(i))), reverse=True)
        free = float("inf")
        x = float(time_s[-1]) + 0.012 * float(time_s[-1] - time_s[0])
        for value, text, i in ends:
            at = min(value, free)
            self.plot.note(x, at, _name(i + 1, text), roles[i])
            free = at - gap

    @Slot(int)
    def _line_clicked(self, line: int) -> None:
        self.pick(self.sender().property("cells")[line] + 1)

    def show_cell(self, cell: int) -> None:
        """Show what is known of a cell."""
        if self._document.record is not None:
            self.pick(cell)

    def pick(self, cell: int | None) -> None:
        """Open a cell: everything known of it."""
        self._picked = cell
        self._show()

    def _show_cell(self) -> None:
        clear(self._cell)
        record = self._document.record
        if self._picked is None or record is None:
            return
        frame, inside = card(10, 3)
        head = QHBoxLayout()
        head.addWidget(label(f"Cell {self._picked}, all that is known", weight=SEMI))
        head.addStretch(1)
        for text, step in (("previous", -1), ("next", 1)):
            move = button(text, "bare")
            move.setProperty("step", step)
            move.clicked.connect(self._move)
            head.addWidget(move)
        shut = button("close", "bare")
        shut.clicked.connect(self._unpick)
        head.addWidget(shut)
        inside.addLayout(head)
        table = QGridLayout()
        table.setHorizontalSpacing(16)
        table.setVerticalSpacing(1)
        for i, (name, value) in enumerate(
            about_cell(record.diagnosis, self._document.setup, self._picked)
        ):
            row, column = i // 2, 2 * (i % 2)
            table.addWidget(label(name, "soft"), row, column)
            table.addWidget(label(value, weight=SEMI), row, column + 1)
        table.setColumnStretch(4, 1)
        inside.addLayout(table)
        self._cell.addWidget(frame)

    @Slot()
    def _unpick(self) -> None:
        self.pick(None)

    @Slot()
    def _move(self) -> None:
        cells = self._document.setup.cells
        step = int(self.sender().property("step"))
        self.pick(((self._picked or 1) - 1 + step) % cells + 1)

    def _show_advice(self, strong: list[Cause], diagnosis: Diagnosis) -> None:
        nothing = ALL_WELL if diagnosis.verdict == "healthy" else NOT_YET
        now = list(diagnosis.urgent)
        now += [text for finding in strong[:3] for text in diagnosis.asks(finding)]
        now = now or [nothing]
        asked = strong[:3] or [f for f in [diagnosis.perhaps] if f]
        sure = [f.confirm for f in asked if f.confirm] + list(diagnosis.advice)
        frame, inside = card(12, 4)
        columns = QHBoxLayout()
        columns.setSpacing(24)
        later = "Once that is settled" if diagnosis.stopped else "To be sure"
        for title, sentences in (("Do now", now), (later, sure)):
            column = QVBoxLayout()
            column.setSpacing(6)
            column.addWidget(label(title, weight=SEMI, size=BASE_PT + 1))
            for sentence in dict.fromkeys(sentences):
                column.addWidget(label(sentence, size=BASE_PT + 0.5, wrap=True))
            column.addStretch(1)
            columns.addLayout(column, 1)
        inside.addLayout(columns)
        with refilled(self._advice):
            self._advice.addWidget(frame)


def _name(cell: int, text: str) -> str:
    return f"cell {cell}  {text}"
