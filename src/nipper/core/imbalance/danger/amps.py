"""Currents that the over-current trips should have ended."""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from nipper.core.imbalance.danger.model import Danger, reaching, spell
from nipper.core.logs.model import Log
from nipper.core.setup import Setup
from nipper.core.setup.protection import CurrentLimit

ABOVE = 1.05  # of the trip: two meters differ by so much
LEAST_S = 60.0  # without a break, beyond the trip's own delay


def beyond_amps(log: Log, setup: Setup) -> Iterator[Danger]:
    """At most one danger for either way of the current."""
    limits = setup.protection
    for way, trip in ((1, limits.charge_over_current), (-1, limits.discharge_over_current)):
        if trip is not None:
            yield from _beyond(log, way, trip)


def _beyond(log: Log, way: int, trip: CurrentLimit) -> Iterator[Danger]:
    if not reaching(log.current_a[:, None], way, way * ABOVE * trip.trip_a):
        return
    amps = way * np.nan_to_num(log.current_a)
    rows = _without_a_break(log, amps > ABOVE * trip.trip_a, trip.delay_s + LEAST_S)
    seen = spell(log, rows, LEAST_S)
    if not seen:
        return
    most_a = float(amps[rows].max())
    flowed = f"Charged with {most_a:.0f} A" if way > 0 else f"Drew {most_a:.0f} A"
    yield Danger(
        kind="over_current",
        cells=(),
        worst=most_a,
        bound=trip.trip_a,
        unit="A",
        spell=seen,
        summary=f"{flowed}, above the trip of {trip.trip_a:g} A.",
        actions=(
            f"Above it {seen.words}. The trip did not end it: is it in the BMS as it stands here? "
            "Type it in again, and see it act.",
            "Fuse, leads and lugs are sized by that trip: feel them for warmth after such a "
            "load, and look for colour at the lugs.",
        ),
    )


def _without_a_break(log: Log, above: NDArray[np.bool_], least_s: float) -> NDArray[np.intp]:
    """The rows (indices) of those stretches that last long enough: a motor that starts again and
    again is above the trip, and rightly not ended.
    """
    edges = np.flatnonzero(np.diff(np.r_[False, above, False]))
    first, behind = edges[::2], edges[1::2]
    long = log.time_s[behind - 1] - log.time_s[first] >= least_s
    kept = np.zeros(above.size + 1, np.intp)
    kept[first[long]] = 1
    kept[behind[long]] -= 1
    return np.flatnonzero(np.cumsum(kept[:-1]))
