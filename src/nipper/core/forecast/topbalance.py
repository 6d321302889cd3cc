"""A top balance: how much charge is to be moved, how long the balancer or a supply takes, at which
target without a trip, how the deviation will fall, and what is to be set now and set back after.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nipper.core.chemistry import chemistry
from nipper.core.forecast.limits import volts_at_top
from nipper.core.forecast.reading import LEVEL_MV, UNDER_MAX_V
from nipper.core.setup import Setup

Floats = NDArray[np.floating]

ROOM_V = 0.02  # of the highest cell to its trip, while it is held for hours: common practice
STEP_V = 0.01  # targets that chargers take, V a cell
LONGEST_H = 24.0 * 14
STEP_H = 0.25
FINE, COARSE = 48, 100  # steps looked at in the first half day, and in all that follows
LEAST_HOLD_H = 0.5
SENSIBLE_H = 12.0  # at the top in one go: common practice; five hours are usual
FLOAT_UNDER_V = 0.02  # just under the target: the balancer goes on if the charger drops to float


@dataclass(frozen=True, slots=True)
class Line:
    """One setting of the charger: what it is now, and what it is while levelling."""

    path: str
    title: str
    before: float | None
    during: float


@dataclass(frozen=True, eq=False, slots=True)
class TopBalance:
    """The plan. ``hours`` is None where no balancer is set; ``curve`` holds hours and millivolts,
    at the target, by the balancer alone.
    """

    move_ah: float
    hours: float | None
    target_cell_v: float
    room_mv: float  # of the highest cell to its trip, at that target
    highest_cell: int
    lowest_cell: int
    lines: tuple[Line, ...]
    curve_h: Floats
    curve_mv: Floats
    below_start: bool  # the target is under the balancer's start: it would never run
    lowest_ah: float  # of the lowest cell against the median, negative
    highest_ah: float

    @property
    def by_hand_first(self) -> bool:
        """Whether the balancer alone would hold the cells at the top for too long."""
        return self.hours is None or self.hours > SENSIBLE_H


def plan(offset_ah: Floats, setup: Setup, stop_mv: float = LEVEL_MV) -> TopBalance | None:
    """The plan for cells that differ by that much; None without two cells that are known.

    Parameters
    ----------
    offset_ah : float64[cells], charge of each cell against any common reference
    stop_mv : the deviation at which one stops
    """
    if not np.isfinite(offset_ah).all() or offset_ah.size < 2:
        return None
    offset_ah = offset_ah - np.median(offset_ah)
    target_v, room_v = highest_target(offset_ah, setup)
    curve_h, curve_mv = _curve(offset_ah, setup, target_v, stop_mv)
    leveller = setup.leveller
    reached = curve_mv[-1] <= stop_mv if curve_mv.size else False
    hours = float(curve_h[-1]) if leveller is not None and reached else None
    return TopBalance(
        float(np.max(offset_ah) - np.min(offset_ah)),
        hours,
        target_v,
        1e3 * room_v,
        int(np.argmax(offset_ah)) + 1,
        int(np.argmin(offset_ah)) + 1,
        _lines(setup, target_v, hours),
        curve_h,
        curve_mv,
        leveller is not None and target_v < leveller.start_v,
        float(np.min(offset_ah)),
        float(np.max(offset_ah)),
    )


def highest_target(offset_ah: Floats, setup: Setup) -> tuple[float, float]:
    """The highest target at which no cell comes near its trip, V a cell, and the room left, V.

    Never above the sheet's highest less a margin. Where even the usual absorption would trip, the
    lowest that is asked for is the knee: less does not level.
    """
    chem = chemistry(setup.chemistry)
    top_v = min(chem.max_v, setup.cell.max_v or chem.max_v) - UNDER_MAX_V
    asked = np.arange(top_v, chem.knee_v, -STEP_V)
    found = chem.knee_v, _room_v(offset_ah, setup, chem.knee_v)
    for target_v in asked.tolist():
        room_v = _room_v(offset_ah, setup, target_v)
        if room_v >= ROOM_V:
            found = target_v, room_v
            break
    return round(found[0], 3), found[1]


def _room_v(offset_ah: Floats, setup: Setup, target_v: float) -> float:
    volts = volts_at_top(offset_ah[None, :], setup, target_v * setup.cells)[0]
    return setup.protection.cell_over_voltage.trip_v - float(volts.max())


def states(offset_ah: Floats, setup: Setup) -> Floats:
    """Charge of each cell as the balancer works, every quarter of an hour, float64[steps, cells].

    A passive one bleeds the highest, as many at once as it can, never below the lowest; an active
    one moves from the highest to the lowest. As the simulator's balancer does.
    """
    leveller = setup.leveller
    if leveller is None:
        return offset_ah[None, :]
    moved = leveller.current_a * STEP_H
    now, out = offset_ah.astype(float), [offset_ah.astype(float)]
    for _ in range(int(LONGEST_H / STEP_H)):
        now = now.copy()
        lowest = now.min()
        if leveller.kind == "active":
            high, low = int(now.argmax()), int(now.argmin())
            part = min(moved, 0.5 * (now[high] - now[low]))
            now[high] -= part
            now[low] += part
        else:
            highest = np.argsort(now)[-leveller.bled_at_once :]
            now[highest] = np.maximum(now[highest] - moved, lowest)
        out.append(now)
    return np.array(out)


def _curve(
    offset_ah: Floats, setup: Setup, target_v: float, stop_mv: float
) -> tuple[Floats, Floats]:
    if setup.leveller is None:
        return np.empty(0), np.empty(0)
    found = states(offset_ah, setup)
    # every quarter of an hour at first, then fewer: the window waits for this
    looked = np.unique(np.r_[0:FINE, np.linspace(FINE, len(found) - 1, COARSE).astype(int)])
    found = found[looked]
    volts = volts_at_top(found, setup, target_v * setup.cells)
    deviation_mv = 1e3 * (volts.max(axis=1) - volts.min(axis=1))
    level = np.flatnonzero(deviation_mv <= stop_mv)
    end = int(level[0]) + 1 if level.size else len(found)
    return STEP_H * looked[:end], deviation_mv[:end]


def _lines(setup: Setup, target_v: float, hours: float | None) -> tuple[Line, ...]:
    charging, n = setup.charging, setup.cells
    if charging is None:
        return ()
    # what takes longer is done by hand first: cells are not kept at the top for days
    hold_min = 60.0 * min(max(LEAST_HOLD_H, hours or LEAST_HOLD_H), SENSIBLE_H)
    pack_v = round(target_v * n, 2)
    return (
        Line("charging.absorption_v", "absorption", charging.absorption_v, pack_v),
        Line(
            "charging.absorption_min",
            "absorption time",
            charging.absorption_min,
            float(min(10_080, round(hold_min + 30.0, -1))),
        ),
        Line(
            "charging.float_v",
            "float",
            charging.float_v,
            round((target_v - FLOAT_UNDER_V) * n, 2),
        ),
    )
