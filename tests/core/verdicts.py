"""What the rules say of many wrong setups, kept as a file: a change of any rule shows as a change.

``python -m tests.core.verdicts`` writes it anew; the difference is then read line by line, since
each line is a verdict somebody may act on.
"""

import json

from nipper.core.presets import new_setup
from nipper.core.rules import check
from nipper.core.setup import Setup, put
from tests.conftest import FILES
from tests.core.beginners import BEGINNERS
from tests.core.dangerous import DANGEROUS
from tests.core.test_rules import BAD, NOTES
from tests.core.walk import wrong_setup

KEPT = FILES / "verdicts.json"
SEEDS = range(150)


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
    for name, setup in setups().items():
        found = check(setup)
        out[name] = [f"{f.severity} {f.code} {json.dumps(dict(f.suggestion))}" for f in found]
    return out


if __name__ == "__main__":
    KEPT.write_text(json.dumps(verdicts(), indent=1, ensure_ascii=False) + "\n")
