"""Build: the bank as built, joined, tested and powered for the first time."""

from nipper.app.stage import Hears, Picture, Situation, Stage, StageView, page
from nipper.core.report.consequence import Consequence, Status


def _make(s: Situation) -> StageView:
    from nipper.app.stages.build.view import BuildView

    return BuildView(s.document, s.theme, s.zone)


def _sentence(s: Situation) -> tuple[Status, str]:
    from nipper.core.report.build import build_sentence

    return build_sentence(s.document.bank)


def _follows(s: Situation) -> list[Consequence]:
    from nipper.core.report.build import of_build
    from nipper.core.wiring.currents import long_a

    bank = s.document.named_bank
    found = of_build(bank, long_a(bank)[0], s.document.measured_shares())
    return s.findings_of("build") + found


STAGE = Stage(
    id="build",
    title="Build",
    key="1",
    help="The bank as built: parts, current, sense leads, cells, joining, capacity, first power.",
    make=_make,
    sentence=_sentence,
    follows=_follows,
    hears=Hears.FINDINGS | Hears.PACKS | Hears.EVENTS,
    pictures=(Picture("build", page(0)), Picture("build-current", page(1))),
    dark=True,
)
