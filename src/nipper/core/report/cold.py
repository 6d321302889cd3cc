"""The words of Cold: its sentence and what follows."""

from collections.abc import Sequence
from datetime import datetime
from math import ceil
from typing import TYPE_CHECKING

from nipper.core.cold.plan import OUTSIDE_STOP_C, SENSOR_ERROR_C, UNSEEN_C, plan, safe_trip_c
from nipper.core.cold.record import ProofRecord
from nipper.core.quantities import with_minus
from nipper.core.report.consequence import Consequence, Status
from nipper.core.setup import Setup

if (
    TYPE_CHECKING
):  # its numerics take most of a second to load, and the first paint needs this sentence
    from nipper.core.imbalance.diagnosis import Diagnosis
    from nipper.core.imbalance.estimate import Estimate

GOOD_FOR_DAYS = 365.0  # a cutoff is proven anew each autumn: common practice
SPREAD_C = 3.0  # between sensors before it is worth a word: common practice


def cold_sentence(
    setup: Setup,
    proof: tuple[float, ProofRecord] | None,
    now: datetime,
    diagnosis: "Diagnosis | None" = None,
) -> tuple[Status, str]:
    """How the cold cutoff stands; what a log shows it did not stop comes before its proof."""
    limit = setup.charge_cutoff
    cold = [d for d in diagnosis.dangers if d.kind == "charged_cold"] if diagnosis else []
    if cold and cold[0].pressing:
        return Status.ACT, f"the log shows a charge at {with_minus(f'{cold[0].worst:.0f}')} °C"
    if limit is None:
        return Status.ACT, "no cutoff: nothing stops the charge in the cold"
    if limit.trip_c < 0.0:
        return Status.ACT, f"stops only at {limit.trip_c:g} °C, below freezing".replace("-", "−")
    if proof is None:
        return Status.WATCH, f"stops at {limit.trip_c:g} °C by its setting, not proven"
    at, made = datetime.fromtimestamp(proof[0], now.tzinfo), proof[1]
    if not made.is_of(limit):
        was = made.stop_c if made.trip_c is None else made.trip_c
        return Status.WATCH, f"proven for {was:g} °C, set to {limit.trip_c:g} °C: prove it again"
    if (now - at).days > GOOD_FOR_DAYS:
        return Status.WATCH, f"proof of {at.day} {at:%b %Y} is over a year old"
    return Status.OK, f"proven {at.day} {at:%b}: {made.words}"


def of_cold(
    setup: Setup,
    rules: Sequence[Consequence],
    diagnosis: "Diagnosis | None",
    elsewhere: Sequence[int] = (),
) -> list[Consequence]:
    """The rules of temperature, where the sensors stand, how much colder a cell may be, and who
    stops the charge; ``elsewhere`` are sensors (from 1) that do not lie on the cells.
    """
    out = [*_charged_cold(diagnosis), *(_elsewhere(number) for number in elsewhere), *rules]
    told = plan(setup)
    if told.who == "nobody":
        text = (
            "A charger with an external sensor, or a relay in the charge lead, can stand in: "
            f"sensor on the coldest cell, stop at {OUTSIDE_STOP_C:g} °C."
        )
        lead = "Has the BMS no cutoff at all?"
        out.append(
            Consequence(
                Status.NONE,
                lead,
                text,
                place="common practice",
                suggestion=tuple(told.stand_in.items()),
                label="The charger's sensor stops it",
            )
        )
    if diagnosis is not None:
        out.append(_sensors(diagnosis.estimate))
        out += _colder(setup, diagnosis)
    return out


def _elsewhere(sensor: int) -> Consequence:
    return Consequence(
        Status.WATCH,
        f"Sensor {sensor} does not lie on the cells.",
        "Where the BMS stops the charge by it, the cutoff guards nothing, proven or not: prove it "
        "with a sensor on the coldest cell.",
        place="noted in Diagnose",
    )


def _charged_cold(diagnosis: "Diagnosis | None") -> list[Consequence]:
    """What the log shows the cutoff did not stop."""
    if diagnosis is None or not any(d.kind == "charged_cold" for d in diagnosis.dangers):
        return []
    from nipper.core.report.danger import of_dangers

    return of_dangers(diagnosis, ("charged_cold",))


def _sensors(known: "Estimate") -> Consequence:
    if known.sensors_c.size < 2:
        text = "It must sit on the coldest cell, nearest the outer wall: the BMS knows of no other."
        return Consequence(
            Status.WATCH, "The log has one temperature sensor or none.", text, place="from the log"
        )
    coldest, warmest = int(known.sensors_c.argmin()), int(known.sensors_c.argmax())
    apart = float(known.sensors_c[warmest] - known.sensors_c[coldest])
    if apart >= SPREAD_C:
        colder, other = known.sensors[coldest] + 1, known.sensors[warmest] + 1
        lead = f"Sensor {colder} reads {apart:.0f} °C colder than sensor {other}."
        return Consequence(
            Status.WATCH, lead, "The cutoff must act on the colder one.", place="means over the log"
        )
    return Consequence(
        Status.OK, f"The sensors agree within {apart:.0f} °C.", place="means over the log"
    )


def _colder(setup: Setup, diagnosis: "Diagnosis") -> list[Consequence]:
    """Where the sensor sits against where the coldest cell is: cells whose resistance says they are
    colder than the others.
    """
    cutoff = setup.charge_cutoff
    if cutoff is None:
        return []
    found = next(
        (
            f
            for f in diagnosis.findings
            if f.cause == "temperature_gradient" and f.confidence > 0.5 and f.value < 0.0
        ),
        None,
    )
    colder = abs(found.value) if found else UNSEEN_C
    least = safe_trip_c(SENSOR_ERROR_C, colder)
    chain = f"0 °C + {SENSOR_ERROR_C:g} K of the sensor's error + {colder:.0f} K"
    who = (
        f"Cells {', '.join(str(c) for c in found.cells)} run {colder:.0f} K colder than the others."
        if found
        else f"With {colder:g} K between sensor and coldest cell"
    )
    if cutoff.trip_c >= least - 0.25:
        lead = (
            who
            if found
            else f"The cutoff of {cutoff.trip_c:g} °C leaves room for sensor and place."
        )
        return [
            Consequence(
                Status.OK,
                lead,
                f"{chain} = {least:.0f} °C or more.",
                place="from their resistance in the log" if found else "common practice",
            )
        ]
    path = (
        "protection.charge_under_temperature" if setup.protection.charge_under_temperature else ""
    )
    to = float(ceil(least))
    changes: dict[str, object] = {"charging.cold_stop_c": to, "charging.cold_resume_c": to + 1.0}
    if path:
        changes = {f"{path}.trip_c": to, f"{path}.release_c": max(cutoff.release_c, to + 2.0)}
    return [
        Consequence(
            Status.WATCH if found else Status.OK,
            who if found else f"{who} the cutoff should stand at {least:.0f} °C.",
            f"{chain} = {least:.0f} °C; it is set to {cutoff.trip_c:g} °C.",
            place="from their resistance in the log" if found else "common practice",
            why="The cutoff looks at a sensor; what must stay above freezing is the coldest cell.",
            suggestion=tuple(changes.items()),
            label=f"Stop at {to:g} °C",
        )
    ]
