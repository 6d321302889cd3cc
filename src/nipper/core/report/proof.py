"""The picture behind a judgement: each cell's charge over time, and small proofs that speak for or
against a cause.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nipper.core.imbalance.causes_base import Cause
from nipper.core.imbalance.diagnosis import Diagnosis
from nipper.core.imbalance.drift import Drift
from nipper.core.imbalance.lines import NINE_IN_TEN
from nipper.core.imbalance.losing import unseen_mah_per_day, worth_mah_per_day
from nipper.core.logs.model import nanmedian
from nipper.core.quantities import with_minus
from nipper.core.report.consequence import count
from nipper.core.setup import Setup

Floats = NDArray[np.floating]

AGREE_MV = 6.0  # what a wrong reading is named from
LEAST_BIAS_MV = 0.5  # nothing smaller is told of a reading
UNTOLD = "; of the others the log does not tell it."


LOPSIDED = 1.25  # times nine in ten of a normal distribution's
VAGUE_PCT = (
    0.8  # of capacity: a reading less sure than this, and than three times the usual, is not drawn
)


@dataclass(frozen=True, eq=False, slots=True)
class Paths:
    """Charge of every cell against the median over the full charges.

    Parameters
    ----------
    time_s : float64[charges]
    pct : float64[charges, cells], % of capacity
    low_pct, high_pct : float64[charges, cells], nine in ten lie between
    ends_pct : of cells that may be far to one side (counted from 0), the near and the far end
    """

    time_s: Floats
    pct: Floats
    low_pct: Floats
    high_pct: Floats
    ends_pct: dict[int, tuple[float, float]]

    def told(self, cell: int) -> tuple[float, str] | None:
        """The newest point that is told of a cell (counted from 0), % and in words: with both
        ends where it may be far to one side; None where no point is.
        """
        charges = np.flatnonzero(np.isfinite(self.pct[:, cell]))
        if not charges.size:
            return None
        last = float(self.pct[charges[-1], cell])
        text = f"{last:+.1f} %"
        if cell in self.ends_pct:
            near, far = self.ends_pct[cell]
            text = f"{near:+.1f} to {far:+.0f} %"
        return last, with_minus(text)


def paths(diagnosis: Diagnosis, setup: Setup) -> Paths:
    """What the main picture of Diagnose shows: charge at the tops, or where else it is told which
    cell drifts.
    """
    drift = diagnosis.estimate.drift
    scale = 100.0 / setup.capacity_ah
    pct, sd = drift.offset_ah * scale, drift.sd_ah * scale
    low, high = drift.low_ah * scale, drift.high_ah * scale
    if drift.elsewhere:
        pct, sd = drift.elsewhere.left_ah * scale, drift.elsewhere.sd_ah * scale
        low, high = pct - NINE_IN_TEN * sd, pct + NINE_IN_TEN * sd
    if not pct.size:
        return Paths(drift.line_s, pct, low, high, {})
    # a charge that left a cell on the flat part tells next to nothing of it: such a point would
    # only draw a spike
    vague = sd > np.maximum(VAGUE_PCT, 3.0 * nanmedian(sd))
    open_ends = {} if drift.elsewhere else _open_ends(drift, scale)
    return Paths(drift.line_s, np.where(vague, np.nan, pct), low, high, open_ends)


def _open_ends(drift: Drift, scale: float) -> dict[int, tuple[float, float]]:
    """Of each cell (counted from 0) that may be far to one side, the near and the far end."""
    low, high = (scale * end for end in drift.last_range_ah)
    lopsided = _lopsided(scale * drift.last_ah, (low, high), scale * drift.last_sd_ah)
    nearer = np.abs(low) < np.abs(high)
    near, far = np.where(nearer, low, high), np.where(nearer, high, low)
    return {int(i): (float(near[i]), float(far[i])) for i in np.flatnonzero(lopsided)}


def _lopsided(value: Floats, ends: tuple[Floats, Floats], sd: Floats) -> NDArray[np.bool_]:
    """Whether what nine in ten lie between reaches much further to one side."""
    low, high = ends
    return np.maximum(value - low, high - value) > LOPSIDED * NINE_IN_TEN * sd


@dataclass(frozen=True, eq=False, slots=True)
class Proof:
    """A small picture with its sentence: bars, one a cell; ``marked`` are in colour, NaN has no
    bar, ``error`` is one sd.
    """

    title: str
    text: str
    bars: Floats
    error: Floats
    marked: tuple[int, ...]
    unit: str


# which three pictures speak for or against a cause, the telling one first
TELLING = {
    "self_discharge": ("drift", "resistance", "offset"),
    "group_drain": ("drift", "resistance", "offset"),
    "soc_offset": ("offset", "capacity", "resistance"),
    "low_capacity": ("capacity", "offset", "resistance"),
    "high_resistance": ("resistance", "bias", "offset"),
    "loose_joint": ("resistance", "bias", "offset"),
    "temperature_gradient": ("resistance", "offset", "drift"),
    "sense_bias": ("bias", "resistance", "offset"),
    "sense_lead": ("bias", "resistance", "offset"),
}


def proofs(diagnosis: Diagnosis, setup: Setup, finding: Cause | None) -> list[Proof]:
    """Three pictures, one bar a cell, each with what it says about the finding."""
    chosen = TELLING.get(finding.cause if finding else "", ("drift", "resistance", "offset"))
    return [_PROOFS[name](diagnosis, setup, finding.cells if finding else ()) for name in chosen]


def _drift(diagnosis: Diagnosis, setup: Setup, marked: tuple[int, ...]) -> Proof:
    drift = diagnosis.estimate.drift
    unseen = unseen_mah_per_day(diagnosis.estimate, setup)
    return _proof_drift(
        1e3 * drift.ah_per_day,
        1e3 * drift.error_ah_per_day,
        f"{read_from(drift)} in {drift.days:.0f} days",
        marked,
        unseen is None or unseen > worth_mah_per_day(setup),
    )


def read_from(drift: Drift) -> str:
    """What drifts are told from: ``13 full charges``."""
    number = drift.line_s.size
    match drift.place:
        case "low end":
            return count(number, "discharge")
        case "step":
            return count(number, "charge")
        case "top":
            return count(number, "full charge")


def _resistance(diagnosis: Diagnosis, _: Setup, marked: tuple[int, ...]) -> Proof:
    found = diagnosis.estimate.resistances
    each, sd = 1e3 * (found.herd_ohm + found.excess_ohm), 1e3 * found.sd_ohm
    return Proof(*_resistance_words(each, sd, found.basis, marked), each, sd, marked, "mΩ")


def _offset(diagnosis: Diagnosis, setup: Setup, marked: tuple[int, ...]) -> Proof:
    drift, scale = diagnosis.now.drift, 100.0 / setup.capacity_ah
    return Proof(
        *_offset_words(scale * drift.last_ah, marked),
        scale * drift.last_ah,
        scale * drift.last_sd_ah,
        marked,
        "%",
    )


def _capacity(diagnosis: Diagnosis, setup: Setup, marked: tuple[int, ...]) -> Proof:
    found = diagnosis.estimate.capacities
    pct, sd = 100.0 * found.deficit_ah / setup.capacity_ah, 100.0 * found.sd_ah / setup.capacity_ah
    if not np.isfinite(pct).any():
        return Proof(
            "Capacity cannot be told yet",
            "It takes a discharge to the low knee after a full charge.",
            pct,
            sd,
            marked,
            "%",
        )
    low = int(np.nanargmin(pct))
    if pct[low] < -4.0:
        title = f"Cell {low + 1} holds less"
    elif marked:
        title = "Not capacity"
    else:
        title = "All hold about the same"
    text = f"Cell {low + 1}: {pct[low]:+.1f} % of the median"
    rest = _most(np.delete(pct, low))
    text += f"; the others within {rest:.1f} %." if rest is not None else UNTOLD
    return Proof(title, text.replace("-", "−"), pct, sd, marked, "%")


def _bias(diagnosis: Diagnosis, setup: Setup, marked: tuple[int, ...]) -> Proof:
    found = diagnosis.estimate.signals
    mv, sd = 1e3 * found.bias_v, 1e3 * found.bias_sd_v
    if not np.isfinite(mv).any():
        return Proof(
            "Readings cannot be checked",
            "It takes some hours on the plateau with little current.",
            mv,
            sd,
            marked,
            "mV",
        )
    far = int(np.nanargmax(np.abs(mv)))
    off_mv, flat = abs(mv[far]), setup.flat
    if off_mv <= AGREE_MV:
        title = "The readings agree"
        most_mv = max(off_mv, LEAST_BIAS_MV)
        text = f"Between the ends of the curve no cell stands more than {most_mv:.1f} mV off"
    else:
        title = f"Cell {far + 1} reads wrong" if far + 1 in marked else "One reading is off"
        text = (
            f"Between the ends of the curve cell {far + 1} stands {mv[far]:+.1f} mV off throughout"
        )
    text += "; there 1 % of charge is under a millivolt." if flat else "."
    return Proof(title, text.replace("-", "−"), mv, sd, marked, "mV")


_PROOFS: dict[str, Callable[[Diagnosis, Setup, tuple[int, ...]], Proof]] = {
    "drift": _drift,
    "resistance": _resistance,
    "offset": _offset,
    "capacity": _capacity,
    "bias": _bias,
}


def _proof_drift(
    drift: Floats, sd: Floats, basis: str, marked: tuple[int, ...], vague: bool
) -> Proof:
    if not np.isfinite(drift).any():
        return Proof(
            "Drift cannot be told yet",
            "It takes four full charges over five days or more.",
            drift,
            sd,
            marked,
            "mAh/day",
        )
    worst = int(np.nanargmax(np.abs(drift)))
    others = _most(np.delete(drift, worst)) or 0.0
    real = abs(drift[worst]) > 3 * sd[worst] and abs(drift[worst]) > 3 * others
    title = (
        "One drifts, the others do not"
        if real
        else "A drift would not show yet"
        if vague
        else "No cell drifts by itself"
    )
    text = (
        f"Cell {worst + 1}: {drift[worst]:.0f} ± {1.645 * sd[worst]:.0f} mAh a day over "
        f"{basis}. The next largest is {others:.0f}."
    ).replace("-", "−")
    return Proof(title, text, drift, sd, marked, "mAh/day")


def _resistance_words(
    resistance: Floats, sd: Floats, basis: str, marked: tuple[int, ...]
) -> tuple[str, str]:
    if not np.isfinite(resistance).any():
        return "Resistance cannot be told", "The log has too few steps of current."
    median = float(np.nanmedian(resistance))
    high = int(np.nanargmax(resistance))
    excess = resistance[high] - median
    stands_out = excess > 0.3 * median and excess > 4 * sd[high]
    if stands_out:
        title = f"Cell {high + 1} is resistive"
    else:
        title = "Not resistance" if marked else "No cell is resistive"
    who = (
        ", ".join(f"cell {c}: {resistance[c - 1]:.2f} mΩ" for c in marked[:3])
        or f"highest cell {high + 1}: {resistance[high]:.2f} mΩ"
    )
    herd = np.delete(resistance, [c - 1 for c in marked] or [high])
    if not np.isfinite(herd).any():  # one cell alone
        return title, f"{basis}, {who}."
    return title, f"{basis}, {who}; the herd {median:.2f} ± {np.nanstd(herd):.2f} mΩ."


def _offset_words(offset: Floats, marked: tuple[int, ...]) -> tuple[str, str]:
    if not np.isfinite(offset).any():
        return "Charge cannot be told yet", "No full charge held long enough."
    low, high = int(np.nanargmin(offset)), int(np.nanargmax(offset))
    rest = np.delete(offset, [c - 1 for c in marked]) if marked else offset
    title = "Where the cells stand now"
    text = (
        f"Fullest cell {high + 1} {offset[high]:+.1f} %, emptiest cell {low + 1} "
        f"{offset[low]:+.1f} %"
    )
    far = _most(rest) if marked else None
    text += (
        f"; the others within {far:.1f} % of the median."
        if far is not None
        else " of capacity against the median."
    )
    return title, text.replace("-", "−")


def about_cell(diagnosis: Diagnosis, setup: Setup, cell: int) -> list[tuple[str, str]]:
    """Everything known of one cell, as name and value; what cannot be told says so."""
    known, i = diagnosis.estimate, cell - 1
    drift = known.drift
    moved = drift.moved_ah[-1, i] if drift.moved_ah.size and drift.moved_known else float("nan")
    rows = [
        (
            "charge against the median",
            _between(drift, i, 100.0 / setup.capacity_ah, "%"),
        ),
        ("the same in ampere-hours", _between(drift, i, 1.0, "Ah")),
        (
            "drift by itself",
            _with_error(1e3 * drift.ah_per_day[i], 1e3 * drift.error_ah_per_day[i], "mAh/day", 1),
        ),
        (
            "moved by the balancer",
            f"{moved:+.2f} Ah against the median".replace("-", "−")
            if np.isfinite(moved)
            else "not recorded",
        ),
        (
            "resistance in a step of current",
            _with_error(
                1e3 * (known.resistances.herd_ohm + known.resistances.excess_ohm[i]),
                1e3 * known.resistances.sd_ohm[i],
                "mΩ",
                3,
            ),
        ),
    ]
    capacity = diagnosis.estimate.capacities
    rows.append(
        (
            "capacity against the median",
            _with_error(
                100 * capacity.deficit_ah[i] / setup.capacity_ah,
                100 * capacity.sd_ah[i] / setup.capacity_ah,
                "%",
                1,
            ),
        )
    )
    rows.append(
        (
            "reading against the others",
            _with_error(1e3 * known.signals.bias_v[i], 1e3 * known.signals.bias_sd_v[i], "mV", 1),
        )
    )
    named = [f.summary for f in diagnosis.findings if cell in f.cells and f.confidence > 0.5]
    return rows + [("judged", text) for text in named]


MOST_DIGITS = 4


def _between(drift: Drift, cell: int, scale: float, unit: str) -> str:
    """Where a cell stands; with both ends where they are not alike: on the flat it is surely off,
    and nobody knows how far.
    """
    value, sd = scale * drift.last_ah[cell], scale * drift.last_sd_ah[cell]
    low, high = (scale * end[cell] for end in drift.last_range_ah)
    if not (np.isfinite(value) and _lopsided(value, (low, high), sd)):
        return _with_error(value, sd, unit, 2)
    return f"{value:+.1f} {unit}, between {low:+.1f} and {high:+.1f}".replace("-", "−")


def _with_error(value: float, sd: float, unit: str, digits: int) -> str:
    if not np.isfinite(value):
        return "cannot be told from this log"
    while np.isfinite(sd) and sd > 0.0 and digits < MOST_DIGITS and not round(1.645 * sd, digits):
        digits += 1  # an uncertainty of 0.00 would claim to be none
    error = f" ± {1.645 * sd:.{digits}f}" if np.isfinite(sd) else ""
    return (
        f"{value:+.{digits}f}{error} {unit}".replace("-", "−")
        if unit != "mΩ"
        else f"{value:.{digits}f}{error} {unit}"
    )


def _most(values: Floats) -> float | None:
    """How far the furthest of these lies from nothing; None where none is told."""
    told = np.abs(values[np.isfinite(values)])
    return float(told.max()) if told.size else None
