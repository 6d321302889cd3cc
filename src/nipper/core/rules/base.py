"""What a rule is, what it may know of the logs, and the few phrases that rules share."""

import math
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass

from nipper.core.chemistry import Chemistry, chemistry
from nipper.core.findings import Finding, Severity
from nipper.core.setup import Setup

COMMON = "common practice"
MEMORY = "from memory"
AT_CHARGE, AT_LEVEL, AT_COLD = ("charge",), ("level",), ("cold",)  # stages, besides Protect
AT_BOTH = AT_CHARGE + AT_LEVEL
AT_LINK, AT_BUILD = ("link",), ("build",)


@dataclass(frozen=True, slots=True)
class Evidence:
    """What the logs say that rules can use; None where there is no log."""

    above_mean_mv: float | None = None  # of the highest cell at the end of the last full charge
    at_mean_v: float | None = None  # the mean cell voltage at which that was read
    highest_cell: int | None = None
    when: str = ""  # of that charge, as words
    worst_drift_mah_per_day: float | None = None
    worst_cell: int | None = None
    allowed_h_per_day: float | None = (
        None  # with a cell above the balancer's start, in the permitted phase
    )
    chemistry: str | None = None  # of the cells, where it is not the settings'


@dataclass(frozen=True, slots=True)
class Rule:
    """A code that never changes, the judgement, where its numbers come from, and its stages.

    All findings are seen in Protect; ``stages`` are the others where this one is.
    """

    code: str
    judge: Callable[[Setup, Evidence], Iterator[Finding]]
    source: str = COMMON
    stages: tuple[str, ...] = ()
    told: str = ""  # of a judgement that serves two rules: what this one is about

    @property
    def about(self) -> str:
        """What it is about, in a sentence: for the help and the docs."""
        return self.told or " ".join((self.judge.__doc__ or "").split())


def error(
    settings: str | tuple[str, ...],
    message: str,
    why: str,
    suggestion: Mapping[str, object] | None = None,
    label: str = "",
) -> Finding:
    """An unsafe or contradictory setting."""
    return _finding(Severity.ERROR, settings, message, why, suggestion, label)


def warning(
    settings: str | tuple[str, ...],
    message: str,
    why: str,
    suggestion: Mapping[str, object] | None = None,
    label: str = "",
) -> Finding:
    """A setting that will not do what was meant."""
    return _finding(Severity.WARNING, settings, message, why, suggestion, label)


def note(
    settings: str | tuple[str, ...],
    message: str,
    why: str,
    suggestion: Mapping[str, object] | None = None,
    label: str = "",
) -> Finding:
    """A choice, or a fact worth knowing."""
    return _finding(Severity.NOTE, settings, message, why, suggestion, label)


def _finding(
    severity: Severity,
    settings: str | tuple[str, ...],
    message: str,
    why: str,
    suggestion: Mapping[str, object] | None,
    label: str,
) -> Finding:
    paths = (settings,) if isinstance(settings, str) else settings
    cure = suggestion or {}
    return Finding(severity, paths, message, why, cure, label or cured(cure))


# what a suggestion of one value does, by the last part of its path
DOES = {
    "trip_v": "Trip at", "release_v": "Release at", "alarm_v": "Alarm at",
    "power_off_v": "Power off at", "soc_full_v": "Reference at", "soc_empty_v": "Reference at",
    "absorption_v": "Charge to", "float_v": "Float at", "equalise_v": "Equalise at",
    "start_v": "Balance from", "delta_mv": "Trigger", "tail_a": "Tail at",
    "low_cut_v": "Cut at", "low_restart_v": "Start at", "low_alarm_v": "Alarm at",
    "trip_a": "Trip at", "alarm_a": "Alarm at", "max_charge_a": "Charge with",
    "delay_s": "Delay", "delay_us": "Delay", "release_s": "Recover after",
    "loss_timeout_s": "Time-out",
    "trip_c": "Stop at", "release_c": "Release at", "alarm_c": "Alarm at", "cold_stop_c": "Stop at",
    "fuse_a": "Fuse of", "main_fuse_a": "Main fuse of", "switch_a": "A switch of",
    "cable_mm2": "Lead of", "main_cable_mm2": "Main lead of", "busbar_mm2": "A bar of",
}  # fmt: skip
UNITS = {"v": "V", "a": "A", "s": "s", "us": "µs", "c": "°C", "mm2": "mm²", "mv": "mV"}


def cured(suggestion: Mapping[str, object]) -> str:
    """What a suggestion does in a few words, told of its first value; empty where it has none."""
    if not suggestion:
        return ""
    path, value = next(iter(suggestion.items()))
    if isinstance(value, Mapping):  # a limit that was not there as a whole
        return cured(value)  # pyright: ignore[reportUnknownArgumentType] - of names, as all are
    name = path.rsplit(".", 1)[-1]
    if name not in DOES or not isinstance(value, int | float):
        return ""
    unit = UNITS[name.rsplit("_", 1)[-1]]
    cell = abs(value) < 10.0
    number = f"{value:.{2 if cell else 1}f}" if unit == "V" else f"{value:g}"
    return f"{DOES[name]} {number} {unit}"


def chem(setup: Setup) -> Chemistry:
    """The setup's chemistry."""
    return chemistry(setup.chemistry)


# so far inside a sheet narrower than the chemistry's the usual values stay, V a cell (common
# practice)
UNDER_TOP = {
    "over_trip_v": 0.0,
    "over_alarm_v": 0.03,
    "over_release_v": 0.08,
    "equalise_v": 0.05,
    "absorption_v": 0.08,
    "soc_full_v": 0.10,
    "balance_start_v": 0.12,
    "float_v": 0.15,
}
OVER_BOTTOM = {
    "power_off_v": 0.0,
    "under_trip_v": 0.05,
    "under_alarm_v": 0.15,
    "soc_empty_v": 0.15,
    "under_release_v": 0.25,
}


def usual(setup: Setup, name: str) -> float:
    """The usual value of that name for the chemistry, moved inside the cell's sheet where that is
    narrower.
    """
    value = chem(setup).usual[name].value
    if name in UNDER_TOP:
        return min(value, round(sheet_max_v(setup) - UNDER_TOP[name], 3))
    if name in OVER_BOTTOM:
        return max(value, round(sheet_min_v(setup) + OVER_BOTTOM[name], 3))
    return value


def sheet_max_v(setup: Setup) -> float:
    """The highest cell voltage the sheet allows: the user's entry, else the chemistry's; never
    above either.
    """
    return min(v for v in (setup.cell.max_v, chem(setup).max_v) if v)


def sheet_min_v(setup: Setup) -> float:
    """The lowest cell voltage the sheet allows."""
    return max(v for v in (setup.cell.min_v, chem(setup).min_v) if v)


def down(value: float, step: float = 0.01) -> float:
    """Rounded down to what a BMS lets one type: a suggestion must not round past a limit."""
    return round(math.floor(value / step + 1e-6) * step, 6)


def amps_down(amps: float) -> float:
    """Rounded down to what a BMS lets one type: whole amperes, tenths below ten, hundredths below
    one.
    """
    if amps >= 10.0:
        step = 1.0
    elif amps >= 1.0:
        step = 0.1
    else:
        step = 0.01
    return max(0.01, down(amps, step))


def up(value: float, step: float = 0.01) -> float:
    """Rounded up to what a BMS lets one type."""
    return round(math.ceil(value / step - 1e-6) * step, 6)
