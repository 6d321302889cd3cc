"""Schools of limits: gentle, balanced, full range, as named sets, and what each costs and brings
for this pack. All: common practice.
"""

from collections.abc import Mapping
from dataclasses import dataclass

from nipper.core.chemistry import chemistry
from nipper.core.rules.base import COMMON, Evidence, down, sheet_max_v, sheet_min_v, up
from nipper.core.rules.charge import scaled_deviation_v
from nipper.core.setup import Setup, get, put

# per cell: absorption, float, trip, alarm, release above; trip, alarm, release, power-off below;
# the references follow absorption and the low alarm
SETS: dict[str, dict[str, tuple[float, ...]]] = {
    "gentle": {
        "lfp": (3.45, 3.35, 3.60, 3.55, 3.45, 2.90, 3.00, 3.10, 2.70),
        "nmc": (4.05, 3.95, 4.15, 4.12, 4.10, 3.10, 3.25, 3.35, 2.90),
        "lto": (2.60, 2.52, 2.75, 2.70, 2.65, 1.95, 2.02, 2.10, 1.75),
    },
    "balanced": {
        "lfp": (3.50, 3.35, 3.65, 3.60, 3.50, 2.75, 2.90, 3.00, 2.60),
        "nmc": (4.10, 4.00, 4.20, 4.17, 4.15, 2.95, 3.15, 3.25, 2.80),
        "lto": (2.65, 2.55, 2.80, 2.75, 2.70, 1.85, 2.00, 2.05, 1.65),
    },
    "full": {
        "lfp": (3.55, 3.38, 3.65, 3.62, 3.50, 2.55, 2.80, 2.95, 2.50),
        "nmc": (4.15, 4.05, 4.20, 4.19, 4.15, 2.75, 2.95, 3.10, 2.60),
        "lto": (2.70, 2.58, 2.80, 2.77, 2.70, 1.65, 1.85, 1.95, 1.55),
    },
}  # fmt: skip
TITLES = {"gentle": "Gentle", "balanced": "Balanced", "full": "Full range"}
TEXTS = {
    "gentle": "long life: room to every trip, less at both ends",
    "balanced": "most builders: near full, room for some deviation",
    "full": "every ampere-hour: level cells needed, harder on them",
}
SOURCE = COMMON


@dataclass(frozen=True, slots=True)
class LimitSchool:
    """A set of limits: what it changes, and what it means for this pack.

    ``days_after_trip`` None without a known standby draw.
    """

    id: str
    title: str
    text: str
    changes: Mapping[str, object]
    usable_ah: float
    # between the highest cell at the charge target and its trip, at the measured deviation
    room_mv: float
    days_after_trip: float | None  # from the under-voltage trip until the BMS powers off
    top_v: float  # mean cell voltage at the end of charge
    low_trip_v: float
    high_trip_v: float
    followed: bool


def limit_schools(setup: Setup, evidence: Evidence) -> list[LimitSchool]:
    """The settings as they are first (id ``now``), then the schools."""
    made = [_cost(setup, evidence, "now", "As set now", "", {})]
    return made + [
        _cost(setup, evidence, id_, TITLES[id_], TEXTS[id_], changes(setup, id_)) for id_ in SETS
    ]


def changes(setup: Setup, school: str) -> dict[str, object]:
    """A school as changes to this setup: never beyond the cell's sheet, pack limits and references
    following.
    """
    absorption, float_v, trip, alarm, release, low_trip, low_alarm, low_release, off = SETS[school][
        setup.chemistry
    ]
    n, top, bottom = setup.cells, sheet_max_v(setup), sheet_min_v(setup)
    lower, higher = (
        min(0.0, down(top - trip)),
        max(0.0, up(bottom - off)),
    )  # moved inside a narrower sheet
    out: dict[str, object] = {
        "protection.cell_over_voltage.trip_v": round(trip + lower, 3),
        "protection.cell_over_voltage.alarm_v": round(alarm + lower, 3),
        "protection.cell_over_voltage.release_v": round(release + lower, 3),
        "protection.cell_under_voltage.trip_v": round(low_trip + higher, 3),
        "protection.cell_under_voltage.alarm_v": round(low_alarm + higher, 3),
        "protection.cell_under_voltage.release_v": round(low_release + higher, 3),
        "protection.power_off_v": round(off + higher, 3),
        "protection.soc_full_v": round(absorption + lower, 3),
        "protection.soc_empty_v": round(low_alarm + higher, 3),
    }
    if setup.protection.pack_over_voltage:
        out |= _pack("over", down(n * (trip + lower - 0.02)), down(n * (release + lower - 0.02)))
    if setup.protection.pack_under_voltage:
        out |= _pack("under", up(n * (low_trip + higher + 0.02)), up(n * (low_release + higher)))
    separate = setup.separate_balancer
    if separate and separate.low_v and separate.low_v < low_trip + higher:
        out["separate_balancer.low_v"] = up(low_trip + higher)
    if separate and separate.high_v and separate.high_v > trip + lower:
        out["separate_balancer.high_v"] = down(trip + lower)
    if setup.charging:
        out |= {
            "charging.absorption_v": down(n * (absorption + lower)),
            "charging.float_v": down(n * (float_v + lower)),
        }
        if setup.charging.equalise_v:
            out["charging.equalise_v"] = down(
                n
                * min(
                    max(absorption + lower, setup.charging.equalise_v / n),
                    alarm + lower - 0.01,
                    trip + lower - 0.035,
                )
            )
    return out


def _pack(side: str, trip_v: float, release_v: float) -> dict[str, object]:
    path = f"protection.pack_{side}_voltage"
    return {f"{path}.trip_v": trip_v, f"{path}.release_v": release_v, f"{path}.alarm_v": None}


def _cost(
    setup: Setup, evidence: Evidence, id_: str, title: str, text: str, changed: Mapping[str, object]
) -> LimitSchool:
    after, chem = put(setup, changed), chemistry(setup.chemistry)
    curve, low, over = (
        chem.curve,
        after.protection.cell_under_voltage,
        after.protection.cell_over_voltage,
    )
    target_v = (
        after.charging.absorption_v / after.cells
        if after.charging
        else chem.usual["absorption_v"].value
    )
    usable_pct = min(100.0, float(curve.soc(min(target_v, chem.max_v)))) - float(
        curve.soc(low.trip_v)
    )
    off, standby_w = after.protection.power_off_v, after.wiring.standby_w if after.wiring else None
    days = None
    if off and standby_w and off < low.trip_v:
        left_ah = float(curve.soc(low.trip_v) - curve.soc(off)) / 100.0 * after.capacity_ah
        days = (
            left_ah * after.cells * low.trip_v / standby_w / 24.0 if left_ah > 0.0 else None
        )  # below what the curve knows
    return LimitSchool(
        id=id_,
        title=title,
        text=text,
        changes=changed,
        usable_ah=usable_pct / 100.0 * after.capacity_ah,
        room_mv=1e3 * (over.trip_v - target_v - scaled_deviation_v(after, evidence, target_v)),
        days_after_trip=days,
        top_v=target_v,
        low_trip_v=low.trip_v,
        high_trip_v=over.trip_v,
        followed=bool(changed)
        and all(_same(get(setup, path), value) for path, value in changed.items()),
    )


def _same(one: object, other: object) -> bool:
    return (
        abs(one - other) < 1e-6
        if isinstance(one, float | int) and isinstance(other, float | int)
        else one == other
    )
