"""PV modules and the input they feed, by their sheets."""

from pydantic import Field

from nipper.core.setup.part import AMPS, PACK_V, WATTS, Bounds, Part, number, optional

MODULE_V = Bounds(0.1, 500)
MODULE_A = Bounds(0.01, 100)
PCT_PER_K = Bounds(-2, 0)


class Module(Part):
    """A PV module by its sheet, at standard test conditions (1000 W/m2, 25 degC)."""

    name: str = Field(default="module", max_length=100, title="name")
    voc_v: float = number(MODULE_V, "open circuit", "voltage with nothing connected")
    vmp_v: float = number(MODULE_V, "operating", "voltage at the greatest power")
    isc_a: float = number(MODULE_A, "short circuit")
    imp_a: float = number(MODULE_A, "operating current")
    voc_pct_per_k: float = number(
        PCT_PER_K,
        "open circuit, per K",
        "negative, on the sheet as the coefficient of Voc; 0: not known, "
        "the factors of NEC 690.7 are used",
    )
    vmp_pct_per_k: float = number(
        PCT_PER_K, "operating, per K", "negative; where the sheet has none, that of the power"
    )


class Tracker(Part):
    """The PV input of a charger or inverter, by its sheet."""

    max_v: float = number(
        PACK_V, "never above", "absolute maximum: never reached, also not on the coldest morning"
    )
    from_v: float | None = optional(
        PACK_V, "tracks from", "left out: the battery's voltage and 5 V to start, 1 V to run"
    )
    to_v: float | None = optional(PACK_V, "tracks to")
    max_a: float | None = optional(AMPS, "most current")
    max_short_a: float | None = optional(AMPS, "most in short")
    max_w: float | None = optional(WATTS, "most power")


class OtherString(Part):
    """Strings of another kind of module on the same input."""

    module: Module
    in_series: int = number(Bounds(1, 100), "in series", default=2)
    strings: int = number(Bounds(1, 100), "strings", default=1)


class Solar(Part):
    """PV modules on one input of the charger."""

    module: Module
    modules: int = number(Bounds(1, 100), "modules", default=4)
    in_series: int = number(Bounds(1, 100), "in series", default=2)
    tracker: Tracker
    other: OtherString | None = Field(
        default=None,
        title="strings of another module",
        description="in parallel on the same input",
    )
    coldest_c: float = number(
        Bounds(-60, 40),
        "coldest morning",
        "the lowest air temperature ever, in daylight",
        -15.0,
    )
    latitude_deg: float | None = optional(
        Bounds(-66, 66), "latitude", "of the place, + north; left out: 52° north"
    )
    tilt_deg: float = number(Bounds(0, 90), "tilt", "of the modules; 0: lying flat", 0.0)
    facing_deg: float = number(
        Bounds(-180, 180), "facing", "0: the equator, south in the north; + to the west", 0.0
    )
    hottest_c: float = number(
        Bounds(20, 100),
        "hottest module",
        "of the module itself in full sun, some 30 K above the air",
        70.0,
    )
