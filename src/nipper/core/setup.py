"""The setup: what pack it is and how its BMS, balancer, charger, wiring and link are set.

The models are the declaration: check, JSON, tooltip and label come from them. They refuse what is *no* setup (text for a
number, an unknown key); whether it is a *good* one is for the rules to say, because a bad one must open and be seen.
"""

import json
from collections.abc import Mapping
from functools import reduce
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from nipper.core.errors import InputError

MAX_SETUP_BYTES = (
    1_000_000  # a setup is a few kilobytes; files from strangers are not read without end
)


class Part(BaseModel):
    """A part of the setup: immutable; an unknown key is an error that names its place."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, strict=True)


class VoltageLimit(Part):
    """A voltage protection as the BMS holds it: warns at the alarm, acts at the trip, ends at the release."""

    alarm_v: float | None = Field(
        default=None, gt=0, title="alarm", description="warns; nothing is switched"
    )
    trip_v: float = Field(gt=0, title="trip", description="switches off after the delay")
    release_v: float = Field(gt=0, title="release", description="switches on again")
    delay_s: float = Field(
        default=2.0, ge=0, title="delay", description="how long the trip must last before it acts"
    )


class CurrentLimit(Part):
    """An over-current protection: acts when the current has been above the trip for the delay."""

    alarm_a: float | None = Field(
        default=None, gt=0, title="alarm", description="warns; nothing is switched"
    )
    trip_a: float = Field(gt=0, title="trip", description="switches off after the delay")
    delay_s: float = Field(
        default=10.0,
        ge=0,
        title="delay",
        description="how long the current must last before it acts",
    )
    release_s: float = Field(
        default=60.0,
        ge=0,
        title="recovery",
        description="how long it stays off before it tries again",
    )


class ShortCircuit(Part):
    """The fast protection: acts within microseconds, below what the switches can break."""

    trip_a: float = Field(gt=0, title="trip", description="switches off at once")
    delay_us: float = Field(
        default=300.0,
        ge=0,
        title="delay",
        description="how long the current must last before it acts",
    )
    release_s: float = Field(
        default=60.0,
        ge=0,
        title="recovery",
        description="how long it stays off before it tries again",
    )


class TemperatureLimit(Part):
    """A temperature protection: switches off at the trip, on again at the release."""

    alarm_c: float | None = Field(
        default=None, ge=-60, le=200, title="alarm", description="warns; nothing is switched"
    )
    trip_c: float = Field(ge=-60, le=200, title="trip", description="switches off")
    release_c: float = Field(ge=-60, le=200, title="release", description="switches on again")


class Protection(Part):
    """The BMS's protection limits."""

    cell_over_voltage: VoltageLimit = Field(title="Cell over-voltage")
    cell_under_voltage: VoltageLimit = Field(title="Cell under-voltage")
    pack_over_voltage: VoltageLimit | None = Field(default=None, title="Pack over-voltage")
    pack_under_voltage: VoltageLimit | None = Field(default=None, title="Pack under-voltage")
    charge_over_current: CurrentLimit | None = Field(default=None, title="Charge over-current")
    discharge_over_current: CurrentLimit | None = Field(
        default=None, title="Discharge over-current"
    )
    short_circuit: ShortCircuit | None = Field(default=None, title="Short circuit")
    charge_over_temperature: TemperatureLimit | None = Field(
        default=None, title="Charge over-temperature"
    )
    charge_under_temperature: TemperatureLimit | None = Field(
        default=None, title="Charge under-temperature"
    )
    discharge_over_temperature: TemperatureLimit | None = Field(
        default=None, title="Discharge over-temperature"
    )
    discharge_under_temperature: TemperatureLimit | None = Field(
        default=None, title="Discharge under-temperature"
    )
    mosfet_over_temperature: TemperatureLimit | None = Field(
        default=None, title="MOSFET over-temperature"
    )
    soc_full_v: float | None = Field(
        default=None,
        gt=0,
        title="100 % reference",
        description="cell voltage that resets the charge counter to full",
    )
    soc_empty_v: float | None = Field(
        default=None,
        gt=0,
        title="0 % reference",
        description="cell voltage that resets the charge counter to empty",
    )
    power_off_v: float | None = Field(
        default=None,
        gt=0,
        title="power-off",
        description="the BMS turns itself off: nothing but a charger wakes it",
    )


class Cell(Part):
    """What the cell's sheet allows, and its resistance."""

    max_charge_a: float | None = Field(default=None, gt=0, title="most charge current")
    max_discharge_a: float | None = Field(default=None, gt=0, title="most discharge current")
    pulse_discharge_a: float | None = Field(
        default=None,
        gt=0,
        title="pulse current",
        description="of discharge, for the time beside it, by the cell's sheet",
    )
    pulse_s: float | None = Field(default=None, gt=0, title="pulse time")
    resistance_mohm: float | None = Field(
        default=None,
        gt=0,
        title="resistance",
        description="direct-current resistance of one cell at 25 °C",
    )
    max_v: float | None = Field(default=None, gt=0, title="highest voltage on the cell's sheet")
    min_v: float | None = Field(default=None, gt=0, title="lowest voltage on the cell's sheet")


class Balancer(Part):
    """The balancer: what it can move and when it may run."""

    kind: Literal["passive", "active"] = Field(
        title="kind", description="passive bleeds high cells, active moves charge from high to low"
    )
    current_a: float = Field(gt=0, title="current")
    start_v: float = Field(
        gt=0, title="balance from", description="a cell must be above this before the balancer runs"
    )
    delta_mv: float = Field(
        ge=0, title="trigger difference", description="difference between cells that starts it"
    )
    when: Literal["charging", "rest", "always"] = Field(
        title="may run", description="only while charging, only at rest, or always"
    )


class SeparateBalancer(Balancer):
    """A balancer that is a device of its own, beside the BMS, with protections of its own."""

    low_v: float | None = Field(
        default=None,
        gt=0,
        title="stops below",
        description="its own low-voltage protection: the lowest cell",
    )
    high_v: float | None = Field(
        default=None,
        gt=0,
        title="stops above",
        description="its own high-voltage protection: the highest cell",
    )
    low_c: float | None = Field(
        default=None,
        ge=-60,
        le=60,
        title="stops below",
        description="its own low-temperature protection",
    )


class RateStep(Part):
    """A step of the table of charge rates: from this temperature up to the next step, no more than this."""

    from_c: float = Field(ge=-60, le=100, title="from")
    c_rate: float = Field(
        ge=0, le=20, title="at most", description="of the capacity, each hour; 0: no charge"
    )


class ExtraCharger(Part):
    """A charger beside the main one, with its own target: shore power, a generator, an alternator."""

    name: str = Field(default="second charger", max_length=100, title="name")
    absorption_v: float = Field(gt=0, title="absorption")
    absorption_min: float = Field(default=60.0, ge=0, title="absorption time")
    float_v: float | None = Field(default=None, gt=0, title="float")
    max_charge_a: float = Field(gt=0, title="charge current")
    cold_stop_c: float | None = Field(
        default=None,
        ge=-60,
        le=100,
        title="stops below",
        description="its own cutoff in the cold, or that of a relay, by a sensor on the coldest cell",
    )


class Charging(Part):
    """The charger's profile for the whole pack."""

    absorption_v: float = Field(gt=0, title="absorption")
    absorption_min: float = Field(default=60.0, ge=0, title="absorption time")
    float_v: float | None = Field(default=None, gt=0, title="float")
    max_charge_a: float | None = Field(default=None, gt=0, title="charge current")
    tail_a: float | None = Field(
        default=None,
        ge=0,
        title="tail current",
        description="absorption ends early when the current falls to this",
    )
    equalise_v: float | None = Field(default=None, gt=0, title="equalise")
    equalise_every_days: float | None = Field(default=None, gt=0, title="equalise every")
    compensation_mv_per_k: float | None = Field(
        default=None,
        ge=-500,
        le=500,
        title="temperature compensation",
        description="a lead-acid feature: moves the target of the pack with its temperature",
    )
    cold_stop_c: float | None = Field(
        default=None,
        ge=-60,
        le=100,
        title="charger stops below",
        description="the charger's own cutoff, or that of a relay, by a sensor on the coldest cell",
    )
    cold_resume_c: float | None = Field(default=None, ge=-60, le=100, title="charger resumes at")
    rates: tuple[RateStep, ...] = Field(
        default=(),
        max_length=12,
        strict=False,
        title="rates by temperature",
        description="coldest step first; left out: the usual table",
    )


class Usage(Part):
    """What the bank feeds, at the inverter's output."""

    continuous_w: float | None = Field(
        default=None,
        gt=0,
        title="most for long",
        description="all that may run together for minutes",
    )
    inrush_w: float | None = Field(
        default=None,
        gt=0,
        title="heaviest start",
        description="a pump or compressor starting, with what runs beside it",
    )
    inrush_s: float | None = Field(default=None, gt=0, le=60, title="it lasts")
    kwh_per_day: float | None = Field(default=None, gt=0, title="energy a day")


class Module(Part):
    """A PV module by its sheet, at standard test conditions (1000 W/m2, 25 degC)."""

    name: str = Field(default="module", max_length=100, title="name")
    voc_v: float = Field(
        gt=0, le=500, title="open circuit", description="voltage with nothing connected"
    )
    vmp_v: float = Field(
        gt=0, le=500, title="operating", description="voltage at the greatest power"
    )
    isc_a: float = Field(gt=0, le=100, title="short circuit")
    imp_a: float = Field(gt=0, le=100, title="operating current")
    voc_pct_per_k: float = Field(
        ge=-2,
        le=0,
        title="open circuit, per K",
        description="negative, on the sheet as the coefficient of Voc; 0: not known, the factors of NEC 690.7 are used",
    )
    vmp_pct_per_k: float = Field(
        ge=-2,
        le=0,
        title="operating, per K",
        description="negative; where the sheet has none, that of the power",
    )


class Tracker(Part):
    """The PV input of a charger or inverter, by its sheet."""

    max_v: float = Field(
        gt=0,
        title="never above",
        description="absolute maximum: never reached, also not on the coldest morning",
    )
    from_v: float | None = Field(
        default=None,
        gt=0,
        title="tracks from",
        description="left out: the battery's voltage and 5 V to start, 1 V to run",
    )
    to_v: float | None = Field(default=None, gt=0, title="tracks to")
    max_a: float | None = Field(default=None, gt=0, title="most current")
    max_short_a: float | None = Field(default=None, gt=0, title="most in short")
    max_w: float | None = Field(default=None, gt=0, title="most power")


class Solar(Part):
    """PV modules on one input of the charger."""

    module: Module
    modules: int = Field(default=4, ge=1, le=100, title="modules")
    in_series: int = Field(default=2, ge=1, le=100, title="in series")
    tracker: Tracker
    coldest_c: float = Field(
        default=-15.0,
        ge=-60,
        le=40,
        title="coldest morning",
        description="the lowest air temperature ever, in daylight",
    )
    hottest_c: float = Field(
        default=70.0,
        ge=20,
        le=100,
        title="hottest module",
        description="of the module itself in full sun, some 30 K above the air",
    )


class Wiring(Part):
    """Fuse and leads of one pack, and the bank's own."""

    fuse_a: float | None = Field(default=None, gt=0, title="fuse")
    fuse_kind: Literal["gG", "fast"] = Field(
        default="gG",
        title="kind of fuse",
        description="gG: general purpose, IEC 60269; fast: current-limiting, class T and the like",
    )
    fuse_breaks_ka: float | None = Field(
        default=None,
        gt=0,
        title="fuse can break",
        description="its interrupting rating on direct current at the pack's voltage",
    )
    cable_mm2: float | None = Field(default=None, gt=0, title="lead cross-section")
    cable_length_m: float | None = Field(
        default=None, gt=0, title="lead length", description="one way"
    )
    standby_w: float | None = Field(
        default=None, ge=0, title="standby draw", description="of the BMS and what it feeds"
    )
    main_fuse_a: float | None = Field(
        default=None, gt=0, title="main fuse", description="of the whole bank"
    )
    main_cable_mm2: float | None = Field(
        default=None, gt=0, title="main lead", description="of the whole bank"
    )


class Link(Part):
    """How battery and inverter talk."""

    mode: Literal["open", "closed"] = Field(
        default="open",
        title="mode",
        description="open: voltages only; closed: the BMS sends its limits",
    )
    transport: Literal["can", "rs485", "none"] = Field(default="none", title="transport")
    profile: str | None = Field(default=None, max_length=200, title="profile")
    bit_rate: int | None = Field(default=None, gt=0, title="bit rate")
    address: int | None = Field(default=None, ge=0, le=255, title="address")
    loss_timeout_s: float | None = Field(default=None, ge=0, title="time-out")
    on_loss: Literal["fallback", "stop"] | None = Field(
        default=None,
        title="when the link is lost",
        description="fallback: the inverter goes on with its own voltages; stop: it stops after the time-out",
    )
    inverter_max_charge_a: float | None = Field(
        default=None, gt=0, title="inverter's most charge current"
    )
    inverter_max_discharge_a: float | None = Field(
        default=None, gt=0, title="inverter's most discharge current"
    )
    low_alarm_v: float | None = Field(default=None, gt=0, title="inverter's low-voltage alarm")
    low_cut_v: float | None = Field(
        default=None,
        gt=0,
        title="inverter's low-voltage cut",
        description="of the pack: the inverter stops before the BMS must",
    )
    low_restart_v: float | None = Field(default=None, gt=0, title="inverter starts again at")


class Setup(Part):
    """The whole setup file of the headless contract."""

    format: Literal["nipper-setup"] = "nipper-setup"
    version: Literal[1] = 1
    name: str = Field(default="My pack", max_length=200, title="name")
    chemistry: Literal["lfp", "nmc", "lto"] = Field(title="chemistry")
    cells_in_series: int = Field(ge=1, le=200, title="cells in series")
    cells_in_parallel: int = Field(default=1, ge=1, le=1000)
    capacity_ah: float = Field(gt=0, le=1e6, title="capacity")
    packs_in_parallel: int = Field(default=1, ge=1, le=64, title="packs in parallel")
    cell: Cell = Cell()
    protection: Protection
    balancer: Balancer | None = None
    separate_balancer: SeparateBalancer | None = None
    charging: Charging | None = None
    other_chargers: tuple[ExtraCharger, ...] = Field(default=(), max_length=4, strict=False)
    usage: Usage | None = None
    solar: Solar | None = None
    wiring: Wiring | None = None
    link: Link | None = None

    @property
    def cells(self) -> int:
        """Cells in series, the number of voltages a log holds."""
        return self.cells_in_series

    @property
    def sheet_charge_a(self) -> float | None:
        """The most one pack's cells may be charged with, by their sheet: cells in parallel add up."""
        return self._of_group(self.cell.max_charge_a)

    @property
    def sheet_discharge_a(self) -> float | None:
        """The most one pack's cells may give for long, by their sheet."""
        return self._of_group(self.cell.max_discharge_a)

    @property
    def sheet_pulse_a(self) -> float | None:
        """The most one pack's cells may give for the pulse's time, by their sheet."""
        return self._of_group(self.cell.pulse_discharge_a)

    def _of_group(self, amps: float | None) -> float | None:
        return None if amps is None else amps * self.cells_in_parallel

    @property
    def leveller(self) -> Balancer | None:
        """The balancer that does the work: of two, the one that moves more."""
        both = [b for b in (self.separate_balancer, self.balancer) if b is not None]
        return max(both, key=lambda b: b.current_a, default=None)

    @property
    def charge_cutoff(self) -> TemperatureLimit | None:
        """What stops the charge in the cold: the BMS, or else the charger by a sensor of its own."""
        charging, own = self.charging, self.protection.charge_under_temperature
        if own is not None or charging is None or charging.cold_stop_c is None:
            return own
        resume_c = (
            charging.cold_resume_c
            if charging.cold_resume_c is not None
            else charging.cold_stop_c + 1.0
        )
        return TemperatureLimit(trip_c=charging.cold_stop_c, release_c=resume_c)


def get(setup: Part, path: str) -> Any:
    """The value at a JSON path such as ``protection.cell_over_voltage.trip_v``; None where a part on the way is left out."""
    return reduce(
        lambda part, name: None if part is None else getattr(part, name), path.split("."), setup
    )


def put(setup: Setup, changes: Mapping[str, object]) -> Setup:
    """A new setup with the values at those JSON paths replaced, checked as a file would be.

    Raises
    ------
    InputError
        When a value cannot stand at its path.
    """
    document = setup.model_dump(exclude_none=True)
    for path, value in changes.items():
        *parts, name = path.split(".")
        place = document
        for part in parts:
            place = place.setdefault(part, {})
        if value is None:
            place.pop(name, None)  # None takes a setting out
        else:
            place[name] = value
    return parse(document, "the settings")


def parse(document: object, file: str = "setup") -> Setup:
    """Check a JSON document and make the setup of it.

    Raises
    ------
    InputError
        Names the JSON path of the first thing that is wrong and what was expected there.
    """
    try:
        return Setup.model_validate(document)
    except ValidationError as error:
        raise _as_input_error(error, file) from None


def _as_input_error(error: ValidationError, file: str) -> InputError:
    # unknown keys first: they are usually a misspelling and explain the missing key reported beside them
    first = min(error.errors(), key=lambda e: e["type"] != "extra_forbidden")
    place = ".".join(str(part) for part in first["loc"]) or "the whole document"
    if first["type"] == "extra_forbidden":
        known = ", ".join(_known_keys(first["loc"][:-1]))
        return InputError(file, place, f"a known key, this one is not ({known})")
    expected = first["msg"].removeprefix("Input should be ").removeprefix("Value error, ")
    if first["type"] == "missing":
        return InputError(file, place, "this key, it is missing")
    shown = repr(first["input"])
    return InputError(
        file, place, f"{expected}, found {shown if len(shown) < 60 else shown[:57] + '…'}"
    )


def _known_keys(place: tuple[int | str, ...]) -> list[str]:
    model: Any = Setup
    for name in place:
        annotation = model.model_fields[name].annotation
        model = next(
            (
                a
                for a in getattr(annotation, "__args__", (annotation,))
                if isinstance(a, type) and issubclass(a, Part)
            ),
            annotation,
        )
    return list(model.model_fields)


def loads(text: str, file: str = "setup") -> Setup:
    """Make a setup of JSON text; an error names line and column, or the JSON path."""
    try:
        document = json.loads(text, object_pairs_hook=_no_duplicates)
    except json.JSONDecodeError as error:
        raise InputError(
            file, f"line {error.lineno} column {error.colno}", f"JSON ({error.msg})"
        ) from None
    except _DuplicateKeyError as error:
        raise InputError(file, error.key, "each key once, this one stands twice") from None
    except RecursionError:
        raise InputError(file, "the whole document", "a setup, this is nested too deeply") from None
    return parse(document, file)


class _DuplicateKeyError(ValueError):
    def __init__(self, key: str) -> None:
        super().__init__(key)
        self.key = key


def _no_duplicates(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    seen: dict[str, Any] = {}
    for key, value in pairs:
        if key in seen:
            raise _DuplicateKeyError(key)
        seen[key] = value
    return seen


def load(path: str | Path) -> Setup:
    """Read a setup file.

    Raises
    ------
    InputError
        When it cannot be read or is no setup.
    """
    path = Path(path)
    try:
        if path.stat().st_size > MAX_SETUP_BYTES:
            raise InputError(
                str(path), "the whole file", f"a setup of at most {MAX_SETUP_BYTES} bytes"
            )
        text = path.read_bytes().decode("utf-8-sig")
    except OSError as error:
        raise InputError(str(path), "the file", f"a readable file ({error.strerror})") from None
    except UnicodeDecodeError as error:
        raise InputError(str(path), f"byte {error.start}", "UTF-8 text") from None
    return loads(text, str(path))


def dumps(setup: Setup) -> str:
    """The setup as the JSON text of a setup file; reading it back gives the same setup."""
    return json.dumps(setup.model_dump(exclude_none=True), indent=2, ensure_ascii=False) + "\n"


def json_schema() -> dict[str, Any]:
    """JSON Schema (draft 2020-12) of the setup file, the one shipped as ``setup.schema.json``."""
    schema = Setup.model_json_schema()
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema}
