"""Alarms of current, temperature and pack voltage: each must come before its trip.

Those of the cells stand with their limits.
"""

from collections.abc import Iterator

from nipper.core.findings import Finding
from nipper.core.quantities import format_quantity, unit_of
from nipper.core.rules.base import Evidence, Rule, warning
from nipper.core.setup import CurrentLimit, Protection, Setup, TemperatureLimit, VoltageLimit

SHARE_OF_TRIP = 0.95  # of a current, common practice
BEFORE_TRIP_C = 2.0  # common practice
BEFORE_TRIP_V = 0.05  # a cell, as with the cells' own alarms


def alarm_after_trip(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """An alarm at or beyond the trip is never seen before the switch opens."""
    for name, info in Protection.model_fields.items():
        limit = getattr(setup.protection, name)
        if name.startswith("cell_"):
            continue
        side = -1.0 if "under" in name else 1.0  # the way in which it trips
        match limit:
            case CurrentLimit():
                key, alarm, trip, to = (
                    "alarm_a",
                    limit.alarm_a,
                    limit.trip_a,
                    SHARE_OF_TRIP * limit.trip_a,
                )
            case TemperatureLimit():
                key, alarm, trip, to = (
                    "alarm_c",
                    limit.alarm_c,
                    limit.trip_c,
                    limit.trip_c - side * BEFORE_TRIP_C,
                )
            case VoltageLimit():
                key, alarm, trip, to = (
                    "alarm_v",
                    limit.alarm_v,
                    limit.trip_v,
                    limit.trip_v - side * BEFORE_TRIP_V * setup.cells,
                )
            case _:
                continue
        if alarm is None or side * alarm < side * trip:
            continue
        path, unit, to = f"protection.{name}.{key}", unit_of(key), round(to, 2)
        yield warning(
            path,
            f"The {(info.title or name).lower().replace('mosfet', 'MOSFET')} alarm at "
            f"{format_quantity(alarm, unit)} comes no earlier "
            f"than the trip at {format_quantity(trip, unit)}.",
            "An alarm is there to be seen before anything is switched off.",
            {path: to},
        )


RULES = (Rule("alarm-after-trip", alarm_after_trip),)
