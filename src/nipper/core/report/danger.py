"""What comes before all else: cells that read what none bears."""

from nipper.core.imbalance.diagnosis import Diagnosis
from nipper.core.quantities import with_minus
from nipper.core.report.consequence import Consequence, Status

WHY = "What such a cell does when it is charged again cannot be told from its voltage."


def of_dangers(diagnosis: Diagnosis | None) -> list[Consequence]:
    """One entry for each side; nothing where no cell is in danger."""
    if diagnosis is None:
        return []
    return [
        Consequence(Status.ACT, danger.summary, " ".join(danger.actions), why=WHY)
        for danger in diagnosis.dangers
    ]


def first_words(diagnosis: Diagnosis) -> str:
    """The first danger in a few words; empty where there is none."""
    return with_minus(diagnosis.dangers[0].summary.rstrip(".")) if diagnosis.dangers else ""
