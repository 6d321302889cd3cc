"""The window: top line, rail, the stage, What follows. It passes work on, and computes nothing."""

from datetime import tzinfo
from pathlib import Path
from typing import TypeVar

from PySide6.QtCore import QEvent, QSettings, Slot
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QWhatsThisClickedEvent
from PySide6.QtWidgets import (
    QBoxLayout,
    QHBoxLayout,
    QMainWindow,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from nipper.app.actions import Action
from nipper.app.document import Document
from nipper.app.forecasts import Forecasts
from nipper.app.shell.demo import DemoMaker
from nipper.app.shell.desk import Desk
from nipper.app.shell.follows import Follows
from nipper.app.shell.importing import Importer
from nipper.app.shell.menus import Menus
from nipper.app.shell.opening import Opener
from nipper.app.shell.pages import Pages
from nipper.app.shell.rail import Rail
from nipper.app.shell.rescue import may_leave
from nipper.app.shell.sidepages import SidePages
from nipper.app.shell.stages import STAGES
from nipper.app.shell.startpage import StartPage
from nipper.app.shell.topline import TopLine
from nipper.app.shell.tour import Tour
from nipper.app.stage import StageView
from nipper.app.theme import Theme
from nipper.app.widgets.basic import dress, label, say_again
from nipper.app.widgets.units import UNITS
from nipper.core.report.consequence import Consequence
from nipper.store import Bench

Layout = TypeVar("Layout", bound=QBoxLayout)


class Window(QMainWindow):
    """One bench on its desk, or the start page.

    Its methods are what the actions run, and what the parts of the shell ask of each other.
    """

    def __init__(self, theme: Theme, zone: tzinfo, settings: QSettings, data_folder: Path) -> None:
        super().__init__()
        self.theme, self.zone, self.settings = theme, zone, settings
        self.desk: Desk | None = None
        self._stage = STAGES[0].id
        self.setWindowTitle(UNITS.text("Nipper"))
        self.setMinimumSize(1020, 640)
        self.resize(1280, 800)
        self.setAcceptDrops(True)
        self.rail, self.follows, self.top = Rail(theme, STAGES), Follows(theme), TopLine(theme)
        self.pages, self.start_page = Pages(), StartPage()
        self.side, self.importer = SidePages(self), Importer(self)
        self.opener = Opener(self, settings, data_folder)
        self._demo = DemoMaker(data_folder, self)
        self.tour = Tour(self)
        self.message = label("", "act", wrap=True)
        self._build()
        self._connect()
        self.new_bench()

    def _build(self) -> None:
        self.pages.addWidget(self.start_page)
        self.message.hide()
        page = QWidget()
        page.setObjectName("page")
        inside = _bare(QVBoxLayout(page))
        note = QHBoxLayout()
        note.setContentsMargins(18, 6, 18, 0)
        note.addWidget(self.message, 1)
        inside.addLayout(note)
        area = QScrollArea()  # a small screen scrolls a page rather than press its parts together
        area.setObjectName("pages")
        area.setWidget(self.pages)
        area.setWidgetResizable(True)
        inside.addWidget(area, 1)
        middle, whole = QWidget(), QWidget()
        columns = _bare(QHBoxLayout(middle))
        columns.addWidget(self.rail)
        columns.addWidget(page, 1)
        columns.addWidget(self.follows)
        rows = _bare(QVBoxLayout(whole))
        rows.addWidget(self.top)
        rows.addWidget(middle, 1)
        self.setCentralWidget(whole)

    def _connect(self) -> None:
        self.top.pack_chosen.connect(self._choose_pack)
        self.top.scope_chosen.connect(self._choose_scope)
        self.top.undo.clicked.connect(self.undo)
        self.top.redo.clicked.connect(self.redo)
        self.rail.chosen.connect(self.go)
        self.follows.applied.connect(self._apply)
        self.follows.went.connect(self.go)
        self.follows.pointed.connect(self._point)
        self.start_page.made.connect(self.opener.make)
        self.start_page.wanted.connect(self.opener.open)
        self.start_page.open_asked.connect(self.opener.ask)
        self.start_page.log_asked.connect(self.importer.ask)
        self.start_page.demo_asked.connect(self._demo.start)
        self.start_page.tour_asked.connect(self.tour.begin)
        self._demo.told.connect(self.say)
        self._demo.made.connect(self.opener.open)
        self.theme.changed.connect(self._dress)
        UNITS.changed.connect(self._say_again)

    def install(self, actions: tuple[Action, ...]) -> None:
        """Make menus, shortcuts and the finder from the list of actions."""
        self.menus = Menus(self, actions)
        self.top.finder.clicked.connect(self.menus.find)

    # the open bench

    @property
    def document(self) -> Document | None:
        """The open bench's document."""
        return self.desk.document if self.desk else None

    @property
    def forecasts(self) -> Forecasts | None:
        """The open bench's forecasts."""
        return self.desk.forecasts if self.desk else None

    def new_bench(self) -> None:
        """Show the start page; an open bench is kept and closed."""
        if not may_leave(self):
            return
        self._close_desk()
        self.importer.waiting = ()
        self.start_page.start_plain()
        self.start_page.show_recent(self.opener.recent())
        self.show_page(self.start_page)
        self.refresh_undo()

    def open_bench(self, bench: Bench) -> None:
        """Show a bench."""
        if not may_leave(self):
            bench.close()
            return
        self._close_desk()
        self.desk = Desk(bench, self)
        self.say("; ".join(bench.mended()))
        self.opener.remember(bench.path)
        self.refresh_undo()
        self.go(self._stage)
        self.desk.begin()

    def go_on_in(self, copy: Path) -> None:
        """Go on in a copy that holds everything; the bench itself can no longer be written."""
        assert self.document
        self.document.settings.are_safe()
        self._close_desk()
        self.opener.open(str(copy))

    def open_demo(self) -> None:
        """Open a fresh copy of the demo bench, made on first use."""
        self._demo.start()

    def _close_desk(self) -> None:
        if self.desk is None:
            return
        self.side.close()
        if not self.tour.waits:
            self.tour.end()
        desk, self.desk = self.desk, None
        desk.close()
        self.follows.show_all([])
        self.top.show_nothing()

    def closeEvent(self, event: QCloseEvent) -> None:  # noqa: N802 - Qt's name
        """Everything confirmed is kept already; what was just typed is kept now."""
        if not may_leave(self):
            event.ignore()
            return
        self._close_desk()
        event.accept()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:  # noqa: N802 - Qt's name
        """Files may be dropped."""
        if event.mimeData().hasUrls() and event.mimeData().urls()[0].isLocalFile():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:  # noqa: N802 - Qt's name
        """A bench, a setup, a log, or several logs were dropped."""
        event.acceptProposedAction()
        self.opener.open_all([url.toLocalFile() for url in event.mimeData().urls()])

    # pages

    @Slot(str)
    def go(self, stage: str) -> None:
        """Show a stage; its view is made when it is first shown."""
        if self.desk is not None:
            self._stage = stage
            self.show_page(self.desk.view(stage))
            self.desk.tell(stage)

    def view(self, stage: str) -> StageView:
        """A stage's view, shown."""
        assert self.desk
        self.go(stage)
        return self.desk.view(stage)

    @property
    def stage(self) -> str:
        """The stage that is shown, or was before a page beside the stages."""
        return self._stage if self.desk is not None else ""

    def go_back(self) -> None:
        """Back to the stage that was shown, or to the start."""
        if self.desk is None:
            self.show_page(self.start_page)
        else:
            self.go(self._stage)

    def show_page(self, page: QWidget) -> None:
        """Show a page; only beside a stage stands what follows of it."""
        self.theme.finish()
        self.pages.setCurrentWidget(page)
        working = isinstance(page, StageView)
        self.rail.setVisible(self.desk is not None)
        self.follows.setVisible(working)
        self.rail.show_current(self._stage if working else "")

    @Slot(str)
    def say(self, text: str, role: str = "act") -> None:
        """One line above the page, as a trouble or in another role; empty takes it away."""
        self.message.setText(text)
        dress(self.message, "role", role)
        self.message.setVisible(bool(text))
        if self.desk is None:
            self.start_page.tell("")

    @Slot(int)
    def _choose_pack(self, pack_id: int) -> None:
        if self.document:
            self.document.choose_pack(pack_id)

    @Slot(bool)
    def _choose_scope(self, only_shown: bool) -> None:
        if self.document:
            self.document.settings.set_scope(only_shown)

    def event(self, event: QEvent) -> bool:
        """A word that was clicked anywhere is explained."""
        if isinstance(event, QWhatsThisClickedEvent):
            self.side.explain(event.href())
            return True
        return super().event(event)

    # settings

    def first_suggestion(self) -> Consequence | None:
        """The most serious consequence shown that has a cure."""
        return next((c for c in self.follows.shown if c.suggestion), None)

    @Slot(object)
    def _apply(self, consequence: Consequence) -> None:
        changes, text = dict(consequence.suggestion), consequence.label or "Apply a suggestion"
        if self.document and self.document.settings.change(changes, text):
            self.document.settings.settle()

    @Slot(object)
    def _point(self, consequence: Consequence) -> None:
        """Show the setting a consequence speaks of."""
        if self.desk and consequence.settings:
            self.desk.view(self._stage).show_field(consequence.settings[0])

    def apply_first(self) -> None:
        """Take over the first suggestion."""
        found = self.first_suggestion()
        if found:
            self._apply(found)

    @Slot()
    def undo(self) -> None:
        """Take back the last change."""
        if self.document:
            self.document.settings.undo_stack.undo()

    @Slot()
    def redo(self) -> None:
        """Make it again."""
        if self.document:
            self.document.settings.undo_stack.redo()

    @Slot()
    def refresh_undo(self) -> None:
        """What can be taken back, or made again."""
        stack = self.document.settings.undo_stack if self.document else None
        self.top.undo.setEnabled(bool(stack and stack.canUndo()))
        self.top.redo.setEnabled(bool(stack and stack.canRedo()))

    def note_typed_in(self) -> None:
        """Keep the settings as typed in today."""
        assert self.document
        self.document.settings.save()
        self.document.note_typed("noted as typed in")

    # looks

    @Slot(str)
    def set_theme(self, mode: str) -> None:
        """desktop, light or dark; kept for the next start."""
        self.settings.setValue("theme", mode)
        self.theme.set_mode(mode)

    @Slot()
    def _say_again(self) -> None:
        """Another form of texts was chosen: every view is made anew."""
        say_again()
        if self.desk is not None:
            self.desk.document.settings.show_again()
        self.theme.changed.emit(self.theme.palette)

    @Slot()
    def _dress(self, *_: object) -> None:
        if self.desk is not None:  # status marks and coloured words are made with the theme
            self.desk.teller.tell()


def _bare(layout: Layout) -> Layout:
    """Without room around or between."""
    layout.setContentsMargins(0, 0, 0, 0)
    layout.setSpacing(0)
    return layout
