"""Capacity of each cell against the median: what it has left at the low end, less what it missed at the top.

A cell that is level at the top and empty first holds less; one that is as far down at the top as at the bottom was never levelled.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from nipper.core.chemistry import chemistry
from nipper.core.imbalance.offsets import Offsets, Prior, low_offsets_at
from nipper.core.logs.charges import Charge
from nipper.core.logs.model import Log
from nipper.core.setup import Setup

Floats = NDArray[np.floating]

MOST_DISCHARGES = 6
CAPACITY_SPREAD = 0.015  # of capacity: cells of one batch (common practice)
OPEN_SHARE = 0.008  # of capacity: an offset at the top less sure than this is helped by the low end
LOW_PCT = 16.0  # a discharge tells when its lowest cell comes below the rest voltage of this charge


@dataclass(frozen=True, eq=False, slots=True)
class Capacities:
    """Capacity of each cell less the median one's, float64[cells] Ah, and its standard deviation; NaN where no discharge tells."""

    deficit_ah: Floats  # + = holds more
    sd_ah: Floats
    low_offset_ah: Floats  # charge left against the median at the low end
    low_sd_ah: Floats
    discharges: int


def capacities(
    log: Log, setup: Setup, full: Sequence[Charge], tops: Sequence[Offsets], prior: Prior
) -> Capacities:
    """Weighted mean over the deepest discharges that follow a full charge."""
    nothing = np.full(log.cells, np.nan)
    low_v = float(chemistry(setup.chemistry).curve.ocv(LOW_PCT))
    found = []
    for i, (charge, top) in enumerate(zip(full, tops, strict=True)):
        until = full[i + 1].stop if i + 1 < len(full) else log.rows
        rows = np.arange(charge.stop, until)
        if rows.size < 10 or not np.isfinite(top.offset_ah).any():
            continue
        rows = rows[: int(np.argmin(log.charge_ah[rows])) + 1]
        freed_v = (
            np.nanmin(log.cell_v[rows[-60:]], initial=9.0)
            - float(np.nanmin(log.current_a[rows[-60:]], initial=0.0)) * prior.herd_ohm
        )
        if rows.size >= 10 and freed_v < low_v:
            found.append((freed_v, rows, top))
    lows = []
    for _, rows, top in sorted(found, key=lambda f: f[0])[:MOST_DISCHARGES]:
        low = low_offsets_at(log, setup, rows, prior)
        if np.isfinite(low.offset_ah).any():
            lows.append(
                (
                    low.offset_ah - top.offset_ah,
                    np.hypot(low.sd_ah, top.sd_ah),
                    low.offset_ah,
                    low.sd_ah,
                )
            )
    if not lows:
        return Capacities(nothing, nothing, nothing, nothing, 0)
    value, sd, low, low_sd = (np.array(x) for x in zip(*lows, strict=True))
    weight = 1.0 / sd**2
    mean = np.sum(weight * value, axis=0) / weight.sum(axis=0)
    mean_sd = np.sqrt(1.0 / weight.sum(axis=0) * (1.0 if len(lows) == 1 else 2.0))
    return Capacities(
        mean - np.nanmedian(mean),
        mean_sd,
        np.nanmedian(low, axis=0),
        np.nanmedian(low_sd, axis=0),
        len(lows),
    )


def with_low_end(
    tops: list[Offsets], held: Capacities, capacity_ah: float
) -> tuple[list[Offsets], Capacities]:
    """Where the top leaves a cell's offset open, let the low end help: cells of one batch hold about alike.

    A charge that one full cell ends early leaves the herd on the flat, and how far it was from full is a guess; the discharge that
    follows ends at the herd's own knee. Both readings are weighed by their uncertainty, the low one's widened by the spread of capacity.
    """
    if not held.discharges or not tops:
        return tops, held
    low, low_sd = held.low_offset_ah, np.hypot(held.low_sd_ah, CAPACITY_SPREAD * capacity_ah)
    out = []
    for top in tops:
        with np.errstate(invalid="ignore"):
            open_ = (top.sd_ah > OPEN_SHARE * capacity_ah) & np.isfinite(low)
            share = low_sd**-2 / (low_sd**-2 + top.sd_ah**-2)
        offset = np.where(open_, top.offset_ah + share * (low - top.offset_ah), top.offset_ah)
        sd = np.where(open_, np.sqrt(1.0 / (low_sd**-2 + top.sd_ah**-2)), top.sd_ah)
        ends = [
            np.where(open_, offset + z * sd, end)
            for z, end in ((-1.645, top.low_ah), (1.645, top.high_ah))
        ]
        out.append(Offsets(top.time_s, offset, sd, *ends))
    moved = np.nanmedian(
        [o.offset_ah - t.offset_ah for o, t in zip(out, tops, strict=True)], axis=0
    )
    return out, replace(held, deficit_ah=held.deficit_ah - np.nan_to_num(moved))
