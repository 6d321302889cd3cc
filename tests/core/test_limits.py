"""Each protection acts at its value after its delay and ends at its release: against a plain state
machine over the logged readings.
"""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nipper.core.presets import new_setup
from nipper.core.setup import put
from nipper.core.simulate.scenario import CellFault, Loads, Scenario
from nipper.core.simulate.trial import run, zoom

STEP_S = 5.0


def expected(values, rising, trip, delay_s, release, by_time):
    """(kind, row) of what a protection must do to these readings: written without looking at the
    kernel.
    """
    out, since, active = [], 0.0, None
    for row, value in enumerate(values):
        if active is None:
            since = since + STEP_S if (value > trip if rising else value < trip) else 0.0
            if since and since >= delay_s:
                out.append(("trip", row))
                active, since = 0.0, 0.0
        else:
            active += STEP_S
            if active >= release if by_time else (value <= release if rising else value >= release):
                out.append(("release", row))
                active = None
    return out


def _off_the_grid(value):
    """Limits half a step of the meter off its readings: one exactly at its limit would be a matter
    of rounding.
    """
    if not isinstance(value, dict):
        return value
    steps = {"trip_v": 1e-3, "release_v": 1e-3, "trip_a": 0.1}
    return {
        k: (round(v / steps[k]) + 0.5) * steps[k] if k in steps else v for k, v in value.items()
    }


@settings(max_examples=25, deadline=None)
@given(data=st.data())
def test_every_limit_acts_at_its_value_and_delay(data):
    draw = data.draw
    cells = draw(st.integers(2, 8))
    over, under = draw(st.floats(3.40, 3.65)), draw(st.floats(2.6, 3.25))
    settings_ = {
        "charging.absorption_v": cells * draw(st.floats(3.40, 3.60)),
        "charging.max_charge_a": 100.0,
        "protection.cell_over_voltage": {
            "trip_v": over,
            "release_v": over - draw(st.floats(0.01, 0.2)),
            "delay_s": draw(st.sampled_from([0.0, 2.0, 7.0, 31.0])),
        },
        "protection.cell_under_voltage": {
            "trip_v": under,
            "release_v": under + draw(st.floats(0.01, 0.2)),
            "delay_s": draw(st.sampled_from([0.0, 10.0])),
        },
        "protection.pack_over_voltage": {
            "trip_v": cells * draw(st.floats(3.38, 3.6)),
            "release_v": cells * 3.35,
            "delay_s": 3.0,
        },
        "protection.charge_over_current": {
            "trip_a": draw(st.floats(10.0, 60.0)),
            "delay_s": draw(st.sampled_from([0.0, 12.0])),
            "release_s": draw(st.floats(20.0, 200.0)),
        },
        "protection.discharge_over_current": {
            "trip_a": draw(st.floats(10.0, 60.0)),
            "delay_s": 10.0,
            "release_s": draw(st.floats(20.0, 200.0)),
        },
        "protection.power_off_v": None,
        "protection.pack_under_voltage": None,
    }
    setup = put(
        new_setup("lfp", cells, 60.0),
        {path: _off_the_grid(value) for path, value in settings_.items()},
    )
    wh = cells * 3.2 * 60.0
    plan = Scenario(
        days=1.0,
        step_s=STEP_S,
        log_every_s=STEP_S,
        seed=draw(st.integers(0, 999)),
        start_soc_pct=draw(st.floats(3.0, 97.0)),
        pv_w=wh,
        loads=Loads(base_w=0.1 * wh, evening_w=0.4 * wh, kettle_w=0.6 * wh),
        cells=[CellFault(cell=1, offset_pct=1.0)],
    )
    trial = run(setup, plan)
    log = trial.logs[0]
    readings = {
        "cell_over_voltage": (log.cell_v.max(axis=1).round(3), True),
        "cell_under_voltage": (log.cell_v.min(axis=1).round(3), False),
        "pack_over_voltage": (log.cell_v.sum(axis=1, dtype=float).round(3), True),
        "charge_over_current": (log.current_a, True),
        "discharge_over_current": (-log.current_a, True),
    }
    for name, (values, rising) in readings.items():
        limit = getattr(setup.protection, name).model_dump()
        trip, release = (
            next(v for k, v in limit.items() if k.startswith(word)) for word in ("trip", "release")
        )
        got = [
            (e.kind, round((e.time_s - trial.start_s) / STEP_S) - 1)
            for e in trial.events
            if e.protection == name and e.kind != "alarm"
        ]
        assert got == expected(
            values, rising, trip, limit["delay_s"], release, "current" in name
        ), name


def test_a_trip_can_be_looked_at_second_by_second():
    setup = put(new_setup("lfp", 8, 100.0, balancer="none"), {"charging.absorption_v": 28.6})
    trial = run(
        setup,
        Scenario(
            days=3, weather="clear", start_soc_pct=85.0, cells=[CellFault(cell=3, offset_pct=1.0)]
        ),
    )
    trip = trial.trips[0]
    near = zoom(trial, trip.time_s - 300.0, trip.time_s + 300.0)
    assert near.logs[0].rows == 600
    assert np.diff(near.logs[0].time_s) == pytest.approx(1.0)
    again = [e for e in near.trips if e.protection == trip.protection]
    assert again
    assert again[0].cell == trip.cell
    assert again[0].time_s == pytest.approx(trip.time_s, abs=30.0)
    coarse, fine = (
        np.interp(trip.time_s - 120.0, t.logs[0].time_s, t.logs[0].pack_v) for t in (trial, near)
    )
    assert fine == pytest.approx(coarse, abs=0.03)
