"""Link: the order of the work, the way of the current, cable and switches, the talk, and both
displays held against what they must show.
"""

from datetime import tzinfo

from PySide6.QtCore import Slot

from nipper.app.document import Document
from nipper.app.stage import PagedView
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
        self._document = document
        self.steps, self.path = StepsPage(document, theme), PathPage(document, theme)
        self.cable, self.talk = CablePage(document, theme), TalkPage(document, theme)
        self.verify = VerifyPage(document, theme, zone)
        self.profile, self.low = ProfilePage(document, theme), LowEndPage(document, theme)
        self.menus = MenusPage(document)
        self.add_pages(
            self.steps, self.path, self.cable, self.talk,
            self.verify, self.profile, self.low, self.menus,
        )  # fmt: skip
        self.steps.asked.connect(self.show_page)
        self.verify.from_bus.connect(self._from_bus)
        changes = document.settings.changed, document.history.events_changed
        self.follow(self.refresh, *changes)
        self.refresh()

    def said(self) -> str:
        """How it is set."""
        return heading(self._document.bank)

    def show_field(self, path: str) -> None:
        """Bring the page to the front on which a setting stands."""
        self.show_page(next((i for start, i in PAGE_OF if path.startswith(start)), 1))

    @Slot()
    def _from_bus(self) -> None:
        self.verify.take(self.talk.heard_values(), self.talk.inverter_values())
