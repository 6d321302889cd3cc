"""What is due over the year, why, and how long it takes; a weekend's plan; into one's calendar."""

from datetime import tzinfo
from pathlib import Path

from PySide6.QtCore import Qt, Signal, Slot
from PySide6.QtWidgets import (
    QButtonGroup,
    QGridLayout,
    QHBoxLayout,
    QVBoxLayout,
    QWidget,
)

from nipper.app.document import Document
from nipper.app.stages.keep.gather import dues
from nipper.app.stages.keep.strip import YearStrip
from nipper.app.theme import BASE_PT, Theme
from nipper.app.widgets.asking import ask_save
from nipper.app.widgets.basic import SEMI, StatusMark, button, choices, clear, label, scrolled
from nipper.core.files import write_whole
from nipper.core.report.keep import takes_words, when_words
from nipper.core.upkeep.due import Due, weekend

ORDERS = ("By day", "This weekend, by worth")


class YearPage(QWidget):
    """``report`` asks for the yearly report."""

    report = Signal()

    def __init__(
        self, document: Document, theme: Theme, zone: tzinfo, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._theme, self._zone = document, theme, zone
        self._dues: list[Due] = []
        self.strip = YearStrip(theme, zone)
        self._order = QButtonGroup(self)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.addWidget(self.strip)
        line = QHBoxLayout()
        line.addWidget(choices(ORDERS, self._order))
        self.takes = label("", "soft")
        line.addWidget(self.takes, 1)
        self.calendar = button("To my calendar …", "quiet", "As iCalendar file (.ics)")
        self.calendar.clicked.connect(self._save_calendar)
        report = button("The year's report …", "quiet", "As PDF")
        report.clicked.connect(self.report)
        line.addWidget(self.calendar)
        line.addWidget(report)
        layout.addLayout(line)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(12)
        self._grid.setVerticalSpacing(8)
        self._area = scrolled(self._grid)
        layout.addWidget(self._area, 1)
        self._order.idClicked.connect(self.refresh)
        self.strip.chosen.connect(self._show)

    @Slot()
    def refresh(self, *_: object) -> None:
        """Show what is due."""
        now_s = self._document.bench.clock()
        self._dues = dues(self._document, self._zone)
        self.strip.show_dues(self._dues, now_s)
        shown = self._dues
        self.takes.setText("")
        if self._order.checkedId() == 1:
            shown = weekend(self._dues, now_s)
            hours = sum(d.minutes for d in shown) / 60.0
            self.takes.setText(f"{hours:.1f} h of work in all")
        clear(self._grid)
        for row, found in enumerate(shown):
            self._line(row, found, now_s)
        self._grid.setColumnStretch(2, 1)
        self._grid.setRowStretch(len(shown), 1)

    def _line(self, row: int, found: Due, now_s: float) -> None:
        top = Qt.AlignmentFlag.AlignTop
        mark = StatusMark(self._theme)
        over = found.days_from(now_s) < 1.0
        status = "none"
        if over:
            status = "act" if found.worth >= 9 else "watch"
        mark.set_status(status)
        self._grid.addWidget(mark, row, 0, top)
        when = label(when_words(found, now_s), weight=SEMI if over else label().font().weight())
        self._grid.addWidget(when, row, 1, top)
        words = QVBoxLayout()
        words.setSpacing(1)
        words.addWidget(label(found.title, weight=SEMI, wrap=True))
        why = f"{found.why} {takes_words(found)}."
        words.addWidget(label(why, "soft", BASE_PT - 0.5, wrap=True))
        self._grid.addLayout(words, row, 2)

    @Slot(int)
    def _show(self, number: int) -> None:
        """Bring a duty of the strip into view."""
        self._order.button(0).setChecked(True)
        self.refresh()
        item = self._grid.itemAtPosition(number, 1)
        line = item.widget() if item is not None else None
        if line is not None:
            self._area.ensureWidgetVisible(line)

    @Slot()
    def _save_calendar(self) -> None:
        file = ask_save(self, "Write the calendar", "upkeep.ics", "iCalendar (*.ics)")
        if file:
            self.write_calendar(Path(file))

    def write_calendar(self, path: Path) -> None:
        """The duties as a calendar, into a file."""
        from nipper.core.upkeep.calendar import calendar

        now_s = self._document.bench.clock()
        write_whole(path, calendar(self._dues, self._document.bank.name, now_s))
