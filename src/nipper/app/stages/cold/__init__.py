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
    from nipper.app.document.records import looked_at
    from nipper.core.report.cold import of_cold

    document, record = s.document, s.document.record
    diagnosis = record.diagnosis if record else None
    elsewhere = looked_at(document.bench, document.pack).sensors
    return of_cold(document.setup, s.findings_of("cold"), diagnosis, elsewhere)


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
