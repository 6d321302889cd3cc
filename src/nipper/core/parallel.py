"""Work on several things at once, where it lets other threads run: packing, and the simulator.

Many small arrays do not: judging the charges of a log by two threads took longer than by one.
"""

import os
import threading
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

MOST = 4  # each holds its own share of the memory

Item = TypeVar("Item")
Made = TypeVar("Made")


def at_once() -> int:
    """How many. Off the main thread a window lives there, and one processor is left to it: with
    none its loop stood still for a third longer.
    """
    kept = 0 if threading.current_thread() is threading.main_thread() else 1
    return max(1, min(MOST, (os.cpu_count() or 1) - kept))


def side_by_side(
    make: Callable[[Item], Made], items: Iterable[Item], take: Callable[[Made], object]
) -> None:
    """Make something of each item, several at once.

    ``take`` is called with each, in their order and by the caller's thread. What it raises, or the
    making of one at its turn, ends the work: what was not begun is not begun.
    """
    pool = ThreadPoolExecutor(at_once())
    try:
        for made in pool.map(make, items):
            take(made)
    finally:
        pool.shutdown(cancel_futures=True)
