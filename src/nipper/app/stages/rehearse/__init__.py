"""Rehearse: run the settings before typing them in."""

from nipper.app.stage import Hears, Picture, Situation, Stage, StageView
from nipper.core.report.consequence import Consequence, Status


def _make(s: Situation) -> StageView:
    from nipper.app.stages.rehearse.view import RehearseView

    return RehearseView(s.document, s.forecasts, s.theme)


def _sentence(s: Situation) -> tuple[Status, str] | None:
    from nipper.core.report.rehearsing import rehearse_sentence

    if s.document.record is None and s.document.reading_log:
        return None
    return rehearse_sentence(s.forecasts.rehearsal.value)


def _follows(s: Situation) -> list[Consequence]:
    from nipper.core.report.rehearsing import of_rehearsal

    done = s.forecasts.rehearsal.value
    return of_rehearsal(done) if done else []


def _stepped_in(_view: StageView, s: Situation) -> None:
    """A cloud at noon of the second day."""
    from nipper.core.simulate.scenario import Event

    s.forecasts.step_in(Event(day=1.4, minutes=90.0, sun_share=0.1, note="cloud, day 2"))


STAGE = Stage(
    id="rehearse",
    title="Rehearse",
    key="7",
    help="Run the settings on a copy of this bank.",
    make=_make,
    sentence=_sentence,
    follows=_follows,
    hears=Hears.RECORD | Hears.REHEARSAL,
    pictures=(Picture("rehearse", _stepped_in),),
)
