"""What comes before all else: cells that were driven beyond what they bear."""

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
            place="before all findings" if danger.pressing else "long past, and not forgotten",
        )
        for danger in diagnosis.dangers
    ]


def past_words(diagnosis: Diagnosis) -> str:
    """What is long past and keeps the pack from being called healthy; empty where nothing does."""
    past = diagnosis.dangers and diagnosis.verdict == "watch"
    return with_minus(diagnosis.dangers[0].summary.rstrip(".")) if past else ""


def alarm_words(diagnosis: Diagnosis) -> str:
    """The worst danger of these days in a few words; empty where there is none."""
    return with_minus(diagnosis.alarm.summary.rstrip(".")) if diagnosis.alarm else ""
