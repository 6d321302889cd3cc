"""A stage is declared once, in its own package; all of the shell comes from the declaration.

Rail, sentences, What follows, commands, help and the walk through the pictures iterate the
declarations. A new stage is its package, and one line in ``shell/stages.py``.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import tzinfo
from enum import Flag, auto
from typing import Any, Generic, Protocol, TypeVar, cast

from PySide6.QtCore import Slot
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from nipper.app.document import Document
from nipper.app.forecasts import Forecasts
from nipper.app.jobs import Answer
from nipper.app.theme import Theme
from nipper.app.widgets.basic import SEMI, choices, label
from nipper.app.widgets.catchup import CatchesUp
from nipper.core.report.consequence import Consequence, Status, of_finding

P = TypeVar("P", bound=QWidget, covariant=True)


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


class StageView(CatchesUp):
    """What every stage's view can be asked; one without pages or fields lets it pass."""

    def show_page(self, _index: int) -> None:
        """Bring one of its figures or pages to the front."""

    def show_field(self, _path: str) -> None:
        """Bring the field of a setting to the front."""

    def show_cell(self, _cell: int) -> None:
        """Show what is known of a cell, numbered from 1."""


class Page(Protocol):
    """A page of a stage: shown anew when it is looked at, or what it tells of changed."""

    def refresh(self) -> None:
        """Show how things stand now."""


class Made(Generic[P]):
    """A page of a ``PagedView``, made when it is first asked for."""

    def __init__(self, make: Callable[[Any], P]) -> None:
        self.make = make
        self.index = 0
        self.__doc__ = make.__doc__

    def __set_name__(self, owner: type, name: str) -> None:
        self.index = _made_by(owner).index(self)

    def __get__(self, view: "PagedView", _: type | None = None) -> P:
        return cast("P", view.page(self.index))


def made(make: Callable[[Any], P]) -> Made[P]:
    """A page of a ``PagedView``; its pages stand in the order in which they are written."""
    return Made(make)


def _made_by(owner: type) -> list[Made[QWidget]]:
    return [part for part in vars(owner).values() if isinstance(part, Made)]


class PagedView(StageView):
    """A stage of several pages under a heading, of which the one that is looked at is current.

    Each page is a method marked ``made``, can be asked to ``refresh``, and has a title.
    """

    def __init__(self, titles: Sequence[str], tabs_below: bool = False) -> None:
        super().__init__()
        self.setObjectName("page")
        self.heading = label("", size=16, weight=SEMI, wrap=True)
        self._group, self._stack = QButtonGroup(self), QStackedWidget()
        self._makers: list[Callable[[Any], QWidget] | None] = []
        for page in _made_by(type(self)):
            self._makers.append(page.make)
            self._stack.addWidget(QWidget())
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 14, 18, 14)
        layout.setSpacing(6)
        head, tabs = QHBoxLayout(), choices(titles, self._group)
        head.addWidget(self.heading, 1)
        layout.addLayout(head)
        if tabs_below:
            layout.addWidget(tabs)
        else:
            head.addWidget(tabs)
        layout.addWidget(self._stack, 1)
        self._group.idClicked.connect(self.show_page)

    @property
    def count(self) -> int:
        """How many pages there are."""
        return self._stack.count()

    @property
    def shown(self) -> int:
        """Which page is looked at."""
        return self._stack.currentIndex()

    def page(self, index: int) -> QWidget:
        """One of the pages, made now if it is not there yet."""
        found, make = self._stack.widget(index), self._makers[index]
        assert found
        if make is None:
            return found
        chosen, page = self.shown, make(self)
        self._makers[index] = None  # only now: one that failed can be asked for again
        self._stack.insertWidget(index, page)
        self._stack.removeWidget(found)
        found.deleteLater()
        self._stack.setCurrentIndex(chosen)
        return page

    def said(self) -> str:
        """What the stage is headed with now."""
        raise NotImplementedError

    @Slot(int)
    def show_page(self, index: int) -> None:
        """Bring one of the pages to the front."""
        self._group.button(index).setChecked(True)
        self.page(index)
        self._stack.setCurrentIndex(index)
        self.refresh()

    @Slot()
    def refresh(self, *_: object) -> None:
        """Show the heading and the page that is looked at anew."""
        self.heading.setText(self.said())
        cast("Page", self.page(self.shown)).refresh()


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
