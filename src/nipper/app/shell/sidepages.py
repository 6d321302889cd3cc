"""The pages beside the stages: typing sheet, read back, revisions, packs and logs, keys.

Each is made when it is first shown.
"""

from typing import TYPE_CHECKING, cast

from PySide6.QtCore import QObject, Slot
from PySide6.QtWidgets import QApplication, QWidget
from shiboken6 import isValid

from nipper.core.guide.words import word_in

if TYPE_CHECKING:
    from nipper.app.shell.helppage import HelpPage
    from nipper.app.shell.window import Window


OF_ANY_BENCH = ("help", "preferences")


class SidePages(QObject):
    """Makes, shows and forgets them."""

    def __init__(self, window: "Window") -> None:
        super().__init__(window)
        self._window = window
        self._pages: dict[str, QWidget] = {}

    def show(self, name: str) -> QWidget:
        """Show a page as things stand now."""
        if name not in self._pages:
            page = self._make(name)
            self._pages[name] = page
            self._window.pages.addWidget(page)
        page = self._pages[name]
        refresh = getattr(page, "refresh", None)
        if refresh is not None:
            refresh()
        self._window.show_page(page)
        page.setFocus()
        return page

    def _make(self, name: str) -> QWidget:
        # imported here: the first paint needs none of them
        window = self._window
        if name == "help":
            from nipper.app.shell.helppage import HelpPage

            guide = HelpPage(window.menus.actions, window.theme)
            guide.wanted.connect(self._to_field)
            return guide
        if name == "preferences":
            from nipper.app.shell.preferencespage import PreferencesPage

            chooser = PreferencesPage(window.settings)
            chooser.themed.connect(window.set_theme)
            chooser.left.connect(self._left)
            return chooser
        assert window.document
        if name == "typing":
            from nipper.app.shell.typingpage import TypingPage

            page = TypingPage(window.document, window.theme, window.zone)
            page.finished.connect(self._revised)
        elif name == "readback":
            from nipper.app.shell.readbackpage import ReadBackPage

            page = ReadBackPage(window.document, window.theme, window.zone)
            page.kept.connect(self._read_back)
        elif name == "revisions":
            from nipper.app.shell.revisionspage import RevisionsPage

            page = RevisionsPage(window.document, window.theme, window.zone)
            page.typing_asked.connect(self._type_back)
        elif name == "topbalance":
            from nipper.app.shell.topbalancepage import TopBalancePage

            page = TopBalancePage(window.document, window.theme, window.zone)
        elif name == "watch":
            from nipper.app.shell.watchpage import WatchPage

            page = WatchPage(window.document, window.theme, window.zone)
        elif name == "reading":
            from nipper.app.shell.readingpage import ReadingPage

            page = ReadingPage(window.document, window.theme, window.zone)
        else:
            from nipper.app.shell.logspage import LogsPage

            page = LogsPage(window.document, window.zone)
        page.left.connect(self._left)
        trouble = getattr(page, "trouble", None)
        if trouble is not None:
            trouble.connect(window.say)
        return page

    def explain(self, link: str) -> None:
        """Show a topic of the guide."""
        page = cast("HelpPage", self.show("help"))
        page.explain(link)

    def explain_here(self) -> None:
        """Explain the setting or the word of the field that is typed in, else the stage."""
        looked_at = QApplication.focusWidget()
        if looked_at is not None and not isValid(looked_at):
            looked_at = None  # a wrapper that stands for what has gone
        path = looked_at.property("path") if looked_at is not None else None
        said = looked_at.property("said") or looked_at.accessibleName() if looked_at else ""
        word = word_in(said)
        if path:
            self.explain(f"setting:{path}")
        elif word:
            self.explain(f"word:{word}")
        else:
            self.explain(f"page:{self._window.stage or 'start'}")

    @Slot(str)
    def _to_field(self, path: str) -> None:
        from nipper.app.shell.places import show_setting

        show_setting(self._window, path)

    def close(self) -> None:
        """Forget the pages of a bench that closes."""
        for name, page in list(self._pages.items()):
            if name not in OF_ANY_BENCH:
                self._window.pages.removeWidget(page)
                page.deleteLater()
                del self._pages[name]

    @Slot()
    def _left(self) -> None:
        self._window.go_back()

    @Slot()
    def _revised(self) -> None:
        self._window.go_back()

    @Slot()
    def _read_back(self) -> None:
        self.show("revisions")

    @Slot()
    def _type_back(self) -> None:
        self.show("readback")
