"""What all tests share: no screen needed, no time limits, no leftovers."""

import os
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["LC_ALL"] = "C.UTF-8"  # a German desktop is spoken German to

import pytest
from hypothesis import HealthCheck, settings

from nipper.core.presets import new_setup
from nipper.core.setup import Setup, put

settings.register_profile(
    "nipper",
    deadline=None,
    suppress_health_check=[HealthCheck.too_slow, HealthCheck.function_scoped_fixture],
)
settings.load_profile("nipper")

FILES = Path(__file__).parent / "files"
REFERENCE = Path(__file__).parent / "reference"


@pytest.fixture
def make_setup():
    """A sound 16-cell LFP setup, with values at JSON paths written with double underscores
    replaced.
    """

    def make(**changes: object) -> Setup:
        return put(
            new_setup("lfp", 16, 280.0),
            {path.replace("__", "."): value for path, value in changes.items()},
        )

    return make
