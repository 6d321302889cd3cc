"""Link: battery and inverter made to agree, seen to talk, and lost on purpose."""

from nipper.app.stage import Hears, Picture, Situation, Stage, StageView, page
from nipper.core.report.consequence import Consequence, Status


def _make(s: Situation) -> StageView:
    from nipper.app.stages.link.view import LinkView

    return LinkView(s.document, s.theme, s.zone)


def _sentence(s: Situation) -> tuple[Status, str]:
    from nipper.core.report.link import link_sentence

    return link_sentence(s.document.bank, s.document.history.last_loss())


def _follows(s: Situation) -> list[Consequence]:
    from nipper.core.report.link import of_link

    return s.findings_of("link") + of_link(s.document.bank, s.document.history.last_loss())


STAGE = Stage(
    id="link",
    title="Link",
    key="6",
    help="Battery and inverter: the way of the current, cable, switches, the talk, its loss.",
    make=_make,
    sentence=_sentence,
    follows=_follows,
    hears=Hears.FINDINGS | Hears.EVENTS,
    pictures=(Picture("link", page(2)),),
)
