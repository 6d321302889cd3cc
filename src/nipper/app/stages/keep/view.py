"""Keep: the year, storage, the meter, trips, the story."""

from datetime import tzinfo
from pathlib import Path

from PySide6.QtCore import Slot
from PySide6.QtWidgets import QFileDialog

from nipper.app.document import Document
from nipper.app.stage import PagedView
from nipper.app.stages.keep.gather import dues, kept, told
from nipper.app.stages.keep.life import LifePage
from nipper.app.stages.keep.meter import MeterPage
from nipper.app.stages.keep.practise import PractisePage
from nipper.app.stages.keep.storage import StoragePage
from nipper.app.stages.keep.story import StoryPage
from nipper.app.stages.keep.stray import Stray
from nipper.app.stages.keep.trips import TripsPage
from nipper.app.stages.keep.year import YearPage
from nipper.app.theme import Theme

TITLES = ("The year", "Storage", "Life", "Meter", "Practise", "Trips", "Story")


class KeepView(PagedView):
    """The stage Keep."""

    def __init__(self, document: Document, theme: Theme, zone: tzinfo) -> None:
        super().__init__(TITLES, tabs_below=True)
        self._document, self._zone = document, zone
        self.year, self.storage = YearPage(document, theme, zone), StoragePage(document, theme)
        self.stray = Stray(document, self)
        self.meter = MeterPage(document, theme, self.stray)
        self.practise = PractisePage(document, theme, self.stray)
        self.trips = TripsPage(document, theme, zone)
        self.story = StoryPage(document, theme, zone)
        self.life = LifePage(document, theme)
        first = (self.year, self.storage, self.life, self.meter)
        self.add_pages(*first, self.practise, self.trips, self.story)
        self.year.report.connect(self.write_report)
        self.follow(
            self.refresh,
            document.settings.changed,
            document.records.changed,
            document.pack_changed,
            document.history.events_changed,
            document.history.revised,
        )
        self.refresh()

    def said(self) -> str:
        """What it is for."""
        return "What keeps the bank well"

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
