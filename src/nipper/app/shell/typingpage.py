"""The typing sheet: one large value at a time, in the order of the user's own BMS, tick by tick.

Interrupted, it goes on where it stopped.
"""

from datetime import tzinfo

from PySide6.QtCore import QSignalBlocker, QSize, Qt, Signal, Slot
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QProgressBar,
    QVBoxLayout,
    QWidget,
)

from nipper.app.document import Document
from nipper.app.shell.typingfiles import SheetFiles
from nipper.app.shell.typingstate import TypingState
from nipper.app.theme import Theme
from nipper.app.widgets.basic import SEMI, button, card, for_device, label
from nipper.app.widgets.units import UNITS
from nipper.core.errors import RangeError
from nipper.core.findings import Finding, Severity
from nipper.core.report.consequence import count
from nipper.core.report.typingsheet import (
    OWN,
    Line,
    units_of,
)


class TypingPage(QWidget):
    """``left`` when the user goes back; ``finished`` when all is ticked and kept as a revision.

    More than twenty methods, most of them one key or button of the sheet; its state and files are
    ``typingstate`` and ``typingfiles``.
    """

    left = Signal()
    finished = Signal()
    trouble = Signal(str)

    def __init__(
        self, document: Document, theme: Theme, zone: tzinfo, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self._document, self._theme, self._zone = document, theme, zone
        self.sheet = TypingState(document)
        self.files = SheetFiles(document, self.sheet, zone, self)
        self.files.trouble.connect(self.trouble)
        self.files.read.connect(self.refresh)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 14, 24, 16)
        layout.setSpacing(8)
        layout.addLayout(self._head())
        middle = QHBoxLayout()
        middle.setSpacing(14)
        middle.addWidget(self._big(), 3)
        right = QVBoxLayout()
        right.addWidget(self._list(), 1)
        right.addLayout(self._own())
        middle.addLayout(right, 2)
        layout.addLayout(middle, 1)
        layout.addLayout(self._foot())
        document.settings.changed.connect(self.refresh)
        document.pack_changed.connect(self.refresh)
        document.judgement.changed.connect(self._warn)
        self.refresh()
        self.sheet.choose_open()
        self._show()
        self._warn(document.judgement.findings)

    # layout

    def _head(self) -> QHBoxLayout:
        line = QHBoxLayout()
        self._title = label("", size=16, weight=SEMI)
        self._progress = QProgressBar()
        self._progress.setTextVisible(False)
        self._progress.setFixedWidth(170)
        self.only_changed = QComboBox()
        self.only_changed.setAccessibleName(UNITS.text("which lines"))
        self.only_changed.addItems(UNITS.texts(["all settings", "only what changed"]))
        self.only_changed.activated.connect(self.refresh)
        back = button("Back", "quiet", "What is ticked is kept")
        back.clicked.connect(self.left)
        line.addWidget(self._title, 1)
        line.addWidget(self._progress)
        line.addWidget(self.only_changed)
        line.addWidget(back)
        return line

    def _big(self) -> QWidget:
        frame, inside = card(26, 8)
        self._section = label("", "soft", size=15)
        self._label = label("", size=22, weight=SEMI, wrap=True)
        self._value = for_device(label("", size=64, weight=SEMI))
        self._also = for_device(label("", "soft", size=15))
        self._before = for_device(label("", "soft", size=15))
        inside.addStretch(1)
        self._warning = for_device(label("", "act", wrap=True))
        for widget in (
            self._warning,
            self._section,
            self._label,
            self._value,
            self._also,
            self._before,
        ):
            inside.addWidget(widget)
        inside.addStretch(2)
        own = QHBoxLayout()
        self.own_label = QLineEdit(placeholderText=UNITS.text("as your BMS calls it"))
        self.own_label.setAccessibleName(UNITS.text("as your BMS calls it"))
        self.own_label.setMaxLength(200)
        self.own_label.editingFinished.connect(self._labelled)
        self.unit = QComboBox()
        self.unit.setAccessibleName(UNITS.text("unit of your BMS"))
        self.unit.setToolTip(UNITS.text("In which unit your BMS shows it"))
        self.unit.activated.connect(self._unit_chosen)
        own.addWidget(label("your BMS calls it", "soft"))
        own.addWidget(self.own_label, 1)
        own.addWidget(self.unit)
        inside.addLayout(own)
        keys = QHBoxLayout()
        self.tick = button("Typed in  ⏎", "main", "Enter or Space: ticks it and goes to the next")
        self.skip = button("Next  ↓", "quiet", "Down: leaves it open")
        self.up = button("Back one  ↑", "quiet", "Up")
        self.remove = button("Take it out", "bare", "This line of your own leaves the menu")
        self.remove.clicked.connect(self.remove_own)
        self.untick = button("Not yet  ⌫", "bare", "Backspace: takes the tick away")
        self.tick.clicked.connect(self.tick_line)
        self.skip.clicked.connect(self.next_line)
        self.up.clicked.connect(self.line_before)
        self.untick.clicked.connect(self.untick_line)
        for widget in (self.tick, self.skip, self.up, self.untick, self.remove):
            widget.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # the keys are the page's
            keys.addWidget(widget)
        keys.addStretch(1)
        inside.addLayout(keys)
        return frame

    def _list(self) -> QWidget:
        self.list = QListWidget()
        self.list.setAccessibleName(UNITS.text("lines of the sheet"))
        self.list.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.list.setToolTip(UNITS.text("Drag a line to where your BMS asks for it"))
        self.list.setIconSize(QSize(12, 12))
        self.list.currentRowChanged.connect(self._chosen)
        self.list.model().rowsMoved.connect(self._moved)
        return self.list

    def _own(self) -> QHBoxLayout:
        """A line that no setting stands for."""
        line = QHBoxLayout()
        self.own_name, self.own_value = QLineEdit(), QLineEdit()
        named = (self.own_name, "a line of your own", 3), (self.own_value, "its value", 2)
        for field, words, stretch in named:
            field.setPlaceholderText(UNITS.text(words))
            field.setAccessibleName(UNITS.text(words))
            field.setMaxLength(100)
            field.returnPressed.connect(self.add_own)
            line.addWidget(field, stretch)
        self.own_add = button("Add", "quiet", "What no setting here stands for: a calibration …")
        self.own_add.clicked.connect(self.add_own)
        line.addWidget(self.own_add)
        return line

    def _foot(self) -> QHBoxLayout:
        line = QHBoxLayout()
        for text, tip, act in (
            (
                "Open a menu order …",
                "An order with labels that somebody wrote as a file",
                self.files.open_menu,
            ),
            (
                "Save this menu order …",
                "An open JSON file, to be used again or given on",
                self.files.save_menu,
            ),
            ("Write CSV …", "The sheet as a table", self.files.write_csv),
            ("Write PDF …", "The sheet with boxes, to print", self.files.write_pdf),
        ):
            entry = button(text, "quiet", tip)
            entry.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            entry.clicked.connect(act)
            line.addWidget(entry)
        line.addStretch(1)
        self.done = button("All typed in: keep as a dated revision", "main")
        self.done.clicked.connect(self.finish)
        line.addWidget(self.done)
        return line

    # showing

    @Slot()
    def refresh(self) -> None:
        """Make the lines anew."""
        self.sheet.only_changed = self.only_changed.currentIndex() == 1
        self.sheet.refresh()
        self._fill_list()
        self._show()

    def _fill_list(self) -> None:
        with QSignalBlocker(self.list):
            self.list.clear()
            for line in self.sheet.lines:
                item = QListWidgetItem(UNITS.text(self._entry(line)))
                item.setData(Qt.ItemDataRole.UserRole, line.path)
                self.list.addItem(item)

    def _entry(self, line: Line) -> str:
        mark = "✓" if self.sheet.ticked(line) else "·"
        return f"{mark}  {line.section}: {line.label}   {line.value}"

    def _show(self) -> None:
        state, line = self.sheet, self.sheet.line
        packs = self._document.records.packs
        of = f" of {self._document.pack.name}" if len(packs) > 1 else ""
        self._title.setText(f"Typing sheet{of}: {state.done} of {len(state.lines)} typed in")
        self._progress.setRange(0, max(1, len(state.lines)))
        self._progress.setValue(state.done)
        self.done.setEnabled(bool(state.lines) and state.done == len(state.lines))
        self._section.setText(line.section if line else "")
        nothing = "Nothing has changed since it was last typed in."
        self._label.setText(line.label if line else nothing)
        self._value.setText(line.value if line else "")
        self._also.setText(line.also if line else "")
        self._before.setText(self._was(line) if line else "")
        own = line is not None and line.path.startswith(OWN)
        self.remove.setVisible(own)
        self.own_label.setEnabled(not own)
        if line is None:
            return
        item = state.item()
        if not self.own_label.hasFocus():
            self.own_label.setText(item.label if item else "")
        self.unit.clear()
        self.unit.addItems(units_of(line.path) or [UNITS.text("no unit")])
        self.unit.setCurrentText(line.unit)
        self.unit.setEnabled(bool(units_of(line.path)))
        with QSignalBlocker(self.list):
            self.list.setCurrentRow(state.row)

    def _was(self, line: Line) -> str:
        """What stood there before, and how far one is."""
        was = "new" if line.changed else "as before"
        if line.changed and line.before != "–":
            was = f"was {line.before}"
        state = self.sheet
        where = "typed in ✓" if state.ticked(line) else f"{state.row + 1} of {len(state.lines)}"
        return f"{was}   ·   {where}"

    @Slot(object)
    def _warn(self, findings: list[Finding]) -> None:
        """Contradictions are better mended before they are typed in."""
        errors = sum(f.severity is Severity.ERROR for f in findings)
        self._warning.setText(
            f"{count(errors, 'contradiction')} open: look at Protect before typing these in."
            if errors
            else ""
        )

    # doing

    @Slot()
    def tick_line(self) -> None:
        """It is typed in: tick it, and on to the next that is open."""
        line = self.sheet.line
        if line is not None:
            self.sheet.tick()
            self.list.item(self.sheet.row).setText(self._entry(line))
            self.sheet.choose_open()
            self._show()

    @Slot()
    def untick_line(self) -> None:
        """Not typed in after all."""
        if self.sheet.untick():
            self._fill_list()
            self._show()

    @Slot()
    def next_line(self) -> None:
        """The next line, without a tick."""
        self._chosen(self.sheet.row + 1)

    @Slot()
    def line_before(self) -> None:
        """The line before."""
        self._chosen(self.sheet.row - 1)

    @Slot(int)
    def _chosen(self, row: int) -> None:
        self.sheet.choose(row)
        self._show()

    @Slot()
    def _moved(self) -> None:
        entries = [self.list.item(i) for i in range(self.list.count())]
        self.sheet.reorder([entry.data(Qt.ItemDataRole.UserRole) for entry in entries])
        self.refresh()

    @Slot()
    def _labelled(self) -> None:
        if self.sheet.lines and self.own_label.isModified():
            self.own_label.setModified(False)
            self.sheet.change_item(label=self.own_label.text().strip())
            self.refresh()
            self.setFocus()

    @Slot()
    def _unit_chosen(self) -> None:
        self.sheet.change_item(unit=self.unit.currentText())
        self.refresh()
        self.setFocus()

    @Slot()
    def add_own(self) -> None:
        """A line that no setting stands for, into this menu."""
        try:
            self.sheet.add_own(self.own_name.text(), self.own_value.text())
        except RangeError as error:
            self.trouble.emit(str(error))
            return
        self.own_name.clear()
        self.own_value.clear()
        self.refresh()
        self.setFocus()

    @Slot()
    def remove_own(self) -> None:
        """Take the shown line out of the menu."""
        self.sheet.remove_own()
        self.refresh()
        self.setFocus()

    @Slot()
    def finish(self) -> None:
        """Keep the settings as typed in today; the ticks start anew."""
        today = self._document.now(self._zone)
        self.sheet.finish(f"typed in from the sheet on {today.day} {today:%b}")
        self.finished.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802 - Qt's name
        act = {
            Qt.Key.Key_Return: self.tick_line,
            Qt.Key.Key_Enter: self.tick_line,
            Qt.Key.Key_Space: self.tick_line,
            Qt.Key.Key_Down: self.next_line,
            Qt.Key.Key_Up: self.line_before,
            Qt.Key.Key_Backspace: self.untick_line,
            Qt.Key.Key_Escape: self.left.emit,
        }.get(Qt.Key(event.key()))
        if act is None:
            super().keyPressEvent(event)
        else:
            act()
