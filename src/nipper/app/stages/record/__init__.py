"""Record: logs in, every full charge an entry."""

from nipper.app.stage import Hears, Picture, Situation, Stage, StageView
from nipper.core.report.consequence import Consequence, Status


def _make(s: Situation) -> StageView:
    from nipper.app.stages.record.view import RecordView

    return RecordView(s.document, s.theme, s.zone)


def _sentence(s: Situation) -> tuple[Status, str] | None:
    from nipper.core.report.sentences import record_sentence

    record = s.document.record
    if record is not None:
        return record_sentence(record.log, s.document.setup, record.diagnosis)
    return None if s.document.reading_log else record_sentence(None, s.document.setup, None)


def _follows(s: Situation) -> list[Consequence]:
    from nipper.core.report.sentences import of_record

    record = s.document.record
    if record is None:
        return []
    return of_record(record.log, s.document.setup, record.diagnosis, s.zone)


def _beside_other_pack(view: StageView, _: Situation) -> None:
    from nipper.app.stages.record.view import RecordView

    assert isinstance(view, RecordView)
    view.pick(44, False)
    view.other_pack.click()


STAGE = Stage(
    id="record",
    title="Record",
    key="8",
    help="The full charges found in the logs.",
    make=_make,
    sentence=_sentence,
    follows=_follows,
    hears=Hears.RECORD,
    pictures=(Picture("record", _beside_other_pack),),
)
