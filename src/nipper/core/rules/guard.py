"""The last guard of the suggestions: none goes beyond a sheet, a lead or a fuse, and none is
refused.

A rule proposes what cures its own finding. Whether the rest of the path carries it is asked here,
once for all rules: a current is raised only where sheet, fuse and lead are known and carry it, a
voltage only within the cell's sheet. Where data is missing, the thing to do is to enter it.
"""

from collections.abc import Mapping
from dataclasses import replace

from nipper.core.errors import InputError
from nipper.core.findings import Finding
from nipper.core.rules.base import sheet_max_v, sheet_min_v
from nipper.core.rules.build import charge_total_a
from nipper.core.setup import Setup, put
from nipper.core.wiring.lead import main_lead, pack_lead
from nipper.core.wiring.short import behind_leads_a

ENTER = (
    " Enter the cell's sheet, fuse and lead as they are: then a value can be proposed that "
    "they carry."
)
REACHED = 0.5  # of what a short drives: a trip above it may not be reached (common practice)
Limits = tuple[float | None, ...]


def guarded(setup: Setup, found: Finding) -> Finding:
    """The finding, its suggestion taken back where it may not stand, or would change nothing."""
    if not found.suggestion:
        return found
    try:
        after = put(setup, found.suggestion)
    except InputError:
        after = setup
    if after == setup:
        return replace(found, suggestion={}, suggestion_label="")
    if _fits(setup, after):
        return found
    return replace(found, suggestion={}, suggestion_label="", why=found.why + ENTER)


def safe(setup: Setup, suggestion: Mapping[str, object]) -> bool:
    """Whether a suggestion can stand: accepted by the setup, and nothing raised past what must
    carry it.
    """
    try:
        return _fits(setup, put(setup, suggestion))
    except InputError:
        return False


def _fits(before: Setup, after: Setup) -> bool:
    return _voltages_fit(before, after) and _currents_fit(before, after)


def within(setup: Setup, side: str) -> Limits:
    """What bounds one pack's current on a side ("charge", "discharge"): sheet, fuse, lead; None
    unknown.
    """
    wiring = setup.wiring
    sheet_a = setup.sheet_charge_a if side == "charge" else setup.sheet_discharge_a
    lead = pack_lead(wiring)
    return sheet_a, wiring.fuse_a if wiring else None, lead.carries_a if lead else None


def _voltages_fit(before: Setup, after: Setup) -> bool:
    top, bottom = sheet_max_v(after) + 1e-6, sheet_min_v(after) - 1e-6
    old_high, old_low = _voltages(before)
    new_high, new_low = _voltages(after)
    return not any(
        _raised(v, old_high.get(k)) and v > top for k, v in new_high.items()
    ) and not any(
        _raised(-v, -old_low[k] if k in old_low else None) and v < bottom
        for k, v in new_low.items()
    )


def _voltages(setup: Setup) -> tuple[dict[str, float], dict[str, float]]:
    """What must stay under the sheet's highest, and above its lowest, V a cell."""
    p, n, charging = setup.protection, setup.cells, setup.charging
    high: dict[str, float | None] = {
        "trip": p.cell_over_voltage.trip_v,
        "pack trip": p.pack_over_voltage.trip_v / n if p.pack_over_voltage else None,
        "balancer": setup.separate_balancer.high_v if setup.separate_balancer else None,
    }
    if charging:
        high |= {
            "absorption": charging.absorption_v / n,
            "float": charging.float_v / n if charging.float_v else None,
            "equalise": charging.equalise_v / n if charging.equalise_v else None,
        }
    for i, other in enumerate(setup.other_chargers):
        high[f"absorption {i}"] = other.absorption_v / n
        high[f"float {i}"] = other.float_v / n if other.float_v else None
    low = {
        "trip": p.cell_under_voltage.trip_v,
        "off": p.power_off_v,
        "balancer": setup.separate_balancer.low_v if setup.separate_balancer else None,
    }
    return {k: v for k, v in high.items() if v}, {k: v for k, v in low.items() if v}


def _currents_fit(before: Setup, after: Setup) -> bool:
    packs, new, old = after.packs_in_parallel, after.protection, before.protection
    for side in ("charge", "discharge"):
        limit = getattr(new, f"{side}_over_current")
        had = getattr(old, f"{side}_over_current")
        if limit and not _carried(limit.trip_a, had.trip_a if had else None, within(after, side)):
            return False
    if (
        new.short_circuit
        and _raised(
            new.short_circuit.trip_a, old.short_circuit.trip_a if old.short_circuit else None
        )
        and new.short_circuit.trip_a > (after.sheet_pulse_a or REACHED * behind_leads_a(after))
    ):
        return False
    if not _carried(
        charge_total_a(after) / packs, charge_total_a(before) / packs, within(after, "charge")
    ):
        return False
    return _fuses_fit(before, after)


def _fuses_fit(before: Setup, after: Setup) -> bool:
    old, new = before.wiring, after.wiring
    if new is None:
        return True
    for name, lead in (("fuse_a", pack_lead(new)), ("main_fuse_a", main_lead(new))):
        fuse_a, had_a = getattr(new, name), getattr(old, name) if old else None
        if not fuse_a or (had_a and fuse_a <= had_a):
            continue
        if lead is None or fuse_a > lead.protected_by_a(new.fuse_kind, at_best=True):
            return False
    return True


def _carried(now: float, before: float | None, limits: Limits) -> bool:
    """A raised current needs all limits known and not below it; a first one must not pass the known
    ones.
    """
    if before is not None and now <= before + 1e-9:
        return True
    known = [limit for limit in limits if limit]
    all_known = len(known) == len(limits)
    return (before is None or all_known) and all(now <= limit + 1e-9 for limit in known)


def _raised(now: float, before: float | None) -> bool:
    return before is None or now > before + 1e-9
