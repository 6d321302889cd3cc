"""A list of parts of the setup that is edited line by line, and changed as a whole."""

from collections.abc import Sequence

from PySide6.QtCore import Slot
from PySide6.QtWidgets import QLineEdit, QWidget

from nipper.app.document import Document
from nipper.core.setup import Part, Setup


class PartList(QWidget):
    """Names, values and taking out; what a line looks like is the subclass's own."""

    def __init__(self, document: Document, path: str, what: str) -> None:
        super().__init__()
        self._document, self._path, self._what = document, path, what

    def parts(self) -> Sequence[Part]:
        """The parts as they are set."""
        raise NotImplementedError

    def show_setup(self, setup: Setup) -> None:
        """Show the parts of a setup."""
        raise NotImplementedError

    def change(self, row: int, key: str, value: object) -> None:
        """Give one part another value; None: it is left out."""
        parts = self.plain()
        parts[row].pop(key, None)
        if value is not None:
            parts[row][key] = value
        self.keep(parts, f"Set a {self._what}")

    def plain(self) -> list[dict[str, object]]:
        """The parts as plain values, to be changed and kept."""
        return [part.model_dump(exclude_none=True) for part in self.parts()]

    def keep(self, parts: list[dict[str, object]], words: str) -> None:
        """Make these the parts, undoably."""
        self._document.settings.enter({self._path: parts}, words)
        self.show_setup(self._document.setup)

    def add_part(self, part: Part) -> None:
        """One more, at the end."""
        self.keep([*self.plain(), part.model_dump(exclude_none=True)], f"Add a {self._what}")

    def remove_row(self, row: int) -> None:
        """Take one out."""
        parts = self.plain()
        del parts[row]
        self.keep(parts, f"Take a {self._what} out")

    @Slot()
    def named(self) -> None:
        """A line's name was typed; its field carries the ``row``."""
        line = self.sender()
        assert isinstance(line, QLineEdit)
        if line.isModified() and line.text().strip():
            line.setModified(False)
            self.change(int(line.property("row")), "name", line.text().strip())

    @Slot()
    def remove(self) -> None:
        """A line's button to take it out, which carries the ``row``."""
        self.remove_row(int(self.sender().property("row")))
