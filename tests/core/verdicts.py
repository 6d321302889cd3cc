"""What the rules say of many wrong setups, kept as a file: a change of any rule shows as a change.

``python -m tests.core.verdicts`` writes it anew; the difference is then read line by line, since
each line is a verdict somebody may act on.
"""

import json

import numpy as np

from nipper.core.errors import InputError
from nipper.core.findings import Finding
from nipper.core.presets import new_setup
from nipper.core.rules import Evidence, check
from nipper.core.setup import Setup, get, put
from tests.conftest import FILES
from tests.core.beginners import BEGINNERS
from tests.core.dangerous import DANGEROUS
from tests.core.test_rules import BAD, NOTES
from tests.core.test_scale import FULL, PATHS
from tests.core.walk import wrong_setup

KEPT = FILES / "verdicts.json"
SEEDS = range(150)
FACTORS = np.geomspace(0.5, 2.0, 29).tolist()
EVIDENCE = (
    Evidence(40.0, 3.45, 4, "3 May", -62.0, 7, 0.2),
    Evidence(9.0, 3.40, 2, "3 May", -5.0, 3, 4.0),
    Evidence(120.0, 3.50, 1, "3 May", 30.0, 1, 0.0),
    Evidence(worst_drift_mah_per_day=-200.0, worst_cell=2, allowed_h_per_day=1.0),
)


def setups() -> dict[str, Setup]:
    """The setups by a name each: the tables of the tests, and seeded wrong ones."""
    base = new_setup("lfp", 16, 280.0)
    out = {make.__name__.strip("_"): make() for make in BEGINNERS}
    out |= dict(DANGEROUS)
    for table in (BAD, NOTES):
        for code, cases in table.items():
            for i, changes in enumerate(cases):
                out[f"{code} {i} {len(changes)}"] = put(base, changes)
    return out | {f"seed {seed}": wrong_setup(seed) for seed in SEEDS}


def verdicts() -> dict[str, list[str]]:
    """Of each setup what is found: severity, code, and what is proposed."""
    out: dict[str, list[str]] = {}
    for i, (name, setup) in enumerate(setups().items()):
        out[name] = said(check(setup))
        if name.startswith("seed"):
            out[f"{name}, with a log"] = said(check(setup, EVIDENCE[i % len(EVIDENCE)]))
    return out | sweeps()


def sweeps() -> dict[str, list[str]]:
    """Each number of a full setup swept from half to double: the codes wherever they change.

    A threshold that moves shows as an edge that moves.
    """
    out: dict[str, list[str]] = {}
    for path in PATHS:
        value, last = get(FULL, path), ["nothing yet"]
        for factor in FACTORS:
            try:
                codes = sorted(
                    {f.code for f in check(put(FULL, {path: type(value)(value * factor)}))}
                )
            except InputError:
                codes = ["refused"]
            if codes != last:
                out[f"{path} x {factor:.2f}"] = last = codes
    return out


def said(found: list[Finding]) -> list[str]:
    """Severity, code and suggestion of each finding."""
    return [f"{f.severity} {f.code} {json.dumps(dict(f.suggestion))}" for f in found]


if __name__ == "__main__":
    KEPT.write_text(json.dumps(verdicts(), indent=1, ensure_ascii=False) + "\n")
