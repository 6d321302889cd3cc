"""What goes wrong is told in one line, also by another process."""

import pickle
from pathlib import Path

import pytest

from nipper.core.errors import Cancelled, ChoiceError, InputError, NipperError, RangeError
from nipper.store.place import ReadOnlyError

ERRORS = [
    NipperError("of no file"),
    InputError("log.csv", "row 3", "a number", "--unit"),
    ChoiceError("log.csv", "column 2", "a pack", "--pack", ["1", "2"]),
    RangeError("-1 V"),
    Cancelled(),
    ReadOnlyError(Path("bench.nipper")),
]


@pytest.mark.parametrize("error", ERRORS, ids=lambda e: type(e).__name__)
def test_an_error_comes_whole_from_another_process(error):
    again = pickle.loads(pickle.dumps(error))
    assert (type(again), str(again), vars(again)) == (type(error), str(error), vars(error))
