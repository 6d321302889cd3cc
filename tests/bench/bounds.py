"""How near the estimates come to what a log can say at all: rms error over many packs, divided by
the Cramer-Rao bound.

``python -m tests.bench.bounds`` prints the table of docs/diagnosis.md. Clean data: known cells,
healthy but for one number, no balancer, the kernel's own meter (1 mV steps and 0.6 mV of noise: sd
0.67 mV a reading, independent from row to row).
"""

from concurrent.futures import ProcessPoolExecutor

import numpy as np

from nipper.core.chemistry import chemistry
from nipper.core.imbalance.estimate import estimate
from nipper.core.logs.model import Log
from nipper.core.presets import new_setup
from nipper.core.setup import Setup, put
from nipper.core.simulate.scenario import CellFault, Scenario
from nipper.core.simulate.trial import Trial, run
from tests.builders import charge_log

READING_SD_V = float(np.hypot(0.0006, 0.001 / np.sqrt(12.0)))
CELL, ROW_S = 5, 20.0
CALM = {
    "spread_offset_pct": 0.0,
    "spread_capacity_pct": 0.0,
    "spread_resistance_pct": 0.0,
    "spread_leak_mah_per_day": 0.0,
}


def bank() -> Setup:
    return put(
        new_setup("lfp", 8, 100.0, balancer="none"),
        {"charging.tail_a": None, "charging.absorption_min": 60.0},
    )


def simulated(seed: int, days: float, **fault: float) -> tuple[Trial, Setup]:
    setup = bank()
    plan = Scenario(
        days=days,
        step_s=20.0,
        log_every_s=ROW_S,
        weather="clear",
        seed=seed,
        start_soc_pct=70.0,
        cells=[CellFault(cell=CELL, **fault)],
        **CALM,
    )
    return run(setup, plan), setup


def offset_bound_ah(trial: Trial, setup: Setup) -> float:
    """One full charge: the inverse of the Fisher matrix of charge and the cell's own resistance (8
    % of the herd's known beforehand).

    Slope of each row by the cell's true charge; the median of the seven others is itself known to
    pi/2 of a cell's variance over seven.
    """
    curve = chemistry(setup.chemistry).curve
    log = trial.logs[0]
    rows = (log.time_s < trial.start_s + 86400.0) & (log.current_a > 0)
    slope_v_ah = curve.slope(trial.true_pct[rows, 0, CELL - 1]) * 1e-3 / (setup.capacity_ah / 100.0)
    by = np.column_stack([slope_v_ah, log.current_a[rows]])
    known = 0.08 * 1.4e-3 * (setup.cell.resistance_mohm or 1.0)
    fisher = by.T @ by / READING_SD_V**2 + np.diag([0.0, 1.0 / known**2])
    return float(np.sqrt(np.linalg.inv(fisher)[0, 0] * (1.0 + np.pi / 2.0 / 7.0)))


def offset_error(seed: int) -> tuple[float, float]:
    trial, setup = simulated(seed, 1.0, offset_pct=-0.3)
    drift = estimate(trial.logs[0], setup).drift
    return float(drift.offset_ah[0, CELL - 1] + 0.3 / 100.0 * setup.capacity_ah), offset_bound_ah(
        trial, setup
    )


def drift_error(seed: int) -> tuple[float, float]:
    """Bound: that of a straight line through offsets of the bound's own error, a day apart: sd
    sqrt(12 / (N (N^2 - 1))).
    """
    trial, setup = simulated(seed, 20.0, leak_mah_per_day=10.0)
    drift = estimate(trial.logs[0], setup).drift
    n = drift.time_s.size
    bound = offset_bound_ah(trial, setup) * np.sqrt(12.0 / (n * (n * n - 1.0)))
    return float(1e3 * (drift.ah_per_day[CELL - 1] + 0.010)), float(1e3 * bound)


def resistance_error(seed: int) -> tuple[float, float]:
    """Bound: sd of a difference of two readings over the root of the sum of squared steps of
    current, of the steps that are used.
    """
    excess_mohm = 0.3
    trial, setup = simulated(seed, 5.0, joint_mohm=excess_mohm)
    log = trial.logs[0]
    found = estimate(log, setup).resistances
    step_a = np.diff(log.current_a)
    used = np.abs(step_a) >= 0.015 * setup.capacity_ah
    bound = 1e3 * np.sqrt(2.0) * READING_SD_V / float(np.sqrt(np.sum(step_a[used] ** 2)))
    return float(1e3 * found.excess_ohm[CELL - 1] - excess_mohm), bound


def plain_cell(seed: int, charges: int) -> tuple[Log, Setup, float]:
    """A log that fits the estimator's model but for its noise: cells of one resistance
    (``tests.builders``), and the bound of one charge.
    """
    setup = bank()
    offset, drift = np.zeros(8), np.zeros(8)
    offset[CELL - 1], drift[CELL - 1] = -0.3, -0.01
    log = charge_log(
        setup, offset, charges=charges, drift_pct=drift, interval_s=20.0, noise_mv=0.6, seed=seed
    )
    first = (log.current_a > 0) & (log.time_s < log.time_s[0] + 86400.0)
    r_ohm = 1e-3 * (setup.cell.resistance_mohm or 1.0)
    curve = chemistry(setup.chemistry).curve
    slope_v_ah = (
        curve.slope_at_voltage(log.cell_v[first, CELL - 1] - log.current_a[first] * r_ohm)
        * 1e-3
        / (setup.capacity_ah / 100.0)
    )
    by = np.column_stack([slope_v_ah, log.current_a[first]])
    fisher = by.T @ by / READING_SD_V**2 + np.diag([0.0, 1.0 / (0.08 * 1.4 * r_ohm) ** 2])
    return log, setup, float(np.sqrt(np.linalg.inv(fisher)[0, 0] * (1.0 + np.pi / 2.0 / 7.0)))


def plain_offset_error(seed: int) -> tuple[float, float]:
    log, setup, bound = plain_cell(seed, 1)
    return float(estimate(log, setup).drift.offset_ah[0, CELL - 1] + 0.3), bound


def plain_drift_error(seed: int) -> tuple[float, float]:
    log, setup, bound = plain_cell(seed, 20)
    return float(1e3 * (estimate(log, setup).drift.ah_per_day[CELL - 1] + 0.010)), float(
        1e3 * bound * np.sqrt(12.0 / (20.0 * 399.0))
    )


def ratio(errors: list[tuple[float, float]]) -> tuple[float, float]:
    """Scatter of the error over the bound, and bias over the bound."""
    error, bound = np.array(errors).T
    return float(np.std(error) / np.mean(bound)), float(np.mean(error) / np.mean(bound))


if __name__ == "__main__":
    with ProcessPoolExecutor(2) as pool:
        print(
            "| estimate | packs | scatter / bound | bias / bound | bound |\n|---|---|---|---|---|"
        )
        for name, work, unit in (
            ("offset, one charge, plain cells", plain_offset_error, "Ah"),
            ("drift, 20 charges, plain cells", plain_drift_error, "mAh/day"),
            ("offset, one charge, kernel", offset_error, "Ah"),
            ("drift, 20 days, kernel", drift_error, "mAh/day"),
            ("resistance, 5 days, kernel", resistance_error, "mΩ"),
        ):
            errors = list(pool.map(work, range(40)))
            scatter, bias = ratio(errors)
            print(
                f"| {name} | {len(errors)} | {scatter:.2f} | {bias:+.2f} | "
                f"{np.mean([b for _, b in errors]):.2g} {unit} |"
            )
