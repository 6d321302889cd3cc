"""What the window asks where a bench cannot be written: nothing typed is lost without a word."""

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QMessageBox, QWidget

from nipper.app.shell.writing import write_copy
from nipper.app.widgets.units import UNITS
from nipper.core.errors import NipperError

if TYPE_CHECKING:
    from nipper.app.shell.window import Window

COPY, LEAVE, STAY = "Save a copy …", "Leave without", "Stay"


def ask(window: QWidget, text: str, more: str, answers: tuple[str, ...]) -> str:
    """Put a question; the last answer is that of the Escape key."""
    box = QMessageBox(QMessageBox.Icon.Warning, "Nipper", UNITS.text(text), parent=window)
    box.setInformativeText(UNITS.text(more))
    buttons = {
        box.addButton(UNITS.text(answer), QMessageBox.ButtonRole.ActionRole): answer
        for answer in answers
    }
    box.setEscapeButton(list(buttons)[-1])
    box.exec()
    return next((a for b, a in buttons.items() if b is box.clickedButton()), answers[-1])


def wants_copy(window: "Window", path: Path) -> bool:
    """Whether to work on a copy of a bench that cannot be written."""
    text = f"{path.name} is read-only."
    more = "Nipper keeps what you do as you do it, and cannot here. A copy can be worked on."
    return ask(window, text, more, ("Open a copy", "Leave it")) == "Open a copy"


def may_leave(window: "Window") -> bool:
    """Keep what is not kept yet before a bench closes; where that fails, the user decides."""
    document = window.document
    if document is None:
        return True
    try:
        document.settings.save()
    except NipperError as error:
        answer = ask(
            window, "The last change of the settings is not kept.", str(error), (COPY, LEAVE, STAY)
        )
    else:
        return True
    if answer == COPY:
        write_copy(window)
        return False  # the copy is open now, or it could not be written either
    return answer == LEAVE
