"""The demo bench for the window: simulated once and kept, handed out as a fresh copy each time."""

import shutil
import tempfile
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, Signal, Slot

from nipper import __version__
from nipper.app.jobs import Job

FOLDER_PREFIX = "nipper-demo-"


def demo_copy(data_folder: Path, tick: Callable[[float], None] = lambda _share: None) -> Path:
    """Path of a fresh copy of the demo bench; the pristine one is made on first use."""
    from nipper import demo  # the simulator is needed only here
    from nipper.core.simulate.compiled import make_ready

    data_folder.mkdir(parents=True, exist_ok=True)
    pristine = data_folder / f"demo-{__version__}.pristine"
    if not pristine.is_file():
        make_ready()
        demo.make(pristine, tick)
    copy = Path(tempfile.mkdtemp(prefix=FOLDER_PREFIX)) / f"{demo.NAME}.nipper"
    shutil.copy2(pristine, copy)
    return copy


class DemoMaker(QObject):
    """Makes the copy off the window's thread: ``told`` says how far it is, ``made`` where it
    lies.
    """

    told = Signal(str)
    made = Signal(str)

    def __init__(self, data_folder: Path, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._folder = data_folder
        self._job: Job | None = None

    def start(self) -> None:
        """Begin, unless it is at work already."""
        if self._job is not None:
            return
        self._progress(0.0)
        job = Job(demo_copy, self._folder, ticks=True)
        job.progressed.connect(self._progress)
        job.done.connect(self._done)
        job.failed.connect(self.told)
        job.ended.connect(self._ended)
        self._job = job
        job.start()

    @Slot(float)
    def _progress(self, share: float) -> None:
        self.told.emit(
            "Making the demo: three months of two packs are simulated once, which takes "
            f"some seconds. {share:.0%}"
        )

    @Slot(object)
    def _done(self, path: Path) -> None:
        self.made.emit(str(path))

    @Slot()
    def _ended(self) -> None:
        self._job = None
