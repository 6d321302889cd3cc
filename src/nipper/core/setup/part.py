"""What all parts of a setup share: frozen, strict, and every number within what can be meant.

The bounds are wide: they hold off slips of the decimal point by powers of ten and numbers no
figure or simulation could bear. Whether a value is a *good* one is for the rules to say.
"""

from typing import Any

from pydantic import BaseModel, ConfigDict, Field

Bounds = dict[str, float]

PACK_V: Bounds = {"ge": 0.01, "le": 2000}
CELL_V: Bounds = {"ge": 0.01, "le": 100}  # wide enough for a pack's volts typed into a cell's field
DELTA_MV: Bounds = {"ge": 0, "le": 5000}
AMPS: Bounds = {"ge": 0.001, "le": 100_000}
AMPS_OR_NONE: Bounds = {"ge": 0, "le": 100_000}
KILOAMPS: Bounds = {"ge": 0.001, "le": 1000}
AMPERE_HOURS: Bounds = {"ge": 0.01, "le": 100_000}
MOHM: Bounds = {"ge": 0.001, "le": 10_000}
WATTS: Bounds = {"ge": 0.1, "le": 10_000_000}
WATTS_OR_NONE: Bounds = {"ge": 0, "le": 100_000}
KWH: Bounds = {"ge": 0.001, "le": 100_000}
CELSIUS: Bounds = {"ge": -60, "le": 200}
AIR_C: Bounds = {"ge": -60, "le": 100}
MICROSECONDS: Bounds = {"ge": 0, "le": 10_000_000}
SECONDS: Bounds = {"ge": 0, "le": 604_800}
SOME_SECONDS: Bounds = {"ge": 0.001, "le": 3600}
MINUTES: Bounds = {"ge": 0, "le": 10_080}
DAYS: Bounds = {"ge": 0.1, "le": 3650}
SQUARE_MM: Bounds = {"ge": 0.05, "le": 5000}
METRES: Bounds = {"ge": 0.01, "le": 1000}
REQUIRED: Any = ...


class Part(BaseModel):
    """A part of the setup: immutable; an unknown key is an error that names its place."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, strict=True)


def number(bounds: Bounds, title: str, description: str = "", default: Any = REQUIRED) -> Any:
    """A number of a part, as it is checked, labelled and explained wherever it appears."""
    return Field(default, title=title, description=description or None, **bounds)  # pyright: ignore[reportArgumentType] - bounds by name


def optional(bounds: Bounds, title: str, description: str = "") -> Any:
    """A number that may be left out."""
    return number(bounds, title, description, None)


def part(title: str) -> Any:
    """A part that may be left out."""
    return Field(default=None, title=title)
