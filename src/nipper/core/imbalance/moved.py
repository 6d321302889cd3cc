"""Charge that was moved by hand after a log told how the cells stood: nothing is moved twice."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Annotated

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from nipper.core.errors import RangeError
from nipper.core.imbalance.drift import Drift
from nipper.core.imbalance.states import LEVELLED
from nipper.core.logs import builds
from nipper.core.logs.looked import LogEnd

KIND = "charge-moved"  # of bench events
MOST_AH, MOST_CELLS = 10_000.0, 200
ENOUGH = 2  # full charges since: on a sloped curve one does not tell the old state from the new one


class Moved(BaseModel):
    """Charge put into a cell (from 1), or taken out of it (below 0)."""

    model_config = ConfigDict(frozen=True, extra="ignore", defer_build=True)

    cell: Annotated[int, Field(ge=1, le=MOST_CELLS)]
    ah: Annotated[float, Field(ge=-MOST_AH, le=MOST_AH, allow_inf_nan=False)]
    log_s: LogEnd = None

    @property
    def words(self) -> str:
        """What was done, in words."""
        if self.ah < 0:
            return f"cell {self.cell} bled of {-self.ah:g} Ah"
        return f"cell {self.cell} fed with {self.ah:g} Ah"


@dataclass(frozen=True, slots=True)
class Since:
    """What was moved since: into which cells (from 1, Ah), and whether all were levelled then."""

    cells: tuple[Moved, ...]
    levelled: bool

    def is_done(self, cell: int) -> bool:
        """Whether that cell (from 1) stands otherwise than the log tells."""
        return self.levelled or any(one.cell == cell for one in self.cells)

    @property
    def sentence(self) -> str:
        """What it means for what the log tells."""
        done = "; ".join(one.words for one in self.cells) or "all cells levelled"
        return (
            f"Charge fully twice, then read the log: since its full charges {done}. What was moved "
            "is not moved again before."
        )

    def now(self, drift: Drift) -> Drift:
        """The same, its offsets as the cells stand now; the lines stay as they were read."""
        shift_ah = -np.nan_to_num(drift.last_ah) if self.levelled else np.zeros_like(drift.last_ah)
        for one in self.cells:
            if one.cell <= shift_ah.size:
                shift_ah[one.cell - 1] += one.ah
        after_ah = drift.last_ah + shift_ah
        shift_ah -= np.nanmedian(after_ah) if np.isfinite(after_ah).any() else 0.0
        return replace(
            drift,
            offset_ah=drift.offset_ah + shift_ah,
            low_ah=drift.low_ah + shift_ah,
            high_ah=drift.high_ah + shift_ah,
        )


def moved(cell: int, ah: float | None, fed: bool) -> Moved:
    """Charge as typed; :class:`RangeError` where none can be meant."""
    if ah is None or not 0.0 < ah <= MOST_AH:
        raise RangeError("How many ampere-hours went in, or came out? More than 0 Ah.")
    return Moved(cell=cell, ah=ah if fed else -ah)


def parse(note: str) -> Moved | None:
    """What was moved, from an event's note; None where it cannot be read."""
    try:
        return Moved.model_validate_json(note)
    except ValidationError:
        return None


def since(
    events: Sequence[tuple[float, int | None, str, str]], pack: int, told_s: Sequence[float]
) -> Since | None:
    """What was moved in a pack and is not yet told by enough full charges; None where nothing was.

    Parameters
    ----------
    events : time_s, pack, kind, note
    told_s : when its log begins, and when it told how the cells stand, Unix s, oldest first
    """
    known_s = told_s[-min(ENOUGH, len(told_s))]
    counted_s = max((at for at, _ in builds.kept(events, pack)), default=-np.inf)
    mine = sorted(event for event in events if event[1] == pack)
    levelled_s = max((at for at, _, kind, _ in mine if kind == LEVELLED), default=-np.inf)
    cells = tuple(
        one
        for at, _, kind, note in mine
        if kind == KIND and at > max(levelled_s, counted_s) and (one := parse(note)) is not None
        if (at if one.log_s is None else one.log_s) > known_s
    )
    levelled = levelled_s > known_s
    return Since(cells, levelled) if cells or levelled else None
