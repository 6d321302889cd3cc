"""What passes as ok does no harm on hard days; and what would, is seen by the same measure."""

import pytest

from nipper.core.presets import new_setup
from nipper.core.setup import put
from nipper.core.simulate.trial import run
from tests.bench.oks import hard_days, harms, tried


def test_nothing_that_is_ok_does_harm():
    told, found = tried(14, 20_261_129)
    assert told["ok"] >= 3
    assert found == []


@pytest.mark.parametrize(
    ("changes", "days", "what"),
    [
        ({"protection.cell_over_voltage.trip_v": 3.75}, "summer", "above the sheet"),
        ({"protection.charge_under_temperature.trip_c": -8.0}, "frost", "charged in frost"),
        ({"cell.max_charge_a": 10.0}, "summer", "charged too fast"),
        ({"cell.max_discharge_a": 5.0}, "emptied", "drawn on too hard"),
    ],
)
def test_harm_is_seen(changes, days, what):
    setup = put(new_setup("lfp", 8, 105.0), changes)
    scenario = dict(hard_days(setup, 1))[days]
    assert what in {harm.what for log in run(setup, scenario).logs for harm in harms(setup, log)}
