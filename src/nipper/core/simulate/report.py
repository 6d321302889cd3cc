"""A trial as the JSON document of ``nipper trial``."""

from collections import Counter

import numpy as np

from nipper.core.setup import Setup
from nipper.core.simulate.layout import LIMITERS
from nipper.core.simulate.scenario import Scenario
from nipper.core.simulate.trial import BmsEvent, Trial

MOST_LISTED = 1000


def to_json(trial: Trial, setup: Setup, scenario: Scenario) -> dict[str, object]:
    """Trips, balancing, what was charged and what was left of the sun."""
    trips = trial.trips
    counts = Counter(e.protection for e in trips)
    spread = (
        (trial.true_pct.max(axis=2) - trial.true_pct.min(axis=2))
        if trial.true_pct.size
        else np.zeros((1, 1))
    )
    shares = np.bincount(trial.limiter, minlength=len(LIMITERS)) / max(1, trial.limiter.size)
    current_a = setup.leveller.current_a if setup.leveller else 0.0
    return {
        "format": "nipper-trial",
        "version": 1,
        "name": setup.name,
        "days": scenario.days,
        "trips": len(trips),
        "charged_ah": round(float(trial.charged_ah.sum()), 1),
        "discharged_ah": round(float(trial.discharged_ah.sum()), 1),
        "energy_not_taken_wh": round(trial.not_taken_wh, 0),
        "balancing_h": round(trial.balancing_h, 2),
        "above_balance_start_h": round(trial.above_start_h, 2),
        "spread_start_pct": [round(float(s), 2) for s in spread[0]],
        "spread_end_pct": [round(float(s), 2) for s in spread[-1]],
        "trips_by_protection": dict(counts),
        "limited_by": {
            name: round(float(share), 4) for name, share in zip(LIMITERS, shares, strict=True)
        },
        "energy_not_served_wh": round(trial.not_served_wh, 0),
        "without_full_power_h": round(trial.dark_h, 2),
        "limited": _limited(trial),
        "balanced_min": [
            [round(60.0 * abs(float(v)) / current_a, 1) for v in pack] for pack in trial.moved_ah
        ]
        if current_a
        else None,
        "moved_ah": [[round(float(v), 3) for v in pack] for pack in trial.moved_ah],
        "events": [_event(e) for e in trial.events[:MOST_LISTED]],
    }


def _event(event: BmsEvent) -> dict[str, object]:
    return {
        "time_s": event.time_s,
        "pack": event.pack,
        "protection": event.protection,
        "kind": event.kind,
        "cell": event.cell,
        "value": round(event.value, 3),
    }


def _limited(trial: Trial) -> list[dict[str, object]]:
    """Who limited the charge from when on, at the rows of the log; the first thousand changes."""
    changes = np.flatnonzero(np.r_[True, np.diff(trial.limiter) != 0])[:MOST_LISTED]
    return [
        {"time_s": float(trial.logs[0].time_s[i]), "by": LIMITERS[int(trial.limiter[i])]}
        for i in changes
    ]
