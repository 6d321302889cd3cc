"""The temperature limits as rows of a chart: where charge, discharge and switches are off, wait,
are slow or free, and what can be moved.
"""

from dataclasses import dataclass
from itertools import pairwise

from nipper.core.setup import Setup, TemperatureLimit
from nipper.core.sources.rates import rates

LOWEST_C, HIGHEST_C = -45.0, 110.0


@dataclass(frozen=True, slots=True)
class Zone:
    """A stretch of temperature. ``kind``: off, waits, slow, on."""

    low_c: float
    high_c: float
    kind: str
    text: str


@dataclass(frozen=True, slots=True)
class Row:
    """One thing that is switched, its zones from cold to hot, and the limits (path, degC) between
    them.
    """

    title: str
    zones: tuple[Zone, ...]
    handles: tuple[tuple[str, float], ...]


def rows(setup: Setup) -> list[Row]:
    """Charge, discharge and the BMS's switches."""
    p = setup.protection
    return [
        _row("Charge", "charge", setup, setup.charge_cutoff, p.charge_over_temperature),
        _row(
            "Discharge",
            "discharge",
            setup,
            p.discharge_under_temperature,
            p.discharge_over_temperature,
        ),
        _row("Switches", "mosfet", setup, None, p.mosfet_over_temperature),
    ]


def _row(
    title: str, name: str, setup: Setup, cold: TemperatureLimit | None, hot: TemperatureLimit | None
) -> Row:
    cold_trip = cold.trip_c if cold else LOWEST_C
    hot_trip = hot.trip_c if hot else HIGHEST_C
    back_low = min(max(cold.release_c, cold_trip), hot_trip) if cold else LOWEST_C
    back_high = max(min(hot.release_c, hot_trip), back_low) if hot else HIGHEST_C
    zones = [
        Zone(LOWEST_C, cold_trip, "off", "off"),
        Zone(cold_trip, back_low, "waits", "waits"),
        *_free(name, setup, back_low, back_high),
        Zone(back_high, hot_trip, "waits", "waits"),
        Zone(hot_trip, HIGHEST_C, "off", "off"),
    ]
    handles: list[tuple[str, float]] = []
    own = getattr(setup.protection, f"{name}_under_temperature", None)
    if name == "charge" and own is None and cold is not None:  # the charger's, or a relay's
        handles += [
            ("charging.cold_stop_c", cold.trip_c),
            ("charging.cold_resume_c", cold.release_c),
        ]
    for side, limit in (("under", own), ("over", hot)):
        if limit is not None:
            path = f"protection.{name}_{side}_temperature"
            handles += [(f"{path}.trip_c", limit.trip_c), (f"{path}.release_c", limit.release_c)]
    return Row(title, tuple(z for z in zones if z.high_c > z.low_c), tuple(handles))


def _free(name: str, setup: Setup, low_c: float, high_c: float) -> list[Zone]:
    """Where it is on; a charge by the table of rates."""
    if name != "charge":
        return [Zone(low_c, high_c, "on", "on")]
    steps, _ = rates(setup)
    best = max(s.c_rate for s in steps)
    edges = [low_c, *sorted(s.from_c for s in steps if low_c < s.from_c < high_c), high_c]
    out: list[Zone] = []
    for a, b in pairwise(edges):
        rate = next(
            (s.c_rate for s in sorted(steps, key=lambda s: -s.from_c) if a >= s.from_c - 1e-9), 0.0
        )
        if rate == 0.0:
            kind = "off"
        elif rate < best:
            kind = "slow"
        else:
            kind = "on"
        out.append(Zone(a, b, kind, f"up to {rate:g}C" if rate else "no charge"))
    return out
