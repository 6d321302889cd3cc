"""The window: top line, rail, the stage, What follows. It opens and closes benches and passes work on; it computes nothing."""

from datetime import datetime, tzinfo
from pathlib import Path

from PySide6.QtCore import QSettings, Slot
from PySide6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeySequence
from PySide6.QtWidgets import QButtonGroup, QFileDialog, QFrame, QHBoxLayout, QMainWindow, QSizePolicy, QStackedWidget, QVBoxLayout, QWidget

from nipper.app.actions import Action, Menu
from nipper.app.document import Document, PackRecord
from nipper.app.forecasts import Forecasts
from nipper.app.jobs import wait_for_jobs
from nipper.app.shell.demo import DemoMaker
from nipper.app.shell.finder import Finder
from nipper.app.shell.follows import Follows
from nipper.app.shell.rail import Rail
from nipper.app.shell.startpage import StartPage
from nipper.app.theme import Theme
from nipper.app.theme.marks import icon
from nipper.app.widgets.basic import SEMI, button, clear, label
from nipper.core.errors import NipperError
from nipper.core.findings import Finding
from nipper.core.report.consequence import Consequence, of_finding, protect_sentence
from nipper.core.setup import Setup, load
from nipper.store import Bench, Revision

STAGES = (
    ("protect", "Protect", "2"),
    ("level", "Level", "3"),
    ("cold", "Cold", "5"),
    ("rehearse", "Rehearse", "7"),
    ("record", "Record", "8"),
    ("diagnose", "Diagnose", "9"),
)
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
        self._help: QWidget | None = None
        self._typing: QWidget | None = None
        self._revisions_page: QWidget | None = None
        self._logs_page: QWidget | None = None
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
        self.pages, self.start_page = QStackedWidget(), StartPage()
        self.pages.addWidget(self.start_page)
        self._message = label("", "act", wrap=True)
        self._message.hide()
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
        inside.addWidget(self.pages, 1)
        columns.addWidget(self.rail)
        columns.addWidget(page, 1)
        columns.addWidget(self.follows)
        whole = QWidget()
        rows = QVBoxLayout(whole)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(0)
        rows.addWidget(self._top_line())
        rows.addWidget(middle, 1)
        self.setCentralWidget(whole)

    def _top_line(self) -> QWidget:
        top = QFrame()
        top.setObjectName("topLine")
        top.setFixedHeight(44)
        line = QHBoxLayout(top)
        line.setContentsMargins(18, 0, 14, 0)
        line.setSpacing(12)
        self._name = label("Nipper", size=13, weight=SEMI)
        self._packs, self._pack_group = QHBoxLayout(), QButtonGroup(self)
        self._packs.setSpacing(3)
        self._pack_group.idClicked.connect(self._choose_pack)
        self._revision = label("", "soft")
        self._revision.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self._find = button("Find a command   Ctrl+K", "bare", "Finds a command by a few letters")
        self._find.clicked.connect(self.find_command)
        self._undo, self._redo = button("", "bare", "Undo"), button("", "bare", "Redo")
        self._undo.clicked.connect(self.undo)
        self._redo.clicked.connect(self.redo)
        line.addWidget(self._name)
        line.addLayout(self._packs)
        line.addWidget(self._revision, 1)
        for widget in (self._find, self._undo, self._redo):
            line.addWidget(widget)
        self._dress()
        return top

    @Slot()
    def _dress(self, *_: object) -> None:
        self._undo.setIcon(icon("undo", self.theme.colour("ink")))
        self._redo.setIcon(icon("redo", self.theme.colour("ink")))
        if self.document is not None:  # status marks and coloured words are made with the theme
            self._show_follows()

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
        self._finder.open_over(self, [a for a in self.actions_list if a.enabled is None or a.enabled(self)])

    # opening and closing

    def new_bench(self) -> None:
        """Show the start page; an open bench is kept and closed."""
        self._close_document()
        self._waiting_log = ""
        self.start_page.start_plain()
        self.start_page.show_recent([f for f in self._recent() if Path(f).is_file()])
        self._show_page(self.start_page)
        self._undo_changed()

    def _recent(self) -> list[str]:
        value = self._settings.value("recent", [])
        return [value] if isinstance(value, str) else list(value or [])  # pyright: ignore[reportArgumentType] - what QSettings kept

    @Slot()
    def ask_open(self) -> None:
        """Let the user choose a bench, a setup or a log."""
        file, _ = QFileDialog.getOpenFileName(self, "Open", "", "Benches, setups and logs (*.nipper *.json *.csv *.gz *.xlsx *.ods *.tsv *.txt);;All files (*)")
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
        except NipperError as error:
            self.say(str(error))

    def open_bench(self, bench: Bench) -> None:
        """Show a bench."""
        self._close_document()
        self.document = Document(bench, self)
        document = self.document
        document.setup_changed.connect(self._setup_changed)
        document.findings_changed.connect(self._findings_changed)
        document.record_changed.connect(self._record_changed)
        document.pack_changed.connect(self._pack_changed)
        document.trouble.connect(self.say)
        document.events_changed.connect(self._cold_changed)
        document.undo_stack.indexChanged.connect(self._undo_changed)
        self.forecasts = Forecasts(document, document)
        self.forecasts.rehearsed.connect(self._forecast_changed)
        self.forecasts.levelled.connect(self._forecast_changed)
        self.forecasts.compared.connect(self._forecast_changed)
        self.say("")
        recent = [str(bench.path), *(f for f in self._recent() if f != str(bench.path))]
        self._settings.setValue("recent", recent[:8])
        self._show_packs()
        self._read_revisions()
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
            chosen, _ = self._ask_save(str(path)) if self._settings.value("ask", "yes") == "yes" else (str(path), "")
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
        return QFileDialog.getSaveFileName(self, "Where to keep the bench", proposed, f"Benches (*{BENCH_SUFFIX})", options=kept)

    def _free_name(self, name: str) -> Path:
        clean = "".join(c if c.isalnum() or c in " -_" else "_" for c in name).strip()[:60] or "bench"
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
        for page in (self._typing, self._revisions_page, self._logs_page):
            if page is not None:
                self.pages.removeWidget(page)
                page.deleteLater()
        self._typing = self._revisions_page = self._logs_page = None
        document, self.document, self.forecasts = self.document, None, None
        document.disconnect(self)
        wait_for_jobs()
        document.close()
        document.deleteLater()
        clear(self._packs)
        self.follows.show_all([])
        self._name.setText("Nipper")
        self._revision.setText("")

    def closeEvent(self, event: QCloseEvent) -> None:  # noqa: N802 - Qt's name
        """Everything confirmed is kept already; what was just typed is kept now."""
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
        self._show_page(page)
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
            self._show_page(self.start_page)

    @Slot(int, int)
    def _imported(self, added: int, pack_id: int) -> None:
        document = self.document
        if document is None:
            return
        self.say("" if added else "All rows of this log are in the bench already: nothing was added.")
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
        file, _ = QFileDialog.getOpenFileName(self, "Import a log", "", "Logs (*.csv *.gz *.tsv *.txt *.xlsx *.ods);;All files (*)")
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
            self.say(f"One file at a time: this is {Path(first).name}. Drop the other {len(others)} after it.")

    # stages

    @Slot(str)
    def go(self, stage: str) -> None:
        """Show a stage; its view is made when it is first shown."""
        if self.document is None:
            return
        self._stage = stage
        if stage not in self._views:
            self._views[stage] = self._make_view(stage, self.document)
            self.pages.addWidget(self._views[stage])
        if stage == "diagnose" and self.forecasts is not None:
            self.forecasts.want("comparison")
        self._show_page(self._views[stage])
        self._show_follows()

    def _make_view(self, stage: str, document: Document) -> QWidget:
        # imported here: plots and tables load libraries the first paint must not wait for
        if stage == "protect":
            from nipper.app.stages.protect.view import ProtectView

            return ProtectView(document, self.theme)
        if stage == "record":
            from nipper.app.stages.record.view import RecordView

            return RecordView(document, self.theme, self.zone)
        if stage == "cold":
            from nipper.app.stages.cold.view import ColdView

            return ColdView(document, self.theme, self.zone)
        if stage in ("level", "rehearse"):
            from nipper.app.stages.level.view import LevelView
            from nipper.app.stages.rehearse.view import RehearseView

            assert self.forecasts
            return (LevelView if stage == "level" else RehearseView)(document, self.forecasts, self.theme)
        from nipper.app.stages.diagnose.view import DiagnoseView

        return DiagnoseView(document, self.theme, self.zone)

    def view(self, stage: str) -> QWidget:
        """A stage's view, shown."""
        self.go(stage)
        return self._views[stage]

    def _show_page(self, page: QWidget) -> None:
        self.pages.setCurrentWidget(page)
        working = self.document is not None and page in self._views.values()
        self.rail.setVisible(self.document is not None)
        self.follows.setVisible(working)
        self.rail.show_current(self._stage if working else "")

    @Slot()
    def show_help(self) -> None:
        """Show keys and words."""
        from nipper.app.shell.helppage import HelpPage

        if self._help is None:
            self._help = HelpPage(self.actions_list)
            self.pages.addWidget(self._help)
        self._show_page(self._help)

    def type_in(self) -> None:
        """Show the typing sheet."""
        from nipper.app.shell.typingpage import TypingPage

        assert self.document
        if not isinstance(self._typing, TypingPage):
            page = TypingPage(self.document, self.theme, self.zone)
            page.left.connect(self._typing_left)
            page.finished.connect(self._typing_finished)
            page.trouble.connect(self.say)
            self.pages.addWidget(page)
            self._typing = page
        self._typing.refresh()
        self._show_page(self._typing)
        self._typing.setFocus()

    def show_revisions(self) -> None:
        """Show what was typed in and read back."""
        from nipper.app.shell.revisionspage import RevisionsPage

        assert self.document
        if not isinstance(self._revisions_page, RevisionsPage):
            page = RevisionsPage(self.document, self.zone)
            page.left.connect(self._typing_left)
            page.trouble.connect(self.say)
            self.pages.addWidget(page)
            self._revisions_page = page
        self._revisions_page.refresh()
        self._show_page(self._revisions_page)

    def show_logs(self) -> None:
        """Show names of packs and the logs that were read."""
        from nipper.app.shell.logspage import LogsPage

        assert self.document
        if not isinstance(self._logs_page, LogsPage):
            page = LogsPage(self.document, self.zone)
            page.left.connect(self._typing_left)
            self.pages.addWidget(page)
            self._logs_page = page
        self._logs_page.refresh()
        self._show_page(self._logs_page)

    @Slot()
    def _typing_left(self) -> None:
        self.go(self._stage)

    @Slot()
    def _typing_finished(self) -> None:
        assert self.document
        self._read_revisions()
        self._setup_changed(self.document.setup)
        self.go(self._stage)

    def say(self, text: str) -> None:
        """One line above the page; empty takes it away."""
        self._message.setText(text)
        self._message.setVisible(bool(text))
        if self.document is None:
            self.start_page.tell("")

    # what the document says

    @Slot(object)
    def _setup_changed(self, setup: Setup) -> None:
        self._name.setText(_short(setup.name))
        self._name.setToolTip(setup.name)
        text, changed = "draft, not typed in yet", False
        if self._typed:
            last = self._typed[-1]
            moment = datetime.fromtimestamp(last.time_s, self.zone)
            changed = last.setup != setup
            text = f"revision {len(self._typed)} · typed in {moment.day} {moment:%b}" + (" · changed since" if changed else "")
        self._revision.setText(text)
        self._revision.setProperty("role", "copper" if changed else "soft")
        self._revision.style().unpolish(self._revision)
        self._revision.style().polish(self._revision)

    @Slot(object)
    def _findings_changed(self, findings: list[Finding]) -> None:
        status, sentence = protect_sentence(findings)
        self.rail.say("protect", str(status), sentence)
        self._cold_changed()
        if self._stage in ("protect", "level"):
            self._show_follows()

    @Slot()
    def _cold_changed(self) -> None:
        """Settings or proofs of the cold have changed: its sentence and what follows."""
        from nipper.core.report.cold import cold_sentence, last_proof

        document = self.document
        if document is None:
            return
        events = [(e.time_s, e.pack, e.kind, e.note) for e in document.events()]
        status, sentence = cold_sentence(document.setup, last_proof(events, document.pack.id), datetime.now(self.zone))
        self.rail.say("cold", str(status), sentence)
        if self._stage == "cold":
            self._show_follows()

    @Slot()
    def _forecast_changed(self) -> None:
        """A forecast has come: its stage's sentence and what follows."""
        from nipper.core.report.forecasts import rehearse_sentence

        if self.forecasts is not None:
            status, sentence = rehearse_sentence(self.forecasts.rehearsal)
            self.rail.say("rehearse", str(status), sentence)
            if self._stage in ("level", "rehearse", "diagnose"):
                self._show_follows()

    @Slot(int, object)
    def _record_changed(self, pack_id: int, _: PackRecord | None) -> None:
        if self.document and pack_id == self.document.pack.id:
            self._show_record()

    def _show_record(self) -> None:
        from nipper.core.forecast.levelling import from_log
        from nipper.core.report.forecasts import level_sentence, rehearse_sentence
        from nipper.core.report.sentences import diagnose_sentence, record_sentence

        assert self.document
        assert self.forecasts
        record = self.document.record
        if record is None and self.document.reading_log:
            return
        log, diagnosis = (record.log, record.diagnosis) if record else (None, None)
        for stage, (status, sentence) in (
            ("record", record_sentence(log, self.document.setup, diagnosis)),
            ("diagnose", diagnose_sentence(diagnosis)),
            ("level", level_sentence(self.document.setup, from_log(self.document.setup, self.forecasts.known.get(self.forecasts.pack_number)))),
            ("rehearse", rehearse_sentence(self.forecasts.rehearsal)),
        ):
            self.rail.say(stage, str(status), sentence)
        self._show_follows()

    @Slot(int)
    def _pack_changed(self, _: int) -> None:
        self._show_packs()
        self._show_record()
        self._cold_changed()

    def _show_packs(self) -> None:
        assert self.document
        clear(self._packs)
        for old in self._pack_group.buttons():
            self._pack_group.removeButton(old)
        if len(self.document.packs) < 2:
            return
        for pack in self.document.packs:
            choice = button(_short(pack.name, 16), "quiet", f"Show {pack.name}")
            choice.setCheckable(True)
            choice.setChecked(pack.id == self.document.pack.id)
            self._pack_group.addButton(choice, pack.id)
            self._packs.addWidget(choice)

    @Slot(int)
    def _choose_pack(self, pack_id: int) -> None:
        if self.document:
            self.document.choose_pack(pack_id)

    def next_pack(self) -> None:
        """Show the next pack."""
        assert self.document
        ids = [p.id for p in self.document.packs]
        self.document.choose_pack(ids[(ids.index(self.document.pack.id) + 1) % len(ids)])

    def _show_follows(self) -> None:
        document = self.document
        if document is None:
            return
        if self._stage == "protect":
            self.follows.show_all([of_finding(f) for f in document.findings])
            return
        from nipper.core.report.forecasts import of_levelling, of_rehearsal
        from nipper.core.report.sentences import of_compared, of_diagnosis, of_history, of_overruled, of_record, of_trip

        forecasts = self.forecasts
        assert forecasts
        if self._stage == "rehearse":
            self.follows.show_all(of_rehearsal(forecasts.rehearsal) if forecasts.rehearsal else [])
            return
        if self._stage == "cold":
            from nipper.core.report.cold import of_cold

            record = document.record
            self.follows.show_all(of_cold(document.setup, document.findings, record.diagnosis.estimate if record else None))
            return
        if self._stage == "level":
            self.follows.show_all(of_levelling(document.setup, forecasts.levelling, document.findings))
            return
        record = document.record
        if record is None:
            self.follows.show_all([])
        elif self._stage == "record":
            self.follows.show_all(of_record(record.log, document.setup, record.diagnosis, self.zone))
        else:
            told = of_diagnosis(record.diagnosis) + of_trip(record.diagnosis, document.setup, self.zone)
            if forecasts.comparison is not None:
                told += of_compared(forecasts.comparison, record.pack.id, [p.name for p in document.packs], self.zone)
            told += of_overruled(record.diagnosis) + of_history(document.bench.diagnoses(record.pack.id), self.zone)
            self.follows.show_all(told)

    # settings

    def first_suggestion(self) -> Consequence | None:
        """The most serious consequence shown that has a cure."""
        return next((c for c in self.follows.shown if c.suggestion), None)

    @Slot(object)
    def _apply(self, consequence: Consequence) -> None:
        if self.document and self.document.change(dict(consequence.suggestion), consequence.label or "Apply a suggestion"):
            self.document.settle()

    @Slot(object)
    def _point(self, consequence: Consequence) -> None:
        """Show the setting a consequence speaks of."""
        from nipper.app.stages.protect.view import ProtectView

        view = self._views.get(self._stage)
        if isinstance(view, ProtectView) and consequence.settings:
            view.show_field(consequence.settings[0])

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
        self._undo.setEnabled(bool(stack and stack.canUndo()))
        self._redo.setEnabled(bool(stack and stack.canRedo()))

    def _read_revisions(self) -> None:
        """What was typed in so far; read when it changes, since each drag asks."""
        assert self.document
        self._typed = [r for r in self.document.bench.revisions() if r.kind == "typed in"]

    def note_typed_in(self) -> None:
        """Keep the settings as typed in today."""
        assert self.document
        self.document.save()
        self.document.bench.add_revision("typed in", "noted as typed in", self.document.setup)
        self._read_revisions()
        self._setup_changed(self.document.setup)

    def set_theme(self, mode: str) -> None:
        """desktop, light or dark; kept for the next start."""
        self._settings.setValue("theme", mode)
        self.theme.set_mode(mode)


def _short(text: str, most: int = 34) -> str:
    return text if len(text) <= most else text[: most - 1] + "…"
