"""Readings that are wrong by the same amount at every state of charge.

On the calm plateau a cell's difference to the herd is

    d = bias + slope (offset + drawn deficit + change) + R I

with the slope of the rest voltage over charge. What follows the slope is charge, what follows the
current is resistance; what stands at every state is the reading. Fitted by least squares, twice
re-weighted against outliers, cell by cell.
"""

from dataclasses import dataclass
from typing import Self

import numpy as np
from numpy.typing import NDArray

from nipper.core.imbalance.drift import balanced_ah
from nipper.core.imbalance.fitting import robust
from nipper.core.imbalance.resistance import Resistances
from nipper.core.imbalance.slopes import LEAST_SPAN, States, own_slope, scatter_v
from nipper.core.logs.model import Log, nanmedian
from nipper.core.setup import Setup

Floats = NDArray[np.floating]
Flags = NDArray[np.bool_]

# of capacity per hour: up to it rows count. On the flat the current's drop is larger than what is
# looked for; on a sloped curve more states of charge tell more than currents hide
CALM_RATE = {"lfp": 0.05, "nmc": 0.25, "lto": 0.25}
LEAST_ROWS = 200
MOST_ROWS = 4000
# V, two per cent of charge: where the herd itself scatters by more at one count, hours or small
# currents were not counted, and no curve is known (1 to 16 mV in logs that count, 26 and more in
# those with a tenth of their hours missing, or no current below an ampere)
SAME_STATE_V = 0.020
# charge may differ by some per cent, capacity by some more, resistance by what steps show, and a
# balancer moves what a wrong reading shows: keeps short logs honest
OFFSET_PCT, DEFICIT_PCT, RESISTANCE_SHARE = 8.0, 20.0, 0.3
# a long charge's resistance is that of steps by 1 to 1.5 (pulse tables); cells of one batch have it
# alike, and a cell that is off by as much is as unlikely as every row off by OHM_V
LONG, LONG_SHARE, LIKE_SHARE, OHM_V = 1.25, 0.35, 0.05, 1e-3
CURRENT = 3  # its column of the design
BALANCED = 2.0  # times what the settings' balancing current moves
# times what is left with a wrong reading: so much worse charge alone must explain it, from state to
# state (on packs of two simulators: 1.9 at most of 4 mV and more that were none, 2 to 14 of most
# that were)
AS_GOOD = 2.0
PLAIN_GOOD = 3.0  # so much worse where a balancer has moved what the reading showed
MOST_LEFT_V = 2e-3  # beyond, the cell follows another curve, and nothing is known of its reading
# a BMS's reading is seldom further off (from memory); beyond, on a sloped curve, a standing offset
# is likelier
USUAL_BIAS_V = 0.030
FAR_V = 0.045  # on the plateau of LFP: the assumed curve falls by 41 mV from 90 to 30 %
# V, what two cells' curves differ by beyond charge and capacity; tried on packs of two simulators
FLAT_FLOOR_V, SLOPED_FLOOR_V = 5e-4, 1.5e-3
INDEPENDENT = 60  # what the model leaves out lasts for hours
LEAST_LEFT_V = 2e-4  # a meter is never better than this
# of a cell's calm rows: one that mostly stands off the plateau is full or empty there
MOSTLY_SHARE = 0.33
NEAR_V = 0.02  # beyond the plateau's ends a cell may still be read


@dataclass(frozen=True, eq=False, slots=True)
class Plateau:
    """The herd on the plateau: its volts and those freed of the current's drop, float64[rows],
    which rows count, what is known of resistances, and between which volts the plateau lies.
    """

    herd_v: Floats
    freed_v: Floats
    rows: Flags
    resistances: Resistances
    window_v: tuple[float, float]


@dataclass(frozen=True, eq=False, slots=True)
class Calm:
    """The rows of the plateau at modest currents: of each the herd's rest voltage, all cells
    against the herd, the charge drawn (share of capacity, about its median), the curve's slope
    (V per %), and a column for each of what may move a cell.
    """

    freed_v: Floats
    own_v: Floats  # [rows, cells]
    drawn: Floats
    slope: Floats
    design: Floats
    sizes: Floats  # usual ones of what the columns stand for
    ohm: Floats  # [cells], how far each cell's resistance may be from what is taken off; NaN: free
    balanced: Floats | None  # [rows, cells], V: what the balancer moved by then, by the slope
    counted: bool  # whether one count is one state
    window_v: tuple[float, float]
    usual_v: Floats  # [cells], against the herd, at all currents and states of charge alike

    @classmethod
    def of(cls, log: Log, setup: Setup, plateau: Plateau, drawn_ah: Floats) -> Self | None:
        """None where there are too few."""
        small = np.abs(log.current_a) < CALM_RATE[setup.chemistry] * setup.capacity_ah
        rows = np.flatnonzero(plateau.rows & small)
        if rows.size < LEAST_ROWS:
            return None
        rows = rows[:: max(1, rows.size // MOST_ROWS)]
        freed_v, drawn = plateau.freed_v[rows], drawn_ah[rows] / setup.capacity_ah
        slope = own_slope(setup, freed_v, drawn)
        drawn = drawn - np.median(drawn)
        amps, known = log.current_a[rows], plateau.resistances
        own_v = log.cell_v[rows].astype(float) - plateau.herd_v[rows, None]
        columns = [np.ones(rows.size), slope, slope * drawn, amps]
        herd_ohm = known.herd_ohm if np.isfinite(known.herd_ohm) else 1e-3
        sizes = [np.inf, OFFSET_PCT, DEFICIT_PCT, max(RESISTANCE_SHARE * herd_ohm, 1e-5)]
        balanced, ohm = None, np.full(log.cells, np.nan)
        if not setup.flat:
            own_v -= np.outer(amps, LONG * np.nan_to_num(known.excess_ohm))
            ohm = np.hypot(LONG_SHARE * known.excess_ohm, LIKE_SHARE * herd_ohm)
            ohm = np.hypot(ohm, 2.0 * known.sd_ohm)
            balanced = _balanced(log, setup, rows, slope)
            since_s = log.time_s[rows] - np.mean(log.time_s[rows])
            columns.append(slope * since_s / max(float(np.ptp(since_s)), 1.0))
            sizes.append(OFFSET_PCT)
        return cls(
            freed_v=freed_v,
            own_v=own_v,
            drawn=drawn,
            slope=slope,
            design=np.column_stack(columns),
            sizes=np.array(sizes),
            ohm=ohm,
            balanced=balanced,
            counted=setup.flat or scatter_v(freed_v, drawn) < SAME_STATE_V,
            window_v=plateau.window_v,
            usual_v=_usual_v(log, setup, plateau, drawn_ah),
        )

    def columns(self, cell: int) -> tuple[Floats, Floats]:
        """What may move a cell, float64[rows, columns], and the ridge that holds it."""
        x, sizes = self.design, self.sizes
        if self.balanced is not None:
            x, sizes = np.column_stack([x, self.balanced[:, cell]]), np.append(sizes, BALANCED)
        ridge = 4e-6 / sizes**2
        if np.isfinite(self.ohm[cell]):
            # charged at one current, a wrong reading would pass for a resistance nobody has seen
            ridge[CURRENT] = self.drawn.size * (OHM_V / self.ohm[cell]) ** 2
        return x, np.diag(ridge)


def _usual_v(log: Log, setup: Setup, plateau: Plateau, drawn_ah: Floats) -> Floats:
    """What each cell mostly reads against the herd, V: at most states of charge, since a log of
    changes has most of its rows at the knees.
    """
    rows = np.flatnonzero(plateau.rows)
    states = States.of(drawn_ah[rows] / setup.capacity_ah, least=1)
    own_v = log.cell_v[rows] - plateau.herd_v[rows, None]
    return nanmedian(np.array([nanmedian(own_v[some]) for some in states.rows()]))


def _balanced(log: Log, setup: Setup, rows: NDArray[np.intp], slope: Floats) -> Floats | None:
    moved_ah = balanced_ah(log, setup.leveller, rows)
    if moved_ah is None:
        return None
    moved = moved_ah - np.median(moved_ah, axis=1, keepdims=True)
    moved -= moved.mean(axis=0)
    return 100.0 / setup.capacity_ah * moved * slope[:, None]


def biases(calm: Calm | None, setup: Setup, cells: int) -> tuple[Floats, Floats]:
    """What each cell reads wrongly against the herd, and its standard deviation, float64[cells] V;
    NaN where it cannot be told, 0 with what was fitted for its doubt where that is not the reading.
    """
    if calm is None:
        return np.full(cells, np.nan), np.full(cells, np.nan)
    bias, sd = np.array([_of_cell(calm, setup, cell) for cell in range(cells)]).T
    return bias - (np.nanmedian(bias) if np.isfinite(bias).any() else 0.0), sd


def _of_cell(calm: Calm, setup: Setup, cell: int) -> tuple[float, float]:
    v = calm.own_v[:, cell]
    # a weak or a full cell leaves the plateau before the herd; one that reads far off lies beside
    # it all along
    far_v, read = _far_off_v(v, float(calm.usual_v[cell]), setup), np.isfinite(v)
    own_v = v + calm.freed_v - far_v
    low_v, high_v = calm.window_v
    good = read & (own_v > low_v - NEAR_V) & (own_v < high_v + NEAR_V)
    drawn = calm.drawn[good]
    # at one state of charge a reading that is wrong and a cell that is fuller look the same
    mostly = good.sum() > max(LEAST_ROWS / 2, MOSTLY_SHARE * read.sum())
    if not mostly or np.ptp(drawn) < LEAST_SPAN:
        return np.nan, np.nan
    x, ridge = calm.columns(cell)
    all_v, all_drawn = v[read], calm.drawn[read]
    x, v = x[good], v[good]
    fit = robust(x, v, ridge)
    bias_v = float(fit.beta[0])
    stands = _stands(setup, bias_v, v, calm.slope[good], drawn)
    if far_v:  # what is so far off is so at every state, also where it does not fit
        stands &= _nearly_everywhere(np.sign(bias_v) * all_v, all_drawn) >= 0.5 * abs(bias_v)
    spread = float(np.sqrt(np.linalg.inv(fit.gram)[0, 0] * v.size))
    unsure_v = max(abs(bias_v), FLAT_FLOOR_V if setup.flat else SLOPED_FLOOR_V)
    if setup.flat:
        sd_v = spread * fit.left_v / np.sqrt(min(v.size, INDEPENDENT)) + FLAT_FLOOR_V
        return (bias_v, sd_v) if stands else (0.0, unsure_v)  # the fit made it, not the meter
    states = States.of(drawn)
    left_v = _left_v(states, fit.weight, x, v, ridge)
    as_good = _left_v(states, fit.weight, x[:, 1:], v, ridge[1:, 1:]) / left_v
    if not stands and as_good < PLAIN_GOOD:
        return 0.0, unsure_v
    told = calm.counted and left_v < MOST_LEFT_V and abs(bias_v) < USUAL_BIAS_V
    if as_good < AS_GOOD or not told:
        return bias_v, unsure_v  # charge alone explains it nearly as well: then it is charge
    return bias_v, spread * left_v / np.sqrt(max(states.told.size, 1)) + SLOPED_FLOOR_V


def _far_off_v(v: Floats, usual_v: float, setup: Setup) -> float:
    """By how much a cell of a flat curve reads beyond what charge can make on it, V; else 0: at
    small currents, and at all, since a pack that only rests full shows how full its cells are.
    """
    known = v[np.isfinite(v)]
    calm_v = float(np.median(known)) if known.size else 0.0
    everywhere = 2.0 * np.sign(calm_v) * usual_v > abs(calm_v)
    far = setup.flat and abs(calm_v) > FAR_V and everywhere
    return calm_v if far else 0.0


def _stands(setup: Setup, bias_v: float, v: Floats, slope: Floats, drawn: Floats) -> bool:
    """Whether a reading that is wrong is so in both halves of the plateau, well in one, and at most
    states of charge: one that only falls away further down is not.

    Where the curve is flattest: a step of the curve shows charge, not the reading.
    """
    flattest = slope <= (np.median(slope) if setup.flat else np.inf)
    seen_v = [
        np.sign(bias_v) * float(np.median(v[part & flattest]))
        for part in (drawn >= 0, drawn < 0)
        if (part & flattest).any()
    ]
    return (
        min(seen_v) >= 0.5 * abs(bias_v)
        and max(seen_v) >= 0.67 * abs(bias_v)
        and _nearly_everywhere(np.sign(bias_v) * v, drawn) >= 0.5 * abs(bias_v)
    )


def _nearly_everywhere(off_v: Floats, drawn: Floats) -> float:
    """What a reading is off by at three in four of the states of charge it was read at, V.

    Steps of the curve, which lie elsewhere than where they are published, show charge between
    states that show none.
    """
    return float(np.quantile(States.of(drawn, least=1).medians(off_v), 0.25))


def _left_v(states: States, weight: Floats, x: Floats, v: Floats, ridge: Floats) -> float:
    """What these columns leave of a cell, V, from state to state: from row to row most is of the
    meter's steps, which no explanation makes smaller.
    """
    beta = np.linalg.solve(x.T @ (x * weight[:, None]) + ridge, x.T @ (weight * v))
    rest = np.bincount(states.of_row, weight * (v - x @ beta))[states.told]
    mean = rest / np.bincount(states.of_row, weight)[states.told]
    return LEAST_LEFT_V + (float(np.sqrt(np.mean(mean**2))) if mean.size else 0.0)
