"""Cells of an independent physics library, under one current: ``python -m tests.worlds.spm_cells``.

Needs the optional extra ``worlds`` (PyBaMM); the files it writes are kept in ``tests/files``, so
that nobody else does. Single-particle models with electrolyte: diffusion and reaction instead of
resistors and capacitors, published parameter sets (Prada 2013: lithium iron phosphate of 2.3 Ah;
Chen 2020: a 4.2 V cell of 5 Ah), scaled to a larger pack. All cells carry the current that a
charger would give their median; what is the matter with each is in the file.
"""

import json
import sys
from pathlib import Path
from typing import Any

import numpy as np

FILES = Path(__file__).parent.parent / "files"
CYCLES = 40  # a little more than half a day each
EVERY_S = 120.0
SETS = {
    "lfp": ("Prada2013", 100.0, 3.45, 0.93),  # parameters, scale of the pack, held at V, start
    "nmc": ("Chen2020", 20.0, 4.12, 0.85),
}
TAPER_S = 5  # between the nodes of a hold: straight lines through fewer would fill every cell
EDGE_S = 0.5  # in which the current goes from one step to the next
OHM = {"lfp": 0.020, "nmc": 0.035}  # of one model cell after some seconds, as simulated


def cells(chemistry: str, rng: np.random.Generator) -> list[dict[str, Any]]:
    """Healthy cells first, then one fault each; leaks in mAh a day of the scaled pack."""
    out: list[dict[str, Any]] = []

    def add(cause: str, **fault: float) -> None:
        out.append({
            "cause": cause,
            "offset_pct": float(rng.normal(0, 0.12)) + fault.get("offset_pct", 0.0),
            "capacity": float(1 + rng.normal(0, 0.004)) * fault.get("capacity", 1.0),
            "ohm": float(abs(rng.normal(0, 0.06)) * OHM[chemistry]) + fault.get("ohm", 0.0),
            "leak_mah_day": float(abs(rng.normal(0, 3.0))) + fault.get("leak_mah_day", 0.0),
            "diffusivity": float(np.exp(rng.normal(0, 0.06))),
        })  # fmt: skip

    for _ in range(20):
        add("")
    for pct in (-5.0, -3.5, -2.5, -1.8, -1.2):
        add("soc_offset", offset_pct=pct)
    for share in (0.97, 0.94, 0.90, 0.85):
        add("low_capacity", capacity=share)
    for more in (0.5, 0.8, 1.3, 2.0):
        add("high_resistance", ohm=more * OHM[chemistry])
    for leak in (50.0, 90.0, 160.0, 300.0):
        add("self_discharge", leak_mah_day=leak)
    for leak in (80.0, 80.0, 80.0, 80.0):
        add("group_drain", leak_mah_day=leak)
    return out


def day(rng: np.random.Generator, held_v: float) -> tuple[str, ...]:
    """A day of a house: evening, night, sun until full, afternoon."""
    return (
        f"Discharge at C/{rng.integers(5, 9)} for {rng.integers(100, 170)} minutes",
        "Rest for 20 minutes",
        f"Discharge at C/{rng.integers(16, 30)} for {rng.integers(200, 320)} minutes",
        "Rest for 30 minutes",
        f"Charge at C/{rng.integers(4, 7)} until {held_v} V",
        f"Hold at {held_v} V until C/15 ({TAPER_S} second period)",
        f"Rest for {rng.integers(60, 200)} minutes",
    )


def parameters(pybamm: Any, name: str) -> Any:
    values = pybamm.ParameterValues(name)
    values.update({"Contact resistance [Ohm]": 0.0}, check_already_exists=False)
    values["Lower voltage cut-off [V]"] = 0.5
    values["Upper voltage cut-off [V]"] = 5.5
    return values


def solve(chemistry: str, seed: int) -> tuple[np.ndarray, np.ndarray, list[dict[str, Any]], float]:
    """Voltages float[rows, cells], amperes of the pack float[rows], the cells, the capacity."""
    import pybamm

    pybamm.set_logging_level("ERROR")
    name, scale, held_v, start = SETS[chemistry]
    rng = np.random.default_rng(seed)
    model = pybamm.lithium_ion.SPMe({"contact resistance": "true"})
    values = parameters(pybamm, name)
    base = pybamm.ParameterValues(name)
    ends = base["Lower voltage cut-off [V]"], base["Upper voltage cut-off [V]"]
    values["Lower voltage cut-off [V]"], values["Upper voltage cut-off [V]"] = ends
    plan = pybamm.Experiment([day(rng, held_v) for _ in range(CYCLES)], period="1 minute")
    median = pybamm.Simulation(
        model, experiment=plan, parameter_values=values, solver=pybamm.IDAKLUSolver()
    )
    found = median.solve(initial_soc=start)
    time_s, amps, edges_s = steps_of(found)
    capacity = measured_ah(pybamm, model, values)
    rows = np.arange(0.0, time_s[-1], EVERY_S)
    made = cells(chemistry, rng)
    volts = []
    for number, cell in enumerate(made):
        own = parameters(pybamm, name)
        own["Electrode width [m]"] = values["Electrode width [m]"] * cell["capacity"]
        own["Contact resistance [Ohm]"] = cell["ohm"]
        for side in ("Negative", "Positive"):
            key = f"{side} particle diffusivity [m2.s-1]"
            if not callable(own[key]):
                own[key] = own[key] * cell["diffusivity"]
        leak_a = cell["leak_mah_day"] / 24e3 / scale
        own["Current function [A]"] = pybamm.Interpolant(time_s, amps + leak_a, pybamm.t)
        missing = (1 - start) - cell["offset_pct"] / 100.0
        own_start = 1 - missing / cell["capacity"]
        own["Lower voltage cut-off [V]"], own["Upper voltage cut-off [V]"] = ends
        own.set_initial_state(own_start)
        own["Lower voltage cut-off [V]"], own["Upper voltage cut-off [V]"] = 0.5, 5.5
        for rtol in (1e-4, 1e-6, 1e-5, 1e-7):  # at steps of the current it stumbles now and then
            solver = pybamm.IDAKLUSolver(rtol=rtol, atol=1e-6)
            driven = pybamm.Simulation(model, parameter_values=own, solver=solver)
            run = driven.solve(t_eval=edges_s, t_interp=rows)
            if run.termination == "final time":
                break
        volts.append(run["Terminal voltage [V]"](rows))
        print(
            chemistry,
            number,
            cell["cause"],
            round(float(volts[-1].max()), 3),
            run.termination,
            flush=True,
        )
    table = np.array(volts).T
    whole = np.isfinite(table).all(axis=0)  # the solver gives up on a cell now and then
    kept = [cell for cell, good in zip(made, whole, strict=True) if good]
    return table[:, whole], -scale * np.interp(rows, time_s, amps), kept, scale * capacity


def steps_of(found: Any) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Times and amperes of a solved plan, float64[nodes], and where its steps meet: a step begins
    where the one before ends, not on a slope from its last node, which would move charge that the
    plan does not. A solver that does not halt there loses charge as well, in each cell another.
    """
    steps = [step for cycle in found.cycles for step in cycle.steps]
    times = [step.t + np.r_[EDGE_S, np.zeros(step.t.size - 1)] for step in steps]
    edges = np.concatenate([[t[0], t[-1]] for t in times])
    amps = np.concatenate([step["Current [A]"].entries for step in steps])
    return np.concatenate(times), amps, np.unique(np.r_[0.0, edges])


def measured_ah(pybamm: Any, model: Any, values: Any) -> float:
    """Capacity between the ends, as a slow discharge gives it."""
    plan = pybamm.Experiment(["Discharge at C/30 until 2.5 V"], period="10 minutes")
    run = pybamm.Simulation(model, experiment=plan, parameter_values=values.copy())
    return float(run.solve(initial_soc=1.0)["Discharge capacity [A.h]"].entries[-1])


def main() -> None:
    """Write both files."""
    for chemistry in sys.argv[1:] or SETS:
        volts, amps, made, capacity = solve(chemistry, 20260301)
        np.savez_compressed(
            FILES / f"spm_{chemistry}.npz",
            dmv=np.diff(np.round(volts * 1e4).astype(np.int32), axis=0, prepend=0),
            amps=np.round(amps, 2).astype(np.float32),
            every_s=EVERY_S,
            capacity_ah=capacity,
            cells=json.dumps(made),
        )


if __name__ == "__main__":
    main()
