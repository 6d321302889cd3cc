"""Practise: a hidden fault, readings that cost minutes, and a name for it."""

from PySide6.QtCore import Qt, Slot
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from nipper.app.document import Document
from nipper.app.stages.keep.stray import Stray
from nipper.app.theme import Theme
from nipper.app.widgets.basic import SEMI, StatusMark, button, clear, label, scrolled
from nipper.app.widgets.field import UnitField
from nipper.app.widgets.units import UNITS
from nipper.core.report.keep import expects_words
from nipper.core.report.practise import cell_words, practised, score_words, taken_words
from nipper.core.upkeep.meter import Cells
from nipper.core.upkeep.practise import (
    MOST_SEED,
    NOTHING,
    Level,
    Named,
    PractiseCase,
    Taken,
    cures,
    judge,
    make_case,
)

FITS = QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
A_LINE = 16  # cells side by side
SUBJECTS = ("a bank that does not work", "a cell that strays")
A_CELL = 1
WHAT_FOR = (
    "Nipper hides a fault, two, or none in a copy of this bank. Choose what to read; each reading "
    "costs minutes, and live parts want to be made safe first. Then name the fault, its cell, and "
    "what is done about it. The same number is the same case."
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
        self.readings: list[Taken] = []
        self._heeded: set[str] = set()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.addWidget(label(WHAT_FOR, "soft", wrap=True))
        line = QHBoxLayout()
        self.seed = UnitField("", "number of the case", "the same number is the same case")
        self.seed.set_bounds(1, MOST_SEED)
        self.seed.set_value(1.0)
        self.level = QComboBox()
        self.level.setAccessibleName(UNITS.text("how hard"))
        for level in Level:
            self.level.addItem(UNITS.text(level.value), level)
        self.begin, after = button("Begin", ""), button("Next case", "quiet")
        self.begin.clicked.connect(self.start)
        after.clicked.connect(self._next)
        line.addWidget(label("case"))
        self.subject = QComboBox()
        self.subject.setAccessibleName(UNITS.text("what is practised"))
        self.subject.addItems(UNITS.texts(SUBJECTS))
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
        self.where.setAccessibleName(UNITS.text("where the probes go"))
        self.where.activated.connect(self._chosen)
        self.safe = QCheckBox(UNITS.text("made safe"))
        self.safe.setToolTip(
            UNITS.text("Insulated probes, rings off, isolated as far as it can be")
        )
        self.at = QSpinBox()
        self.at.setPrefix(UNITS.text("cell "))
        self.at.setAccessibleName(UNITS.text("the cell at which the probes are"))
        self.read = button("Read", "", "It costs the minutes that are told")
        self.read.clicked.connect(self._read)
        line.addWidget(self.where, 1)
        line.addWidget(self.at)
        line.addWidget(self.safe)
        line.addWidget(self.read)
        return line

    def _naming(self) -> QGridLayout:
        lines = QGridLayout()
        self.answer, self.cell, self.cure = QComboBox(), QSpinBox(), QComboBox()
        self.answer.setAccessibleName(UNITS.text("the fault"))
        self.answer.activated.connect(self._answered)
        self.cell.setPrefix(UNITS.text("cell "))
        self.cell.setAccessibleName(UNITS.text("the cell with the fault"))
        self.cure.setAccessibleName(UNITS.text("what is done about it"))
        self.name = button("That is it", "main", "Judged, and the case is over")
        self.name.clicked.connect(self._named)
        for box in (self.answer, self.cure):
            box.setMinimumContentsLength(20)
            box.setSizeAdjustPolicy(FITS)
        for row, words in enumerate(("it is", "done about it")):
            lines.addWidget(label(words), row, 0)
        lines.addWidget(self.cell, 0, 1)
        lines.addWidget(self.answer, 0, 2)
        lines.addWidget(self.cure, 1, 1, 1, 2)
        lines.addWidget(self.name, 1, 3)
        lines.setColumnStretch(2, 1)
        return lines

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
        if self.subject.currentIndex() == A_CELL:
            self._stray.ask()
            of = [self._stray.walk] if self._stray.walk is not None else []
        self._waits = of == []
        if self._waits:
            self._wait()
            return
        seed = int(self.seed.value or 1)
        self.case = make_case(self._document.setup, seed, self.level.currentData(), of)
        self.readings, self._heeded = [], set()
        clear(self._verdict)
        self.seen.setText(f"{self.case.walk.title}.")
        self.answer.clear()
        for fault in sorted(self.case.walk.faults, key=lambda f: f.title):
            self.answer.addItem(UNITS.text(fault.title), fault.id)
        self.cure.clear()
        for cure in cures(self.case):
            self.cure.addItem(UNITS.text(cure), cure)
            self.cure.setItemData(self.cure.count() - 1, cure, Qt.ItemDataRole.ToolTipRole)
        for box in (self.at, self.cell):
            box.setRange(1, max(1, self.case.cells))
            box.setValue(1)
        self._answered()
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
        for row, taken in enumerate(self.readings):
            probe = case.walk.probe(taken.probe)
            if probe.cells == Cells.ALL:
                shown, about = _screen(taken), f"{probe.unit}, {practised(case, probe)}"
            else:
                shown = label(taken_words(case, taken), weight=SEMI)
                about = f"{practised(case, probe)} ({expects_words(case.walk, probe.id)})"
            self._grid.addWidget(shown, 2 * row, 0, 1, 2)
            self._grid.addWidget(label(about, "soft", wrap=True), 2 * row + 1, 0, 1, 2)
        self._grid.setColumnStretch(1, 1)
        self._list_probes(case)
        self.read.setEnabled(self.where.count() > 0)
        self._chosen()

    def _list_probes(self, case: PractiseCase) -> None:
        """What can still be read: a probe at one cell again and again, others once."""
        chosen, taken = self.where.currentData(), {t.probe for t in self.readings}
        self.where.clear()
        for probe in case.walk.probes:
            if probe.id not in taken or probe.cells == Cells.ONE:
                words = f"{practised(case, probe)} ({probe.minutes:g} min)"
                self.where.addItem(UNITS.text(words), probe.id)
        self.where.setCurrentIndex(max(0, self.where.findData(chosen)))

    @Slot()
    def _answered(self, *_: object) -> None:
        """Whether a cell is to be named."""
        strays = self.case is not None and self.case.cells > 0
        self.cell.setVisible(strays and self.answer.currentData() != NOTHING)

    @Slot()
    def _chosen(self, *_: object) -> None:
        self.safe.setChecked(False)
        id_ = self.where.currentData()
        probe = self.case.walk.probe(id_) if self.case and id_ else None
        caution = probe.caution if probe else ""
        self.at.setVisible(probe is not None and probe.cells == Cells.ONE)
        self.safe.setVisible(bool(caution))
        self.caution.setText(caution if self.level.currentData() == Level.EASY else "")

    @Slot()
    def _read(self) -> None:
        id_ = self.where.currentData()
        if self.case is None or id_ is None:
            return
        if self.safe.isChecked():
            self._heeded.add(id_)
        self.readings.append(self.case.read(id_, self.at.value()))
        self._show()

    @Slot()
    def _named(self) -> None:
        if self.case is None:
            return
        answer = Named(self.answer.currentData(), self.cell.value(), self.cure.currentData())
        score = judge(self.case, self.readings, answer, frozenset(self._heeded))
        clear(self._verdict)
        for row, (status, words) in enumerate(score_words(score)):
            mark = StatusMark(self._theme)
            mark.set_status(str(status))
            self._verdict.addWidget(mark, row, 0)
            self._verdict.addWidget(label(words, wrap=True), row, 1)
        self._verdict.setColumnStretch(1, 1)
        self.case = None
        self._work.setVisible(False)


def _screen(taken: Taken) -> QWidget:
    """Every cell's number with what it reads beneath, as a display lists them."""
    out = QWidget()
    grid = QGridLayout(out)
    grid.setContentsMargins(0, 4, 0, 0)
    grid.setHorizontalSpacing(4)
    grid.setVerticalSpacing(0)
    for i, (cell, reads) in enumerate(cell_words(taken)):
        line, column = divmod(i, A_LINE)
        for row, text in enumerate((label(cell, "soft"), label(reads, weight=SEMI))):
            text.setAlignment(Qt.AlignmentFlag.AlignRight)
            text.setMinimumWidth(30)
            grid.addWidget(text, 2 * line + row, column)
    grid.setColumnStretch(A_LINE, 1)
    return out
