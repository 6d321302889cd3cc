"""Work on several things at once: NumPy lets other threads run while it computes."""

from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

AT_ONCE = 2  # the window wants a processor too

Item = TypeVar("Item")
Made = TypeVar("Made")


def side_by_side(make: Callable[[Item], Made], items: Iterable[Item]) -> Iterator[Made]:
    """What is made of each item, in their order. What one of them raises is raised here, at its
    turn; what was not begun when nobody asks any more is not begun.
    """
    with ThreadPoolExecutor(AT_ONCE) as pool:
        yield from pool.map(make, items)
