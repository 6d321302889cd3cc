"""Asking for files, in the reader's words."""

from PySide6.QtWidgets import QFileDialog, QWidget

from nipper.app.widgets.units import UNITS

Options = QFileDialog.Option
USUAL = QFileDialog.Option(0)


def ask_open(parent: QWidget, title: str, kinds: str) -> str:
    """Which file to read; empty where none was chosen."""
    return QFileDialog.getOpenFileName(parent, UNITS.text(title), "", UNITS.text(kinds))[0]


def ask_open_several(parent: QWidget, title: str, kinds: str) -> list[str]:
    """Which files to read, in order of their names; empty where none was chosen."""
    return sorted(QFileDialog.getOpenFileNames(parent, UNITS.text(title), "", UNITS.text(kinds))[0])


def ask_save(
    parent: QWidget, title: str, proposed: str, kinds: str, options: Options = USUAL
) -> str:
    """Where to write to; empty where nothing was chosen."""
    words, kinds = UNITS.text(title), UNITS.text(kinds)
    if options == USUAL:
        return QFileDialog.getSaveFileName(parent, words, proposed, kinds)[0]
    return QFileDialog.getSaveFileName(parent, words, proposed, kinds, options=options)[0]
