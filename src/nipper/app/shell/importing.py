"""Logs on their way in: the import page, and a log that waits for a bench to be made of it."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Slot

from nipper.app.shell.opening import LOG_SUFFIXES
from nipper.app.widgets.asking import ask_open_several

if TYPE_CHECKING:
    from nipper.app.shell.importdraft import Draft
    from nipper.app.shell.importmany import Taken
    from nipper.app.shell.importpage import ImportPage
    from nipper.app.shell.window import Window

KINDS = " ".join(f"*{suffix}" for suffix in (*LOG_SUFFIXES, ".json"))


class Importer(QObject):
    """Shows a log as it is understood; without a bench, one is made from it first."""

    def __init__(self, window: "Window") -> None:
        super().__init__(window)
        self._window = window
        self._page: ImportPage | None = None
        self.waiting: Sequence[str] = ()  # the logs a bench is being made for

    @property
    def page(self) -> "ImportPage":
        """The import page; made when it is first asked for."""
        if self._page is None:
            from nipper.app.shell.importpage import ImportPage

            self._page = ImportPage(self._window.theme)
            self._page.finished.connect(self._imported)
            self._page.left.connect(self._left)
            self._page.drafted.connect(self._drafted)
            self._window.pages.addWidget(self._page)
        return self._page

    @Slot()
    def ask(self) -> None:
        """Let the user choose a log, or some of one kind."""
        kinds = f"Logs ({KINDS});;All files (*)"
        files = ask_open_several(self._window, "Import a log, or several of one kind", kinds)
        if files:
            self.read(*files)

    def read(self, *files: str) -> None:
        """Show a log on the import page; others are read as it is."""
        document, zone = self._window.document, str(self._window.zone)
        self._window.show_page(self.page)
        if document is None:
            self.waiting = files
            self.page.open_files(files, None, None, [], 0, zone)
            return
        packs, shown = document.records.packs, document.pack.id
        self.page.open_files(files, document.bench, document.setup, packs, shown, zone)

    def read_waiting(self) -> None:
        """The bench for the log that waits is there."""
        if self.waiting:
            waiting, self.waiting = self.waiting, ()
            self.read(*waiting)

    @Slot(object)
    def _drafted(self, draft: "Draft") -> None:
        """A log was understood while no bench is open: ask only what it cannot tell."""
        log = draft.log
        if self._window.document is None and self.waiting and log is not None:
            start = self._window.start_page
            start.start_from_log(self.waiting[0], log)
            self._window.show_page(start)

    @Slot(object, int)
    def _imported(self, taken: "Taken", pack_id: int) -> None:
        document = self._window.document
        if document is None:
            return
        nothing = "All rows of this log are in the bench already: nothing was added."
        told = taken.told() or ("" if taken.rows else nothing)
        self._window.say(told, "act" if taken.left else "soft")
        document.choose_pack(pack_id)
        document.records.read(document.pack)
        self._window.go("record")

    @Slot(int)
    def _left(self, partly: int) -> None:
        self.waiting = ()
        document = self._window.document
        if document is None:
            self._window.new_bench()
        else:
            if partly:
                document.records.read(document.records.pack(partly))
            self._window.go_back()
