"""Cells that read what no such cell bears: far below its sheet, turned round, or far above it.

All other steps leave such readings out, for no charge can be told by them. But a cell that is
ruined and one whose lead is broken read alike: until a meter has told which, it is the cell.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nipper.core.chemistry import chemistry
from nipper.core.imbalance.causes_base import names
from nipper.core.imbalance.snapshot import FEW_ROWS
from nipper.core.logs.model import Log, nanmedian
from nipper.core.setup import Setup

LEAST_ROWS, LEAST_S = 3, 60.0  # in all: what is less is a bus that stumbles
MOST_STEP_S = 900.0  # a row stands for no more than that
JUMP_V = 0.5  # away and back in one row: no cell does that
SHEET_V = 0.1  # above the sheet's highest, where a sheet allows more than is usual
MOST_MORE_V, LEAST_SHARE = 0.3, 0.75  # what a sheet may allow beyond its kind (from memory)
SOUND_V = 0.3  # so near the others the pack's voltage speaks for a sound cell (from memory)
LOOKED_AT = 500  # rows, in which the pack's voltage is asked
HOUR_S, DAY_S = 3600.0, 86400.0


READING = (
    "If the meter shows another voltage, the sense lead or the BMS is at fault: then no limit "
    "guards this cell until that is mended."
)


@dataclass(frozen=True, slots=True)
class Danger:
    """Cells (indices) beyond what such cells bear, on one side.

    ``worst_v`` is the worst reading of any, ``bound_v`` what they went beyond, ``lasted_s`` for how
    long the longest of them did, ``ago_s`` how long before the log's end one did last. ``pack_v``
    is what the pack's voltage leaves for a single one, where that speaks for a sound cell.
    """

    cells: tuple[int, ...]
    kind: str
    worst_v: float
    bound_v: float
    lasted_s: float
    ago_s: float
    pack_v: float | None = None

    @property
    def above(self) -> bool:
        """Whether they read too much, not too little."""
        return self.worst_v > self.bound_v

    @property
    def summary(self) -> str:
        """What is to be done first."""
        return f"{names(list(self.cells))} read {self.worst_v:.2f} V: stop charging, and measure."

    @property
    def actions(self) -> tuple[str, ...]:
        """What was seen, and what to do about it, in its order."""
        pack = () if self.pack_v is None else (self._pack(self.pack_v),)
        return (self._seen(), self._high() if self.above else self._low(), READING, *pack)

    def _seen(self) -> str:
        bound_v = f"{self.bound_v:.1f}"
        seen = f"Above {bound_v} V" if self.above else f"Below {bound_v} V"
        if self.lasted_s:
            last = f"last {_long(self.ago_s)} before its end" if self.ago_s else "to its end"
            seen = f"{seen} for {_long(self.lasted_s)} of this log, {last}"
        return (
            f"{seen}. Stop charging first, then measure with a meter at the cell's own terminals."
        )

    def _low(self) -> str:
        return (
            "If the meter agrees, never charge it again, whatever it comes back to: a cell of "
            f"{self.kind} below {self.bound_v:.1f} V is harmed inside, and may short and burn once "
            "it is charged. Its maker's sheet says what is to be done with it."
        )

    def _high(self) -> str:
        return (
            "If the meter agrees, let nothing charge and nobody stay beside it: a cell of "
            f"{self.kind} above {self.bound_v:.1f} V may vent and burn. Where it is warm, swollen "
            "or smells, leave it and call for help; else a small load brings it down. Ask its "
            "maker before it is used again."
        )

    def _pack(self, volts: float) -> str:
        return (
            f"The pack's own voltage leaves {volts:.2f} V for it, which speaks for a wrong "
            "reading; the meter decides."
        )

    def to_json(self) -> dict[str, object]:
        """What the headless answer says of it."""
        return {
            "cells": [cell + 1 for cell in self.cells],
            "worst_v": round(self.worst_v, 3),
            "bound_v": self.bound_v,
            "hours": round(self.lasted_s / HOUR_S, 2),
            "summary": self.summary,
            "actions": list(self.actions),
        }


def _long(seconds: float) -> str:
    minutes, hours, days = seconds / 60.0, seconds / HOUR_S, seconds / DAY_S
    if hours < 2.0:
        return f"{max(1.0, minutes):.0f} min"
    return f"{hours:.0f} h" if days < 4.0 else f"{days:.0f} days"


def bears_v(setup: Setup) -> tuple[float, float]:
    """Between which voltages such cells are unharmed: the chemistry's, or the sheet's where that
    allows more and is no slip.
    """
    chem, sheet = chemistry(setup.chemistry), setup.cell
    low_v, high_v = chem.bears_v
    if sheet.min_v is not None:
        low_v = min(low_v, max(sheet.min_v, LEAST_SHARE * low_v))
    if sheet.max_v is not None:
        high_v = max(high_v, min(sheet.max_v, chem.max_v + MOST_MORE_V) + SHEET_V)
    return low_v, high_v


def dangers(log: Log, setup: Setup) -> tuple[Danger, ...]:
    """Cells that read what none bears, the low ones first; of a log with all its readings."""
    if not log.rows:
        return ()
    low_v, high_v = bears_v(setup)
    with np.errstate(invalid="ignore"):
        low = np.flatnonzero(np.fmin.reduce(log.cell_v, axis=0) < low_v)
        high = np.flatnonzero(np.fmax.reduce(log.cell_v, axis=0) > high_v)
    found = [_danger(log, setup, low, low_v, -1), _danger(log, setup, high, high_v, 1)]
    return tuple(danger for danger in found if danger)


def _danger(
    log: Log, setup: Setup, cells: NDArray[np.intp], bound_v: float, way: int
) -> Danger | None:
    """Those of the cells that were beyond it for long enough; ``way`` is 1 upwards, else -1."""
    rows_of = {int(i): rows for i in cells if (rows := _beyond(log, int(i), bound_v, way)).size}
    lasted = {i: _lasted_s(log, rows) for i, rows in rows_of.items()}
    long = [i for i in rows_of if _counts(log, rows_of[i], lasted[i])]
    if not long:
        return None
    worst_v = [float(way * np.max(way * log.cell_v[rows_of[i], i])) for i in long]
    return Danger(
        cells=tuple(long),
        kind=chemistry(setup.chemistry).title,
        worst_v=way * max(way * v for v in worst_v),
        bound_v=bound_v,
        lasted_s=max(lasted[i] for i in long),
        ago_s=float(min(_ago_s(log, i, rows_of[i]) for i in long)),
        pack_v=_pack_leaves_v(log, long[0], rows_of[long[0]]) if len(long) == 1 else None,
    )


def _beyond(log: Log, cell: int, bound_v: float, way: int) -> NDArray[np.intp]:
    """Rows in which a cell is beyond a bound, and did not only jump there for one row."""
    own_v = log.cell_v[:, cell]
    read = np.flatnonzero(np.isfinite(own_v))
    own_v = own_v[read]
    out = way * own_v > way * bound_v
    jumps = np.abs(np.diff(own_v)) > JUMP_V
    out[1:-1] &= ~(jumps[:-1] & jumps[1:])
    return read[out]


def _lasted_s(log: Log, rows: NDArray[np.intp]) -> float:
    """For how long rows stand, each to the next of the log."""
    after_s = log.time_s[np.minimum(rows + 1, log.rows - 1)] - log.time_s[rows]
    return float(np.minimum(after_s, MOST_STEP_S).sum())


def _counts(log: Log, rows: NDArray[np.intp], lasted_s: float) -> bool:
    few = log.rows <= FEW_ROWS  # read by hand: each counts
    return few or (rows.size >= LEAST_ROWS and lasted_s >= LEAST_S)


def _ago_s(log: Log, cell: int, rows: NDArray[np.intp]) -> float:
    """How long before its last reading a cell was beyond, s; 0 where that is one."""
    last = np.flatnonzero(np.isfinite(log.cell_v[:, cell]))[-1]
    return 0.0 if rows[-1] == last else float(log.time_s[-1] - log.time_s[rows[-1]])


def _pack_leaves_v(log: Log, cell: int, rows: NDArray[np.intp]) -> float | None:
    """What the pack's voltage leaves for a cell, V, where that is as much as the others have; None
    where it does not, or cannot tell.
    """
    rows = rows[:: max(1, rows.size // LOOKED_AT)]
    others_v = np.delete(log.cell_v[rows], cell, axis=1).astype(float)
    left_v = float(nanmedian((log.pack_v[rows] - others_v.sum(axis=1))[:, None])[0])
    sound_v = float(nanmedian(others_v.reshape(-1, 1))[0])
    off_v = abs(float(np.median(log.cell_v[rows, cell])) - sound_v)
    return left_v if abs(left_v - sound_v) < SOUND_V and off_v > 2 * SOUND_V else None
