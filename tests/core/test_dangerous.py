"""A verdict of ok means: looked at, and nothing dangerous.

What cannot be judged is a named doubt.
"""

import pytest

from nipper.core.findings import Severity
from nipper.core.presets import new_setup
from nipper.core.rules import Evidence, check, verdict
from nipper.core.rules.schools import limit_schools
from nipper.core.setup import put
from tests.core.dangerous import DANGEROUS, SOUND


@pytest.mark.parametrize("name", DANGEROUS)
def test_a_dangerous_setup_is_not_ok(name):
    found = check(DANGEROUS[name])
    assert verdict(found) != "ok", [f.code for f in found]


@pytest.mark.parametrize("name", SOUND)
def test_an_ordinary_setup_stays_ok(name):
    found = check(SOUND[name])
    assert verdict(found) == "ok", [f.message for f in found if f.severity is not Severity.NOTE]


@pytest.mark.parametrize("chemistry", ["lfp", "nmc", "lto"])
@pytest.mark.parametrize("packs", [1, 2, 6])
@pytest.mark.parametrize("balancer", ["passive", "active", "none"])
def test_every_preset_is_ok(chemistry, packs, balancer):
    for cells in (1, 4, 8, 14, 16, 24):
        for capacity in (1.0, 5.0, 50.0, 105.0, 280.0, 628.0, 1000.0):
            found = check(new_setup(chemistry, cells, capacity, packs, balancer))
            assert verdict(found) == "ok", (cells, capacity, [f.message for f in found])


@pytest.mark.parametrize("name", SOUND)
def test_every_school_of_limits_keeps_an_ordinary_setup_ok(name):
    setup = SOUND[name]
    for school in limit_schools(setup, Evidence()):
        found = check(put(setup, school.changes))
        assert verdict(found) == "ok", (school.id, [f.message for f in found])
