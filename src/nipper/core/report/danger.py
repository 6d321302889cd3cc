"""What comes before all else: cells that were driven beyond what they bear."""

from collections.abc import Sequence

from nipper.core.imbalance.danger import Danger, dangers
from nipper.core.imbalance.danger.model import KINDS
from nipper.core.imbalance.diagnosis import Diagnosis
from nipper.core.logs.looked import NOTHING, Looked
from nipper.core.logs.model import Log
from nipper.core.quantities import with_minus
from nipper.core.report.consequence import Consequence, Status
from nipper.core.setup import Setup


def of_dangers(diagnosis: Diagnosis | None, kinds: Sequence[str] = KINDS) -> list[Consequence]:
    """One entry for each danger of these kinds; nothing where there is none."""
    if diagnosis is None:
        return []
    return [
        Consequence(
            Status.ACT if danger.pressing else Status.WATCH,
            danger.summary,
            " ".join(danger.actions),
            place=_place(danger),
        )
        for danger in diagnosis.dangers
        if danger.kind in kinds
    ]


def _place(danger: Danger) -> str:
    if danger.pressing:
        return "before all findings"
    return "long past, and not forgotten" if danger.grave else "from the log"


def live_words(reading: Log, setup: Setup, looked: Looked = NOTHING) -> str:
    """What the newest reading of a watch is stopped for, in a few words; empty where for nothing.

    Of a device that tells only its highest and lowest cell no cell is named.
    """
    found = next((danger for danger in dangers(reading, setup, looked) if danger.grave), None)
    if found is None:
        return ""
    if found.cells and reading.cells != setup.cells:
        return with_minus(f"A cell read {found.worst:.2f} V: stop charging, and measure")
    return with_minus(found.summary.rstrip("."))


def past_words(diagnosis: Diagnosis) -> str:
    """What is long past and keeps the pack from being called healthy; empty where nothing does."""
    past = [d for d in diagnosis.dangers if d.grave] if diagnosis.verdict == "watch" else []
    return with_minus(past[0].summary.rstrip(".")) if past else ""


def alarm_words(diagnosis: Diagnosis) -> str:
    """The worst danger of these days in a few words; empty where there is none."""
    return with_minus(diagnosis.alarm.summary.rstrip(".")) if diagnosis.alarm else ""
