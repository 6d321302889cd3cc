"""The window: top line, rail, the stage, What follows. It opens and closes benches and passes work on; it computes nothing."""

from datetime import tzinfo
from pathlib import Path

from PySide6.QtCore import QSettings, Slot
from PySide6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeySequence
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QMainWindow,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from nipper.app.actions import Action, Menu
from nipper.app.document import Document
from nipper.app.forecasts import Forecasts
from nipper.app.jobs import wait_for_jobs
from nipper.app.shell.demo import DemoMaker
from nipper.app.shell.finder import Finder
from nipper.app.shell.follows import Follows
from nipper.app.shell.pages import Pages
from nipper.app.shell.rail import Rail
from nipper.app.shell.rescue import may_leave, wants_copy
from nipper.app.shell.sidepages import SidePages
from nipper.app.shell.stages import STAGES, make_view
from nipper.app.shell.startpage import StartPage
from nipper.app.shell.teller import Teller
from nipper.app.shell.topline import TopLine
from nipper.app.theme import Theme
from nipper.app.widgets.basic import label
from nipper.core.errors import NipperError
from nipper.core.report.consequence import Consequence
from nipper.core.setup import Setup, load
from nipper.store import Bench, ReadOnlyError, Revision, copy_read_only

BENCH_SUFFIX = ".nipper"
LOG_SUFFIXES = (".csv", ".gz", ".tsv", ".txt", ".xlsx", ".xlsm", ".ods")


class Window(QMainWindow):
    """One bench, or the start page."""

    def __init__(self, theme: Theme, zone: tzinfo, settings: QSettings, data_folder: Path) -> None:
        super().__init__()
        self.theme, self.zone, self._settings, self._data = theme, zone, settings, data_folder
        self.document: Document | None = None
        self.forecasts: Forecasts | None = None
        self._stage = "protect"
        self._views: dict[str, QWidget] = {}
        self._import: QWidget | None = None
        self._teller: Teller | None = None
        self.side = SidePages(self)
        self._waiting_log = ""
        self._typed: list[Revision] = []
        self._demo = DemoMaker(data_folder, self)
        self._demo.told.connect(self.say)
        self._demo.made.connect(self.open_path)
        self.setWindowTitle("Nipper")
        self.setMinimumSize(1020, 640)
        self.resize(1280, 800)
        self.setAcceptDrops(True)
        self.rail, self.follows = Rail(theme, STAGES), Follows(theme)
        self.pages, self.start_page = Pages(), StartPage()
        self.pages.addWidget(self.start_page)
        self._message = label("", "act", wrap=True)
        self._message.hide()
        self.top = TopLine(theme)
        self.top.pack_chosen.connect(self._choose_pack)
        self.top.finder.clicked.connect(self.find_command)
        self.top.undo.clicked.connect(self.undo)
        self.top.redo.clicked.connect(self.redo)
        self._build()
        self.rail.chosen.connect(self.go)
        self.follows.applied.connect(self._apply)
        self.follows.went.connect(self.go)
        self.follows.pointed.connect(self._point)
        self.start_page.made.connect(self._make_bench)
        self.start_page.wanted.connect(self.open_path)
        self.start_page.open_asked.connect(self.ask_open)
        self.start_page.demo_asked.connect(self.open_demo)
        theme.changed.connect(self._dress)
        self.new_bench()

    # layout

    def _build(self) -> None:
        middle = QWidget()
        columns = QHBoxLayout(middle)
        columns.setContentsMargins(0, 0, 0, 0)
        columns.setSpacing(0)
        page = QWidget()
        page.setObjectName("page")
        inside = QVBoxLayout(page)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(0)
        note = QHBoxLayout()
        note.setContentsMargins(18, 6, 18, 0)
        note.addWidget(self._message, 1)
        inside.addLayout(note)
        area = (
            QScrollArea()
        )  # a small screen scrolls a page rather than press its parts into each other
        area.setObjectName("pages")
        area.setWidget(self.pages)
        area.setWidgetResizable(True)
        inside.addWidget(area, 1)
        columns.addWidget(self.rail)
        columns.addWidget(page, 1)
        columns.addWidget(self.follows)
        whole = QWidget()
        rows = QVBoxLayout(whole)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(0)
        rows.addWidget(self.top)
        rows.addWidget(middle, 1)
        self.setCentralWidget(whole)

    @Slot()
    def _dress(self, *_: object) -> None:
        if self._teller is not None:  # status marks and coloured words are made with the theme
            self._teller.tell()

    def install(self, actions: tuple[Action, ...]) -> None:
        """Make menus, shortcuts and the finder from the list of actions."""
        self.actions_list = actions
        self._qt_actions: dict[str, QAction] = {}
        for menu in Menu:
            bar = self.menuBar().addMenu(str(menu))
            bar.aboutToShow.connect(self._refresh_actions)
            for action in (a for a in actions if a.menu is menu):
                entry = QAction(action.title, self)
                entry.setToolTip(action.help)
                entry.setStatusTip(action.help)
                if action.keys:
                    entry.setShortcut(QKeySequence(action.keys))
                entry.setData(action)
                entry.triggered.connect(self._triggered)
                bar.addAction(entry)
                self._qt_actions[action.id] = entry
        self._finder = Finder(actions, self)
        self._finder.chosen.connect(self.run_action)

    @Slot()
    def _refresh_actions(self) -> None:
        for entry in self._qt_actions.values():
            action = entry.data()
            entry.setEnabled(action.enabled is None or action.enabled(self))

    @Slot()
    def _triggered(self) -> None:
        sender = self.sender()
        assert isinstance(sender, QAction)
        self.run_action(sender.data())

    @Slot(object)
    def run_action(self, action: Action) -> None:
        """Run an action, if it can run now."""
        if action.enabled is None or action.enabled(self):
            action.run(self)

    @Slot()
    def find_command(self) -> None:
        """Open the command finder."""
        self._finder.open_over(
            self, [a for a in self.actions_list if a.enabled is None or a.enabled(self)]
        )

    # opening and closing

    def new_bench(self) -> None:
        """Show the start page; an open bench is kept and closed."""
        if not may_leave(self):
            return
        self._close_document()
        self._waiting_log = ""
        self.start_page.start_plain()
        self.start_page.show_recent([f for f in self._recent() if Path(f).is_file()])
        self.show_page(self.start_page)
        self._undo_changed()

    def _recent(self) -> list[str]:
        value = self._settings.value("recent", [])
        return [value] if isinstance(value, str) else list(value or [])  # pyright: ignore[reportArgumentType] - what QSettings kept

    @Slot()
    def ask_open(self) -> None:
        """Let the user choose a bench, a setup or a log."""
        file, _ = QFileDialog.getOpenFileName(
            self,
            "Open",
            "",
            "Benches, setups and logs (*.nipper *.json *.csv *.gz *.xlsx *.ods *.tsv *.txt);;All files (*)",
        )
        if file:
            self.open_path(file)

    @Slot(str)
    def open_path(self, file: str) -> None:
        """Open a bench, make one of a setup file, or read a log, by what the file is."""
        path = Path(file)
        suffix = path.suffix.lower()
        try:
            if suffix == ".json":
                self._make_bench(load(path))
            elif suffix in LOG_SUFFIXES:
                self.read_log(file)
            else:
                self.open_bench(Bench.open(path))
        except ReadOnlyError as error:
            self.say(str(error))
            if wants_copy(self, path):
                self._open_read_only(path)
        except NipperError as error:
            self.say(str(error))

    def _open_read_only(self, path: Path) -> None:
        copy = self._free_name(f"{path.stem} copy")
        try:
            copy_read_only(path, copy)
        except NipperError as error:
            self.say(str(error))
        else:
            self.open_path(str(copy))

    def open_copy(self, path: Path) -> None:
        """Go on in a copy, where the bench itself can no longer be written."""
        assert self.document
        self.document.setup_is_safe()
        self.open_path(str(path))

    def open_bench(self, bench: Bench) -> None:
        """Show a bench."""
        if not may_leave(self):
            bench.close()
            return
        self._close_document()
        self.document = Document(bench, self)
        document = self.document
        document.setup_changed.connect(self._setup_changed)
        document.pack_changed.connect(self._pack_changed)
        document.trouble.connect(self.say)
        document.undo_stack.indexChanged.connect(self._undo_changed)
        self.forecasts = Forecasts(document, document)
        self._teller = Teller(
            document, self.forecasts, self.rail, self.follows, self.zone, document
        )
        self.say("; ".join(bench.mended()))
        recent = [str(bench.path), *(f for f in self._recent() if f != str(bench.path))]
        self._settings.setValue("recent", recent[:8])
        self._show_packs()
        self._typed = document.typed_revisions()
        self._setup_changed(document.setup)
        self._undo_changed()
        for stage, _, _ in STAGES:
            self.rail.say(stage, "none", "reading …")
        self.go(self._stage)
        document.ask_rules()
        document.read_all()

    @Slot(object)
    def _make_bench(self, setup: Setup) -> None:
        path = self._free_name(setup.name)
        if self._waiting_log == "" or self.document is not None:
            chosen, _ = (
                self._ask_save(str(path))
                if self._settings.value("ask", "yes") == "yes"
                else (str(path), "")
            )
            if not chosen:
                return
            path = Path(chosen)
        try:
            self.open_bench(Bench.create(path, setup))
        except (NipperError, OSError) as error:
            self.say(str(error))
            return
        if self._waiting_log:
            waiting, self._waiting_log = self._waiting_log, ""
            self.read_log(waiting)

    def _ask_save(self, proposed: str) -> tuple[str, str]:
        # no offer to overwrite: a bench is records of months, and may be open elsewhere; a taken name is said by the store
        kept = QFileDialog.Option.DontConfirmOverwrite
        return QFileDialog.getSaveFileName(
            self, "Where to keep the bench", proposed, f"Benches (*{BENCH_SUFFIX})", options=kept
        )

    def _free_name(self, name: str) -> Path:
        clean = (
            "".join(c if c.isalnum() or c in " -_" else "_" for c in name).strip()[:60] or "bench"
        )
        self._data.mkdir(parents=True, exist_ok=True)
        path, number = self._data / f"{clean}{BENCH_SUFFIX}", 2
        while path.exists():
            path, number = self._data / f"{clean} {number}{BENCH_SUFFIX}", number + 1
        return path

    @Slot()
    def open_demo(self) -> None:
        """Open a fresh copy of the demo bench, made on first use."""
        self._demo.start()

    def _close_document(self) -> None:
        if self.document is None:
            return
        for view in self._views.values():
            self.pages.removeWidget(view)
            view.deleteLater()
        self._views = {}
        self.side.close()
        self._teller = None
        document, self.document, self.forecasts = self.document, None, None
        document.disconnect(self)
        wait_for_jobs()
        document.close()
        document.deleteLater()
        self.follows.show_all([])
        self.top.show_nothing()

    def closeEvent(self, event: QCloseEvent) -> None:  # noqa: N802 - Qt's name
        """Everything confirmed is kept already; what was just typed is kept now."""
        if not may_leave(self):
            event.ignore()
            return
        self._close_document()
        wait_for_jobs()
        event.accept()

    def quit(self) -> None:
        """Close the window."""
        self.close()

    # logs

    def read_log(self, file: str) -> None:
        """Show a log on the import page; without a bench, one is made from it first."""
        from nipper.app.shell.importpage import ImportPage

        if self._import is None:
            page = ImportPage(self.theme)
            page.finished.connect(self._imported)
            page.left.connect(self._import_left)
            page.drafted.connect(self._drafted)
            self.pages.addWidget(page)
            self._import = page
        page = self._import
        assert isinstance(page, ImportPage)
        document = self.document
        if document is None:
            self._waiting_log = file
        self.show_page(page)
        page.open_file(
            file,
            document.bench if document else None,
            document.setup if document else None,
            document.packs if document else [],
            document.pack.id if document else 0,
            str(self.zone),
        )

    @Slot(object)
    def _drafted(self, draft: object) -> None:
        """A log was understood while no bench is open: ask only what it cannot tell."""
        from nipper.core.logs.guess import guess_chemistry

        log = getattr(draft, "log", None)
        if self.document is None and self._waiting_log and log is not None:
            self.start_page.start_from_log(self._waiting_log, log.cells, guess_chemistry(log))
            self.show_page(self.start_page)

    @Slot(int, int)
    def _imported(self, added: int, pack_id: int) -> None:
        document = self.document
        if document is None:
            return
        self.say(
            "" if added else "All rows of this log are in the bench already: nothing was added."
        )
        document.choose_pack(pack_id)
        document.read(document.pack)
        self.go("record")

    @Slot()
    def _import_left(self) -> None:
        self._waiting_log = ""
        if self.document is None:
            self.new_bench()
        else:
            self.go(self._stage)

    @Slot()
    def ask_import(self) -> None:
        """Let the user choose a log."""
        file, _ = QFileDialog.getOpenFileName(
            self, "Import a log", "", "Logs (*.csv *.gz *.tsv *.txt *.xlsx *.ods);;All files (*)"
        )
        if file:
            self.read_log(file)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:  # noqa: N802 - Qt's name
        """Files may be dropped."""
        if event.mimeData().hasUrls() and event.mimeData().urls()[0].isLocalFile():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:  # noqa: N802 - Qt's name
        """A bench, a setup or a log was dropped."""
        event.acceptProposedAction()
        first, *others = [url.toLocalFile() for url in event.mimeData().urls()]
        self.open_path(first)
        if others and not self._message.text():
            self.say(
                f"One file at a time: this is {Path(first).name}. Drop the other {len(others)} after it."
            )

    # stages

    @Slot(str)
    def go(self, stage: str) -> None:
        """Show a stage; its view is made when it is first shown."""
        if self.document is None:
            return
        self._stage = stage
        if stage not in self._views:
            assert self.forecasts
            self._views[stage] = make_view(
                stage, self.document, self.forecasts, self.theme, self.zone
            )
            self.pages.addWidget(self._views[stage])
        if stage == "diagnose" and self.forecasts is not None:
            self.forecasts.want("comparison")
        self.show_page(self._views[stage])
        if self._teller is not None:
            self._teller.stage = stage
            self._teller.tell()

    def view(self, stage: str) -> QWidget:
        """A stage's view, shown."""
        self.go(stage)
        return self._views[stage]

    def show_page(self, page: QWidget) -> None:
        """Show a page; only beside a stage stands what follows of it."""
        self.pages.setCurrentWidget(page)
        working = self.document is not None and page in self._views.values()
        self.rail.setVisible(self.document is not None)
        self.follows.setVisible(working)
        self.rail.show_current(self._stage if working else "")

    @Slot()
    def show_help(self) -> None:
        """Show keys and words."""
        self.side.show("help")

    def go_back(self) -> None:
        """Back to the stage that was shown."""
        self.go(self._stage)

    def revised(self) -> None:
        """A revision was added."""
        assert self.document
        self._typed = self.document.typed_revisions()
        self._setup_changed(self.document.setup)

    def say(self, text: str) -> None:
        """One line above the page; empty takes it away."""
        self._message.setText(text)
        self._message.setVisible(bool(text))
        if self.document is None:
            self.start_page.tell("")

    # what the document says

    @Slot(object)
    def _setup_changed(self, setup: Setup) -> None:
        self.top.show_setup(setup, self._typed, self.zone)

    @Slot(int)
    def _pack_changed(self, _: int) -> None:
        self._show_packs()

    def _show_packs(self) -> None:
        assert self.document
        self.top.show_packs(self.document.packs, self.document.pack.id)

    @Slot(int)
    def _choose_pack(self, pack_id: int) -> None:
        if self.document:
            self.document.choose_pack(pack_id)

    def next_pack(self) -> None:
        """Show the next pack."""
        assert self.document
        ids = [p.id for p in self.document.packs]
        self.document.choose_pack(ids[(ids.index(self.document.pack.id) + 1) % len(ids)])

    # settings

    def first_suggestion(self) -> Consequence | None:
        """The most serious consequence shown that has a cure."""
        return next((c for c in self.follows.shown if c.suggestion), None)

    @Slot(object)
    def _apply(self, consequence: Consequence) -> None:
        if self.document and self.document.change(
            dict(consequence.suggestion), consequence.label or "Apply a suggestion"
        ):
            self.document.settle()

    @Slot(object)
    def _point(self, consequence: Consequence) -> None:
        """Show the setting a consequence speaks of."""
        show = getattr(
            self._views.get(self._stage), "show_field", None
        )  # of the stages that have fields
        if show is not None and consequence.settings:
            show(consequence.settings[0])

    def apply_first(self) -> None:
        """Take over the first suggestion."""
        found = self.first_suggestion()
        if found:
            self._apply(found)

    @Slot()
    def undo(self) -> None:
        """Take back the last change."""
        if self.document:
            self.document.undo_stack.undo()

    @Slot()
    def redo(self) -> None:
        """Make it again."""
        if self.document:
            self.document.undo_stack.redo()

    @Slot()
    def _undo_changed(self) -> None:
        stack = self.document.undo_stack if self.document else None
        self.top.undo.setEnabled(bool(stack and stack.canUndo()))
        self.top.redo.setEnabled(bool(stack and stack.canRedo()))

    def note_typed_in(self) -> None:
        """Keep the settings as typed in today."""
        assert self.document
        self.document.save()
        self.document.bench.history.add_revision(
            "typed in", "noted as typed in", self.document.setup
        )
        self.revised()

    def set_theme(self, mode: str) -> None:
        """desktop, light or dark; kept for the next start."""
        self._settings.setValue("theme", mode)
        self.theme.set_mode(mode)
