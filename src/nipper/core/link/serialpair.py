"""Two serial ports of this machine, joined end to end: what is written to one is read at the other.

Pseudo-terminals, so that the same drivers work that would drive an adapter; a bit rate means
nothing to them.
"""

import os
import select
import threading
import tty
from contextlib import suppress

CHUNK = 4096
WAIT_S = 0.2


class SerialPair:
    """``near`` and ``far`` are the paths of the two ports."""

    def __init__(self) -> None:
        self._ends = [os.openpty(), os.openpty()]
        for master, slave in self._ends:
            tty.setraw(master)
            tty.setraw(slave)
        self.near, self.far = (os.ttyname(slave) for _, slave in self._ends)
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._carry, name="serial pair", daemon=True)
        self._thread.start()

    def _carry(self) -> None:
        (one, _), (other, _) = self._ends
        across = {one: other, other: one}
        while not self._stop.is_set():
            ready, _, _ = select.select(list(across), [], [], WAIT_S)
            for end in ready:
                with suppress(OSError):
                    os.write(across[end], os.read(end, CHUNK))

    def close(self) -> None:
        """Part the ports."""
        self._stop.set()
        self._thread.join(timeout=2.0)
        for pair in self._ends:
            for end in pair:
                with suppress(OSError):
                    os.close(end)
