"""A trial as the JSON document of ``nipper trial``."""

from collections import Counter

import numpy as np

from nipper.core.setup import Setup
from nipper.core.simulate.layout import LIMITERS
from nipper.core.simulate.scenario import Scenario
from nipper.core.simulate.trial import Trial


def to_json(trial: Trial, setup: Setup, scenario: Scenario) -> dict[str, object]:
    """Trips, balancing, what was charged and what was left of the sun."""
    trips = trial.trips
    counts = Counter(e.protection for e in trips)
    spread = (trial.true_pct.max(axis=2) - trial.true_pct.min(axis=2)) if trial.true_pct.size else np.zeros((1, 1))
    shares = np.bincount(trial.limiter, minlength=len(LIMITERS)) / max(1, trial.limiter.size)
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
        "limited_by": {name: round(float(share), 4) for name, share in zip(LIMITERS, shares, strict=True)},
        "moved_ah": [[round(float(v), 3) for v in pack] for pack in trial.moved_ah],
        "events": [
            {"time_s": e.time_s, "pack": e.pack, "protection": e.protection, "kind": e.kind, "cell": e.cell, "value": round(e.value, 3)} for e in trial.events[:1000]
        ],
    }
