"""What was freed is the system's again."""

import subprocess
import sys
import threading

import pytest

from nipper.app import memory
from nipper.app.memory import GROWN_BYTES, GivesBack, held_bytes

# blocks of 8 MB as a log's columns are, each with something small behind it that stays
WORK = """
import sys
from nipper.app.memory import held_bytes, keep_little
if "little" in sys.argv:
    keep_little()
first = bytearray(8 << 20)
del first  # from here on the C library thinks blocks of this size usual
before = held_bytes()
columns, stays = [], []
for _ in range(60):
    columns.append(bytearray(8 << 20))
    stays.append(bytearray(100_000))
del columns
print(held_bytes() - before)
"""


@pytest.fixture
def back(qtbot):
    one = GivesBack()
    yield one
    with qtbot.waitSignal(one.destroyed):
        one.deleteLater()


def left_bytes(*arguments: str) -> float:
    command = [sys.executable, "-c", WORK, *arguments]
    return float(subprocess.run(command, capture_output=True, text=True, check=True).stdout)


def test_large_blocks_go_back_at_once():
    assert left_bytes() > 300e6  # what it is for
    assert left_bytes("little") < 50e6


@pytest.mark.parametrize(
    ("grown", "given"), [(0.5 * GROWN_BYTES, False), (1.5 * GROWN_BYTES, True)]
)
def test_it_is_given_back_where_it_has_become_much(monkeypatch, back, grown, given):
    given_back = threading.Event()
    monkeypatch.setattr(memory, "held_bytes", lambda: back._held + grown)
    monkeypatch.setattr(back, "give_back", given_back.set)
    back.look()
    assert given_back.wait(5.0 if given else 0.2) == given


def test_after_it_was_given_back_the_count_begins_anew(back):
    back._held = 0.0
    back.give_back()
    assert back._held == pytest.approx(held_bytes(), rel=0.2)
