"""One reading of all cells, or a few: what can be told from it at once, and what to read next.

A difference in volts is a difference in charge only where the curve rises: there it is converted,
with an interval; on the flat of the curve nothing is, and that is said.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from nipper.core.chemistry import Chemistry, chemistry
from nipper.core.chemistry.cell import cell_resistance_ohm
from nipper.core.logs.model import Log
from nipper.core.setup import Setup

Floats = NDArray[np.floating]
Pattern = Literal["single", "block", "spread"]
FEW_ROWS = 5  # up to here a log is readings by hand
METER_V = 0.002  # step and noise of a usual meter, two readings against each other
UNLIKE_RESISTANCE = 0.15  # how much cells of one kind differ in it: common practice
# how much steeper or flatter a maker's curve may be than the chemistry's at the knee (from memory)
CURVE_LEAST, CURVE_MOST = 0.7, 1.4
# how far a cell just charged or discharged, or another maker's curve, lies off the curve at rest
CURVE_OFF_V = 0.02  # (hysteresis of iron phosphate, from memory: 10 to 20 mV)
LEAST_SLOPE = 1.5  # mV a percent: below, the plateau of iron phosphate (common practice)
TELLS_PCT = 2.0  # an interval wider than this, and than its own value, tells nothing
OUTLIER_V = 0.004
SUM_OFF = 0.005  # the pack against its cells, share


@dataclass(frozen=True, slots=True)
class Snapshot:
    """What a reading says. Percentages are of the capacity; None where volts cannot tell."""

    time_s: float
    deviation_mv: float
    deviation_pct: float | None
    low: float | None
    high: float | None
    highest_cell: int
    lowest_cell: int
    pattern: Pattern
    outliers: tuple[int, ...]
    level_hours: float | None
    tells: str
    doubts: tuple[str, ...]
    mean_v: float
    current_a: float
    charge_pct: tuple[float, ...]  # of each cell along the curve; meant only with deviation_pct

    def to_json(self) -> dict[str, object]:
        """As the headless contract has it, and a few fields more."""
        return {
            "time": datetime.fromtimestamp(self.time_s, UTC).isoformat(),
            "deviation_mv": round(self.deviation_mv, 1),
            "deviation_pct": _rounded(self.deviation_pct, 2),
            "low": _rounded(self.low, 2),
            "high": _rounded(self.high, 2),
            "highest_cell": self.highest_cell,
            "lowest_cell": self.lowest_cell,
            "pattern": self.pattern,
            "outliers": list(self.outliers),
            "level_hours": _rounded(self.level_hours, 1),
            "tells": self.tells,
            "doubts": list(self.doubts),
        }


def _rounded(value: float | None, digits: int) -> float | None:
    return None if value is None else round(value, digits)


def snapshot(log: Log, setup: Setup) -> Snapshot | None:
    """What the newest row of a short log says; None when it has no two cells that can be read."""
    cell_v: Floats = log.cell_v[-1].astype(float)
    if np.isfinite(cell_v).sum() < 2:
        return None
    amps = float(log.current_a[-1])
    highest, lowest = int(np.nanargmax(cell_v)), int(np.nanargmin(cell_v))
    spread_v = float(cell_v[highest] - cell_v[lowest])
    charge = _as_charge(cell_v[highest], cell_v[lowest], amps, setup)
    pattern, outliers = _pattern(cell_v)
    value, low, high = charge or (None, None, None)
    return Snapshot(
        time_s=float(log.time_s[-1]),
        deviation_mv=1e3 * spread_v,
        deviation_pct=value,
        low=low,
        high=high,
        highest_cell=highest + 1,
        lowest_cell=lowest + 1,
        pattern=pattern,
        outliers=outliers,
        level_hours=_hours(value, setup),
        tells=_tells(cell_v, amps, value, setup),
        doubts=tuple(_doubts(log, setup)),
        mean_v=float(np.nanmean(cell_v)),
        current_a=amps,
        charge_pct=_each(cell_v, amps, setup),
    )


def _each(cell_v: Floats, amps: float, setup: Setup) -> tuple[float, ...]:
    """Charge of every cell along the curve, %; NaN where a cell was not read."""
    drop_v = (amps if np.isfinite(amps) else 0.0) * cell_resistance_ohm(setup)
    chem = chemistry(setup.chemistry)
    rest_v = [float(cell_v[i]) - drop_v for i in range(cell_v.size)]
    return tuple(_pct(chem, v) if v == v else np.nan for v in rest_v)


def _as_charge(
    high_v: float, low_v: float, amps: float, setup: Setup
) -> tuple[float, float, float] | None:
    """The difference between two cells as charge, % of capacity, with its interval."""
    chem, ohm = chemistry(setup.chemistry), cell_resistance_ohm(setup)
    current = amps if np.isfinite(amps) else 0.0
    unsure_v = METER_V / 2 + UNLIKE_RESISTANCE * abs(current) * ohm
    top, bottom = (v - current * ohm for v in (high_v, low_v))
    value = _pct(chem, top) - _pct(chem, bottom)
    least, most = value, value
    for off_v in (-CURVE_OFF_V, 0.0, CURVE_OFF_V):
        high, low = top + off_v, bottom + off_v
        if 1e3 * (high - low) < LEAST_SLOPE * (_pct(chem, high) - _pct(chem, low)):
            return None  # a curve that lies a little otherwise is flat here
        least = min(least, _pct(chem, high - unsure_v) - _pct(chem, low + unsure_v))
        most = max(most, _pct(chem, high + unsure_v) - _pct(chem, low - unsure_v))
    least, most = max(0.0, CURVE_LEAST * least), CURVE_MOST * most
    return None if most - least > max(TELLS_PCT, value) else (value, least, most)


def _pct(chem: Chemistry, volts: float) -> float:
    """Charge at a rest voltage, %; beyond the ends the last slope goes on."""
    curve = chem.curve
    ends = float(curve.ocv(0.0)), float(curve.ocv(100.0))
    if volts > ends[1]:
        return 100.0 + 1e3 * (volts - ends[1]) / max(float(curve.slope(99.9)), 1.0)
    if volts < ends[0]:
        return 1e3 * (volts - ends[0]) / max(float(curve.slope(0.1)), 1.0)
    return float(curve.soc(volts))


def _pattern(cell_v: Floats) -> tuple[Pattern, tuple[int, ...]]:
    """Whether one cell stands apart, a block of neighbours, or all are spread."""
    off = cell_v - np.nanmedian(cell_v)
    usual = 1.4826 * float(np.nanmedian(np.abs(off)))
    far = np.flatnonzero(np.abs(np.nan_to_num(off)) > max(3.0 * usual, OUTLIER_V))
    if not far.size or far.size > 0.4 * cell_v.size:
        return "spread", ()
    cells = tuple(int(i) + 1 for i in far)
    if far.size == 1:
        return "single", cells
    same_side = bool(np.all(off[far] > 0)) or bool(np.all(off[far] < 0))
    together = same_side and bool(np.all(np.diff(far) == 1))
    return ("block" if together else "spread"), cells


def _hours(deviation_pct: float | None, setup: Setup) -> float | None:
    """How long the balancer works on it, h of work; it works only where it may."""
    leveller = setup.leveller
    if deviation_pct is None or leveller is None:
        return None
    return deviation_pct / 100.0 * setup.capacity_ah / leveller.current_a


def _tells(cell_v: Floats, amps: float, value: float | None, setup: Setup) -> str:
    """What this reading can say, and which one to take next."""
    mean, knee = float(np.nanmean(cell_v)), chemistry(setup.chemistry).knee_v
    gentle = f"below {0.05 * setup.capacity_ah:.0f} A"
    if not np.isfinite(amps):
        return "Without the current, what is charge and what is resistance cannot be told apart."
    if value is not None and mean >= knee:
        return (
            "Near full the volts tell the difference in charge. Read again at the same current"
            " after 30 minutes of balancing: the difference should have shrunk."
        )
    if value is not None:
        return "Here the curve rises: the volts tell the difference in charge, roughly."
    return (
        f"At {mean:.2f} V the curve is too flat: volts cannot tell charge here. Read again at the"
        f" end of a charge, above {knee:.2f} V a cell and {gentle}."
    )


def _doubts(log: Log, setup: Setup) -> Sequence[str]:
    """What does not fit together in the reading itself."""
    out: list[str] = []
    cell_v: Floats = log.cell_v[-1].astype(float)
    pack_v = float(log.pack_v[-1])
    total = float(np.nansum(cell_v)) if np.isfinite(cell_v).all() else np.nan
    if np.isfinite(pack_v) and np.isfinite(total) and abs(pack_v - total) > SUM_OFF * total:
        out.append(f"the pack reads {pack_v:.2f} V, its cells sum to {total:.2f} V")
    chem = chemistry(setup.chemistry)
    if np.nanmax(cell_v) > chem.max_v or np.nanmin(cell_v) < chem.min_v:
        out.append(f"a cell is outside {chem.min_v:g} to {chem.max_v:g} V: stop and look first")
    if log.soc_pct is not None and np.isfinite(log.soc_pct[-1]):
        out += _against_soc(float(log.soc_pct[-1]), float(np.nanmean(cell_v)), log, setup)
    return out


def _against_soc(soc: float, mean_v: float, log: Log, setup: Setup) -> list[str]:
    """The percentage against the rest voltage, where that can tell."""
    chem, amps = chemistry(setup.chemistry), float(log.current_a[-1])
    if not abs(amps) < 0.02 * setup.capacity_ah:
        return []
    low, high = (_pct(chem, mean_v + side * 0.01) for side in (-1, 1))
    if high - low > 30.0 or low - 15.0 <= soc <= high + 15.0:
        return []
    return [f"the BMS counts {soc:.0f} %, the rest voltage speaks of {low:.0f} to {high:.0f} %"]
