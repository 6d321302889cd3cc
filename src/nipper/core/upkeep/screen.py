"""What a BMS's screen shows beside its voltages: its own count of ampere-hours, cycles, alarms."""

import re
from collections.abc import Sequence
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from nipper.core.setup import Setup
from nipper.core.upkeep.trips import MEANS, Trip

KIND = "screen-reading"  # of bench events
APART_PCT = 2.0  # between remaining over full and the percentage: more than rounding
NEAR_K = 15.0  # to the limit of the switches: common practice
OTHER_CAPACITY = 0.03  # share
Ah = Annotated[float, Field(ge=0, le=1e6, allow_inf_nan=False)]


class Screen(BaseModel):
    """What was read at one moment; None is what the screen does not show."""

    model_config = ConfigDict(frozen=True, extra="ignore", defer_build=True)

    remaining_ah: Ah | None = None
    full_ah: Ah | None = None
    cycles: Annotated[int, Field(ge=0, le=1_000_000)] | None = None
    switches_c: Annotated[float, Field(ge=-60, le=200)] | None = None
    alarms: str = Field(default="", max_length=200)

    @property
    def is_empty(self) -> bool:
        """Whether nothing of it was read."""
        return self == Screen()

    @property
    def words(self) -> str:
        """What was read, in words."""
        parts: list[str] = []
        if self.remaining_ah is not None:
            of = "" if self.full_ah is None else f" of {self.full_ah:g}"
            parts.append(f"{self.remaining_ah:g}{of} Ah left")
        elif self.full_ah is not None:
            parts.append(f"{self.full_ah:g} Ah full")
        if self.cycles is not None:
            parts.append(f"{self.cycles} cycles")
        if self.switches_c is not None:
            parts.append(f"switches {self.switches_c:g} °C")
        if self.alarms:
            parts.append(f"alarms: {self.alarms}")
        return f"read from the screen: {', '.join(parts)}"


def parse(note: str) -> Screen | None:
    """What was read, from an event's note; None where it cannot be read."""
    try:
        return Screen.model_validate_json(note)
    except ValidationError:
        return None


def kept(
    events: Sequence[tuple[float, int | None, str, str]], pack: int
) -> list[tuple[float, Screen]]:
    """What was read of a pack, oldest first, from events (time_s, pack, kind, note)."""
    found = [(at, parse(note)) for at, of, kind, note in events if kind == KIND and of == pack]
    return [(at, s) for at, s in sorted(found, key=lambda pair: pair[0]) if s is not None]


def doubts(
    screen: Screen, setup: Setup, soc_pct: float | None = None, before: Screen | None = None
) -> list[str]:
    """What does not fit together, and what an alarm asks for; ``before`` is the reading before."""
    out: list[str] = []
    left, full = screen.remaining_ah, screen.full_ah
    if left is not None and full and left > full * (1 + OTHER_CAPACITY):
        out.append(f"{left:g} Ah left are more than the {full:g} Ah of a full pack.")
    elif left is not None and full and soc_pct is not None:
        share = 100.0 * left / full
        if abs(share - soc_pct) > APART_PCT:
            out.append(
                f"{left:g} of {full:g} Ah are {share:.0f} %, the screen counts {soc_pct:.0f} %: "
                "one of the two was set by hand, or counts past the references."
            )
    if full and abs(full / setup.capacity_ah - 1.0) > OTHER_CAPACITY:
        out.append(
            f"It counts with {full:g} Ah full, the pack is set to {setup.capacity_ah:g} Ah: its "
            "percentages are of another capacity."
        )
    limit = setup.protection.mosfet_over_temperature
    if screen.switches_c is not None and limit and screen.switches_c > limit.trip_c - NEAR_K:
        out.append(
            f"The switches are at {screen.switches_c:g} °C, their limit is {limit.trip_c:g} °C: "
            "less current, or air around the BMS."
        )
    had = 0 if before is None else before.cycles or 0
    if screen.cycles is not None and screen.cycles < had:
        out.append(
            f"{screen.cycles} cycles, and {had} before: the counter was reset, or it is another "
            "BMS."
        )
    return out + [f"Alarm, {trip}: {MEANS[trip]}" for trip in alarms(screen)]


def alarms(screen: Screen) -> list[Trip]:
    """The alarms that are known by their names, as typed."""
    typed = f" {re.sub(r'[^a-z]+', ' ', screen.alarms.lower())} "  # "discharge" holds "charge"
    return [trip for trip in Trip if f" {trip.value.replace('-', ' ')} " in typed]
