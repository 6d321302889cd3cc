"""Two at a time."""

import os
import threading

import pytest

from nipper.core.errors import Cancelled
from nipper.core.parallel import MOST, at_once, side_by_side


def test_what_is_made_comes_in_the_order_of_the_items():
    first_may_end = threading.Event()
    made = []

    def make(number):
        if number == 0:
            assert first_may_end.wait(10) or at_once() == 1
        first_may_end.set()
        return -number

    side_by_side(make, range(5), made.append)
    assert made == [0, -1, -2, -3, -4]


def test_an_error_is_raised_at_its_turn_and_nothing_is_left_running():
    made = []

    def make(number):
        if number == 1:
            raise ZeroDivisionError
        return number

    with pytest.raises(ZeroDivisionError):
        side_by_side(make, range(4), made.append)
    assert made == [0]
    assert not any("ThreadPool" in each.name for each in threading.enumerate())


def test_who_stops_asking_waits_for_what_was_begun_only():
    """A cancelled job: its work was once ended by the collector, in a thread of its own."""
    begun, go_on = [], threading.Event()

    def make(number):
        begun.append(number)
        assert number == 0 or go_on.wait(10)

    def stop(_):
        threading.Timer(0.1, go_on.set).start()
        raise Cancelled("stopped")

    with pytest.raises(Cancelled):
        side_by_side(make, range(100), stop)
    assert len(begun) <= 1 + at_once()


def test_a_window_keeps_a_processor():
    found = []
    off = threading.Thread(target=lambda: found.append(at_once()))
    off.start()
    off.join()
    assert found == [max(1, min(MOST, (os.cpu_count() or 1) - 1))]
    assert at_once() == min(MOST, os.cpu_count() or 1)
