"""What a BMS would tell while a day of a log goes by, a minute a second; without a log, what it
tells at rest.
"""

from collections.abc import Mapping

import numpy as np

from nipper.core.link.expect import told_values
from nipper.core.logs.model import Log
from nipper.core.setup import Setup

SPEED = 60.0
DAY_S = 86400.0


class Replay:
    """Quantities at a moment of the bus, from a day of a log; it begins anew at its end.

    ``from_s``: where that day begins; left out, it is the last one.
    """

    def __init__(self, setup: Setup, log: Log | None, from_s: float | None = None) -> None:
        self._still = told_values(setup)
        self._packs = float(setup.packs_in_parallel)
        self._cells = setup.cells
        self._log = _part(log, from_s) if log is not None and log.rows > 1 else None

    def __call__(self, now_s: float) -> Mapping[str, float]:
        """What the battery knows now."""
        log = self._log
        if log is None:
            return self._still
        return self._still | self._measured(log, self._row(log, now_s))

    def cells(self, now_s: float) -> tuple[float, ...]:
        """Every cell's voltage at a moment, V; alike where there is no log."""
        log = self._log
        if log is None:
            return (self._still["pack_v"] / self._cells,) * self._cells
        return tuple(float(v) for v in log.cell_v[self._row(log, now_s)])

    @staticmethod
    def _row(log: Log, now_s: float) -> int:
        span_s = float(log.time_s[-1] - log.time_s[0])
        at_s = float(log.time_s[0]) + (now_s * SPEED) % max(span_s, 1.0)
        return int(np.searchsorted(log.time_s, at_s, side="right")) - 1

    def _measured(self, log: Log, row: int) -> dict[str, float]:
        cells = log.cell_v[row]
        found = {
            "pack_v": float(log.pack_v[row]),
            "current_a": self._packs * float(log.current_a[row]),
            "highest_cell_v": float(np.nanmax(cells)) if np.isfinite(cells).any() else np.nan,
            "lowest_cell_v": float(np.nanmin(cells)) if np.isfinite(cells).any() else np.nan,
        }
        if log.soc_pct is not None:
            found["soc_pct"] = float(log.soc_pct[row])
        temps = log.temp_c[row]
        if np.isfinite(temps).any():
            found["temperature_c"] = float(np.nanmin(temps))
        return {name: round(value, 3) for name, value in found.items() if np.isfinite(value)}


def _part(log: Log, from_s: float | None) -> Log:
    """A day of it: from that moment on, or the last one."""
    begin = log.time_s[-1] - DAY_S if from_s is None else from_s
    found = log.select((log.time_s >= begin) & (log.time_s <= begin + DAY_S))
    return found if found.rows > 1 else log
