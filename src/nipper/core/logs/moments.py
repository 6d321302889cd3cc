"""The cells at the moments of a charge at which a builder compares them, with the condition under
which they were read.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nipper.core.chemistry import chemistry
from nipper.core.chemistry.cell import cell_resistance_ohm
from nipper.core.logs.charges import Charge
from nipper.core.logs.model import Floats, Log, nanmedian
from nipper.core.setup import Setup


@dataclass(frozen=True, slots=True)
class Reading:
    """The cells at one moment of a charge, with the condition under which they were read."""

    time_s: float
    pack_v: float
    current_a: float
    temp_c: float  # NaN where the log has none
    cell_v: NDArray[np.floating]  # float64[cells], median of a few samples
    deviation_mv: float
    deviation_pct: float  # the same difference as charge, % of capacity
    highest: int  # cell number, from 1
    lowest: int

    @property
    def mean_v(self) -> float:
        """Mean cell voltage, V."""
        return float(np.nanmean(self.cell_v))


HALF_WIDTH = 2  # rows on either side of the one that is read


def _around(log: Log, row: int, half_width: int) -> slice:
    return slice(max(0, row - half_width), min(log.rows, row + half_width + 1))


def cells_at(log: Log, row: int, half_width: int = HALF_WIDTH) -> Floats:
    """The cells around a row, the median of up to five samples, float64[cells] V."""
    return nanmedian(log.cell_v[_around(log, row, half_width)]).astype(float)


def cells_at_each(log: Log, rows: NDArray[np.intp]) -> Floats:
    """The same around each of many rows, float64[rows, cells] V."""
    around = rows + np.arange(-HALF_WIDTH, HALF_WIDTH + 1)[:, None]
    read = log.cell_v[np.clip(around, 0, log.rows - 1)].astype(float)
    read[(around < 0) | (around >= log.rows)] = np.nan
    return nanmedian(read.reshape(around.shape[0], -1)).reshape(-1, log.cells)


def read_at(log: Log, setup: Setup, row: int, half_width: int = HALF_WIDTH) -> Reading:
    """Read the cells around a row: the median of up to five samples, and what their difference
    means as charge.

    Notes
    -----
    Each voltage is freed of the current's drop with the setup's cell resistance and turned into
    charge by the chemistry's curve:
    100 mV at 3.45 V is under 1 %, 5 mV at 3.30 V can be 5 %.
    """
    if not np.isfinite(log.cell_v[_around(log, row, half_width)]).any():
        read = np.flatnonzero(np.isfinite(log.cell_v).any(axis=1))
        row = int(
            read[np.argmin(np.abs(read - row))]
        )  # a silent stretch: the nearest that was read
    rows, cell_v = _around(log, row, half_width), cells_at(log, row, half_width)
    current_a, pack_v = nanmedian(np.column_stack([log.current_a[rows], log.pack_v[rows]]))
    chem = chemistry(setup.chemistry)
    high, low = int(np.nanargmax(cell_v)), int(np.nanargmin(cell_v))
    soc = chem.curve.soc(
        np.array([cell_v[high], cell_v[low]]) - current_a * cell_resistance_ohm(setup)
    )
    return Reading(
        time_s=float(log.time_s[row]),
        pack_v=float(pack_v),
        current_a=float(current_a),
        temp_c=float(nanmedian(log.temp_c[rows].reshape(-1, 1))[0]),
        cell_v=cell_v,
        deviation_mv=1e3 * float(cell_v[high] - cell_v[low]),
        deviation_pct=float(soc[0] - soc[1]),
        highest=high + 1,
        lowest=low + 1,
    )


@dataclass(frozen=True, slots=True)
class ChargeReadings:
    """The moments at which a builder compares charges; None where the charge did not get so far."""

    begin: Reading | None
    half_hour: Reading | None
    end: Reading
    rest: Reading | None


def readings(log: Log, setup: Setup, charge: Charge) -> ChargeReadings:
    """The cells at the start of absorption, half an hour later, at the end, and at rest
    afterwards.
    """
    begin = half = None
    if charge.absorption:
        first, stop = charge.absorption
        begin = read_at(log, setup, first)
        later = int(np.searchsorted(log.time_s, float(log.time_s[first]) + 1800.0))
        half = read_at(log, setup, later) if later < stop else None
    rest = (
        read_at(log, setup, (charge.rest[0] + charge.rest[1]) // 2, half_width=5)
        if charge.rest
        else None
    )
    return ChargeReadings(begin, half, read_at(log, setup, charge.top), rest)
