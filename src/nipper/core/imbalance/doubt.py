"""What is open of the shifts of a walk besides their fit: cells whose curves are not quite alike,
meters with steps, currents that end between two rows.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nipper.core.chemistry import chemistry
from nipper.core.imbalance.shifts import Shifts, Walk
from nipper.core.setup import Setup

Floats = NDArray[np.floating]

NINE_IN_TEN = 1.645  # standard deviations to either side
MODEL_SHARE = 0.08  # of the shift itself: two cells' curves are not quite the same
# % of capacity of one standard deviation, and a factor: so much more the intervals need to hold
# what they claim, on packs of two simulators other than Nipper's own (docs/diagnosis.md)
WIDER = {"lfp": (0.073, 1.4), "nmc": (0.05, 1.1), "lto": (0.05, 1.1)}
# towards the herd, of capacity and of the near end itself
MOST_WIDER_PCT, MOST_WIDER_SHARE = 1.0, 0.5
USUAL_STEP_V = 0.001
LEAST_SLOPE_MV = 3.0  # a per cent: on the flat of LFP what is open is told by the fit
SLOW_SHARE = 0.10  # more of it at a row every three minutes: few rows pass the knee
UNCOUNTED_SHARE = 0.8  # of a shift, at most, that the voltages bear out


@dataclass(frozen=True, eq=False, slots=True)
class Doubt:
    """What is open of a walk's shifts besides the fit, Ah.

    Parameters
    ----------
    model_ah : float64[cells], one standard deviation: cells' curves are not quite the same
    place_ah : half a range: a meter's step leaves the place open, not the way from charge to charge
    uncounted_ah : float64[cells], half a range: what may have flowed between two rows
    near_ah : float64[cells], how much further than the fit the near end of an interval may be
    wider : times the fit's own
    """

    model_ah: Floats
    place_ah: float
    uncounted_ah: Floats
    near_ah: Floats
    wider: float

    @classmethod
    def of(cls, walk: Walk, found: Shifts, setup: Setup) -> "Doubt":
        pct = setup.capacity_ah / 100.0
        floor_pct, wider = WIDER[setup.chemistry]
        share = MODEL_SHARE + SLOW_SHARE * min(1.0, walk.interval_s / 180.0)
        # it turns no cell around that stands apart
        most = np.where(found.apart != 0, UNCOUNTED_SHARE * np.abs(found.ah), np.inf)
        return cls(
            model_ah=np.hypot(share * np.abs(found.ah), floor_pct * pct),
            place_ah=NINE_IN_TEN * _meter_pct(walk, setup) * pct,
            uncounted_ah=np.minimum(walk.uncounted_ah, most),
            near_ah=np.fmax(
                MOST_WIDER_PCT * pct,
                MOST_WIDER_SHARE * np.fmin(np.abs(found.low_ah), np.abs(found.high_ah)),
            ),
            wider=wider,
        )

    def ends(self, found: Shifts) -> tuple[Floats, Floats]:
        """Between what each shift lies, nine times in ten. A far end may be further; the near one
        is the knee's, and moves by a doubt of the curve.
        """
        down, up = found.ah - found.low_ah, found.high_ah - found.ah
        place = np.hypot(np.hypot(NINE_IN_TEN * self.model_ah, self.place_ah), self.uncounted_ah)
        most_down = np.where(found.ah > 0.0, down + self.near_ah, np.inf)
        most_up = np.where(found.ah < 0.0, up + self.near_ah, np.inf)
        return (
            found.ah - np.hypot(np.minimum(self.wider * down, most_down), place),
            found.ah + np.hypot(np.minimum(self.wider * up, most_up), place),
        )

    def sd(self, found: Shifts) -> Floats:
        """One standard deviation of the shifts."""
        return np.hypot(
            np.hypot(self.wider * found.sd_ah, self.model_ah), self.uncounted_ah / np.sqrt(3.0)
        )


def _meter_pct(walk: Walk, setup: Setup) -> float:
    """What a coarse meter leaves open, % of capacity: where a voltage is held, cell and herd stand
    on one of its steps each, for hours. A step of 1 mV is in WIDER already.
    """
    levels_v = np.diff(np.unique(np.round(walk.cell_v, 4)))
    step_v = float(levels_v.min()) if levels_v.size else 0.0
    open_mv = 1e3 * np.sqrt(max(0.0, step_v**2 - USUAL_STEP_V**2) / 6.0)
    slope_mv = float(chemistry(setup.chemistry).curve.slope_at_voltage(np.median(walk.cell_v[-1])))
    return float(open_mv / max(slope_mv, LEAST_SLOPE_MV))
