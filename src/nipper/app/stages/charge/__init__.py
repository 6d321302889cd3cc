"""Charge: profile, rates by temperature, PV strings, other chargers, open loop, energy budget."""

from nipper.app.stage import Hears, Picture, Situation, Stage, StageView, page
from nipper.core.report.consequence import Consequence, Status


def _make(s: Situation) -> StageView:
    from nipper.app.stages.charge.view import ChargeView

    return ChargeView(s.document, s.forecasts, s.theme)


def _sentence(s: Situation) -> tuple[Status, str]:
    from nipper.core.report.charge import charge_sentence

    return charge_sentence(s.document.setup, s.forecasts.drawn_day)


def _follows(s: Situation) -> list[Consequence]:
    from nipper.core.report.charge import of_charge

    found, forecasts = s.findings_of("charge"), s.forecasts
    return of_charge(s.document.setup, found, forecasts.drawn_day, forecasts.budget)


STAGE = Stage(
    id="charge",
    title="Charge",
    key="4",
    help="Profile, rates, PV strings, the open-loop sheet.",
    make=_make,
    sentence=_sentence,
    follows=_follows,
    hears=Hears.FINDINGS | Hears.DAY,
    pictures=(Picture("charge", page(0)), Picture("charge-strings", page(1))),
)
