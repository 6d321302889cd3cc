"""Fuses, leads, and the link to the inverter."""

from typing import Literal

from pydantic import Field, field_validator

from nipper.core.setup.part import (
    AMPS,
    KILOAMPS,
    METRES,
    PACK_V,
    PERCENT,
    SECONDS,
    SQUARE_MM,
    WATTS_OR_NONE,
    Bounds,
    Part,
    optional,
)
from nipper.core.setup.pins import parse_pins

BY_COUNT = "of charge, as the BMS counts it: for an inverter set to control by percentage"


class Wiring(Part):
    """Fuse and leads of one pack, and the bank's own."""

    fuse_a: float | None = optional(AMPS, "fuse")
    fuse_kind: Literal["gG", "fast"] = Field(
        default="gG",
        title="kind of fuse",
        description="gG: general purpose, IEC 60269; fast: current-limiting, class T and the like",
    )
    fuse_breaks_ka: float | None = optional(
        KILOAMPS,
        "fuse can break",
        "its interrupting rating on direct current at the pack's voltage",
    )
    cable_mm2: float | None = optional(SQUARE_MM, "lead cross-section")
    cables_in_parallel: int = Field(
        default=1,
        ge=1,
        le=12,
        title="leads side by side",
        description="conductors of that size in parallel, equally long",
    )
    cable_insulation_c: Literal[70, 90, 105] | None = Field(
        default=None,
        title="lead's insulation",
        description="its class in °C, as printed on the lead; left out: counted as 70 °C",
    )
    cable_length_m: float | None = optional(METRES, "lead length", "one way")
    connector_a: float | None = optional(
        AMPS, "connector carries", "of the pack's plug or isolator, for long, by its sheet"
    )
    standby_w: float | None = optional(
        WATTS_OR_NONE, "standby draw", "of the BMS and what it feeds"
    )
    joined: Literal["busbar", "same_end", "diagonal"] = Field(
        default="busbar",
        title="packs are joined",
        description="busbar: each by a lead of its own to a common bar; in a row from pack to "
        "pack, both main leads at the first (same_end) or plus at the first and minus at the "
        "last (diagonal)",
    )
    between_mm2: float | None = optional(SQUARE_MM, "lead between packs", "of packs in a row")
    between_length_m: float | None = optional(METRES, "lead between's length", "one of the two")
    busbar_mm2: float | None = optional(SQUARE_MM, "busbar section", "width × thickness, copper")
    switch_a: float | None = optional(
        AMPS, "battery switch carries", "for long, by its sheet; of the whole bank"
    )
    main_fuse_a: float | None = optional(AMPS, "main fuse", "of the whole bank")
    main_fuse_kind: Literal["gG", "fast"] = Field(
        default="gG",
        title="kind of main fuse",
        description="gG: general purpose, IEC 60269; fast: current-limiting, class T and the like",
    )
    main_fuse_breaks_ka: float | None = optional(
        KILOAMPS,
        "main fuse can break",
        "its interrupting rating on direct current at the bank's voltage",
    )
    main_cable_mm2: float | None = optional(SQUARE_MM, "main lead", "of the whole bank")
    main_cables_in_parallel: int = Field(
        default=1,
        ge=1,
        le=12,
        title="main leads side by side",
        description="conductors of that size in parallel, equally long",
    )
    main_cable_insulation_c: Literal[70, 90, 105] | None = Field(
        default=None,
        title="main lead's insulation",
        description="its class in °C, as printed on the lead; left out: counted as 70 °C",
    )
    main_cable_length_m: float | None = optional(METRES, "main lead's length", "one way")


class Link(Part):
    """How battery and inverter talk."""

    mode: Literal["open", "closed"] = Field(
        default="open",
        title="mode",
        description="open: voltages only; closed: the BMS sends its limits",
    )
    transport: Literal["can", "rs485", "none"] = Field(default="none", title="transport")
    profile: str | None = Field(
        default=None,
        max_length=200,
        title="profile",
        description="limits-can, rvc-dc-source, canopen-battery; or a profile file of your own",
    )
    battery_protocols: str | None = Field(
        default=None,
        max_length=200,
        title="the battery offers",
        description="the protocols in the BMS's menu, by its own words, with commas between",
    )
    inverter_protocols: str | None = Field(
        default=None,
        max_length=200,
        title="the inverter offers",
        description="the protocols in the inverter's menu, with commas between",
    )
    bit_rate: int | None = optional(Bounds(1, 100_000_000), "bit rate")
    address: int | None = optional(Bounds(0, 255), "address")
    host: bool | None = Field(
        default=None, title="host", description="this pack speaks to the inverter for all"
    )
    switch_count: int = Field(default=4, ge=1, le=8, title="address switches of a pack")
    switch_on_means: Literal["1", "0"] = Field(
        default="1", title="a switch that is ON counts", description="on some packs ON means 0"
    )
    battery_pins: str | None = Field(
        default=None,
        max_length=200,
        title="battery's socket",
        description="what each pin carries, by its manual: 4 can_h, 5 can_l, 8 ground",
    )
    inverter_pins: str | None = Field(
        default=None,
        max_length=200,
        title="inverter's socket",
        description="what each pin carries, by its manual: 7 can_h, 8 can_l, 3 ground",
    )
    bus_length_m: float | None = optional(METRES, "bus length", "from the inverter to the last")
    loss_timeout_s: float | None = optional(SECONDS, "time-out")
    on_loss: Literal["fallback", "stop"] | None = Field(
        default=None,
        title="when the link is lost",
        description="fallback: the inverter goes on with its own voltages; "
        "stop: it stops after the time-out",
    )
    mains_v: float | None = optional(
        Bounds(90, 500), "mains voltage", "of the inverter's AC side; left out: 230 V"
    )
    inverter_max_charge_a: float | None = optional(AMPS, "inverter's most charge current")
    inverter_max_discharge_a: float | None = optional(AMPS, "inverter's most discharge current")
    low_alarm_v: float | None = optional(PACK_V, "inverter's low-voltage alarm")
    low_cut_v: float | None = optional(
        PACK_V,
        "inverter's low-voltage cut",
        "of the pack: the inverter stops before the BMS must",
    )
    low_restart_v: float | None = optional(PACK_V, "inverter starts again at")
    charge_start_pct: float | None = optional(PERCENT, "charges again below", BY_COUNT)
    low_alarm_pct: float | None = optional(PERCENT, "alarm at", BY_COUNT)
    low_cut_pct: float | None = optional(PERCENT, "cuts off at", BY_COUNT)
    low_restart_pct: float | None = optional(PERCENT, "starts again at", BY_COUNT)

    @field_validator("battery_pins", "inverter_pins")
    @classmethod
    def _pins_can_be_read(cls, text: str | None) -> str | None:
        if text is not None:
            parse_pins(text)
        return text
