"""The typing sheet's files: menu orders in and out, the sheet as a table or for printing."""

from datetime import tzinfo
from pathlib import Path

from PySide6.QtCore import QObject, Signal, Slot
from PySide6.QtWidgets import QWidget

from nipper.app.document import Document
from nipper.app.shell.typingstate import TypingState
from nipper.app.shell.writing import as_pdf
from nipper.app.widgets.asking import ask_open, ask_save
from nipper.core.errors import NipperError
from nipper.core.files import write_whole
from nipper.core.report.typingsheet import dumps_menu, to_csv, to_html

MENUS = "Menu orders (*.json)"


class SheetFiles(QObject):
    """``read`` when another menu order was taken; ``trouble`` is one line."""

    read = Signal()
    trouble = Signal(str)

    def __init__(
        self, document: Document, sheet: TypingState, zone: tzinfo, parent: QWidget
    ) -> None:
        super().__init__(parent)
        self._document, self._sheet, self._zone, self._page = document, sheet, zone, parent

    @Slot()
    def open_menu(self) -> None:
        """Read a menu order."""
        file = ask_open(self._page, "Open a menu order", MENUS)
        if file:
            self.read_menu(file)

    def read_menu(self, file: str) -> None:
        """Take a menu order from a file; one that cannot be read changes nothing."""
        try:
            self._sheet.read_menu(file)
        except NipperError as error:
            self.trouble.emit(str(error))
        else:
            self.read.emit()

    @Slot()
    def save_menu(self) -> None:
        """Write the menu order."""
        file = self._ask("Save this menu order", "menu.json", MENUS)
        self._write(file, dumps_menu(self._sheet.menu).encode())

    @Slot()
    def write_csv(self) -> None:
        """Write the sheet as CSV."""
        proposed = f"{self._document.setup.name}.typing.csv"
        file = self._ask("Write the sheet", proposed, "Tables (*.csv)")
        self._write(file, to_csv(self._sheet.lines).encode())

    @Slot()
    def write_pdf(self) -> None:
        """Write the sheet as PDF."""
        proposed = f"{self._document.setup.name}.typing.pdf"
        self.print_to(self._ask("Write the sheet", proposed, "PDF (*.pdf)"))

    def print_to(self, file: str) -> None:
        """The sheet as a PDF, with boxes to tick."""
        today = self._document.now(self._zone)
        title = f"{self._document.setup.name}: typing sheet of {today.day} {today:%b %Y}"
        self._write(file, as_pdf(to_html(self._sheet.lines, title), for_device=True))

    def _ask(self, title: str, proposed: str, kinds: str) -> str:
        return ask_save(self._page, title, proposed, kinds)

    def _write(self, file: str, data: bytes) -> None:
        if not file:
            return
        try:
            write_whole(Path(file), data)
        except NipperError as error:
            self.trouble.emit(str(error))
