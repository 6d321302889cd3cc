"""Ten wrong setups are led to sound ones by the suggestions alone, each of which is the most
serious one's.
"""

import pytest

from nipper.core.findings import Severity
from nipper.core.rules import check, verdict
from nipper.core.rules.base import sheet_max_v, sheet_min_v
from nipper.core.setup import Setup, put
from tests.core.beginners import BEGINNERS


@pytest.mark.parametrize("make", BEGINNERS, ids=lambda m: m.__name__)
def test_a_beginner_is_led_to_a_sound_setup(make):
    setup: Setup = make()
    first = [f for f in check(setup) if f.severity is not Severity.NOTE]
    assert verdict(first) == "fix" or len(first) >= 3
    steps = 0
    while found := [f for f in check(setup) if f.severity is not Severity.NOTE]:
        cure = next((f for f in found if f.suggestion), None)
        assert cure, [f.message for f in found]
        setup, steps = put(setup, cure.suggestion), steps + 1
        assert steps < 40, [f.message for f in found]
    p = setup.protection
    assert p.cell_over_voltage.trip_v <= sheet_max_v(setup)
    assert p.cell_under_voltage.trip_v >= sheet_min_v(setup)
    assert setup.charge_cutoff
    assert setup.chemistry == "lto" or setup.charge_cutoff.trip_c >= 0.0
