"""The cell by its sheet, and what levels the cells."""

from typing import Literal

from pydantic import Field

from nipper.core.setup.part import (
    AMPS,
    CELL_V,
    DELTA_MV,
    MOHM,
    SMALL_AMPS,
    SOME_MINUTES,
    SOME_SECONDS,
    Bounds,
    Part,
    number,
    optional,
)


class Cell(Part):
    """What the cell's sheet allows, and its resistance."""

    max_charge_a: float | None = optional(AMPS, "most charge current")
    max_discharge_a: float | None = optional(AMPS, "most discharge current")
    pulse_discharge_a: float | None = optional(
        AMPS, "pulse current", "of discharge, for the time beside it, by the cell's sheet"
    )
    pulse_s: float | None = optional(SOME_SECONDS, "pulse time")
    resistance_mohm: float | None = optional(
        MOHM, "resistance", "direct-current resistance of one cell at 25 °C"
    )
    max_v: float | None = optional(CELL_V, "sheet's highest", "voltage the cell's sheet allows")
    min_v: float | None = optional(CELL_V, "sheet's lowest", "voltage the cell's sheet allows")


BLEEDS_AT_ONCE = 3  # cells a passive balancer bleeds together: common practice


class Balancer(Part):
    """The balancer: what it can move and when it may run."""

    kind: Literal["passive", "active"] = Field(
        title="kind", description="passive bleeds high cells, active moves charge from high to low"
    )
    current_a: float = number(AMPS, "current")
    start_v: float = number(
        CELL_V, "balance from", "a cell must be above this before the balancer runs"
    )
    delta_mv: float = number(
        DELTA_MV, "trigger difference", "difference between cells that starts it"
    )
    when: Literal["charging", "rest", "always"] = Field(
        title="may run", description="only while charging, only at rest, or always"
    )
    at_once: int | None = Field(
        default=None,
        ge=1,
        le=200,
        title="cells bled at once",
        description="by a passive balancer; left out: 3, common practice",
    )
    switched: Literal["on", "off"] | None = Field(
        default=None,
        title="switched",
        description="on or off in its menu; left out: on. In some menus a zero is off",
    )
    in_over_voltage: Literal["stops", "goes_on"] | None = Field(
        default=None,
        title="in over-voltage",
        description="one that runs while charging, when over-voltage has cut the charge: whether "
        "it goes on bleeding the high cell; left out: it stops",
    )
    sleep_after_min: float | None = optional(
        SOME_MINUTES, "sleeps after", "so long without current, and levels no more until one flows"
    )
    idle_a: float | None = optional(
        SMALL_AMPS,
        "balancer's idle draw",
        "what it takes from the cells all the time, by its sheet",
    )

    @property
    def is_on(self) -> bool:
        """Whether it is switched on."""
        return self.switched != "off"

    @property
    def bled_at_once(self) -> int:
        """How many cells a passive balancer bleeds together."""
        return self.at_once or BLEEDS_AT_ONCE


class SeparateBalancer(Balancer):
    """A balancer that is a device of its own, beside the BMS, with protections of its own."""

    low_v: float | None = optional(
        CELL_V, "stops at low cell", "its own low-voltage protection: the lowest cell"
    )
    high_v: float | None = optional(
        CELL_V, "stops at high cell", "its own high-voltage protection: the highest cell"
    )
    low_c: float | None = optional(
        Bounds(-60, 60), "stops when colder", "its own low-temperature protection"
    )
