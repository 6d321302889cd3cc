"""The rows of a charge or a discharge as they were read: what a walk along the curve is made of."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nipper.core.chemistry import chemistry
from nipper.core.imbalance.herd import Counted, learn
from nipper.core.imbalance.shifts import ALIKE, SCALES, Prior, Walk
from nipper.core.logs.model import Log, nanmedian
from nipper.core.setup import Setup

Floats = NDArray[np.floating]
Flags = NDArray[np.bool_]

SLOW_S, SLOW_PART = 600.0, 0.35  # how late, and how much of a long drop
SLOW_KNOWN_S = 3600.0  # what flowed before that is forgotten
IDLE_RATE, IDLE_S = 0.003, 1800.0  # of capacity an hour: meters' offsets are of that size
LEAST_ROWS = 4
MOST_ROWS = 600  # more only repeat each other
SLOPED_ROWS = 90
# above the foot of the knee, at the last rows: 70 mV above the flat, and readings are seldom wrong
# by as much (from memory)
STANDS_V, LAST_ROWS = 0.050, 5
KNEE_SHARE = 0.5  # of the herd's rise, between two rows


@dataclass(frozen=True, eq=False, slots=True)
class Read:
    """The rows of a walk as they were read, whatever the surface's lead is.

    ``time_s`` float64[rows]; ``cell_v`` float64[rows, cells]; ``current_a`` as cells feel it,
    ``slow_a`` its slow part and ``counted_ah`` float64[rows]; ``telling`` are the rows that tell of
    charge, and ``seen`` says which cells were read there, bool[cells]: the others stand at the
    herd's voltage. ``uncounted_ah`` is what may have flowed unseen while the herd rose most,
    ``late_ah`` float64[rows] what more flowed until each row, had the current fallen only at the
    end of the interval in which it fell most, ``flowing`` the telling rows at which a current did.
    """

    time_s: Floats
    cell_v: Floats
    herd_v: Floats
    current_a: Floats
    slow_a: Floats
    counted_ah: Floats
    telling: NDArray[np.intp]
    seen: Flags
    interval_s: float
    scales: Floats
    uncounted_ah: float
    late_ah: Floats
    flowing: int

    def walk(
        self, setup: Setup, prior: Prior, bottom: Counted | None = None, late: float = 0.0
    ) -> Walk:
        """The walk, with the surface as far ahead as it is said to be, and this share of
        ``late_ah`` flowed.
        """
        counted = self.counted_ah + late * self.late_ah + prior.lead_h * self.slow_a
        curve = learn(self.herd_v, counted, self.current_a, setup, prior.herd_ohm, bottom)
        return Walk(
            cell_v=self.cell_v[self.telling],
            current_a=self.current_a[self.telling],
            counted_ah=counted[self.telling],
            curve=curve,
            interval_s=self.interval_s,
            uncounted_ah=self.uncounted_ah,
            pivot_ah=float(counted.max()),
            scales=self.scales,
            seen=self.seen,
            standing=self._standing(setup, prior, down=bottom is not None),
        )

    def _standing(self, setup: Setup, prior: Prior, down: bool) -> Flags:
        """Which cells end a charge on LFP's knee, bool[cells]."""
        last = self.telling[-LAST_ROWS:]
        freed_v = self.cell_v[last] - prior.herd_ohm * self.current_a[last, None]
        high = np.median(freed_v, axis=0) > chemistry(setup.chemistry).knee_v + STANDS_V
        return high & (setup.flat and not down)


def read_rows(
    log: Log,
    rows: NDArray[np.intp],
    prior: Prior,
    steep: Callable[[Floats, Floats], Flags] | None,
) -> Read | None:
    """Read so many rows; ``steep`` says which tell of charge, from the cells' voltages and the
    herd's, freed of the current's drop.
    """
    rows = rows[2 * np.isfinite(log.cell_v[rows]).sum(axis=1) > log.cells]
    if rows.size < LEAST_ROWS:
        return None
    # each row's current taken as that of the interval before it: in a taper a trapezoid would count
    # too much (tried on slow logs)
    span = slice(rows[0], rows[-1] + 1)
    flow = np.nan_to_num(log.current_a[span]) * log.steps_s[span]
    amps = np.nan_to_num(log.current_a[span])
    slow = _slow_current(log, span)
    current = ((1.0 - SLOW_PART) * amps + SLOW_PART * slow)[rows - rows[0]]
    cell_v = log.cell_v[rows].astype(float)
    herd_v = nanmedian(cell_v.T)
    gaps = np.isnan(cell_v)
    np.copyto(cell_v, herd_v[:, None], where=gaps)
    if steep is None:
        telling = _along(np.abs(flow)[rows - rows[0]])
    else:
        drop_v = current[:, None] * (prior.herd_ohm + np.append(prior.excess_ohm, 0.0))
        telling = np.flatnonzero(steep(cell_v - drop_v[:, :-1], herd_v - drop_v[:, -1]))
        telling = telling[:: max(1, telling.size // MOST_ROWS)]
    # a cell that is silent here must not keep the others from being told
    seen = 2 * gaps[telling].sum(axis=0) <= telling.size
    telling = telling[~gaps[telling][:, seen].any(axis=1)]
    if telling.size < LEAST_ROWS:
        return None
    near, rest_v = slice(max(0, int(telling[0]) - 1), None), herd_v - current * prior.herd_ohm
    return Read(
        time_s=log.time_s[rows],
        cell_v=cell_v,
        herd_v=herd_v,
        current_a=current,
        slow_a=slow[rows - rows[0]],
        counted_ah=(np.cumsum(flow) / 3600.0)[rows - rows[0]],
        telling=telling,
        seen=seen,
        interval_s=log.interval_s,
        scales=ALIKE if steep else SCALES,
        uncounted_ah=_uncounted_ah(log, rows[near], rest_v[near]) if steep else 0.0,
        late_ah=_late_ah(log, rows, near.start),
        flowing=int(np.count_nonzero(flow[rows[telling] - rows[0]])),
    )


def _uncounted_ah(log: Log, rows: NDArray[np.intp], rest_v: Floats) -> float:
    """What may have flowed besides what is counted where the herd rises over its knee between two
    rows: when its current ended nothing tells, half of it either way.
    """
    most = int(np.argmax(np.diff(rest_v)))
    if rest_v[most + 1] - rest_v[most] < KNEE_SHARE * np.ptp(rest_v):
        return 0.0
    before_a, after_a = np.nan_to_num(log.current_a[rows[most : most + 2]])
    return 0.5 * abs(float(after_a - before_a)) * float(log.steps_s[rows[most + 1]]) / 3600.0


def _late_ah(log: Log, rows: NDArray[np.intp], first: int) -> Floats:
    """What more flowed until each row, had the current fallen only at the end of the interval after
    ``first`` in which it fell most; nothing where rows are means, which hide no charge.
    """
    if log.averaged_s:
        return np.zeros(rows.size)
    amps = np.nan_to_num(log.current_a[rows])
    fell_ah = np.maximum(0.0, -np.diff(amps, prepend=amps[0])) * log.steps_s[rows] / 3600.0
    fell_ah[: first + 1] = 0.0
    most = int(np.argmax(fell_ah))
    return np.where(np.arange(amps.size) >= most, fell_ah[most], 0.0)


def unseen_ah(log: Log, rows: slice, way: float) -> float:
    """What would have flowed in the hours of these rows that were not written, at the currents to
    either side of each gap: charged (``way`` 1) or drawn (-1).
    """
    dt_s = np.diff(log.time_s[rows])
    amps = way * np.nan_to_num(log.current_a[rows])
    mean_a = np.maximum(0.5 * (amps[1:] + amps[:-1]), 0.0)
    return float(np.sum(mean_a * dt_s * (log.steps_s[rows][1:] == 0.0))) / 3600.0


def _along(flow: Floats) -> NDArray[np.intp]:
    """Rows evenly over time and over the charge that went through: of a pack that mostly stands
    still those in which it is used would hardly be looked at.
    """
    time = np.linspace(0.0, 1.0, flow.size)
    through = np.cumsum(flow) / max(float(flow.sum()), 1e-9)
    return np.unique(
        np.searchsorted(time + through, np.linspace(0.0, 2.0, SLOPED_ROWS)).clip(0, flow.size - 1)
    )


def _slow_current(log: Log, span: slice) -> Floats:
    """The current of these rows as slowly as charge spreads inside a cell, a first-order lag of
    SLOW_S (of the order pulse tables show, from memory); what flowed before them counts too.

    A cell's drop follows part of it at once and part of it so: in a taper the difference is large.
    """
    since = np.searchsorted(log.time_s, log.time_s[span.start] - SLOW_KNOWN_S)
    past = slice(min(int(since), span.start), span.stop)
    slow = _lagging(np.nan_to_num(log.current_a[past]), log.steps_s[past])
    return slow[span.start - past.start :]


def _lagging(amps: Floats, steps_s: Floats) -> Floats:
    age = np.cumsum(steps_s) / SLOW_S
    slow, value = np.empty_like(amps), float(amps[0])
    # in blocks: the exponential of more than some hundreds would overflow
    for block in np.split(np.arange(amps.size), np.flatnonzero(np.diff(np.floor(age / 200.0))) + 1):
        since = age[block] - (age[block[0]] - steps_s[block[0]] / SLOW_S)
        gained = (1.0 - np.exp(-steps_s[block] / SLOW_S)) * amps[block] * np.exp(since)
        slow[block] = np.exp(-since) * (value + np.cumsum(gained))
        value = float(slow[block[-1]])
    return slow


def busy(log: Log, setup: Setup, rows: NDArray[np.intp]) -> NDArray[np.intp]:
    """Without the rows of a pack that has long lain idle, held at a voltage or cut off: hours of no
    current repeat one reading, and what a meter is off by would be counted as charge meanwhile. On
    a sloped curve that is a millivolt, and a rest tells charge best.
    """
    if not setup.flat:
        return rows
    idle = np.abs(np.nan_to_num(log.current_a[rows])) < IDLE_RATE * setup.capacity_ah
    busy_s = np.maximum.accumulate(np.where(idle, -np.inf, log.time_s[rows]))
    return rows[~(idle & (log.time_s[rows] - busy_s > IDLE_S))]
