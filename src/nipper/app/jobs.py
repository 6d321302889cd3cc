"""Work off the window's thread, written once: a job with progress and cancel, and the latest of
ever new questions.
"""

import threading
from collections.abc import Callable, Iterator
from contextlib import suppress
from functools import partial
from typing import Generic, TypeVar

from PySide6.QtCore import QObject, QRunnable, QThreadPool, QTimer, Signal, Slot

from nipper.core.errors import Cancelled, NipperError

T = TypeVar("T")
PATIENCE_MS = 900  # at the end, for work that does not hear that it is to end
WRITING_MS = 120_000  # the window is gone by then
LOOKED_MS = 50  # between two looks whether anything is at work
_ALIVE: set["Job"] = set()
_ASKED: list["Job"] = []  # in this turn of the loop
_STREAMS: set["Stream"] = set()


class Job(QObject):
    """One call of a core function in a worker thread.

    The function is called with ``tick=`` as its last argument when ``ticks`` is true. Signals
    arrive in the thread that made the job. A cancelled job never says ``done``, even when its
    answer was already on the way. One that ``lasts`` is not ended by leaving the bench: a file or a
    device is not left half written.
    """

    progressed = Signal(float)
    done = Signal(object)
    failed = Signal(str)
    ended = Signal()
    _finished = Signal(object, object)

    def __init__(
        self, work: Callable[..., object], *args: object, ticks: bool = False, lasts: bool = False
    ) -> None:
        super().__init__()
        self._work, self._args, self._ticks = work, args, ticks
        self.lasts = lasts
        self._cancelled = False
        self._finished.connect(self._deliver)

    def start(self) -> "Job":
        """Begin once the window has painted what this turn changed, for which it wants the
        interpreter to itself; the job keeps itself alive until its end has been delivered.
        """
        _ALIVE.add(self)
        _ASKED.append(self)
        QTimer.singleShot(0, _begin)
        return self

    def cancel(self) -> None:
        """Ask it to stop at its next tick; nothing but ``ended`` will come of it."""
        self._cancelled = True

    @property
    def cancelled(self) -> bool:
        """Whether it was asked to stop."""
        return self._cancelled

    def run(self) -> None:
        """Called in the worker thread."""
        answer: object = None
        error: BaseException | None = None
        try:
            self._heed()
            answer = self._work(*self._args, **({"tick": self._tick} if self._ticks else {}))
        except BaseException as caught:  # carried to the window's thread and raised or shown there
            error = caught
        self._finished.emit(answer, error)

    def _heed(self) -> None:
        if self._cancelled:
            raise Cancelled("stopped")

    def _tick(self, share: float) -> None:
        self._heed()
        self.progressed.emit(share)

    @Slot(object, object)
    def _deliver(self, answer: object, error: BaseException | None) -> None:
        _ALIVE.discard(self)
        try:
            if self._cancelled or isinstance(error, Cancelled):
                return
            if error is None:
                self.done.emit(answer)
            elif isinstance(error, NipperError):
                self.failed.emit(str(error))
            else:
                self.failed.emit(f"{type(error).__name__}: {error}")
                raise error
        finally:
            self.ended.emit()


class _Runner(QRunnable):
    def __init__(self, job: Job) -> None:
        super().__init__()
        self._job = job

    def run(self) -> None:
        self._job.run()


def _begin() -> None:
    """Begin what was asked."""
    while _ASKED:
        QThreadPool.globalInstance().start(_Runner(_ASKED.pop(0)))


class Latest(QObject):
    """For questions asked ever anew, as by a drag: one job runs, and only the newest question
    waits.

    With ``ticks`` a running answer that nobody waits for any more is stopped at its next tick.
    """

    answered = Signal(object)
    failed = Signal(str)
    progressed = Signal(float)

    def __init__(
        self, work: Callable[..., object], parent: QObject | None = None, ticks: bool = False
    ) -> None:
        super().__init__(parent)
        self._work, self._ticks = work, ticks
        self._running: Job | None = None
        self._waiting: tuple[object, ...] | None = None

    def ask(self, *question: object) -> None:
        """Put a question; an older one that still waits is dropped."""
        if self._running is not None:
            self._waiting = question
            if self._ticks:
                self._running.cancel()
            return
        job = Job(self._work, *question, ticks=self._ticks)
        job.done.connect(self.answered)
        job.failed.connect(self.failed)
        job.progressed.connect(self.progressed)
        job.ended.connect(self._next)
        self._running = job
        job.start()

    @property
    def busy(self) -> bool:
        """Whether an answer is still to come."""
        return self._running is not None

    @Slot()
    def _next(self) -> None:
        self._running = None
        if self._waiting is not None:
            question, self._waiting = self._waiting, None
            self.ask(*question)


class Answer(QObject, Generic[T]):
    """An answer that is kept current: once wanted, asked anew whenever told that things changed.

    ``question`` makes the arguments of the work, or None while the question cannot be put.
    """

    came = Signal(object)
    failed = Signal(str)
    progressed = Signal(float)

    def __init__(
        self,
        work: Callable[..., T],
        question: Callable[[], tuple[object, ...] | None],
        parent: QObject,
        ticks: bool = False,
    ) -> None:
        super().__init__(parent)
        self.value: T | None = None
        self._question = question
        self._wanted = False
        self._latest = Latest(work, self, ticks)
        self._latest.answered.connect(self._answered)
        self._latest.failed.connect(self.failed)
        self._latest.progressed.connect(self.progressed)

    @property
    def busy(self) -> bool:
        """Whether an answer is still to come."""
        return self._latest.busy

    def want(self) -> None:
        """From now on keep it current."""
        if not self._wanted:
            self._wanted = True
            self.ask()

    @Slot()
    def ask(self) -> None:
        """Things have changed: ask anew, if it is wanted and can be asked."""
        question = self._question() if self._wanted else None
        if question is not None:
            self.put(*question)

    def put(self, *question: object) -> None:
        """Put a question once, wanted or not."""
        self._latest.ask(*question)

    def repeat(self) -> None:
        """Tell the present answer again, if there is one."""
        if self.value is not None:
            self.came.emit(self.value)

    @Slot(object)
    def _answered(self, value: T) -> None:
        self.value = value
        self.came.emit(value)


class Stream(QObject):
    """Work that gives one thing after another, for hours if it must: a live watch.

    ``work`` is a generator function, called with a ``stopped`` that says when to end. It runs in a
    thread of its own, so that it holds none of the pool's, and nobody waits for its end.
    """

    gave = Signal(object)
    failed = Signal(str)
    ended = Signal()
    _over = Signal(object)

    def __init__(self, work: Callable[..., Iterator[object]], *args: object) -> None:
        super().__init__()
        self._work, self._args = work, args
        self._stop = threading.Event()
        self._over.connect(self._end)

    def start(self) -> "Stream":
        """Begin; the stream keeps itself alive until its end has been delivered."""
        _STREAMS.add(self)
        threading.Thread(target=self._run, name="nipper-stream", daemon=True).start()
        return self

    def cancel(self) -> None:
        """Ask it to end; nothing but ``ended`` will come of it."""
        self._stop.set()

    def _run(self) -> None:
        error: BaseException | None = None
        try:
            for item in self._work(*self._args, stopped=self._stop.is_set):
                if self._stop.is_set():
                    break
                self.gave.emit(item)
        except BaseException as caught:  # carried to the window's thread
            error = caught
        with suppress(RuntimeError):  # the window is gone, and with it whoever would hear of it
            self._over.emit(error)

    @Slot(object)
    def _end(self, error: BaseException | None) -> None:
        _STREAMS.discard(self)
        try:
            if self._stop.is_set() or error is None:
                return
            if isinstance(error, NipperError):
                self.failed.emit(str(error))
                return
            self.failed.emit(f"{type(error).__name__}: {error}")
            raise error
        finally:
            self.ended.emit()


def end_jobs() -> None:
    """Ask all work to end that need not last, without its answers; nobody waits for it."""
    for job in list(_ALIVE):
        if not job.lasts:
            job.cancel()
    for stream in list(_STREAMS):
        stream.cancel()


def when_quiet(act: Callable[[], None]) -> None:
    """Do it once nothing is at work, and none holds what it was asked of any more."""
    if _ALIVE or QThreadPool.globalInstance().activeThreadCount():
        QTimer.singleShot(LOOKED_MS, partial(when_quiet, act))
    else:
        act()


def last_jobs() -> bool:
    """At the end of the program: whether all work has ended, after a patience that is longer where
    something is being written.
    """
    lasting = any(job.lasts for job in _ALIVE)
    return wait_for_jobs(patience_ms=WRITING_MS if lasting else PATIENCE_MS)


def wait_for_jobs(cancel: bool = True, patience_ms: int = -1) -> bool:
    """Let running work end, by default without its answers; false where patience ran out first.

    For the end of the program, of tests, and for walks. Streams are asked to end, not waited for.
    """
    if cancel:
        end_jobs()
    _begin()
    return QThreadPool.globalInstance().waitForDone(patience_ms)
