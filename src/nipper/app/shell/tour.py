"""A tour of the demo: a card at the foot of the window that goes from stage to stage, and says what
to look at and what to try. The window stays usable all the while.
"""

from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QObject, QTimer, Slot
from PySide6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout

from nipper.app.widgets.basic import SEMI, button, label
from nipper.app.widgets.units import UNITS

if TYPE_CHECKING:
    from nipper.app.document import Document
    from nipper.app.shell.window import Window

WIDTH, EDGE = 560, 18
LOOK_MS = 200


@dataclass(frozen=True, slots=True)
class Stop:
    """A stop of the tour: the stage, its page if it has several, and what is to be seen."""

    stage: str
    title: str
    text: str
    page: int | None = None


STOPS = (
    Stop("diagnose", "Which cell, why, and what to do",
         "The log of this made-up workshop was read. One cell strays: the sentence names it, with "
         "how sure that is; the remedy is in ampere-hours and hours. Cells can be clicked."),
    Stop("record", "Full charges are where a pack tells something",
         "A column a full charge, a row a cell. Click a column; Shift-click puts another beside "
         "it. The marks between are notes of what was changed."),
    Stop("protect", "Limits that hold together",
         "Drag a line, or type beside the figure: What follows, on the right, says at once "
         "what that would do. Ctrl+Z takes it back. A click on a field's name explains it.", 0),
    Stop("level", "Does the balancer catch up?",
         "What it moves in a week against what drifts, and what each school would cost here."),
    Stop("rehearse", "Learn it here, not at sunset",
         "The settings run on a copy of this bank, with its own cells. Let a cloud come, a big "
         "load, a cable be pulled, and see which BMS opens first."),
    Stop("cold", "A cutoff that was not proven is a hope",
         "Nothing charges below freezing. A bath and four readings make a dated proof."),
    Stop("link", "Battery and inverter",
         "Steps that know how far you are: fallback, cable, switches, the talk, and its loss on "
         "purpose.", 0),
    Stop("build", "The bank as built",
         "Choose a part: what flows through it, what it drops, when it was tightened.", 0),
    Stop("keep", "The years",
         "What is due and why, winter, faults with a meter, and practice.", 0),
    Stop("protect", "Then type it in",
         "Settings, Typing sheet: every value in the order of your BMS's menu, ticked off and "
         "read back. Your own bench begins under Bench, New bench. F1 explains where you are."),
)  # fmt: skip


class Tour(QFrame):
    """The card, and where the tour is."""

    def __init__(self, window: "Window") -> None:
        super().__init__(window)
        self.setObjectName("tour")
        self.setAccessibleName(UNITS.text("Tour of the demo"))
        self._window, self.at = window, -1
        self._before: Document | None = None
        self.title, self.text = label("", size=12, weight=SEMI), label("", wrap=True)
        self.count = label("", "soft")
        self.back, self.forth = button("Back", "quiet"), button("Next", "main")
        leave = button("End the tour", "bare")
        self.back.clicked.connect(self._back)
        self.forth.clicked.connect(self._forth)
        leave.clicked.connect(self.end)
        layout, line = QVBoxLayout(self), QHBoxLayout()
        layout.setContentsMargins(16, 12, 16, 12)
        layout.addWidget(self.title)
        layout.addWidget(self.text)
        line.addWidget(self.count)
        line.addStretch(1)
        for choice in (leave, self.back, self.forth):
            line.addWidget(choice)
        layout.addLayout(line)
        self.setFixedWidth(WIDTH)
        self.hide()
        self._look = QTimer(self, interval=LOOK_MS)
        self._look.timeout.connect(self._begin_when_read)
        window.installEventFilter(self)

    @property
    def waits(self) -> bool:
        """Whether the demo is still being opened for it."""
        return self._look.isActive()

    def begin(self) -> None:
        """Open the demo, and begin once its logs are read."""
        self.end()
        self._before = self._window.document
        self._window.open_demo()
        self._look.start()

    @Slot()
    def _begin_when_read(self) -> None:
        document = self._window.document
        there = document is not None and document is not self._before
        if document is not None and there and document.record is not None:
            self._look.stop()
            self._before = None
            self._go(0)

    def _go(self, at: int) -> None:
        if self._window.desk is None:
            self.end()
            return
        self.at = at
        stop = STOPS[at]
        view = self._window.view(stop.stage)
        if stop.page is not None:
            view.show_page(stop.page)
        self.title.setText(stop.title)
        self.text.setText(stop.text)
        self.count.setText(f"{at + 1} of {len(STOPS)}")
        self.back.setEnabled(at > 0)
        self.forth.setText("Next" if at + 1 < len(STOPS) else "Done")
        self.show()
        self.forth.setFocus()
        self._place()

    @Slot()
    def _back(self) -> None:
        self._go(max(0, self.at - 1))

    @Slot()
    def _forth(self) -> None:
        if self.at + 1 < len(STOPS):
            self._go(self.at + 1)
        else:
            self.end()

    @Slot()
    def end(self) -> None:
        """Leave the tour; the demo stays open."""
        self._look.stop()
        self._before, self.at = None, -1
        self.hide()

    def _place(self) -> None:
        """At the foot of the window, in the middle, above all."""
        self.adjustSize()
        where = self._window.rect()
        self.move((where.width() - self.width()) // 2, where.height() - self.height() - EDGE)
        self.raise_()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:  # noqa: N802 - Qt's name
        if event.type() == QEvent.Type.Resize and self.isVisible():
            self._place()
        return super().eventFilter(watched, event)
