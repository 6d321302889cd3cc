"""One danger, and for how long a log shows it."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nipper.core.imbalance.snapshot import FEW_ROWS
from nipper.core.logs.model import Log

LEAST_ROWS = 3  # what is less is a bus that stumbles
MOST_STEP_S = 900.0  # a row stands for no more than that
HOUR_S, DAY_S = 3600.0, 86400.0

# the worst first: what can burn now, what must not be charged again, what harms with every day
KINDS = (
    *("high_cell", "too_hot", "low_cell", "charged_cold", "misread", "above_sheet"),
    *("over_current", "below_sheet"),
)
STOPS_ALL, ONLY_TOLD = KINDS[:3], ("over_current", "below_sheet")
PAST_S = 30 * DAY_S  # before the log's end


@dataclass(frozen=True, slots=True)
class Spell:
    """For how long in all something was so, s, and how long before the log's end it was last."""

    lasted_s: float
    ago_s: float

    @property
    def words(self) -> str:
        """As a part of a sentence."""
        if not self.lasted_s:
            return "in one reading"
        last = f"last {_long(self.ago_s)} before its end" if self.ago_s else "to its end"
        return f"for {_long(self.lasted_s)} of this log, {last}"


@dataclass(frozen=True, slots=True)
class Danger:
    """What is wrong (one of :data:`KINDS`), of which cells (indices; none where it is of the pack),
    the worst reading of it with its unit, the bound it passed, and what to do, first things first;
    of a temperature which sensor told it (index).
    """

    kind: str
    cells: tuple[int, ...]
    worst: float
    bound: float
    unit: str
    spell: Spell
    summary: str
    actions: tuple[str, ...]
    sensor: int = -1

    @property
    def rank(self) -> int:
        """Its place among others."""
        return KINDS.index(self.kind)

    @property
    def grave(self) -> bool:
        """Whether no pack is healthy with it: a load above its trip, and a cell that dips below
        its sheet under one, are told, and its cells may be well.
        """
        return self.kind not in ONLY_TOLD

    @property
    def pressing(self) -> bool:
        """Whether it is of these days: what is long past is told, and no alarm any more. A cell
        that is read soundly again is guarded again.
        """
        return self.grave and self.spell.ago_s < (DAY_S if self.kind == "misread" else PAST_S)

    @property
    def stops_all(self) -> bool:
        """Whether nothing else is done at the pack before it is settled."""
        return self.pressing and self.kind in STOPS_ALL

    def to_json(self) -> dict[str, object]:
        """What the headless answer says of it."""
        return {
            "kind": self.kind,
            "cells": [cell + 1 for cell in self.cells],
            "worst": round(self.worst, 3),
            "bound": self.bound,
            "unit": self.unit,
            "hours": round(self.spell.lasted_s / HOUR_S, 2),
            "summary": self.summary,
            "actions": list(self.actions),
        }


def spell(log: Log, rows: NDArray[np.intp], least_s: float) -> Spell | None:
    """How long rows (indices) stand in all, each to the next of the log; None where that is too
    little to be more than a slip. Of a few rows read by hand each counts.
    """
    if not rows.size:
        return None
    steps_s = np.diff(log.time_s, append=log.time_s[-1])[rows]
    lasted_s = float(np.minimum(steps_s, MOST_STEP_S).sum())
    if log.rows > FEW_ROWS and (rows.size < LEAST_ROWS or lasted_s < least_s):
        return None
    return Spell(lasted_s, float(log.time_s[-1] - log.time_s[rows[-1]]))


def together(spells: list[Spell]) -> Spell:
    """The longest and the latest of several."""
    return Spell(max(s.lasted_s for s in spells), min(s.ago_s for s in spells))


def reaching(table: NDArray[np.floating], way: int, bound: float) -> list[int]:
    """Columns with any reading beyond a bound, upwards (1) or downwards (-1). Most logs have none,
    and a month of seconds is looked at in a few hundredths of a second.
    """
    beyond = np.greater if way > 0 else np.less
    with np.errstate(invalid="ignore"):
        return [i for i in range(table.shape[1]) if beyond(table[:, i], bound).any()]


def jumped(values: NDArray[np.floating], most: float) -> NDArray[np.bool_]:
    """Where a reading is away and back in one row, by more than anything does."""
    out = np.zeros(values.size, bool)
    steps = np.abs(np.diff(values)) > most
    out[1:-1] = steps[:-1] & steps[1:]
    return out


def _long(seconds: float) -> str:
    minutes, hours, days = seconds / 60.0, seconds / HOUR_S, seconds / DAY_S
    if hours < 2.0:
        return f"{max(1.0, minutes):.0f} min"
    return f"{hours:.0f} h" if days < 4.0 else f"{days:.0f} days"
