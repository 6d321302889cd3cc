"""The chargers' profiles, and what the bank feeds."""

from typing import Literal

from pydantic import Field

from nipper.core.setup.part import (
    AIR_C,
    AMPS,
    AMPS_OR_NONE,
    DAYS,
    KWH,
    MINUTES,
    PACK_V,
    WATTS,
    Bounds,
    Part,
    number,
    optional,
)


class RateStep(Part):
    """A step of the table of charge rates: up to the next step, no more than this."""

    from_c: float = number(AIR_C, "from")
    c_rate: float = number(Bounds(0, 20), "at most", "of the capacity, each hour; 0: no charge")


HOURS = Bounds(0, 24)
JOINS = Field(
    default=None,
    title="is joined",
    description="behind_switch: the battery switch takes it off; at_battery: it goes on feeding "
    "the battery while the switch is open",
)


class ExtraCharger(Part):
    """A charger beside the main one, with its own target: shore power, a generator, an
    alternator.
    """

    name: str = Field(default="second charger", max_length=100, title="name")
    absorption_v: float = number(PACK_V, "absorption")
    absorption_min: float = number(MINUTES, "absorption time", default=60.0)
    float_v: float | None = optional(PACK_V, "float")
    max_charge_a: float = number(AMPS, "charge current")
    cold_stop_c: float | None = optional(
        AIR_C,
        "stops below",
        "its own cutoff in the cold, or that of a relay, by a sensor on the coldest cell",
    )
    joins: Literal["behind_switch", "at_battery"] | None = JOINS
    on_from_h: float | None = optional(
        HOURS, "on from", "o'clock, on an ordinary day; left out: 7 to 19 in pictures, no part of "
        "the year's budget",
    )  # fmt: skip
    on_until_h: float | None = optional(HOURS, "on until", "o'clock; before its start: overnight")

    @property
    def hours_on(self) -> float:
        """Hours it is on, on an ordinary day; 0 where they are not said."""
        if self.on_from_h is None or self.on_until_h is None:
            return 0.0
        return (self.on_until_h - self.on_from_h) % 24.0


class Charging(Part):
    """The charger's profile for the whole pack."""

    absorption_v: float = number(PACK_V, "absorption")
    absorption_min: float = number(MINUTES, "absorption time", default=60.0)
    float_v: float | None = optional(PACK_V, "float")
    max_charge_a: float | None = optional(AMPS, "charge current")
    tail_a: float | None = optional(
        AMPS_OR_NONE, "tail current", "absorption ends early when the current falls to this"
    )
    equalise_v: float | None = optional(PACK_V, "equalise")
    equalise_min: float | None = optional(
        MINUTES, "equalise time", "held at the equalise voltage; left out: as long as absorption"
    )
    equalise_every_days: float | None = optional(DAYS, "equalise every")
    compensation_mv_per_k: float | None = optional(
        Bounds(-500, 500),
        "temperature compensation",
        "a lead-acid feature: moves the target of the pack with its temperature",
    )
    cold_stop_c: float | None = optional(
        AIR_C,
        "charger stops below",
        "the charger's own cutoff, or that of a relay, by a sensor on the coldest cell",
    )
    cold_resume_c: float | None = optional(AIR_C, "charger resumes at")
    rates: tuple[RateStep, ...] = Field(
        default=(),
        max_length=12,
        strict=False,
        title="rates by temperature",
        description="coldest step first; left out: the usual table",
    )
    joins: Literal["behind_switch", "at_battery"] | None = JOINS


class Load(Part):
    """Something the bank feeds."""

    name: str = Field(default="load", max_length=100, title="name")
    watts: float | None = optional(WATTS, "power", "at the inverter's output")
    amps: float | None = optional(AMPS, "current", "at the battery, in place of the power")
    hours_per_day: float = number(HOURS, "hours a day", default=1.0)


class Usage(Part):
    """What the bank feeds, at the inverter's output."""

    continuous_w: float | None = optional(
        WATTS, "most for long", "all that may run together for minutes"
    )
    inrush_w: float | None = optional(
        WATTS, "heaviest start", "a pump or compressor starting, with what runs beside it"
    )
    inrush_s: float | None = optional(Bounds(0.001, 60), "it lasts")
    kwh_per_day: float | None = optional(
        KWH, "energy a day", "in one number; left out: the sum of the loads one by one"
    )
    loads: tuple[Load, ...] = Field(
        default=(), max_length=40, strict=False, title="loads one by one"
    )
