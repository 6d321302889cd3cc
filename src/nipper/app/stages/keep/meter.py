"""Finding a fault with a meter: one reading after another, each where it tells most."""

from PySide6.QtCore import QRectF, Qt, Slot
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QVBoxLayout,
    QWidget,
)

from nipper.app.document import Document
from nipper.app.stages.keep.stray import Stray
from nipper.app.theme import BASE_PT, Theme, font
from nipper.app.widgets.basic import SEMI, StatusMark, button, card, clear, label, scrolled
from nipper.app.widgets.brush import Brush
from nipper.app.widgets.field import UnitField
from nipper.app.widgets.units import UNITS
from nipper.core.report.keep import expects_words, stand_words, walk_note
from nipper.core.upkeep.meter import Stand, Walk, stand
from nipper.core.upkeep.stray import TITLE
from nipper.core.upkeep.walks import walks

KIND = "meter-walk"
SHOWN, ROW_H = 6, 26
WHAT_FOR = (
    "Choose what is seen, then read where it is asked. Each fault says what every probe would show "
    "at this bank; the next reading is the one that tells most for its minutes."
)


class Suspects(QWidget):
    """The faults with how likely each is, as bars."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._likely: list[tuple[str, float]] = []
        self.setMinimumHeight(SHOWN * ROW_H + 4)
        self.setAccessibleName(UNITS.text("Faults by likelihood"))
        theme.changed.connect(self.update)

    def show_stand(self, found: Stand) -> None:
        """Show the likeliest."""
        self._likely = [(f.title, share) for f, share in found.likely[:SHOWN]]
        told = [f"{title} {100 * share:.0f} %" for title, share in self._likely]
        self.setAccessibleDescription(UNITS.text("; ".join(told)))
        self.update()

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        painter = Brush(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        wide = self.width() - 60.0
        for i, (title, share) in enumerate(self._likely):
            row = QRectF(0, 2 + i * ROW_H, self.width(), ROW_H - 4)
            bar = QRectF(54, row.top(), max(2.0, share * wide), row.height())
            painter.fillRect(bar, self._theme.colour("copper_wash" if i == 0 else "grid"))
            painter.setPen(self._theme.colour("ink" if share > 0.02 else "faint"))
            painter.setFont(font(BASE_PT, SEMI))
            centre = Qt.AlignmentFlag.AlignVCenter
            painter.drawText(row.adjusted(0, 0, 0, 0), centre, f"{100 * share:.0f} %")
            painter.setFont(font(BASE_PT))
            words = painter.fontMetrics().elidedText(
                UNITS.text(title), Qt.TextElideMode.ElideRight, int(wide - 10)
            )
            painter.drawText(row.adjusted(62, 0, 0, 0), centre, words)


class MeterPage(QWidget):
    """Symptom, readings, suspects, and the next probe."""

    def __init__(
        self, document: Document, theme: Theme, stray: Stray, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._theme, self._stray = document, theme, stray
        stray.changed.connect(self._stray_changed)
        self.readings: dict[str, float] = {}
        self._walks: tuple[Walk, ...] = ()
        self._asked = ""
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.addWidget(label(WHAT_FOR, "soft", wrap=True))
        line = QHBoxLayout()
        self.symptom = QComboBox()
        self.symptom.setAccessibleName(UNITS.text("what is seen"))
        self.symptom.activated.connect(self._begin)
        self.volts = UnitField(
            "V", "the bank's voltage", "as far as it is known now", optional=True
        )
        self.volts.set_bounds(1.0, 2000.0)
        self.volts.entered.connect(self._changed)
        anew, self.note = button("Begin anew", "quiet"), button("Note it", "quiet")
        anew.clicked.connect(self._begin)
        self.note.setToolTip(UNITS.text("Among the events, with all readings"))
        self.note.clicked.connect(self._note)
        line.addWidget(self.symptom, 1)
        line.addWidget(label("bank at", "soft"))
        for widget in (self.volts, anew, self.note):
            line.addWidget(widget)
        layout.addLayout(line)
        verdict = QHBoxLayout()
        self._mark, self.verdict = StatusMark(theme), label("", size=13, weight=SEMI, wrap=True)
        verdict.addWidget(self._mark)
        verdict.addWidget(self.verdict, 1)
        layout.addLayout(verdict)
        layout.addWidget(self._asking())
        self.suspects = Suspects(theme)
        layout.addWidget(self.suspects)
        self._grid = QGridLayout()
        area = scrolled(self._grid)
        layout.addWidget(area, 1)
        self.last = label("", "soft", wrap=True)
        layout.addWidget(self.last)

    def _asking(self) -> QWidget:
        """The probe that is asked for, and its field."""
        self._card, inside = card()
        self.where = QComboBox()
        self.where.setAccessibleName(UNITS.text("where the probes go"))
        self.where.activated.connect(self._chosen)
        self.expects, self.caution = label("", "soft", wrap=True), label("", "act", wrap=True)
        inside.addWidget(self.where)
        inside.addWidget(self.expects)
        inside.addWidget(self.caution)
        line = QHBoxLayout()
        self.field = UnitField("V", "reading", "what the meter shows", optional=True)
        self.field.entered.connect(self._read)
        line.addWidget(label("reads"))
        line.addWidget(self.field)
        line.addWidget(label("type it, then Enter", "soft"))
        line.addStretch(1)
        inside.addLayout(line)
        return self._card

    @property
    def walk(self) -> Walk:
        """The walk of the chosen symptom."""
        return self._walks[max(0, self.symptom.currentIndex())]

    @property
    def strays(self) -> bool:
        """Whether the symptom is a cell that strays: its walk is made by runs, and not at once."""
        return 0 < self.symptom.currentIndex() == self.symptom.count() - 1

    @Slot()
    def _stray_changed(self) -> None:
        if self.strays and self.isVisible():
            self.refresh()

    @Slot()
    def refresh(self) -> None:
        """Show how the search stands, for the bank as it is set now."""
        self._walks = walks(self._document.setup, self.volts.value)
        if self.symptom.count() == 0:
            self.symptom.addItems(UNITS.texts([*(w.title for w in self._walks), TITLE]))
        if self.strays:
            self._stray.ask()
            known = self._stray.walk
            if known is None:
                self._wait()
                return
            self._walks = (*self._walks, known)
        walk, found = self.walk, stand(self.walk, self.readings)
        status, words = stand_words(found, len(self.readings))
        self._mark.set_status(str(status))
        self.verdict.setText(words)
        self.suspects.show_stand(found)
        self.note.setEnabled(bool(self.readings))
        self._list(walk)
        left = [p for p in walk.probes if p.id not in self.readings]
        self._card.setVisible(bool(left))
        self.where.clear()
        for probe in left:
            most = " (tells most)" if found.ask is probe else ""
            self.where.addItem(UNITS.text(f"{probe.where}{most}"), probe.id)
        if found.ask is not None:
            self.where.setCurrentIndex(left.index(found.ask))
        self._chosen()
        self._say_last(walk)

    def _wait(self) -> None:
        """No walk yet, or none at all."""
        self._mark.set_status("none")
        self.verdict.setText(self._stray.said)
        self._card.hide()
        self.note.setEnabled(False)
        clear(self._grid)

    def _say_last(self, walk: Walk) -> None:
        """What was found the last time, to compare with."""
        kept = [
            e for e in self._document.history.events()
            if e.kind == KIND and e.note.startswith(walk.title)
        ]  # fmt: skip
        self.last.setText(f"Last time: {kept[-1].note}" if kept else "")

    def _list(self, walk: Walk) -> None:
        clear(self._grid)
        for row, (probe, value) in enumerate(self.readings.items()):
            known = walk.probe(probe)
            self._grid.addWidget(label(f"{value:g} {known.unit}".strip(), weight=SEMI), row, 0)
            words = f"{known.where} ({expects_words(walk, probe)})"
            self._grid.addWidget(label(words, "soft", wrap=True), row, 1)
            back = button("take back", "bare")
            back.setProperty("probe", probe)
            back.clicked.connect(self._take_back)
            self._grid.addWidget(back, row, 2)
        self._grid.setColumnStretch(1, 1)
        self._grid.setRowStretch(len(self.readings), 1)

    @Slot()
    def _chosen(self, *_: object) -> None:
        id_ = self.where.currentData()
        if id_ is None:
            return
        probe = self.walk.probe(id_)
        if id_ != self._asked:  # a reading that is being typed stays, whatever changes meanwhile
            self._asked = id_
            self.field.unit = probe.unit
            self.field.set_value(None)
            self.field.setText("")
        self.expects.setText(f"{expects_words(self.walk, id_)}; about {probe.minutes:g} min")
        self.caution.setText(probe.caution)

    @Slot()
    def _begin(self, *_: object) -> None:
        self.readings, self._asked = {}, ""
        self.refresh()

    @Slot()
    def _changed(self, *_: object) -> None:
        self.refresh()

    @Slot(object)
    def _read(self, value: float | None) -> None:
        id_ = self.where.currentData()
        if value is not None and id_ is not None:
            self.readings[id_] = value
            self._asked = ""
            self.refresh()

    @Slot()
    def _take_back(self) -> None:
        self.readings.pop(str(self.sender().property("probe")), None)
        self.refresh()

    @Slot()
    def _note(self) -> None:
        document = self._document
        text = walk_note(self.walk, self.readings, stand(self.walk, self.readings))
        document.history.add_event(document.bench.clock(), KIND, text, document.pack.id)
        self._say_last(self.walk)
