"""The schools of levelling: on what practitioners differ, as changes to a setup.

All: common practice.
"""

from collections.abc import Mapping
from dataclasses import dataclass

from nipper.core.chemistry import chemistry
from nipper.core.setup import Setup, get


@dataclass(frozen=True, slots=True)
class School:
    """A way of doing it: what it means, and what it changes in this setup."""

    id: str
    title: str
    text: str
    changes: Mapping[str, object]


def schools(setup: Setup) -> list[School]:
    """Those that apply to this setup; a school that is already followed changes nothing and is left
    out.
    """
    made = [
        make(setup) for make in (_top_only, _early_active, _hold_longer, _hold_higher, _equalise)
    ]
    return [s for s in made if s is not None and _differs(setup, s.changes)]


def _differs(setup: Setup, changes: Mapping[str, object]) -> bool:
    return any(get(setup, path) != value for path, value in changes.items())


def _usual(setup: Setup, name: str) -> float:
    return chemistry(setup.chemistry).usual[name].value


def _volts(setup: Setup, cell_v: float) -> float:
    return round(setup.cells * cell_v, 2)


def _top_only(setup: Setup) -> School | None:
    place = setup.leveller_path
    if not place:
        return None
    start_v = _usual(setup, "balance_start_v")
    return School(
        "top",
        "Top only",
        f"balance from {start_v:.2f} V, whenever a cell is there: above the knee "
        "millivolts tell charge",
        {f"{place}.start_v": start_v, f"{place}.when": "always"},
    )


def _early_active(setup: Setup) -> School | None:
    chem = chemistry(setup.chemistry)
    start_v = round(float(chem.curve.ocv(55.0)), 2)
    own, place = setup.leveller, setup.leveller_path or "balancer"
    current = own.current_a if own and own.kind == "active" else 1.0
    return School(
        "early",
        "Early start, active",
        f"an active balancer of {current:g} A from {start_v:.2f} V: more hours, less aim",
        {
            f"{place}.kind": "active",
            f"{place}.current_a": current,
            f"{place}.start_v": start_v,
            f"{place}.when": "always",
            f"{place}.delta_mv": own.delta_mv if own else 10.0,
        },
    )


def _hold_longer(setup: Setup) -> School | None:
    if setup.charging is None or setup.charging.absorption_min >= 180:
        return None
    return School(
        "longer",
        "Hold longer",
        "absorption of 3 h at the present voltage",
        {"charging.absorption_min": 180.0, "charging.tail_a": None},
    )


def _hold_higher(setup: Setup) -> School | None:
    if setup.charging is None:
        return None
    target = _ceiling(
        setup,
        chemistry(setup.chemistry).knee_v
        + 0.6 * (chemistry(setup.chemistry).max_v - chemistry(setup.chemistry).knee_v),
    )
    if setup.charging.absorption_v >= _volts(setup, target):
        return None
    return School(
        "higher",
        "Hold higher",
        f"absorption at {target:.2f} V a cell: easy to level, harder on the cells, nearer "
        "to the trips",
        {"charging.absorption_v": _volts(setup, target), "charging.tail_a": None},
    )


def _equalise(setup: Setup) -> School | None:
    if setup.charging is None:
        return None
    target = _ceiling(setup, _usual(setup, "equalise_v"))
    if setup.charging.absorption_v >= _volts(setup, target):
        return None
    return School(
        "equalise", "Periodic equalise", f"life as it is, and {target:.2f} V a cell every 30 days",
        {"charging.equalise_v": _volts(setup, target), "charging.equalise_every_days": 30.0},
    )  # fmt: skip


def _ceiling(setup: Setup, cell_v: float) -> float:
    """Never nearer to the alarm, the trip or the sheet than 40 mV: no school is shown beyond
    them.
    """
    over = setup.protection.cell_over_voltage
    chem = chemistry(setup.chemistry)
    tops = [over.trip_v, chem.max_v, setup.cell.max_v or chem.max_v]
    if setup.protection.pack_over_voltage:
        tops.append(setup.protection.pack_over_voltage.trip_v / setup.cells + 0.02)
    return round(min(cell_v, min(tops) - 0.04), 2)
