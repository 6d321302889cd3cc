"""A capacity test: from full to the first empty cell at a steady current, counted in ampere-hours.

Only the cell that ended it is measured; the others hold at least as much, and near the end of the
curve their voltages say how much more.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from nipper.core.chemistry import chemistry
from nipper.core.chemistry.cell import cell_resistance_ohm
from nipper.core.logs.model import Log
from nipper.core.setup import Setup

if TYPE_CHECKING:
    from nipper.core.logs.charges import Charge

KIND = "capacity-test"  # of bench events
RECHARGED = 0.02  # of capacity put back in between: more is no test any more
MISSED = 0.02  # of the time without a sample: more and the count is not one
STEEP_MV_PER_PCT = 3.0  # below this slope the voltage does not say what is left: common practice
USUAL_RATE = 0.2  # C: at which labels count, common practice


class CapacityResult(BaseModel):
    """One capacity test as the bench keeps it."""

    model_config = ConfigDict(frozen=True, extra="ignore", allow_inf_nan=False, defer_build=True)

    ah: float = Field(gt=0, le=100_000)
    wh: float | None = None
    amps: float | None = Field(default=None, ge=0)
    hours: float | None = Field(default=None, ge=0)
    cell: int | None = Field(default=None, ge=1, le=200)  # which ended it
    end_v: float | None = Field(default=None, gt=0, le=100)
    temp_c: float | None = None
    left_ah: tuple[float | None, ...] = Field(default=(), max_length=200)  # by cell, at the end
    complete: bool = True  # a cell was empty; otherwise it holds at least this
    label_ah: float = Field(gt=0)

    @property
    def share_pct(self) -> float:
        """Of the label, %."""
        return 100.0 * self.ah / self.label_ah


@dataclass(frozen=True, slots=True)
class CapacityPlan:
    """How a test goes for this pack: what current, how long, to where, and how much energy."""

    amps: float
    hours: float
    end_v: float
    pack_end_v: float
    kwh: float


def plan(setup: Setup, amps: float | None = None) -> CapacityPlan:
    """At a current, A; left out, 0.2C, less where a sheet or a trip is below it."""
    over = setup.protection.discharge_over_current
    limits = [USUAL_RATE * setup.capacity_ah, setup.sheet_discharge_a, 0.8 * over.trip_a if over
              else None]  # fmt: skip
    most = min(v for v in limits if v)
    chosen = min(amps, most) if amps else most
    hours = setup.capacity_ah / chosen
    end_v = ended_at_v(setup)
    volts = setup.cells * chemistry(setup.chemistry).nominal_v
    return CapacityPlan(chosen, hours, end_v, setup.cells * end_v, 1e-3 * volts * setup.capacity_ah)


def ended_at_v(setup: Setup) -> float:
    """The cell voltage at which a test ends, V: the 0 % reference, never below the low alarm's or
    the trip's.
    """
    low = setup.protection.cell_under_voltage
    known = (setup.protection.soc_empty_v, low.alarm_v, low.trip_v + 0.05)
    return max(v for v in known if v)


def capacity_tests(
    log: Log, setup: Setup, charges: "Sequence[Charge]"
) -> list[tuple[float, CapacityResult]]:
    """The capacity tests of a log, oldest first: when each ended, Unix seconds, and its result.

    ``charges`` are its full charges. A test is a discharge from one of them in which a cell reached
    the end, without more than 2 % put back, and without gaps.
    """
    out: list[tuple[float, CapacityResult]] = []
    for i, charge in enumerate(charges):
        until = charges[i + 1].start if i + 1 < len(charges) else log.rows
        found = _test(log, setup, charge, until)
        if found is not None:
            out.append(found)
    return out


def _test(
    log: Log, setup: Setup, charge: "Charge", until: int
) -> tuple[float, CapacityResult] | None:
    rows = np.arange(charge.stop, until)
    if rows.size < 10:
        return None
    lowest = np.nanmin(np.where(np.isfinite(log.cell_v[rows]), log.cell_v[rows], 9.0), axis=1)
    below = np.flatnonzero(lowest <= ended_at_v(setup))
    if not below.size:
        return None
    rows = rows[: int(below[0]) + 1]
    counted = log.charge_ah[rows]
    back_ah = float(np.maximum(np.diff(counted), 0.0).sum())
    steps = log.steps_s[rows][1:]
    span_s = float(log.time_s[rows[-1]] - log.time_s[rows[0]])
    if back_ah > RECHARGED * setup.capacity_ah or span_s <= 0:
        return None
    if span_s - float(steps.sum()) > MISSED * span_s:
        return None
    ah = float(counted[0] - counted[-1])
    drawing = log.current_a[rows] < -0.01 * setup.capacity_ah
    if ah <= 0 or not drawing.any():
        return None
    end = int(rows[-1])
    volts = np.asarray(log.cell_v[end], float)
    cell = int(np.nanargmin(volts))
    power = -log.current_a[rows][1:] * log.pack_v[rows][1:] * steps / 3600.0
    temps = log.temp_c[rows]
    return float(log.time_s[end]), CapacityResult(
        ah=round(ah, 3),
        wh=round(float(np.nansum(power)), 1),
        amps=round(-float(np.nanmedian(log.current_a[rows][drawing])), 2),
        hours=round(float((log.steps_s[rows] * drawing).sum()) / 3600.0, 3),
        cell=cell + 1,
        end_v=round(float(volts[cell]), 4),
        temp_c=round(float(np.median(temps[np.isfinite(temps)])), 1)
        if np.isfinite(temps).any()
        else None,
        left_ah=tuple(_left_ah(setup, volts, -float(log.current_a[end]))),
        label_ah=setup.capacity_ah,
    )


def _left_ah(
    setup: Setup, volts: "np.ndarray[tuple[int], np.dtype[np.float64]]", amps: float
) -> list[float | None]:
    """What each cell still holds above the emptiest, Ah; None where the curve is too flat to
    tell.
    """
    curve = chemistry(setup.chemistry).curve
    left = curve.soc(volts + amps * cell_resistance_ohm(setup))
    steep = curve.slope(left) > STEEP_MV_PER_PCT
    base = float(np.nanmin(left))
    return [
        round(float((s - base) * setup.capacity_ah / 100.0), 2) if np.isfinite(s) and ok else None
        for s, ok in zip(left, steep, strict=True)
    ]


def parse_result(note: str) -> CapacityResult | None:
    """The result in an event's note; None where there is none to be read."""
    try:
        return CapacityResult.model_validate_json(note)
    except ValidationError:
        return None


def kept(
    events: Iterable[tuple[float, int | None, str, str]], pack: int
) -> list[tuple[float, CapacityResult]]:
    """A pack's tests, oldest first, from events (time_s, pack, kind, note)."""
    found = [
        (at, parse_result(note)) for at, of, kind, note in events if kind == KIND and of == pack
    ]
    known = [(at, result) for at, result in found if result is not None]
    return sorted(known, key=lambda pair: pair[0])
