"""How the kernel is compiled, and where the machine code is kept.

``python -m nipper.core.simulate.compiled`` compiles everything and ends: the application does that
in a process of its own, because a compiler in a thread of the window's process makes the window
stutter.
"""

import hashlib
import subprocess
import sys
import tempfile
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar, cast

import numba
from platformdirs import user_cache_path


def _cache_folder() -> Path:
    """By what the sources hold: the compiler's own cache looks at one file each and would miss a
    change in another.
    """
    digest = hashlib.sha256(numba.__version__.encode())
    for file in sorted(Path(__file__).parent.glob("*.py")):
        digest.update(file.read_bytes())
    name = f"kernel-{digest.hexdigest()[:16]}"
    for base in (user_cache_path("nipper"), Path(tempfile.gettempdir()) / "nipper"):
        try:
            (base / name).mkdir(parents=True, exist_ok=True)
        except OSError:
            continue
        return base / name
    return Path(tempfile.mkdtemp(prefix="nipper-"))


F = TypeVar("F", bound=Callable[..., Any])
CACHE = _cache_folder()
numba.config.CACHE_DIR = str(CACHE)  # pyright: ignore[reportAttributeAccessIssue, reportPrivateImportUsage] - the library's own switch
_once = threading.Lock()


# numpy's rules: a division by zero gives inf instead of costing a test and a branch each time. No
# reference counts: compiled code makes no arrays, all are handed in; counting them up and down at
# each call took two thirds of a run.
_HOW: dict[str, Any] = {
    "cache": True,
    "nogil": True,
    "error_model": "numpy",
    "_nrt": False,
    "forceinline": True,
}


def compiled(function: F) -> F:
    """Compile; to its callers the function stays what it is."""
    return cast(F, numba.njit(**_HOW)(function))


def vectorised(function: F) -> F:
    """Compile a loop over cells; sums may be taken in another order, and no NaN comes in."""
    fast = {"nnan", "nsz", "contract", "reassoc"}
    return cast(F, numba.njit(**_HOW, fastmath=fast)(function))


def make_ready() -> None:
    """Compile in a process of its own if that was never done on this machine; called in worker
    threads of a window.
    """
    with _once:
        if not any(CACHE.rglob("*.nbi")):
            subprocess.run(
                [sys.executable, "-m", "nipper.core.simulate.compiled"],
                check=False,
                capture_output=True,
            )


if __name__ == "__main__":
    from nipper.core.presets import new_setup
    from nipper.core.simulate.scenario import Scenario
    from nipper.core.simulate.trial import run

    run(new_setup("lfp", 4, 100.0), Scenario(days=0.05))
