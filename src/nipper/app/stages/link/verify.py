"""Both displays held against what they must show; a value that does not fit names its cause."""

from collections.abc import Mapping
from datetime import tzinfo
from pathlib import Path

from PySide6.QtCore import Signal, Slot
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.theme import BASE_PT, Theme
from nipper.app.widgets.asking import ask_save
from nipper.app.widgets.basic import SEMI, StatusMark, button, clear, label
from nipper.app.widgets.field import UnitField
from nipper.core.link.expect import expected, judge
from nipper.core.link.quantities import BY_NAME
from nipper.core.link.record import COMMISSIONED, LinkNotes

WHAT_FOR = (
    "Read both displays at the same moment and type what they show, or take it from the bus. "
    "In the first two or three full cycles alarms for capacity and cell difference are usual."
)


class VerifyPage(QWidget):
    """``from_bus`` asks for what is heard on the line."""

    from_bus = Signal()

    def __init__(
        self, document: Document, theme: Theme, zone: tzinfo, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._theme, self._zone = document, theme, zone
        self.fields: dict[tuple[str, str], UnitField] = {}
        self.says: dict[str, tuple[StatusMark, QLabel, QLabel]] = {}
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        head = QHBoxLayout()
        head.addWidget(label(WHAT_FOR, "soft", wrap=True), 1)
        take = button(
            "From the stand-ins",
            "quiet",
            "What they show on the page Talk now",
        )
        take.clicked.connect(self.from_bus)
        take.setMaximumWidth(150)
        self.record = button("Write the record …", "main", "The commissioning record, as PDF")
        self.record.clicked.connect(self.write_record)
        head.addWidget(take)
        head.addWidget(self.record)
        layout.addLayout(head)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(14)
        self._grid.setVerticalSpacing(4)
        layout.addLayout(self._grid)
        layout.addStretch(1)
        self._build()

    def _build(self) -> None:
        clear(self._grid)
        self.fields, self.says = {}, {}
        heads = ("", "must be", "battery", "inverter", "", "")
        for column, text in enumerate(heads):
            self._grid.addWidget(label(text, "soft"), 0, column)
        for row, line in enumerate(expected(self._document.bank), 1):
            self._grid.addWidget(label(line.title), row, 0)
            must = label("", weight=SEMI)
            self._grid.addWidget(must, row, 1)
            for column, end in ((2, "battery"), (3, "inverter")):
                field = UnitField(line.unit, f"{line.title}, {end}", line.why, optional=True)
                known = BY_NAME[line.quantity]
                field.set_bounds(-1e6 if known.least < 0 else 0.0, 1e9)
                field.setProperty("place", f"{end}.{line.quantity}")
                field.entered.connect(self._entered)
                self.fields[end, line.quantity] = field
                self._grid.addWidget(field, row, column)
            mark = StatusMark(self._theme)
            self._grid.addWidget(mark, row, 4)
            words = label("", "soft", BASE_PT - 0.5, wrap=True)
            self._grid.addWidget(words, row, 5)
            self.says[line.quantity] = (mark, words, must)
        self._grid.setColumnStretch(5, 1)

    @Slot()
    def refresh(self) -> None:
        """Show what was read, and how it fits."""
        if [line.quantity for line in expected(self._document.bank)] != list(self.says):
            self._build()
        notes = self._document.shelf.link_notes()
        for (end, quantity), field in self.fields.items():
            field.set_value(getattr(notes, end).get(quantity))
        for line in judge(self._document.bank, notes.battery, notes.inverter):
            mark, words, must = self.says[line.expected.quantity]
            value, unit = line.expected.value, line.expected.unit
            must.setText("the same" if value is None else f"{value:g} {unit}".strip())
            status = {True: "ok", False: "act", None: "none"}[line.fits]
            mark.set_status(status)
            words.setText(line.cause or ("fits" if line.fits else line.expected.why))

    def take(self, battery: Mapping[str, float], inverter: Mapping[str, float]) -> None:
        """Take readings of both ends."""
        notes = self._document.shelf.link_notes()
        known = {line.quantity for line in expected(self._document.bank)}
        notes.battery |= {q: v for q, v in battery.items() if q in known}
        notes.inverter |= {q: v for q, v in inverter.items() if q in known}
        notes.stand_in = True
        self._keep(notes)

    @Slot(object)
    def _entered(self, value: float | None) -> None:
        end, _, quantity = str(self.sender().property("place")).partition(".")
        notes = self._document.shelf.link_notes()
        if notes.stand_in:  # one's own displays begin: what the stand-ins showed is not theirs
            notes = LinkNotes(ticks=notes.ticks)
        readings: dict[str, float] = getattr(notes, end)
        if value is None:
            readings.pop(quantity, None)
        else:
            readings[quantity] = value
        self._keep(notes)

    def _keep(self, notes: LinkNotes) -> None:
        self._document.shelf.keep_link_notes(notes)
        self.refresh()

    @Slot()
    def write_record(self) -> None:
        """Write the commissioning record, and note that it was."""
        file = ask_save(self, "Write the commissioning record", "commissioning.pdf", "PDF (*.pdf)")
        if file:
            self.write_to(Path(file))

    def write_to(self, path: Path) -> None:
        """The record, into a file."""
        from nipper.app.widgets.printing import as_pdf
        from nipper.core.files import write_whole
        from nipper.core.report.link import commissioning_html

        document = self._document
        notes, proof = document.shelf.link_notes(), document.history.last_loss()
        now = document.now(self._zone)
        write_whole(path, as_pdf(commissioning_html(document.bank, notes, proof, now)))
        document.history.add_event(
            document.bench.clock(), COMMISSIONED, "commissioning record of the link written", None
        )
