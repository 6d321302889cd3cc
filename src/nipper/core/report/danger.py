"""What comes before all else: cells that were driven beyond what they bear."""

from nipper.core.imbalance.danger import Danger
from nipper.core.imbalance.diagnosis import Diagnosis
from nipper.core.quantities import with_minus
from nipper.core.report.consequence import Consequence, Status


def of_dangers(diagnosis: Diagnosis | None) -> list[Consequence]:
    """One entry for each side; nothing where no cell is in danger."""
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
    ]


def _place(danger: Danger) -> str:
    if danger.pressing:
        return "before all findings"
    return "long past, and not forgotten" if danger.grave else "from the log"


def past_words(diagnosis: Diagnosis) -> str:
    """What is long past and keeps the pack from being called healthy; empty where nothing does."""
    past = [d for d in diagnosis.dangers if d.grave] if diagnosis.verdict == "watch" else []
    return with_minus(past[0].summary.rstrip(".")) if past else ""


def alarm_words(diagnosis: Diagnosis) -> str:
    """The worst danger of these days in a few words; empty where there is none."""
    return with_minus(diagnosis.alarm.summary.rstrip(".")) if diagnosis.alarm else ""
