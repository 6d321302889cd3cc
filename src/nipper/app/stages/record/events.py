"""A line to note what was done and when: half the diagnosis."""

from PySide6.QtCore import QDate, QDateTime, QTime, Slot
from PySide6.QtWidgets import QComboBox, QDateEdit, QHBoxLayout, QLineEdit, QWidget

from nipper.app.document import Document
from nipper.app.widgets.basic import button, day_edit
from nipper.app.widgets.units import UNITS
from nipper.core.imbalance.states import LEVELLED
from nipper.core.imbalance.swap import KIND as SWAP
from nipper.core.imbalance.swap import WORDS, Swap


class EventLine(QWidget):
    """The day, what was done, and to what; of an exchange, what and with which pack."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        inside = QHBoxLayout(self)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(6)
        self.day = QDateEdit(QDate.currentDate())
        day_edit(self.day, "Day of the event")
        self.note = QLineEdit(
            placeholderText=UNITS.text(
                "What was done: bars retorqued, absorption lengthened, BMS swapped …"
            )
        )
        self.note.setAccessibleName(UNITS.text("What was done"))
        self.note.setMaxLength(200)
        self.note.setMinimumWidth(150)
        self.note.returnPressed.connect(self.keep)
        self.kind, self.what, self.with_pack = QComboBox(), QComboBox(), QComboBox()
        self.kind.setAccessibleName(UNITS.text("kind of event"))
        self.kind.setToolTip(
            UNITS.text(
                "Diagnose compares the days before and after; what was exchanged is put to "
                "the swap test"
            )
        )
        self.what.setAccessibleName(UNITS.text("what was exchanged"))
        self.with_pack.setAccessibleName(UNITS.text("with which pack"))
        for what, words in WORDS.items():
            self.what.addItem(UNITS.text("other" if what == "other" else words), what)
        self.kind.currentIndexChanged.connect(self._kind_chosen)
        note = button("Note it", tip="Puts it on the time line of this pack")
        note.clicked.connect(self.keep)
        inside.addWidget(self.day)
        inside.addWidget(self.note, 1)
        for widget in (self.kind, self.what, self.with_pack, note):
            inside.addWidget(widget)
        document.pack_changed.connect(self._fill)
        self._fill()

    @Slot()
    def _fill(self) -> None:
        """The kinds there are, and the other packs."""
        packs, chosen = self._document.records.packs, self.kind.currentData()
        kinds = [("on this pack", "note"), ("cells all level", LEVELLED)]
        if len(packs) > 1:
            kinds += [("on all packs", "all"), ("exchanged", SWAP)]
        self.kind.clear()
        for words, kind in kinds:
            self.kind.addItem(UNITS.text(words), kind)
        self.kind.setCurrentIndex(max(0, self.kind.findData(chosen)))
        self.with_pack.clear()
        for pack in packs:
            if pack.id != self._document.pack.id:
                self.with_pack.addItem(UNITS.text(f"with {pack.name}"), pack.id)

    @Slot()
    def _kind_chosen(self) -> None:
        """What was exchanged, and with which pack, is asked where it was an exchange."""
        for widget in (self.what, self.with_pack):
            widget.setVisible(self.kind.currentData() == SWAP)

    def show_day(self, day: QDate) -> None:
        """Begin with that day."""
        self.day.setDate(day)

    @Slot()
    def keep(self) -> None:
        """Keep the event that was typed; an exchange or a levelling needs no words."""
        text, kind = self.note.text().strip(), self.kind.currentData()
        if not text and kind not in (SWAP, LEVELLED):
            self.note.setFocus()
            return
        noon_s = float(QDateTime(self.day.date(), QTime(12, 0)).toSecsSinceEpoch())
        here, add = self._document.pack.id, self._document.history.add_event
        if kind == SWAP:
            pair = here, int(self.with_pack.currentData())
            exchange = Swap(packs=pair, what=self.what.currentData(), note=text)
            add(noon_s, SWAP, exchange.model_dump_json(), None)
        elif kind == LEVELLED:
            add(noon_s, LEVELLED, text or "all cells level", here)
        else:
            add(noon_s, "note", text, None if kind == "all" else here)
        self.note.clear()
