"""The sense leads, measured one by one before the plug goes into the BMS."""

from math import ceil

from PySide6.QtCore import Qt, Slot
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.theme import Theme
from nipper.app.widgets.basic import SEMI, StatusMark, button, clear, label, scrolled
from nipper.app.widgets.field import UnitField
from nipper.core.assembly.notes import PackNotes
from nipper.core.assembly.taps import Fault, TapTest, expected_v, tap_test
from nipper.core.report.assembly import tap_verdict, tap_words, unused_words

WHAT_FOR = (
    "Plug out. Black probe on lead 0 (the pack's minus) and left there, red probe on each lead in "
    "turn: type what the meter reads. One wrong lead can put the whole string across an input that "
    "stands about 5 V."
)
PER_COLUMN = 12


class TapsPage(QWidget):
    """Expected and read, lead by lead; what is wrong is named."""

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self.fields: list[UnitField] = []
        self._marks: list[StatusMark] = []
        self._wants: list[QLabel] = []
        self._theme = theme
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.addWidget(label(WHAT_FOR, "soft", wrap=True))
        line = QHBoxLayout()
        self.terminals = UnitField(
            "V", "the pack's own terminals", "with the same meter, plus against minus", True
        )
        self.channels = UnitField("", "a BMS for so many cells", "its sense positions", True)
        for title, field in (("pack's terminals", self.terminals), ("BMS for", self.channels)):
            line.addWidget(label(title))
            line.addWidget(field)
            field.set_bounds(1, 2000)
        line.addWidget(label("cells", "soft"))
        line.addStretch(1)
        anew = button("Begin anew", "quiet", "Take all readings of this pack out")
        self.note = button("Note the result", "quiet", "Among the events, with today's date")
        for made, to in ((anew, self._anew), (self.note, self._note)):
            made.clicked.connect(to)
            line.addWidget(made)
        layout.addLayout(line)
        verdict = QHBoxLayout()
        self._mark, self.verdict = StatusMark(theme), label("", size=15, weight=SEMI)
        verdict.addWidget(self._mark)
        verdict.addWidget(self.verdict, 1)
        layout.addLayout(verdict)
        self.says = label("", wrap=True)
        layout.addWidget(self.says)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(10)
        self._grid.setVerticalSpacing(4)
        area = scrolled(self._grid)
        layout.addWidget(area, 1)
        self.terminals.entered.connect(self._terminals_read)
        self.channels.entered.connect(self._show_unused)
        self._unused = label("", "soft", wrap=True)
        layout.addWidget(self._unused)

    def _pack(self) -> PackNotes:
        return self._document.shelf.build_notes().pack(self._document.settings.number)

    def _build(self, count: int) -> None:
        clear(self._grid)
        self.fields, self._marks, self._wants = [], [], []
        each = ceil(count / ceil(count / PER_COLUMN))
        for lead in range(1, count + 1):
            row, column = (lead - 1) % each, 4 * ((lead - 1) // each)
            wants = label("", "soft")
            field = UnitField("V", f"lead {lead} against lead 0", "as the meter reads", True)
            field.set_bounds(-2000.0, 2000.0)
            field.setProperty("lead", lead)
            field.entered.connect(self._read)
            field.returnPressed.connect(self._next)
            mark = StatusMark(self._theme)
            name = label(f"{lead}", weight=SEMI)
            name.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            for i, widget in enumerate((name, wants, field, mark)):
                self._grid.addWidget(widget, row, column + i)
            self.fields.append(field)
            self._marks.append(mark)
            self._wants.append(wants)
        self._grid.setColumnStretch(4 * ceil(count / each), 1)
        self._grid.setRowStretch(each, 1)

    @Slot()
    def refresh(self) -> None:
        """Show the shown pack's readings and what they say."""
        setup, notes = self._document.setup, self._pack()
        if len(self.fields) != setup.cells:
            self._build(setup.cells)
        self.terminals.set_value(notes.taps_pack_v)
        wanted = expected_v(setup, notes.taps_pack_v)
        for i, field in enumerate(self.fields):
            field.set_value(notes.taps_v[i] if i < len(notes.taps_v) else None)
            self._wants[i].setText(f"≈ {wanted[i]:.1f} V")
        self._judge(tap_test(setup, notes.taps_v, notes.taps_pack_v))
        self._show_unused()

    def _judge(self, found: TapTest) -> None:
        status, words = tap_verdict(found)
        self._mark.set_status(str(status))
        self.verdict.setText(words)
        setup = self._document.setup
        self.says.setText("\n".join(tap_words(f, setup) for f in found.faults))
        wrong = {lead: f.kind for f in found.faults for lead in f.leads}
        for lead, mark in enumerate(self._marks, 1):
            read = self.fields[lead - 1].value is not None
            status_word = "ok" if read and found.read else "none"
            if lead in wrong:
                status_word = "watch" if wrong[lead] == Fault.UNLIKE_CELL else "act"
            mark.set_status(status_word)
        self.note.setEnabled(found.complete)

    @Slot()
    def _show_unused(self, *_: object) -> None:
        channels = self.channels.value
        cells = self._document.setup.cells
        self._unused.setText(unused_words(cells, int(channels)) if channels else "")

    @Slot(object)
    def _read(self, value: float | None) -> None:
        lead = int(self.sender().property("lead"))
        notes = self._document.shelf.build_notes()
        pack = notes.pack(self._document.settings.number)
        missing = self._document.setup.cells - len(pack.taps_v)
        pack.taps_v = [*pack.taps_v, *([None] * missing)]
        pack.taps_v[lead - 1] = value
        pack.taps_s = self._document.bench.clock()
        self._document.shelf.keep_build_notes(notes)
        self.refresh()

    @Slot()
    def _next(self) -> None:
        """Enter goes to the next lead, as the probe does."""
        lead = int(self.sender().property("lead"))
        if lead < len(self.fields):
            self.fields[lead].setFocus(Qt.FocusReason.TabFocusReason)

    @Slot(object)
    def _terminals_read(self, value: float | None) -> None:
        notes = self._document.shelf.build_notes()
        notes.pack(self._document.settings.number).taps_pack_v = value
        self._document.shelf.keep_build_notes(notes)
        self.refresh()

    @Slot()
    def _anew(self) -> None:
        notes = self._document.shelf.build_notes()
        pack = notes.pack(self._document.settings.number)
        pack.taps_v, pack.taps_pack_v, pack.taps_s = [], None, None
        self._document.shelf.keep_build_notes(notes)
        self.refresh()

    @Slot()
    def _note(self) -> None:
        document, notes = self._document, self._pack()
        found = tap_test(document.setup, notes.taps_v, notes.taps_pack_v)
        _, words = tap_verdict(found)
        said = [words, *(tap_words(f, document.setup) for f in found.faults)]
        text = f"sense leads measured: {' '.join(said)}"
        document.history.add_event(document.bench.clock(), "sense-leads", text, document.pack.id)
