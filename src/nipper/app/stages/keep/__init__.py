"""Keep: what is due and why, storage, faults found with a meter, trips, the bench's story."""

from nipper.app.stage import Hears, Picture, Situation, Stage, StageView, page
from nipper.core.report.consequence import Consequence, Status


def _make(s: Situation) -> StageView:
    from nipper.app.stages.keep.view import KeepView

    return KeepView(s.document, s.theme, s.zone)


def _sentence(s: Situation) -> tuple[Status, str] | None:
    from nipper.app.stages.keep.gather import dues
    from nipper.core.report.keep import keep_sentence

    if s.document.records.busy:
        return None
    return keep_sentence(dues(s.document, s.zone), s.document.bench.clock())


def _follows(s: Situation) -> list[Consequence]:
    from nipper.app.stages.keep.gather import dues
    from nipper.core.report.keep import of_keep

    return of_keep(dues(s.document, s.zone), s.document.bench.clock())


def _walking(view: StageView, _: Situation) -> None:
    """Two readings into a walk."""
    from nipper.app.stages.keep.view import KeepView

    assert isinstance(view, KeepView)
    view.show_page(3)
    view.meter.readings = {"fuse": 52.9, "minus": 0.02}
    view.meter.refresh()


STAGE = Stage(
    id="keep",
    title="Keep",
    key="0",
    help="What is due and why, storage, finding faults with a meter, trips, the bench's story.",
    make=_make,
    sentence=_sentence,
    follows=_follows,
    hears=Hears.FINDINGS | Hears.PACKS | Hears.EVENTS,
    pictures=(Picture("keep", page(0)), Picture("keep-meter", _walking)),
)
