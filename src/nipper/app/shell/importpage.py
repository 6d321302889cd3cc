"""Importing a log: what each column was taken for, what looks odd, and the first rows; taken over
on confirmation.
"""

from collections.abc import Callable, Sequence
from pathlib import Path

from PySide6.QtCore import Signal, Slot
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QProgressBar,
    QVBoxLayout,
    QWidget,
)

from nipper.app.jobs import Job, Latest
from nipper.app.shell.columnstable import ColumnsTable
from nipper.app.shell.importdraft import Draft, read_draft, understand
from nipper.app.shell.importmany import Taken, take_all
from nipper.app.shell.importparts import CHOICE, FirstRows, Oddities, Written
from nipper.app.theme import Theme
from nipper.app.widgets.asking import ask_open, ask_save
from nipper.app.widgets.basic import SEMI, button, card, label
from nipper.app.widgets.units import UNITS
from nipper.core.errors import NipperError
from nipper.core.files import write_whole
from nipper.core.logs.begins import begun
from nipper.core.logs.mapping import ColumnMapping, load_mapping, mapping_file
from nipper.core.logs.propose import Proposal
from nipper.core.logs.reader import flip_current
from nipper.core.logs.roles import Role, with_role
from nipper.core.setup import Setup
from nipper.store import Bench, Pack

MAPPINGS = "Column mappings (*.json)"


class ImportPage(QWidget):
    """``finished`` carries what was :class:`Taken` and the pack; ``left`` the pack that may have
    got some files of several before the work was stopped, or 0; ``drafted`` a draft as understood.

    More than twenty methods: reading, reading again and taking over are jobs of one file, and each
    has its begin, end and failure here.
    """

    finished = Signal(object, int)
    left = Signal(int)
    drafted = Signal(object)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self._theme = theme
        self.draft: Draft | None = None
        self._bench: Bench | None = None
        self._setup: Setup | None = None
        self._file, self._others, self._zone = "", list[str](), "UTC"
        self._job: Job | None = None
        self._importing, self._partly = False, 0
        self._again = Latest(understand, self)
        self._again.answered.connect(self._understood)
        self._title = label("", size=16, weight=SEMI, wrap=True)
        self._subtitle = label("", "soft", wrap=True)
        self.written, self.odd, self.rows = Written(), Oddities(theme), FirstRows()
        self.written.remapped.connect(self._reread)
        self.written.chosen.connect(self._read)
        self.odd.turned.connect(self.turn_sign)
        self.columns = ColumnsTable()
        self.columns.chosen.connect(self.set_role)
        self.progress = QProgressBar(maximum=1000)
        self.progress.setTextVisible(False)
        self._of_a_table: list[QWidget] = []  # what says nothing where none could be read
        self._build()

    def _build(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 14, 18, 14)
        layout.setSpacing(8)
        layout.addWidget(self._title)
        layout.addWidget(self._subtitle)
        middle = QHBoxLayout()
        middle.setSpacing(10)
        frame, inside = card()
        inside.addWidget(label("Columns", weight=SEMI))
        inside.addWidget(self.columns, 1)
        side, above = self._side(), label("The first rows as understood", weight=SEMI)
        middle.addWidget(frame, 3)
        middle.addWidget(side, 2)
        layout.addLayout(middle, 3)
        layout.addWidget(above)
        layout.addWidget(self.rows, 2)
        layout.addStretch(0)
        layout.addWidget(self.progress)
        layout.addLayout(self._foot())
        self._of_a_table += [frame, side, above, self.rows]

    def _side(self) -> QWidget:
        frame, inside = card()
        inside.addWidget(label("How it is written", weight=SEMI))
        inside.addLayout(self.written)
        inside.addWidget(label("What looks odd", weight=SEMI))
        inside.addWidget(self.odd, 1)
        return frame

    def _foot(self) -> QHBoxLayout:
        foot = QHBoxLayout()
        self.pack = QComboBox()
        self.pack.setAccessibleName(UNITS.text("Pack the log belongs to"))
        self._pack_word = label("into")
        self.take, self.stop = button("Import", "main"), button("Leave it", "quiet")
        self.take.clicked.connect(self.confirm)
        self.stop.clicked.connect(self._leave)
        save = button("Save the columns …", "quiet", "Keep this reading as an open file")
        use = button("Use saved columns …", "quiet", "Read this file as another one was")
        save.clicked.connect(self._ask_save)
        use.clicked.connect(self._ask_use)
        for widget in (self._pack_word, self.pack, self.take, self.stop):
            foot.addWidget(widget)
        foot.addStretch(1)
        foot.addWidget(use)
        foot.addWidget(save)
        self._of_a_table += [use, save]
        return foot

    # coming in

    def open_files(
        self,
        files: Sequence[str],
        bench: Bench | None,
        setup: Setup | None,
        packs: list[Pack],
        chosen: int,
        zone: str,
    ) -> None:
        """Read the first of some files and show how it is understood: the others are to be read as
        it is. The newest call counts.
        """
        if self._importing:
            self._subtitle.setText(f"{Path(files[0]).name} was not opened: one import at a time.")
            return
        self._bench, self._setup, self._zone, self.draft = bench, setup, zone, None
        self._file, *self._others = files
        self._partly = 0
        self.pack.clear()
        for pack in packs:
            self.pack.addItem(pack.name, pack.id)
        self.pack.setCurrentIndex(max(0, self.pack.findData(chosen)))
        for widget in (self.pack, self._pack_word):
            widget.setVisible(len(packs) > 1)
        self.written.forget()
        self._read(None)

    @Slot(str)
    def _read(self, choice: str | None) -> None:
        if self._job is not None:
            self._job.cancel()
        self._show_table(True)
        self._title.setText(f"Reading {Path(self._file).name} …")
        self._subtitle.setText("")
        self.take.setEnabled(False)
        self.take.setText("Import")
        self.rows.setRowCount(0)
        self.columns.setRowCount(0)
        self.odd.forget()
        self.progress.setRange(0, 0)
        question = (self._file, self._bench, self._setup, self._zone, choice)
        self._start(Job(read_draft, *question), self._understood)

    def _start(self, job: Job, done: Callable[..., object]) -> None:
        self._job = job
        self._bar(True)
        job.done.connect(done)
        job.failed.connect(self._failed)
        job.progressed.connect(self._progressed)
        job.start()

    def _rest(self) -> None:
        self.progress.setRange(0, 1000)
        self.progress.setValue(0)
        self._bar(False)

    def _bar(self, shown: bool) -> None:
        """The bar keeps its place while nothing runs, so that the page does not jump."""
        policy = self.progress.sizePolicy()
        policy.setRetainSizeWhenHidden(True)
        self.progress.setSizePolicy(policy)
        self.progress.setVisible(shown)

    @Slot(float)
    def _progressed(self, share: float) -> None:
        self.progress.setRange(0, 1000)
        self.progress.setValue(round(1000 * share))

    @Slot(str)
    def _failed(self, text: str) -> None:
        importing, self._job, self._importing = self._importing, None, False
        self._rest()
        name, several = Path(self._file).name, importing and bool(self._others)
        said = f"{name} was not imported" if importing else f"{name} cannot be used"
        self._title.setText("Stopped before all files were taken in" if several else said)
        self._subtitle.setText(text)
        self._offer()
        self.take.setEnabled(importing)
        self._show_table(importing)

    def _show_table(self, shown: bool) -> None:
        for part in (*self._of_a_table, self.take):
            part.setVisible(shown)

    def _offer(self) -> None:
        files = 1 + len(self._others)
        self.take.setText(f"Import {files} files" if self._others else "Import")

    @Slot(object)
    def _understood(self, draft: Draft) -> None:
        if draft.file != self._file:  # of a file that another one has replaced
            return
        self._job = None
        self.draft = draft
        self._rest()
        self._show(draft)
        self.drafted.emit(draft)

    # showing

    def _show(self, draft: Draft) -> None:
        name = Path(self._file).name
        if draft.log is None:
            several = f"{name} holds several: which one?"
            self._title.setText(several if draft.choices else f"{name}: not understood yet")
            how = "name the columns below" if not draft.choices else f"choose the {CHOICE} below"
            self._subtitle.setText(f"{draft.trouble}. To go on, {how}.")
        else:
            log = draft.log
            known = " Columns as confirmed before for such files." if draft.remembered else ""
            self._title.setText(f"{name}: {log.rows} rows, {log.cells} cells, {log.days:.1f} days")
            interval = f"{log.interval_s:.3g}" if log.interval_s < 10 else f"{log.interval_s:.0f}"
            more = len(self._others)
            others = f"{more} more files are taken in as this one, where they are like it."
            then = "Look it over, then import." if not more else f"Look it over: {others}"
            self._subtitle.setText(f"A row every {interval} s.{known} {then}")
        wrong_count = any(o.kind == "cells" for o in draft.odd)
        self.take.setEnabled(draft.log is not None and not wrong_count)
        self._offer()
        self.columns.show_columns(draft.table, draft.mapping, draft.why)
        for part in (self.written, self.odd, self.rows):
            part.show_draft(draft)

    # hands

    @Slot(list, object)
    def set_role(self, columns: list[str], role: Role) -> None:
        """Take some columns for something else."""
        if self.draft is None:
            return
        mapping = self.draft.mapping
        for column in columns:
            mapping = with_role(mapping, self.draft.table, column, role)
        self._reread(mapping)

    @Slot()
    def turn_sign(self) -> None:
        """Charging counts as what discharging counted as."""
        if self.draft:
            self._reread(flip_current(self.draft.mapping))

    @Slot(object)
    def _reread(self, mapping: ColumnMapping) -> None:
        """Read the table anew; what was doubted before it was set by hand is settled."""
        assert self.draft
        self._bar(True)
        self.progress.setRange(0, 0)
        by_hand = Proposal(self.draft.table, mapping, self.draft.why)
        self._again.ask(by_hand, False, self._setup, self.draft.file)

    @Slot()
    def _ask_save(self) -> None:
        file = ask_save(self, "Save the columns", "columns.json", MAPPINGS)
        if file and self.draft:
            self.save_columns(file)

    def save_columns(self, file: str) -> None:
        """Keep how this file is read as an open file."""
        assert self.draft
        try:
            write_whole(Path(file), mapping_file(self.draft.mapping).encode())
        except NipperError as error:
            self._subtitle.setText(str(error))

    @Slot()
    def _ask_use(self) -> None:
        file = ask_open(self, "Use saved columns", MAPPINGS)
        if file and self.draft:
            self.use_columns(file)

    def use_columns(self, file: str) -> None:
        """Read this file through a mapping that was saved."""
        if self.draft is None:
            return
        try:
            self._reread(begun(self.draft.table, load_mapping(file)))
        except NipperError as error:
            self._subtitle.setText(str(error))

    @Slot()
    def confirm(self) -> None:
        """Take the log over, in one transaction, off the window's thread."""
        draft = self.draft
        if draft is None or draft.log is None or self._bench is None or draft.file != self._file:
            return
        self._importing = True
        self._partly = self.pack.currentData() if self._others else 0
        self.take.setEnabled(False)
        self.take.setText("Importing …")
        self.progress.setRange(0, 1000)
        reads = (self._setup, self._zone)
        what = (self._bench, self.pack.currentData(), draft, self._others, reads)
        self._start(Job(take_all, *what, ticks=True), self._imported)

    @Slot(object)
    def _imported(self, taken: Taken) -> None:
        self._job, self._importing = None, False
        self.take.setText("Import")
        self.finished.emit(taken, self.pack.currentData())

    @Slot()
    def _leave(self) -> None:
        if self._job is not None:
            self._job.cancel()
            self._job, self._importing = None, False
        self.left.emit(self._partly)
