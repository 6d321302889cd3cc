"""A sound first setup from five answers.

Every value comes from the chemistry's table, so it carries its source.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

from nipper.core.chemistry import chemistry
from nipper.core.setup import (
    Balancer,
    Cell,
    CellVoltageLimit,
    Charging,
    CurrentLimit,
    ExtraCharger,
    Link,
    Protection,
    Setup,
    ShortCircuit,
    TemperatureLimit,
    VoltageLimit,
    Wiring,
    get,
)
from nipper.core.wiring.fuse import RATED_A
from nipper.core.wiring.lead import LEADS, protected_by_a

# common practice: 50-200 mA bleeds, 0.5-2 A moves
BALANCER_CURRENT_A = {"passive": 0.10, "active": 1.0}
BalancerChoice = Literal["passive", "active", "none"]


def new_setup(
    chemistry_id: Literal["lfp", "nmc", "lto"],
    cells_in_series: int,
    capacity_ah: float,
    packs_in_parallel: int = 1,
    balancer: BalancerChoice = "passive",
    name: str = "My pack",
) -> Setup:
    """The setup a new bench starts with; ``check`` finds neither error nor warning in it.

    Currents follow the capacity (common practice: charge at 0.2C, trip at 0.5C; discharge trip at
    0.5C), and fuse and leads
    follow the currents. All of it is a start, to be held against the sheets of the cell and the
    BMS.
    """
    chem = chemistry(chemistry_id)
    usual = {key: sourced.value for key, sourced in chem.usual.items()}
    amps = _currents(usual, capacity_ah)
    return Setup(
        name=name,
        chemistry=chemistry_id,
        cells_in_series=cells_in_series,
        capacity_ah=capacity_ah,
        packs_in_parallel=packs_in_parallel,
        cell=Cell(
            max_charge_a=amps.sheet_charge_a,
            max_discharge_a=_two_digits(usual["most_discharge_rate"] * capacity_ah),
            resistance_mohm=float(f"{chem.resistance_mohm_ah / capacity_ah:.2g}"),
        ),
        protection=_protection(usual, cells_in_series, amps),
        balancer=_balancer(usual, balancer),
        charging=Charging(
            absorption_v=_volts(cells_in_series * usual["absorption_v"]),
            absorption_min=120,
            float_v=_volts(cells_in_series * usual["float_v"]),
            max_charge_a=_two_digits(packs_in_parallel * amps.charge_a),
            tail_a=_two_digits(0.02 * capacity_ah * packs_in_parallel),
        ),
        wiring=Wiring(
            fuse_a=amps.fuse_a, cable_mm2=amps.lead_mm2, cable_length_m=1.5, standby_w=0.5
        ),
        link=Link(mode="open", transport="none"),
    )


@dataclass(frozen=True, slots=True)
class _Currents:
    """What one pack may carry: each under the next, from the load's side to the fuse."""

    sheet_charge_a: float
    charge_a: float
    charge_trip_a: float
    discharge_trip_a: float
    fuse_a: float
    lead_mm2: float


def _currents(usual: Mapping[str, float], capacity_ah: float) -> _Currents:
    sheet_charge_a = _two_digits(usual["most_charge_rate"] * capacity_ah)
    # more than a 315 A fuse is for a builder to choose knowingly
    discharge_trip_a = min(250.0, _two_digits(0.5 * capacity_ah))
    fuse_a = float(next(f for f in RATED_A if f >= 1.25 * discharge_trip_a))
    # a charge flows for hours: under four fifths of the fuse, and of the trip with room
    charge_a = _two_digits(min(usual["charge_rate"] * capacity_ah, 0.8 * fuse_a))
    charge_trip_a = _two_digits(min(sheet_charge_a, fuse_a, max(0.5 * capacity_ah, 1.2 * charge_a)))
    return _Currents(
        sheet_charge_a=sheet_charge_a,
        charge_a=min(charge_a, _two_digits(0.9 * charge_trip_a)),
        charge_trip_a=charge_trip_a,
        discharge_trip_a=discharge_trip_a,
        fuse_a=fuse_a,
        lead_mm2=next(row[0] for row in LEADS if protected_by_a(row[0]) >= fuse_a),
    )


def _protection(usual: Mapping[str, float], cells: int, amps: _Currents) -> Protection:
    over_v, under_v = usual["over_trip_v"], usual["under_trip_v"]
    over_release_v, under_release_v = usual["over_release_v"], usual["under_release_v"]
    # below twice the fuse's rating no fuse melts within the over-current delay: the BMS is first
    short_a = _two_digits(min(3 * amps.discharge_trip_a, 2 * amps.fuse_a))
    return Protection(
        cell_over_voltage=CellVoltageLimit(
            alarm_v=usual["over_alarm_v"], trip_v=over_v, release_v=over_release_v
        ),
        cell_under_voltage=CellVoltageLimit(
            alarm_v=usual["under_alarm_v"], trip_v=under_v, release_v=under_release_v
        ),
        pack_over_voltage=VoltageLimit(
            trip_v=_volts(cells * (over_v - 0.02)), release_v=_volts(cells * over_release_v)
        ),
        pack_under_voltage=VoltageLimit(
            trip_v=_volts(cells * (under_v + 0.05)), release_v=_volts(cells * under_release_v)
        ),
        charge_over_current=CurrentLimit(trip_a=amps.charge_trip_a),
        discharge_over_current=CurrentLimit(trip_a=amps.discharge_trip_a),
        short_circuit=ShortCircuit(trip_a=short_a),
        charge_over_temperature=_temperature(usual, "charge_hot"),
        charge_under_temperature=_temperature(usual, "charge_cold"),
        discharge_over_temperature=_temperature(usual, "discharge_hot"),
        discharge_under_temperature=_temperature(usual, "discharge_cold"),
        mosfet_over_temperature=TemperatureLimit(trip_c=90, release_c=75),  # common practice
        soc_full_v=usual["soc_full_v"],
        soc_empty_v=usual["soc_empty_v"],
        power_off_v=usual["power_off_v"],
    )


def _temperature(usual: Mapping[str, float], which: str) -> TemperatureLimit:
    return TemperatureLimit(trip_c=usual[f"{which}_trip_c"], release_c=usual[f"{which}_release_c"])


def _balancer(usual: Mapping[str, float], kind: BalancerChoice) -> Balancer | None:
    if kind == "none":
        return None
    return Balancer(
        kind=kind,
        current_a=BALANCER_CURRENT_A[kind],
        start_v=usual["balance_start_v"],
        delta_mv=usual["balance_delta_mv"],
        when="always",
    )


def _two_digits(value: float) -> float:
    """Rounded down to two significant digits: nobody types 68.37 A into a BMS, and a limit is never
    rounded up.
    """
    step = 10.0 ** (math.floor(math.log10(value)) - 1)
    return round(math.floor(value / step + 1e-9) * step, 6)


def _volts(value: float) -> float:
    return round(value, 2)


def other_charger(setup: Setup, name: str) -> ExtraCharger:
    """A second charger to begin with: the main one's target, else the chemistry's, and a tenth of
    the bank's capacity an hour (common practice).
    """
    charging, usual = setup.charging, chemistry(setup.chemistry).usual
    return ExtraCharger(
        name=name,
        absorption_v=charging.absorption_v
        if charging
        else _volts(setup.cells * usual["absorption_v"].value),
        max_charge_a=_two_digits(0.1 * setup.bank_ah),
    )


# where a new setup's values come from, by the beginning of their path; the longest beginning that
# fits speaks
COMMON = "common practice"
SOURCES = {
    "protection": COMMON,
    "protection.pack_over_voltage": f"{COMMON}: cells × (trip − 0.02 V)",
    "protection.pack_under_voltage": f"{COMMON}: cells × (trip + 0.05 V)",
    "protection.charge_over_current.trip_a": f"{COMMON}: 0.5C",
    "protection.discharge_over_current.trip_a": f"{COMMON}: 0.5C, at most 250 A",
    "protection.short_circuit.trip_a": "three times the over-current trip, at most twice the fuse "
    "(IEC 60269 gates, from memory)",
    "protection.short_circuit.delay_us": f"{COMMON}: 100 µs to 1 ms",
    "balancer": COMMON,
    "balancer.current_a": f"{COMMON}: 50 to 200 mA bleed, 0.5 to 2 A move",
    "charging": COMMON,
    "charging.max_charge_a": f"{COMMON}: a good rate of the chemistry",
    "charging.tail_a": f"{COMMON}: 0.02C",
    "cell": "from memory of data sheets: enter your cell's own",
    "wiring.fuse_a": "1.25 × the discharge trip, IEC 60269 rated currents, from memory",
    "wiring.cable_mm2": "ISO 10133, from memory: carries the fuse's current",
    "wiring": COMMON,
}


def usual_value(setup: Setup, path: str) -> tuple[object, str] | None:
    """What a new setup of this pack would have at a path, and where that comes from; None where it
    has nothing there.
    """
    known = [start for start in SOURCES if path == start or path.startswith(f"{start}.")]
    if not known:
        return None
    kind = setup.balancer.kind if setup.balancer else "passive"
    value = get(
        _like(
            setup.chemistry, setup.cells_in_series, setup.capacity_ah, setup.packs_in_parallel, kind
        ),
        path,
    )
    return None if value is None else (value, SOURCES[max(known, key=len)])


@lru_cache(maxsize=8)
def _like(
    chemistry_id: Literal["lfp", "nmc", "lto"],
    cells: int,
    capacity_ah: float,
    packs: int,
    balancer: Literal["passive", "active"],
) -> Setup:
    return new_setup(chemistry_id, cells, capacity_ah, packs, balancer)
