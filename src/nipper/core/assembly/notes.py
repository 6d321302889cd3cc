"""What the bench keeps of its building: cells as delivered, readings, torques, words for parts."""

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from nipper.core.assembly.cells import CellEntry

LATEST_S = 4.1e9  # the year 2099
Volts = Annotated[float, Field(ge=-2000, le=2000)]
Number = Annotated[int, Field(ge=1, le=1000)]
Words = Annotated[str, Field(max_length=200)]


class Torque(BaseModel):
    """A joint tightened: newton metres, and when, Unix seconds."""

    model_config = ConfigDict(extra="ignore", allow_inf_nan=False, defer_build=True)

    nm: float = Field(gt=0, le=1000)
    at_s: float = Field(ge=0, le=LATEST_S)


class PackNotes(BaseModel):
    """One pack: its cells as delivered, the sense leads' readings, sensors, rest voltage."""

    model_config = ConfigDict(extra="ignore", allow_inf_nan=False, defer_build=True)

    cells: list[CellEntry] = Field(default_factory=list, max_length=5000)
    taps_v: list[Volts | None] = Field(default_factory=list, max_length=200)
    taps_pack_v: float | None = Field(default=None, gt=0, le=2000)
    taps_s: float | None = None  # when the readings were typed
    sensors: dict[Number, Number] = Field(
        default_factory=dict, max_length=50
    )  # sensor: beside cell
    rest_v: float | None = Field(default=None, gt=0, le=2000)
    soc_pct: float | None = Field(default=None, ge=0, le=100)  # by its own counter


class BuildNotes(BaseModel):
    """What is kept of the whole bank. Parts by their place: ``pack1.cell4``, ``switch``."""

    model_config = ConfigDict(extra="ignore", allow_inf_nan=False, defer_build=True)

    packs: dict[int, PackNotes] = Field(default_factory=dict, max_length=64)  # by number, from 0
    words: dict[str, Words] = Field(default_factory=dict, max_length=5000)  # identity, in own words
    torques: dict[str, Torque] = Field(default_factory=dict, max_length=5000)
    ticks: dict[str, float] = Field(default_factory=dict, max_length=100)  # step: Unix seconds
    supply_a: float | None = Field(default=None, gt=0, le=1000)  # of the bench supply
    delivered_pct: float | None = Field(default=None, ge=0, le=100)  # charge of the new cells

    def pack(self, number: int) -> PackNotes:
        """The notes of one pack, empty ones where there are none yet."""
        return self.packs.setdefault(number, PackNotes())


def parse_notes(text: str | None) -> BuildNotes:
    """The kept notes; empty ones where there are none to be read."""
    try:
        return BuildNotes.model_validate_json(text or "{}")
    except ValidationError:
        return BuildNotes()
