"""The first top balance of new cells: all side by side, by a bench supply.

Cells of a delivery come half full. All of them in parallel from there take days by a small supply;
charged in series through the BMS to the first alarm, only the last few per cent are left for it.
"""

from dataclasses import dataclass

from nipper.core.chemistry import chemistry
from nipper.core.setup import Setup

SUPPLY_A = 10.0  # of a bench supply: common practice
UNDER_SHEET_V = 0.05  # the supply stays so far under the sheet: common practice
DELIVERED_PCT = 40.0  # charge of new cells: 30 to 50 %, common practice
LEFT_PCT = 5.0  # of all cells, after a charge in series to the first alarm: common practice
TAPER = 0.05  # of the supply's current, at which the cells are full: common practice
TAPER_H = 1.5  # from the supply's voltage to there, for leads and cells together: common practice


@dataclass(frozen=True, slots=True)
class FirstBalance:
    """The supply's voltage, V, and current, A; what all cells take, Ah, and hours: from delivery,
    and after a charge in series; the current at which they are full, A.
    """

    supply_v: float
    supply_a: float
    all_ah: float
    all_h: float
    delivered_pct: float
    series_h: float
    after_series_ah: float
    after_series_h: float
    full_a: float

    @property
    def by_series_h(self) -> float:
        """Charging in series first, and the rest side by side."""
        return self.series_h + self.after_series_h


def first_balance(
    setup: Setup, supply_a: float = SUPPLY_A, delivered_pct: float = DELIVERED_PCT
) -> FirstBalance:
    """For all cells of one pack side by side.

    Parameters
    ----------
    supply_a : what the bench supply gives, A; no more than one cell's sheet allows is used
    delivered_pct : charge of the cells as they came, %
    """
    cell, most_v = setup.cell, chemistry(setup.chemistry).max_v
    supply_v = min(v for v in (most_v, cell.max_v) if v) - UNDER_SHEET_V
    amps = min(v for v in (supply_a, setup.sheet_charge_a) if v)
    all_ah = setup.cells * setup.capacity_ah * (1.0 - delivered_pct / 100.0)
    left_ah = setup.cells * setup.capacity_ah * LEFT_PCT / 100.0
    charging = setup.charging
    charge_a = (charging.max_charge_a if charging else None) or 0.2 * setup.bank_ah
    own_a = min(v for v in (charge_a, setup.sheet_charge_a) if v)
    to_alarm_ah = max(0.0, setup.capacity_ah * (1.0 - (delivered_pct + LEFT_PCT) / 100.0))
    return FirstBalance(
        supply_v=round(supply_v, 3),
        supply_a=amps,
        all_ah=all_ah,
        all_h=all_ah / amps + TAPER_H,
        delivered_pct=delivered_pct,
        series_h=to_alarm_ah / own_a,
        after_series_ah=left_ah,
        after_series_h=left_ah / amps + TAPER_H,
        full_a=TAPER * amps,
    )
