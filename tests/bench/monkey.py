"""Random events on the real window: no exception, no message of Qt's, no turn that stands still.

``python -m tests.bench.monkey 20000 [seed]`` opens the demo bench (``small``: a small one, as the
tests do) and clicks, types, drags, turns the wheel, presses shortcuts, resizes and drops files. It
prints what went wrong, the slowest turns of the event loop with what caused them (the window's own
work, and with what it waited for the machine), and how much the memory grew after the warm-up.
"""

import faulthandler
import gc
import random
import sys
import tempfile
import time
import traceback
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from types import TracebackType
from typing import Any

import numpy as np
from PySide6.QtCore import (
    QEvent,
    QMimeData,
    QPoint,
    QSettings,
    Qt,
    QTimer,
    QUrl,
    qInstallMessageHandler,
)
from PySide6.QtGui import QDropEvent, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QFileDialog,
    QLineEdit,
    QMenu,
    QPlainTextEdit,
    QWidget,
)
from shiboken6 import isValid

from nipper.app.document import Document
from nipper.app.garbage import Sweeper
from nipper.app.jobs import wait_for_jobs
from nipper.app.memory import GivesBack, held_bytes, keep_little
from nipper.app.shell import rescue
from nipper.app.shell.commands import ACTIONS
from nipper.app.shell.stages import STAGES
from nipper.app.shell.window import Window
from nipper.app.start import make_window
from nipper.core.errors import NipperError
from nipper.core.presets import new_setup
from nipper.store import Bench
from tests.bench.spoil import STRANGE
from tests.builders import charge_log
from tests.core.journals import ALL

SEED = 20261127
SLOW_S = 0.1
TYPED = ("3.45", "0", "-1", "1e9", "nan", "55.2", "3,5", "9" * 60, "", "°", "12:30", "🔋", "7 V")
LEAVES = ("Quit", "Close")  # would end the run
# of Qt's offscreen platform, and of the test library that types into what has just gone
NOT_OURS = ("This plugin does not support", "Keyboard event not accepted by receiving widget")
WARM_UP = 0.3  # of the events: caches fill, pages are built


class Monkey:
    """One window, its events and what was seen."""

    def __init__(self, folder: Path, seed: int, small: bool) -> None:
        self._small, self._copies = small, 0
        (folder / "benches").mkdir()
        self.chance = random.Random(seed)
        self.folder = folder
        self.wrong: list[str] = []
        self.slow: list[tuple[float, float, str]] = []  # own work, whole turn, after what
        self.done: Counter[str] = Counter()
        self.now = "the start"
        self._back = GivesBack()
        settings = QSettings(str(folder / "settings.ini"), QSettings.Format.IniFormat)
        settings.setValue("ask", "no")
        self.window: Window = make_window(settings, "light", folder / "benches")
        self.window.resize(1280, 800)
        self.window.show()
        self._hook()
        self._open()
        self._files()

    def _open(self) -> None:
        """A fresh copy of the bench, read and judged."""
        before = self.window.document
        if self._small:
            self._copies += 1
            path = self.folder / "benches" / f"small {self._copies}.nipper"
            bench = Bench.create(path, new_setup("lfp", 8, 100.0, 2, name="Small"))
            bench.logs.add(1, charge_log(new_setup("lfp", 8, 100.0), np.zeros(8)), "one.csv")
            self.window.open_bench(bench)
        else:
            self.window.open_demo()
        self._settle(60.0, before)

    def _hook(self) -> None:
        """Whatever is raised or warned of is kept; dialogs are answered at once."""
        sys.excepthook = self._raised
        qInstallMessageHandler(self._message)
        answer: Any = self._file_name
        QFileDialog.getSaveFileName = answer
        QFileDialog.getOpenFileName = answer
        rescue.ask = lambda _window, _text, _more, answers: self.chance.choice(answers)
        closer = QTimer(self.window, interval=30)
        closer.timeout.connect(self._close_dialogs)
        closer.start()

    def _raised(
        self, kind: type[BaseException], error: BaseException, trace: TracebackType | None
    ) -> None:
        if not issubclass(kind, NipperError):
            where = traceback.extract_tb(trace)[-1]
            place = f"{Path(where.filename).name}:{where.lineno}"
            self._told(f"{kind.__name__}: {str(error)[:160]} at {place}")

    def _message(self, _kind: object, _where: object, text: str) -> None:
        if not text.startswith(NOT_OURS):
            self._told(f"Qt: {text}")

    def _told(self, text: str) -> None:
        line = f"{text} (after {self.now})"
        self.wrong.append(line)
        if len(self.wrong) < 40:
            print(line, flush=True)

    def _file_name(self, *_given: Any, **_more: Any) -> tuple[str, str]:
        files = [*self.folder.glob("*.*"), self.folder / f"new{self.chance.randrange(3)}.csv", ""]
        return str(self.chance.choice(files)), ""

    def _close_dialogs(self) -> None:
        dialog = QApplication.activeModalWidget()
        if dialog is not None:
            dialog.close()
        popup = QApplication.activePopupWidget()
        if popup is not None and self.chance.random() < 0.3:
            popup.close()

    def _files(self) -> None:
        for case in self.chance.sample(ALL, 12):
            (self.folder / case.file).write_bytes(case.data)
        (self.folder / "broken.nipper").write_bytes(b"SQLite format 3\0" + bytes(2000))
        (self.folder / "broken.json").write_text('{"format": "nipper-setup"')

    def _settle(self, seconds: float, before: Document | None) -> None:
        """Until another bench is open, and nothing of it is still being read."""
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            _turn()
            document = self.window.document
            if document is not None and document is not before and not document.busy:
                break
            time.sleep(0.01)

    # events -------------------------------------------------------------------------------------

    def run(self, count: int) -> None:
        """So many events, each with the turn of the loop behind it."""
        steps: list[Callable[[], str]] = [
            *[self._click] * 8, *[self._type] * 5, *[self._key] * 4, *[self._drag] * 3,
            *[self._wheel] * 2, *[self._shortcut] * 4, self._resize, self._drop, self._stage,
        ]  # fmt: skip
        warm = 0.0
        for number in range(count):
            if number == int(WARM_UP * count):
                warm = self._at_rest()
            step = self.chance.choice(steps)
            begun, worked = time.perf_counter(), time.thread_time()
            try:
                self.now = step()
            except Exception as error:
                self._raised(type(error), error, error.__traceback__)
            _turn()
            took, work = time.perf_counter() - begun, time.thread_time() - worked
            self.done[step.__name__] += 1
            if took > SLOW_S:
                self.slow.append((work, took, self.now))
            if not self.window.isVisible():
                self.window.show()
            if self.window.document is None or number % 1500 == 1499:
                self._open()
        self.growth = self._at_rest() / warm - 1.0 if warm else 0.0

    def _at_rest(self) -> float:
        """Memory, bytes, in a state that comes again: a bench just opened, all stages looked at,
        and all that they ask for answered.
        """
        self._open()
        for stage in STAGES:
            self.window.go(stage.id)
            _turn()
        wait_for_jobs(cancel=False)
        for _ in range(20):  # an answer may put the next question
            _turn()
            wait_for_jobs(cancel=False)
        gc.collect()
        self._back.give_back()
        return held_bytes()

    def _seen(self, *kinds: type[QWidget]) -> QWidget | None:
        """A visible widget of these kinds; of all kinds without."""
        root = QApplication.activeModalWidget() or QApplication.activePopupWidget() or self.window
        found = [
            w
            for w in root.findChildren(QWidget)
            if isValid(w) and w.isVisible() and w.isEnabled() and isinstance(w, kinds or QWidget)
        ]
        still = [w for w in found if isValid(w)]  # a popup's parts go as they are looked at
        return self.chance.choice(still) if still else None

    def _where(self, widget: QWidget) -> QPoint:
        wide, high = max(widget.width(), 1), max(widget.height(), 1)
        return QPoint(self.chance.randrange(wide), self.chance.randrange(high))

    def _click(self) -> str:
        kinds = (QAbstractButton, QComboBox) if self.chance.random() < 0.6 else ()
        some = self._seen(*kinds)
        if some is None:
            return "nothing to click"
        name = _name(some)
        if any(word in name for word in LEAVES):
            return "left alone"
        click = QTest.mouseDClick if self.chance.random() < 0.1 else QTest.mouseClick
        at = self._where(some)
        self.now = f"a click on {name}"
        click(some, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)
        return self.now

    def _type(self) -> str:
        field = self._seen(QLineEdit, QPlainTextEdit, QAbstractSpinBox)
        if field is None:
            return "nothing to type in"
        text = self.chance.choice(TYPED)
        if self.chance.random() < 0.2:
            text = self.chance.choice(STRANGE).decode("utf-8", "replace").replace("\0", "")[:80]
        self.now = f"{text[:20]!r} typed in {_name(field)}"
        field.setFocus()
        QTest.keyClick(field, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
        if text.isascii() or not isinstance(field, QLineEdit):
            QTest.keyClicks(field, text if text.isascii() else "1")
        else:
            field.insert(text)  # as pasted: keys are of the keyboard only
        end = self.chance.choice((Qt.Key.Key_Return, Qt.Key.Key_Tab, Qt.Key.Key_Escape))
        QTest.keyClick(field, end)
        return self.now

    def _key(self) -> str:
        keys = (
            Qt.Key.Key_Tab, Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Left, Qt.Key.Key_Right,
            Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Escape, Qt.Key.Key_Home,
            Qt.Key.Key_End, Qt.Key.Key_PageDown, Qt.Key.Key_Delete, Qt.Key.Key_F1,
        )  # fmt: skip
        target = QApplication.focusWidget() or self.window
        if not isValid(target):  # a wrapper that stands for what has gone
            target = self.window
        key = self.chance.choice(keys)
        self.now = f"{key.name} in {_name(target)}"
        for _ in range(self.chance.choice((1, 1, 5))):
            QTest.keyClick(target, key)
        return self.now

    def _drag(self) -> str:
        widget = self._seen()
        if widget is None:
            return "nothing to drag"
        self.now = f"a drag in {_name(widget)}"
        left = Qt.MouseButton.LeftButton
        QTest.mousePress(widget, left, Qt.KeyboardModifier.NoModifier, self._where(widget))
        for _ in range(4):
            QTest.mouseMove(widget, self._where(widget))
        QTest.mouseRelease(widget, left, Qt.KeyboardModifier.NoModifier, self._where(widget))
        return self.now

    def _wheel(self) -> str:
        widget = self._seen()
        if widget is None:
            return "nothing to turn"
        at = self._where(widget)
        turn = QPoint(0, self.chance.choice((-120, 120, -600)))
        self.now = f"the wheel over {_name(widget)}"
        event = QWheelEvent(
            at.toPointF(), widget.mapToGlobal(at).toPointF(), QPoint(), turn,
            Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier,
            Qt.ScrollPhase.NoScrollPhase, False,
        )  # fmt: skip
        QApplication.sendEvent(widget, event)
        return self.now

    def _shortcut(self) -> str:
        action = self.chance.choice(ACTIONS)
        if any(word in action.title for word in LEAVES):
            return "left alone"
        self.now = f"the action {action.title!r}"
        if action.enabled is None or action.enabled(self.window):
            action.run(self.window)
        return self.now

    def _stage(self) -> str:
        key = self.chance.choice("1234567890")
        self.now = f"Ctrl+{key}"
        QTest.keyClick(self.window, key, Qt.KeyboardModifier.ControlModifier)
        return self.now

    def _resize(self) -> str:
        width, height = self.chance.choice(((1280, 800), (1000, 640), (1900, 1060), (800, 500)))
        self.now = f"{width} × {height}"
        self.window.resize(width, height)
        return self.now

    def _drop(self) -> str:
        file = self.chance.choice(sorted(self.folder.glob("*.*")))
        if file.suffix == ".nipper" or file.is_dir():
            return "left alone"
        self.now = f"{file.name} dropped"
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(file))])
        event = QDropEvent(
            QPoint(300, 300).toPointF(), Qt.DropAction.CopyAction, data,
            Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier,
        )  # fmt: skip
        self.window.dropEvent(event)
        return self.now


def _turn() -> None:
    """One turn of the event loop, and what it deletes afterwards as ``exec`` would."""
    QApplication.processEvents()
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


def _name(widget: QWidget) -> str:
    """What a person would call it."""
    shown = getattr(widget, "text", None)
    text = shown() if callable(shown) and not isinstance(widget, QMenu) else ""
    return f"{type(widget).__name__} {widget.accessibleName() or text or ''}".strip()[:70]


def main(count: int, seed: int = SEED, small: bool = False) -> int:
    """Run it; how many things were wrong."""
    faulthandler.enable()
    keep_little()
    app = QApplication(sys.argv[:1])
    app.setStyle("Fusion")
    sweeper = Sweeper()
    with tempfile.TemporaryDirectory(prefix="nipper-monkey-") as folder:
        monkey = Monkey(Path(folder), seed, small)
        begun = time.monotonic()
        monkey.run(count)
        took = time.monotonic() - begun
        closing = time.monotonic()
        monkey.window.close()
        closed_s = time.monotonic() - closing
        for _ in range(3):  # what has ended may ask once more
            wait_for_jobs()
            _turn()
    sweeper.deleteLater()
    _turn()
    events = ", ".join(f"{name.strip('_')} {n}" for name, n in monkey.done.items())
    print(f"{count} events in {took:.0f} s ({events}); closed in {closed_s:.2f} s")
    print(f"{len(monkey.wrong)} wrong; memory grew by {monkey.growth:.1%} after the warm-up")
    own = sum(work > SLOW_S for work, _, _ in monkey.slow)
    print(f"{len(monkey.slow)} turns over {SLOW_S * 1000:.0f} ms, {own} by the window's own work:")
    for work, took, what in sorted(monkey.slow, reverse=True)[:25]:
        print(f"  {work:.2f} of {took:.2f} s after {what}")
    often = Counter(what for work, _, what in monkey.slow if work > SLOW_S)
    print("most often: " + "; ".join(f"{what} {times}" for what, times in often.most_common(25)))
    return len(monkey.wrong)


if __name__ == "__main__":
    given = [int(a) for a in sys.argv[1:] if a.isdecimal()]
    sys.exit(bool(main(*given, small="small" in sys.argv)))
