"""The walk through all views: each is shown, waited for and written as a picture.

For machines without a screen, and for the docs.
"""

import sys
from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Slot

from nipper.app.shell.stages import STAGES
from nipper.app.shell.window import Window
from nipper.app.stage import Picture, Stage

POLL_MS = 60
PATIENCE_MS = 180_000
WATCHED_MIN = 52.0  # of the stand-in, for its picture
TURNS = 4  # of the loop: words that wrap settle their height when they know their width


def _typing(window: Window) -> None:
    window.side.show("typing")


def _watch(window: Window) -> None:
    from nipper.app.shell.watchpage import WatchPage

    page = window.side.show("watch")
    assert isinstance(page, WatchPage)
    page.run_ahead(WATCHED_MIN)


SIDE_PICTURES: tuple[tuple[str, Callable[[Window], None]], ...] = (
    ("typing-sheet", _typing),
    ("watch", _watch),
)


class Walk(QObject):
    """Steps through the views of the demo and ends the program."""

    def __init__(self, window: Window, folder: Path) -> None:
        super().__init__(window)
        self._window, self._folder = window, folder
        self._written: list[Path] = []
        self._waited_ms = 0
        self._shown, self._turns = "", 0
        self._steps = self._plan()
        self._timer = QTimer(self, interval=POLL_MS)
        self._timer.timeout.connect(self._look)

    @Slot()
    def begin(self) -> None:
        """Open the demo, then walk."""
        self._folder.mkdir(parents=True, exist_ok=True)
        self._window.resize(1280, 800)
        self._picture("start")
        self._window.open_demo()
        self._timer.start()

    def _plan(self) -> list[tuple[str, Callable[[], object]]]:
        """Each stage's pictures, the pages beside the stages, and some of it in the dark."""
        steps: list[tuple[str, Callable[[], object]]] = [
            (picture.name, partial(self._prepare, stage, picture))
            for stage in STAGES
            for picture in stage.pictures
        ]
        steps += [(name, partial(show, self._window)) for name, show in SIDE_PICTURES]
        return steps + [(f"{s.id}-dark", partial(self._darken, s)) for s in STAGES if s.dark]

    def _prepare(self, stage: Stage, picture: Picture) -> None:
        assert self._window.desk
        picture.prepare(self._window.view(stage.id), self._window.desk.situation)

    def _darken(self, stage: Stage) -> None:
        self._window.theme.set_mode("dark")
        self._prepare(stage, stage.pictures[0])

    @Slot()
    def _look(self) -> None:
        """Wait until the bench is read, then take one view after another."""
        document = self._window.document
        self._waited_ms += POLL_MS
        if self._waited_ms > PATIENCE_MS:
            sys.stderr.write("nipper: the demo was not read in time\n")
            self._end(1)
            return
        if document is None or document.busy or not document.records.by_pack:
            return
        if not self._steps:
            print("Pictures of all views: " + ", ".join(str(p) for p in self._written), flush=True)
            self._end(0)
            return
        name, show = self._steps[0]
        if self._shown != name:
            self._shown, self._turns = name, 0
            show()
        busy = self._window.forecasts is not None and self._window.forecasts.busy
        self._turns = 0 if busy else self._turns + 1
        if self._turns <= TURNS:  # what has just come is not laid out yet
            return
        self._steps.pop(0)
        self._picture(name)

    def _picture(self, name: str) -> None:
        path = self._folder / f"{name}.png"
        if not self._window.grab().save(str(path)):
            sys.stderr.write(f"nipper: {path}: expected a place that can be written\n")
        self._written.append(path)

    def _end(self, status: int) -> None:
        from PySide6.QtWidgets import QApplication

        self._timer.stop()
        self._window.close()
        QApplication.exit(status)
