"""The demo bench for the window: simulated once and kept, handed out as a fresh copy each time."""

import shutil
import tempfile
from collections.abc import Callable
from pathlib import Path

from nipper import __version__

FOLDER_PREFIX = "nipper-demo-"


def demo_copy(data_folder: Path, tick: Callable[[float], None] = lambda _share: None) -> Path:
    """Path of a fresh copy of the demo bench; the pristine one is made on first use."""
    from nipper import demo  # the simulator is needed only here

    data_folder.mkdir(parents=True, exist_ok=True)
    pristine = data_folder / f"demo-{__version__}.pristine"
    if not pristine.is_file():
        demo.make(pristine, tick)
    copy = Path(tempfile.mkdtemp(prefix=FOLDER_PREFIX)) / f"{demo.NAME}.nipper"
    shutil.copy2(pristine, copy)
    return copy
