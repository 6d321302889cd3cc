"""Link: the order of the work, the way of the current, cable and switches, the talk, and both
displays held against what they must show.
"""

from datetime import tzinfo

from PySide6.QtCore import Slot

from nipper.app.document import Document
from nipper.app.stage import PagedView, made
from nipper.app.stages.link.cable import CablePage
from nipper.app.stages.link.lowend import LowEndPage
from nipper.app.stages.link.menus import MenusPage
from nipper.app.stages.link.path import PathPage
from nipper.app.stages.link.profilepage import ProfilePage
from nipper.app.stages.link.steps import StepsPage
from nipper.app.stages.link.talk import TalkPage
from nipper.app.stages.link.verify import VerifyPage
from nipper.app.theme import Theme
from nipper.core.report.link import heading

PAGES = ("Steps", "Settings", "Cable", "Talk", "Verify", "Profile", "Low end", "Menus")
# where a setting stands
PAGE_OF = (
    ("link.battery_protocols", 5), ("link.inverter_protocols", 5), ("link.charge_start_pct", 6),
    ("link.low_alarm_pct", 6), ("link.low_cut_pct", 6), ("link.low_restart_pct", 6),
    ("link.battery_pins", 2), ("link.inverter_pins", 2), ("link.switch", 2), ("link.", 1),
)  # fmt: skip


class LinkView(PagedView):
    """The stage Link."""

    def __init__(self, document: Document, theme: Theme, zone: tzinfo) -> None:
        super().__init__(PAGES, tabs_below=True)
        self._document, self._theme, self._zone = document, theme, zone
        changes = document.settings.changed, document.history.events_changed
        self.follow(self.refresh, *changes)
        self.refresh()

    @made
    def steps(self) -> StepsPage:
        """The order of the work."""
        page = StepsPage(self._document, self._theme)
        page.asked.connect(self.show_page)
        return page

    @made
    def path(self) -> PathPage:
        """The way of the current, and the settings of the link."""
        return PathPage(self._document, self._theme)

    @made
    def cable(self) -> CablePage:
        """The cable's wires, and the switches."""
        return CablePage(self._document, self._theme)

    @made
    def talk(self) -> TalkPage:
        """What is said on the bus."""
        return TalkPage(self._document, self._theme)

    @made
    def verify(self) -> VerifyPage:
        """Both displays, held against what they must show."""
        page = VerifyPage(self._document, self._theme, self._zone)
        page.from_bus.connect(self._from_bus)
        return page

    @made
    def profile(self) -> ProfilePage:
        """What each frame or register means."""
        return ProfilePage(self._document, self._theme)

    @made
    def low(self) -> LowEndPage:
        """Who stops first when the bank is empty."""
        return LowEndPage(self._document, self._theme)

    @made
    def menus(self) -> MenusPage:
        """Which protocol is chosen in which menu."""
        return MenusPage(self._document)

    def said(self) -> str:
        """How it is set."""
        return heading(self._document.bank)

    def show_field(self, path: str) -> None:
        """Bring the page to the front on which a setting stands."""
        self.show_page(next((i for start, i in PAGE_OF if path.startswith(start)), 1))

    @Slot()
    def _from_bus(self) -> None:
        self.verify.take(self.talk.heard_values(), self.talk.inverter_values())
