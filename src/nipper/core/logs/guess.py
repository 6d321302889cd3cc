"""What a log alone tells of the pack it is from."""

import numpy as np

from nipper.core.logs.model import Log


def guess_chemistry(log: Log) -> str | None:
    """The chemistry by the voltages the cells dwell at; None where they fit more than one.

    LFP dwells at 3.2 to 3.4 V and never rests above 3.5 V; 4.2 V cells pass 3.6 V; LTO stays under
    2.9 V.
    """
    volts = log.cell_v[np.isfinite(log.cell_v)]
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
