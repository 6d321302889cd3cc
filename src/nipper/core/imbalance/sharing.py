"""Packs in parallel: does each carry its share, and if not, which way to the bus has how many
milliohms more.

All packs meet at one bus: v_p + I_p R_p is the same for all, v_p being the voltage at the pack's
own terminals, as its BMS reads it, and R_p its leads, fuse and joints to the bus. So the difference
of two pack voltages against the current is the difference of the two ways; whatever the cells do is
in the voltages already. The share of the current tells of the whole loop, cells included.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nipper.core.logs.model import Log, solved
from nipper.core.setup import Setup

Floats = NDArray[np.floating]

STRONG_RATE = (
    0.05  # of capacity per hour and pack: below it circulating currents and meters hide the share
)
LEAST_ROWS = 60
UNEQUAL = 0.10  # of a fair share: packs differ by some per cent (common practice)
LEAST_MOHM = 0.3
GAIN_SHARE, GAIN_MOHM = 0.02, 0.004  # of a way: two meters' gains differ (common practice)
MOST_APART_S = 90.0  # rows of two packs further apart in time are not compared


@dataclass(frozen=True, eq=False, slots=True)
class Sharing:
    """How packs share the current.

    Parameters
    ----------
    share : float64[packs], of the whole current, while it is strong; sums to 1
    share_sd : float64[packs]
    way_mohm : float64[packs], of each pack's way to the bus against the mean of all, mohm
    way_sd_mohm : float64[packs]
    rows : how many moments were looked at
    """

    share: Floats
    share_sd: Floats
    way_mohm: Floats
    way_sd_mohm: Floats
    rows: int

    @property
    def fair(self) -> float:
        """What each should carry."""
        return 1.0 / self.share.size

    @property
    def unequal(self) -> list[int]:
        """Packs (from 0) whose share is off by more than a tenth of a fair one, and beyond
        doubt.
        """
        off = np.abs(self.share - self.fair)
        return np.flatnonzero((off > UNEQUAL * self.fair) & (off > 3.0 * self.share_sd)).tolist()

    @property
    def guilty(self) -> int | None:
        """The pack (from 0) whose way to the bus has the most resistance beyond doubt; None when no
        way stands out.
        """
        worst = int(np.argmax(self.way_mohm))
        return (
            worst if self.way_mohm[worst] > max(LEAST_MOHM, 3.0 * self.way_sd_mohm[worst]) else None
        )


def sharing(logs: Sequence[Log], setup: Setup) -> Sharing | None:
    """Compare logs of packs in parallel at the same moments; None when there are too few of them
    with a strong current.
    """
    if len(logs) < 2:
        return None
    base, *others = logs
    rows = [np.arange(base.rows)]
    near = np.ones(base.rows, bool)
    for log in others:
        at = np.clip(np.searchsorted(log.time_s, base.time_s), 1, log.rows - 1)
        at -= (base.time_s - log.time_s[at - 1]) < (log.time_s[at] - base.time_s)
        near &= np.abs(log.time_s[at] - base.time_s) <= min(
            MOST_APART_S, 0.6 * max(log.interval_s, base.interval_s)
        )
        rows.append(at)
    amps = np.column_stack([log.current_a[r] for log, r in zip(logs, rows, strict=True)])
    volts = np.column_stack([log.pack_v[r] for log, r in zip(logs, rows, strict=True)])
    total = amps.sum(axis=1)
    use = (
        near
        & np.isfinite(amps).all(axis=1)
        & np.isfinite(volts).all(axis=1)
        & (np.abs(total) > len(logs) * STRONG_RATE * setup.capacity_ah)
    )
    if use.sum() < LEAST_ROWS:
        return None
    amps, volts, total = amps[use], volts[use], total[use]
    independent = min(float(use.sum()), 200.0)  # what differs lasts for hours
    share = (amps * total[:, None]).sum(axis=0) / np.sum(total**2)
    share_sd = np.std(amps / total[:, None], axis=0) / np.sqrt(independent)
    way, way_sd = _ways(amps, volts)
    return Sharing(share, share_sd, way, way_sd, int(use.sum()))


def _ways(amps: Floats, volts: Floats) -> tuple[Floats, Floats]:
    """Each pack's way against the mean of all, mohm, and its standard deviation.

    Least squares over all packs together: v_p - mean v = c_p - (I_p R_p - mean I R), c_p being the
    meters' constants. The mean of all R hardly shows in differences: it is held near zero.
    """
    rows, packs = amps.shape
    y = (volts - volts.mean(axis=1, keepdims=True)).T.ravel()
    x = np.zeros((packs * rows, 2 * packs))
    for p in range(packs):
        part = slice(p * rows, (p + 1) * rows)
        x[part, p] = 1.0
        x[part, packs:] = amps / packs
        x[part, packs + p] -= amps[:, p]
    weak = 1e-6 * np.trace(x.T @ x) / (2 * packs)
    gram = x.T @ x + weak * np.eye(2 * packs)
    beta = solved(gram, x.T @ y)
    residual = (y - x @ beta).reshape(packs, rows)
    ohm = beta[packs:]
    sd = np.empty(packs)
    for p in range(packs):
        spread = float(np.std(amps[:, p])) * (1.0 - 1.0 / packs)
        sd[p] = np.std(residual[p]) / max(spread, 1e-9) / np.sqrt(_independent(residual[p]))
    own = 1e3 * (ohm - ohm.mean())
    return own, np.hypot(1e3 * sd, GAIN_SHARE * np.abs(own)) + GAIN_MOHM


def _independent(residual: Floats) -> float:
    """How many readings count: what a fit leaves lasts for hours, and neighbours repeat each
    other.
    """
    still = residual - residual.mean()
    alike = float(still[1:] @ still[:-1] / max(float(still @ still), 1e-30))
    alike = min(max(alike, 0.0), 0.999)
    return max(4.0, residual.size * (1.0 - alike) / (1.0 + alike))
