"""A stage is declared once, in its own package; all of the shell comes from the declaration.

Rail, sentences, What follows, commands, help and the walk through the pictures iterate the
declarations. A new stage is its package, and one line in ``shell/stages.py``.
"""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import tzinfo
from enum import Flag, auto
from typing import Any

from PySide6.QtWidgets import QWidget

from nipper.app.document import Document
from nipper.app.forecasts import Forecasts
from nipper.app.jobs import Answer
from nipper.app.theme import Theme
from nipper.core.report.consequence import Consequence, Status, of_finding


@dataclass(frozen=True, slots=True)
class Situation:
    """What a stage tells of: the open bench, what is forecast of it, and where the user is."""

    document: Document
    forecasts: Forecasts
    theme: Theme
    zone: tzinfo

    def findings_of(self, stage: str) -> list[Consequence]:
        """What the rules that name a stage say."""
        return [of_finding(f) for f in self.document.judgement.findings if stage in f.stages]


class Hears(Flag):
    """What changes a stage's sentence, or what follows of it."""

    FINDINGS = auto()
    RECORD = auto()  # of the shown pack
    PACKS = auto()  # of any pack
    EVENTS = auto()
    DAY = auto()
    REHEARSAL = auto()
    LEVELLING = auto()
    COMPARISON = auto()


class StageView(QWidget):
    """What every stage's view can be asked; one without pages or fields lets it pass."""

    def show_page(self, _index: int) -> None:
        """Bring one of its figures or pages to the front."""

    def show_field(self, _path: str) -> None:
        """Bring the field of a setting to the front."""

    def show_cell(self, _cell: int) -> None:
        """Show what is known of a cell, numbered from 1."""


@dataclass(frozen=True, slots=True)
class Picture:
    """A picture of the walk: its name, and what to do to the view of the demo before it is
    taken.
    """

    name: str
    prepare: Callable[[StageView, Situation], object] = lambda _view, _situation: None


@dataclass(frozen=True, slots=True)
class Stage:
    """One stage of the work. What it imports for its words and its view is imported when asked."""

    id: str
    title: str
    key: str  # with Ctrl
    help: str
    make: Callable[[Situation], StageView]
    sentence: Callable[[Situation], tuple[Status, str] | None]  # None: leave what stands there
    follows: Callable[[Situation], list[Consequence]]
    hears: Hears
    pictures: tuple[Picture, ...]
    dark: bool = False  # also shown in the dark theme by the walk
    wants: Callable[[Forecasts], Answer[Any]] | None = None  # kept current once it was shown


def page(index: int) -> Callable[[StageView, Situation], object]:
    """Prepare a picture: bring that page to the front."""
    return lambda view, _situation: view.show_page(index)
