"""An action is declared once: menu, shortcut, command finder, key table and help come from the same
entry.
"""

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from typing import Any


class Menu(StrEnum):
    """Where an action stands in the menu bar."""

    BENCH = "Bench"
    SETTINGS = "Settings"
    RECORD = "Record"
    GO = "Go"
    VIEW = "View"
    HELP = "Help"


@dataclass(frozen=True, slots=True)
class Action:
    """One thing the user can do. ``run`` and ``enabled`` take the window."""

    id: str
    title: str
    menu: Menu
    help: str
    run: Callable[[Any], object]
    keys: str = ""
    enabled: Callable[[Any], bool] | None = None
