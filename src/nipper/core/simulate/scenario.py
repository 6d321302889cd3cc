"""A scenario: the days, the sky, the loads and what happens.

An open JSON form, documented in docs/scenario.md.
"""

from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from nipper.core import documents

MOST_W = 1e8  # of sun or loads: more is no bank


class Part(BaseModel):
    """A part of a scenario: immutable; an unknown key is an error that names its place."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, strict=True)


class Loads(Part):
    """House loads, W."""

    base_w: float = Field(default=120.0, ge=0, le=MOST_W, description="always on")
    fridge_w: float = Field(default=80.0, ge=0, le=MOST_W, description="a compressor that cycles")
    evening_w: float = Field(
        default=350.0, ge=0, le=MOST_W, description="evening, and half of it in the morning"
    )
    kettle_w: float = Field(
        default=1500.0, ge=0, le=MOST_W, description="four minutes, a few times a day"
    )
    surge_w: float = Field(
        default=0.0,
        ge=0,
        le=MOST_W,
        description="what a starting compressor draws on top, once an hour",
    )
    surge_s: float = Field(default=0.2, ge=0, le=10, description="how long it does")


class OtherCharger(Part):
    """A charger beside the sun's, with its own target: shore power, a generator, an alternator."""

    name: str = Field(default="second charger", max_length=100)
    max_a: float = Field(gt=0, le=100_000)
    absorption_v: float = Field(gt=0, le=2000, description="of the pack")
    absorption_min: float = Field(default=60.0, ge=0)
    float_v: float = Field(
        default=0.0, ge=0, description="of the pack; 0: it stops after absorption"
    )
    from_hour: float = Field(default=0.0, ge=0, le=24)
    to_hour: float = Field(default=24.0, ge=0, le=24)
    cold_stop_c: float | None = Field(
        default=None, ge=-60, le=100, description="it stops below this, by a sensor of its own"
    )


class CellFault(Part):
    """What differs in one cell (or a block, or all without ``cell``) of one pack (or all)."""

    pack: int | None = Field(default=None, ge=1)
    cell: int | None = Field(default=None, ge=1)
    to_cell: int | None = Field(
        default=None, ge=1, description="last cell of a block that begins with ``cell``"
    )
    offset_pct: float = Field(
        default=0.0,
        ge=-60,
        le=60,
        description="charge against the others at the start, % of capacity",
    )
    capacity_pct: float = Field(
        default=100.0, gt=1, le=200, description="capacity, % of the setup's"
    )
    resistance_mohm: float = Field(default=0.0, ge=0, description="added to the cell's own")
    joint_mohm: float = Field(default=0.0, ge=0, description="joint read with this cell")
    leak_mah_per_day: float = Field(
        default=0.0, description="charge lost by itself or to electronics"
    )
    bias_mv: float = Field(default=0.0, ge=-500, le=500, description="error of its reading")
    colder_c: float = Field(default=0.0, ge=-40, le=40, description="its place is so much colder")


class Event(Part):
    """What happens on a day: for some minutes, or from then on."""

    day: float = Field(ge=0, description="days after the start, with a fraction")
    minutes: float | None = Field(
        default=None,
        gt=0,
        description="for how long; left out: from then on (settings and cells always stay)",
    )
    note: str = Field(default="", max_length=500)
    settings: dict[str, Any] = Field(
        default={}, description="JSON paths of the setup and their new values"
    )
    cells: list[CellFault] = []
    sun_share: float | None = Field(
        default=None, ge=0, le=1, description="a cloud: this share of the sun comes through"
    )
    extra_load_w: float = Field(default=0.0, ge=0, description="something is switched on")
    colder_c: float = Field(default=0.0, ge=-60, le=60, description="the air is so much colder")
    sensor_c: float | None = Field(
        default=None,
        ge=-60,
        le=150,
        description="the temperature put on a sensor by hand, as by ice",
    )
    sensor: int = Field(default=1, ge=1, description="which sensor that is")
    link_lost: bool = Field(default=False, description="the cable to the inverter is pulled")
    offline: int | None = Field(default=None, ge=1, description="this pack is taken off the bus")


class Scenario(Part):
    """What a trial runs through. ``days`` is the one fixed key."""

    days: float = Field(gt=0, le=3660)
    start: str = Field(default="2026-06-01T00:00:00+00:00", description="ISO 8601 with an offset")
    seed: int = Field(default=1, ge=0, le=2**31 - 1)
    latitude_deg: float = Field(default=52.0, ge=-66, le=66)
    tilt_deg: float = Field(default=0.0, ge=0, le=90, description="of the modules; 0: flat")
    facing_deg: float = Field(
        default=0.0, ge=-180, le=180, description="from the equator's direction, + to the west"
    )
    weather: Literal["clear", "mixed", "cloudy"] = "mixed"
    pv_w: float | None = Field(
        default=None,
        ge=0,
        le=MOST_W,
        description="peak power; left out: a quarter of the bank's energy in an hour",
    )
    loads: Loads | None = Field(default=None, description="left out: in proportion to the bank")
    start_soc_pct: float = Field(default=60.0, ge=0, le=100)
    ambient_c: float = Field(default=16.0, ge=-40, le=50, description="mean over the year")
    season_c: float = Field(default=6.0, ge=0, le=40)
    day_c: float = Field(default=3.0, ge=0, le=30)
    step_s: float = Field(default=10.0, ge=1, le=60)
    log_every_s: float = Field(default=60.0, ge=1, le=3600)
    sensors: int = Field(default=2, ge=0, le=8)
    spread_offset_pct: float = Field(
        default=0.15, ge=0, le=20, description="standard deviation between healthy cells"
    )
    spread_capacity_pct: float = Field(default=0.5, ge=0, le=10)
    spread_resistance_pct: float = Field(default=3.0, ge=0, le=30)
    spread_leak_mah_per_day: float = Field(default=1.5, ge=0, le=100)
    curve_mv: float = Field(
        default=0.0,
        ge=-30,
        le=30,
        description="the cells' own rest curve departs from the chemistry's by so much, in a wave",
    )
    leads_mohm: list[float] = Field(
        default=[],
        max_length=64,
        description="added to each pack's way to the bus, first pack first",
    )
    chargers: list[OtherCharger] = Field(default=[], max_length=4)
    cells: list[CellFault] = []
    events: list[Event] = []


def parse(document: object, file: str = "scenario") -> Scenario:
    """Check a JSON document; :class:`InputError` names the path of what is wrong."""
    return documents.checked(Scenario, document, file)


def load(path: str | Path) -> Scenario:
    """Read a scenario file; :class:`InputError` names the place of what is wrong."""
    return documents.load(Scenario, path)
