"""Keep: the year, storage, the meter, trips, the story."""

from datetime import tzinfo
from pathlib import Path

from PySide6.QtCore import Slot
from PySide6.QtWidgets import (
    QButtonGroup,
    QFileDialog,
    QHBoxLayout,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from nipper.app.document import Document
from nipper.app.stage import StageView
from nipper.app.stages.keep.gather import dues, kept, told
from nipper.app.stages.keep.meter import MeterPage
from nipper.app.stages.keep.practise import PractisePage
from nipper.app.stages.keep.storage import StoragePage
from nipper.app.stages.keep.story import StoryPage
from nipper.app.stages.keep.trips import TripsPage
from nipper.app.stages.keep.year import YearPage
from nipper.app.theme import Theme
from nipper.app.widgets.basic import SEMI, choices, label

TITLES = ("The year", "Storage", "Meter", "Practise", "Trips", "Story")


class KeepView(StageView):
    """The stage Keep."""

    def __init__(
        self, document: Document, theme: Theme, zone: tzinfo, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self._document, self._zone = document, zone
        self.year, self.storage = YearPage(document, theme, zone), StoragePage(document, theme)
        self.meter, self.trips = MeterPage(document, theme), TripsPage(document, theme, zone)
        self.story = StoryPage(document, theme, zone)
        self.practise = PractisePage(document, theme)
        self._pages = (
            self.year, self.storage, self.meter, self.practise, self.trips, self.story
        )  # fmt: skip
        self._group, self._stack = QButtonGroup(self), QStackedWidget()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 14, 18, 14)
        layout.setSpacing(6)
        head = QHBoxLayout()
        head.addWidget(label("What keeps the bank well", size=16, weight=SEMI), 1)
        head.addLayout(choices(TITLES, self._group))
        layout.addLayout(head)
        for page in self._pages:
            self._stack.addWidget(page)
        layout.addWidget(self._stack, 1)
        self._group.idClicked.connect(self.show_page)
        self.year.report.connect(self.write_report)
        document.settings.changed.connect(self._show)
        document.records.changed.connect(self._show)
        document.pack_changed.connect(self._show)
        document.history.events_changed.connect(self._show)
        document.history.revised.connect(self._show)
        self._show()

    @Slot(int)
    def show_page(self, index: int) -> None:
        """Bring one of the pages to the front."""
        self._group.button(index).setChecked(True)
        self._stack.setCurrentIndex(index)
        self._show()

    @Slot()
    def _show(self, *_: object) -> None:
        self._pages[self._stack.currentIndex()].refresh()

    @Slot()
    def write_report(self) -> None:
        """Ask where, and write the yearly report."""
        file, _ = QFileDialog.getSaveFileName(self, "Write the report", "year.pdf", "PDF (*.pdf)")
        if file:
            self.write_to(Path(file))

    def write_to(self, path: Path) -> None:
        """The yearly report, into a file."""
        from nipper.app.widgets.printing import as_pdf
        from nipper.core.files import write_whole
        from nipper.core.report.assembly import capacity_words
        from nipper.core.report.build import heading
        from nipper.core.report.keep import year_html

        document = self._document
        now = document.now(self._zone)
        tests = [
            (pack.name, capacity_words(result))
            for pack in document.records.packs
            for _, result in document.history.capacity_tests(pack.id)
        ]
        since_s = now.timestamp() - 366 * 86400.0
        story = [e for e in told(document) if e.time_s >= since_s]
        html = year_html(document.bank, heading(document.bank), dues(document, self._zone), story,
                         kept(document), tests, now)  # fmt: skip
        write_whole(path, as_pdf(html))
