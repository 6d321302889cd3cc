"""Trip counters as a BMS shows them, over time: which grew, and what that means."""

import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, ValidationError

KIND = "trip-counters"  # of bench events
NEAR_S = 3 * 86400.0  # an event this near the growth is named with it


class Trip(StrEnum):
    """What a BMS counts."""

    SHORT_CIRCUIT = "short circuit"
    CHARGE_CURRENT = "charge over-current"
    DISCHARGE_CURRENT = "discharge over-current"
    CELL_HIGH = "cell over-voltage"
    CELL_LOW = "cell under-voltage"
    PACK_HIGH = "pack over-voltage"
    PACK_LOW = "pack under-voltage"
    CHARGE_HOT = "charge over-temperature"
    CHARGE_COLD = "charge under-temperature"
    DISCHARGE_HOT = "discharge over-temperature"
    DISCHARGE_COLD = "discharge under-temperature"
    SWITCHES_HOT = "switches over-temperature"


MEANS = {
    Trip.SHORT_CIRCUIT: "A short, or an inrush the BMS took for one. Find out which before it is "
    "reset: look at leads and lugs, and fill the inverter's capacitors before closing.",
    Trip.CHARGE_CURRENT: "All chargers together gave more than the trip: set their sum under it.",
    Trip.DISCHARGE_CURRENT: "A load or its start was above the trip. With several packs, one that "
    "was away left the rest to carry all.",
    Trip.CELL_HIGH: "A cell was at its trip before the charge was over: the pack is not level, or "
    "the charger's target is too high.",
    Trip.CELL_LOW: "The emptiest cell ended a discharge: drawn too deep, or one cell holds less.",
    Trip.PACK_HIGH: "The charger went past the pack's limit: hold its target against it.",
    Trip.PACK_LOW: "The pack was drawn empty: the inverter's own low cut must come first.",
    Trip.CHARGE_HOT: "Charged in the heat, or too fast for the place.",
    Trip.CHARGE_COLD: "A charge was stopped in the cold, as it should. Many in a winter: the place "
    "is too cold, or the sensor lies.",
    Trip.DISCHARGE_HOT: "Drawn hard in the heat; look for a joint that heats a sensor.",
    Trip.DISCHARGE_COLD: "Too cold to give current: as it should.",
    Trip.SWITCHES_HOT: "The BMS itself is too warm: current near its rating, or no air around it.",
}
GRAVE = {Trip.SHORT_CIRCUIT, Trip.CELL_HIGH, Trip.CELL_LOW}  # each asks for its cause


class Counters(BaseModel):
    """What a BMS's counters showed at a time."""

    model_config = ConfigDict(frozen=True, extra="ignore", defer_build=True)

    counts: dict[Trip, Annotated[int, Field(ge=0, le=10_000_000)]] = Field(max_length=20)


@dataclass(frozen=True, slots=True)
class Growth:
    """A counter that grew: by how many, over how many days, and what happened then."""

    trip: Trip
    by: int
    days: float
    from_s: float
    to_s: float
    near: tuple[str, ...] = ()

    @property
    def grave(self) -> bool:
        """Whether each one asks for its cause."""
        return self.trip in GRAVE


def parse(note: str) -> Counters | None:
    """The counters in an event's note; None where there are none to be read."""
    try:
        return Counters.model_validate_json(note)
    except ValidationError:
        return None


def words(note: str) -> str:
    """The counters in an event's note, in words."""
    found = parse(note)
    if found is None:
        return note
    each = ", ".join(f"{trip} {count}" for trip, count in found.counts.items())
    return f"trip counters: {each or 'none'}"


def kept(
    events: Sequence[tuple[float, int | None, str, str]], pack: int
) -> list[tuple[float, Counters]]:
    """A pack's counters, oldest first, from events (time_s, pack, kind, note)."""
    found = [(at, parse(note)) for at, of, kind, note in events if kind == KIND and of == pack]
    return [(at, c) for at, c in sorted(found, key=lambda pair: pair[0]) if c is not None]


def growths(
    readings: Sequence[tuple[float, Counters]],
    events: Sequence[tuple[float, str]] = (),
) -> list[Growth]:
    """What grew between one reading and the next, newest first; a counter that fell was reset and
    counts from nothing. ``events`` (time_s, words) that lie within or near it are named.
    """
    out: list[Growth] = []
    for (before_s, before), (after_s, after) in itertools.pairwise(readings):
        near = tuple(words for at, words in events if before_s - NEAR_S <= at <= after_s + NEAR_S)[
            :3
        ]
        for trip, count in after.counts.items():
            had = before.counts.get(trip)
            if had is None:
                continue
            by = count - had if count >= had else count
            if by > 0:
                days = (after_s - before_s) / 86400.0
                out.append(Growth(trip, by, days, before_s, after_s, near))
    return out[::-1]
