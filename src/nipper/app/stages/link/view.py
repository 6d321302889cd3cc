"""Link: the order of the work, the way of the current, cable and switches, the talk, and both
displays held against what they must show.
"""

from datetime import tzinfo

from PySide6.QtCore import Slot
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.stage import StageView
from nipper.app.stages.link.cable import CablePage
from nipper.app.stages.link.path import PathPage
from nipper.app.stages.link.steps import StepsPage
from nipper.app.stages.link.talk import TalkPage
from nipper.app.stages.link.verify import VerifyPage
from nipper.app.theme import Theme
from nipper.app.widgets.basic import SEMI, choices, label
from nipper.core.report.link import heading

PAGES = ("Steps", "Settings", "Cable", "Talk", "Verify")
# where a setting stands
PAGE_OF = (("link.battery_pins", 2), ("link.inverter_pins", 2), ("link.switch", 2), ("link.", 1))


class LinkView(StageView):
    """The stage Link."""

    def __init__(
        self, document: Document, theme: Theme, zone: tzinfo, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self._document = document
        self._title = label("", size=16, weight=SEMI, wrap=True)
        self.steps, self.path = StepsPage(document, theme), PathPage(document, theme)
        self.cable, self.talk = CablePage(document, theme), TalkPage(document, theme)
        self.verify = VerifyPage(document, theme, zone)
        self._group, self._stack = QButtonGroup(self), QStackedWidget()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 14, 18, 14)
        layout.setSpacing(6)
        head = QHBoxLayout()
        head.addWidget(self._title, 1)
        head.addLayout(choices(PAGES, self._group))
        layout.addLayout(head)
        for page in (self.steps, self.path, self.cable, self.talk, self.verify):
            self._stack.addWidget(page)
        layout.addWidget(self._stack, 1)
        self._group.idClicked.connect(self.show_page)
        self.steps.asked.connect(self.show_page)
        self.verify.from_bus.connect(self._from_bus)
        document.settings.changed.connect(self._show)
        document.history.events_changed.connect(self._show)
        self._show()

    @Slot(int)
    def show_page(self, index: int) -> None:
        """Bring one of the pages to the front."""
        self._group.button(index).setChecked(True)
        self._stack.setCurrentIndex(index)
        self._show()

    def show_field(self, path: str) -> None:
        """Bring the page to the front on which a setting stands."""
        self.show_page(next((i for start, i in PAGE_OF if path.startswith(start)), 1))

    @Slot()
    def _show(self, *_: object) -> None:
        self._title.setText(heading(self._document.bank))
        page = self._stack.currentWidget()
        assert isinstance(page, StepsPage | PathPage | CablePage | TalkPage | VerifyPage)
        page.refresh()

    @Slot()
    def _from_bus(self) -> None:
        self.verify.take(self.talk.heard_values(), self.talk.inverter_values())
