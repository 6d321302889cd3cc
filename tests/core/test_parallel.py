"""Two at a time."""

import threading

import pytest

from nipper.core.parallel import AT_ONCE, side_by_side


def test_what_is_made_comes_in_the_order_of_the_items():
    first_may_end = threading.Event()

    def make(number):
        if number == 0:
            assert first_may_end.wait(10)
        first_may_end.set()
        return -number

    assert list(side_by_side(make, range(5))) == [0, -1, -2, -3, -4]


def test_an_error_is_raised_at_its_turn_and_nothing_is_left_running():
    def make(number):
        if number == 1:
            raise ZeroDivisionError
        return number

    made = side_by_side(make, range(4))
    assert next(made) == 0
    with pytest.raises(ZeroDivisionError):
        next(made)
    assert not any("ThreadPool" in each.name for each in threading.enumerate())


def test_who_stops_asking_waits_for_what_was_begun_only():
    begun = []
    go_on = threading.Event()

    def make(number):
        begun.append(number)
        if number:
            assert go_on.wait(10)
        return number

    made = side_by_side(make, range(100))
    assert next(made) == 0
    threading.Timer(0.1, go_on.set).start()
    made.close()
    assert len(begun) <= 1 + AT_ONCE
