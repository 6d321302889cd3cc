"""Diagnose: which cell strays, why, how sure, and what to do."""

from nipper.app.stage import Hears, Picture, Situation, Stage, StageView
from nipper.core.report.consequence import Consequence, Status


def _make(s: Situation) -> StageView:
    from nipper.app.stages.diagnose.view import DiagnoseView

    return DiagnoseView(s.document, s.theme, s.zone)


def _sentence(s: Situation) -> tuple[Status, str] | None:
    from nipper.core.report.sentences import diagnose_sentence

    record = s.document.record
    if record is None and s.document.reading_log:
        return None
    return diagnose_sentence(record.diagnosis if record else None)


def _follows(s: Situation) -> list[Consequence]:
    """The judgement, the trip to come, what events did, what was considered, what was said
    before.
    """
    from nipper.core.report import sentences
    from nipper.core.report.compared import of_compared

    document, record, compared = s.document, s.document.record, s.forecasts.comparison.value
    if record is None:
        return []
    told = sentences.of_diagnosis(record.diagnosis)
    told += sentences.of_trip(record.diagnosis, document.setup, s.zone)
    if compared is not None:
        names = [p.name for p in document.records.packs]
        told += of_compared(compared, record.pack.id, names, s.zone)
    told += sentences.of_overruled(record.diagnosis)
    return told + sentences.of_history(document.history.diagnoses(record.pack.id), s.zone)


def _one_cell(view: StageView, _: Situation) -> None:
    from nipper.app.stages.diagnose.view import DiagnoseView

    assert isinstance(view, DiagnoseView)
    view.pick(12)


STAGE = Stage(
    id="diagnose",
    title="Diagnose",
    key="9",
    help="Which cell strays, why, and what to do.",
    make=_make,
    sentence=_sentence,
    follows=_follows,
    hears=Hears.RECORD | Hears.COMPARISON,
    pictures=(Picture("diagnose"), Picture("diagnose-cell", _one_cell)),
    wants=lambda forecasts: forecasts.comparison,
)
