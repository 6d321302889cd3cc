"""One open bench on the window: its document, its forecasts, its words, and the views made so
far.
"""

from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Slot

from nipper.app.document import Document
from nipper.app.forecasts import Forecasts
from nipper.app.garbage import aside, look_again
from nipper.app.jobs import end_jobs, when_quiet
from nipper.app.shell.stages import BY_ID, STAGES
from nipper.app.shell.teller import Teller
from nipper.app.stage import Situation, StageView
from nipper.app.widgets.units import UNITS
from nipper.core.setup import own_paths
from nipper.store import Bench

if TYPE_CHECKING:
    from nipper.app.shell.window import Window


class Desk(QObject):
    """Made when a bench opens, closed with it."""

    def __init__(self, bench: Bench, window: "Window") -> None:
        super().__init__(window)
        self._window, self._aside = window, aside()
        self.document = Document(bench, self)
        self.forecasts = Forecasts(self.document, self)
        self.situation = Situation(self.document, self.forecasts, window.theme, window.zone)
        self.teller = Teller(self.situation, window.rail, window.follows, self)
        self.views: dict[str, StageView] = {}
        for stage in STAGES:
            window.rail.say(stage.id, "none", "reading …")
        document = self.document
        document.trouble.connect(window.say)
        document.settings.changed.connect(self.show_settings)
        document.history.revised.connect(self.show_settings)
        document.pack_changed.connect(self.show_packs)
        document.settings.scope_changed.connect(self._show_scope)
        document.settings.undo_stack.indexChanged.connect(window.refresh_undo)
        self.show_packs()
        self.show_settings()

    def begin(self) -> None:
        """Judge the settings and read the logs."""
        self.document.ask_rules()
        self.document.records.read_all()

    def view(self, stage: str) -> StageView:
        """A stage's view; made when it is first asked for."""
        if stage not in self.views:
            self.views[stage] = BY_ID[stage].make(self.situation)
            self._window.pages.addWidget(self.views[stage])
            wants = BY_ID[stage].wants
            if wants is not None:
                wants(self.forecasts).want()
        return self.views[stage]

    def tell(self, stage: str) -> None:
        """Show what follows of that stage."""
        self.teller.look_at(stage)

    def next_pack(self) -> None:
        """Show the next pack."""
        ids = [p.id for p in self.document.records.packs]
        at = ids.index(self.document.pack.id)
        self.document.choose_pack(ids[(at + 1) % len(ids)])

    def close(self) -> None:
        """Forget the views, end what is at work, let go of the file."""
        for view in self.views.values():
            self._window.pages.removeWidget(view)
            view.deleteLater()
        self.teller.quiet()
        self.document.disconnect(self._window)
        end_jobs()
        self.document.close()
        gone = partial(look_again, self._aside)
        self.destroyed.connect(lambda: QTimer.singleShot(0, partial(when_quiet, gone)))
        self.deleteLater()

    @Slot()
    def show_settings(self) -> None:
        """The top line: name, and how far what is set is typed in."""
        self._keep_names()
        document = self.document
        typed = document.history.typed(document.pack.id)
        changed = bool(typed) and document.as_shown(typed[-1].setup) != document.setup
        self._window.top.show_setup(document.bank, typed, changed, self._window.zone)
        self._show_scope()

    @Slot()
    def show_packs(self) -> None:
        """The top line: the packs, and the one that is shown."""
        self._keep_names()
        self._window.top.show_packs(self.document.records.packs, self.document.pack.id)
        self.show_settings()

    def _keep_names(self) -> None:
        UNITS.keep([self.document.bank.name, *(p.name for p in self.document.records.packs)])

    @Slot()
    def _show_scope(self) -> None:
        """Whether the packs are set all alike, and which of them differ."""
        settings = self.document.settings
        own = [len(own_paths(settings.bank, i)) for i in range(len(self.document.records.packs))]
        self._window.top.show_scope(self.document.pack.name, settings.only_shown, own)
