"""What a rehearsal starts from: what the user chose, and what is known of each pack.

Apart from the numerics, which take long to load: a window makes a plan before its first paint.
"""

from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from nipper.core.imbalance.estimate import Estimate
    from nipper.core.logs.model import Log
    from nipper.core.simulate.scenario import Event, OtherCharger


@dataclass(frozen=True, eq=False, slots=True)
class Known:
    """What is known of one pack."""

    log: "Log"
    estimate: "Estimate"


@dataclass(frozen=True, slots=True)
class Plan:
    """What the user chose for a rehearsal."""

    days: float = 3.0
    weather: str = "clear"
    start: str = "2026-06-01T00:00:00+00:00"
    load_kwh_per_day: float | None = None
    sun_w: float | None = None
    air_c: float = 16.0
    start_soc_pct: float = 80.0
    seed: int = 1
    events: "tuple[Event, ...]" = ()
    chargers: "tuple[OtherCharger, ...]" = ()
