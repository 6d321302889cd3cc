"""The words of Level: what the balancer can do against what drifts, its schools run ahead, and what
is moved by hand.
"""

from collections.abc import Sequence
from typing import TYPE_CHECKING

from nipper.core.forecast.levelling import Course, FromLog, Levelling, by_hand
from nipper.core.imbalance.remedies import CAUTION
from nipper.core.report.consequence import Consequence, Status, count
from nipper.core.setup import Setup

if TYPE_CHECKING:
    from nipper.core.forecast.plan import Known
    from nipper.core.imbalance.diagnosis import Diagnosis

# of the balancer: what takes it longer is sooner done by hand (common practice)
MOST_WEEKS = 12.0


def level_sentence(setup: Setup, told: FromLog) -> tuple[Status, str]:
    """What the balancer can move a week against what drifts."""
    if setup.leveller is None:
        return Status.NONE, "no balancer"
    if told.can_ah is None:
        return (
            Status.NONE,
            f"{setup.leveller.kind}, {setup.leveller.current_a:g} A from "
            f"{setup.leveller.start_v:.2f} V",
        )
    if told.need_ah is not None and told.need_ah > told.can_ah:
        loses = f"cell {told.need_cell} loses {told.need_ah:.2f}"
        return Status.WATCH, f"levels {told.can_ah:.2f} Ah a week; {loses}"
    if told.apart_ah is not None and told.apart_ah > MOST_WEEKS * told.can_ah:
        apart = f"cells stand {told.apart_ah:.1f} Ah apart"
        return Status.WATCH, f"{apart}; levels {told.can_ah:.2f} Ah a week: by hand"
    if told.open_cell is not None:
        open_ = f"how far cell {told.open_cell} is off is not seen"
        return Status.NONE, f"levels {told.can_ah:.2f} Ah a week; {open_}"
    drifts = "no cell drifts"
    if told.need_ah is not None:
        drifts = f"cell {told.need_cell} loses {told.need_ah:.2f}"
    return Status.OK, f"can level {told.can_ah:.2f} Ah a week; {drifts}"


def of_levelling(forecast: Levelling | None, rules: Sequence[Consequence]) -> list[Consequence]:
    """The rules of the balancer, and what the forecast says of the present settings and the best
    school.
    """
    out = list(rules)
    if forecast is None:
        return out
    now = forecast.courses[0]
    weeks = now.week[-1]
    change = now.apart_ah[-1] - now.apart_ah[0]
    grows = change > 0.05
    out.insert(
        0,
        Consequence(
            Status.WATCH if grows else Status.OK,
            f"In {weeks:.0f} weeks the cells are {charge(now.apart_ah[-1])} apart.",
            f"{charge(now.apart_ah[0])} now: "
            + ("these settings do not hold them." if grows else "these settings hold them."),
            place="run on a copy of this bank, clear and mixed days",
            why="The charge between the fullest and the emptiest cell of the worst pack, at "
            "the end of each day.",
        ),
    )
    best = best_course(forecast)
    if best is not None and best.school is not None and best.apart_ah[-1] < now.apart_ah[-1] - 0.05:
        out.insert(
            1,
            Consequence(
                Status.NONE,
                f"{best.school.title}: {charge(best.apart_ah[-1])} apart instead.",
                f"{best.school.text[0].upper()}{best.school.text[1:]}.",
                place=f"{count(best.outcome.trips, 'trip')} in {weeks:.0f} weeks, "
                f"{best.outcome.high_voltage_h:.0f} h above {best.outcome.high_v:.2f} V",
                why="Run under the same sky as the present settings. Practitioners differ; "
                "this is what each costs and brings for this bank.",
                suggestion=tuple(best.school.changes.items()),
                label=f"Take {best.school.title.lower()}",
            ),
        )
    return out


def best_course(forecast: Levelling) -> Course | None:
    """The school that leaves the cells nearest together without a trip that the present settings
    have not; a change of balancer last.
    """
    now, *others = forecast.courses
    settings = [
        c
        for c in others
        if c.school
        and "balancer.kind" not in c.school.changes
        and c.outcome.trips <= now.outcome.trips
    ]
    return min(settings, key=lambda c: float(c.apart_ah[-1]), default=None)


def level_headline(setup: Setup, forecast: Levelling | None) -> tuple[str, str]:
    """Title and subtitle of Level."""
    balancer = setup.leveller
    if balancer is None:
        return (
            "No balancer is set",
            "The forecast shows what drift alone does. Enter a balancer under Protect.",
        )
    phase = {"charging": "while charging", "rest": "at rest", "always": "at any time"}[
        balancer.when
    ]
    what = (
        f"{balancer.kind.capitalize()}, {balancer.current_a:g} A from {balancer.start_v:.2f} "
        f"V, {balancer.delta_mv:g} mV apart, {phase}."
    )
    if forecast is None:
        return (
            "Does the balancer catch up?",
            what + " Running the coming weeks on a copy of this bank …",
        )
    now = forecast.courses[0]
    change = float(now.apart_ah[-1] - now.apart_ah[0])
    if change > 0.05:
        title = (
            f"The balancer does not catch up: {charge(now.apart_ah[0])} apart now, "
            f"{charge(now.apart_ah[-1])} in {now.week[-1]:.0f} weeks"
        )
    elif change < -0.05:
        title = (
            f"The balancer catches up: {charge(now.apart_ah[0])} apart now, "
            f"{charge(now.apart_ah[-1])} in {now.week[-1]:.0f} weeks"
        )
    else:
        title = f"The balancer holds the cells {charge(now.apart_ah[-1])} apart"
    return title, what


def hand_sentences(
    setup: Setup, known: "Known | None", diagnosis: "Diagnosis | None"
) -> tuple[list[str], bool]:
    """What is fed or bled by hand, and whether anything is: then the last one is the caution."""
    if diagnosis is not None and diagnosis.stopped:
        from nipper.core.report.danger import alarm_words  # the judging, which a start does without

        return [f"{alarm_words(diagnosis)}. Until that is settled nothing is fed or bled."], False
    moved = diagnosis.moved if diagnosis is not None else None
    cells = [c for c in by_hand(setup, known) if moved is None or not moved.is_done(c.cell)]
    done = [moved.sentence] if moved else []
    if cells:
        return [*done, *(c.sentence for c in cells[:3]), CAUTION], True
    if done:
        return done, False
    if known:
        return ["No cell is far enough from the others to be worth it."], False
    return ["A log with full charges is needed."], False


def hours_sentences(setup: Setup, told: FromLog, has_log: bool) -> list[str]:
    """Hours above the start voltage, what of them the phase allows, and the charge that makes."""
    if not has_log:
        return ["A log is needed: hours above the start voltage decide what a balancer can do."]
    out: list[str] = []
    if told.above_h is not None and told.allowed_h is not None and setup.leveller is not None:
        out.append(
            f"A cell stood above {setup.leveller.start_v:.2f} V for {told.above_h:.1f} h "
            f"a week; the phase allowed {told.allowed_h:.1f} h of it."
        )
        out.append(
            f"In those hours its {setup.leveller.current_a:g} A bring one cell at most "
            f"{told.can_ah:.2f} Ah a week nearer to the others."
        )
    if told.need_ah is not None:
        lacking = told.need_ah - told.can_ah if told.can_ah is not None else 0.0
        out.append(
            f"Cell {told.need_cell} drifts {told.need_ah:.2f} Ah a week"
            + (f": {lacking:.2f} Ah more than can be moved." if lacking > 0 else ".")
        )
    else:
        out.append("No cell drifts beyond doubt.")
    return out


def charge(ah: float) -> str:
    """Ampere-hours with as many digits as tell something."""
    return f"{ah:.2f} Ah" if ah < 1.0 else f"{ah:.1f} Ah"
