"""Cold: the cutoff, and its proof."""

from nipper.app.stage import Hears, Picture, Situation, Stage, StageView
from nipper.core.report.consequence import Consequence, Status


def _make(s: Situation) -> StageView:
    from nipper.app.stages.cold.view import ColdView

    return ColdView(s.document, s.theme, s.zone)


def _sentence(s: Situation) -> tuple[Status, str]:
    from nipper.core.report.cold import cold_sentence

    document = s.document
    proof = document.history.last_proof(document.pack.id)
    record = document.record
    diagnosis = record.diagnosis if record else None
    return cold_sentence(document.setup, proof, document.now(s.zone), diagnosis)


def _follows(s: Situation) -> list[Consequence]:
    from nipper.core.report.cold import of_cold

    record = s.document.record
    diagnosis = record.diagnosis if record else None
    return of_cold(s.document.setup, s.findings_of("cold"), diagnosis)


STAGE = Stage(
    id="cold",
    title="Cold",
    key="5",
    help="The cold cutoff and its proof.",
    make=_make,
    sentence=_sentence,
    follows=_follows,
    hears=Hears.FINDINGS | Hears.RECORD | Hears.EVENTS,
    pictures=(Picture("cold"),),
)
