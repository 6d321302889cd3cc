"""How much fuller or emptier each cell is than the herd, read from one full charge.

On charge every cell walks the same curve; a cell that holds less charge is simply later on it. So the herd's own median cell is
the curve: voltage, freed of the current's drop, against charge counted. Where a cell stands on that curve, less where the herd
stands at that moment, is its offset. Steep stretches say much and flat ones little, and they are weighted so. Only where a cell
is above all the herd ever reached does the chemistry's slope help out.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nipper.core.chemistry import chemistry
from nipper.core.logs.charges import Charge, cell_resistance_ohm
from nipper.core.logs.model import Log
from nipper.core.setup import Setup

Floats = NDArray[np.float64]

READING_SD_V = 0.0012  # one reading of one cell: 1 mV steps and the noise usual meters have (common practice)
MODEL_SD_V = 0.0040  # what resistance and diffusion leave uncertain at the knee, however many readings are averaged
CELL_MODEL_SHARE = 0.12  # of the offset itself: the taper is not the bulk, and two cells' curves are not quite the same
LEAST_ROWS = 4
MOST_ROWS = 2000


@dataclass(frozen=True, eq=False, slots=True)
class Offsets:
    """Charge of each cell against the median cell at one full charge.

    Parameters
    ----------
    time_s : when (end of the charge), Unix seconds
    offset_ah : float64[cells], + = fuller; NaN where it cannot be told
    sd_ah : float64[cells], one standard deviation
    """

    time_s: float
    offset_ah: Floats
    sd_ah: Floats


def offsets_at(log: Log, setup: Setup, charge: Charge, resistance_ohm: Floats | None = None) -> Offsets:
    """Offsets of all cells from one charge.

    Parameters
    ----------
    log, setup, charge : the charge must have reached the knee
    resistance_ohm : float64[cells], what each cell's voltage is freed of; the setup's for all where not given
    """
    resistance = np.full(log.cells, cell_resistance_ohm(setup)) if resistance_ohm is None else resistance_ohm
    time_s = float(log.time_s[charge.top])
    walk = _Walk.of(log, setup, charge)
    if walk is None:
        nothing = np.full(log.cells, np.nan)
        return Offsets(time_s, nothing, nothing)
    shift, weight, slope = walk.shifts(resistance)
    total = weight.sum(axis=0)
    with np.errstate(invalid="ignore", divide="ignore"):
        offset = np.sum(weight * shift, axis=0) / total
        effective = total**2 / np.sum(weight**2, axis=0)
        slope_rms = np.sqrt(np.sum(weight * slope**2, axis=0) / total)
        offset = np.where(np.count_nonzero(weight, axis=0) >= LEAST_ROWS, offset, np.nan)
        offset -= np.nanmedian(offset)
        sd = np.sqrt(READING_SD_V**2 / effective + MODEL_SD_V**2) / slope_rms
    return Offsets(time_s, offset, np.hypot(sd, CELL_MODEL_SHARE * np.abs(offset)))


def charge_resistance_ohm(log: Log, setup: Setup, charges: Sequence[Charge], excess_ohm: Floats) -> Floats:
    """Resistance that frees the cells' voltages best on these charges, float64[cells].

    The current's drop at the knee holds slow parts that no step of current shows. With the right value a cell's offset comes out
    alike under full current and in the taper; so the value with the least disagreement is taken, by a search over multiples of
    the setup's. ``excess_ohm`` is each cell's own part above the herd (NaN counts as none).
    """
    own = np.nan_to_num(excess_ohm)
    base = cell_resistance_ohm(setup)
    picked = [charges[i] for i in np.unique(np.linspace(0, len(charges) - 1, 8).astype(int))] if charges else []
    walks = [walk for walk in (_Walk.of(log, setup, charge) for charge in picked) if walk]
    if not walks:
        return base + own
    multiples = np.geomspace(0.4, 4.0, 13)
    misfit = [float(np.median([walk.misfit(base * m + own) for walk in walks])) for m in multiples]
    return base * float(multiples[int(np.argmin(misfit))]) + own


@dataclass(frozen=True, eq=False, slots=True)
class _Walk:
    """The part of a charge that walks the curve: cell voltages [rows, cells], current and counted charge [rows]."""

    cell_v: Floats
    current_a: Floats
    counted_ah: Floats
    knee_v: float
    beyond: Callable[[float], float]  # V per Ah above the herd's highest, from the chemistry

    @classmethod
    def of(cls, log: Log, setup: Setup, charge: Charge) -> "_Walk | None":
        if charge.absorption is None:
            return None
        rows = np.arange(charge.start, charge.stop)
        current = np.nan_to_num(log.current_a[rows])
        counted = np.cumsum(current * log.steps_s[rows]) / 3600.0
        keep = np.isfinite(log.cell_v[rows]).all(axis=1) & (current > -0.01 * setup.capacity_ah)
        if keep.sum() < LEAST_ROWS:
            return None
        kept = np.flatnonzero(keep)
        kept = kept[:: max(1, kept.size // MOST_ROWS)]  # more rows than this only repeat each other
        chem = chemistry(setup.chemistry)
        per_ah = 100.0 / setup.capacity_ah * 1e-3

        def beyond(volts: float) -> float:
            return float(chem.curve.slope_at_voltage(min(volts, chem.max_v))) * per_ah

        return cls(log.cell_v[rows[kept]].astype(float), current[kept], counted[kept], chem.knee_v, beyond)

    def shifts(self, resistance_ohm: Floats) -> tuple[Floats, Floats, Floats]:
        """Shift of each reading along the herd's curve (Ah), its weight, and the slope there (V per Ah): [rows, cells] each."""
        freed = self.cell_v - self.current_a[:, None] * resistance_ohm
        herd = np.median(freed, axis=1)
        curve = _HerdCurve.of(herd, self.counted_ah)
        steep = herd > min(self.knee_v - 0.03, curve.top_v - 0.02)
        v = freed[steep]
        at = np.interp(v, curve.v, curve.ah)
        slope = np.interp(v, curve.v, curve.slope)
        beyond = self.beyond(curve.top_v)
        above = v > curve.top_v
        at = np.where(above, curve.ah[-1] + (v - curve.top_v) / beyond, at)
        slope = np.where(above, beyond, slope)
        weight = np.where(v >= curve.v[0], slope**2, 0.0)
        return at - self.counted_ah[steep][:, None], weight, slope

    def misfit(self, resistance_ohm: Floats) -> float:
        """Mean square of what the readings disagree among themselves, V2."""
        shift, weight, _ = self.shifts(resistance_ohm)
        total = weight.sum(axis=0)
        if not np.all(total > 0):
            return float("inf")
        mean = np.sum(weight * shift, axis=0) / total
        return float(np.median(np.sum(weight * (shift - mean) ** 2, axis=0) / shift.shape[0]))


@dataclass(frozen=True, eq=False, slots=True)
class _HerdCurve:
    """The herd's voltage against charge counted, made monotone: voltage v_at knots, charge ah_at knots, V per Ah between."""

    v: Floats
    ah: Floats
    slope: Floats

    @classmethod
    def of(cls, herd: Floats, counted: Floats) -> "_HerdCurve":
        order = np.argsort(counted, kind="stable")
        ah, v = counted[order], np.maximum.accumulate(_median5(herd[order]))
        # thin to steps of a millivolt: below that the curve is noise
        keep = np.r_[True, np.floor(v[1:] / 1e-3) > np.floor(v[:-1] / 1e-3)]
        keep[-1] = True
        v, ah = v[keep], ah[keep]
        distinct = np.r_[True, np.diff(v) > 1e-6]
        v, ah = v[distinct], ah[distinct]
        if v.size < 3:
            return cls(np.r_[v, v[-1] + 1e-3], np.r_[ah, ah[-1] + 1e-3], np.ones(v.size + 1))
        slope = np.gradient(v, np.maximum.accumulate(ah + np.arange(ah.size) * 1e-9))
        return cls(v, ah, slope)

    @property
    def top_v(self) -> float:
        return float(self.v[-1])


def _median5(v: Floats) -> Floats:
    if v.size < 5:
        return v
    return np.median(np.lib.stride_tricks.sliding_window_view(np.pad(v, 2, mode="edge"), 5), axis=1)
