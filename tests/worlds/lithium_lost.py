"""Rest curves of an LFP cell that has lost lithium: ``python -m tests.worlds.lithium_lost``.

Needs the optional extra ``worlds`` (PyBaMM), as :mod:`tests.worlds.spm_cells` does; the table it
writes is kept. Published parameters (Prada 2013); both electrodes stay as they are, and the
electrode balance gives what is left between the voltage limits.
"""

import csv
from pathlib import Path
from typing import Any

import numpy as np

FILE = Path(__file__).parent.parent / "files" / "lfp_lithium_lost.csv"
SHARES = (1.0, 0.95, 0.90, 0.85)  # of the lithium, left
PCT = np.linspace(0.0, 100.0, 201)


def curves(pybamm: Any) -> list[tuple[float, float, np.ndarray]]:
    """Lithium left, capacity left in Ah, and volts at each of PCT."""
    values, names = pybamm.ParameterValues("Prada2013"), pybamm.LithiumIonParameters()
    solver = pybamm.lithium_ion.ElectrodeSOHSolver(values)
    lithium, negative, positive = (
        values.evaluate(q) for q in (names.Q_Li_particles_init, names.n.Q_init, names.p.Q_init)
    )

    def volts(electrode: str, filled: float) -> float:
        ocp = values[f"{electrode} electrode OCP [V]"](pybamm.Scalar(filled))
        return float(values.process_symbol(ocp).evaluate())

    out: list[tuple[float, float, np.ndarray]] = []
    for share in SHARES:
        found = solver.solve({"Q_Li": lithium * share, "Q_n": negative, "Q_p": positive})
        x = np.interp(PCT, [0.0, 100.0], [found["x_0"], found["x_100"]])
        y = np.interp(PCT, [0.0, 100.0], [found["y_0"], found["y_100"]])
        rest = [volts("Positive", b) - volts("Negative", a) for a, b in zip(x, y, strict=True)]
        out.append((share, float(found["Q"]), np.array(rest)))
    return out


def main() -> None:
    """Write the table."""
    import pybamm

    with FILE.open("w", newline="", encoding="utf-8") as text:
        write = csv.writer(text)
        write.writerow(("lithium", "capacity_ah", "soc_pct", "ocv_v"))
        for share, capacity_ah, volts in curves(pybamm):
            rows = zip(PCT, volts, strict=True)
            write.writerows((share, f"{capacity_ah:.4f}", p, f"{v:.5f}") for p, v in rows)


if __name__ == "__main__":
    main()
