"""Practise: a hidden fault, readings that cost minutes, and a name for it."""

from PySide6.QtCore import Slot
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QVBoxLayout,
    QWidget,
)

from nipper.app.document import Document
from nipper.app.stages.keep.stray import Stray
from nipper.app.theme import Theme
from nipper.app.widgets.basic import SEMI, StatusMark, button, clear, label, scrolled
from nipper.app.widgets.field import UnitField
from nipper.app.widgets.units import UNITS
from nipper.core.report.keep import expects_words, score_words
from nipper.core.upkeep.practise import MOST_SEED, Level, PractiseCase, judge, make_case

A_BANK, A_CELL = "a bank that does not work", "a cell that strays"
WHAT_FOR = (
    "Nipper hides a fault, two, or none in a copy of this bank. Choose what to read; each reading "
    "costs minutes, and live parts want to be made safe first. Then name it. The same number is "
    "the same case."
)


class PractisePage(QWidget):
    """A case at a time."""

    def __init__(
        self, document: Document, theme: Theme, stray: Stray, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._theme, self._stray = document, theme, stray
        self._waits = False
        stray.changed.connect(self._stray_changed)
        self.case: PractiseCase | None = None
        self.readings: dict[str, float] = {}
        self._heeded: set[str] = set()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.addWidget(label(WHAT_FOR, "soft", wrap=True))
        line = QHBoxLayout()
        self.seed = UnitField("", "number of the case", "the same number is the same case")
        self.seed.set_bounds(1, MOST_SEED)
        self.seed.set_value(1.0)
        self.level = QComboBox()
        self.level.setAccessibleName("how hard")
        for level in Level:
            self.level.addItem(level.value, level)
        self.begin, after = button("Begin", ""), button("Next case", "quiet")
        self.begin.clicked.connect(self.start)
        after.clicked.connect(self._next)
        line.addWidget(label("case"))
        self.subject = QComboBox()
        self.subject.setAccessibleName("what is practised")
        self.subject.addItems([A_BANK, A_CELL])
        for widget in (self.seed, self.level, self.subject, self.begin, after):
            line.addWidget(widget)
        line.addStretch(1)
        layout.addLayout(line)
        self.seen = label("", size=15, weight=SEMI, wrap=True)
        layout.addWidget(self.seen)
        self._work = QWidget()
        work = QVBoxLayout(self._work)
        work.setContentsMargins(0, 0, 0, 0)
        work.addLayout(self._reading())
        self.caution = label("", "act", wrap=True)
        work.addWidget(self.caution)
        work.addLayout(self._naming())
        layout.addWidget(self._work)
        inside = QVBoxLayout()
        self._verdict = QGridLayout()
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(12)
        inside.addLayout(self._verdict)
        inside.addLayout(self._grid)
        inside.addStretch(1)
        area = scrolled(inside)
        layout.addWidget(area, 1)

    def _reading(self) -> QHBoxLayout:
        line = QHBoxLayout()
        self.where = QComboBox()
        self.where.setAccessibleName("where the probes go")
        self.where.activated.connect(self._chosen)
        self.safe = QCheckBox("made safe")
        self.safe.setToolTip("Insulated probes, rings off, isolated as far as it can be")
        self.read = button("Read", "", "It costs the minutes that are told")
        self.read.clicked.connect(self._read)
        line.addWidget(self.where, 1)
        line.addWidget(self.safe)
        line.addWidget(self.read)
        return line

    def _naming(self) -> QHBoxLayout:
        line = QHBoxLayout()
        self.answer = QComboBox()
        self.answer.setAccessibleName("the fault")
        self.name = button("That is it", "main", "Judged, and the case is over")
        self.name.clicked.connect(self._named)
        line.addWidget(label("it is"))
        line.addWidget(self.answer, 1)
        line.addWidget(self.name)
        return line

    @Slot()
    def refresh(self) -> None:
        """A case goes on whatever changes meanwhile."""
        self._work.setVisible(self.case is not None)
        if self.case is None:
            self.seen.setText("")

    @Slot()
    def start(self, *_: object) -> None:
        """Begin the case of that number anew."""
        of = None
        if self.subject.currentText() == A_CELL:
            self._stray.ask()
            of = [self._stray.walk] if self._stray.walk is not None else []
        self._waits = of == []
        if self._waits:
            self._wait()
            return
        seed = int(self.seed.value or 1)
        self.case = make_case(self._document.setup, seed, self.level.currentData(), of)
        self.readings, self._heeded = {}, set()
        clear(self._verdict)
        self.seen.setText(f"{self.case.walk.title}.")
        self.answer.clear()
        for fault in sorted(self.case.walk.faults, key=lambda f: f.title):
            self.answer.addItem(fault.title, fault.id)
        self.refresh()
        self._show()

    def _wait(self) -> None:
        self.case = None
        self.refresh()
        self.seen.setText(self._stray.said)

    @Slot()
    def _stray_changed(self) -> None:
        if self._waits and self._stray.walk is not None:
            self.start()
        elif self._waits:
            self._wait()

    @Slot()
    def _next(self) -> None:
        self.seed.set_value(min(float(MOST_SEED), (self.seed.value or 0.0) + 1.0))
        self.start()

    def _show(self) -> None:
        case = self.case
        assert case
        clear(self._grid)
        for row, (id_, value) in enumerate(self.readings.items()):
            probe = case.walk.probe(id_)
            self._grid.addWidget(label(f"{value:g} {probe.unit}".strip(), weight=SEMI), row, 0)
            words = f"{probe.where} ({expects_words(case.walk, id_)})"
            self._grid.addWidget(label(words, "soft", wrap=True), row, 1)
        self._grid.setColumnStretch(1, 1)
        self.where.clear()
        for probe in case.walk.probes:
            if probe.id not in self.readings:
                self.where.addItem(UNITS.text(f"{probe.where} ({probe.minutes:g} min)"), probe.id)
        self.read.setEnabled(self.where.count() > 0)
        self._chosen()

    @Slot()
    def _chosen(self, *_: object) -> None:
        self.safe.setChecked(False)
        id_ = self.where.currentData()
        caution = self.case.walk.probe(id_).caution if self.case and id_ else ""
        self.safe.setVisible(bool(caution))
        self.caution.setText(caution if self.level.currentData() == Level.EASY else "")

    @Slot()
    def _read(self) -> None:
        id_ = self.where.currentData()
        if self.case is None or id_ is None:
            return
        if self.safe.isChecked():
            self._heeded.add(id_)
        self.readings[id_] = self.case.read(id_)
        self._show()

    @Slot()
    def _named(self) -> None:
        if self.case is None:
            return
        score = judge(self.case, self.readings, self.answer.currentData(), frozenset(self._heeded))
        clear(self._verdict)
        for row, (status, words) in enumerate(score_words(score)):
            mark = StatusMark(self._theme)
            mark.set_status(str(status))
            self._verdict.addWidget(mark, row, 0)
            self._verdict.addWidget(label(words, wrap=True), row, 1)
        self._verdict.setColumnStretch(1, 1)
        self.case = None
        self._work.setVisible(False)
