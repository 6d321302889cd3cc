"""How much fuller or emptier each cell is than the herd, read from one full charge.

On charge every cell walks the same curve; a cell that holds less charge is simply later on it. So
the herd's median cell *is* the curve: its voltage against charge counted. For each cell the shift
along that curve is sought that explains its readings best:

    v_cell(t) = h(q(t) + s) + R (I(t) - I_h(q(t) + s)) + r I(t) + noise

h and I_h are the herd's voltage and current when it had counted that charge, R the resistance of
the long charge (the current may have been another when the herd was there), r what the cell has
above the herd. R and r are nuisances with a prior each, from the steps of current in the log, and
are integrated out in closed form; s is searched on a grid, so that the flat part of the curve,
where anything fits, comes out as a wide interval and not as a wrong number. Steep stretches decide
by themselves.

Where a cell is above all the herd ever reached, the chemistry's curve helps out, from each charge
the herd may have had there (:mod:`herd`): how far it was from full is then a part of the answer.

A shift that explains nothing, or one against what the voltages themselves say (a cell high at the
end of a charge cannot be the emptier one), is no answer: NaN.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from nipper.core.chemistry import chemistry
from nipper.core.chemistry.cell import cell_resistance_ohm
from nipper.core.imbalance.doubt import NINE_IN_TEN, Doubt
from nipper.core.imbalance.herd import Counted
from nipper.core.imbalance.resistance import Resistances
from nipper.core.imbalance.shifts import FAR_SCALES, SHIFTS_PCT, Prior, Shifts, Walk
from nipper.core.imbalance.taper import best_walk, lead_h
from nipper.core.imbalance.walked import LEAST_ROWS, Read, busy, read_rows, unseen_ah
from nipper.core.logs.charges import Charge
from nipper.core.logs.model import Log
from nipper.core.setup import Setup

Floats = NDArray[np.floating]
Flags = NDArray[np.bool_]

OWN_SHARE = 0.08  # of R: healthy cells differ by that much in resistance
# R of a long charge against a step within a minute, from pulse tables; 2 against the sheet's value
LONG_FACTOR = 1.5
STEPS_OPEN, WHOLE_OPEN = 0.5, 0.2  # of a cell's own part, by where it was read
WHOLE_SHARE = 0.15  # of R: read on the plateau, and other at the ends
SLOPED_TOP_PCT = 35.0  # of capacity below the end of the charge, where the curve has no knee
# below the herd at the low end, LFP: steps of its plateau make no more of a difference in charge
APART_V = 0.045
LEAD_CHARGES = 4  # by which how far the surface is ahead is told
HALF_PCT = 60.0  # above it cells stand apart by what parts them at the upper knee
LOW_KNEE_PCT = 14.0  # below it the curve falls steeply enough to tell charge, in all chemistries
# so much left over, a cell is not along the curve as it is read; it is, with another reading, where
# so much less is left (tried on packs of three builders: at three full charges in ten of none that
# is read rightly, but for some far behind or whose knee lies between two rows)
NOT_ALONG_V, ALONG_SHARE = 0.004, 0.6
NO_FIT_V = 0.080  # left over: no shift explains the cell
OPEN_PCT = 12.0  # of capacity: an interval this wide about nothing tells nothing
TOLD_PCT = 2.5  # of capacity: so narrow an interval tells also a cell of a herd on the flat

# tried where shifts come near their end, or capacities do: of two cells in parallel one may be off
FAR_PCT = np.array([34.0, 36.5, 39.5, 42.5, 46.0, 49.0, 52.0, 56.0])
ALL_SHIFTS_PCT = np.r_[-FAR_PCT[::-1], SHIFTS_PCT, FAR_PCT]
FAR_FROM_PCT, FAR_SCALE = 24.0, 0.66


@dataclass(frozen=True, eq=False, slots=True)
class Offsets:
    """Charge of each cell against the median cell at one full charge.

    Parameters
    ----------
    time_s : when (end of the charge), Unix seconds
    offset_ah : float64[cells], + = fuller; NaN where it cannot be told
    sd_ah : float64[cells], one standard deviation
    low_ah, high_ah : float64[cells], nine in ten lie between; lopsided where one side is flat
    herd_pct : charge of the median cell itself there, %; NaN where nothing was read
    scale, scale_sd : capacity against the median cell's, where the curve tells it (sloped ones)
    place_ah : what the meter's steps leave open of low_ah and high_ah, alike at every charge
    on_knee : whether the herd itself stood where the curve tells its charge
    doubted : bool[cells], whose reading must be wrong to be along the curve; None: not asked
    """

    time_s: float
    offset_ah: Floats
    sd_ah: Floats
    low_ah: Floats
    high_ah: Floats
    herd_pct: float = float("nan")
    scale: Floats | None = None
    scale_sd: Floats | None = None
    place_ah: float = 0.0
    on_knee: bool = False
    doubted: Flags | None = None

    @property
    def doubts(self) -> Flags:
        """Which cells are doubted."""
        return np.zeros(self.offset_ah.size, bool) if self.doubted is None else self.doubted

    def between(self, low_ah: Floats, high_ah: Floats, cells: Flags) -> "Offsets":
        """The same, for these cells, bool[cells], as far as these ends too: they are doubted."""
        cells = cells & np.isfinite(self.offset_ah) & np.isfinite(low_ah)
        low = np.where(cells, np.fmin(self.low_ah, low_ah), self.low_ah)
        high = np.where(cells, np.fmax(self.high_ah, high_ah), self.high_ah)
        sd = np.where(cells, 0.5 * (high - low) / NINE_IN_TEN, self.sd_ah)
        return replace(self, sd_ah=sd, low_ah=low, high_ah=high, doubted=cells)


def resistance_prior(setup: Setup, found: Resistances | None = None) -> Prior:
    """From steps of current: a long charge drops more than a step shows. From the setup alone where
    the log has none.
    """
    if found is None or not found.herd_ohm > 0:
        herd, own = 2.0 * cell_resistance_ohm(setup), np.zeros(setup.cells)
        return Prior(herd, own, np.full(setup.cells, OWN_SHARE * herd))
    herd = found.herd_ohm * (1.0 if found.whole else LONG_FACTOR)
    own = np.nan_to_num(found.excess_ohm)
    # the slow part of a resistive cell may be larger in proportion, or not at all: half is open
    open_share = WHOLE_OPEN if found.whole else STEPS_OPEN
    usual = WHOLE_SHARE if found.whole else OWN_SHARE
    sd = np.hypot(np.hypot(usual * herd, open_share * own), np.nan_to_num(found.sd_ohm))
    return Prior(float(herd), own, sd)


def offsets_at(log: Log, setup: Setup, charge: Charge, prior: Prior | None = None) -> Offsets:
    """Offsets of all cells from one charge.

    Parameters
    ----------
    log, setup, charge : the charge must have reached the knee, or been ended by a cell
    prior : of resistance; from the setup alone where not given
    """
    prior = prior or resistance_prior(setup)
    read = _up(log, setup, charge, prior)
    walk = read and best_walk(read, setup, prior)
    return _offsets(walk, float(log.time_s[charge.top]), setup, prior)


def low_offsets_at(
    log: Log,
    setup: Setup,
    rows: NDArray[np.intp],
    prior: Prior,
    start: Counted = Counted(100.0),  # noqa: B008 - immutable
) -> Offsets:
    """Charge left in each cell against the median at the low end of a discharge; NaN on the
    plateau.

    Parameters
    ----------
    rows : of the discharge, from the end of a charge on
    start : of the median cell at that end; a pack charged to 4.10 V a cell starts at 91 %
    """
    walk = _down(log, setup, rows, prior, start)
    return _offsets(walk, float(log.time_s[rows[-1]]), setup, prior)


def _offsets(walk: Walk | None, time_s: float, setup: Setup, prior: Prior) -> Offsets:
    if walk is None:
        nothing = np.full(prior.excess_ohm.size, np.nan)
        return Offsets(time_s, nothing, nothing, nothing, nothing)
    found = _found(walk, setup, prior)
    told = _told(walk, found, setup, time_s)
    if walk.curve.down or not setup.flat:
        return told
    return _or_read_wrongly(told, walk, found, setup, prior)


def _told(walk: Walk, found: Shifts, setup: Setup, time_s: float) -> Offsets:
    """What is told by the shifts of a walk."""
    # else no reading tells the herd's cells apart, and the herd itself is the zero
    on_knee = walk.curve.on_knee
    if on_knee:
        found = found.about(float(np.nanmedian(found.ah)))
    doubt = Doubt.of(walk, found, setup)
    low, high = doubt.ends(found)
    apart = found.apart
    wide = high - low > OPEN_PCT / 100.0 * setup.capacity_ah
    open_ = wide & (apart == 0) & (low <= 0.0) & (high >= 0.0)
    narrow = high - low < TOLD_PCT / 100.0 * setup.capacity_ah
    # at the low end a cell is surely ahead of a herd on the flat, though how far is open
    ahead = walk.curve.down & (high < 0.0)
    told = ~(open_ | (found.left_v > NO_FIT_V)) & (on_knee | (apart != 0) | narrow | ahead)
    told &= walk.seen
    sd = doubt.sd(found)
    offset, sd, low, high = (np.where(told, x, np.nan) for x in (found.ah, sd, low, high))
    scale, scale_sd = (np.where(walk.seen, x, np.nan) for x in (found.scale, found.scale_sd))
    return Offsets(
        time_s, offset, sd, low, high, found.herd_pct, scale, scale_sd, doubt.place_ah, on_knee
    )


def _or_read_wrongly(
    told: Offsets, walk: Walk, found: Shifts, setup: Setup, prior: Prior
) -> Offsets:
    """The same, open for cells below the others that do not follow the curve as they are read, and
    would if their reading were wrong by the same all along: far behind and read too high, a cell
    stands on its flat where one that is a per cent behind passes.
    """
    asked = (found.apart < 0) & (found.left_v > NOT_ALONG_V) & np.isfinite(told.offset_ah)
    if not asked.any():
        return told
    ah = setup.capacity_ah
    wrong = replace(walk, reading_free=True)
    free = wrong.best_shifts(ALL_SHIFTS_PCT / 100.0 * ah, prior, ah)
    doubted = asked & (free.left_v < ALONG_SHARE * found.left_v)
    free = found.but(doubted, free)
    read_wrongly = _told(walk, free, setup, told.time_s)
    return told.between(read_wrongly.low_ah, read_wrongly.high_ah, doubted)


def _found(walk: Walk, setup: Setup, prior: Prior) -> Shifts:
    """The best shifts, tried further out for the cells that lie there."""
    ah = setup.capacity_ah
    near = walk.best_shifts(SHIFTS_PCT / 100.0 * ah, prior, ah)
    beyond_ah = np.fmax(-near.low_ah, near.high_ah)
    far = (beyond_ah > FAR_FROM_PCT / 100.0 * ah) | (near.scale < FAR_SCALE)
    if not far.any():
        return near
    scales = walk.scales if walk.scales.size == 1 else FAR_SCALES
    wide = replace(walk, scales=scales).best_shifts(ALL_SHIFTS_PCT / 100.0 * ah, prior, ah)
    return near.but(far, wide)


def _up(log: Log, setup: Setup, charge: Charge, prior: Prior) -> Read | None:
    """The upper knee of a charge, or where its fullest cell left the others behind."""
    if charge.absorption is None:
        return None
    rows = np.arange(charge.start, charge.stop)
    chem = chemistry(setup.chemistry)

    def steep(freed: Floats, herd: Floats) -> Flags:
        top_v = float(herd.max())
        if top_v > chem.knee_v - 0.02:
            return herd > min(chem.knee_v - 0.04, top_v - 0.03)
        alone = freed.max(axis=1) > chem.knee_v - 0.04  # one cell is on its knee, the herd is not
        alone[-LEAST_ROWS:] = True
        return alone

    charging = rows[log.current_a[rows] > -0.01 * setup.capacity_ah]
    charging = busy(log, setup, charging)
    if setup.flat:
        return read_rows(log, charging, prior, steep)
    # where the curve has no knee a weak cell and a level one part ways all along it: the last third
    # tells both capacity and charge
    end_ah = log.charge_ah[charging].max() if charging.size else 0.0
    near = log.charge_ah[charging] > end_ah - SLOPED_TOP_PCT / 100.0 * setup.capacity_ah
    return read_rows(log, charging[near], prior, None)


def _down(
    log: Log, setup: Setup, rows: NDArray[np.intp], prior: Prior, start: Counted
) -> Walk | None:
    """The lower knee of a discharge: from where the first cell leaves the plateau."""
    curve = chemistry(setup.chemistry).curve
    low_v, high_v = (float(curve.ocv(pct)) for pct in (LOW_KNEE_PCT, HALF_PCT))
    # counting tells how far down the herd is; its voltage under load would tell it badly
    drawn_ah = float(log.charge_ah[rows[0]] - log.charge_ah[rows].min())
    left_pct = max(0.0, start.pct - 100.0 * drawn_ah / setup.capacity_ah)
    loaded = busy(log, setup, rows[log.current_a[rows] < 0.01 * setup.capacity_ah])

    def steep(freed: Floats, herd: Floats) -> Flags:
        lowest = freed.min(axis=1)
        deep = lowest < low_v
        # where none comes so low one may still be on its knee; else rows of the flat only blur
        if np.count_nonzero(deep) >= LEAST_ROWS:
            return deep
        return (herd - lowest > APART_V) & (herd < high_v)

    read = read_rows(log, loaded, prior, steep if setup.flat else None)
    unseen = unseen_ah(log, slice(rows[0], rows[-1] + 1), -1.0)
    unseen_pct = min(100.0, start.unseen_pct + 100.0 * unseen / setup.capacity_ah)
    return read and read.walk(setup, prior, Counted(left_pct, unseen_pct))


def with_lead(prior: Prior, log: Log, setup: Setup, full: Sequence[Charge]) -> Prior:
    """The same with how far the surface of these cells is ahead, as their full charges tell it."""
    if not setup.flat or not full:
        return prior
    picked: list[int] = np.unique(np.linspace(0, len(full) - 1, LEAD_CHARGES).astype(int)).tolist()
    reads = [read for i in picked if (read := _up(log, setup, full[i], prior))]
    return replace(prior, lead_h=lead_h(reads, setup, prior))
