"""Protect: limits of voltage, current and temperature that hold together."""

from nipper.app.stage import Hears, Picture, Situation, Stage, StageView, page
from nipper.core.report.consequence import Consequence, Status, of_finding, protect_sentence


def _make(s: Situation) -> StageView:
    from nipper.app.stages.protect.view import ProtectView

    return ProtectView(s.document, s.theme)


def _sentence(s: Situation) -> tuple[Status, str]:
    return protect_sentence(s.document.judgement.findings)


def _follows(s: Situation) -> list[Consequence]:
    """All that the rules say: here the settings are seen together."""
    return [of_finding(f) for f in s.document.judgement.findings]


STAGE = Stage(
    id="protect",
    title="Protect",
    key="2",
    help="Limits of voltage, current and temperature.",
    make=_make,
    sentence=_sentence,
    follows=_follows,
    hears=Hears.FINDINGS,
    pictures=(
        Picture("protect", page(0)),
        Picture("protect-currents", page(1)),
    ),
)
