"""Fuse, leads and the current path: the weakest link must be one that was chosen."""

from collections.abc import Iterator, Mapping

from nipper.core.findings import Finding
from nipper.core.rules.base import COMMON, Evidence, Rule, error, note, warning
from nipper.core.setup import Setup
from nipper.core.wiring.fuse import RATED_A
from nipper.core.wiring.lead import LEADS, carries_a


def fuse_and_lead(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A fuse protects the lead behind it: it must not be larger than the lead carries."""
    wiring = setup.wiring
    if wiring is None or not wiring.fuse_a or not wiring.cable_mm2:
        return
    cool, hot = carries_a(wiring.cable_mm2), carries_a(wiring.cable_mm2, hot=True)
    if wiring.fuse_a <= cool + 1e-9:
        return
    size = next((s for s, a, _ in LEADS if a >= wiring.fuse_a), None)
    paths = ("wiring.fuse_a", "wiring.cable_mm2")
    fix: Mapping[str, object] = (
        {"wiring.cable_mm2": float(size)}
        if size
        else {
            "wiring.fuse_a": float(max(f for f in RATED_A if f <= LEADS[-1][1])),
            "wiring.cable_mm2": float(LEADS[-1][0]),
        }
    )
    label = f"Lead of {size:g} mm²" if size else "Fuse and lead that fit"
    if wiring.fuse_a > hot:
        yield error(
            paths,
            f"The {wiring.fuse_a:g} A fuse lets more through than {wiring.cable_mm2:g} mm² carry ({cool:.0f} A, {hot:.0f} A with 105 °C insulation).",
            "In an overload the lead burns before the fuse opens. Bundles and engine rooms carry less: local rules decide.",
            fix,
            label,
        )
    else:
        yield note(
            paths,
            f"The {wiring.fuse_a:g} A fuse fits {wiring.cable_mm2:g} mm² only with heat-proof insulation ({cool:.0f} A at 70 °C, {hot:.0f} A at 105 °C).",
            "Look at the lead's own marking; bundles and engine rooms carry less. Local rules decide.",
            fix,
            label,
        )


def fuse_and_limits(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """On overload the BMS should act first and the fuse keep for what the BMS cannot break."""
    wiring, limit = setup.wiring, setup.protection.discharge_over_current
    if wiring is None or not wiring.fuse_a or limit is None:
        return
    if wiring.fuse_a >= limit.trip_a:
        return
    to = next((f for f in RATED_A if f >= 1.25 * limit.trip_a), None)
    carries = carries_a(wiring.cable_mm2) if wiring.cable_mm2 else None
    fix: Mapping[str, object] = {}
    label = ""
    if to and (carries is None or to <= carries + 1e-9):
        fix, label = {"wiring.fuse_a": float(to)}, f"Fuse of {to} A"
    else:
        trip = float(int(wiring.fuse_a / 1.25))
        fix, label = {"protection.discharge_over_current.trip_a": trip}, f"Trip at {trip:g} A"
    yield warning(
        ("wiring.fuse_a", "protection.discharge_over_current.trip_a"),
        f"The {wiring.fuse_a:g} A fuse opens before the BMS trips at {limit.trip_a:g} A.",
        "A blown fuse ends the evening; a trip comes back by itself. The fuse is for the short circuit the BMS cannot break.",
        fix,
        label,
    )


def no_fuse(setup: Setup, _: Evidence) -> Iterator[Finding]:
    """A pack without a fuse of its own."""
    if setup.wiring is None or setup.wiring.fuse_a is not None or setup.wiring.cable_mm2 is None:
        return
    carries = carries_a(setup.wiring.cable_mm2)
    to = next((f for f in reversed(RATED_A) if f <= carries), RATED_A[0])
    yield error(
        "wiring.fuse_a",
        "The pack has no fuse of its own.",
        "A short in its leads is fed by the whole bank. Fuse each pack and the bank, with a type whose interrupting rating fits a lithium bank.",
        {"wiring.fuse_a": float(to)},
        f"Fuse of {to} A",
    )


RULES = (
    Rule("fuse-above-lead", fuse_and_lead, "ISO 10133, from memory; local code decides"),
    Rule("fuse-below-trip", fuse_and_limits, COMMON),
    Rule("pack-without-fuse", no_fuse, COMMON),
)
