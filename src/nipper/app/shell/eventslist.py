"""What was noted in this bench, newest first; what was noted by mistake is taken out again."""

from datetime import datetime, tzinfo

from PySide6.QtCore import Qt, Slot
from PySide6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.widgets.basic import SEMI, TakeOut, button, clear, label
from nipper.store import BenchEvent

MOST = 15  # at first
LINE_PX = 560  # what is longer is written on several lines
OUT = "It is judged from then on as if it had not been noted"


class EventsList(QWidget):
    """Hidden while nothing was noted."""

    def __init__(self, document: Document, zone: tzinfo) -> None:
        super().__init__()
        self._document, self._zone = document, zone
        self._all = False
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(label("Noted in this bench", weight=SEMI))
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(16)
        self._grid.setVerticalSpacing(5)
        layout.addLayout(self._grid)
        self._more = button("Show the older ones", "quiet")
        self._more.clicked.connect(self._show_all)
        layout.addWidget(self._more, 0, Qt.AlignmentFlag.AlignLeft)
        document.history.events_changed.connect(self.refresh)

    @Slot()
    def refresh(self) -> None:
        """Show them as they are in the bench."""
        events = self._document.history.events()[::-1]
        shown = events if self._all else events[:MOST]
        self.setVisible(bool(events))
        self._more.setVisible(len(shown) < len(events))
        clear(self._grid)
        for row, event in enumerate(shown):
            self._add(row, event)
        self._grid.setColumnStretch(4, 1)

    def _add(self, row: int, event: BenchEvent) -> None:
        at = datetime.fromtimestamp(event.time_s, self._zone)
        names = {pack.id: pack.name for pack in self._document.records.packs}
        whose = "all packs" if event.pack is None else names.get(event.pack, "")
        out = TakeOut(event.id, OUT)
        out.sure.connect(self._document.history.remove_event)
        for column, text in enumerate((f"{at.day} {at:%b %Y}", whose)):
            self._grid.addWidget(label(text, "soft"), row, column)
        words = label(event.note, wrap=True)
        self._grid.addWidget(words, row, 2)
        wide_px = min(LINE_PX, words.fontMetrics().horizontalAdvance(words.text()) + 8)
        # asked of a column that is: of another Qt answers with whatever stands in memory there
        self._grid.setColumnMinimumWidth(2, max(wide_px, self._grid.columnMinimumWidth(2)))
        self._grid.addWidget(out, row, 3)

    @Slot()
    def _show_all(self) -> None:
        self._all = True
        self.refresh()
