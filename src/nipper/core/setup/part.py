"""What all parts of a setup share: frozen, strict, and every number within what can be meant.

The bounds are wide: they hold off slips of the decimal point by powers of ten and numbers no
figure or simulation could bear. Whether a value is a *good* one is for the rules to say.
"""

from typing import Any, NamedTuple

from pydantic import BaseModel, ConfigDict, Field


class Bounds(NamedTuple):
    """Between which values a number can be meant at all."""

    least: float | None = None
    most: float | None = None


ANY = Bounds()

PACK_V = Bounds(0.01, 2000)
CELL_V = Bounds(0.01, 100)  # wide enough for a pack's volts typed into a cell's field
DELTA_MV = Bounds(0, 5000)
AMPS = Bounds(0.001, 100_000)
AMPS_OR_NONE = Bounds(0, 100_000)
KILOAMPS = Bounds(0.001, 1000)
AMPERE_HOURS = Bounds(0.01, 100_000)
MOHM = Bounds(0.001, 10_000)
WATTS = Bounds(0.1, 10_000_000)
WATTS_OR_NONE = Bounds(0, 100_000)
KWH = Bounds(0.001, 100_000)
CELSIUS = Bounds(-60, 200)
AIR_C = Bounds(-60, 100)
MICROSECONDS = Bounds(0, 10_000_000)
SECONDS = Bounds(0, 604_800)
SOME_SECONDS = Bounds(0.001, 3600)
SMALL_AMPS = Bounds(1e-6, 100)
SOME_MINUTES = Bounds(0.1, 525_600)
MINUTES = Bounds(0, 10_080)
DAYS = Bounds(0.1, 3650)
SQUARE_MM = Bounds(0.05, 5000)
METRES = Bounds(0.01, 1000)
PERCENT = Bounds(0, 100)
REQUIRED: Any = ...


class Part(BaseModel):
    """A part of the setup: immutable; an unknown key is an error that names its place."""

    # built when the first setup is read, as one whole: a sixth of the time to open a setup file
    model_config = ConfigDict(
        frozen=True, extra="forbid", allow_inf_nan=False, strict=True, defer_build=True
    )


def number(bounds: Bounds, title: str, description: str = "", default: Any = REQUIRED) -> Any:
    """A number of a part, as it is checked, labelled and explained wherever it appears."""
    return Field(
        default=default,
        title=title,
        description=description or None,
        ge=bounds.least,
        le=bounds.most,
    )


def optional(bounds: Bounds, title: str, description: str = "") -> Any:
    """A number that may be left out."""
    return number(bounds, title, description, None)


def part(title: str) -> Any:
    """A part that may be left out."""
    return Field(default=None, title=title)
