"""Constant-current curves of the kernel against a physics library's (pybamm 26.10.1.1, Chen2020,
DFN; files in ``tests/reference``).

The kernel's cell gets the one resistance that fits the library's curve best (``ecm_residual.csv``,
r_fit); what is left must be no more than what that fit itself leaves (rms between 15 and 90 % of
charge, there), with half more for the kernel's RC branches and warmth.
"""

import csv
from pathlib import Path

import numpy as np
import pytest

from nipper.core.presets import new_setup
from nipper.core.setup import put
from nipper.core.simulate.scenario import Loads, OtherCharger, Scenario
from nipper.core.simulate.trial import run

REFERENCE = Path(__file__).parents[1] / "reference"
RESIDUAL = {
    (r["rate"], r["direction"]): r
    for r in csv.DictReader((REFERENCE / "ecm_residual.csv").read_text().splitlines())
    if r["chemistry"] == "nmc"
}
CAPACITY_AH = 5.153  # of Chen2020 between 2.5 and 4.2 V: charge_ah / soc in the reference tables


@pytest.mark.parametrize(("rate", "amps"), [("c10", 0.5), ("c2", 2.5)])
@pytest.mark.parametrize("direction", ["charge", "discharge"])
def test_constant_current_curve(rate, amps, direction):
    rows = np.genfromtxt(
        REFERENCE / f"sim_nmc_dfn_{rate}_{direction}.csv", delimiter=",", names=True
    )
    fit = RESIDUAL[rate, direction]
    total_mohm = float(fit["r_fit_mohm"])
    no_limits = {
        "cell_over_voltage": {"trip_v": 9.0, "release_v": 8.0},
        "cell_under_voltage": {"trip_v": 0.1, "release_v": 0.2},
        "pack_over_voltage": None,
        "pack_under_voltage": None,
        "charge_over_current": None,
        "discharge_over_current": None,
        "short_circuit": None,
        "power_off_v": None,
    }
    setup = put(
        new_setup("nmc", 1, CAPACITY_AH, balancer="none"),
        # ohmic and both RC branches together are 1.4 of what the setup calls the resistance
        {f"protection.{k}": v for k, v in no_limits.items()}
        | {
            "cell.resistance_mohm": total_mohm / 1.4,
            "wiring.standby_w": 0.0,
            "charging.absorption_v": 4.2,
        },
    )
    charging = direction == "charge"
    watts = 0.0 if charging else amps * 0.92 * 3.7
    plan = Scenario(
        days=(20.0 if rate == "c10" else 2.5) / 24.0 * 0.5,
        pv_w=0.0,
        start_soc_pct=0.0 if charging else 100.0,
        log_every_s=30.0,
        ambient_c=25.0,
        season_c=0.0,
        day_c=0.0,
        loads=Loads(base_w=watts, fridge_w=0.0, evening_w=0.0, kettle_w=0.0),
        chargers=[OtherCharger(max_a=amps, absorption_v=9.0)] if charging else [],
        spread_offset_pct=0.0,
        spread_capacity_pct=0.0,
        spread_resistance_pct=0.0,
        spread_leak_mah_per_day=0.0,
        start="2026-06-01T09:00:00+00:00",
    )
    trial = run(setup, plan)
    log, pct = trial.logs[0], trial.true_pct[:, 0, 0]
    order = np.argsort(rows["soc_pct"])
    theirs_v = np.interp(pct, rows["soc_pct"][order], rows["voltage_v"][order])
    # the library's cell stays at 25 degC and has constant current; ours warms a little, and the
    # load is of constant power
    warm = np.exp(25_000.0 / 8.314462618 * (1.0 / (log.temp_c[:, 0] + 273.15) - 1.0 / 298.15))
    steady_a = amps if charging else -amps
    ours_v = log.cell_v[:, 0] - (log.current_a * warm - steady_a) * total_mohm * 1e-3
    inside = (pct > 15.0) & (pct < 90.0) & (np.arange(pct.size) > 40)
    rms_mv = 1e3 * float(np.sqrt(np.mean((ours_v - theirs_v)[inside] ** 2)))
    assert inside.sum() > 20
    assert rms_mv < 1.5 * float(fit["rms_mv_15_90"]) + 1.0  # 1 mV: resolution of both
