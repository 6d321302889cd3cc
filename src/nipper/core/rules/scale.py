"""Values a power of ten beside anything this pack can mean: most are slips of the decimal point.

The setup's own bounds are wide; here each value is held against the pack it is for.
"""

from collections.abc import Iterator
from dataclasses import dataclass

from nipper.core.findings import Finding
from nipper.core.rules.base import (
    AT_BOTH,
    COMMON,
    Evidence,
    Rule,
    chem,
    note,
    warning,
)
from nipper.core.setup import Setup, get

SLIP = "It may be a slip of the decimal point, or in another unit."
MOST_AH = 3000.0  # of one pack, cells in parallel counted: more stands in container banks
LONG_OFF_S = 3600.0  # a recovery longer than this leaves the bank off for hours
SEASON_DAYS = 400.0


@dataclass(frozen=True, slots=True)
class Scale:
    """Between which values a setting of this pack can lie."""

    path: str
    low: float
    high: float
    unit: str


def _scales(setup: Setup) -> Iterator[Scale]:
    """Common practice: half to one and a half of the cells' window; a hundredth to ten of a
    C-rate.
    """
    n, ah = setup.cells, setup.capacity_ah
    bank_ah = setup.bank_ah
    group_ah = ah / setup.cells_in_parallel
    low_v, high_v = 0.5 * n * chem(setup).min_v, 1.5 * n * chem(setup).max_v
    yield Scale("capacity_ah", 0.5, MOST_AH, "Ah")
    for name in ("max_charge_a", "max_discharge_a", "pulse_discharge_a"):
        yield Scale(f"cell.{name}", 0.05 * group_ah, 30.0 * group_ah, "A")
    for name in ("pack_over_voltage", "pack_under_voltage"):
        for part in ("alarm_v", "trip_v", "release_v"):
            yield Scale(f"protection.{name}.{part}", low_v, high_v, "V")
    for name in ("charge_over_current", "discharge_over_current", "short_circuit"):
        yield Scale(f"protection.{name}.release_s", 0.0, LONG_OFF_S, "s")
        yield Scale(f"protection.{name}.trip_a", 0.01 * ah, 500.0 * ah, "A")
    chargers = ("charging", *(f"other_chargers.{i}" for i in range(len(setup.other_chargers))))
    for charger in chargers:
        for part in ("absorption_v", "float_v"):
            yield Scale(f"{charger}.{part}", low_v, high_v, "V")
        yield Scale(f"{charger}.max_charge_a", 0.002 * bank_ah, 10.0 * bank_ah, "A")
        yield Scale(f"{charger}.absorption_min", 0.0, 24 * 60.0, "min")
    yield Scale("charging.tail_a", 0.0005 * bank_ah, 10.0 * bank_ah, "A")
    yield Scale("charging.equalise_v", low_v, high_v, "V")
    yield Scale("charging.equalise_every_days", 1.0, SEASON_DAYS, "days")
    for name in ("low_alarm_v", "low_cut_v", "low_restart_v"):
        yield Scale(f"link.{name}", low_v, high_v, "V")
    bank_kwh = 1e-3 * bank_ah * n * chem(setup).usual["float_v"].value
    yield Scale("usage.kwh_per_day", 0.01 * bank_kwh, 20.0 * bank_kwh, "kWh")
    yield Scale("usage.continuous_w", 3.0 * bank_kwh, 20e3 * bank_kwh, "W")
    yield Scale("usage.inrush_w", 3.0 * bank_kwh, 50e3 * bank_kwh, "W")
    yield Scale("wiring.cable_length_m", 0.05, 50.0, "m")
    yield Scale("wiring.standby_w", 0.01, 1000.0, "W")
    for balancer in ("balancer", "separate_balancer"):
        yield Scale(f"{balancer}.current_a", 0.005, 30.0, "A")


def out_of_scale(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A value far beside the pack it is for."""
    for scale in _scales(setup):
        value = get(setup, scale.path)
        if value is None or scale.low <= value <= scale.high:
            continue
        beside = "below" if value < scale.low else "above"
        yield warning(
            scale.path,
            f"{_plain(value)} {scale.unit} is far {beside} what this bank can mean.",
            f"Here it lies between {_plain(scale.low)} and {_plain(scale.high)} "
            f"{scale.unit}. {SLIP}",
        )


def _plain(value: float) -> str:
    """Two or three digits, and never a power of ten."""
    return f"{float(f'{value:.2g}'):g}" if value < 1e5 else f"{value:.0f}"


def at_once(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A current limit without a delay acts on every start of a motor."""
    for side in ("charge", "discharge"):
        path = f"protection.{side}_over_current.delay_s"
        delay_s = get(setup, path)
        if delay_s is not None and delay_s < 0.5:
            yield note(
                path,
                f"The {side} current limit acts after {delay_s:.2g} s.",
                "A start, or a charger that overshoots for a moment, switches the pack off. "
                "Seconds are usual; the short-circuit limit is there for what is faster.",
            )


RULES = (
    Rule("out-of-scale", out_of_scale, source=COMMON, stages=AT_BOTH),
    Rule("over-current-at-once", at_once, source=COMMON),
)
