"""What a log alone tells of the pack it is from."""

import numpy as np

from nipper.core.logs.model import Floats, Log, nanmedian

MOST_ROWS = 50_000  # looked at: asked on the window's thread


def guess_chemistry(log: Log) -> str | None:
    """The chemistry by the voltages the cells dwell at; None where they fit more than one.

    LFP dwells at 3.2 to 3.4 V and never rests above 3.5 V; 4.2 V cells pass 3.6 V; LTO stays under
    2.9 V.
    """
    some = log.cell_v[:: max(1, log.rows // MOST_ROWS)]
    volts = some[np.isfinite(some)]
    if not volts.size:
        return None
    middle, high = float(np.median(volts)), float(np.quantile(volts, 0.999))
    if high < 2.9:
        return "lto"
    if high > 3.8 or middle > 3.45:
        return "nmc"
    if 3.15 <= middle <= 3.45 and high <= 3.75:
        return "lfp"
    return None


# of the median cell: an LFP cell is seldom above these, even where it is balanced at 3.65 V for
# days; a 4.2 V cell at those of LFP is nearly empty, and so is an LFP cell at those of LTO (common
# practice)
NOT_LFP_V, SELDOM_LFP_V = 3.70, 3.85
LFP_V, LFP_TOP_V = (3.15, 3.40), 3.70
LTO_TOP_V = 2.95
LEAST_ROWS, LEAST_MOVED = 100, 0.2  # of capacity: a pack that lies empty tells nothing


def other_chemistry(log: Log, assumed: str, capacity_ah: float) -> str | None:
    """What the cells are where their voltages rule out what is assumed; None where they allow it or
    too little was moved to say.
    """
    some = slice(None, None, max(1, log.rows // MOST_ROWS))
    herd_v, moved_ah = nanmedian(log.cell_v[some].T), log.charge_ah[some]
    read = np.isfinite(herd_v)
    herd_v, moved_ah, least_ah = herd_v[read], moved_ah[read], LEAST_MOVED * capacity_ah
    if herd_v.size < LEAST_ROWS or np.ptp(moved_ah) < least_ah:
        return None
    flat = (herd_v > LFP_V[0]) & (herd_v < LFP_V[1])
    middle, often, high = np.quantile(herd_v, [0.5, 0.95, 0.99])
    found = None
    if high < LTO_TOP_V:
        found = "lto"
    elif middle > NOT_LFP_V or often > SELDOM_LFP_V:
        found = "nmc"
    elif flat.mean() > 0.5 and high <= LFP_TOP_V and np.ptp(moved_ah[flat]) > least_ah:
        found = "lfp"
    return found if found != assumed else None


IDLE_SHARE = 0.005  # of the strongest current: below it a meter's offset would be counted
POINTS = 1500
LEAST_PCT, LEAST_WINDOWS = 15.0, 5  # of charge in a window; so many must agree
JUMP_PCT = 4.0  # between neighbouring points: the BMS has set its percentage anew
SCATTER = 0.12  # of the capacity, between the windows
# mean volts of a cell, charging at its top and discharging at its end: common practice
ENDS_V = {"lfp": (3.45, 3.0), "nmc": (4.1, 3.2), "lto": (2.6, 2.0)}


def guess_capacity(log: Log, chemistry: str | None) -> tuple[float, str] | None:
    """The pack's capacity, Ah, and the words that say from what; None where the log does not tell.

    By the charge counted while the BMS's own percentage moved: then it is the capacity the BMS
    counts with. Or by the charge between the knees, which is the least the pack holds.
    """
    counted = _counted_ah(log)
    if counted is None:
        return None
    by_percentage = capacity_by_percentage(log)
    if by_percentage is not None:
        return by_percentage, "by charge counted while its percentage moved"
    drawn = _between_the_ends(log, counted, ENDS_V.get(chemistry or ""))
    return None if drawn is None else (drawn, "at least: drawn between its full and its empty end")


def _counted_ah(log: Log) -> Floats | None:
    amps = np.nan_to_num(log.current_a)
    most = float(np.quantile(np.abs(amps), 0.99)) if log.rows else 0.0
    if most <= 0.0:
        return None
    flows = np.abs(amps) > IDLE_SHARE * most
    return np.cumsum(np.where(flows, amps, 0.0) * log.steps_s) / 3600.0


def capacity_by_percentage(log: Log) -> float | None:
    """The capacity the BMS counts with, Ah, by the charge counted while its own percentage moved;
    None where the log does not tell.
    """
    counted = None if log.soc_pct is None else _counted_ah(log)
    if log.soc_pct is None or counted is None:
        return None
    rows = np.flatnonzero(np.isfinite(log.soc_pct))
    rows = rows[:: max(1, rows.size // POINTS)]
    pct, ah = log.soc_pct[rows].astype(float), counted[rows]
    stretches = np.split(np.arange(rows.size), np.flatnonzero(np.abs(np.diff(pct)) > JUMP_PCT) + 1)
    each: list[float] = []
    for stretch in stretches:
        start = 0
        for k in range(1, stretch.size):
            moved = float(pct[stretch[k]] - pct[stretch[start]])
            if abs(moved) >= LEAST_PCT:
                each.append(100.0 * float(ah[stretch[k]] - ah[stretch[start]]) / moved)
                start = k
    if len(each) < LEAST_WINDOWS:
        return None
    middle = float(np.median(each))
    scatter = 1.4826 * float(np.median(np.abs(np.array(each) - middle)))
    return middle if middle > 0.0 and scatter < SCATTER * middle else None


def _between_the_ends(
    log: Log, counted: Floats, ends_v: tuple[float, float] | None
) -> float | None:
    if ends_v is None:
        return None
    high = np.flatnonzero((log.mean_cell_v >= ends_v[0]) & (log.current_a > 0.0))
    low = np.flatnonzero((log.mean_cell_v <= ends_v[1]) & (log.current_a < 0.0))
    if not high.size or not low.size:
        return None
    # from each low end to the full ends next to it, before and after
    at = np.searchsorted(high, low)
    before = counted[high[np.maximum(at - 1, 0)]] - counted[low]
    after = counted[high[np.minimum(at, high.size - 1)]] - counted[low]
    drawn = float(np.median(np.maximum(before, after)))
    return drawn if drawn > 0.0 else None
