"""Keep: the year, storage, the meter, trips, the story."""

from datetime import tzinfo
from pathlib import Path

from PySide6.QtCore import Slot

from nipper.app.document import Document
from nipper.app.stage import PagedView, made
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
from nipper.app.widgets.asking import ask_save

TITLES = ("The year", "Storage", "Life", "Meter", "Practise", "Trips", "Story")


class KeepView(PagedView):
    """The stage Keep."""

    def __init__(self, document: Document, theme: Theme, zone: tzinfo) -> None:
        super().__init__(TITLES, tabs_below=True)
        self._document, self._theme, self._zone = document, theme, zone
        self.stray = Stray(document, self)
        self.follow(
            self.refresh,
            document.settings.changed,
            document.records.changed,
            document.pack_changed,
            document.history.events_changed,
            document.history.revised,
        )
        self.refresh()

    @made
    def year(self) -> YearPage:
        """What is due, and when."""
        page = YearPage(self._document, self._theme, self._zone)
        page.report.connect(self.write_report)
        return page

    @made
    def storage(self) -> StoragePage:
        """The bank put away for a season."""
        return StoragePage(self._document, self._theme)

    @made
    def life(self) -> LifePage:
        """What the cells hold in years to come."""
        return LifePage(self._document, self._theme)

    @made
    def meter(self) -> MeterPage:
        """The stray searched with a meter."""
        return MeterPage(self._document, self._theme, self.stray)

    @made
    def practise(self) -> PractisePage:
        """Faults hidden, to be found."""
        return PractisePage(self._document, self._theme, self.stray)

    @made
    def trips(self) -> TripsPage:
        """The counters of trips."""
        return TripsPage(self._document, self._theme, self._zone)

    @made
    def story(self) -> StoryPage:
        """All that happened."""
        return StoryPage(self._document, self._theme, self._zone)

    def said(self) -> str:
        """What it is for."""
        return "What keeps the bank well"

    @Slot()
    def write_report(self) -> None:
        """Ask where, and write the yearly report."""
        file = ask_save(self, "Write the report", "year.pdf", "PDF (*.pdf)")
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
