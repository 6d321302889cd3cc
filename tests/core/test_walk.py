"""Following the first suggestion: it ends, refuses nothing, and never passes a sheet, a lead or a
fuse.

The checks here do not use the guard's own functions: tables and arithmetic stand in this file.
"""

import os
from collections.abc import Iterator

import pytest

from nipper.core.findings import Severity
from nipper.core.rules import check
from nipper.core.setup import Setup, put
from nipper.core.wiring.lead import carries_a
from tests.core.walk import MOST_STEPS, follow, wrong_setup

WALKS = int(os.environ.get("WALKS", "400"))  # make walks takes many more
TOPS = {"lfp": 3.65, "nmc": 4.20, "lto": 2.80}  # data sheets, from memory


def amps(setup: Setup) -> Iterator[tuple[str, float, float | None]]:
    """Each current, and the most that sheet, fuse and lead let it be; None where one of them is
    unknown.
    """
    p, w, packs = setup.protection, setup.wiring, setup.packs_in_parallel
    fuse = w.fuse_a if w else None
    lead = carries_a(w.cable_mm2) if w and w.cable_mm2 else None

    def least(sheet: float | None) -> float | None:
        known = [sheet * setup.cells_in_parallel if sheet else None, fuse, lead]
        return None if None in known else min(v for v in known if v is not None)

    charge, draw = least(setup.cell.max_charge_a), least(setup.cell.max_discharge_a)
    if p.charge_over_current:
        yield "charge trip", p.charge_over_current.trip_a, charge
    if p.discharge_over_current:
        yield "discharge trip", p.discharge_over_current.trip_a, draw
    if setup.charging and setup.charging.max_charge_a:
        others = sum(c.max_charge_a for c in setup.other_chargers)
        yield "charge", (setup.charging.max_charge_a + others) / packs, charge
    if fuse:
        hot = carries_a(w.cable_mm2, 105) if w and w.cable_mm2 else None
        yield "fuse", fuse, hot


def volts(setup: Setup) -> Iterator[tuple[str, float]]:
    """Each voltage a cell is let come up to."""
    yield "trip", setup.protection.cell_over_voltage.trip_v
    charging = setup.charging
    for name in ("absorption_v", "float_v", "equalise_v"):
        value = getattr(charging, name) if charging else None
        if value:
            yield name, value / setup.cells
    for i, other in enumerate(setup.other_chargers):
        yield f"other {i}", other.absorption_v / setup.cells


def raised_beyond(before: Setup, after: Setup) -> list[str]:
    """What a suggestion raised past what must carry it."""
    top = min(v for v in (before.cell.max_v, TOPS[before.chemistry]) if v)
    old_a, old_v = {k: v for k, v, _ in amps(before)}, dict(volts(before))
    bad = [
        f"{name} {value:g} of {most}"
        for name, value, most in amps(after)
        if name in old_a and value > old_a[name] + 1e-6 and (most is None or value > most + 1e-6)
    ]
    bad += [
        f"{name} {value:.3f}"
        for name, value in volts(after)
        if value > top + 1e-6 and value > old_v.get(name, 0.0) + 1e-6
    ]
    return bad


@pytest.mark.parametrize("part", range(8))
def test_the_first_suggestion_leads_somewhere_and_never_too_far(part):
    size = WALKS // 8
    for seed in range(part * size, (part + 1) * size):
        start = wrong_setup(seed)
        _, _, wrong = follow(start)
        assert not wrong, (seed, wrong)
        setup = start
        for _ in range(MOST_STEPS):
            found = [f for f in check(setup) if f.severity is not Severity.NOTE and f.suggestion]
            if not found:
                break
            after = put(setup, found[0].suggestion)
            assert not raised_beyond(setup, after), (seed, found[0].code)
            setup = after


def test_no_suggestion_at_all_goes_too_far():
    """Not only the first one: a user may press any."""
    for seed in range(10_000, 10_300):
        setup = wrong_setup(seed)
        for found in check(setup):
            if found.suggestion:
                after = put(setup, found.suggestion)
                assert not raised_beyond(setup, after), (seed, found.code)
