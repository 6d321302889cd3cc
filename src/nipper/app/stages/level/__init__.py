"""Level: whether the balancer catches up."""

from nipper.app.stage import Hears, Picture, Situation, Stage, StageView
from nipper.core.report.consequence import Consequence, Status


def _make(s: Situation) -> StageView:
    from nipper.app.stages.level.view import LevelView

    return LevelView(s.document, s.forecasts, s.theme)


def _sentence(s: Situation) -> tuple[Status, str] | None:
    from nipper.core.forecast.levelling import from_log
    from nipper.core.report.levelling import level_sentence

    if s.document.record is None and s.document.reading_log:
        return None
    known = s.forecasts.known.get(s.forecasts.pack_number)
    return level_sentence(s.document.setup, from_log(s.document.setup, known))


def _follows(s: Situation) -> list[Consequence]:
    from nipper.core.report.danger import of_dangers
    from nipper.core.report.levelling import of_levelling

    record = s.document.record
    first = of_dangers(record.diagnosis if record else None)
    out = of_levelling(s.forecasts.levelling.value, s.findings_of("level"))
    return [*first, *_top_balance(s), *out]


def _top_balance(s: Situation) -> list[Consequence]:
    from nipper.core.report.topbalance import reminder, under_way

    document = s.document
    session = document.shelf.top_balance()
    if session is None or session.pack != document.pack.id:
        return []
    shots = document.records.snapshots(document.pack)
    readings = [(shot.time_s - session.begun_s, shot.deviation_mv) for shot in shots]
    said = under_way(session, readings, document.bench.clock()), reminder(session, document.setup)
    return [consequence for consequence in said if consequence]


STAGE = Stage(
    id="level",
    title="Level",
    key="3",
    help="Whether the balancer catches up, and which school would.",
    make=_make,
    sentence=_sentence,
    follows=_follows,
    hears=Hears.FINDINGS | Hears.RECORD | Hears.LEVELLING,
    pictures=(Picture("level"),),
)
