"""The swap test: something was exchanged between two packs; did the pattern go with it?

It stayed with the cells, followed what was exchanged, or ended with the exchange in both packs:
then what was exchanged had caused it where it stood, and left it behind.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from math import exp, inf
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from nipper.core.imbalance.lines import LEAST_CHARGES, LEAST_DAYS
from nipper.core.imbalance.states import FAR_DAYS, Pattern, States, pattern
from nipper.core.setup import Setup

Floats = NDArray[np.floating]
KIND = "swap"  # of bench events
What = Literal["bms", "balancer", "leads", "other"]
WORDS: dict[str, str] = {
    "bms": "BMS",
    "balancer": "balancer",
    "leads": "sense leads",
    "other": "what was exchanged",
}
JUST_BEFORE_S = 7 * 86400.0  # a state so soon before the exchange is one of the time after it too
BY_TWO = 0.85  # of the confidence, where two states must do: what was levelled between is not known
TELLS = 0.8


class Swap(BaseModel):
    """What was exchanged between which two packs, by their ids."""

    model_config = ConfigDict(frozen=True, extra="ignore", defer_build=True)

    packs: tuple[Annotated[int, Field(ge=1)], Annotated[int, Field(ge=1)]]
    what: What = "other"
    note: str = Field(default="", max_length=300)

    @property
    def words(self) -> str:
        """What was done, in words."""
        thing = "" if self.what == "other" else f"{WORDS[self.what]} "
        done = f"{thing}exchanged between packs"
        return f"{done}: {self.note}" if self.note else done


class Outcome(StrEnum):
    """What a swap test tells."""

    STAYED = "stayed"
    FOLLOWED = "followed"
    LEFT = "left_behind"
    UNDECIDED = "undecided"


@dataclass(frozen=True, slots=True)
class SwapResult:
    """Whether the pattern of drift stayed with the cells, went with what was exchanged between two
    packs, or ended in both.
    """

    verdict: Outcome
    confidence: float
    sentence: str
    record_next: str


RECORD_NEXT = (
    f"Record at least {LEAST_CHARGES} full charges over {LEAST_DAYS:.0f} days or more on each side "
    "of the exchange, in both packs, with the balancing column. Or level both packs, note the day, "
    f"and read both near full {FAR_DAYS:.0f} days later or more."
)


HIDDEN = (
    "The pattern ended with the exchange, in both packs; what the balancers moved is not known, "
    "and one that keeps up looks the same."
)


def parse(note: str) -> Swap | None:
    """What was exchanged, from an event's note; None for one that says only words."""
    try:
        found = Swap.model_validate_json(note)
    except ValidationError:
        return None
    return None if found.packs[0] == found.packs[1] else found


def undecided(why: str, confidence: float = 0.0) -> SwapResult:
    """No answer, and why."""
    return SwapResult(Outcome.UNDECIDED, confidence, why, RECORD_NEXT)


def swap_test(
    packs: Sequence[tuple[Setup, States]], time_s: float, what: What = "other"
) -> SwapResult:
    """Two packs between which something was exchanged at a moment: did the pattern follow it?

    Each pack's drift per cell is fitted before and after. If it stayed with the cells, each pack is
    after as it was before; if it went with what was exchanged, each is as the other was; if it was
    left behind, neither drifts on. All are weighed by their misfit; when the patterns are as small
    as their errors, or alike, nothing can be told.

    Parameters
    ----------
    packs : settings and states of each; as many cells in both
    """
    (setup, first), (other, second) = packs
    if first.cells != second.cells:
        return undecided("The two packs have not as many cells.")
    found = [
        pattern(known, own, begin, end)
        for own, known in ((setup, first), (other, second))
        for begin, end in ((-inf, time_s), (_after(known, time_s), inf))
    ]
    if any(p is None for p in found):
        return undecided("Too few full charges or readings on one side of the exchange.")
    a0, a1, b0, b1 = (p for p in found if p is not None)
    misfits = {
        Outcome.STAYED: _misfit(a0, a1) + _misfit(b0, b1),
        Outcome.FOLLOWED: _misfit(b0, a1) + _misfit(a0, b1),
        Outcome.LEFT: sum(float(np.sum((p.drift / p.sd) ** 2)) for p in (a1, b1)),
    }
    best, second_best, *_ = sorted(misfits, key=lambda outcome: misfits[outcome])
    # the better of poor models is no proof: what none explains counts against all
    poor = max(0.0, misfits[best] / (2.0 * a0.drift.size) - 2.0)
    evidence = (misfits[second_best] - misfits[best]) / (1.0 + poor) / 2.0
    sure = 1.0 / (1.0 + exp(-min(40.0, evidence)))
    if sure < TELLS:
        why = "The patterns before and after are too small or too alike to tell."
        return undecided(why, 2.0 * sure - 1.0)
    if best is Outcome.LEFT and not (first.moved_known and second.moved_known):
        return undecided(HIDDEN)
    worst = int(np.argmax(np.abs(np.r_[a0.drift, b0.drift])))
    share = 0.98 if all(p.sure for p in (a0, a1, b0, b1)) else BY_TWO
    return SwapResult(best, share * sure, _sentence(best, worst % a0.drift.size + 1, what), "")


def _after(known: States, time_s: float) -> float:
    """From when on states are of the time after the exchange: how the cells stood just before it
    is how they stood when it was done.
    """
    before = known.time_s[(known.time_s < time_s) & (known.time_s >= time_s - JUST_BEFORE_S)]
    after = known.time_s >= time_s
    few = (after & known.charges).sum() < LEAST_CHARGES
    return float(before[-1]) if few and before.size else time_s


def _misfit(one: Pattern, other: Pattern) -> float:
    return float(np.sum((one.drift - other.drift) ** 2 / (one.sd**2 + other.sd**2)))


def _sentence(outcome: Outcome, cell: int, what: What) -> str:
    thing = WORDS[what] if what == "other" else f"the {WORDS[what]}"
    if outcome is Outcome.STAYED:
        return (
            f"The pattern stayed with the cells (cell {cell} most): it is the pack's, not {thing}."
        )
    if outcome is Outcome.FOLLOWED:
        return f"The pattern went with {thing} (cell {cell} most): it is not the cells'."
    return (
        f"The pattern (cell {cell} most) ended with the exchange, in both packs: neither the cells "
        f"nor {thing} go on with it. It was caused there and left behind: level the pack once, and "
        "it should stay so."
    )
