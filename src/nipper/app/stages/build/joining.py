"""Packs before they are joined: rest voltages, what flows, and the procedure."""

from PySide6.QtCore import Slot
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.theme import BASE_PT, Theme
from nipper.app.widgets.basic import SEMI, StatusMark, clear, label, scrolled
from nipper.app.widgets.field import UnitField
from nipper.core.assembly.joining import Joined, joining
from nipper.core.report.assembly import JOINING_STEPS, agree_words, joining_words, soc_words
from nipper.core.setup import pack_names, pack_setups

WHAT_FOR = (
    "Each pack off and apart, an hour at rest: its voltage at its own terminals, with one meter "
    "for all. A pack that is to be added is entered first: packs in parallel, one more."
)


class JoiningPage(QWidget):
    """A voltage a pack; the judgement; the order of the work."""

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self.fields: list[UnitField] = []
        self.counters: list[UnitField] = []
        self._says: list[tuple[QLabel, QLabel]] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.addWidget(label(WHAT_FOR, "soft", wrap=True))
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(14)
        self._grid.setVerticalSpacing(4)
        layout.addLayout(self._grid)
        line = QHBoxLayout()
        self._mark, self.verdict = StatusMark(theme), label("", size=13, weight=SEMI, wrap=True)
        line.addWidget(self._mark)
        line.addWidget(self.verdict, 1)
        layout.addLayout(line)
        self.agree = label("", wrap=True)
        layout.addWidget(self.agree)
        order = QVBoxLayout()
        order.addWidget(label("How it is done", weight=SEMI))
        for i, text in enumerate(JOINING_STEPS, 1):
            order.addWidget(label(f"{i}  {text}", "soft", BASE_PT - 0.5, wrap=True))
        order.addStretch(1)
        area = scrolled(order)
        layout.addWidget(area, 1)

    def _build(self, names: tuple[str, ...]) -> None:
        clear(self._grid)
        self.fields, self._says = [], []
        self.counters = []
        for column, text in enumerate(("", "at rest", "its counter", "volts say", "first moment")):
            self._grid.addWidget(label(text, "soft", BASE_PT - 0.5), 0, column)
        for i, name in enumerate(names):
            field = UnitField("V", f"{name} at rest", "at its own terminals", optional=True)
            field.set_bounds(0.1, 2000.0)
            field.setProperty("pack", i)
            field.entered.connect(self._read)
            counter = UnitField(
                "%", f"{name}, by its counter", "as its BMS shows it", optional=True
            )
            counter.set_bounds(0.0, 100.0)
            counter.setProperty("pack", i)
            counter.entered.connect(self._counted)
            says, flows = label("", "soft"), label("", "soft")
            line = (label(name, weight=SEMI), field, counter, says, flows)
            for column, widget in enumerate(line):
                self._grid.addWidget(widget, i + 1, column)
            self.fields.append(field)
            self.counters.append(counter)
            self._says.append((says, flows))
        self._grid.setColumnStretch(4, 1)

    @Slot()
    def refresh(self) -> None:
        """Show the voltages and what joining does."""
        bank, notes = self._document.named_bank, self._document.shelf.build_notes()
        names = pack_names(bank)
        if len(self.fields) != len(names):
            self._build(names)
        rests = [notes.pack(i).rest_v for i in range(len(names))]
        for field, rest in zip(self.fields, rests, strict=True):
            field.set_value(rest)
        for i, counter in enumerate(self.counters):
            counter.set_value(notes.pack(i).soc_pct)
        for says, flows in self._says:
            says.setText("")
            flows.setText("")
        read = [i for i, v in enumerate(rests) if v is not None]
        if len(read) < 2:
            self._mark.set_status("none")
            one = len(names) < 2
            self.verdict.setText(
                "One pack: nothing to join." if one else "Two packs at least, each with its volts."
            )
            self.agree.setText("")
            return
        setups = pack_setups(bank)
        found = joining([Joined(setups[i], rests[i] or 0.0, notes.pack(i).soc_pct) for i in read])
        status, words = joining_words(found, [names[i] for i in read])
        self._mark.set_status(str(status))
        self.verdict.setText(words)
        self.agree.setText(agree_words(found))
        for at, i in enumerate(read):
            says, flows = self._says[i]
            says.setText(soc_words(found.soc_pct[at]))
            amps = found.packs_a[at]
            flows.setText(f"{'gives' if amps >= 0 else 'takes'} {abs(amps):.0f} A")

    @Slot(object)
    def _read(self, value: float | None) -> None:
        notes = self._document.shelf.build_notes()
        notes.pack(int(self.sender().property("pack"))).rest_v = value
        self._document.shelf.keep_build_notes(notes)
        self.refresh()

    @Slot(object)
    def _counted(self, value: float | None) -> None:
        notes = self._document.shelf.build_notes()
        notes.pack(int(self.sender().property("pack"))).soc_pct = value
        self._document.shelf.keep_build_notes(notes)
        self.refresh()
