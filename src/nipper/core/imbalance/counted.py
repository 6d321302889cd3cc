"""Does the charge that a log counts belong to these cells?

Voltages tell how far the median cell went where its curve is steep: at rest all along a sloped one,
from full to the low knee on LFP. A current of another scale counts another way.
"""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from nipper.core.chemistry import chemistry
from nipper.core.chemistry.cell import cell_resistance_ohm
from nipper.core.imbalance.estimate import Estimate
from nipper.core.imbalance.offsets import LONG_FACTOR
from nipper.core.logs.amount import STRONG_RATE
from nipper.core.logs.charges import IDLE_RATE
from nipper.core.logs.drawn import moved_ah, unseen_stretches
from nipper.core.logs.guess import capacity_by_percentage
from nipper.core.logs.model import Floats, Log, nanmedian
from nipper.core.setup import Setup

ONE_WAY = 0.5  # of all that went through, in one stretch without a gap: no meter is so far off
SELDOM = 0.02  # of the time in which a current flows
REST_S, DAY_S = 1200.0, 86400.0
MOST_RESTS = 300  # looked at
LEAST_WAY_PCT, LEAST_WAYS = 20.0, 3
MOST_ROWS = 500  # of a discharge
KNEE_PCT = 8.0  # of charge: LFP falls steeply there
MOST_COUNTED = 1.5  # times what the curve, or the BMS's percentage, tells
LEAST_COUNTED = 0.65  # below: cells of two thirds of what they are said to hold are no usual ones
HARDLY = 0.05
HIGH_PCT, LOW_PCT, LEAST_TURNS, MOST_LOOKED_AT = 90.0, 50.0, 2, 50_000
LEAST_GONE = (HIGH_PCT - LOW_PCT) / 100.0
LEAST_VAGUE = 0.4  # half of the least that any of them shows
VAGUE_V = 0.03  # of a voltage under load, freed of the resistance's share: slow polarisation
# times the resistance by the sheet, or of ordinary cells of that capacity: beyond, a scale is
# likelier (0.65 to 1.83 on 164 lives; old cells and bare contacts may have some times more)
LEAST_OHM, MOST_OHM = 0.2, 5.0


def one_way_ah(log: Log, setup: Setup) -> float:
    """What went into the cells, or out of them, in the stretch without a gap in which most did and
    hardly any came back, Ah; 0 where none did.

    Strong currents alone are counted, for a meter's offset adds up over weeks of float; and none
    is meant where a weak one, of a night's standby, often flows the other way.
    """
    starts = np.flatnonzero(log.steps_s == 0.0) if log.rows else np.empty(0, np.intp)
    if not starts.size:
        return 0.0
    amps = np.nan_to_num(log.current_a)
    strong = np.abs(amps) > STRONG_RATE * setup.capacity_ah
    flow = np.where(strong, amps * log.steps_s, 0.0) / 3600.0
    counted, through = np.cumsum(flow), np.cumsum(np.abs(flow))
    ends = np.r_[starts[1:], log.rows] - 1
    net, all_ = counted[ends] - counted[starts], through[ends] - through[starts]
    net = np.where(np.abs(net) > ONE_WAY * all_, net, 0.0)
    most_ah = float(net[np.argmax(np.abs(net))])
    flows_s = np.where(np.abs(amps) > IDLE_RATE * setup.capacity_ah, log.steps_s, 0.0)
    back_s = float(flows_s[amps * most_ah < 0.0].sum())
    return most_ah if back_s < SELDOM * float(flows_s.sum()) else 0.0


def counted_share(log: Log, setup: Setup, known: Estimate) -> float | None:
    """How much of the charge that the median cell went through by its voltage the log counts, 1
    where the settings' capacity and the log's current are right; None where no voltage tells.
    """
    ways = _to_the_knee if setup.flat else _between_rests
    found = list(ways(log, setup, known))
    return float(np.median(found)) if found else None


def _herd_v(log: Log, rows: NDArray[np.intp]) -> Floats:
    return nanmedian(log.cell_v[rows].T).astype(float)


def _between_rests(log: Log, setup: Setup, known: Estimate) -> Iterator[float]:
    """Of each rest the way to that one of the next day which is furthest from it."""
    idle = np.abs(np.nan_to_num(log.current_a, nan=np.inf)) < IDLE_RATE * setup.capacity_ah
    busy_s = np.maximum.accumulate(np.where(idle, -np.inf, log.time_s))
    rested_s = log.time_s - busy_s
    rows = np.flatnonzero(idle & (rested_s > REST_S) & np.isfinite(rested_s))
    rows = rows[:: max(1, rows.size // MOST_RESTS)]
    herd_v = _herd_v(log, rows)
    rows, herd_v = rows[np.isfinite(herd_v)], herd_v[np.isfinite(herd_v)]
    soc_pct = chemistry(setup.chemistry).curve.soc(herd_v)
    counted, unseen = moved_ah(log, setup)[rows], unseen_stretches(log)[rows]
    ways: list[float] = []
    for i, row in enumerate(rows):
        near = (log.time_s[rows] - log.time_s[row] < DAY_S) & (unseen == unseen[i])
        later = np.flatnonzero(near)
        later = later[later > i]
        if later.size:
            j = int(later[np.argmax(np.abs(soc_pct[later] - soc_pct[i]))])
            went_pct = float(soc_pct[j] - soc_pct[i])
            if abs(went_pct) > LEAST_WAY_PCT:
                ways.append(100.0 * float(counted[j] - counted[i]) / went_pct / setup.capacity_ah)
    yield from ways if len(ways) >= LEAST_WAYS else []


def _to_the_knee(log: Log, setup: Setup, known: Estimate) -> Iterator[float]:
    """Of each discharge from a full charge on, down to where the median cell is at its low knee."""
    ohm = known.resistances.herd_ohm
    ohm = LONG_FACTOR * ohm if ohm > 0 else 2.0 * cell_resistance_ohm(setup)
    low_v = float(chemistry(setup.chemistry).curve.ocv(KNEE_PCT))
    counted, unseen, full = moved_ah(log, setup), unseen_stretches(log), known.full
    ends = [*(c.start for c in full[1:]), log.rows]
    for charge, until in zip(full, ends, strict=False):  # one end more where there is none
        rows = np.arange(charge.stop, until, max(1, (until - charge.stop) // MOST_ROWS))
        if not rows.size or charge.ended_by == "trip":
            continue
        freed = _herd_v(log, rows) - np.nan_to_num(log.current_a[rows]) * ohm
        at = np.flatnonzero(freed < low_v)
        if at.size and unseen[rows[0]] == unseen[rows[at[0]]]:
            went_ah = float(counted[rows[0]] - counted[rows[at[0]]])
            yield 100.0 * went_ah / (100.0 - KNEE_PCT) / setup.capacity_ah


def counted_at_most(log: Log, setup: Setup, known: Estimate) -> float | None:
    """How much the log counts of the least that the median cell must have gone, between nearly full
    and half by its voltage freed of the resistance's share; None where it did not.

    Too vague for a scale (0.77 to 1.6 on 180 logs that were counted rightly), and enough to tell a
    clock whose minutes are hours, or a tenth of the current.
    """
    ohm = known.resistances.herd_ohm
    rows = np.arange(0, log.rows, max(1, log.rows // MOST_LOOKED_AT))
    if not ohm > 0.0:
        return None
    freed = _herd_v(log, rows) - log.current_a[rows] * LONG_FACTOR * ohm
    curve = chemistry(setup.chemistry).curve
    high = freed > float(curve.ocv(HIGH_PCT)) + VAGUE_V
    low = freed < float(curve.ocv(LOW_PCT)) - VAGUE_V
    rows, high = rows[high | low], high[high | low]
    turns = np.flatnonzero(high[1:] != high[:-1])
    counted, unseen = moved_ah(log, setup)[rows], unseen_stretches(log)[rows]
    turns = turns[unseen[turns + 1] == unseen[turns]]
    least_ah = LEAST_GONE * setup.capacity_ah
    shares = np.abs(counted[turns + 1] - counted[turns]) / least_ah
    return float(np.median(shares)) if shares.size >= LEAST_TURNS else None


def told_scale(log: Log, known: Estimate, setup: Setup, share: float | None) -> list[str]:
    """What speaks for a current of another scale, and may be the cells or the BMS as well.
    ``share`` is that of :func:`counted_share`.
    """
    out = _told_percentage(log, setup)
    at_most = counted_at_most(log, setup, known) if share is None else None
    if share is not None and share < HARDLY:
        out.append(
            "By their voltages the cells were charged and discharged, and the log counts hardly "
            "any charge: its current is missing for long, or of another unit, or its clock runs "
            "too fast."
        )
    elif share is not None and share < LEAST_COUNTED:
        out.append(
            f"By their voltages the cells went through {1.0 / share:.1f} times the charge that the "
            f"log counts: they hold about {share * setup.capacity_ah:.0f} Ah, or the scale of the "
            "current is wrong, or the capacity of the settings. Until that is known every size in "
            "ampere-hours is doubtful."
        )
    elif at_most is not None and at_most < LEAST_VAGUE:
        out.append(
            "By their voltages the cells went from nearly full to below half and back, and the log "
            f"counts {100.0 * at_most * LEAST_GONE:.0f} % of their capacity for it: the unit or "
            "the scale of its current is wrong, its clock runs too fast, or the capacity of the "
            "settings is too large. Until that is known every size in ampere-hours is doubtful."
        )
    times = known.to_25_c * known.resistances.herd_ohm / cell_resistance_ohm(setup)
    if not LEAST_OHM <= times <= MOST_OHM and np.isfinite(times):
        out.append(
            f"The median cell shows {1e3 * known.resistances.herd_ohm:.2f} mΩ, {times:.2g} times "
            "what a cell of this capacity has: the unit or the scale of the log's current may be "
            "wrong, or the capacity of the settings. Measure a current with a clamp meter and "
            "compare."
        )
    return out


def _told_percentage(log: Log, setup: Setup) -> list[str]:
    by_bms_ah = capacity_by_percentage(log)
    if by_bms_ah is None or LEAST_COUNTED <= by_bms_ah / setup.capacity_ah <= MOST_COUNTED:
        return []
    return [
        f"The log counts {by_bms_ah:.0f} Ah while its own percentage goes from empty to full, and "
        f"the settings say {setup.capacity_ah:g} Ah: the BMS counts with another capacity, or the "
        "scale of the log's current is wrong. Look at the capacity that is typed into the BMS."
    ]
