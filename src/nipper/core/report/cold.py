"""The words of Cold: its sentence and what follows."""

from collections.abc import Sequence
from datetime import datetime
from typing import TYPE_CHECKING

from nipper.core.findings import Finding
from nipper.core.report.consequence import Consequence, Status, of_finding
from nipper.core.setup import Setup

if TYPE_CHECKING:  # its numerics take most of a second to load, and the first paint needs this sentence
    from nipper.core.imbalance.estimate import Estimate

PROOF = "proof"  # the kind of a bench event that is one
GOOD_FOR_DAYS = 365.0  # a cutoff is proven anew each autumn: common practice
COLD_PATHS = ("protection.charge_under_temperature", "protection.discharge_under_temperature", "protection.charge_over_temperature")
SPREAD_C = 3.0  # between sensors before it is worth a word: common practice


def last_proof(events: Sequence[tuple[float, int | None, str, str]], pack: int) -> tuple[float, str] | None:
    """The newest proof of a pack: when, and its line. Events as (time_s, pack, kind, note)."""
    proofs = [(time_s, note) for time_s, of, kind, note in events if kind == PROOF and of in (None, pack)]
    return max(proofs, default=None)


def cold_sentence(setup: Setup, proof: tuple[float, str] | None, now: datetime) -> tuple[Status, str]:
    """How the cold cutoff stands."""
    limit = setup.charge_cutoff
    if limit is None:
        return Status.ACT, "no cutoff: nothing stops the charge in the cold"
    if limit.trip_c < 0.0:
        return Status.ACT, f"stops only at {limit.trip_c:g} °C, below freezing".replace("-", "−")
    if proof is None:
        return Status.WATCH, f"stops at {limit.trip_c:g} °C by its setting, not proven"
    at = datetime.fromtimestamp(proof[0], now.tzinfo)
    if (now - at).days > GOOD_FOR_DAYS:
        return Status.WATCH, f"proof of {at.day} {at:%b %Y} is over a year old"
    return Status.OK, f"proven {at.day} {at:%b}: {proof[1].partition(': ')[2] or proof[1]}"


def of_cold(setup: Setup, findings: Sequence[Finding], known: "Estimate | None") -> list[Consequence]:
    """The rules of temperature, where the sensors stand, and what to remember."""
    out = [of_finding(f) for f in findings if any(path.startswith(COLD_PATHS) for path in f.settings)]
    if known is not None and known.sensors_c.size >= 2:
        coldest, warmest = int(known.sensors_c.argmin()), int(known.sensors_c.argmax())
        apart = float(known.sensors_c[warmest] - known.sensors_c[coldest])
        if apart >= SPREAD_C:
            lead = f"Sensor {coldest + 1} reads {apart:.0f} °C colder than sensor {warmest + 1}."
            out.append(Consequence(Status.WATCH, lead, "The cutoff must act on the colder one.", place="means over the log"))
        else:
            out.append(Consequence(Status.OK, f"The sensors agree within {apart:.0f} °C.", place="means over the log"))
    elif known is not None:
        text = "It must sit on the coldest cell, nearest the outer wall: the BMS knows of no other."
        out.append(Consequence(Status.WATCH, "The log has one temperature sensor or none.", text, place="from the log"))
    limit = setup.charge_cutoff
    if limit is None:
        text = "A charger with an external sensor, or a relay in the charge lead, can stand in: sensor on the coldest cell, stop at 5 °C, resume 1 K above."
        out.append(Consequence(Status.NONE, "Neither BMS nor charger has a cutoff?", text, place="common practice"))
    return out
